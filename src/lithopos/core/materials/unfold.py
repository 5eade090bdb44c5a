"""A surface laid flat about a point: where each of its vertices comes to lie on a sheet that is stuck on there.

The discrete exponential map (Schmidt, Grimm and Wyvill 2006, "Interactive Decal Compositing with Discrete
Exponential Maps", section 4): distances run along the surface, directions are carried along by the least turn from
normal to normal, so that a patch follows a curve without being smeared. Each vertex takes the mean of what its
nearer neighbours say (Schmidt 2013, "Stroke Parameterization", section 3.1), which evens out a coarse mesh.
"""

from __future__ import annotations

import heapq
from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array

MOST_VERTICES = 200_000

__all__ = ["unfold"]


def unfold(
    vertices: Array, faces: NDArray[np.int64], at: Array, facing: Array, up: Array, reach: float
) -> tuple[Array, NDArray[np.bool_]]:
    """Flat coordinates of the vertices about a point of the surface.

    Parameters
    ----------
    vertices, faces : (N, 3) and (M, 3); vertices at one place count as one.
    at, facing : (3,) the point and its outward normal.
    up : (3,) what is up on the sheet, as far as it lies in the surface.
    reach : how far from the point the sheet is needed.

    Returns
    -------
    (N, 2) flat : to the right and up on the sheet, in the units of the vertices; and (M,) which faces lie on it.
    """
    welded, back = _welded(vertices)
    joined = back[faces]
    normals = _normals(welded, joined)
    seed_frame = _frame(facing, up)
    start = _hit_face(welded, joined, at, facing)
    flat, distance = _spread(welded, joined, normals, at, seed_frame, start, reach)
    known = np.isfinite(distance)
    reached = known[joined].all(1)
    return flat[back], np.asarray(reached)


def _welded(vertices: Array) -> tuple[Array, NDArray[np.int64]]:
    """One vertex a place, and which each of the given ones is."""
    low = vertices.min(0)
    grain = max(float(np.ptp(vertices, axis=0).max()), 1e-9) * 2.0**-19
    _, first, back = np.unique(np.round((vertices - low) / grain), axis=0, return_index=True, return_inverse=True)
    return vertices[first], np.asarray(back.ravel(), np.int64)


def _normals(vertices: Array, faces: NDArray[np.int64]) -> Array:
    """Of vertices, weighed by the areas beside them."""
    corners = vertices[faces]
    area = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals = np.zeros_like(vertices)
    for corner in range(3):
        np.add.at(normals, faces[:, corner], area)
    return np.asarray(normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20))


def _frame(normal: Array, up: Array) -> Array:
    """Rows: right, up and out of a sheet."""
    out = normal / np.linalg.norm(normal)
    level = np.cross(up, out)
    if np.linalg.norm(level) < 0.05:
        level = np.cross([0.0, 1, 0] if abs(out[1]) < 0.9 else [1.0, 0, 0], out)
    right = level / np.linalg.norm(level)
    return np.stack([right, np.cross(out, right), out])


def _hit_face(vertices: Array, faces: NDArray[np.int64], at: Array, facing: Array) -> int:
    """The face that a point lies on: of those that look its way, the nearest."""
    corners = vertices[faces]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.maximum(np.linalg.norm(normal, axis=1), 1e-20)
    away = np.linalg.norm(at - _nearest_on(corners, at), axis=1)
    turned = (normal @ facing) / length < 0.2
    return int(np.argmin(away + np.where(turned, 1e3 * away.max() + 1, 0)))


def _nearest_on(corners: Array, at: Array) -> Array:
    """The nearest point of each triangle (Ericson 2005, section 5.1.5, by regions), (N, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    area = np.maximum(np.einsum("ij,ij->i", normal, normal), 1e-30)
    weights = np.stack(
        [np.einsum("ij,ij->i", np.cross(q - p, at - p), normal) / area for p, q in ((b, c), (c, a), (a, b))], axis=1
    )
    inside = (weights >= 0).all(1)
    found = np.einsum("ni,nij->nj", weights, corners)
    best = np.where(inside, np.linalg.norm(found - at, axis=1), np.inf)
    for p, q in ((a, b), (b, c), (c, a)):
        edge = q - p
        share = np.einsum("ij,ij->i", at - p, edge) / np.maximum(np.einsum("ij,ij->i", edge, edge), 1e-30)
        point = p + np.clip(share, 0, 1)[:, None] * edge
        away = np.linalg.norm(point - at, axis=1)
        nearer = away < best
        found[nearer], best[nearer] = point[nearer], away[nearer]
    return np.asarray(found)


def _spread(
    vertices: Array,
    faces: NDArray[np.int64],
    normals: Array,
    at: Array,
    frame: Array,
    start: int,
    reach: float,
) -> tuple[Array, Array]:
    """Flat coordinates and distances along the mesh, from the nearest outwards (Dijkstra 1959)."""
    beside = _neighbours(faces)
    widest = _longest_edges(vertices, faces)
    flat = np.zeros((len(vertices), 2))
    distance = np.full(len(vertices), np.inf)
    done = np.zeros(len(vertices), bool)
    frames: dict[int, Array] = {}
    queue: list[tuple[float, int]] = []
    for vertex in faces[start]:
        flat[vertex] = _carried(vertices[vertex] - at, frame)
        distance[vertex] = np.linalg.norm(flat[vertex])
        heapq.heappush(queue, (float(distance[vertex]), int(vertex)))
    first = {int(vertex) for vertex in faces[start]}
    count = 0
    while queue and count < MOST_VERTICES:
        away, vertex = heapq.heappop(queue)
        if done[vertex]:
            continue
        done[vertex] = True
        count += 1
        if vertex not in first:
            flat[vertex] = _mean_of(vertex, beside, done, flat, vertices, frames)
        # Beyond the sheet's end only where a face that is wide itself may come back to it.
        if float(frame[2] @ normals[vertex]) < -0.95 or away - widest[vertex] > 1.5 * reach:
            continue
        frames[vertex] = _turned(frame, normals[vertex])
        for other in beside[vertex]:
            through = away + float(np.linalg.norm(vertices[other] - vertices[vertex]))
            if not done[other] and through < distance[other]:
                distance[other] = through
                heapq.heappush(queue, (through, other))
    distance[~done] = np.inf
    return flat, distance


def _longest_edges(vertices: Array, faces: NDArray[np.int64]) -> Array:
    """Of each vertex the longest edge that ends there."""
    longest = np.zeros(len(vertices))
    for one, other in ((0, 1), (1, 2), (2, 0)):
        length = np.linalg.norm(vertices[faces[:, one]] - vertices[faces[:, other]], axis=1)
        np.maximum.at(longest, faces[:, one], length)
        np.maximum.at(longest, faces[:, other], length)
    return longest


def _neighbours(faces: NDArray[np.int64]) -> dict[int, list[int]]:
    pairs = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    pairs = np.unique(np.concatenate([pairs, pairs[:, ::-1]]), axis=0)
    found: dict[int, list[int]] = defaultdict(list)
    for one, other in pairs.tolist():
        found[one].append(other)
    return found


def _mean_of(
    vertex: int,
    beside: dict[int, list[int]],
    done: NDArray[np.bool_],
    flat: Array,
    vertices: Array,
    frames: dict[int, Array],
) -> Array:
    """What the neighbours that are laid already say of a vertex, the near ones more."""
    total, weight = np.zeros(2), 0.0
    for other in beside[vertex]:
        if not done[other] or other not in frames:
            continue
        step = vertices[vertex] - vertices[other]
        share = 1 / max(float(np.linalg.norm(step)), 1e-12)
        total += share * (flat[other] + _carried(step, frames[other]))
        weight += share
    return total / weight if weight else flat[vertex]


def _carried(step: Array, frame: Array) -> Array:
    """A step along the surface as a step on the sheet: its direction in the tangent plane, its whole length."""
    flat = frame[:2] @ step
    length = float(np.linalg.norm(flat))
    return np.asarray(flat * (np.linalg.norm(step) / length) if length > 1e-12 else flat)


def _turned(frame: Array, normal: Array) -> Array:
    """A frame turned by the least turn that brings its outward direction onto a normal."""
    out = frame[2]
    axis = np.cross(out, normal)
    sine, cosine = float(np.linalg.norm(axis)), float(out @ normal)
    if sine < 1e-9:
        return frame
    k = axis / sine
    # Rodrigues' rotation of the rows.
    return np.asarray(
        frame * cosine + np.cross(np.broadcast_to(k, frame.shape), frame) * sine + np.outer(frame @ k, k) * (1 - cosine)
    )
