"""Small things that composing has need of in several places."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Floats, Mask

__all__ = ["extent", "rise"]


def rise(values: Floats, low: float, high: float) -> Floats:
    """0 below, 1 above, smooth between."""
    t = np.clip((values - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def extent(where: Mask, margin: int) -> tuple[slice, slice]:
    """Rows and columns that hold all true values, with a margin; empty if there are none."""
    rows, columns = np.flatnonzero(where.any(1)), np.flatnonzero(where.any(0))
    if not len(rows):
        return slice(0, 0), slice(0, 0)
    return (
        slice(max(int(rows[0]) - margin, 0), int(rows[-1]) + 1 + margin),
        slice(max(int(columns[0]) - margin, 0), int(columns[-1]) + 1 + margin),
    )
