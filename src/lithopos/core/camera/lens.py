"""Radial lens distortion: x_d = x_u (1 + k1 r²), r the undistorted distance from the axis in focal lengths.

Source: Brown 1971, "Close-range camera calibration", Photogrammetric Engineering 37(8), its first
radial term.
"""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array

__all__ = ["distort", "fold_radius", "undistort"]


def distort(points: Array, k1: float | Array) -> Array:
    """Distorted positions of undistorted ones (N, 2), both in focal lengths from the axis."""
    return points * (1 + k1 * (points**2).sum(-1, keepdims=True))


def fold_radius(k1: float) -> float:
    """How far from the axis a lens shows things, in focal lengths: beyond, a negative k1 would fold them back."""
    return float(1 / np.sqrt(-3 * k1)) if k1 < 0 else float("inf")


def undistort(points: Array, k1: float | Array) -> Array:
    """Undistorted positions of distorted ones (..., 2), both in focal lengths from the axis.

    Newton's method on r + k1 r³ = r_d. With a negative k1 the picture folds back beyond a certain
    radius; what lies outside is put on it, so that a solver passing by stays finite.

    Parameters
    ----------
    k1 : one figure, or one that broadcasts against (..., 1).
    """
    k1 = np.asarray(k1, float)
    if not k1.any():
        return points
    reach = np.sqrt((points**2).sum(-1, keepdims=True))
    fold = np.where(k1 < 0, 1 / np.sqrt(np.where(k1 < 0, -3 * k1, 1.0)), 1e9)
    target = np.where(k1 < 0, np.minimum(reach, 0.999 * (fold + k1 * fold**3)), reach)
    radius = np.minimum(target, 0.98 * fold)
    for _ in range(12):
        square = k1 * radius * radius
        step = (radius * (1 + square) - target) / np.maximum(1 + 3 * square, 1e-3)
        radius = np.minimum(np.maximum(radius - step, 0), fold)
        if float(np.abs(step).max(initial=0.0)) < 1e-15:
            break
    return np.asarray(points * (radius / np.maximum(reach, 1e-12)))
