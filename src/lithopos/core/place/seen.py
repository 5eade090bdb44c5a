"""What of a place's solids is nearest, from the camera and from the sun: by a depth buffer, exact for flat sides.

Of a flat side seen from a point, one over the depth is linear across the picture (Blinn 1992, Hyperbolic
interpolation, DOI 10.1109/38.144828); seen along parallel rays the depth itself is. So each side is filled in with its
own plane, whatever its number of corners.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.place.face import Face

WIDTH = 1400  # of the camera's buffer at most [px]
SUN_WIDTH = 2048
NEAR_M = 0.05
BIAS_M = 0.02  # how far behind what the sun meets a point may lie and still be it
OFF_M = 0.05  # off a surface, where it is asked for the sun: a map of it is not finer

__all__ = ["OFF_M", "InSight", "SunMap", "grown", "in_sight", "sun_map"]

NONE = -1


@dataclass(frozen=True)
class InSight:
    """What the camera sees at each pixel of a smaller picture.

    Attributes
    ----------
    camera : for that picture, without its lens's bend.
    owner : (H, W) the number of the side, -1 where there is none.
    near : (H, W) one over its depth [1/m]; 0 where there is none.
    k1 : the bend of the photograph's lens.
    """

    camera: Pinhole
    owner: NDArray[np.int32]
    near: Floats
    k1: float = 0.0

    def pictured(self) -> NDArray[np.int32]:
        """The owners (H, W) as the photograph shows them, with its lens's bend."""
        if not self.k1:
            return self.owner
        height, width = self.owner.shape
        x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
        straight = replace(self.camera, k1=self.k1).straightened(np.column_stack([x.ravel(), y.ravel()]))
        column, row = np.floor(straight).astype(np.int64).T
        inside = (column >= 0) & (row >= 0) & (column < width) & (row < height)
        found = np.full(height * width, NONE, np.int32)
        found[inside] = self.owner[row[inside], column[inside]]
        return found.reshape(height, width)

    def owners(self, points: Array) -> NDArray[np.int32]:
        """The number of the side that is seen where each point (N, 3) would be; -1 where none is, or outside."""
        pixels = np.nan_to_num(self.camera.project(points), nan=-1)
        height, width = self.owner.shape
        column, row = np.floor(pixels).astype(np.int64).T
        inside = (column >= 0) & (row >= 0) & (column < width) & (row < height)
        found = np.full(len(points), NONE, np.int32)
        found[inside] = self.owner[row[inside], column[inside]]
        return found

    def hidden(self, points: Array, own: int = -1) -> Mask:
        """Where places (rows, columns, 3) of a side of a number (-1: of the ground) are hidden from the camera."""
        seen = self.owners(points.reshape(-1, 3)).reshape(points.shape[:2])
        return grown((seen != own).astype(np.uint8))

    def covered(self, width: int, height: int) -> Mask:
        """Where the photograph shows any side, for a picture at another size: (height, width)."""
        size = (width, height)
        return cv2.resize((self.pictured() != NONE).astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0

    def places(self) -> tuple[Array, NDArray[np.int32]]:
        """What is seen: places (N, 3) on sides, and the sides' numbers (N,)."""
        row, column = np.nonzero(self.owner != NONE)
        offset = (np.column_stack([column, row]) + 0.5 - self.camera.principal_point) / self.camera.focal_px
        ways = offset @ self.camera.rotation[:2] + self.camera.rotation[2]
        return self.camera.position + ways / self.near[row, column][:, None], self.owner[row, column]


@dataclass(frozen=True)
class SunMap:
    """How far towards the sun the first thing lies that its rays meet: axes (3, 3), scale, origin, heights (H, W)."""

    axes: Array
    scale: float
    origin: Array
    height: Floats

    def lit(self, points: Array) -> Mask:
        """Whether the sun reaches each point (N, 3)."""
        x, y, up = (points @ self.axes.T).T
        column, row = ((np.stack([x, y]) - self.origin[:, None]) * self.scale).astype(np.int64)
        rows, columns = self.height.shape
        inside = (column >= 0) & (row >= 0) & (column < columns) & (row < rows)
        lit = np.ones(len(points), bool)
        # A pixel of the map is wider than the bias where the sun grazes a side.
        slack = BIAS_M + 1.5 / self.scale
        lit[inside] = up[inside] >= self.height[row[inside], column[inside]] - slack
        return lit


def grown(hidden: NDArray[np.uint8]) -> Mask:
    """What is hidden, and a texel more all round: at a border both sides mix."""
    return cv2.dilate(hidden, np.ones((3, 3), np.uint8)) > 0


def in_sight(faces: Sequence[Face], camera: Pinhole, width: int = WIDTH) -> InSight:
    """What of some sides the camera sees, each by its number, in a picture of at most so many pixels across."""
    small = replace(camera, k1=0.0).scaled(min(1.0, width / camera.width))
    outlines = []
    for face in faces:
        seen = _before((face.corners - small.position) @ small.rotation.T)
        flat = seen[:, :2] / seen[:, 2:] * small.focal_px + small.principal_point if len(seen) else seen[:, :2]
        outlines.append(np.column_stack([flat, 1 / seen[:, 2]]) if len(seen) else np.zeros((0, 3)))
    owner, near = _nearest(outlines, small.width, small.height, 0.0)
    return InSight(small, owner, near, camera.k1)


def sun_map(faces: Sequence[Face], sun: Array) -> SunMap | None:
    """What of some sides the sun's rays meet first; None where there is nothing."""
    if not faces:
        return None
    aside = np.cross(sun, [0.0, 0, 1] if abs(sun[2]) < 0.95 else [1.0, 0, 0])
    aside = aside / np.linalg.norm(aside)
    axes = np.stack([aside, np.cross(sun, aside), sun])
    corners = [face.corners @ axes.T for face in faces]
    every = np.concatenate(corners)
    low, high = every[:, :2].min(0), every[:, :2].max(0)
    scale = SUN_WIDTH / max(float((high - low).max()), 1e-3)
    size = np.ceil((high - low) * scale).astype(int) + 1
    outlines = [np.column_stack([(part[:, :2] - low) * scale, part[:, 2]]) for part in corners]
    _, height = _nearest(outlines, int(size[0]), int(size[1]), float(every[:, 2].min()) - 1e6)
    return SunMap(axes, scale, low, height)


def _nearest(outlines: Sequence[Array], width: int, height: int, far: float) -> tuple[NDArray[np.int32], Floats]:
    """Which outline (N, 3: x, y and a nearness that is linear across it) is nearest at each pixel, and how near."""
    owner = np.full((height, width), NONE, np.int32)
    near = np.full((height, width), far, np.float32)
    for number, outline in enumerate(outlines):
        window = _window(outline, width, height)
        if window is None:
            continue
        part, rows, columns = window
        y, x = np.mgrid[rows, columns]
        plane, *_ = np.linalg.lstsq(np.column_stack([outline[:, :2], np.ones(len(outline))]), outline[:, 2])
        value = (plane[0] * (x + 0.5) + plane[1] * (y + 0.5) + plane[2]).astype(np.float32)
        wins = part & (value > near[rows, columns])
        near[rows, columns][wins] = value[wins]
        owner[rows, columns][wins] = number
    return owner, near


def _window(outline: Array, width: int, height: int) -> tuple[Mask, slice, slice] | None:
    """The pixels of an outline in the smallest window round it; None if none lie in the picture."""
    if len(outline) < 3:
        return None
    limit = 1e5
    flat = np.clip(outline[:, :2], -limit, limit)
    low = np.clip(np.floor(flat.min(0)).astype(int), 0, [width, height])
    high = np.clip(np.ceil(flat.max(0)).astype(int) + 1, 0, [width, height])
    if (high <= low).any():
        return None
    mask = np.zeros((high[1] - low[1], high[0] - low[0]), np.uint8)
    # A pixel counts by its middle; the filling counts pixels by whole numbers.
    cv2.fillPoly(mask, [np.round((flat - low - 0.5) * 16).astype(np.int32)], 1, shift=4)
    return mask > 0, slice(low[1], high[1]), slice(low[0], high[0])


def _before(seen: Array) -> Array:
    """A flat outline (N, 3) in camera axes, cut off where it passes behind the camera."""
    kept = []
    for a, b in zip(seen, np.roll(seen, -1, axis=0), strict=True):
        if a[2] >= NEAR_M:
            kept.append(a)
        if (a[2] >= NEAR_M) != (b[2] >= NEAR_M):
            kept.append(a + (b - a) * ((NEAR_M - a[2]) / (b[2] - a[2])))
    return np.array(kept).reshape(-1, 3)
