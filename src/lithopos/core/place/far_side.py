"""The side of a flat thing that looks away from the camera: as bright as its light is, beside the side that is seen.

A roof's underside or a wall's back is of the stuff that the photograph shows of it, but seldom in the same light. Told
from the middle of each side; what solids throw onto it is left out, which is little where there is little light.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.place.shading import Openness, Solids, openness

OFF_M = 0.02
RAYS = 64
LEAST, MOST = 0.02, 50.0  # of a ratio: light that is hardly there divides nothing

__all__ = ["FarSides"]


@dataclass(frozen=True)
class FarSides:
    """The far sides of solids' faces, which look towards the camera, or outwards: then nothing sees their far side.

    Attributes
    ----------
    sky : as `openness` has it.
    light : on white at a place (3,), by its unit normal (3,), whether the sun reaches it, and what it sees: (3,).
    """

    solids: Solids
    sky: Callable[[Array], Array]
    light: Callable[[Array, Array, bool, Openness], Array]

    def beside_near(self, ways: Array, numbers: Array) -> Array:
        """What rays (M, 3) that meet faces of given numbers (M,) see, beside what these show: (M, 3)."""
        behind = np.einsum("ij,ij->i", ways, self.solids.normals[numbers]) > 0
        if not behind.any():
            return np.ones((len(ways), 3))
        return np.where(behind[:, None], self._ratios[numbers], 1.0)

    @cached_property
    def _ratios(self) -> Array:
        """How bright the far side of each face is beside its near one, by channel (F, 3)."""
        return np.asarray(np.clip(self._light_on(-1) / np.maximum(self._light_on(1), 1e-9), LEAST, MOST))

    def _light_on(self, side: int) -> Array:
        """The light on the near sides (1) or the far ones (-1), (F, 3)."""
        normals = side * self.solids.normals
        places = np.array([face.corners.mean(0) for face in self.solids.faces]) + OFF_M * normals
        lit = self.solids.lit(places)
        seen = openness(places, normals, self.solids, lambda at, *_: np.zeros((len(at), 3)), self.sky, RAYS)
        return np.array([self.light(places[n], normals[n], bool(lit[n]), seen.one(n)) for n in range(len(places))])
