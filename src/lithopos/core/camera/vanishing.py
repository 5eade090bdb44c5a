"""Marked edges and the points where they vanish.

An edge with n points enters as two stand-in points with the same centre and spread, weighted √(n/2):
the sum of squared distances of the n points from any line is then the same, up to a constant
(the points' own crookedness).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.camera.problem import Run

RUNS: tuple[Run, Run, Run] = ("a", "b", "plumb")
RUN_WORDS: dict[Run, str] = {"a": "run A", "b": "run B", "plumb": "plumb"}
RUN_LETTERS = "ABP"

__all__ = [
    "RUNS",
    "RUN_LETTERS",
    "RUN_WORDS",
    "Edges",
    "Marks",
    "edge_residuals",
    "kept",
    "pair_edges",
    "reduce_edges",
    "vanishing_point",
]


@dataclass(frozen=True)
class Edges:
    """Edges in the solver's coordinates (pixels from the principal point, over the half diagonal).

    Attributes
    ----------
    first, second : (N, 2) stand-in points.
    moment : (N, 3) the line through them, first × second, homogeneous.
    weight : (N,) √(n/2), times how much better than by hand they are known.
    crooked : (N,) sum of squared, weighted distances of the points from their own best line.
    run : (N,) 0 for A, 1 for B, 2 for plumb.
    points : (N,) number of marked points.
    """

    first: Array
    second: Array
    moment: Array
    weight: Array
    crooked: Array
    run: NDArray[np.intp]
    points: NDArray[np.intp]


@dataclass(frozen=True)
class Marks:
    """Marked points of several edges, one after the other.

    Attributes
    ----------
    points : (P, 2) in the solver's coordinates.
    counts : (N,) points of each edge, two or more.
    run : (N,) 0 for A, 1 for B, 2 for plumb.
    weight : (N,) how much better than by hand each edge's points are known; None: all by hand.
    """

    points: Array
    counts: NDArray[np.intp]
    run: NDArray[np.intp]
    weight: Array | None = None


def kept(marks: Marks, which: NDArray[np.bool_]) -> Marks:
    """The marks of some of the edges, (N,) true for those."""
    weight = None if marks.weight is None else marks.weight[which]
    return Marks(marks.points[np.repeat(which, marks.counts)], marks.counts[which], marks.run[which], weight)


def reduce_edges(marks: Marks) -> tuple[Edges, Array]:
    """Edges by their stand-in points, and how far each point is off its edge's own best line, weighted, (P,)."""
    counts, points = marks.counts, marks.points
    if not len(counts):
        nothing = np.zeros((0, 2))
        return Edges(nothing, nothing, np.zeros((0, 3)), np.zeros(0), np.zeros(0), marks.run, counts), np.zeros(0)
    first = np.concatenate([[0], np.cumsum(counts)[:-1]])
    centre = np.add.reduceat(points, first) / counts[:, None]
    away = points - np.repeat(centre, counts, axis=0)
    xx, xy, yy = (
        np.add.reduceat(product, first) for product in (away[:, 0] ** 2, away[:, 0] * away[:, 1], away[:, 1] ** 2)
    )
    angle = 0.5 * np.arctan2(2 * xy, xx - yy)  # of the principal axis of the points' scatter
    along = np.column_stack([np.cos(angle), np.sin(angle)])
    spread = xx * along[:, 0] ** 2 + 2 * xy * along[:, 0] * along[:, 1] + yy * along[:, 1] ** 2
    half = along * np.sqrt(spread / counts)[:, None]
    side = np.repeat(np.column_stack([-along[:, 1], along[:, 0]]), counts, axis=0)
    weight = np.ones(len(counts)) if marks.weight is None else marks.weight
    off_line = (away * side).sum(1) * np.repeat(weight, counts)
    crooked = np.where(counts > 2, np.add.reduceat(off_line**2, first), 0.0)
    one, two = centre - half, centre + half
    return Edges(one, two, _moments(one, two), weight * np.sqrt(counts / 2), crooked, marks.run, counts), off_line


def _moments(first: Array, second: Array) -> Array:
    """The lines (N, 3) through pairs of points (N, 2): first × second, homogeneous."""
    (x1, y1), (x2, y2) = first.T, second.T
    return np.column_stack([y1 - y2, x2 - x1, x1 * y2 - x2 * y1])


def pair_edges(first: Array, second: Array, run: NDArray[np.intp]) -> Edges:
    """Edges of two points each, (N, 2) and (N, 2)."""
    count = len(first)
    return Edges(first, second, _moments(first, second), np.ones(count), np.zeros(count), run, np.full(count, 2))


def _least_direction(rows: Array) -> Array:
    """The unit vector (3,) that rows (N, 3), two or more, are nearest to square to."""
    if len(rows) == 2:
        return np.asarray(np.linalg.svd(rows)[2][-1])  # the third direction needs the full form
    return np.asarray(np.linalg.svd(rows, full_matrices=False)[2][-1])


def vanishing_point(edges: Edges, run: int) -> Array | None:
    """Homogeneous vanishing point (3,) of one run by SVD; None with fewer than two edges.

    Long edges count more: the moment's length is the edge's length. Source: Hartley & Zisserman,
    Multiple View Geometry, 2nd ed., section 8.6.
    """
    mine = edges.run == run
    if np.count_nonzero(mine) < 2:
        return None
    return np.asarray(_least_direction(edges.moment[mine] * edges.weight[mine, None]))


def edge_residuals(edges: Edges, vanishing: Array) -> tuple[Array, Array]:
    """How far each edge is from passing through its vanishing point, to first order exact.

    The smallest movement of both ends that makes edge and vanishing point collinear (Sampson's
    distance, Hartley & Zisserman section 4.2.6, for the bilinear constraint v · (p × q) = 0).

    Parameters
    ----------
    vanishing : (N, 3) each edge's homogeneous vanishing point; its length does not matter.

    Returns
    -------
    (N,) weighted residuals, and their derivatives (N, 3) by the vanishing point.
    """
    v = vanishing
    to_first = v[:, :2] - v[:, 2:] * edges.first
    to_second = v[:, :2] - v[:, 2:] * edges.second
    square = np.maximum((to_first**2).sum(1) + (to_second**2).sum(1), 1e-30)
    norm = np.sqrt(square)
    value = (edges.moment * v).sum(1) / norm
    both = to_first + to_second
    depth = -((edges.first * to_first).sum(1) + (edges.second * to_second).sum(1))
    slope = edges.moment / norm[:, None] - (value / square)[:, None] * np.column_stack([both, depth])
    return value * edges.weight, slope * edges.weight[:, None]
