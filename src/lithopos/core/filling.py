"""Values carried on from where they are known."""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Floats, Mask

__all__ = ["filled"]


def filled(values: Floats, known: Mask) -> Floats:
    """Values (H, W, 3) carried on smoothly from where they are known (H, W) into the rest; 1 where nothing is known.

    They are halved until all is known, then widened again. Source: Gortler et al. 1996, The lumigraph, section 3.5
    (pull–push), DOI 10.1145/237170.237200.
    """
    if known.all():
        return values
    height, width = known.shape
    weight = known.astype(np.float32)[..., None]
    if min(height, width) <= 2 or not known.any():
        total = float(weight.sum())
        mean = (values * weight).sum((0, 1)) / total if total else np.ones(values.shape[2])
        return np.where(weight > 0, values, mean).astype(np.float32)
    small = ((width + 1) // 2, (height + 1) // 2)
    half_weight = cv2.resize(weight, small, interpolation=cv2.INTER_AREA)
    half = cv2.resize(values * weight, small, interpolation=cv2.INTER_AREA)
    half = np.where(half_weight[..., None] > 0, half / np.maximum(half_weight, 1e-6)[..., None], 1)
    coarse = filled(half.astype(np.float32), half_weight > 0.05)
    back = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.where(known[..., None], values, back).astype(np.float32)
