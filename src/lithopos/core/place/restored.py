"""What clipped pixels of one side would show: by the channel that is not clipped, and the side's colour in that light.

A wall in low sun is clipped in red long before it is in blue. Of the same wall in the same sun some stones are darker,
and clipped in nothing: their colour, at the brightness of the channel that is left, tells the rest (compare Zhang and
Brainard 2004, Estimation of saturated pixel values in digital color imaging, DOI 10.1364/JOSAA.21.002301, which
tells it from the correlation of channels all over the picture). Stones that are not clipped are rather less colourful
and JPEG mixes their colour with the clipped ones', so that this is rather too little.
"""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array, Floats

CLIPPED = 0.97  # linear
BRIGHT = (0.6, 0.9)  # what pixels that are clipped in nothing have of the channel that others are mostly clipped in
LEAST = 30  # of such pixels
MOST = 4.0
RESTORED = 0.25  # a restored value is as unsure as a clipped one is in a quarter of its light

__all__ = ["restored"]


def restored(values: Array | Floats) -> tuple[Array, Array]:
    """Linear values (N, 3) of a side's pixels as they would be without a top of the scale, and how unsure, (N, 3).

    That is 1 where a value is clipped and nothing tells what it would be, 0 where it is not clipped.
    """
    found = np.array(values, float)
    clipped = found >= CLIPPED
    unsure = clipped.astype(float)
    top = found[:, clipped.sum(0).argmax()]
    alike = found[(top >= BRIGHT[0]) & (top <= BRIGHT[1]) & ~clipped.any(1)]
    some = np.flatnonzero(clipped.any(1) & ~clipped.all(1))
    if len(alike) < LEAST or not len(some):
        return found, unsure
    colour = np.maximum(np.median(alike, axis=0), 1e-3)
    left = np.where(clipped[some], 0, found[some])
    channel = left.argmax(1)
    brightness = left[np.arange(len(some)), channel] / colour[channel]
    told = np.clip(brightness[:, None] * colour, found[some], MOST)
    found[some] = np.where(clipped[some], told, found[some])
    unsure[some] *= RESTORED
    return found, unsure
