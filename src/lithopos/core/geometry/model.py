"""A 3D model as plain data: triangles in metres, z up, with physically based materials."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats

__all__ = ["Model", "Part", "PbrMaterial"]


@dataclass(frozen=True)
class PbrMaterial:
    """A metal/rough material; pictures are (H, W, C) with the first row at v = 0.

    Attributes
    ----------
    base_colour : (3,) linear, or a picture (H, W, 3) linear.
    roughness, metallic : numbers, or pictures (H, W).
    opacity : a number, or a picture (H, W).
    normal_map : (H, W, 3) in 0..1, tangent space, or None.
    """

    name: str
    base_colour: Floats
    roughness: float | Floats = 1.0
    metallic: float | Floats = 0.0
    opacity: float | Floats = 1.0
    normal_map: Floats | None = None


@dataclass(frozen=True)
class Part:
    """Triangles of one material: vertices (N, 3) [m], normals (N, 3), uv (N, 2), faces (M, 3)."""

    name: str
    vertices: Array
    normals: Array
    uv: Array
    faces: NDArray[np.int64]
    material: int


@dataclass(frozen=True)
class Model:
    """Parts with their materials; `lost` says in plain words what could not be kept."""

    parts: list[Part]
    materials: list[PbrMaterial]
    lost: list[str] = field(default_factory=list)

    @property
    def triangles(self) -> int:
        """How many triangles there are in all."""
        return sum(len(part.faces) for part in self.parts)

    def bounds(self) -> Array:
        """Lowest and highest corner, (2, 3) [m]."""
        low = np.min([part.vertices.min(0) for part in self.parts], axis=0)
        high = np.max([part.vertices.max(0) for part in self.parts], axis=0)
        return np.stack([low, high])
