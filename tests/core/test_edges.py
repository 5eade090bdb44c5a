"""Soft edges of whoever passes, against shapes whose cover of each pixel is known."""

from __future__ import annotations

import unittest

import cv2
import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.footage.edges import soft_edge
from tests.core.takes import even_grain

FINER, BAND_PX = 8, 2
SHAPE = (120, 110)


def body() -> Floats:
    """How much of each pixel a leaning ellipse covers."""
    fine = np.zeros((SHAPE[0] * FINER, SHAPE[1] * FINER), np.float32)
    cv2.ellipse(fine, (54 * FINER, 61 * FINER), (29 * FINER, 41 * FINER), 20, 0, 360, 1, -1)
    return np.asarray(cv2.resize(fine, SHAPE[::-1], interpolation=cv2.INTER_AREA), np.float32)


def limb() -> Floats:
    """One that is two pixels wide."""
    fine = np.zeros((SHAPE[0] * FINER, SHAPE[1] * FINER), np.float32)
    cv2.line(fine, (50 * FINER, 20 * FINER), (56 * FINER, 100 * FINER), 1, 2 * FINER)
    return np.asarray(cv2.resize(fine, SHAPE[::-1], interpolation=cv2.INTER_AREA), np.float32)


def missed(true: Floats, codes: float) -> float:
    """Mean error of α within 5 px of the edges of somebody in mottled clothes before mottled ground."""
    rng = np.random.default_rng(3)
    ground, clothes = (
        cv2.GaussianBlur(rng.random((*SHAPE, 3)).astype(np.float32), (0, 0), sigma) * 0.8 for sigma in (3, 5)
    )
    ground, clothes = ground + np.float32(0.1), clothes - np.array([0.2, 0.1, 0.1], np.float32)
    cover = true[..., None]
    seen = cover * clothes + (1 - cover) * ground + rng.normal(0, codes / 255, (*SHAPE, 3))
    found = soft_edge(np.asarray(seen, np.float32), ground, true > 0.5, BAND_PX, even_grain(codes))
    near = np.ones((11, 11), np.uint8)
    close = (cv2.dilate((true > 0.05).astype(np.uint8), near) > 0) & (
        cv2.erode((true > 0.95).astype(np.uint8), near) == 0
    )
    return float(np.abs(found - true)[close].mean())


class Edges(unittest.TestCase):
    def test_they_are_as_sharp_or_as_soft_as_they_were_seen(self) -> None:
        seen = {
            "sharp": (body(), 0.002, 0.005),
            "out of focus": (cv2.GaussianBlur(body(), (0, 0), 1.2), 0.014, 0.019),
            "moving": (cv2.blur(body(), (4, 1)), 0.006, 0.009),
            "thin": (limb(), 0.012, 0.014),
        }
        for name, (true, *most) in seen.items():
            for codes, allowed in zip((1.0, 6.0), most, strict=True):
                with self.subTest(name, codes=codes):
                    self.assertLess(missed(true, codes), allowed)

    def test_all_or_nobody_needs_no_edge(self) -> None:
        whole = np.ones(SHAPE, bool)
        seen = np.full((*SHAPE, 3), 0.5, np.float32)
        for mine in (whole, ~whole):
            np.testing.assert_array_equal(soft_edge(seen, seen, mine, BAND_PX, even_grain(1)), mine)


if __name__ == "__main__":
    unittest.main()
