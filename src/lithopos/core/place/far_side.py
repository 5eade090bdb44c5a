"""The side of a flat thing that looks away from the camera: as bright as its light is, beside the side that is seen.

A roof's underside or a wall's back is of the stuff that the photograph shows of it, but seldom in the same light.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.place.shading import Solids

OFF_M = 0.02
LEAST, MOST = 0.02, 50.0  # of a ratio: light that is hardly there divides nothing

__all__ = ["FarSides"]


@dataclass(frozen=True)
class FarSides:
    """The far sides of solids' faces, which look towards the camera, or outwards: then nothing sees their far side.

    Attributes
    ----------
    light : what falls on white by its unit normal (3,), with the sun or without it, (3,).
    """

    solids: Solids
    light: Callable[[Array, bool], Array]

    def beside_near(self, ways: Array, numbers: Array) -> Array:
        """What rays (M, 3) that meet faces of given numbers (M,) see, beside what these show: (M, 3)."""
        behind = np.einsum("ij,ij->i", ways, self.solids.normals[numbers]) > 0
        if not behind.any():
            return np.ones((len(ways), 3))
        return np.where(behind[:, None], self._ratios[numbers], 1.0)

    @cached_property
    def _ratios(self) -> Array:
        """How bright the far side of each face is beside its near one, by channel (F, 3)."""
        normals = self.solids.normals
        middles = np.array([face.corners.mean(0) for face in self.solids.faces])
        near, far = (
            np.array([self.light(way, bool(sun)) for way, sun in zip(ways, lit, strict=True)])
            for ways, lit in ((side * normals, self.solids.lit(middles + OFF_M * side * normals)) for side in (1, -1))
        )
        return np.asarray(np.clip(far / np.maximum(near, 1e-9), LEAST, MOST))
