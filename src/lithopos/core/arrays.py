"""The array types that the whole core speaks of: double precision for geometry, single for pictures."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["Array", "Floats", "Mask", "largest_channel", "summed_channels"]

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]


def largest_channel(values: NDArray[Any]) -> NDArray[Any]:
    """The largest of three channels (..., 3), or whether any is true: over so short an axis numpy's own way is slow."""
    return np.maximum(np.maximum(values[..., 0], values[..., 1]), values[..., 2])


def summed_channels(values: Floats) -> Floats:
    """The sum of three channels (..., 3), for the same reason."""
    return np.asarray(values[..., 0] + values[..., 1] + values[..., 2])
