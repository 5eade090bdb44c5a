"""Reading glTF 2 and GLB: the node tree and its meshes; y up becomes z up.

Source: glTF 2.0, sections 3.5 (nodes), 3.7 (meshes); EXT_mesh_gpu_instancing.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from lithopos.core.arrays import Array
from lithopos.core.errors import InputError
from lithopos.core.geometry.gltf.accessors import accessor, draco_mesh
from lithopos.core.geometry.gltf.container import Document, MissingFile, open_gltf
from lithopos.core.geometry.gltf.materials import Materials
from lithopos.core.geometry.mend import MAX_TRIANGLES
from lithopos.core.geometry.model import Y_TO_Z, Material, Model, Part, plain_name

MOST_COPIES = 20_000
_TO_Z_UP = np.eye(4)
_TO_Z_UP[:3, :3] = Y_TO_Z

__all__ = ["read_gltf"]


def read_gltf(path: Path) -> Model:
    """Read a .glb or .gltf file (buffers and pictures only from its own folder).

    Raises
    ------
    InputError
        If it can't be read.
    """
    try:
        return _Reader(open_gltf(path)).model()
    except RecursionError as error:
        raise InputError("model", "is nested too deep") from error
    except (KeyError, IndexError, TypeError, ValueError, AttributeError, OverflowError, struct.error, OSError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError("model", "can't be read as glTF: it is damaged or incomplete") from error


class _Reader:
    def __init__(self, document: Document) -> None:
        self.document, self.lost = document, document.lost
        self.materials = Materials(document)

    def model(self) -> Model:
        parts = [part for node, matrix in self._nodes() for part in self._parts(node, matrix)]
        materials = self.materials.all()
        materials.append(Material("plain", np.array([0.8, 0.8, 0.8], np.float32)))
        plain = len(materials) - 1
        parts = [part if part.material >= 0 else replace(part, material=plain) for part in parts]
        for name in ("animations", "skins", "cameras"):
            if self.document.told.get(name):
                self.lost.append(f"{name} are left out")
        return Model(parts, materials, list(dict.fromkeys(self.lost)), up="y")

    def _nodes(self) -> Iterator[tuple[dict[str, Any], Array]]:
        told, item = self.document.told, self.document.item
        nodes, scenes = told.get("nodes", []), told.get("scenes", [])
        roots = item("scenes", told.get("scene", 0)).get("nodes", []) if scenes else range(len(nodes))
        waiting: list[tuple[int, Array]] = [(root, np.eye(4)) for root in roots]
        reached: set[int] = set()
        while waiting:
            number, parent = waiting.pop(0)
            node = item("nodes", number)
            if number in reached:  # glTF 2.0, section 3.5.2: every node has one parent at most
                raise InputError("model", f"reaches nodes[{number}] twice: its node tree repeats or runs in a circle")
            reached.add(number)
            matrix = parent @ _node_matrix(node)
            for copy in self._copies(node):
                yield node, matrix @ copy
            waiting += [(child, matrix) for child in node.get("children", [])]

    def _copies(self, node: dict[str, Any]) -> Iterator[Array]:
        """EXT_mesh_gpu_instancing: where a node's mesh stands, beside the node's own place."""
        spec = node.get("extensions", {}).get("EXT_mesh_gpu_instancing")
        if spec is None:
            yield np.eye(4)
            return
        values = {name: accessor(self.document, number) for name, number in spec["attributes"].items()}
        many = {len(value) for value in values.values()}
        if len(many) != 1 or max(many) > MOST_COPIES:
            raise InputError("model", "has copies of a mesh that don't fit together, or too many of them")
        for number in range(many.pop()):
            told = {
                name.lower(): values[name][number] for name in ("TRANSLATION", "ROTATION", "SCALE") if name in values
            }
            yield _node_matrix(told)

    def _parts(self, node: dict[str, Any], matrix: Array) -> Iterator[Part]:
        if "mesh" not in node:
            return
        mesh = self.document.item("meshes", node["mesh"])
        name = plain_name(node.get("name") or mesh.get("name") or "part")
        for primitive in mesh["primitives"]:
            if primitive.get("mode", 4) not in (4, 5, 6):
                self.lost.append("points and lines are left out")
                continue
            try:
                yield self._part(name, primitive, _TO_Z_UP @ matrix)
            except MissingFile as error:
                self.lost.append(f"part {name!r} is left out: its file did not come with it ({error.name})")

    def _part(self, name: str, primitive: dict[str, Any], matrix: Array) -> Part:
        attributes, indices = self._raw(primitive)
        vertices = attributes["POSITION"].astype(float)
        count = len(vertices)
        if vertices.shape[1] != 3:
            raise InputError("model", f"part {name!r} has positions that are not three numbers each")
        indices = np.arange(count) if indices is None else indices
        faces = _triangles(indices.astype(np.int64), primitive.get("mode", 4))
        if len(faces) and faces.max() >= count:
            raise InputError("model", f"part {name!r} names a vertex that is not there")
        if len(faces) > MAX_TRIANGLES:
            raise InputError("model", f"has more than {MAX_TRIANGLES:,} triangles")
        linear = matrix[:3, :3]
        if np.linalg.det(linear) < 0:
            faces = faces[:, ::-1]
        placed = vertices @ linear.T + matrix[:3, 3]
        material = primitive.get("material", -1)
        if material != -1:
            self.document.item("materials", material)
        normals = self._corners(attributes, "NORMAL", name, count, (3,))
        which = self.materials.coordinates(material) if material != -1 else 0
        uv = self._corners(attributes, f"TEXCOORD_{which}", name, count, (2,))
        colours = self._corners(attributes, "COLOR_0", name, count, (3, 4))
        uv = np.zeros((count, 2)) if uv is None else uv
        if normals is not None:
            normals = normals @ np.linalg.pinv(linear)
        return Part(
            name,
            placed,
            np.zeros((0, 3)) if normals is None else normals,
            uv,
            faces,
            int(material),
            None if colours is None else np.ascontiguousarray(colours[:, :3], np.float32),
        )

    def _raw(self, primitive: dict[str, Any]) -> tuple[dict[str, np.ndarray], np.ndarray | None]:
        """A primitive's attributes by name, and its indices if it has any."""
        packed = draco_mesh(self.document, primitive)
        found = dict(packed[0]) if packed else {}
        for name, number in primitive["attributes"].items():
            wanted = name in ("POSITION", "NORMAL", "COLOR_0") or name.startswith("TEXCOORD_")
            if wanted and name not in found:
                found[name] = accessor(self.document, number)
        if packed:
            return found, packed[1]
        return found, accessor(self.document, primitive["indices"]).ravel() if "indices" in primitive else None

    def _corners(
        self, attributes: dict[str, np.ndarray], name: str, part: str, count: int, widths: tuple[int, ...]
    ) -> Array | None:
        """An attribute (count, width); None, and said, where it does not fit the part's vertices."""
        if name not in attributes:
            return None
        values = attributes[name].astype(float)
        if len(values) != count or values.shape[1] not in widths or not np.isfinite(values).all():
            self.lost.append(f"part {part!r}: its {name} does not fit its vertices and is left out")
            return None
        return values


def _node_matrix(node: dict[str, Any]) -> Array:
    if "matrix" in node:
        return np.asarray(node["matrix"], float).reshape(4, 4).T
    matrix = np.eye(4)
    turn = Rotation.from_quat(node.get("rotation", [0, 0, 0, 1])).as_matrix()
    matrix[:3, :3] = turn * np.asarray(node.get("scale", [1, 1, 1]), float)
    matrix[:3, 3] = node.get("translation", [0, 0, 0])
    return matrix


def _triangles(indices: np.ndarray, mode: int) -> np.ndarray:
    if mode == 4:
        return indices[: len(indices) // 3 * 3].reshape(-1, 3)
    if len(indices) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == 6:  # fan
        return np.column_stack([np.full(len(indices) - 2, indices[0]), indices[1:-1], indices[2:]])
    strip = np.column_stack([indices[:-2], indices[1:-1], indices[2:]])
    strip[1::2] = strip[1::2, ::-1]
    return strip
