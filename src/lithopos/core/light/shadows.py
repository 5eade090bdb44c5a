"""What shadows in the photograph say of the sun: the kinds of marks, and what each asks of a direction.

Every mark asks for constraints g(m, s) = 0 between its pixels m and the sun's direction s. Their values are whitened by
their own covariance for pixels that err by 1 px (Sampson's distance; Hartley & Zisserman 2004, section 4.2.6), so
that marks of all kinds enter one sum.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.camera.solution import HAND_SIGMA_PX
from lithopos.core.errors import InputError
from lithopos.core.marks.point import SharpPoint
from lithopos.core.marks.sharp import SharpLine

# What throws a shadow is no perfect line: a refined one is taken to be known no better than so [px].
SHADOW_SIGMA_PX = 0.25
LEAN_DEG = 0.1  # how far what stands plumb leans after all
BEYOND = 1e6  # how far off a mark is held to be where it can't be seen at all [px]
_STEP_PX = 0.02  # a small move of a mark
_HORIZON = 1e-3  # a ray this near to the level meets no plane that would tell anything
_RODS = {"level": (0.0, 0.0, 1.0), "wall_a": (0.0, 1.0, 0.0), "wall_b": (1.0, 0.0, 0.0)}

Height = Annotated[FiniteFloat, Field(ge=-1000, le=1000)]
Place = Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)]

__all__ = ["BoxShadow", "DrawnEdge", "Gnomon", "Pointed", "SeenSun", "ShadowEdge", "ShadowMark"]


@dataclass(frozen=True)
class SeenSun:
    """A direction to the sun (3,) and the camera, undistorted, that a mark is held against."""

    camera: Pinhole
    direction: Array


class Gnomon(BaseModel):
    """A thing and its shadow [px]: foot and top and the shadow's tip.

    Without a foot it is only a point and its shadow, on whatever surface. `shadow` is the shadow's middle line as it
    was found in the picture: it tells the sun's azimuth better than foot and tip. `sharp_top` is where the thing was
    found to end above; the shadow's own end is that of the thing's rim, not of its middle, so its tip stays by hand.

    Attributes
    ----------
    on : what carries it. On a level it stands plumb; out of a wall along x (`wall_a`) or y (`wall_b`) it sticks square.
    """

    model_config = ConfigDict(extra="forbid")
    foot: Pixel | None = None
    top: Pixel
    tip: Pixel
    shadow: SharpLine | None = None
    sharp_top: SharpPoint | None = None
    on: Literal["level", "wall_a", "wall_b"] = "level"

    def straightened(self, camera: Pinhole) -> Gnomon:
        """Its marks as a lens without distortion would have shown them."""
        moved = {name: _straight(camera, getattr(self, name)) for name in ("foot", "top", "tip")}
        found = {"shadow": _straight_line(camera, self.shadow), "sharp_top": _straight_point(camera, self.sharp_top)}
        return self.model_copy(update={**moved, **found})

    def _top(self) -> tuple[Array, float]:
        """Where it ends above (2,), and how that errs against a hand's mark."""
        if self.sharp_top is None:
            return np.array(self.top), 1.0
        return np.array(self.sharp_top.at), _relative(self.sharp_top)

    def refuse(self, camera: Pinhole, field: str) -> None:
        """Raise an InputError if it can't be a gnomon."""
        if np.allclose(self.top, self.tip, atol=0.5):
            raise InputError(f"{field}.tip", "top and tip are the same point, which shows no direction")
        if self.foot is not None and np.allclose(self.foot, self.tip, atol=0.5):
            raise InputError(f"{field}.tip", "foot and tip are the same point, which shows no direction")
        if self.on != "level":
            return
        tip = camera.ground_points([self.tip])[0]
        if not np.isfinite(tip).all():
            raise InputError(f"{field}.tip", "the shadow's tip lies above the horizon, so not on the ground")
        if self.foot is None:
            return
        foot = camera.ground_points([self.foot])[0]
        if not np.isfinite(foot).all():
            raise InputError(f"{field}.foot", "lies above the horizon, so not on the ground")
        if _rise(camera, foot, np.array(_RODS["level"]), self.top) <= 1e-6 * camera.position[2]:
            raise InputError(field, "points below the horizon: its top is not above its foot")

    def agree_with(self, seen: SeenSun, field: str) -> None:
        """Raise an InputError if its shadow falls towards a sun."""
        if self.foot is not None or self.on != "level":
            return
        tip = seen.camera.ground_points([self.tip])[0]
        if _rise(seen.camera, tip, seen.direction, self.top) <= 0:
            raise InputError(field, "points below the horizon: its shadow falls towards the sun")

    def normals(self, camera: Pinhole) -> Array:
        """Unit vectors (K, 3) that are square to the sun it tells of."""
        rays = camera.rays([self.top, self.tip])
        found = [np.cross(*rays)]
        if self.foot is not None:
            rod = np.array(_RODS[self.on])
            way = np.cross(np.cross(*camera.rays([self.foot, self.tip])), rod)
            found.append(np.cross(rod, way))
        return _units(np.array(found))

    def whitened(self, seen: SeenSun) -> Array:
        """Its constraints' values (K,) over their standard deviation for marks with an error of 1 px.

        Top, tip and the image of the sun lie on one line; foot, tip and the point where the shadow's way vanishes,
        which is the sun's less what it has along the rod, on another; top, foot and the point where rods vanish on
        a third.
        """
        image = seen.camera.project_direction(seen.direction)
        rod = np.array(_RODS[self.on])
        below = seen.camera.project_direction(seen.direction - (seen.direction @ rod) * rod)
        if self.shadow is not None:
            return self._by_shadow(self.shadow, seen, image, below, rod)
        (top, top_sigma), tip = self._top(), np.array(self.tip)
        sigma = np.array([top_sigma, top_sigma, 1.0, 1.0])
        value, slope = _collinear(top, tip, image)
        if self.foot is None:
            return np.array([value / np.linalg.norm(slope * sigma)])
        foot = np.array(self.foot)
        level, level_slope = _collinear(foot, tip, below)
        stands, stands_slope, lean = self._plumb(top, foot, seen.camera.project_direction(rod))
        rows = np.zeros((3, 6))  # by top, tip and foot
        rows[0, :4] = slope * sigma
        rows[1, 4:], rows[1, 2:4] = level_slope[:2], level_slope[2:]
        rows[2, :2], rows[2, 4:] = stands_slope[:2] * top_sigma, stands_slope[2:]
        return _over(np.array([value, level, stands]), rows @ rows.T + np.diag([0.0, 0.0, lean**2]))

    def _by_shadow(self, shadow: SharpLine, seen: SeenSun, image: Array, below: Array, rod: Array) -> Array:
        """The constraints where the shadow's line is known by itself: the tip lies on it, and errs along it alone."""
        start, end = np.array(shadow.points[0]), np.array(shadow.points[-1])
        way = (end - start) / max(float(np.linalg.norm(end - start)), 1e-9)
        top, top_sigma = self._top()
        tip = start + ((np.array(self.tip) - start) @ way) * way
        value, slope = _collinear(top, tip, image)
        level, level_slope = _collinear(start, end, below)
        beside = np.array([level / max(float(np.linalg.norm(level_slope)) * _relative(shadow), 1e-30)])
        by_top, along = slope[:2] * top_sigma, float(slope[2:] @ way)
        if self.foot is None:
            return np.append(beside, value / max(float(np.linalg.norm([*by_top, along])), 1e-30))
        stands, stands_slope, lean = self._plumb(top, np.array(self.foot), seen.camera.project_direction(rod))
        rows = np.zeros((2, 5))  # by top, tip along the shadow, and foot
        rows[0, :2], rows[0, 2] = by_top, along
        rows[1, :2], rows[1, 3:] = stands_slope[:2] * top_sigma, stands_slope[2:]
        return np.append(beside, _over(np.array([value, stands]), rows @ rows.T + np.diag([0.0, lean**2])))

    def _plumb(self, top: Array, foot: Array, vanishing: Array) -> tuple[float, Array, float]:
        """Top, foot and the point where rods vanish lie on one line, but for a lean: value, slopes, deviation."""
        value, slope = _collinear(top, foot, vanishing)
        length = float(np.linalg.norm(top - foot))
        return value, slope, float(np.linalg.norm(slope[:2])) * length * np.radians(LEAN_DEG) / HAND_SIGMA_PX


class DrawnEdge(BaseModel):
    """A straight edge and the straight edge of its shadow on a level surface [px]; no ends need to match.

    A plumb edge's shadow tells the azimuth. A level edge says nothing by its direction, as its shadow runs along with
    it; it needs its place: its height, or a `foot` on the ground plumb below some point of it.

    Attributes
    ----------
    runs : how the edge runs.
    height_m : a level edge's height above the ground; in units where the camera knows no metres.
    sharp_edge, sharp_shadow : both as they were found in the picture.
    """

    model_config = ConfigDict(extra="forbid")
    edge: Annotated[list[Pixel], Field(min_length=2, max_length=2)]
    shadow: Annotated[list[Pixel], Field(min_length=2, max_length=2)]
    runs: Literal["plumb", "level"] = "plumb"
    height_m: Height | None = None
    foot: Pixel | None = None
    sharp_edge: SharpLine | None = None
    sharp_shadow: SharpLine | None = None


class ShadowEdge(DrawnEdge):
    """An edge and its shadow, which lies on a surface of the height `level_m`."""

    level_m: Height = 0.0

    def straightened(self, camera: Pinhole) -> ShadowEdge:
        """Its marks as a lens without distortion would have shown them."""
        moved = {
            "edge": [_straight(camera, point) for point in self.edge],
            "shadow": [_straight(camera, point) for point in self.shadow],
            "foot": _straight(camera, self.foot),
            "sharp_edge": _straight_line(camera, self.sharp_edge),
            "sharp_shadow": _straight_line(camera, self.sharp_shadow),
        }
        return self.model_copy(update=moved)

    def refuse(self, camera: Pinhole, field: str) -> None:
        """Raise an InputError if it can't be an edge and its shadow."""
        for name in ("edge", "shadow"):
            start, end = getattr(self, name)
            if np.linalg.norm(np.subtract(start, end)) < 1:
                raise InputError(f"{field}.{name}", "both ends are the same point, which shows no direction")
        if not np.isfinite(camera.ground_points(self.shadow, self.level_m)).all():
            raise InputError(f"{field}.shadow", "lies above the horizon, so not on the ground")
        if self.runs == "plumb":
            return
        if self.height_m is None and self.foot is None:
            raise InputError(
                f"{field}.height_m",
                "a level edge's shadow runs along with it whatever the sun; its height is needed, or its foot",
            )
        if self.foot is not None and not np.isfinite(camera.ground_points([self.foot])).all():
            raise InputError(f"{field}.foot", "lies above the horizon, so not on the ground")
        height = float(self._heights(camera, self._marks()[0][None])[0])
        if not np.isfinite(height) or height <= self.level_m + 1e-6 * camera.position[2]:
            raise InputError(f"{field}.height_m", "the edge does not lie above the surface that its shadow falls on")
        steep = np.abs(camera.rays(self.edge)[:, 2])
        level = abs(height - camera.position[2]) < _HORIZON * camera.position[2]
        if level or (steep < _HORIZON).any() or not np.isfinite(camera.ground_points(self.edge, height)).all():
            raise InputError(f"{field}.edge", "lies at the height of the lens, where its distance can't be seen")

    def normals(self, camera: Pinhole) -> Array:
        """Unit vectors (1, 3) that are square to the sun it tells of."""
        pixels, _ = self._marks()
        shadow = camera.ground_points(pixels[2:4], self.level_m)
        way = shadow[1] - shadow[0]
        if self.runs == "plumb":
            return _units(np.array([[-way[1], way[0], 0.0]]))
        edge = camera.ground_points(pixels[:2], float(self._heights(camera, pixels[None])[0]))
        return _units(np.cross(edge[1] - edge[0], shadow.mean(0) - edge.mean(0))[None])

    def whitened(self, seen: SeenSun) -> Array:
        """Its constraints' values (K,) over their standard deviation for marks with an error of 1 px."""
        pixels, sigma = self._marks()
        if self.runs == "plumb":
            level = seen.direction * [1.0, 1.0, 0.0]
            value, slope = _collinear(pixels[2], pixels[3], seen.camera.project_direction(level))
            return np.array([value / max(float(np.linalg.norm(slope * np.repeat(sigma[2:4], 2))), 1e-30)])
        return _whitened(lambda marks: self._missed(seen, marks), pixels, sigma)

    def _marks(self) -> tuple[Array, Array]:
        """Edge, shadow and foot, (4 or 5, 2), and how each errs against a hand's mark."""
        pixels: list[Pixel] = []
        sigma: list[float] = []
        for drawn, sharp in ((self.edge, self.sharp_edge), (self.shadow, self.sharp_shadow)):
            pixels += [sharp.points[0], sharp.points[-1]] if sharp else drawn
            sigma += [_relative(sharp) if sharp else 1.0] * 2
        if self.runs == "level" and self.height_m is None and self.foot is not None:
            return np.array([*pixels, self.foot]), np.array([*sigma, 1.0])
        return np.array(pixels), np.array(sigma)

    def _heights(self, camera: Pinhole, marks: Array) -> Array:
        """The edge's height for each of (B, N, 2) sets of marks: as given, or where the foot's plumb meets it."""
        if self.height_m is not None or marks.shape[1] < 5:
            return np.full(len(marks), self.height_m if self.height_m is not None else np.nan)
        rays = camera.rays(marks[:, :2]).reshape(-1, 2, 3)
        plane = np.cross(rays[:, 0], rays[:, 1])
        foot = camera.ground_points(marks[:, 4])
        return np.asarray(((camera.position - foot) * plane).sum(1) / plane[:, 2])

    def _missed(self, seen: SeenSun, marks: Array) -> Array:
        """How far the shadows of the edge's ends fall beside the shadow's line, (B, 2) [m]."""
        camera = seen.camera
        heights = self._heights(camera, marks)
        edge = _on_planes(camera, marks[:, :2], heights)
        shadow = _on_planes(camera, marks[:, 2:4], np.full(len(marks), self.level_m))
        drop = (edge[..., 2] - self.level_m) / seen.direction[2]
        falls = edge - drop[..., None] * seen.direction
        way = shadow[:, 1] - shadow[:, 0]
        way = way / np.linalg.norm(way, axis=1, keepdims=True)
        off = falls - shadow[:, :1]
        return np.asarray(way[:, None, 0] * off[..., 1] - way[:, None, 1] * off[..., 0])


class BoxShadow(BaseModel):
    """A convex thing whose shape is known, and points along its shadow's outline on the ground [px].

    `corners` [m] are all of its corners: a box's eight.
    """

    model_config = ConfigDict(extra="forbid")
    corners: Annotated[list[Place], Field(min_length=4, max_length=200)]
    outline: Annotated[list[Pixel], Field(min_length=2, max_length=200)]

    @model_validator(mode="after")
    def _stands_up(self) -> BoxShadow:
        if max(corner[2] for corner in self.corners) <= 0:
            raise ValueError("corners lie on or below the ground, where they throw no shadow")
        return self

    def straightened(self, camera: Pinhole) -> BoxShadow:
        """Its marks as a lens without distortion would have shown them."""
        return self.model_copy(update={"outline": [_straight(camera, point) for point in self.outline]})

    def refuse(self, camera: Pinhole, field: str) -> None:
        """Raise an InputError if its outline can't lie on the ground."""
        for number, point in enumerate(camera.ground_points(self.outline)):
            if not np.isfinite(point).all():
                raise InputError(f"{field}.outline[{number}]", "lies above the horizon, so not on the ground")

    def whitened(self, seen: SeenSun) -> Array:
        """How far each point lies off the outline that the sun would throw, (N,) [px of 1 px]."""
        # Here: whoever only reads a document need not wait for it.
        from scipy.spatial import ConvexHull, QhullError

        corners = np.array(self.corners)
        falls = corners - corners[:, 2:] / seen.direction[2] * seen.direction
        try:
            around = ConvexHull(falls[:, :2])
        except QhullError:  # the shadow of a wall along which the sun shines is a line
            around = ConvexHull(falls[:, :2], qhull_options="QJ")
        hull = falls[around.vertices, :2]  # counter-clockwise
        way = np.roll(hull, -1, axis=0) - hull
        length = np.linalg.norm(way, axis=1)
        pixels = np.array(self.outline)
        steps = np.array([[0.0, 0.0], [_STEP_PX, 0.0], [0.0, _STEP_PX]])
        there = seen.camera.ground_points((pixels[:, None] + steps).reshape(-1, 2))[:, :2].reshape(-1, 3, 2)
        off = there[:, :, None] - hull  # points, steps, sides
        along = np.clip((off * way).sum(-1) / length**2, 0, 1)
        beside = (way[:, 0] * off[..., 1] - way[:, 1] * off[..., 0]) / length
        beyond = np.linalg.norm(off - along[..., None] * way, axis=-1)
        distance = np.where((along > 0) & (along < 1), beside, np.copysign(beyond, beside))
        side = np.abs(distance[:, 0]).argmin(1)
        values = distance[np.arange(len(pixels))[:, None], np.arange(3), side[:, None]]
        slope = np.linalg.norm(values[:, 1:] - values[:, :1], axis=1) / _STEP_PX
        return np.asarray(values[:, 0] / np.maximum(slope, 1e-30))


class Pointed(BaseModel):
    """The sun where it stands in the picture itself [px]."""

    model_config = ConfigDict(extra="forbid")
    at: Pixel

    def straightened(self, camera: Pinhole) -> Pointed:
        """Its mark as a lens without distortion would have shown it."""
        return Pointed.model_validate({"at": _straight(camera, self.at)})

    def refuse(self, camera: Pinhole, field: str) -> None:
        """Raise an InputError if it lies on the ground."""
        if camera.rays([self.at])[0, 2] <= 0:
            raise InputError(f"{field}.at", "lies below the horizon, where no sun stands")

    def normals(self, camera: Pinhole) -> Array:
        """Unit vectors (2, 3) that are square to it."""
        return np.asarray(np.linalg.svd(camera.rays([self.at]))[2][1:])

    def whitened(self, seen: SeenSun) -> Array:
        """How far it lies beside the direction, (2,) [px of 1 px]."""
        across = self.normals(seen.camera)

        def beside(marks: Array) -> Array:
            rays = seen.camera.rays(marks[:, 0])
            return np.asarray((seen.direction - (rays @ seen.direction)[:, None] * rays) @ across.T)

        return _whitened(beside, np.array([self.at]), np.ones(1))


ShadowMark = Gnomon | ShadowEdge | BoxShadow | Pointed


def _straight(camera: Pinhole, point: Pixel | None) -> Pixel | None:
    if point is None:
        return None
    x, y = camera.straightened([point])[0]
    return float(x), float(y)


def _straight_line(camera: Pinhole, line: SharpLine | None) -> SharpLine | None:
    if line is None:
        return None
    return line.model_copy(update={"points": [_straight(camera, point) for point in line.points]})


def _straight_point(camera: Pinhole, point: SharpPoint | None) -> SharpPoint | None:
    return None if point is None else point.model_copy(update={"at": _straight(camera, point.at)})


def _relative(mark: SharpLine | SharpPoint) -> float:
    """How a refined mark errs against a hand's."""
    return max(mark.sigma_px, SHADOW_SIGMA_PX) / HAND_SIGMA_PX


def _units(vectors: Array) -> Array:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-12))


def _rise(camera: Pinhole, foot: Array, way: Array, top: Pixel) -> float:
    """How far along a way (3,) from a place (3,) the point lies that is nearest to the ray through a pixel."""
    matrix = np.column_stack([way, -camera.rays([top])[0]])
    return float(np.linalg.lstsq(matrix, camera.position - foot, rcond=None)[0][0])


def _collinear(p: Array, q: Array, v: Array) -> tuple[float, Array]:
    """v · (p × q) for pixels p, q and a homogeneous point v, and its slope (4,) by p and q."""
    (px, py), (qx, qy) = p, q
    vx, vy, vz = v / np.sqrt(v @ v)
    value = vx * (py - qy) + vy * (qx - px) + vz * (px * qy - py * qx)
    return float(value), np.array([qy * vz - vy, vx - qx * vz, vy - vz * py, vz * px - vx])


def _whitened(values: Callable[[Array], Array], pixels: Array, sigma: Array) -> Array:
    """Constraints (K,) over the Cholesky factor of their covariance.

    Parameters
    ----------
    values : the constraints (B, K) for sets of marks (B, N, 2).
    sigma : (N,) how each mark errs [px].
    """
    count = pixels.size
    moves = _STEP_PX * np.eye(count).reshape(count, *pixels.shape)
    every = values(np.concatenate([pixels[None], pixels + moves, pixels - moves]))
    slopes = (every[1 : 1 + count] - every[1 + count :]).T / (2 * _STEP_PX) * np.repeat(sigma, 2)
    return _over(every[0], slopes @ slopes.T)


def _over(values: Array, covariance: Array) -> Array:
    """Values (K,) over the Cholesky factor of their covariance (K, K).

    In plain numbers: for two or three of them, at every move of a drag, arrays cost more than the sums.
    """
    rows, left = covariance.tolist(), values.tolist()
    if not all(math.isfinite(value) for value in [*left, *(row[i] for i, row in enumerate(rows))]):
        return np.full(len(left), BEYOND)
    factor: list[list[float]] = []
    found: list[float] = []
    for i, row in enumerate(rows):
        own: list[float] = []
        for j in range(i):
            own.append((row[j] - sum(a * b for a, b in zip(own, factor[j], strict=False))) / factor[j][j])
        own.append(math.sqrt(max(row[i] - sum(a * a for a in own), 1e-10 * row[i], 1e-60)))
        factor.append(own)
        found.append((left[i] - sum(a * b for a, b in zip(own, found, strict=False))) / own[i])
    return np.array(found)


def _on_planes(camera: Pinhole, pixels: Array, heights: Array) -> Array:
    """Where rays through pixels (B, N, 2) meet the planes z = heights (B,), (B, N, 3)."""
    rays = camera.rays(pixels).reshape(*pixels.shape[:2], 3)
    reach = (heights[:, None] - camera.position[2]) / rays[..., 2]
    return np.asarray(camera.position + reach[..., None] * rays)
