"""Uneven ground: a height laid over a level plane by a few pulled points.

Each point's pull fades out at its reach by Wendland's function (1 - r)^4 (4 r + 1), which is smooth, positive definite
in the plane and 0 from there on (Wendland 1995, "Piecewise polynomial, positive definite and compactly supported radial
functions of minimal degree"): so the surface goes through all points and meets the plane without a step.
"""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.place.face import Face

CELLS_A_REACH, MOST_CELLS = 6, 15  # of the grid, along each side: its sides are few enough to be lit each by itself
FARTHEST = 5.0  # reaches along a side: a coarser grid would lose what is pulled
APART = 1e-3  # of the reach: points nearer to one another are one

__all__ = ["bounds_of", "height_on", "heights_at", "laid_out"]


def heights_at(at: Array, points: Array, heights_m: Array, reach_m: float) -> Array:
    """Heights (N,) [m] over the plane at places (N, 2) [m], by points (P, 2) that are pulled to `heights_m` (P,).

    Raises
    ------
    ValueError
        If two points are the same.
    """
    between = _fading(points, points, reach_m)
    if (between - np.eye(len(points))).max(initial=0) > float(_wendland(np.array(APART))):
        raise ValueError("two of its points are the same")
    return np.asarray(_fading(at, points, reach_m) @ np.linalg.solve(between, heights_m))


def bounds_of(points: Array, reach_m: float) -> tuple[float, float, float, float]:
    """The rectangle x0, y0, x1, y1 [m] outside of which the plane is level."""
    (x0, y0), (x1, y1) = points.min(0) - reach_m, points.max(0) + reach_m
    return float(x0), float(y0), float(x1), float(y1)


def laid_out(points: Array, heights_m: Array, reach_m: float, base_m: float) -> list[Face]:
    """The surface in quadrilaterals over its whole rectangle, looking up, smooth where they meet.

    Raises
    ------
    ValueError
        If two points are the same, or too far apart for such a reach.
    """
    x0, y0, x1, y1 = bounds_of(points, reach_m)
    if max(x1 - x0, y1 - y0) > FARTHEST * reach_m:
        raise ValueError("its points lie too far apart for such a reach: draw a second one, or let it reach farther")
    columns, rows = (min(round(CELLS_A_REACH * side / reach_m), MOST_CELLS) for side in (x1 - x0, y1 - y0))
    x, y = np.linspace(x0, x1, columns + 1), np.linspace(y0, y1, rows + 1)
    flat = np.stack(np.meshgrid(x, y, indexing="ij"), -1)

    def over(dx: float, dy: float) -> Array:
        moved = (flat + [dx, dy]).reshape(-1, 2)
        return heights_at(moved, points, heights_m, reach_m).reshape(flat.shape[:2])

    step = reach_m * 1e-3
    slope = np.stack([over(step, 0) - over(-step, 0), over(0, step) - over(0, -step)], -1) / (2 * step)
    normals = np.concatenate([-slope, np.ones((*slope.shape[:2], 1))], -1)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    places = np.concatenate([flat, base_m + over(0, 0)[..., None]], -1)
    faces = []
    for i in range(columns):
        for j in range(rows):
            ring = ([i, i + 1, i + 1, i], [j, j, j + 1, j + 1])
            faces.append(Face(places[ring], normals[ring]))
    return faces


def height_on(sides: Array, at: Array) -> float | None:
    """How high (z) [m] a surface lies at a place (2,), by its sides' corners (F, 4, 3); None beside it."""
    low, high = sides[:, 0, :2], sides[:, 2, :2]
    over = np.flatnonzero(((at >= low) & (at <= high)).all(1))
    if not len(over):
        return None
    u, v = (at - low[over[0]]) / (high[over[0]] - low[over[0]])
    return float(np.array([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v]) @ sides[over[0], :, 2])


def _fading(at: Array, points: Array, reach_m: float) -> Array:
    return _wendland(np.linalg.norm(at[:, None] - points[None], axis=-1) / reach_m)


def _wendland(r: Array) -> Array:
    return np.asarray(np.maximum(1 - r, 0) ** 4 * (4 * r + 1))
