"""A surface laid flat about a point: where each of its vertices comes to lie on a sheet that is stuck on there.

Triangles are unfolded over their common edges from the point outwards, in the order of their distance along the
surface (as in Dijkstra 1959), so that what can be laid flat, a board's sides or a barrel, keeps its lengths exactly.
What can't, a ball, is evened out: a vertex takes the mean of what the triangles say that are laid before it (the
remedy of Schmidt 2013, "Stroke Parameterization", section 3.1, for the discrete exponential map).
"""

from __future__ import annotations

import heapq
from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array

MOST_VERTICES = 200_000
MOST_DISTORTED = 0.25
ALIKE = 0.2  # of a vertex's longest edge: places told of it that differ by less are evened out

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
    start = _hit_face(welded, joined, at, facing)
    flat, known = _spread(welded, joined, at, _frame(facing, up), start, reach)
    return flat[back], np.asarray(known[joined].all(1) & _keep_their_shape(welded[joined], flat[joined]))


def _welded(vertices: Array) -> tuple[Array, NDArray[np.int64]]:
    """One vertex a place, and which each of the given ones is."""
    low = vertices.min(0)
    grain = max(float(np.ptp(vertices, axis=0).max()), 1e-9) * 2.0**-19
    _, first, back = np.unique(np.round((vertices - low) / grain), axis=0, return_index=True, return_inverse=True)
    return vertices[first], np.asarray(back.ravel(), np.int64)


def _keep_their_shape(corners: Array, flat: Array) -> NDArray[np.bool_]:
    """Triangles whose sides are about as long on the sheet; round the back, where it meets itself, they are not."""
    shares = []
    for one, other in ((0, 1), (1, 2), (2, 0)):
        length = np.linalg.norm(corners[:, one] - corners[:, other], axis=1)
        shares.append(np.linalg.norm(flat[:, one] - flat[:, other], axis=1) / np.maximum(length, 1e-15))
    share = np.stack(shares)
    return np.asarray((share.min(0) > 1 - MOST_DISTORTED) & (share.max(0) < 1 + MOST_DISTORTED))


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
    vertices: Array, faces: NDArray[np.int64], at: Array, frame: Array, start: int, reach: float
) -> tuple[Array, NDArray[np.bool_]]:
    """Flat coordinates of the vertices, and which have any."""
    flat = np.zeros((len(vertices), 2))
    known = np.zeros(len(vertices), bool)
    first = faces[start]
    flat[first] = (vertices[first] - at) @ frame[:2].T
    known[first] = True
    around = _around(faces)
    widest = _longest_edges(vertices, faces)
    queue: list[tuple[float, int]] = []

    def unfolded(vertex: int) -> list[Array]:
        """What the faces say of a vertex of which the two others are known."""
        found = []
        for face in around[vertex]:
            corner = int(np.nonzero(faces[face] == vertex)[0][0])
            one, other = faces[face][(corner + 1) % 3], faces[face][(corner + 2) % 3]
            if known[one] and known[other]:
                side = _known_side(int(one), int(other), vertex)
                if side is not None:
                    found.append(_over_edge(vertices, flat, int(one), int(other), vertex, side))
        return found

    def _known_side(one: int, other: int, vertex: int) -> Array | None:
        """Where the sheet lies already beside an edge; faces may be wound either way, so that alone tells the side."""
        for face in around[one]:
            third = [int(corner) for corner in faces[face] if corner not in (one, other)]
            if len(third) == 1 and third[0] != vertex and known[third[0]]:
                return flat[third[0]]
        return None

    def ask_beside(vertex: int) -> None:
        for face in around[vertex]:
            for other in faces[face]:
                if not known[other]:
                    for place in unfolded(int(other)):
                        heapq.heappush(queue, (float(np.hypot(*place)), int(other)))

    for vertex in first:
        ask_beside(int(vertex))
    count = 0
    while queue and count < MOST_VERTICES:
        away, vertex = heapq.heappop(queue)
        if known[vertex]:
            continue
        flat[vertex] = _agreed(unfolded(vertex), ALIKE * widest[vertex])
        known[vertex] = True
        count += 1
        # Beyond the sheet's end only where a face that is wide itself may come back to it.
        if away - widest[vertex] < 1.5 * reach:
            ask_beside(vertex)
    return flat, known


def _agreed(told: list[Array], apart: float) -> Array:
    """The mean of those places that agree with the one nearest to the sheet's middle: round a corner that can't be
    laid flat, ways about it lead to quite different ones."""
    places = np.array(told)
    nearest = places[int(np.argmin(np.linalg.norm(places, axis=1)))]
    return np.asarray(places[np.linalg.norm(places - nearest, axis=1) <= apart].mean(0))


def _around(faces: NDArray[np.int64]) -> dict[int, list[int]]:
    """The faces at each vertex; those without an area, whose corners are one place, are left out."""
    found: dict[int, list[int]] = defaultdict(list)
    for number, (a, b, c) in enumerate(faces.tolist()):
        if a not in (b, c) and b != c:
            for vertex in (a, b, c):
                found[vertex].append(number)
    return found


def _over_edge(vertices: Array, flat: Array, one: int, other: int, vertex: int, side: Array) -> Array:
    """A triangle's third corner on the sheet: as far along and beside its known edge as in space, on the edge's other
    side than a point of the sheet."""
    edge, step = vertices[other] - vertices[one], vertices[vertex] - vertices[one]
    length = max(float(np.linalg.norm(edge)), 1e-15)
    along = float(step @ edge) / length
    beside = float(np.linalg.norm(np.cross(edge, step))) / length
    laid = flat[other] - flat[one]
    laid = laid / max(float(np.hypot(*laid)), 1e-15)
    across = np.array([-laid[1], laid[0]])
    way = -1.0 if (side - flat[one]) @ across > 0 else 1.0
    return np.asarray(flat[one] + along * laid + way * beside * across)


def _longest_edges(vertices: Array, faces: NDArray[np.int64]) -> Array:
    """Of each vertex the longest edge that ends there."""
    longest = np.zeros(len(vertices))
    for one, other in ((0, 1), (1, 2), (2, 0)):
        length = np.linalg.norm(vertices[faces[:, one]] - vertices[faces[:, other]], axis=1)
        np.maximum.at(longest, faces[:, one], length)
        np.maximum.at(longest, faces[:, other], length)
    return longest
