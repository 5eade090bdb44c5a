"""A 3D model as plain data: triangles in metres, z up, with physically based materials.

The terms of a material are those of glTF 2.0 and its ratified extensions (Khronos), whatever file it came from:
open, documented, and what other formats are turned into with the least loss.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats

Wrap = Literal["repeat", "clamp", "mirror"]
# From y up to z up, for points as columns.
Y_TO_Z = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
Turn = tuple[tuple[float, float, float], tuple[float, float, float]]
STRAIGHT: Turn = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
# How the metres of a model are known: the file or its format says so, its size suggests it, or nothing does.
UnitSource = Literal["file", "guess"]

__all__ = [
    "MISSING",
    "STRAIGHT",
    "Y_TO_Z",
    "Material",
    "Model",
    "Part",
    "Texture",
    "Turn",
    "Unit",
    "UnitSource",
    "Wrap",
    "plain_name",
]


def plain_name(name: object) -> str:
    """A name out of a file as it may be shown: printable, not too long."""
    return "".join(c for c in str(name) if c.isprintable())[:200] or "unnamed"


@dataclass(frozen=True)
class Texture:
    """A picture on a surface.

    Attributes
    ----------
    values : (H, W, 3) linear colours or a normal map in 0..1, or (H, W) numbers; the first row lies at v = 0.
    turn : (2, 3) from a part's uv to the picture's: what repeats, turns and shifts it.
    wrap : what lies beyond its borders.
    smooth : between its pixels linearly; else each is a square.
    """

    values: Floats
    turn: Turn = STRAIGHT
    wrap: Wrap = "repeat"
    smooth: bool = True


_STRIPES = np.add.outer(np.arange(32), np.arange(32))[..., None] % 32 < 10
# What is shown for a picture that could not be had: slanting stripes that nobody takes for a finish.
MISSING = Texture(
    np.where(_STRIPES, [0.42, 0.09, 0.03], [0.75, 0.72, 0.66]).astype(np.float32),
    ((6.0, 0.0, 0.0), (0.0, 6.0, 0.0)),
)


@dataclass(frozen=True)
class Material:
    """What a part is made of; a value with a `Texture` is that texture alone, factors are in it already.

    Attributes
    ----------
    base_colour : (3,) linear.
    opacity : 1 is there, 0 is not; for cut-outs and veils, not for glass.
    normal : a normal map in tangent space.
    emission : (3,) linear, beside white paint in full light (1).
    transmission : how much light passes as through glass; `ior` bends it where `thickness_m` is above 0.
    attenuation_colour, attenuation_m : what is left of white light after so many metres within.
    coat, coat_roughness : a clear lacquer over it.
    sheen_colour, sheen_roughness : light caught by fibres at grazing angles.
    specular, specular_colour : strength and tint of what a dielectric mirrors (1: by Fresnel's equations at `ior`).
    anisotropy, anisotropy_turn_deg : how much rougher it is one way, and which: anticlockwise from the uv's first axis.
    diffuse_transmission : how much of the light that is not mirrored goes through, scattered (paper, wax).
    unlit : shines with its base colour whatever the light.
    under : what shows where this one's opacity lets it: a print on glass, or one that repeats over a pattern.
    missing : names of textures that could not be had: such a material is shown as unfinished.
    """

    name: str
    base_colour: Floats | Texture
    roughness: float | Texture = 1.0
    metallic: float | Texture = 0.0
    opacity: float | Texture = 1.0
    normal: Texture | None = None
    emission: Floats | Texture | None = None
    transmission: float | Texture = 0.0
    ior: float = 1.5
    thickness_m: float = 0.0
    attenuation_colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    attenuation_m: float = np.inf
    coat: float = 0.0
    coat_roughness: float = 0.0
    sheen_colour: tuple[float, float, float] = (0.0, 0.0, 0.0)
    sheen_roughness: float = 0.0
    specular: float = 1.0
    specular_colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    anisotropy: float = 0.0
    anisotropy_turn_deg: float = 0.0
    unlit: bool = False
    missing: tuple[str, ...] = ()
    diffuse_transmission: float = 0.0
    under: Material | None = None


@dataclass(frozen=True)
class Part:
    """Triangles of one material: vertices (N, 3) [m], normals (N, 3), uv (N, 2), faces (M, 3).

    `colours` (N, 3), linear, are multiplied into the material's base colour where a file paints its vertices. A
    `closed` one has an inside: as glass it is solid, while an open one is a pane.
    """

    name: str
    vertices: Array
    normals: Array
    uv: Array
    faces: NDArray[np.int64]
    material: int
    colours: Floats | None = None
    closed: bool = False


@dataclass(frozen=True)
class Unit:
    """Metres that one of the file's units is, its name, and how that is known."""

    name: str = "m"
    metres: float = 1.0
    source: UnitSource = "file"


@dataclass(frozen=True)
class Model:
    """Parts with their materials.

    Attributes
    ----------
    unit : what the file's numbers were multiplied by to give metres.
    up : which of the file's axes was taken for up.
    lost : in plain words what could not be kept.
    mended : in plain words what was put right.
    """

    parts: list[Part]
    materials: list[Material]
    lost: list[str] = field(default_factory=list)
    unit: Unit = Unit()
    up: Literal["y", "z"] = "y"
    mended: list[str] = field(default_factory=list)

    @property
    def triangles(self) -> int:
        """How many triangles there are in all."""
        return sum(len(part.faces) for part in self.parts)

    def bounds(self) -> Array:
        """Lowest and highest corner, (2, 3) [m]."""
        low = np.min([part.vertices.min(0) for part in self.parts], axis=0)
        high = np.max([part.vertices.max(0) for part in self.parts], axis=0)
        return np.stack([low, high])
