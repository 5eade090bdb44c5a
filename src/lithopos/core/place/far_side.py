"""The side of a flat thing that looks away from the camera: as bright as its light is, beside the side that is seen.

A roof's underside or a wall's back is of the stuff that the photograph shows of it, but seldom in the same light.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.place.face import Face
from lithopos.core.place.shading import Solids

OFF_M = 0.02
LEAST, MOST = 0.02, 50.0  # of a ratio: light that is hardly there divides nothing

__all__ = ["far_side", "on_its_side"]


def far_side(faces: Sequence[Face], solids: Solids, light: Callable[[Array, bool], Array]) -> Array:
    """How bright the far side of each face is beside its near one, by channel (F, 3).

    Parameters
    ----------
    faces : as `solids.Solid` has them: towards the camera, or outwards; then nothing sees the far side.
    solids : of these faces, which keep the sun from one another.
    light : on white by its unit normal (3,), with the sun or without it, (3,).
    """
    found = np.ones((len(faces), 3))
    for number, face in enumerate(faces):
        normal, middle = face.normal, face.corners.mean(0)
        lit = solids.lit(middle + OFF_M * np.stack([normal, -normal]))
        near, far = (light(way, bool(sun)) for way, sun in zip((normal, -normal), lit, strict=True))
        found[number] = np.clip(far / np.maximum(near, 1e-9), LEAST, MOST)
    return found


def on_its_side(ways: Array, numbers: Array, normals: Array, far: Array) -> Array:
    """What rays (M, 3) that meet faces of given numbers (M,) see beside their near sides, (M, 3).

    Parameters
    ----------
    normals : (F, 3) of the faces.
    far : as `far_side` gives it.
    """
    behind = np.einsum("ij,ij->i", ways, normals[numbers]) > 0
    return np.where(behind[:, None], far[numbers], 1.0)
