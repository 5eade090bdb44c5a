"""Marked edges and the points where they vanish.

An edge with n points enters as two stand-in points with the same centre and spread, weighted √(n/2):
the sum of squared distances of the n points from any line is then the same, up to a constant
(the points' own crookedness).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

__all__ = ["Edges", "edge_residuals", "pair_edges", "reduce_edges", "vanishing_point"]


@dataclass(frozen=True)
class Edges:
    """Edges in the solver's coordinates (pixels from the principal point, over the half diagonal).

    Attributes
    ----------
    first, second : (N, 2) stand-in points.
    moment : (N, 3) the line through them, first × second, homogeneous.
    weight : (N,) √(n/2).
    crooked : (N,) sum of squared distances of the points from their own best line.
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


def reduce_edges(edges: list[Array], run: list[int]) -> Edges:
    """Reduce edges, each (n, 2) with n ≥ 2, to their stand-in points."""
    first, second, weight, crooked = [], [], [], []
    for points in edges:
        if len(points) == 2:
            first.append(points[0])
            second.append(points[1])
            weight.append(1.0)
            crooked.append(0.0)
            continue
        centre = points.mean(0)
        _, spread, axes = np.linalg.svd(points - centre, full_matrices=False)
        half = axes[0] * spread[0] / np.sqrt(len(points))
        first.append(centre - half)
        second.append(centre + half)
        weight.append(np.sqrt(len(points) / 2))
        crooked.append(spread[1] ** 2 if len(spread) > 1 else 0.0)
    one, two = np.array(first, float).reshape(-1, 2), np.array(second, float).reshape(-1, 2)
    counts = np.array([len(points) for points in edges])
    return Edges(one, two, _moments(one, two), np.array(weight), np.array(crooked), np.array(run, np.intp), counts)


def _moments(first: Array, second: Array) -> Array:
    """The lines (N, 3) through pairs of points (N, 2): first × second, homogeneous."""
    (x1, y1), (x2, y2) = first.T, second.T
    return np.column_stack([y1 - y2, x2 - x1, x1 * y2 - x2 * y1])


def pair_edges(first: Array, second: Array, run: NDArray[np.intp]) -> Edges:
    """Edges of two points each, (N, 2) and (N, 2)."""
    count = len(first)
    return Edges(first, second, _moments(first, second), np.ones(count), np.zeros(count), run, np.full(count, 2))


def vanishing_point(edges: Edges, run: int) -> Array | None:
    """Homogeneous vanishing point (3,) of one run by SVD; None with fewer than two edges.

    Long edges count more: the moment's length is the edge's length. Source: Hartley & Zisserman,
    Multiple View Geometry, 2nd ed., section 8.6.
    """
    mine = edges.run == run
    if np.count_nonzero(mine) < 2:
        return None
    return np.asarray(np.linalg.svd(edges.moment[mine] * edges.weight[mine, None])[2][-1])


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
