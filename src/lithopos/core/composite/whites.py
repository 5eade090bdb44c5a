"""Whether white is as white: the lightest neutral of what was rendered beside the photograph's own."""

from __future__ import annotations

import cv2
import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Floats, Mask, largest_channel
from lithopos.core.colour import delta_e_2000, linear_of, linear_to_Lab, luminance
from lithopos.core.exchange.picture import Codes

PATCH = 1 / 160  # of the picture's width: smaller glints are no surface
WIDE_PX = 600  # a picture is looked at no larger than it need be
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
    times = max(1, codes.shape[1] // WIDE_PX)
    if times > 1:
        size = (codes.shape[1] // times, codes.shape[0] // times)
        codes, cover = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (codes, cover))
        below_horizon = cv2.resize(below_horizon.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    encoded = codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)
    wide = max(3, round(PATCH * codes.shape[1])) | 1
    linear = linear_of(codes)
    mean = cv2.blur(linear, (wide, wide))
    bright = luminance(linear)
    spread = np.sqrt(np.maximum(cv2.blur(bright**2, (wide, wide)) - luminance(mean) ** 2, 0))
    kernel = np.ones((wide, wide), np.uint8)
    clipped = cv2.dilate((largest_channel(encoded) >= CLIPPED).astype(np.uint8), kernel) > 0
    even = (spread < MOST_SPREAD * luminance(mean)) & ~clipped
    whole = cv2.erode((cover > 0.99).astype(np.uint8), kernel) > 0
    bare = cv2.dilate((cover > 0).astype(np.uint8), kernel) == 0
    rendered = _lightest(mean, even & whole)
    photographed = _lightest(mean, even & bare & below_horizon)
    apart = float(delta_e_2000(rendered.lab, photographed.lab)) if rendered and photographed else None
    return Whites(rendered=rendered, photographed=photographed, delta_e=apart)


def _lightest(mean: Floats, where: Mask) -> White | None:
    """The lightest neutral one of patches' means."""
    rows, columns = np.nonzero(where)
    lab = linear_to_Lab(mean[rows, columns])
    neutral = np.hypot(lab[:, 1], lab[:, 2]) < MOST_CHROMA
    if not neutral.any():
        return None
    which = int(np.argmax(np.where(neutral, lab[:, 0], -1)))
    row, column = rows[which], columns[which]
    height, width = where.shape
    r, g, b = (float(v) for v in mean[row, column])
    lightness, a, bb = (float(v) for v in lab[which])
    at = (float(column + 0.5) / width, float(row + 0.5) / height)
    return White(at=at, colour=(r, g, b), lab=(lightness, a, bb))
