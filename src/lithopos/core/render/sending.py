"""Light sent out from the sun and from lamps towards what gathers it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.geometry.model import Material, Part, Texture
from lithopos.core.light.dome import DISC_ROWS
from lithopos.core.light.near import Ball, Beam, Shaft, near_irradiance
from lithopos.core.render.scene import Environment, Scene, StoodModel
from lithopos.core.render.translate.models import CLEAR
from lithopos.core.render.translate.shaft import SHORT_M, through_opening

DULL_GLASS, DULL_METAL = 0.6, 0.3  # a roughness from which nothing is gathered that could be seen as such
EMITTED_M = 200.0  # how far off sunlight is sent out: beyond what may stand in its way
CELLS = 96  # across what gathers light, seen from where it comes
PIXELS_BESIDE = 2.0  # of a panorama, about the sun that is drawn into it: a little wider than it is
NEAREST = 0.2  # of the way to what gathers: a lamp nearer to any of it than that is left to luck
TOUCHING = 1e-4  # of a light's way: beside the lamp that it comes from

__all__ = [
    "Aim",
    "Cone",
    "Lamp",
    "Source",
    "aimed",
    "casters",
    "emitter_numbers",
    "sent",
    "sources_of",
    "square_to",
    "sun_cone",
]


@dataclass(frozen=True)
class Cone:
    """Directions within an angle [rad] of the one to the sun, whose light is traced from there."""

    to_sun: Array
    half: float

    def ways(self) -> Array:
        """Directions (5, 3) that stand for all: the middle, and four at two thirds of the angle."""
        one, two = square_to(self.to_sun)
        aside = np.tan(self.half * 2 / 3) * np.array([np.zeros(3), one, -one, two, -two])
        ways = self.to_sun + aside
        return np.asarray(ways / np.linalg.norm(ways, axis=1, keepdims=True))


@dataclass(frozen=True)
class Lamp:
    """A small light in the place, by its name in the loaded scene."""

    name: str
    light: Ball | Beam


Source = Cone | Lamp


@dataclass(frozen=True)
class Aim:
    """Cells before all that gathers light, square to the way from where it comes.

    Attributes
    ----------
    axis : (3,) unit vector towards the source; corners : (N, 3) of the cells; across, up : their sides (3,) [m];
    area : of all cells together [m²].
    """

    axis: Array
    corners: Array
    across: Array
    up: Array
    area: float


def casters(scene: Scene) -> list[tuple[str, StoodModel, Part]]:
    """Parts of models that gather or throw light, with their names in the loaded scene."""
    return [
        (f"model{number}part{index}", thing, part)
        for number, thing in enumerate(scene.models)
        if thing.casts
        for index, part in enumerate(thing.model.parts)
        if _gathers(thing.model.materials[part.material], part.closed)
    ]


def _gathers(material: Material, closed: bool) -> bool:
    while material.under is not None:
        material = material.under
    if isinstance(material.transmission, Texture) or isinstance(material.metallic, Texture) or material.unlit:
        return False
    rough = material.roughness
    dull = float(rough.values.mean()) if isinstance(rough, Texture) else rough
    if material.transmission > 0.5:
        solid = closed and material.thickness_m > 0
        return dull < DULL_GLASS and (solid or dull >= CLEAR)  # straight through a clear pane is no gathering
    return material.metallic > 0.5 and dull <= DULL_METAL


def sources_of(scene: Scene) -> list[tuple[Source, float]]:
    """What light is gathered of, with the share of paths that each is worth: by what it gives there."""
    parts = casters(scene)
    if not parts:
        return []
    points = np.concatenate(_corners(parts))
    middle = (points.min(0) + points.max(0)) / 2
    found: list[tuple[Source, float]] = []
    cone = sun_cone(scene)
    if cone is not None:
        found.append((cone, 1.0))
    named = [*((f"light{n}", light) for n, light in enumerate(scene.lights))]
    named += [*((f"added{n}", light) for n, light in enumerate(scene.added))]
    lamps: list[tuple[Source, float]] = []
    for name, light in named:
        if isinstance(light, Ball | Beam) and _clear_of(light, points, middle):
            towards = (light.middle - middle) / np.linalg.norm(light.middle - middle)
            given = float(near_irradiance(light, middle, towards).mean())
            lamps.append((Lamp(name, light), given))
    total = sum(given for _, given in lamps)
    # Beside the sun lamps are hardly seen.
    found += [(lamp, given / total * (1 if cone is None else 0.25)) for lamp, given in lamps if given > 0.02 * total]
    whole = sum(share for _, share in found)
    return [(source, share / whole) for source, share in found]


def _clear_of(light: Ball | Beam, points: Array, middle: Array) -> bool:
    """Whether all that gathers lies before a lamp, and well away from it."""
    way = light.middle - middle
    away = float(np.linalg.norm(way))
    nearest = float(((light.middle - points) @ way).min()) / max(away, 1e-9)
    return nearest > max(NEAREST * away, 2 * light.radius_m)


def sun_cone(scene: Scene, beside: float = PIXELS_BESIDE) -> Cone | None:
    """The sun of a scene, wider than it is by so many pixels of what it is drawn into; None if none shines."""
    if scene.let_in is not None:
        return Cone(scene.let_in.sun, float(np.radians(scene.let_in.width_deg / 2)))
    if scene.sun is None:
        return None
    found = [(day.sun_width_deg, np.pi / DISC_ROWS) for day in scene.days if day.sun_strength > 0]
    found += [
        (light.sun_width_deg, np.pi / len(light.radiance))
        for light in scene.lights
        if isinstance(light, Environment) and light.sun is not None
    ]
    width_deg, pixel = found[0]
    return Cone(scene.sun, float(np.radians(width_deg / 2) + beside * pixel))


def aimed(scene: Scene, source: Source) -> Aim:
    """Where light of a source is sent so that it meets all that gathers it, and little else."""
    parts = casters(scene)
    seen = _corners(parts)
    every = np.concatenate(seen)
    if isinstance(source, Cone):
        axis = source.to_sun
        depth = every @ axis
        origin = axis * (depth.min() + depth.max()) / 2
        # From the middle of their depth slanting rays stray by this much.
        stray = np.ptp(depth) / 2 * np.tan(source.half)
        one, two = square_to(axis)
        flat = [points @ np.stack([one, two], 1) for points in seen]
    else:
        middle = source.light.middle
        way = middle - (every.min(0) + every.max(0)) / 2
        away = float(np.linalg.norm(way))
        axis = way / away
        origin = middle - way
        depth = (middle - every) @ axis
        stray = source.light.radius_m * float((np.abs(away - depth) / depth).max())
        one, two = square_to(axis)
        flat = [
            (points - middle) @ np.stack([one, two], 1) * (away / ((middle - points) @ axis))[:, None]
            for points in seen
        ]
    corners, size = _cells(flat, [part.faces for _, _, part in parts], stray)
    placed = origin + corners @ np.stack([one, two])
    return Aim(axis, placed, one * size, two * size, len(placed) * size * size)


def _corners(parts: Sequence[tuple[str, StoodModel, Part]]) -> list[Array]:
    """The vertices of parts where they stand, (N, 3) each."""
    return [part.vertices @ thing.matrix[:3, :3].T + thing.matrix[:3, 3] for _, thing, part in parts]


def _cells(flat: Sequence[Array], faces: Sequence[NDArray[np.int64]], stray: float) -> tuple[Array, float]:
    """Lower left corners (N, 2) of cells that triangles reach in a plane, or come near by `stray`, and their size."""
    every = np.concatenate(flat)
    low, high = every.min(0), every.max(0)
    size = max(float((high - low).max()) / CELLS, 1e-5)
    strays = int(np.ceil(stray / size)) + 1
    start = low - size * (strays + 1)
    shape = (np.ceil((high - start) / size).astype(int) + strays + 2)[::-1]
    cells = np.zeros(shape, np.uint8)
    for points, triangles in zip(flat, faces, strict=True):
        _mark(cells, (points - start) / size, triangles)
    grown = cv2.dilate(cells, np.ones((2 * strays + 1, 2 * strays + 1), np.uint8))
    row, column = np.nonzero(grown)
    return np.column_stack([start[0] + column * size, start[1] + row * size]), size


def _mark(cells: NDArray[np.uint8], points: Array, faces: NDArray[np.int64]) -> None:
    """Mark cells that triangles reach: by their corners, and all of the box about a larger one."""
    at = np.clip(points.astype(int), 0, np.array(cells.shape)[::-1] - 1)
    cells[at[:, 1], at[:, 0]] = 1
    low, high = at[faces].min(1), at[faces].max(1)
    for (x0, y0), (x1, y1) in zip(*(part[(high - low).max(1) > 1] for part in (low, high)), strict=True):
        cells[y0 : y1 + 1, x0 : x1 + 1] = 1


def square_to(way: Array) -> tuple[Array, Array]:
    """Two directions square to one and to each other, the first of them level."""
    one = np.cross([0.0, 0, 1], way) if abs(way[2]) < 0.999 else np.array([1.0, 0, 0])
    one = one / np.linalg.norm(one)
    two = np.cross(way, one)
    return one, two / np.linalg.norm(two)


def sent(mi: Any, loaded: Any, aim: Aim, source: Source, let_in: Shaft | None, count: int, rng: Any) -> tuple[Any, Any]:
    """So many rays from a source through the cells of an aim, in the renderer, with the flux (3,) of each if there were
    no others.
    """
    import drjit as dr

    corners = [mi.Float(np.ascontiguousarray(aim.corners[:, i], np.float32)) for i in range(3)]
    cells = dr.opaque(mi.UInt32, len(aim.corners))
    cell = dr.minimum(mi.UInt32(rng.next_float32() * mi.Float(cells)), cells - 1)
    u, v = rng.next_float32(), rng.next_float32()
    start = mi.Point3f(*[dr.gather(mi.Float, corner, cell) for corner in corners])
    start += u * mi.Vector3f(*_figures(mi, aim.across)) + v * mi.Vector3f(*_figures(mi, aim.up))
    area = _figure(mi, aim.area)
    if isinstance(source, Lamp):
        way, away, flux = _from_lamp(mi, _emitter(loaded, source.name), start, rng)
        flux *= area * dr.maximum(dr.dot(way, mi.Vector3f(*_figures(mi, aim.axis))), 0)
    else:
        way, away, flux = _from_sun(mi, loaded, source, let_in, start, count, rng)
        flux *= area
    return mi.Ray3f(start + way * away, -way), flux


def _from_lamp(mi: Any, emitter: Any, start: Any, rng: Any) -> tuple[Any, Any, Any]:
    """Ways from places to points of a lamp, how far these are, and what they give a surface that faces them."""
    import drjit as dr

    two = mi.Point2f(rng.next_float32(), rng.next_float32())
    there = dr.zeros(mi.SurfaceInteraction3f, dr.width(start))
    there.p = start
    towards, weight = emitter.sample_direction(there, two)
    return towards.d, towards.dist * (1 - TOUCHING), mi.Color3f(weight)


def _from_sun(
    mi: Any, loaded: Any, cone: Cone, let_in: Shaft | None, start: Any, count: int, rng: Any
) -> tuple[Any, Any, Any]:
    """As `_from_lamp`, through the sun's own disc; weighed by the slope of its ways to the one to its middle."""
    import drjit as dr

    rise = 1 - rng.next_float32() * _figure(mi, 1 - np.cos(cone.half))
    turn = rng.next_float32() * (2 * dr.pi)
    aside = dr.sqrt(dr.maximum(1 - rise * rise, 0))
    one, two = (mi.Vector3f(*_figures(mi, way)) for way in square_to(cone.to_sun))
    way = rise * mi.Vector3f(*_figures(mi, cone.to_sun)) + aside * (dr.cos(turn) * one + dr.sin(turn) * two)
    if let_in is None:
        far = dr.zeros(mi.SurfaceInteraction3f, count)
        far.wi = -way
        solid_angle = 2 * np.pi * (1 - np.cos(cone.half))
        return way, mi.Float(EMITTED_M), mi.Color3f(loaded.environment().eval(far) * (_figure(mi, solid_angle) * rise))
    openings = [[mi.Point3f(*_figures(mi, corner)) for corner in opening] for opening in let_in.openings]
    away = through_opening(mi, dr, openings, start, way)
    comes = away < dr.inf
    flux = mi.Color3f(*_figures(mi, np.asarray(let_in.irradiance, float))) * rise
    return way, dr.select(comes, away - SHORT_M, 0), dr.select(comes, flux, 0)


def _emitter(loaded: Any, name: str) -> Any:
    """The emitter of a scene by its name: of a shape that shines, or one without a shape."""
    for shape in loaded.shapes():
        if shape.id() == name:
            return shape.emitter()
    return next(emitter for emitter in loaded.emitters() if emitter.id() == name)


def emitter_numbers(mi: Any, loaded: Any, names: Sequence[str]) -> Floats:
    """1 at the renderer's numbers of the emitters so named, else 0, as long as the scene has numbers."""
    import drjit as dr

    def number(emitter: Any) -> int:
        found: Any = dr.reinterpret_array(mi.UInt32, mi.EmitterPtr(emitter))
        return int(found[0])

    marked = np.zeros(max(map(number, loaded.emitters())) + 1, np.float32)
    marked[[number(_emitter(loaded, name)) for name in names]] = 1
    return marked


def _figure(mi: Any, value: float) -> Any:  # not a part of the kernel, which is found again for other figures
    import drjit as dr

    return dr.opaque(mi.Float, float(value))


def _figures(mi: Any, values: Array) -> list[Any]:
    return [_figure(mi, value) for value in values]
