"""Flat sides of things: their corners, how they lie, how they fall into triangles."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array

__all__ = ["Face", "holds", "plane_axes", "reach_to", "triangles_of"]


@dataclass(frozen=True)
class Face:
    """A flat side: its corners (N, 3) [m], counter-clockwise as seen from outside.

    `normals` (N, 3) at its corners where it is part of a bent side; else None.
    """

    corners: Array
    normals: Array | None = None

    @cached_property
    def normal(self) -> Array:
        """The unit normal (3,), by Newell's method: sound for corners that are not quite flat."""
        x, y, z = self.corners.T
        u, v, w = np.roll(self.corners, -1, axis=0).T
        total = np.array([y @ w - z @ v, z @ u - x @ w, x @ v - y @ u])
        return np.asarray(total / max(float(np.linalg.norm(total)), 1e-12))


def reach_to(face: Face, origin: Array, ways: Array) -> Array:
    """How far rays (N, 3) from a place (3,) go to a face's plane, (N,): not finite along it, negative behind."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray((face.corners[0] - origin) @ face.normal / (ways @ face.normal))


def triangles_of(face: Face) -> NDArray[np.int64]:
    """A face in triangles by its corners' numbers, (T, 3)."""
    if len(face.corners) == 3:
        return np.array([[0, 1, 2]])
    if len(face.corners) == 4:
        return np.array([[0, 1, 2], [0, 2, 3]])
    across, along = plane_axes(face)
    flat = np.column_stack([face.corners @ across, face.corners @ along])
    found = mapbox_earcut.triangulate_float64(flat, np.array([len(flat)], np.uint32))
    return np.asarray(found, np.int64).reshape(-1, 3)


def plane_axes(face: Face) -> tuple[Array, Array]:
    """Two unit axes (3,) of a face: along its lower side, and square to that."""
    normal = face.normal
    level = np.cross([0.0, 0, 1], normal)
    if float(np.linalg.norm(level)) < 0.1:
        level = face.corners[1] - face.corners[0]
        level = level - normal * (normal @ level)
    across = level / max(float(np.linalg.norm(level)), 1e-12)
    return np.asarray(across), np.asarray(np.cross(normal, across))


def holds(face: Face, points: Array) -> bool:
    """Whether all points (N, 3) of a face's plane lie within it, or on its border."""
    across, along = plane_axes(face)
    outline = np.column_stack([face.corners @ across, face.corners @ along]).astype(np.float32)
    flat = np.column_stack([points @ across, points @ along]).astype(np.float32)
    return all(cv2.pointPolygonTest(outline, (float(x), float(y)), False) >= 0 for x, y in flat)
