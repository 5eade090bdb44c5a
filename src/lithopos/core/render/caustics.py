"""Light that glass gathers and metal throws onto the place, traced from where it comes on.

A path that leaves the camera finds the sun, or a small lamp, through glass only by luck, so those that run from there
over glass or bright metal to a flat part of a receiver are traced from the source (Arvo 1986, "Backward Ray Tracing")
and put down as irradiance on that part's plane (Jensen 1996, "Global Illumination using Photon Maps", section 4: here
without a tree, since each part is flat; uneven ground and bent things are many flat parts). `render.paths` leaves out
just those paths, and adds the irradiance where it meets the receiver: directly, through glass, and as light that is
thrown on.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import luminance
from lithopos.core.light.near import Shaft
from lithopos.core.place.receiver import Patch
from lithopos.core.render.absorption import absorbing, crossed, left_after, table_of
from lithopos.core.render.scene import Scene
from lithopos.core.render.sending import Aim, Source, aimed, casters, sent, square_to

MOST_BOUNCES = 8
PHOTONS_A_CELL, MOST_CELLS = 2, 1024
ENOUGH = 48  # hits that a cell's mean is taken over, from as near as they are found
NEAR, COARSEST = 0.8, 8  # cells
LAUNCH = 1 << 20
TAILS = 0.002  # of what lands on a plane, on each side, which is too far off to be kept
LEAST_SEEN = 0.005  # of the place's light
FLAT = 0.05  # of a part's size: so far its corners may lie off the first side's plane
LEAST_FILLED = 0.05  # of a cell and those about it: beyond, nothing is told
FINER = 2  # than cells is told how much of each a part fills

__all__ = ["Irradiance", "lit_places", "looped", "shape_names", "traced"]


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


def traced(
    mi: Any, loaded: Any, scene: Scene, sources: Sequence[tuple[Source, float]], photons: int, seed: int
) -> list[Irradiance]:
    """Irradiance by what gathers the light of sources, on each flat part of a receiver that it reaches.

    Parameters
    ----------
    loaded : the renderer's scene with the models.
    sources : with the share of paths for each.
    photons : how many paths are sent out.
    """
    planes = {
        f"receiver{number}patch{index}": patch
        for number, receiver in enumerate(scene.receivers)
        if receiver.receives
        for index, patch in enumerate(receiver.patches)
        if patch.normals is None or _is_flat(patch)
    }
    if not sources or not planes:
        return []
    names = shape_names(mi, loaded)
    gathering = {name for name, _, _ in casters(scene)}
    passes_on = np.zeros(max(names, default=0) + 1, np.float32)
    passes_on[[number for number, name in names.items() if name in gathering]] = 1
    tables = passes_on, table_of(mi, names, absorbing(scene))
    parts = []
    for of, (source, share) in enumerate(sources):
        aim, count = aimed(scene, source), max(round(share * photons), 1)
        for number, first in enumerate(range(0, count, LAUNCH)):
            launched = min(LAUNCH, count - first)
            own_seed = seed + 7919 * number + 104_729 * of
            places, flux, shapes = _landed(mi, loaded, aim, source, scene.let_in, launched, own_seed, *tables)
            parts.append((places, flux * np.float32(1 / count), shapes))
    places, flux, shapes = (np.concatenate([part[i] for part in parts]) for i in range(3))
    found = []
    for number, name in names.items():
        here = shapes == number
        if name in planes and np.count_nonzero(here) > ENOUGH:
            found.append(_laid_down(name, planes[name], places[here], flux[here]))
    return found


def _is_flat(patch: Patch) -> bool:
    """Whether a part of something bent is flat itself, as far as light is concerned that lands on it."""
    corners = patch.vertices
    size = float(np.ptp(corners, axis=0).max())
    one, two = corners[patch.faces[0][1:]] - corners[patch.faces[0][0]]
    normal = np.cross(one, two)
    off = (corners - corners[0]) @ normal / max(float(np.linalg.norm(normal)), 1e-12)
    return bool(np.abs(off).max() < FLAT * size)


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
    """Where light (3,) with its flux meets something that does not pass it on, and which shape that is."""
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
    aim: Aim,
    source: Source,
    let_in: Shaft | None,
    count: int,
    seed: int,
    passes_on: Floats,
    absorbed: Any,
) -> tuple[Array, Floats, NDArray[np.uint32]]:
    """Where light lands (N, 3), with its flux (N, 3), on which shape (N,)."""
    import drjit as dr

    a, b = mi.sample_tea_32(dr.arange(mi.UInt32, count), dr.opaque(mi.UInt32, seed), 6)
    rng = mi.PCG32(size=1, initstate=mi.UInt64(a), initseq=mi.UInt64(b))
    ray, flux = sent(mi, loaded, aim, source, let_in, count, rng)
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
    one, two = square_to(normal / np.linalg.norm(normal))
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
    outline = ((patch.vertices - corners[0]) @ np.stack([one, two], 1) - low) / cell
    filled = _filled(outline[patch.faces], rows, columns)
    values = _smoothed(np.concatenate([sums, filled[..., None]], -1)) / np.float32(cell * cell)
    origin = corners[0] + low[0] * one + low[1] * two
    return Irradiance(shape, origin, columns * cell * one, rows * cell * two, values)


def _filled(triangles: Array, rows: int, columns: int) -> Floats:
    """How much of each cell triangles (M, 3, 2), in cells, fill, (rows, columns)."""
    fine = np.zeros((rows * FINER, columns * FINER), np.uint8)
    # Far corners are pulled in, or the drawing's own numbers would overflow.
    bounded = np.clip(triangles * FINER - 0.5, -30_000, 30_000)  # pixels are counted by their middles
    for triangle in np.round(bounded * 16).astype(np.int64):
        cv2.fillConvexPoly(fine, triangle.astype(np.int32), 1, shift=4)
    return cv2.resize(fine.astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA)


def _smoothed(sums: Floats) -> Floats:
    """Flux a cell (R, C, 3) of sums (R, C, 5): of flux, of hits, and of how much of each cell the plane's part fills.

    Each is a mean over as many hits as are enough; where a cell and those about it have too few, the same of a grid
    twice as coarse stands in; between, both. Beyond the part's border nothing lands: a mean there is of what it fills.
    """
    rows, columns = sums.shape[:2]
    wide = cv2.GaussianBlur(sums, (0, 0), NEAR, borderType=cv2.BORDER_CONSTANT)
    fine = np.asarray(wide[..., :3] / np.maximum(wide[..., 4:], LEAST_FILLED), np.float32)
    if min(rows, columns) < COARSEST:
        return fine
    even = cv2.copyMakeBorder(sums, 0, rows % 2, 0, columns % 2, cv2.BORDER_CONSTANT)
    size = (even.shape[1] // 2, even.shape[0] // 2)
    halved = cv2.resize(even, size, interpolation=cv2.INTER_AREA) * np.array([4, 4, 4, 4, 1], np.float32)
    coarse = cv2.resize(_smoothed(halved) / 4, even.shape[1::-1], interpolation=cv2.INTER_LINEAR)[:rows, :columns]
    # Hits that a Gaussian mean of this width counts for; told from farther round, or cells that have many by chance
    # would be kept, and those that have few not.
    about = cv2.GaussianBlur(sums[..., 3:], (0, 0), 4 * NEAR, borderType=cv2.BORDER_CONSTANT)
    hits = about[..., :1] / np.maximum(about[..., 1:], LEAST_FILLED) * (4 * np.pi * NEAR**2)
    share = np.clip(2 - hits / ENOUGH, 0, 1)
    return np.asarray(fine * (1 - share) + coarse * share, np.float32)
