"""The array types that the whole core speaks of: double precision for geometry, single for pictures."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

__all__ = ["Array", "Floats", "Mask", "largest_channel", "on_channels", "summed_channels"]

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]


def largest_channel(values: NDArray[Any]) -> NDArray[Any]:
    """The largest of three channels (..., 3), or whether any is true: over so short an axis numpy's own way is slow."""
    return np.maximum(np.maximum(values[..., 0], values[..., 1]), values[..., 2])


def summed_channels(values: Floats) -> Floats:
    """The sum of three channels (..., 3), for the same reason."""
    return np.asarray(values[..., 0] + values[..., 1] + values[..., 2])


def on_channels(values: NDArray[Any]) -> NDArray[Any]:
    """The same (..., 3) in three channels, for the same reason: what has one is slow beside what has three."""
    if not values.size:
        return np.zeros((*values.shape, 3), values.dtype)
    plane = values.view(np.uint8) if values.dtype == bool else values
    return np.asarray(cv2.merge([plane] * 3)).view(values.dtype).reshape(*values.shape, 3)
