"""A model as what stands in the photograph already: its sides in the world, few and flat enough to take shadows."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.errors import InputError
from lithopos.core.geometry.decimate import decimated
from lithopos.core.geometry.model import Model
from lithopos.core.place.face import Face
from lithopos.core.shot import Shot
from lithopos.core.shot.contact import MOST_CORNERS, MOST_SIDES
from lithopos.core.standing.placement import stands

if TYPE_CHECKING:
    import trimesh

FEW = 200  # triangles to which more than that many sides are reduced
MANY = 50_000  # triangles: such a model is not made of a few flat sides

__all__ = ["sides_of"]


def sides_of(shot: Shot, thing: str, read: Callable[[str], Model]) -> list[Array]:
    """The flat sides of a thing and its copies as it stands, each (N, 3) [m], counter-clockwise from outside.

    Raises
    ------
    InputError
        If there is no such thing, it is hidden, or it can't be told in so few sides.
    """
    found: list[Array] = []
    for stood in stands(shot.models, lambda placed: read(placed.file)):
        if stood.placed.id == thing:
            model = read(stood.placed.file)
            # Joining flat sides takes its time: of millions of triangles nobody waits for it.
            sides = _sides(model, stood.matrix) if model.triangles <= MANY else None
            if sides is None or len(sides) > FEW:
                sides = _sides(decimated(model, FEW), stood.matrix)
            found += sides
    if not found:
        raise InputError("thing", "is not in the picture")
    if len(found) > MOST_SIDES:
        raise InputError("thing", f"has {len(found)} sides even when simplified; {MOST_SIDES} can be taken")
    return found


def _sides(model: Model, matrix: Array) -> list[Array]:
    import trimesh

    found = []
    for part in model.parts:
        vertices = part.vertices @ matrix[:3, :3].T + matrix[:3, 3]
        mesh = trimesh.Trimesh(vertices, part.faces, process=True)
        mesh.merge_vertices(merge_norm=True, merge_tex=True)
        single = np.ones(len(mesh.faces), bool)
        for facet, edges in zip(mesh.facets, mesh.facets_boundary, strict=True):
            ring = _ring(edges)
            if ring is not None and len(ring) <= MOST_CORNERS:
                found.append(_outwards(mesh, mesh.vertices[ring], facet[0]))
                single[facet] = False
        found += [np.asarray(mesh.vertices[face]) for face in mesh.faces[single]]
    return found


def _outwards(mesh: trimesh.Trimesh, corners: Array, face: int) -> Array:
    return np.asarray(corners if float(Face(corners).normal @ mesh.face_normals[face]) > 0 else corners[::-1])


def _ring(edges: Array) -> list[int] | None:
    """Edges (E, 2) in turn as one ring of vertices; None where they are none, or several."""
    beside: dict[int, list[int]] = {}
    for a, b in edges.tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    if len(edges) < 3 or len(beside) != len(edges) or any(len(ends) != 2 for ends in beside.values()):
        return None
    ring = [int(edges[0][0]), int(edges[0][1])]
    while len(ring) < len(edges):
        onward = [vertex for vertex in beside[ring[-1]] if vertex != ring[-2]]
        if onward[0] in ring:
            return None
        ring.append(onward[0])
    return ring
