"""Which pixels the models can change: themselves, their shadows and mirror images, the dimmed ground about them.

Judged in the world's measure, so that a proof and a master agree. Held coarsely: a cell of the picture counts
as soon as anything of the outline falls into it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.depth import axis_depth
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.layers import Window
from lithopos.core.light.near import Ball, Sheet, Standing
from lithopos.core.place.face import Face
from lithopos.core.place.seen import in_sight
from lithopos.core.render.scene import Scene, StoodModel

LONGEST_SHADOW_M = 60.0
LEAST_CHANGE = 0.005  # of the ground's light: half a code of a mid-tone is 0.9 %
SHARE_BESIDE_SUN = 0.5  # of the ground's light that a wall beside it can take or give while the sun shines
CELLS_ACROSS = 160
SHEET_SHADOWS = 6.0  # how long shadows by a window are looked at, in heights of what throws them
FADE = 1 / 80  # of the picture's width, within the border of what is traced

__all__ = ["Influence", "influence_of"]


@dataclass(frozen=True)
class Influence:
    """Cells of a picture, `cell` pixels wide.

    Attributes
    ----------
    changed : (rows, columns) where anything may change.
    covered : (rows, columns) where models may be seen.
    """

    width: int
    height: int
    cell: int
    changed: Mask
    covered: Mask

    def bounds(self) -> Window | None:
        """The smallest window round all changed cells; None if there are none."""
        rows, columns = np.nonzero(self.changed)
        if not len(rows):
            return None
        c = self.cell
        return Window(
            int(columns.min()) * c,
            int(rows.min()) * c,
            min((int(columns.max()) + 1) * c, self.width),
            min((int(rows.max()) + 1) * c, self.height),
        )

    def pixels(self, cells: Mask, window: Window) -> Mask:
        """Cells as pixels of a window, (H, W)."""
        y, x = np.arange(window.y0, window.y1) // self.cell, np.arange(window.x0, window.x1) // self.cell
        return np.asarray(cells[np.ix_(y, x)])

    def fade(self, window: Window) -> Floats:
        """1 within, falling to 0 at the border of what is traced but for the picture's own, (H, W)."""
        # Replicated outside, so that the picture's own border is none.
        padded = np.pad(self.changed.astype(np.uint8), 1, mode="edge")
        far = cv2.distanceTransform(padded, cv2.DIST_L2, 5)[1:-1, 1:-1] * self.cell
        y, x = np.arange(window.y0, window.y1), np.arange(window.x0, window.x1)
        column, row = np.meshgrid((x + 0.5) / self.cell - 0.5, (y + 0.5) / self.cell - 0.5)
        near = cv2.remap(
            far, column.astype(np.float32), row.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        weight = np.clip((near - self.cell / 2) / max(FADE * self.width, 1), 0, 1)
        return (weight * weight * (3 - 2 * weight)).astype(np.float32)


def influence_of(scene: Scene, lit: Array | None = None) -> Influence:
    """The cells that a scene's models can change.

    Parameters
    ----------
    lit : places (N, 3) that get light which models gather or throw.
    """
    camera = scene.camera
    cell = max(4, -(-camera.width // CELLS_ACROSS))
    shape = (-(-camera.height // cell), -(-camera.width // cell))
    changed, covered = np.zeros(shape, np.uint8), np.zeros(shape, np.uint8)
    for thing in scene.models:
        corners = thing.corners()
        _fill(covered, camera, corners, cell)
        # From the top of something that stands there its shadow falls on the ground below as well.
        below = [] if thing.on_plane else [replace(thing, stands_at_m=0.0)]
        for one in (thing, *below):
            for outline in _changed_points(one, corners, scene):
                _fill(changed, camera, outline, cell)
    for light in scene.added:
        for outline in _lit_points(light, scene):
            _fill(changed, camera, outline, cell)
    changed = np.maximum(np.maximum(changed, covered), _on_solids(scene, shape, cell))
    if lit is not None and len(lit):
        _mark(changed, camera.project(lit), cell)
    changed, covered = (_spread(cells, scene, cell) for cells in (changed, covered))
    # Grown by what the fade takes, so that nothing of the outline itself is faded.
    margin = 2 * int(np.ceil(FADE * camera.width / cell) + 1) + 1
    near = cv2.dilate(covered, np.ones((3, 3), np.uint8))
    grown = np.ones((margin, margin), np.uint8)
    return Influence(camera.width, camera.height, cell, cv2.dilate(changed, grown) > 0, near > 0)


def _spread(cells: NDArray[np.uint8], scene: Scene, cell: int) -> NDArray[np.uint8]:
    """Cells grown by as far as an open lens spreads the models at most."""
    if scene.lens is None or not scene.models:
        return cells
    depths = np.concatenate([axis_depth(scene.camera, thing.corners()) for thing in scene.models])
    margin = 2 * int(np.ceil(scene.lens.disc_px(scene.camera, depths).max() / cell)) + 1
    return cv2.dilate(cells, np.ones((margin, margin), np.uint8)).astype(np.uint8)


def _dimmed_m(thing: StoodModel, corners: Array, scene: Scene) -> float:
    """How far from a thing what it takes of the sky's light is seen [m]."""
    size = np.ptp(corners, axis=0)
    # Far from a wall of width w and height h the ground's view of it is w h² / (2 π d³).
    wide, tall = float(np.hypot(size[0], size[1])), float(np.maximum(corners[:, 2] - thing.stands_at_m, 0).max())
    share = 1.0 if scene.sun is None else SHARE_BESIDE_SUN
    return max(0.2 + max(0.5 * tall, (share * wide * tall**2 / (2 * np.pi * LEAST_CHANGE)) ** (1 / 3)), thing.shines_m)


def _sun(scene: Scene) -> Array | None:
    """The direction to the sun (3,), if it throws shadows anywhere."""
    return scene.let_in.sun if scene.let_in else scene.sun


def _sun_width(scene: Scene) -> float:
    """The tangent of the sun's apparent diameter."""
    widths = [day.sun_width_deg for day in scene.days] + ([scene.let_in.width_deg] if scene.let_in else [])
    return float(np.tan(np.radians(max(widths, default=0.0))))


def _changed_points(thing: StoodModel, corners: Array, scene: Scene) -> list[Array]:
    """Points (N, 3) whose outline holds what a model changes on the plane that it stands on."""
    at = thing.stands_at_m
    rise = np.maximum(corners[:, 2] - at, 0)
    feet = corners * [1, 1, 0] + [0, 0, at]
    mirrored = corners * [1, 1, -1] + [0, 0, 2 * at]
    outlines = [np.concatenate([corners, mirrored]), _ringed(feet, _dimmed_m(thing, corners, scene))]
    if not thing.casts:  # hangs on something that is there: only what it mirrors and shines on changes
        return outlines if thing.shines_m else outlines[:1]
    for light in (*scene.lights, *scene.added):
        if isinstance(light, Standing):
            outlines += [np.concatenate([_ringed(tips, 0.1), feet]) for tips in _near_tips(light, corners, at)]
    sun = _sun(scene)
    if sun is not None:
        reach = np.minimum(rise / max(float(sun[2]), 0.02), LONGEST_SHADOW_M)
        tips = corners - reach[:, None] * sun
        tips[:, 2] = at
        soft = 0.1 + float(reach.max()) * _sun_width(scene)
        outlines.append(np.concatenate([_ringed(tips, soft), feet]))
    return outlines


def _on_solids(scene: Scene, shape: tuple[int, int], cell: int) -> NDArray[np.uint8]:
    """Cells in which models can change what stands about: place by place of what the camera sees of it."""
    cells = np.zeros(shape, np.uint8)
    patches = [(patch, one.sheen) for one in scene.receivers if not one.level and one.receives for patch in one.patches]
    sides = [(Face(patch.vertices[corners]), sheen) for patch, sheen in patches for corners in patch.faces]
    if not sides:
        return cells
    places, owner = in_sight([face for face, _ in sides], scene.camera, 2 * CELLS_ACROSS).places()
    normals = np.array([face.normal for face, _ in sides])[owner]
    mirrors = np.array([sheen.coat > 0 for _, sheen in sides])[owner]
    changed = np.zeros(len(places), bool)
    for thing in scene.models:
        corners = thing.corners()
        changed |= _reached(thing, corners, scene, places, normals, mirrors)
    for light in scene.added:
        middle, reach = _light_reach(light, scene)
        changed |= np.linalg.norm(places - middle, axis=1) < reach
    _mark(cells, scene.camera.project(places[changed]), cell)
    return cells


def _mark(cells: NDArray[np.uint8], pixels: Array, cell: int) -> None:
    """Mark the cells that pixels (N, 2) lie in."""
    pixels = pixels[np.isfinite(pixels).all(1)]
    column, row = np.floor(pixels / cell).astype(int).T
    inside = (column >= 0) & (row >= 0) & (column < cells.shape[1]) & (row < cells.shape[0])
    cells[row[inside], column[inside]] = 1


def _reached(thing: StoodModel, corners: Array, scene: Scene, places: Array, normals: Array, mirrors: Mask) -> Mask:
    """Which places (N, 3) with their normals a thing's box shades, dims or is mirrored in."""
    low, high = corners.min(0), corners.max(0)
    away = np.maximum(np.maximum(low - places, places - high), 0)
    distance = np.linalg.norm(away, axis=1)
    near = distance < _dimmed_m(thing, corners, scene)
    view = places - scene.camera.position
    view /= np.linalg.norm(view, axis=1, keepdims=True)
    mirrored = view - 2 * (view * normals).sum(1, keepdims=True) * normals
    found = (near & (thing.casts or thing.shines_m > 0)) | (mirrors & _meets(places, mirrored, low, high, 0.1))
    if not thing.casts:
        return found
    sun = _sun(scene)
    if sun is not None:
        found |= _meets(places, np.broadcast_to(sun, places.shape), low, high, 0.1 + distance * _sun_width(scene))
    for light in (*scene.lights, *scene.added):
        if isinstance(light, Standing):
            for source in light.corners if isinstance(light, Sheet) else light.middle[None]:
                found |= _meets(places, source - places, low, high, 0.1)
    return found


def _meets(origins: Array, ways: Array, low: Array, high: Array, margin: float | Array) -> Mask:
    """Whether rays (N, 3) meet a box that is wider by a margin all round; by its three slabs."""
    wider = np.broadcast_to(np.asarray(margin, float), (len(origins),))[:, None]
    safe = np.where(np.abs(ways) < 1e-9, 1e-9, ways)
    one, two = (low - wider - origins) / safe, (high + wider - origins) / safe
    enter, leave = np.minimum(one, two).max(1), np.maximum(one, two).min(1)
    return np.asarray((leave >= enter) & (leave > 0))


def _near_tips(light: Standing, corners: Array, at: float) -> list[Array]:
    """Where shadows of a thing's corners (N, 3) end that a light in the place throws, from each of its ends: (N, 3)."""
    sheet = isinstance(light, Sheet)
    sources = light.corners if isinstance(light, Sheet) else light.middle[None]
    found = []
    for source in sources:
        way = corners - source
        rise = np.maximum(corners[:, 2] - at, 0)
        # From one end of a window alone little is taken: its long shadows are not seen.
        most = SHEET_SHADOWS * rise if sheet else np.full(len(corners), LONGEST_SHADOW_M)
        falls = np.maximum(-way[:, 2], 1e-6)
        reach = np.minimum(rise / falls * np.linalg.norm(way[:, :2], axis=1), most)
        level = way[:, :2] / np.maximum(np.linalg.norm(way[:, :2], axis=1, keepdims=True), 1e-9)
        found.append(np.column_stack([corners[:, :2] + reach[:, None] * level, np.full(len(corners), at)]))
    return found


def _lit_points(light: Standing, scene: Scene) -> list[Array]:
    """Points whose outline holds the ground that an added light brightens."""
    middle, reach = _light_reach(light, scene)
    return [_ringed(middle[None] * [1, 1, 0], reach)]


def _light_reach(light: Standing, scene: Scene) -> tuple[Array, float]:
    """The middle of an added light (3,), and how far its light is seen [m]."""
    middle = light.corners.mean(0) if isinstance(light, Sheet) else light.middle
    white = float(luminance(scene.white)) if scene.white is not None else 1.0
    if isinstance(light, Sheet):
        bright = float(luminance(light.radiance.reshape(-1, 3).mean(0)))
        wide, deep = light.corners[1] - light.corners[0], light.corners[3] - light.corners[0]
        bright *= float(np.linalg.norm(np.cross(wide, deep)))
    elif isinstance(light, Ball):
        bright = float(luminance(light.radiance)) * np.pi * light.radius_m**2
    else:
        bright = float(luminance(light.intensity).max())
    # Level ground gets at most I h / d³ of it.
    height = max(abs(float(middle[2])), 0.1)
    reach = (bright * height / (np.pi * max(white, 1e-9) * LEAST_CHANGE)) ** (1 / 3)
    return middle, min(reach, LONGEST_SHADOW_M)


def _ringed(points: Array, margin: float) -> Array:
    """Points about points, at a distance in their level plane."""
    angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    ring = margin * np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    return np.asarray((points[:, None] + ring[None]).reshape(-1, 3))


def _fill(cells: NDArray[np.uint8], camera: Pinhole, points: Array, cell: int) -> None:
    """Fill the outline of some points; points behind the camera make it run out of the picture at the bottom."""
    near = camera.position[2] - points[:, 2]
    pixels = camera.project(points)
    good = np.isfinite(pixels).all(1)
    if not good.any():
        return
    if not good.all():
        # What passes beside or under the camera leaves the picture below (or above, for what is higher).
        low = bool((near[~good] > 0).any())
        edge = camera.height + 10 * cell if low else -10 * cell
        spread = np.array([[-cell, edge], [camera.width + cell, edge]], float)
        pixels = np.concatenate([pixels[good], spread])
    limit = 20 * max(camera.width, camera.height)
    pixels = np.clip(pixels, -limit, limit)
    hull = cv2.convexHull((pixels / cell).astype(np.float32)).reshape(-1, 2)
    # Whole cells: the outline itself is drawn too, so that touched cells count.
    whole = np.round(hull * 16 - 8).astype(np.int32)
    cv2.fillConvexPoly(cells, whole, 1, shift=4)
    cv2.polylines(cells, [whole], True, 1, shift=4)
