"""Levenberg–Marquardt for a handful of unknowns.

A camera is solved several times at every move of a drag. For four to seven unknowns a general package
spends most of its time on generality, and most of a command's time on being loaded; this is the plain
method. Sources: Marquardt 1963 (DOI 10.1137/0111030); scaling by the greatest diagonal so far after
Moré 1978 (DOI 10.1007/BFb0067700).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lithopos.core.arrays import Array

_SHORTEST = 1e-13  # step, relative to the unknowns
_HARDEST = 1e9  # damping beyond which no step helps any more

__all__ = ["minimum"]


def minimum(
    residuals: Callable[[Array], Array],
    jacobian: Callable[[Array], Array],
    start: Array,
    *,
    gain: float = 1e-10,
    most_steps: int = 25,
) -> tuple[Array, float]:
    """Where the sum of squared residuals is least, from a start, and half that sum.

    Parameters
    ----------
    residuals, jacobian : of the unknowns (n,): (m,) and (m, n).
    gain : relative fall of the sum that is not worth another step; the default leaves the unknowns within
        some hundred-thousandths of their own deviation.
    """
    x = np.asarray(start, float)
    off = residuals(x)
    cost, damping, scale = float(off @ off), 1e-3, np.full(len(x), 1e-300)
    for _ in range(most_steps):
        slope = jacobian(x)
        square, down = slope.T @ slope, -(slope.T @ off)
        scale = np.maximum(scale, np.diag(square))
        least = _SHORTEST * (1 + float(np.abs(x).max()))
        won, length = 0.0, 0.0
        while damping < _HARDEST:
            step = _step(square + np.diag(damping * np.maximum(scale, 1e-14 * scale.max())), down)
            length = float(np.abs(step).max())
            tried = residuals(x + step)
            reached = float(tried @ tried)
            won = cost - reached
            if won > 0 or (length <= least and length > 0):
                break
            damping = max(damping, 1e-12) * 8
        if won <= 0:
            break
        x, off, cost, damping = x + step, tried, reached, damping * 0.1
        if won <= gain * cost or length <= least:
            break
    return x, cost / 2


def _step(square: Array, down: Array) -> Array:
    """The solution of the damped normal equations; no step where they are singular still."""
    try:
        return np.asarray(np.linalg.solve(square, down))
    except np.linalg.LinAlgError:
        return np.zeros(len(down))
