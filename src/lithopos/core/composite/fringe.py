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
from lithopos.core.colour import linear_of
from lithopos.core.exchange.picture import Codes
from lithopos.core.layers import Window

EPSILON = 1e-6  # of the package's colours: how far they may be off a line
TIP_PX, TIP_CODES = 9, 10  # a thin thing differs by so many codes of 255 from the middle of so many pixels
MOST_PIXELS = 600_000  # in which shares are told; a larger part is told smaller

__all__ = ["Fringe", "fringe_of"]


@dataclass(frozen=True)
class Fringe:
    """Of a window: how much of each pixel is in front (H, W), and its linear colours (H, W, 3)."""

    window: Window
    share: Floats
    light: Floats

    def within(self, window: Window) -> Fringe:
        """The same of another window; nothing is in front beside its own."""
        size = window.height, window.width
        share, light = np.zeros(size, np.float32), np.zeros((*size, 3), np.float32)
        shared = self.window.common(window)
        if shared is not None:
            share[shared.within(window)] = self.share[shared.within(self.window)]
            light[shared.within(window)] = self.light[shared.within(self.window)]
        return Fringe(window, share, light)


def fringe_of(codes: Codes, window: Window, inside: Mask, outside: Mask) -> Fringe | None:
    """Shares and colours of what stands in front.

    Parameters
    ----------
    codes : (H, W, 3) of the window.
    inside, outside : (H, W) of the window: what is surely in front, and surely not; the rest is told.

    Returns
    -------
    None where nothing is sure, or the package finds no answer.
    """
    # Imported where it is needed: it brings a compiler of its own.
    from pymatting import estimate_alpha_cf, estimate_foreground_ml

    light = linear_of(codes)
    plain = _like_beside(codes)
    told = np.where(inside & plain, 1.0, np.where(outside & plain, 0.0, 0.5))
    scale = min(1.0, float(np.sqrt(MOST_PIXELS / told.size)))
    size = max(4, round(told.shape[1] * scale)), max(4, round(told.shape[0] * scale))
    small = cv2.resize(light, size, interpolation=cv2.INTER_AREA).astype(float)
    few = cv2.resize(told, size, interpolation=cv2.INTER_NEAREST)
    if not ((few == 1).any() and (few == 0).any()):
        return None
    try:
        found = np.clip(estimate_alpha_cf(small, few, laplacian_kwargs={"epsilon": EPSILON}), 0, 1)
    except ValueError:  # it did not converge
        return None
    front = np.asarray(estimate_foreground_ml(small, found), np.float32)
    share, own = (cv2.resize(part, told.shape[1::-1], interpolation=cv2.INTER_LINEAR) for part in (found, front))
    share = np.where(told == 0.5, share, told).astype(np.float32)
    return Fringe(window, share, own)


def _like_beside(codes: Codes) -> Mask:
    """Where a pixel is like what is about it: one that is not may be a tip that reaches farther than was said."""
    eight = (codes.astype(np.float32) * (255 / np.iinfo(codes.dtype).max)).astype(np.uint8)
    return np.asarray(cv2.absdiff(eight, cv2.medianBlur(eight, TIP_PX)).max(-1) < TIP_CODES)
