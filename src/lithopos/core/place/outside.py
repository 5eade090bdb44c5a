"""What stands outside the picture, known by the shadow that it throws into it.

The outline of a shadow on the ground, moved along the sun's rays, is the outline of what throws it. How far along is
not known, but for this: the photograph does not show it.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import chain

import cv2
import numpy as np

from lithopos.core.arrays import Array, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import NoAnswer
from lithopos.core.place.face import Face
from lithopos.core.place.shading import Solids, solids_of

HEIGHTS_M = np.geomspace(2.0, 150.0, 16)  # in which it is looked for
TALLEST_BLOCK_M = 45.0  # of what reaches down to the ground: houses are not taller as a rule
AT_BORDER = 0.03  # of the picture's width: an outline's corner that is as near to the border lies beyond it
BEYOND = 0.5  # how far then
LOOKS = 48  # across the picture, at which the photograph is asked whether it would show it
BESIDE_M = 0.15  # how exactly an outline is drawn: shade as near beside it is no other one

__all__ = ["Thrower", "beyond_border", "thrower_of"]


@dataclass(frozen=True)
class Thrower:
    """What throws a shadow from outside the picture: its sides, the height of its top and its outline plumb below [m].

    It reaches down to the ground, unless that would throw shade where the photograph shows that none was drawn: then it
    is flat, as a tree's crown or an awning is seen from afar.
    """

    faces: tuple[Face, ...]
    foot: Array
    height_m: float


def beyond_border(points: Array, camera: Pinhole, base_m: float) -> Array:
    """An outline's corners (N, 2) [px], those at the picture's border moved beyond it: the shadow goes on there.

    Parameters
    ----------
    base_m : the height of the plane that they lie on.
    """
    size = np.array([camera.width, camera.height], float)
    near = AT_BORDER * camera.width
    low, high = points < near, points > size - near
    bordering = np.asarray((low | high).any(1))
    step = BEYOND * camera.width
    moved = points.copy()
    for n in np.flatnonzero(bordering):
        inner = [m for m in ((n - 1) % len(points), (n + 1) % len(points)) if not bordering[m]]
        way = points[n] - points[inner[0]] if inner else high[n].astype(float) - low[n]
        way = way / max(float(np.linalg.norm(way)), 1e-9)
        # As far as the ground is still seen there: a way that runs up ends below the horizon.
        for share in (1.0, 0.5, 0.25, 0.1, 0.0):
            moved[n] = points[n] + share * step * way
            if np.isfinite(camera.ground_points(moved[n][None], base_m)).all():
                break
    return moved


def thrower_of(outline: Array, camera: Pinhole, sun: Array, height_m: float | None) -> Thrower | NoAnswer:
    """What throws a shadow, as low as it can stand without being seen.

    Parameters
    ----------
    outline : (N, 3) of the shadow on its plane [m], counter-clockwise from above.
    sun : the unit vector to the sun (3,), above the horizon.
    height_m : of its top above the plane, where that is known.
    """
    origins, ways = _looks(camera)
    ground, shaded = _in_sight(outline, camera, ways)
    heights = HEIGHTS_M if height_m is None else np.array([height_m])
    blocks = heights[heights <= TALLEST_BLOCK_M] if height_m is None else heights
    tried = chain((_block(outline, sun, float(h)) for h in blocks), (_lid(outline, sun, float(h)) for h in heights))
    for made in tried:
        solids = solids_of(made.faces, None)
        if not _met(solids, origins, ways) and not _shades(solids, ground[~shaded], sun):
            return made
    return NoAnswer("what throws it would stand in the picture: draw that instead, or type how tall it is")


def _lid(outline: Array, sun: Array, height_m: float) -> Thrower:
    rim = outline + sun * (height_m / sun[2])
    return Thrower((Face(rim),), rim - [0, 0, height_m], height_m)


def _block(outline: Array, sun: Array, height_m: float) -> Thrower:
    lid = _lid(outline, sun, height_m)
    after, up = np.roll(lid.foot, -1, axis=0), np.array([0, 0, height_m])
    sides = [Face(np.stack([a, b, b + up, a + up])) for a, b in zip(lid.foot, after, strict=True)]
    return Thrower((*lid.faces, *sides), lid.foot, height_m)


def _looks(camera: Pinhole) -> tuple[Array, Array]:
    """Rays through a grid of the picture's pixels, to its very border: where they begin and go, (R, 3)."""
    rows = max(2, round(LOOKS * camera.height / camera.width))
    x, y = np.meshgrid(np.linspace(0, camera.width, LOOKS), np.linspace(0, camera.height, rows))
    ways = camera.rays(np.column_stack([x.ravel(), y.ravel()]))
    return np.broadcast_to(camera.position, ways.shape), ways


def _in_sight(outline: Array, camera: Pinhole, ways: Array) -> tuple[Array, Mask]:
    """Places of the outline's plane that rays meet (M, 3), and whether they lie in it or hardly beside it."""
    base = outline[0, 2]
    down = ways[:, 2] < -1e-3
    reach = (base - camera.position[2]) / ways[down, 2]
    ground = camera.position + reach[reach > 0, None] * ways[down][reach > 0]
    ring = outline[:, :2].astype(np.float32)
    apart = [cv2.pointPolygonTest(ring, (float(x), float(y)), True) for x, y, _ in ground]
    # What is far is drawn less exactly.
    near = BESIDE_M + 0.02 * np.linalg.norm(ground - camera.position, axis=1)
    return ground, np.asarray(apart) > -near


def _met(solids: Solids, origins: Array, ways: Array) -> bool:
    return bool(np.isfinite(solids.met(origins, ways)[0]).any())


def _shades(solids: Solids, places: Array, sun: Array) -> bool:
    above = places + [0, 0, 1e-3]
    return bool(np.isfinite(solids.met(above, np.broadcast_to(sun, above.shape))[0]).any())
