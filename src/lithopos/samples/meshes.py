"""Triangle meshes for the sample places and models: boxes, lathes, tubes, grids, leaves.

All lengths in metres, z up. A mesh has one row a vertex and faces wound anticlockwise from outside.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Mesh:
    """Vertices (N, 3) [m], normals (N, 3), texture coordinates (N, 2) and triangles (M, 3)."""

    vertices: Array
    normals: Array
    uv: Array
    faces: NDArray[np.int64]

    def moved(self, offset: Sequence[float], turn_deg: float = 0.0) -> Mesh:
        """The mesh turned about the plumb line by `turn_deg`, then moved by `offset` [m]."""
        angle = np.radians(turn_deg)
        turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
        return self.transformed(turn, offset)

    def transformed(self, rotation: Array, offset: Sequence[float] = (0, 0, 0)) -> Mesh:
        """The mesh turned by a rotation matrix (3, 3), then moved by `offset` [m]."""
        return Mesh(
            self.vertices @ rotation.T + np.asarray(offset, float),
            self.normals @ rotation.T,
            self.uv,
            self.faces,
        )


def join(meshes: Iterable[Mesh]) -> Mesh:
    """One mesh of several."""
    parts = list(meshes)
    starts = np.cumsum([0] + [len(part.vertices) for part in parts[:-1]])
    return Mesh(
        np.concatenate([part.vertices for part in parts]),
        np.concatenate([part.normals for part in parts]),
        np.concatenate([part.uv for part in parts]),
        np.concatenate([part.faces + start for part, start in zip(parts, starts, strict=True)]),
    )


def grid_faces(rows: int, columns: int) -> NDArray[np.int64]:
    """Triangles of a grid of rows × columns vertices, numbered row by row."""
    corner = (np.arange(rows - 1)[:, None] * columns + np.arange(columns - 1)).ravel()
    right, below = corner + 1, corner + columns
    return np.concatenate([np.stack([corner, right, below + 1], 1), np.stack([corner, below + 1, below], 1)]).astype(
        np.int64
    )


def smooth_normals(vertices: Array, faces: NDArray[np.int64]) -> Array:
    """Area-weighted vertex normals."""
    a, b, c = (vertices[faces[:, i]] for i in range(3))
    normals = np.zeros_like(vertices)
    for i in range(3):
        np.add.at(normals, faces[:, i], np.cross(b - a, c - a))
    return normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)


def surface(points: Array, uv: Array) -> Mesh:
    """A smooth surface through a grid of points (rows, columns, 3)."""
    rows, columns = points.shape[:2]
    vertices, faces = points.reshape(-1, 3), grid_faces(rows, columns)
    return Mesh(vertices, smooth_normals(vertices, faces), uv.reshape(-1, 2), faces)


def bevelled_box(size: Sequence[float], bevel: float, steps: int = 2) -> Mesh:
    """A box about the origin with round edges of radius `bevel` [m].

    Texture coordinates are metres along the two axes of each face.
    """
    half = np.asarray(size, float) / 2
    core = half - bevel
    corner = bevel * np.tan(np.linspace(0, np.pi / 4, steps + 1))
    parts = []
    for axis in range(3):
        one, two = (axis + 1) % 3, (axis + 2) % 3
        along = [np.concatenate([-core[i] - corner[::-1], core[i] + corner]) for i in (one, two)]
        for side in (-1.0, 1.0):
            u, v = np.meshgrid(along[0], along[1] * side, indexing="xy")
            face = np.empty((*u.shape, 3))
            face[..., axis], face[..., one], face[..., two] = side * half[axis], u, v
            inner = np.clip(face, -core, core)
            normal = face - inner
            normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12)
            parts.append(
                Mesh(
                    (inner + bevel * normal).reshape(-1, 3),
                    normal.reshape(-1, 3),
                    np.stack([u, v], -1).reshape(-1, 2),
                    grid_faces(*u.shape),
                )
            )
    return join(parts)


def lathe(profile: Sequence[tuple[float, float]], segments: int = 64, sharp: bool = False) -> Mesh:
    """A solid turned about the plumb line; `profile` lists (radius, height) [m] from the foot up.

    With `sharp`, corners of the profile are kept as edges.
    """
    points = np.asarray(profile, float)
    pieces = [points[i : i + 2] for i in range(len(points) - 1)] if sharp else [points]
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    parts = []
    for piece in pieces:
        grid = np.stack(
            [
                piece[:, None, 0] * np.cos(angle),
                piece[:, None, 0] * np.sin(angle),
                np.broadcast_to(piece[:, None, 1], (len(piece), segments + 1)),
            ],
            -1,
        )
        reach = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(piece, axis=0), axis=1))])
        uv = np.stack(np.broadcast_arrays(angle * piece[:, :1].max(), reach[:, None]), -1)
        parts.append(surface(grid, uv))
    return join(parts)


def tube(path: Array, radius: float | Array, segments: int = 24) -> Mesh:
    """A round tube of `radius` [m] along a path (N, 3) [m], closed at both ends by a point."""
    path = np.asarray(path, float)
    radii = np.broadcast_to(np.asarray(radius, float), (len(path),))
    tangent = np.gradient(path, axis=0)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    guide = np.eye(3)[int(np.argmin(np.ptp(path, axis=0)))]  # the axis that the path never runs along
    side = np.cross(tangent, guide)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    up = np.cross(tangent, side)
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    ring = np.cos(angle)[:, None] * side[:, None] + np.sin(angle)[:, None] * up[:, None]
    body = path[:, None] + radii[:, None, None] * ring
    ends = [np.broadcast_to(path[i], (1, segments + 1, 3)) for i in (0, -1)]
    grid = np.concatenate([ends[0], body, ends[1]])
    uv = np.stack(np.broadcast_arrays(angle * 0.1, np.linspace(0, 1, len(grid))[:, None]), -1)
    return surface(grid, uv)


def leaves(centre: Sequence[float], radius: Sequence[float], count: int, leaf: float, rng: np.random.Generator) -> Mesh:
    """A shrub: `count` pointed leaves of length `leaf` [m] in an ellipsoid shell."""
    direction = rng.normal(size=(count, 3))
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    lumps = 1 + 0.22 * np.sin(direction @ rng.normal(size=(3, 5)) * 3).mean(1)
    place = (
        np.asarray(centre) + direction * np.asarray(radius) * (lumps * rng.uniform(0.55, 1.0, count) ** 0.5)[:, None]
    )
    out = direction + rng.normal(scale=0.6, size=(count, 3)) + [0, 0, 0.35]
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    side = np.cross(out, rng.normal(size=(count, 3)))
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    length = (leaf * rng.uniform(0.6, 1.3, count))[:, None]
    corners = np.stack(
        [
            place,
            place + out * length * 0.5 + side * length * 0.24,
            place + out * length,
            place + out * length * 0.5 - side * length * 0.24,
        ],
        1,
    )
    vertices = corners.reshape(-1, 3)
    first = np.arange(count)[:, None] * 4
    faces = np.concatenate([first + [0, 1, 2], first + [0, 2, 3]])
    tone = np.repeat(rng.uniform(0, 1, (count, 2)), 4, 0)
    return Mesh(vertices, np.repeat(np.cross(side, out), 4, 0), tone, faces)


def arch_wall(x_from: float, bays: int, bay: float, spring: float, top: float, depth: float, pier: float) -> Mesh:
    """A wall in the plane y = 0 (front) to y = depth, open below a row of round arches.

    The wall starts at `x_from` and has `bays` arches, `bay` [m] apart, between piers `pier` [m] wide;
    arches spring at height `spring` [m] and the wall ends at `top` [m].
    """
    radius = (bay - pier) / 2
    angle = np.linspace(np.pi, 0, 33)
    parts: list[Mesh] = []
    for number in range(bays):
        centre = x_from + (number + 0.5) * bay
        x = np.concatenate([[centre - bay / 2], centre + radius * np.cos(angle), [centre + bay / 2]])
        z = np.concatenate([[spring], spring + radius * np.sin(angle), [spring]])
        front = np.stack([np.stack([x, 0 * x, z], -1), np.stack([x, 0 * x, 0 * z + top], -1)])
        parts.append(flat(front))
        parts.append(flat(front[::-1] + np.array([0, depth, 0])))
        parts.append(flat(np.stack([front[0] + [0, depth, 0], front[0]])))
    length = bays * bay
    cap = np.array([[x_from, 0, top], [x_from + length, 0, top]])
    parts.append(flat(np.stack([cap, cap + [0, depth, 0]])))
    return join(parts)


def flat(points: Array) -> Mesh:
    """A grid of points (2, columns, 3) as separate flat strips; texture coordinates are metres."""
    parts = []
    for i in range(points.shape[1] - 1):
        piece = points[:, i : i + 2]
        vertices = piece.reshape(-1, 3)
        faces = grid_faces(2, 2)
        normal = smooth_normals(vertices, faces)
        axis = int(np.argmax(np.abs(normal[0])))
        uv = np.delete(vertices, axis, 1)
        parts.append(Mesh(vertices, normal, uv, faces))
    return join(parts)


def quad(corners: Sequence[Sequence[float]]) -> Mesh:
    """A flat quadrilateral, corners anticlockwise as seen from outside."""
    a, b, c, d = (np.asarray(corner, float) for corner in corners)
    return flat(np.stack([np.stack([a, b]), np.stack([d, c])]))
