"""Which pixels the models can change: themselves, their shadows and mirror images, the dimmed ground about them.

Judged in the world's measure, so that a proof and a master agree. Held coarsely: a cell of the picture counts
as soon as anything of the outline falls into it.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.layers import Window
from lithopos.core.light.near import Ball, Near, Sheet
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


def influence_of(scene: Scene) -> Influence:
    """The cells that a scene's models can change."""
    camera = scene.camera
    cell = max(4, -(-camera.width // CELLS_ACROSS))
    shape = (-(-camera.height // cell), -(-camera.width // cell))
    changed, covered = np.zeros(shape, np.uint8), np.zeros(shape, np.uint8)
    for thing in scene.models:
        corners = thing.corners()
        _fill(covered, camera, corners, cell)
        for outline in _changed_points(thing, corners, scene):
            _fill(changed, camera, outline, cell)
    for light in scene.added:
        for outline in _lit_points(light, scene):
            _fill(changed, camera, outline, cell)
    changed = np.maximum(changed, covered)
    # Grown by what the fade takes, so that nothing of the outline itself is faded.
    margin = 2 * int(np.ceil(FADE * camera.width / cell) + 1) + 1
    near = cv2.dilate(covered, np.ones((3, 3), np.uint8))
    grown = np.ones((margin, margin), np.uint8)
    return Influence(camera.width, camera.height, cell, cv2.dilate(changed, grown) > 0, near > 0)


def _changed_points(thing: StoodModel, corners: Array, scene: Scene) -> list[Array]:
    """Points (N, 3) whose outline holds what a model changes on the plane that it stands on."""
    at = thing.stands_at_m
    low = corners.min(0)
    size = corners.max(0) - low
    rise = np.maximum(corners[:, 2] - at, 0)
    # Far from a wall of width w and height h the ground's view of it is w h² / (2 π d³).
    wide, tall = float(np.hypot(size[0], size[1])), float(rise.max())
    share = 1.0 if scene.sun is None else SHARE_BESIDE_SUN
    dimmed = 0.2 + max(0.5 * tall, (share * wide * tall**2 / (2 * np.pi * LEAST_CHANGE)) ** (1 / 3))
    feet = corners * [1, 1, 0] + [0, 0, at]
    mirrored = corners * [1, 1, -1] + [0, 0, 2 * at]
    outlines = [np.concatenate([corners, mirrored]), _ringed(feet, max(dimmed, thing.shines_m))]
    if not thing.casts:  # hangs on something that is there: only what it mirrors and shines on changes
        return outlines if thing.shines_m else outlines[:1]
    for light in (*scene.lights, *scene.added):
        if isinstance(light, Near):
            outlines += [np.concatenate([_ringed(tips, 0.1), feet]) for tips in _near_tips(light, corners, at)]
    if scene.sun is not None:
        sun = scene.sun
        reach = np.minimum(rise / max(float(sun[2]), 0.02), LONGEST_SHADOW_M)
        tips = corners - reach[:, None] * sun
        tips[:, 2] = at
        width = max((day.sun_width_deg for day in scene.days), default=0.0)
        soft = 0.1 + float(reach.max()) * float(np.tan(np.radians(width)))
        outlines.append(np.concatenate([_ringed(tips, soft), feet]))
    return outlines


def _near_tips(light: Near, corners: Array, at: float) -> list[Array]:
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


def _lit_points(light: Near, scene: Scene) -> list[Array]:
    """Points whose outline holds the ground that an added light brightens."""
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
    return [_ringed(middle[None] * [1, 1, 0], min(reach, LONGEST_SHADOW_M))]


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
