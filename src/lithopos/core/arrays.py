"""The array types that the whole core speaks of: double precision for geometry, single for pictures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["Array", "Floats", "Mask"]

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]
