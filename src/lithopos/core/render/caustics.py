"""Light that glass gathers and metal throws onto the place, traced from the sun on.

A path that leaves the camera finds the sun through glass only by luck, so those that run from the sun over glass or
bright metal to a flat receiver are traced from the sun (Arvo 1986, "Backward Ray Tracing") and put down as irradiance
on the receiver's plane (Jensen 1996, "Global Illumination using Photon Maps", section 4: here without a tree, since
receivers are flat). `render.paths` leaves out just those paths, and adds the irradiance where it meets the receiver:
directly, through glass, and as light that is thrown on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import luminance
from lithopos.core.geometry.model import Material, Part, Texture
from lithopos.core.light.dome import DISC_ROWS
from lithopos.core.light.near import Shaft
from lithopos.core.place.receiver import Patch
from lithopos.core.render.absorption import absorbing, crossed, left_after, table_of
from lithopos.core.render.scene import Environment, Scene, StoodModel
from lithopos.core.render.translate.models import CLEAR
from lithopos.core.render.translate.shaft import SHORT_M, through_opening

MOST_BOUNCES = 8
DULL_GLASS, DULL_METAL = 0.6, 0.3  # a roughness from which nothing is gathered that could be seen as such
EMITTED_M = 200.0  # how far off light is sent out: beyond what may stand in its way
CELLS = 96  # across what gathers light, seen from the sun
PHOTONS_A_CELL, MOST_CELLS = 2, 1024
ENOUGH = 48  # hits that a cell's mean is taken over, from as near as they are found
NEAR, COARSEST = 0.8, 8  # cells
LAUNCH = 1 << 20
TAILS = 0.002  # of what lands on a plane, on each side, which is too far off to be kept
LEAST_SEEN = 0.005  # of the place's light
PIXELS_BESIDE = 2.0  # of a panorama, about the sun that is drawn into it: a little wider than it is

__all__ = ["Cone", "Irradiance", "casters", "lit_places", "looped", "shape_names", "sun_cone", "traced"]


@dataclass(frozen=True)
class Cone:
    """Directions within an angle [rad] of the one to the sun, whose light is traced from there."""

    to_sun: Array
    half: float

    def ways(self) -> Array:
        """Directions (5, 3) that stand for all: the middle, and four at two thirds of the angle."""
        one, two = _square_to(self.to_sun)
        aside = np.tan(self.half * 2 / 3) * np.array([np.zeros(3), one, -one, two, -two])
        ways = self.to_sun + aside
        return np.asarray(ways / np.linalg.norm(ways, axis=1, keepdims=True))


@dataclass(frozen=True)
class Irradiance:
    """What lands on a part of a plane.

    Attributes
    ----------
    shape : the receiver's patch, by its name in the loaded scene.
    origin, across, down : a corner (3,) and both sides (3,) of the part [m].
    values : (rows, columns, 3) irradiance.
    """

    shape: str
    origin: Array
    across: Array
    down: Array
    values: Floats


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


def traced(mi: Any, loaded: Any, scene: Scene, cone: Cone, photons: int, seed: int) -> list[Irradiance]:
    """Irradiance by what gathers the sun's light, on each flat receiver that it reaches.

    Parameters
    ----------
    loaded : the renderer's scene with the models.
    photons : how many paths are sent out.
    """
    gathering = casters(scene)
    aim = _aim(gathering, cone)
    planes = {
        f"receiver{number}patch{index}": patch
        for number, receiver in enumerate(scene.receivers)
        if receiver.receives
        for index, patch in enumerate(receiver.patches)
        if patch.normals is None
    }
    if aim is None or not planes:
        return []
    names = shape_names(mi, loaded)
    passes_on = np.zeros(max(names, default=0) + 1, np.float32)
    passes_on[[number for number, name in names.items() if name in {part for part, _, _ in gathering}]] = 1
    tables = passes_on, table_of(mi, names, absorbing(scene))
    launches = range(0, photons, LAUNCH)
    parts = [
        _landed(mi, loaded, aim, (cone, scene.let_in), min(LAUNCH, photons - first), seed + 7919 * number, *tables)
        for number, first in enumerate(launches)
    ]
    places, flux, shapes = (np.concatenate([part[i] for part in parts]) for i in range(3))
    flux *= np.float32(1 / photons)
    found = []
    for number, name in names.items():
        here = shapes == number
        if name in planes and np.count_nonzero(here) > ENOUGH:
            found.append(_laid_down(name, planes[name], places[here], flux[here]))
    return found


def lit_places(maps: list[Irradiance], light: Floats) -> Array:
    """Places (N, 3) that get enough to be seen beside the place's own light (3,)."""
    found = [np.zeros((0, 3))]
    for one in maps:
        rows, columns = one.values.shape[:2]
        small = cv2.resize(one.values, (min(columns, 64), min(rows, 64)), interpolation=cv2.INTER_AREA)
        bright = luminance(small) > LEAST_SEEN * float(luminance(light))
        y, x = np.nonzero(bright)
        across, down = (x + 0.5) / small.shape[1], (y + 0.5) / small.shape[0]
        found.append(one.origin + across[:, None] * one.across + down[:, None] * one.down)
    return np.concatenate(found)


# Sending out


@dataclass(frozen=True)
class _Aim:
    """Cells square to the sun's direction before everything that gathers light: corners (N, 3), sides, area [m²]."""

    corners: Array
    across: Array
    up: Array
    area: float


def _aim(parts: list[tuple[str, StoodModel, Part]], cone: Cone) -> _Aim | None:
    """None if there is nothing to aim at."""
    if not parts:
        return None
    one, two = _square_to(cone.to_sun)
    axes = np.stack([one, two, cone.to_sun], 1)
    seen = [(part.vertices @ thing.matrix[:3, :3].T + thing.matrix[:3, 3]) @ axes for _, thing, part in parts]
    every = np.concatenate(seen)
    low, high = every.min(0), every.max(0)
    size = max(float((high - low)[:2].max()) / CELLS, 1e-5)
    # From the middle of their depth slanting rays stray by this much.
    strays = int(np.ceil((high[2] - low[2]) / 2 * np.tan(cone.half) / size)) + 1
    start = low[:2] - size * (strays + 1)
    shape = (np.ceil((high[:2] - start) / size).astype(int) + strays + 2)[::-1]
    cells = np.zeros(shape, np.uint8)
    for points, (_, _, part) in zip(seen, parts, strict=True):
        _mark(cells, (points[:, :2] - start) / size, part.faces)
    grown = cv2.dilate(cells, np.ones((2 * strays + 1, 2 * strays + 1), np.uint8))
    row, column = np.nonzero(grown)
    middle = (low[2] + high[2]) / 2
    corners = np.column_stack([start[0] + column * size, start[1] + row * size, np.full(len(row), middle)])
    return _Aim(corners @ axes.T, one * size, two * size, len(row) * size * size)


def _mark(cells: NDArray[np.uint8], points: Array, faces: Any) -> None:
    """Mark cells that triangles reach: by their corners, and all of the box about a larger one."""
    at = np.clip(points.astype(int), 0, np.array(cells.shape)[::-1] - 1)
    cells[at[:, 1], at[:, 0]] = 1
    low, high = at[faces].min(1), at[faces].max(1)
    for (x0, y0), (x1, y1) in zip(*(part[(high - low).max(1) > 1] for part in (low, high)), strict=True):
        cells[y0 : y1 + 1, x0 : x1 + 1] = 1


def _square_to(way: Array) -> tuple[Array, Array]:
    """Two directions square to one and to each other, the first of them level."""
    one = np.cross([0.0, 0, 1], way) if abs(way[2]) < 0.999 else np.array([1.0, 0, 0])
    one = one / np.linalg.norm(one)
    two = np.cross(way, one)
    return one, two / np.linalg.norm(two)


def shape_names(mi: Any, loaded: Any) -> dict[int, str]:
    """Names of shapes by the renderer's numbers."""
    import drjit as dr

    numbers: Any = [dr.reinterpret_array(mi.UInt32, mi.ShapePtr(shape)) for shape in loaded.shapes()]
    return {int(number[0]): shape.id() for number, shape in zip(numbers, loaded.shapes(), strict=True)}


@cache
def looped(function: Callable[..., Any]) -> Any:
    """A function whose loops run in the renderer, for each lane on its own; it is handed all that it uses."""
    import drjit as dr

    return dr.syntax(function)


def _walked(mi: Any, dr: Any, loaded: Any, ray: Any, flux: Any, rng: Any, passes_on: Any, absorbed: Any) -> Any:
    """Where light from the sun (3,) with its flux meets something that does not pass it on, and which shape that is."""
    context = mi.BSDFContext(mi.TransportMode.Importance)
    active, bounced, depth = mi.Bool(True), mi.Bool(False), mi.UInt32(0)
    place, shape, within = mi.Point3f(0), mi.UInt32(0), mi.Color3f(0)
    while active:
        hit = loaded.ray_intersect(ray, active)
        active &= hit.is_valid()
        if dr.hint(absorbed is not None, mode="scalar"):
            flux *= left_after(dr, within, hit, active)
        number = dr.reinterpret_array(mi.UInt32, hit.shape)
        gathers = active & (dr.gather(mi.Float, passes_on, number, active) > 0)
        ends = active & ~gathers & bounced
        place[ends] = hit.p
        shape[ends] = number
        active &= gathers
        one = rng.next_float32(active)
        two = mi.Point2f(rng.next_float32(active), rng.next_float32(active))
        way, weight = hit.bsdf().sample(context, hit, one, two, active)
        flux[active] = flux * weight
        if dr.hint(absorbed is not None, mode="scalar"):
            within = crossed(mi, dr, absorbed, within, number, way, active)
        ray[active] = hit.spawn_ray(hit.to_world(way.wo))
        bounced |= active
        depth += 1
        active &= (depth < MOST_BOUNCES) & (dr.max(flux) > 0)
    return place, flux, shape


def _landed(
    mi: Any,
    loaded: Any,
    aim: _Aim,
    sun: tuple[Cone, Shaft | None],
    count: int,
    seed: int,
    passes_on: Floats,
    absorbed: Any,
) -> tuple[Array, Floats, NDArray[np.uint32]]:
    """Where light lands (N, 3), with its flux (N, 3), on which shape (N,)."""
    import drjit as dr

    cone, let_in = sun

    def figure(value: float) -> Any:  # not a part of the kernel, which is found again for other figures
        return dr.opaque(mi.Float, float(value))

    def figures(values: Array) -> list[Any]:
        return [figure(value) for value in values]

    a, b = mi.sample_tea_32(dr.arange(mi.UInt32, count), dr.opaque(mi.UInt32, seed), 6)
    rng = mi.PCG32(size=1, initstate=mi.UInt64(a), initseq=mi.UInt64(b))
    corners = [mi.Float(np.ascontiguousarray(aim.corners[:, i], np.float32)) for i in range(3)]
    cells = dr.opaque(mi.UInt32, len(aim.corners))
    cell = dr.minimum(mi.UInt32(rng.next_float32() * mi.Float(cells)), cells - 1)
    u, v = rng.next_float32(), rng.next_float32()
    start = mi.Point3f(*[dr.gather(mi.Float, corner, cell) for corner in corners])
    start += u * mi.Vector3f(*figures(aim.across)) + v * mi.Vector3f(*figures(aim.up))
    rise = 1 - rng.next_float32() * figure(1 - np.cos(cone.half))
    turn = rng.next_float32() * (2 * dr.pi)
    aside = dr.sqrt(dr.maximum(1 - rise * rise, 0))
    one, two = (mi.Vector3f(*figures(way)) for way in _square_to(cone.to_sun))
    way = rise * mi.Vector3f(*figures(cone.to_sun)) + aside * (dr.cos(turn) * one + dr.sin(turn) * two)
    if let_in is None:
        far = dr.zeros(mi.SurfaceInteraction3f, count)
        far.wi = -way
        solid_angle = 2 * np.pi * (1 - np.cos(cone.half))
        flux = mi.Color3f(loaded.environment().eval(far) * (figure(aim.area * solid_angle) * rise))
        away = mi.Float(EMITTED_M)
    else:
        openings = [[mi.Point3f(*figures(corner)) for corner in opening] for opening in let_in.openings]
        away = through_opening(mi, dr, openings, start, way)
        comes = away < dr.inf
        flux = mi.Color3f(*figures(np.asarray(let_in.irradiance, float))) * (figure(aim.area) * rise)
        flux = dr.select(comes, flux, 0)
        away = dr.select(comes, away - SHORT_M, 0)
    ray = mi.Ray3f(start + way * away, -way)
    found = looped(_walked)(mi, dr, loaded, ray, flux, rng, mi.Float(passes_on), absorbed)
    dr.eval(found)  # all three at once, or each would be walked for on its own
    where, flux, shape = found
    shapes = np.array(shape, np.uint32)
    kept = shapes > 0
    return np.array(where).T[kept], np.array(flux, np.float32).T[kept], shapes[kept]


# Putting down


def _laid_down(shape: str, patch: Patch, places: Array, flux: Floats) -> Irradiance:
    """Irradiance on a patch's plane from what landed at places (N, 3) with a flux (N, 3)."""
    corners = patch.vertices[patch.faces[0]]
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    one, two = _square_to(normal / np.linalg.norm(normal))
    flat = (places - corners[0]) @ np.stack([one, two], 1)
    low, high = np.quantile(flat, [TAILS, 1 - TAILS], axis=0)
    core = np.ptp(np.quantile(flat, [0.1, 0.9], axis=0), axis=0)
    # As fine as the denser part bears.
    cell = float(np.sqrt(max(core.prod(), 1e-8) * PHOTONS_A_CELL / (0.64 * len(flat))))
    low, high = low - 4 * cell, high + 4 * cell
    cell = max(cell, float((high - low).max()) / MOST_CELLS)
    columns, rows = np.ceil((high - low) / cell).astype(int)
    column, row = np.floor((flat - low) / cell).astype(int).T
    inside = (column >= 0) & (row >= 0) & (column < columns) & (row < rows)
    index = row[inside] * columns + column[inside]
    layers = [np.bincount(index, weights, rows * columns) for weights in (*flux[inside].T, None)]
    sums = np.stack(layers, 1).reshape(rows, columns, 4).astype(np.float32)
    values = _smoothed(sums) / np.float32(cell * cell)
    origin = corners[0] + low[0] * one + low[1] * two
    return Irradiance(shape, origin, columns * cell * one, rows * cell * two, values)


def _smoothed(sums: Floats) -> Floats:
    """Flux a cell (R, C, 3) of sums (R, C, 4) whose last channel counts: each over as many hits as are enough.

    Where a cell and those about it have too few, the same of a grid twice as coarse stands in; between, both.
    """
    rows, columns = sums.shape[:2]
    wide = cv2.GaussianBlur(sums, (0, 0), NEAR, borderType=cv2.BORDER_CONSTANT)
    if min(rows, columns) < COARSEST:
        return np.asarray(wide[..., :3])
    even = cv2.copyMakeBorder(sums, 0, rows % 2, 0, columns % 2, cv2.BORDER_CONSTANT)
    size = (even.shape[1] // 2, even.shape[0] // 2)
    coarse = _smoothed(4 * cv2.resize(even, size, interpolation=cv2.INTER_AREA)) / 4
    coarse = cv2.resize(coarse, even.shape[1::-1], interpolation=cv2.INTER_LINEAR)[:rows, :columns]
    # Hits that a Gaussian mean of this width counts for; told from farther round, or cells that have many by chance
    # would be kept, and those that have few not.
    about = cv2.GaussianBlur(sums[..., 3], (0, 0), 4 * NEAR, borderType=cv2.BORDER_CONSTANT)
    hits = about[..., None] * (4 * np.pi * NEAR**2)
    share = np.clip(2 - hits / ENOUGH, 0, 1)
    return np.asarray(wide[..., :3] * (1 - share) + coarse * share, np.float32)
