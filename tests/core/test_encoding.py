"""Photographs in wider colours than sRGB: read by their profile, composed in it, written back by it."""

from __future__ import annotations

import io
import struct
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageCms
from proving.truth import SAMPLES, marked_shot

from lithopos.core.blend.blend import Tones
from lithopos.core.composite.passes import Passes, put_together
from lithopos.core.deliver.icc import display_p3, in_colours, matrix_profile
from lithopos.core.encoding import encoding_of
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture, write_png
from lithopos.core.layers import Window
from lithopos.core.reading.ask import read_model
from lithopos.core.reading.quick import load_picture, save_picture
from lithopos.core.render.render import render_shot
from lithopos.core.render.session import sized

SCALE = 0.15  # of the photograph, in which a place is rendered
WIDER = ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001))  # beyond all real colours in green and blue
GAMMA = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(1.8 * 256))
PROFILES = {"Display P3": display_p3(), "Made-up wide": matrix_profile("Made-up wide", WIDER, GAMMA)}
# Encoded value by linear one, from their specifications.
CURVES = {"Display P3": lambda x: 1.055 * x ** (1 / 2.4) - 0.055, "Made-up wide": lambda x: x ** (1 / 1.8)}


def by_the_library(codes: Any, icc: bytes | None, wanted: bytes | None) -> Any:
    """Codes (H, W, 3) of 8 bits from one profile to another by LittleCMS; None: sRGB."""
    own, other = (
        ImageCms.ImageCmsProfile(io.BytesIO(one)) if one else ImageCms.createProfile("sRGB") for one in (icc, wanted)
    )
    return np.asarray(ImageCms.profileToProfile(Image.fromarray(codes), own, other))


class Wide(unittest.TestCase):
    def test_colours_are_those_of_the_colour_library(self) -> None:
        # Colours of sRGB: beyond them both cut, each in its way.
        srgb = np.random.default_rng(3).integers(8, 248, (40, 60, 3), np.uint8, endpoint=True)
        for name, icc in PROFILES.items():
            with self.subTest(name), tempfile.TemporaryDirectory() as folder:
                own = by_the_library(srgb, None, icc)
                write_png(Picture(own, icc), Path(folder) / "a.png")
                read = read_picture(Path(folder) / "a.png")
                # Codes of gamma 1.8 are coarse where they are dark.
                off = np.abs(read.codes.astype(int) - by_the_library(own, icc, None))
                self.assertLessEqual(int(np.percentile(off, 99)), 1)
                self.assertLessEqual(int(off.max()), 2)
                np.testing.assert_array_equal(read.as_came.codes, own)
                self.assertEqual((read.icc, read.as_came.icc), (None, icc))
                self.assertIn(name, read.notes[0])
                save_picture(read, Path(folder))
                kept = load_picture(Path(folder))
                np.testing.assert_array_equal(kept.as_came.codes, own)
                self.assertEqual(kept.as_came.icc, icc)

    def test_what_is_deep_stays_deep_in_other_colours(self) -> None:
        rng = np.random.default_rng(4)
        codes = rng.integers(0, 65535, (30, 40, 3), np.uint16, endpoint=True)
        turned = in_colours(Picture(codes), "Display P3")
        self.assertEqual(turned.codes.dtype, np.uint16)
        eight = in_colours(Picture((codes >> 8).astype(np.uint8)), "Display P3").codes
        self.assertLessEqual(np.abs(turned.codes / 257.0 - eight).max(), 2.0)
        back = in_colours(turned, "sRGB")
        self.assertLessEqual(int(np.abs(back.codes.astype(int) - codes).max()), 8)

    def test_a_colour_beyond_srgb_keeps_its_own_under_a_shadow_and_what_is_untouched_its_codes(self) -> None:
        shape = (4, 6)
        own: Any = np.full((*shape, 3), (255, 20, 0), np.uint8)  # redder than sRGB's reddest
        nothing, none = np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32)
        shadow = np.ones((*shape, 3), np.float32)
        shadow[:, 3:] = 0.25
        numbers = np.zeros(shape, np.int32)
        parts = (shadow, nothing, nothing, none, none, nothing, none, nothing, nothing, numbers, numbers, nothing)
        passes = Passes(Window(0, 0, 6, 4), *parts)
        for name, icc in PROFILES.items():
            with self.subTest(name):
                encoding = encoding_of(icc)
                assert encoding
                made = put_together(own, passes, Tones(encoding=encoding))
                np.testing.assert_array_equal(made[:, :3], own[:, :3])
                # By the profile's own curve: the same colour in a quarter of the light.
                self.assertLessEqual(abs(float(made[0, 4, 0]) - 255 * CURVES[name](0.25)), 0.6)
                self.assertEqual(int(made[0, 4, 2]), 0)

    def test_a_place_photographed_in_wider_colours_gives_the_same_picture(self) -> None:
        shot = marked_shot("cloister-yard")
        plain = read_picture(SAMPLES / "cloister-yard.jpg")
        icc = PROFILES["Display P3"]
        own = Picture(by_the_library(plain.codes, plain.icc, icc), icc)
        pictures = []
        with tempfile.TemporaryDirectory() as folder:
            write_png(own, Path(folder) / "wide.png")
            wide = read_picture(Path(folder) / "wide.png")
        for photograph in (plain, wide):
            steps = render_shot(
                shot,
                photograph,
                lambda name: read_model(SAMPLES / Path(name).name),
                quality="master",
                scale=SCALE,
                samples=8,
            )
            made = list(steps)[-1].picture
            assert made
            pictures.append(made)
        ours, theirs = pictures
        plain, own = sized(plain, SCALE), sized(own, SCALE)
        self.assertEqual(theirs.icc, icc)
        changed = (ours.codes != plain.codes).any(-1)
        self.assertGreater(changed.sum(), 500)
        same = (theirs.codes == own.codes).all(-1)
        self.assertGreater(float(np.mean(same[~changed])), 0.999)
        off = np.abs(by_the_library(theirs.codes, icc, None).astype(int) - ours.codes)[changed]
        self.assertLessEqual(float(off.mean()), 1.0)
        self.assertLessEqual(int(np.percentile(off, 99)), 4)


if __name__ == "__main__":
    unittest.main()
