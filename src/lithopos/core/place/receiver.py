"""A receiver: simple geometry that carries the photograph and takes shadow, reflection and bounced light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats

LEAST_REFLECTANCE, MOST_REFLECTANCE = 0.02, 0.9

__all__ = ["LEAST_REFLECTANCE", "MOST_REFLECTANCE", "Patch", "Receiver", "Sheen"]


@dataclass(frozen=True)
class Sheen:
    """What a receiver does to light besides its diffuse reflectance: a dielectric coat, as `materials` has it."""

    coat: float
    roughness: float


@dataclass(frozen=True)
class Patch:
    """A part of a receiver with a reflectance of its own.

    Attributes
    ----------
    vertices : (N, 3) [m]; uv : (N, 2), v runs with the picture's rows; faces : (M, 3).
    reflectance : (H, W, 3) linear, or (3,) the same everywhere.
    normals : (N, 3) of a bent part; None: it is flat, and the first face's is that of all.
    shines : (H, W, 3) the renderer's radiance of what no reflectance could throw back of the light that is known; None:
        of nothing.
    """

    vertices: Array
    uv: Array
    faces: NDArray[np.int64]
    reflectance: Floats
    normals: Array | None = None
    shines: Floats | None = None


@dataclass(frozen=True)
class Receiver:
    """One thing of the place, in patches.

    Attributes
    ----------
    receives : whether what it shows of the photograph takes shadow, reflection and bounced light.
    hides : whether what lies behind it is hidden by it; else models show through it as if it were not there.
    level : it is the ground or a level, without end.
    """

    name: str
    patches: tuple[Patch, ...]
    sheen: Sheen
    receives: bool = True
    hides: bool = True
    level: bool = False
