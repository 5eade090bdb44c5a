"""A lens that is open: how far out of focus it draws things at a distance.

A thin lens of radius a, focused on the plane z_f along its axis, spreads a point at z over a disc of the radius
a f |1/z − 1/z_f| in the picture, f being the focal length in pixels. (Potmesil & Chakravarty 1982, DOI
10.1145/357299.357300, for z_f much longer than the focal length.)
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole

NEAREST_M = 0.05

__all__ = ["Lens", "axis_depth"]


@dataclass(frozen=True)
class Lens:
    """The radius of its opening, and how far along the camera's axis it is focused [m]."""

    radius_m: float
    focus_m: float

    def disc_px(self, camera: Pinhole, depth_m: ArrayLike) -> Array:
        """The radius of the disc over which points at depths along the axis are spread, in the camera's picture."""
        depth = np.maximum(np.asarray(depth_m, float), NEAREST_M)
        return np.asarray(self.radius_m * camera.focal_px * np.abs(1 / depth - 1 / self.focus_m))


def axis_depth(camera: Pinhole, points: Array) -> Array:
    """How far world points (N, 3) are along the camera's axis [m], (N,)."""
    return np.asarray((points - camera.position) @ camera.rotation[2])
