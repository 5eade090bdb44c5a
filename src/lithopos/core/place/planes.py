"""Level planes of the photograph as receivers: the ground, and levels above or below it.

A plane is laid out in square rings about the camera's foot, each twice as wide as the one before, as the
picture's resolution falls off with distance:

    +-------+-------+      Every field that the picture shows carries its own texture, at the
    |   +---+---+   |      resolution in which the picture shows it; the rest is as a panorama that was
    +---+ camera+---+      taken over it has it, else of the mean colour. The layout depends on the camera
    |   +---+---+   |      alone: moving a model a little changes nothing here, so that the empty place
    +-------+-------+      need not be traced again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.filling import filled
from lithopos.core.place.lookup import LEAST_TEXELS, MOST_BESIDE, MOST_TEXELS, looked_up, texels_beside, texels_of
from lithopos.core.place.matched import Matched
from lithopos.core.place.others import Other, shown_by
from lithopos.core.place.placelight import PlaceLight
from lithopos.core.place.receiver import LEAST_REFLECTANCE, MOST_REFLECTANCE, Patch, Receiver, Sheen

Rect = tuple[float, float, float, float]  # x0, y0, x1, y1 [m]

RINGS = 6
# Of reflectance, and the share of a field that is so much too bright, from which on it shines.
LEAST_OVER, LEAST_SHARE = 0.3, 5e-4
CLIPPED = 0.97  # linear
DULL = 0.5  # the least roughness of a coat under which what is bright is no mirror image
BENEATH_M, BENEATH_STEP = 10.0, 0.02  # about a panorama's lens; texels [m] there, and for each metre farther away
FAR = 60.0  # how far the plane goes on, in widths of the outermost ring

__all__ = ["Rect", "level_patch", "plane_receiver"]


def plane_receiver(
    name: str,
    linear: Floats,
    camera: Pinhole,
    *,
    height_m: float,
    mean: float,
    white: Floats,
    sheen: Sheen,
    only: Rect | None = None,
    without: tuple[Rect, ...] = (),
    light: PlaceLight | None = None,
    others: Sequence[Other] = (),
    gain: Floats | None = None,
    let_in: Callable[[Array], Floats] | None = None,
    beneath: Matched | None = None,
) -> Receiver:
    """A level plane with the photograph on it.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values.
    mean : the plane's mean reflectance.
    white : (3,) the photograph's linear values of white, level and lit.
    only : only this part of the plane.
    without : all but these parts: holes through which levels below are seen.
    light : of a place with solids in it; None: white is alike everywhere.
    others : photographs of the place from elsewhere, for what this one does not show.
    gain : (3,) from the renderer's radiance to the photograph's linear values, where what is too bright for the light
        that is known lies in another one, as floor in the sun of a window does, and throws that on; None: it does not.
    let_in : of points (N, 3) the photograph's linear values of what white shows there of sunlight by windows beside
        `white`, (N, 3); None: no sun comes in.
    beneath : a panorama that was taken over it, for what no photograph shows.
    """
    above = max(abs(float(camera.position[2]) - height_m), 0.05)
    tint = _tint(linear, camera, height_m, above, mean, white)
    fields = [only] if only else [*_fields(camera.position[:2], 2 * above), *_rest(camera.position[:2], 2 * above)]
    for hole in without:
        fields = [part for field in fields for part in _cut(field, hole)]
    if sheen.coat > 0 and sheen.roughness < DULL:
        gain = None
    patches, plain = [], []
    for field in fields:
        texels = _texels(camera, others, field, height_m, beneath)
        if texels is None:
            plain.append(field)
        else:
            seen, own = _reflectance(
                linear, camera, field, height_m, texels, tint, white, light, others, let_in, beneath
            )
            shines = None if gain is None else _beyond(seen, own / gain)
            patches.append(_patch([field], height_m, _bounded(seen), shines))
    if plain:
        patches.append(_patch(plain, height_m, tint))
    return Receiver(name, tuple(patches), sheen, level=True)


def level_patch(footprints: Array, margin_m: float) -> Rect:
    """The part of a level that models on it can change: whole half metres, so that small moves keep it.

    Parameters
    ----------
    footprints : (N, 2) points of the models' feet [m].
    """
    low = np.floor((footprints.min(0) - margin_m) * 2) / 2
    high = np.ceil((footprints.max(0) + margin_m) * 2) / 2
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def _fields(centre: Array, half: float) -> Iterator[Rect]:
    """The middle square and four fields a ring, each halved along its long side."""
    x, y = float(centre[0]), float(centre[1])
    for sx in (-half, 0.0):
        for sy in (-half, 0.0):
            yield x + sx, y + sy, x + sx + half, y + sy + half
    for _ in range(RINGS):
        wide = 2 * half
        for side in (-wide, half):
            for start in (-wide, 0.0):
                yield x + start, y + side, x + start + wide, y + side + half
            yield x + side, y - half, x + side + half, y
            yield x + side, y, x + side + half, y + half
        half = wide


def _rest(centre: Array, half: float) -> Iterator[Rect]:
    """What goes on outside the rings, towards the horizon."""
    x, y, wide = float(centre[0]), float(centre[1]), half * 2**RINGS
    far = FAR * wide
    yield x - far, y + wide, x + far, y + far
    yield x - far, y - far, x + far, y - wide
    yield x - far, y - wide, x - wide, y + wide
    yield x + wide, y - wide, x + far, y + wide


def _cut(field: Rect, hole: Rect) -> Iterator[Rect]:
    """A field without a hole, in up to four rectangles."""
    x0, y0, x1, y1 = field
    a0, b0, a1, b1 = max(x0, hole[0]), max(y0, hole[1]), min(x1, hole[2]), min(y1, hole[3])
    if a0 >= a1 or b0 >= b1:
        yield field
        return
    for part in ((x0, y0, x1, b0), (x0, b1, x1, y1), (x0, b0, a0, b1), (a1, b0, x1, b1)):
        if part[0] < part[2] and part[1] < part[3]:
            yield part


def _patch(fields: list[Rect], height_m: float, reflectance: Floats, shines: Floats | None = None) -> Patch:
    """Some rectangles of a plane as one mesh of two triangles each."""
    corners = [[(x0, y0), (x1, y0), (x1, y1), (x0, y1)] for x0, y0, x1, y1 in fields]
    flat = np.array(corners, float).reshape(-1, 2)
    uv = np.tile([[0.0, 0], [1, 0], [1, 1], [0, 1]], (len(fields), 1))
    faces = np.array([[0, 1, 2], [0, 2, 3]])[None] + 4 * np.arange(len(fields))[:, None, None]
    vertices = np.column_stack([flat, np.full(len(flat), height_m)])
    return Patch(vertices, uv, faces.reshape(-1, 3), reflectance, shines=shines)


def _grid(field: Rect, columns: int, rows: int, height_m: float) -> Array:
    """The middles of a field's cells, (rows · columns, 3) [m]."""
    x0, y0, x1, y1 = field
    x, y = np.meshgrid(
        x0 + (np.arange(columns) + 0.5) * (x1 - x0) / columns, y0 + (np.arange(rows) + 0.5) * (y1 - y0) / rows
    )
    return np.column_stack([x.ravel(), y.ravel(), np.full(x.size, height_m)])


def _texels(
    camera: Pinhole, others: Sequence[Other], field: Rect, height_m: float, beneath: Matched | None
) -> tuple[int, int] | None:
    """Columns and rows of a field's texture, as finely as the picture shows it; None if nothing shows it."""
    x0, y0, x1, y1 = field
    wide, tall = np.array([x1 - x0, 0, 0]), np.array([0, y1 - y0, 0])
    spread = _grid(field, 24, 24, height_m), wide, tall
    sizes = texels_of(camera, *spread)
    if sizes is None:
        return texels_beside([other.camera for other in others], *spread) or _texels_beneath(field, beneath)
    return min(sizes[0], MOST_TEXELS), min(sizes[1], MOST_TEXELS)


def _texels_beneath(field: Rect, beneath: Matched | None) -> tuple[int, int] | None:
    """The same for a panorama that was taken over it; None if it is far away."""
    if beneath is None:
        return None
    x0, y0, x1, y1 = field
    lens = beneath.around.lens[:2]
    away = float(np.linalg.norm(np.clip(lens, [x0, y0], [x1, y1]) - lens))
    if away > BENEATH_M:
        return None
    step = max(BENEATH_STEP, BENEATH_STEP * away)
    columns, rows = (min(max(int(np.ceil(side / step)), LEAST_TEXELS), MOST_BESIDE) for side in (x1 - x0, y1 - y0))
    return columns, rows


def _reflectance(
    linear: Floats,
    camera: Pinhole,
    field: Rect,
    height_m: float,
    texels: tuple[int, int],
    tint: Floats,
    white: Floats,
    light: PlaceLight | None,
    others: Sequence[Other],
    let_in: Callable[[Array], Floats] | None,
    beneath: Matched | None,
) -> tuple[Floats, Floats]:
    """A field's reflectance, not bounded yet: what the photograph shows there beside what white would show; and that.

    Shade of things that nobody marked stays in it; it only colours the light that is thrown back.
    """
    columns, rows = texels
    points = _grid(field, columns, rows, height_m).reshape(rows, columns, 3)
    seen, known = looked_up(linear, camera, points)
    if light:
        known &= ~light.sight.hidden(points)
    seen, known = shown_by(others, seen, known, points)
    if beneath is not None:
        more = ~known & (np.linalg.norm(points[..., :2] - beneath.around.lens[:2], axis=-1) < BENEATH_M)
        seen[more], known = beneath.shown(points[more]), known | more
    own = white
    if light is None:
        if let_in:
            more = let_in(points.reshape(-1, 3)).reshape(rows, columns, 3)
            own = np.maximum(white + more, LEAST_REFLECTANCE * white).astype(np.float32)
            # Floor that this sun clips is as the rest of it.
            seen = np.where(seen >= CLIPPED, np.maximum(seen, tint * own), seen)
        reflectance = np.where(known[..., None], seen * np.asarray(1 / own, np.float32), tint)
    else:
        own, sure = light.white(points, np.array([0.0, 0, 1]))
        known &= sure
        reflectance = filled(np.where(known[..., None], seen / own, 0), known) if known.any() else tint
        reflectance = np.broadcast_to(reflectance, (rows, columns, 3))
    return np.asarray(reflectance, np.float32), own


def _bounded(reflectance: Floats) -> Floats:
    return np.clip(reflectance, LEAST_REFLECTANCE, MOST_REFLECTANCE).astype(np.float32)


def _beyond(reflectance: Floats, white: Floats) -> Floats | None:
    """The radiance (rows, columns, 3) of what no reflectance explains, by that of white; None: of next to nothing."""
    over = np.maximum(reflectance - MOST_REFLECTANCE, 0)
    return np.asarray(over * white, np.float32) if np.mean(over.max(-1) > LEAST_OVER) > LEAST_SHARE else None


def _tint(linear: Floats, camera: Pinhole, height_m: float, above: float, mean: float, white: Floats) -> Floats:
    """The mean reflectance with the tint that the near part of the plane has in the photograph, (3,)."""
    reach = 6 * above
    x, y = camera.position[:2]
    pixels = camera.project(_grid((x - reach, y - reach, x + reach, y + reach), 160, 160, height_m))
    size = [camera.width - 1, camera.height - 1]
    seen = np.isfinite(pixels).all(1) & (pixels > 1).all(1) & (pixels < size).all(1)
    if not seen.any():
        return np.full(3, mean, np.float32)
    column, row = pixels[seen].astype(int).T
    colour = (np.median(linear[row, column], axis=0) / white).astype(np.float32)
    colour = colour * np.float32(mean / max(float(luminance(colour)), 1e-6))
    return _bounded(colour)
