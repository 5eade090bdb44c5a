"""What every reader's model goes through: refused if it can't stand, mended where it can, said in both cases."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Model, Part

MAX_TRIANGLES = 20_000_000
MAX_METRES = 100_000.0
FAR_AWAY = 1000.0  # sizes of the model: beyond, single precision would show
MOST_JOINED = 400_000  # vertices whose near ones are looked for: more take seconds
CREASE_DEG = 30.0  # where a file has no normals, faces that meet at less are smooth

__all__ = ["MAX_TRIANGLES", "mended"]


def mended(model: Model) -> Model:
    """A model that can be placed and rendered.

    Dropped: faces without area (unsaid), and faces that are there twice. Put right: normals that are missing, no
    numbers or on the wrong side of their faces; closed shells that are turned inside out; a model that lies far from
    its own origin. Open shells are said: as glass they are panes.

    Raises
    ------
    InputError
        If it has no triangles, positions that are no numbers, an extent that nothing has, or too many triangles.
    """
    if model.triangles > MAX_TRIANGLES:
        raise InputError("model", f"has {model.triangles:,} triangles; {MAX_TRIANGLES:,} are the limit")
    notes: dict[str, int] = {}
    parts = [_mended(part, notes) for part in model.parts]
    parts = [part for part in parts if len(part.faces)]
    if not parts:
        raise InputError("model", "has no triangles with an area")
    model = replace(model, parts=parts)
    low, high = model.bounds()
    if float((high - low).max()) > MAX_METRES:
        raise InputError("model", f"reaches beyond {MAX_METRES:,.0f} m")
    if not float((high - low).max()):
        raise InputError("model", "has no extent: all its points are one")
    middle = (low + high) / 2
    mended_words = [f"{words} ({count:,})" for words, count in notes.items() if count]
    if float(np.abs(middle).max()) > FAR_AWAY * float((high - low).max()):
        parts = [replace(part, vertices=part.vertices - middle) for part in parts]
        mended_words.append(f"it lay {np.linalg.norm(middle):,.0f} m from its own origin and was brought there")
    return replace(model, parts=parts, mended=[*model.mended, *mended_words])


def _mended(part: Part, notes: dict[str, int]) -> Part:
    if not np.isfinite(part.vertices).all():
        raise InputError("model", f"part {part.name!r} has positions that are not numbers")
    faces = part.faces
    if len(faces) and (faces.min() < 0 or faces.max() >= len(part.vertices)):
        raise InputError("model", f"part {part.name!r} names a vertex that is not there")

    def count(words: str, number: int) -> None:
        notes[words] = notes.get(words, 0) + number

    corners = part.vertices[faces]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    good = (across != 0).any(1)
    if not good.all():
        faces, across = faces[good], across[good]
    if not len(faces):
        return replace(part, faces=faces)
    welded = _welded(part.vertices)
    single = _singles(welded[faces])
    if not single.all():
        # The two sides of a leaf are one face to us: every surface is seen from both.
        count("faces that were there twice were dropped", int((~single).sum()))
        faces, across = faces[single], across[single]
    closed = _closed(welded[faces])
    if not closed and len(part.vertices) <= MOST_JOINED and np.abs(part.vertices).max() < 1e3 * MAX_METRES:
        closed = _closed(_joined(part.vertices)[faces])
    count("parts are open shells", int(not closed))
    if closed and _signed_volume(part.vertices[faces[:, 0]], across) < 0:
        count("closed parts that were inside out were turned", 1)
        faces, across = faces[:, ::-1], -across
    part = replace(part, closed=closed)
    if part.normals.shape != part.vertices.shape:
        return _used(_with_normals(replace(part, faces=faces), welded, across))
    return _used(replace(part, faces=faces, normals=_facing(part.normals, faces, across, count)))


def _used(part: Part) -> Part:
    """A part without the vertices that no face names."""
    used = np.zeros(len(part.vertices), bool)
    used[part.faces] = True
    if used.all():
        return part
    number = np.cumsum(used) - 1
    return replace(
        part,
        vertices=part.vertices[used],
        normals=part.normals[used],
        uv=part.uv[used],
        faces=number[part.faces],
        colours=None if part.colours is None else part.colours[used],
    )


def _welded(vertices: Array) -> NDArray[np.int64]:
    """A number for each vertex, the same for vertices at the same place."""
    low = vertices.min(0)
    step = max(float((vertices.max(0) - low).max()) * 2.0**-20, 1e-30)  # three numbers of 21 bits make one
    cells = np.round((vertices - low) / step).astype(np.int64)
    packed = (cells[:, 0] << 42) | (cells[:, 1] << 21) | cells[:, 2]
    return np.unique(packed, return_inverse=True)[1].astype(np.int64).ravel()


def _joined(vertices: Array) -> NDArray[np.int64]:
    """The same for vertices that are almost at the same place: a seam's two sides are often off by a rounding."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    near = 2.0**-18 * float(np.ptp(vertices, axis=0).max())
    pairs = cKDTree(vertices).query_pairs(near, output_type="ndarray")
    graph = coo_array((np.ones(len(pairs), bool), (pairs[:, 0], pairs[:, 1])), shape=(len(vertices),) * 2)
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)


def _singles(faces: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which faces are the first with their three places."""
    a, b, c = np.sort(faces, axis=1).T
    most = int(faces.max()) + 1
    pair = np.unique(a * most + b, return_inverse=True)[1].astype(np.int64).ravel()
    key = pair * most + c
    single = np.ones(len(faces), bool)
    order = np.argsort(key, kind="stable")
    single[order[1:]] = key[order[1:]] != key[order[:-1]]
    return single


def _closed(faces: NDArray[np.int64]) -> bool:
    """Whether every edge is shared by just two faces that run along it in opposite ways.

    Faces of which two corners are at the same place, as about a pole, are none.
    """
    a, b, c = faces.T
    faces = faces[(a != b) & (b != c) & (c != a)]
    if not len(faces):
        return False
    ways = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    most = int(ways.max()) + 1
    there, back = ways[:, 0] * most + ways[:, 1], ways[:, 1] * most + ways[:, 0]
    there.sort()
    back.sort()
    return bool((there[1:] != there[:-1]).all() and np.array_equal(there, back))


def _signed_volume(first: Array, across: Array) -> float:
    """Above 0 where the faces run counter-clockwise seen from outside; by the divergence theorem.

    `first` are the faces' first corners, `across` the products of the two edges that leave them.
    """
    return float(np.einsum("ij,ij->", first - first.mean(0), across) / 6)


def _facing(normals: Array, faces: NDArray[np.int64], across: Array, count: Callable[[str, int], None]) -> Array:
    """Unit normals on the side to which their faces run; those of no length by their faces."""
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    bad = ~np.isfinite(length[:, 0]) | (length[:, 0] < 1e-12)
    sums = np.zeros_like(normals)
    for corner in range(3):
        np.add.at(sums, faces[:, corner], across)
    flat = sums / np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-30)
    unit = np.where(bad[:, None], flat, normals / np.where(length < 1e-12, 1, length))
    against = np.einsum("ij,ij->i", unit, flat) < 0
    used = np.zeros(len(normals), bool)
    used[faces] = True
    count("normals that were missing or no numbers were computed", int((bad & used).sum()))
    count("normals on the wrong side of their faces were turned", int(against.sum()))
    return np.where(against[:, None], -unit, unit)


def _with_normals(part: Part, welded: NDArray[np.int64], across: Array) -> Part:
    """Normals for each corner: the mean over the faces about its place that meet its own at less than a crease.

    Where all faces about a place lie within half a crease of their mean, they lie within one of each other, and the
    mean is it. Corners at other places become vertices of their own.
    """
    place = welded[part.faces]
    count = len(part.vertices)
    sums = np.stack([sum(np.bincount(at, one, count) for at in place.T) for one in across.T], axis=1)
    smooth = sums / np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-300)
    unit = across / np.linalg.norm(across, axis=1, keepdims=True)
    creased = np.zeros(count, bool)
    for at in place.T:
        creased[at[np.einsum("ij,ij->i", unit, smooth[at]) < np.cos(np.radians(CREASE_DEG / 2))]] = True
    split = np.flatnonzero(creased[place].ravel())
    part = replace(part, normals=smooth[welded])
    if not len(split):
        return part
    return _split(part, split, _creased_normals(place.ravel()[split], across[split // 3], unit[split // 3]))


def _creased_normals(place: NDArray[np.int64], own: Array, unit: Array) -> Array:
    """The same, corner by corner with the others at its place."""
    order = np.argsort(place, kind="stable")
    place, own, unit = place[order], own[order], unit[order]
    sums = own.copy()
    near = np.arange(len(place) - 1)
    step, crease = 1, np.cos(np.radians(CREASE_DEG))
    while len(near):  # each corner with the next but one, but two … at its place
        near = near[near + step < len(place)]
        near = near[place[near] == place[near + step]]
        alike = np.einsum("ij,ij->i", unit[near], unit[near + step]) > crease
        one, two = near[alike], near[alike] + step
        sums[one] += own[two]
        sums[two] += own[one]
        step += 1
    normals = np.empty_like(sums)
    normals[order] = sums / np.linalg.norm(sums, axis=1, keepdims=True)
    return normals


def _split(part: Part, split: NDArray[np.int64], normals: Array) -> Part:
    """A part some of whose corners have normals of their own; those that agree in everything are one vertex."""
    import meshoptimizer

    corner = part.faces.ravel()[split]
    columns: list[Any] = [part.vertices[corner], normals, part.uv[corner]]
    if part.colours is not None:
        columns.append(part.colours[corner])
    rows = np.ascontiguousarray(np.concatenate(columns, axis=1), np.float32)
    each, remap = np.arange(len(rows), dtype=np.uint32), np.empty(len(rows), np.uint32)
    count = meshoptimizer.generate_vertex_remap(remap, each, len(rows), rows, len(rows), rows.strides[0])
    first = np.empty(count, np.int64)
    first[remap[::-1]] = np.arange(len(rows) - 1, -1, -1)
    faces = part.faces.ravel().copy()
    faces[split] = len(part.vertices) + remap
    return replace(
        part,
        vertices=np.concatenate([part.vertices, part.vertices[corner[first]]]),
        normals=np.concatenate([part.normals, normals[first]]),
        uv=np.concatenate([part.uv, part.uv[corner[first]]]),
        faces=faces.reshape(-1, 3),
        colours=None if part.colours is None else np.concatenate([part.colours, part.colours[corner[first]]]),
    )
