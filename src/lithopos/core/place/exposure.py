"""How bright the lit ground is in the photograph: what sets the exposure of everything that is rendered."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.errors import InputError

NEAR = (8.0, 25.0, 80.0)  # how far the ground is looked at, in heights of the camera above it
CLIPPED = 0.985  # of the largest code
LEAST_PIXELS = 200
CLEARLY_APART = 0.6  # of light and shade, natural logarithm
UNSURE_SHARE = 0.2
LEAST_SHARE = 0.04  # of the ground in shade, and in light, to be measured
MOST_SHADE = 0.5  # of the light: brighter is no shade
LEAST_BLUER = 1.2

__all__ = ["GroundLevel", "ShadePair", "ground_level", "shade_pair"]


@dataclass(frozen=True)
class GroundLevel:
    """Linear luminance of the lit ground in the photograph; `notes` are plain sentences on what is doubtful."""

    luminance: float
    notes: tuple[str, ...] = ()


def ground_level(encoded: Floats, linear: Floats, camera: Pinhole, height_m: float, has_sun: bool) -> GroundLevel:
    """The brighter part of the near ground where light and shade part clearly, else its middle.

    Clipped pixels, and those beside them, are left out: they are highlights, or too bright to tell. Light and
    shade are parted where the spread between them is largest (Otsu 1979, DOI 10.1109/TSMC.1979.4310076), on a
    logarithmic scale. Without a sun nothing is sunlit: what is bright then is a reflection or a lamp.

    Parameters
    ----------
    encoded, linear : (H, W, 3) the photograph, 0..1.
    height_m : of the plane that is looked at.

    Raises
    ------
    InputError
        If the photograph shows no such ground.
    """
    pixels = _near_pixels(camera, height_m, linear.shape[1], linear.shape[0])
    column, row = pixels.T
    good = ~_clipped(encoded)[row, column]
    notes: list[str] = []
    if np.count_nonzero(good) < 0.2 * len(good):
        notes.append("Most of the ground is clipped in the photograph: how bright it is can only be guessed.")
        good = np.ones(len(good), bool)
    bright = np.log(np.maximum(luminance(linear[row[good], column[good]]), 1e-4))
    low, high = np.percentile(bright, [2, 98])
    if not has_sun or high - low < 0.7:
        return GroundLevel(float(np.exp(np.median(bright))), tuple(notes))
    scaled = np.clip((bright - low) / (high - low) * 255, 0, 255).astype(np.uint8)
    cut, _ = cv2.threshold(scaled[None], 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    lit, dim = bright[scaled > cut], bright[scaled <= cut]
    apart = len(lit) > 0.08 * len(bright) and float(np.median(lit) - np.median(dim)) > CLEARLY_APART
    if apart and len(lit) < UNSURE_SHARE * len(bright):
        notes.append(
            "Only a small part of the ground is bright: it is taken for sunlit. Is it a reflection, "
            "set the strength of the sun to 0."
        )
    return GroundLevel(float(np.exp(np.median(lit if apart else bright))), tuple(notes))


@dataclass(frozen=True)
class ShadePair:
    """Ground in light and in shade: (3,) what is left of the light in the shade, by channel."""

    share: Floats


def shade_pair(encoded: Floats, linear: Floats, camera: Pinhole, height_m: float) -> ShadePair | None:
    """Light and shade beside one another on one ground, parted as in `ground_level`; None where there is no shade.

    Parameters
    ----------
    encoded, linear : (H, W, 3) the photograph, 0..1.
    """
    column, row = _near_pixels(camera, height_m, linear.shape[1], linear.shape[0]).T
    good = ~_clipped(encoded)[row, column]
    values = linear[row[good], column[good]]
    if len(values) < LEAST_PIXELS:
        return None
    bright = np.log(np.maximum(luminance(values), 1e-4))
    low, high = np.percentile(bright, [2, 98])
    if high - low < 0.7:
        return None
    scaled = np.clip((bright - low) / (high - low) * 255, 0, 255).astype(np.uint8)
    cut, _ = cv2.threshold(scaled[None], 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    lit, dim = scaled > cut, scaled <= cut
    if min(lit.mean(), dim.mean()) < LEAST_SHARE:
        return None
    light, shade = np.median(values[lit], axis=0), np.median(values[dim], axis=0)
    share = shade / np.maximum(light, 1e-5)
    # What the sun leaves out is bluer than what it lights; paving of two tones is not.
    is_shade = float(luminance(share)) < MOST_SHADE and share[2] > LEAST_BLUER * share[0]
    return ShadePair(np.asarray(share, np.float32)) if is_shade else None


def _near_pixels(camera: Pinhole, height_m: float, width: int, height: int) -> Array:
    """Pixels (N, 2) that show near ground, some ten thousand at most."""
    step = max(1, int(np.sqrt(width * height / 40_000)))
    x, y = np.meshgrid(np.arange(step // 2, width, step), np.arange(step // 2, height, step))
    pixels = np.column_stack([x.ravel(), y.ravel()])
    above = abs(float(camera.position[2]) - height_m)
    away = np.linalg.norm(camera.ground_points(pixels + 0.5, height_m)[:, :2] - camera.position[:2], axis=1)
    for reach in NEAR:
        near = pixels[np.nan_to_num(away, nan=np.inf) < reach * above]
        if len(near) >= min(LEAST_PIXELS, 0.02 * len(pixels)):
            return near
    raise InputError("ground", "is not seen in the photograph: nothing tells how bright it is")


def _clipped(encoded: Floats) -> Mask:
    """Pixels at the top of the scale in any channel, and their neighbours (glare spreads)."""
    top = (encoded.max(-1) >= CLIPPED).astype(np.uint8)
    reach = max(3, encoded.shape[1] // 300) | 1
    return np.asarray(cv2.dilate(top, np.ones((reach, reach), np.uint8)) > 0)
