"""What stands in front where it is finer than any outline: hair, leaves, bars.

In a band about the outline each pixel shows some of what stands in front and some of what is behind. How much of which,
and in which colours, is told from the photograph: Levin, Lischinski & Weiss 2008, A closed-form solution to natural
image matting, DOI 10.1109/TPAMI.2007.1177; the colours by Germer, Uelwer, Conrad & Harmeling 2020, Fast multi-level
foreground estimation.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Floats, Mask
from lithopos.core.colour import decode_srgb
from lithopos.core.exchange.picture import Codes

MOST_PIXELS = 600_000  # in which shares are told; a larger part is told smaller

__all__ = ["Fringe", "fringe_of"]


@dataclass(frozen=True)
class Fringe:
    """Of a part of the picture: how much of each pixel is in front (H, W), and its linear colours (H, W, 3)."""

    share: Floats
    light: Floats


def fringe_of(codes: Codes, inside: Mask, outside: Mask) -> Fringe | None:
    """Shares and colours of what stands in front.

    Parameters
    ----------
    codes : (H, W, 3) of the part.
    inside, outside : (H, W) what is surely in front, and surely not; the rest is told.

    Returns
    -------
    None where one of them is empty: nothing can be told then.
    """
    if not (inside.any() and outside.any()):
        return None
    # Imported where it is needed: it brings a compiler of its own.
    from pymatting import estimate_alpha_cf, estimate_foreground_ml

    light = decode_srgb(codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max))
    told = np.where(inside, 1.0, np.where(outside, 0.0, 0.5))
    scale = min(1.0, float(np.sqrt(MOST_PIXELS / told.size)))
    size = max(4, round(told.shape[1] * scale)), max(4, round(told.shape[0] * scale))
    small = cv2.resize(light, size, interpolation=cv2.INTER_AREA).astype(float)
    few = cv2.resize(told, size, interpolation=cv2.INTER_NEAREST)
    share = cv2.resize(estimate_alpha_cf(small, few), told.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    share = np.where(told == 0.5, np.clip(share, 0, 1), told)
    front = estimate_foreground_ml(light.astype(float), share)
    return Fringe(share.astype(np.float32), np.asarray(front, np.float32))
