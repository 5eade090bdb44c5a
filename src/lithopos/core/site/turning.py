"""Turns about the plumb line, which all of a site's frames share."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array

__all__ = ["about_plumb"]


def about_plumb(angle: float) -> Array:
    """The turn (3, 3) by an angle [rad], anticlockwise from above."""
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])
