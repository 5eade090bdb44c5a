"""Whether white is as white: the lightest neutral of what was rendered beside the photograph's own."""

from __future__ import annotations

import cv2
import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.colour import decode_srgb, delta_e_2000, linear_to_Lab, luminance
from lithopos.core.exchange.picture import Codes

PATCH = 1 / 160  # of the picture's width: smaller glints are no surface
MOST_CHROMA = 14.0  # in CIE Lab: what passes for neutral under a warm or a cool light
MOST_SPREAD = 0.2  # relative: a patch across an edge is none
CLIPPED = 0.985

__all__ = ["White", "Whites", "whites_of"]


class White(BaseModel):
    """A light neutral patch: its middle in shares of the picture's width and height, linear colour, CIE Lab."""

    at: tuple[float, float]
    colour: tuple[float, float, float]
    lab: tuple[float, float, float]


class Whites(BaseModel):
    """The lightest neutral patch of what was rendered and of the photograph; None where nothing is neutral.

    `delta_e` is their difference by CIEDE2000.
    """

    rendered: White | None
    photographed: White | None
    delta_e: float | None


def whites_of(codes: Codes, cover: Floats, below_horizon: Mask) -> Whites:
    """Compare the two whites of a finished picture.

    Parameters
    ----------
    codes : (H, W, 3) of the picture.
    cover : (H, W) how much of each pixel is rendered.
    below_horizon : (H, W) where the sky, which is no surface, can't be.
    """
    encoded = codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)
    wide = max(3, round(PATCH * codes.shape[1])) | 1
    linear = decode_srgb(encoded)
    mean = cv2.blur(linear, (wide, wide))
    bright = luminance(linear)
    spread = np.sqrt(np.maximum(cv2.blur(bright**2, (wide, wide)) - luminance(mean) ** 2, 0))
    lab = linear_to_Lab(mean)
    kernel = np.ones((wide, wide), np.uint8)
    clipped = cv2.dilate((encoded.max(-1) >= CLIPPED).astype(np.uint8), kernel) > 0
    even = (spread < MOST_SPREAD * luminance(mean)) & (np.hypot(lab[..., 1], lab[..., 2]) < MOST_CHROMA) & ~clipped
    whole = cv2.erode((cover > 0.99).astype(np.uint8), kernel) > 0
    bare = cv2.dilate((cover > 0).astype(np.uint8), kernel) == 0
    rendered = _lightest(mean, lab, even & whole)
    photographed = _lightest(mean, lab, even & bare & below_horizon)
    apart = float(delta_e_2000(rendered.lab, photographed.lab)) if rendered and photographed else None
    return Whites(rendered=rendered, photographed=photographed, delta_e=apart)


def _lightest(mean: Floats, lab: Array, where: Mask) -> White | None:
    if not where.any():
        return None
    row, column = np.unravel_index(int(np.argmax(np.where(where, lab[..., 0], -1))), where.shape)
    height, width = where.shape
    r, g, b = (float(v) for v in mean[row, column])
    lightness, a, bb = (float(v) for v in lab[row, column])
    at = (float(column + 0.5) / width, float(row + 0.5) / height)
    return White(at=at, colour=(r, g, b), lab=(lightness, a, bb))
