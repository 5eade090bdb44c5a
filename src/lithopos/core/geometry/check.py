"""Check pieces: things of known shape and reflectance, to judge a light by. They stand on z = 0 about the origin."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.geometry.model import Material, Model, Part

if TYPE_CHECKING:
    import trimesh

RADIUS_M = 0.15
CUBE_M = 0.3
FIELD_M, GAP_M = 0.06, 0.008
GREY, WHITE, MIRROR = 0.18, 0.8, 0.9
# A chart of our own: a row of greys from black to white, then hues round the circle, dull and full.
CHART = (
    ((0.03,) * 3, (0.08,) * 3, (0.18,) * 3, (0.36,) * 3, (0.59,) * 3, (0.85,) * 3),
    (
        (0.42, 0.10, 0.08),
        (0.44, 0.24, 0.07),
        (0.42, 0.40, 0.10),
        (0.12, 0.30, 0.12),
        (0.09, 0.20, 0.38),
        (0.24, 0.12, 0.33),
    ),
    (
        (0.55, 0.04, 0.03),
        (0.62, 0.22, 0.02),
        (0.66, 0.55, 0.03),
        (0.05, 0.32, 0.06),
        (0.02, 0.10, 0.45),
        (0.30, 0.04, 0.30),
    ),
)

CheckPiece = Literal["grey ball", "mirror ball", "white cube", "colour chart"]

__all__ = ["CheckPiece", "check_piece"]


def check_piece(name: CheckPiece) -> Model:
    """A check piece as a model: matte but for the mirror, which gives back 90 % at every angle."""
    return _MAKERS[name]()


def _matte(name: str, *colour: float) -> Material:
    return Material(name, np.array(colour if len(colour) == 3 else colour * 3, np.float32), specular=0.0)


def _part(name: str, shape: trimesh.Trimesh, material: int) -> Part:
    uv = np.zeros((len(shape.vertices), 2))
    faces = np.asarray(shape.faces, np.int64)
    return Part(name, np.asarray(shape.vertices), np.asarray(shape.vertex_normals), uv, faces, material, closed=True)


def _ball(material: Material) -> Model:
    import trimesh  # here: it is slow to load, and the server starts without

    shape = trimesh.creation.icosphere(subdivisions=5, radius=RADIUS_M)
    normals = shape.vertices / RADIUS_M
    part = _part("ball", shape, 0)
    lifted = part.vertices + [0, 0, RADIUS_M]
    return Model([Part("ball", lifted, normals, part.uv, part.faces, 0, closed=True)], [material])


def _cube() -> Model:
    return Model([_plate("cube", (0.0, 0.0, CUBE_M / 2), (CUBE_M,) * 3, 0)], [_matte("white", WHITE)])


def _chart() -> Model:
    """The fields on a dark plate that stands upright."""
    rows, columns = len(CHART), len(CHART[0])
    pitch = FIELD_M + GAP_M
    wide, tall = columns * pitch + GAP_M, rows * pitch + GAP_M
    materials = [_matte("plate", 0.05)]
    parts = [_plate("plate", (0.0, 0.006, tall / 2), (wide, 0.012, tall), 0)]
    for row, colours in enumerate(CHART):
        for column, colour in enumerate(colours):
            at = (-wide / 2 + GAP_M + FIELD_M / 2 + column * pitch, -0.001, tall - GAP_M - FIELD_M / 2 - row * pitch)
            parts.append(_plate(f"field {row + 1}.{column + 1}", at, (FIELD_M, 0.002, FIELD_M), len(materials)))
            materials.append(_matte(f"field {row + 1}.{column + 1}", *colour))
    return Model(parts, materials)


def _plate(name: str, middle: tuple[float, float, float], size: tuple[float, ...], material: int) -> Part:
    import trimesh

    box = trimesh.creation.box(extents=size)
    box.apply_translation(middle)
    box.unmerge_vertices()
    return _part(name, box, material)


def _mirror() -> Floats:
    return np.full(3, MIRROR, np.float32)


_MAKERS: dict[CheckPiece, Callable[[], Model]] = {
    "grey ball": lambda: _ball(_matte("grey", GREY)),
    "mirror ball": lambda: _ball(Material("mirror", _mirror(), roughness=0.0, metallic=1.0)),
    "white cube": _cube,
    "colour chart": _chart,
}
