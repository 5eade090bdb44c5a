"""Reading glTF 2 and GLB: the node tree, accessors by the book, metal/rough materials, textures.

By the specification (Khronos glTF 2.0): sections 3.6 (accessors, normalised and sparse ones),
3.5 (transforms), 3.9 (materials). y up becomes z up.
"""

from __future__ import annotations

import base64
import io
import json
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from PIL import Image as Pictures
from scipy.spatial.transform import Rotation

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Model, Part, PbrMaterial

_COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_UNDERSTOOD = {"KHR_mesh_quantization", "KHR_materials_unlit"}
MAX_TRIANGLES = 20_000_000

__all__ = ["read_gltf"]


def read_gltf(path: Path) -> Model:
    """Read a .glb or .gltf file (buffers and pictures only from its own folder).

    Raises
    ------
    InputError
        If it can't be read, or has no triangles.
    """
    try:
        document, binary = _open(path)
        return _Reader(document, binary, path.parent).model()
    except (KeyError, IndexError, TypeError, ValueError, AttributeError, struct.error, OSError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError("model", f"{path.name} can't be read as glTF: it is damaged or incomplete") from error


def _open(path: Path) -> tuple[dict[str, Any], bytes]:
    data = path.read_bytes()
    if data[:4] != b"glTF":
        return json.loads(data.decode("utf-8-sig")), b""
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise InputError("model", f"{path.name} is glTF version {version}; version 2 is read")
    if length > len(data):
        raise InputError("model", f"{path.name} is cut off: {len(data)} of {length} bytes are there")
    document, binary, at = {}, b"", 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<I4s", data, at)
        chunk = data[at + 8 : at + 8 + size]
        if kind == b"JSON":
            document = json.loads(chunk)
        elif kind == b"BIN\0":
            binary = chunk
        at += 8 + size
    return document, binary


class _Reader:
    def __init__(self, document: dict[str, Any], binary: bytes, folder: Path) -> None:
        self.document, self.binary, self.folder = document, binary, folder
        self.lost: list[str] = []
        self._buffers: dict[int, bytes] = {}
        self._refuse_unknown_needs()

    def _refuse_unknown_needs(self) -> None:
        needs = set(self.document.get("extensionsRequired", [])) - _UNDERSTOOD
        if needs:
            raise InputError("model", f"needs {', '.join(sorted(needs))}, which is not read in this version")

    def model(self) -> Model:
        parts = [part for node, matrix in self._nodes() for part in self._parts(node, matrix)]
        if not sum(len(part.faces) for part in parts):
            raise InputError("model", "has no triangles")
        materials = [self._material(spec) for spec in self.document.get("materials", [])]
        materials.append(PbrMaterial("plain", np.array([0.8, 0.8, 0.8], np.float32)))
        parts = [
            part
            if part.material >= 0
            else Part(part.name, part.vertices, part.normals, part.uv, part.faces, len(materials) - 1)
            for part in parts
        ]
        for name in ("animations", "skins", "cameras"):
            if self.document.get(name):
                self.lost.append(f"{name} are left out")
        return Model(parts, materials, list(dict.fromkeys(self.lost)))

    # Nodes

    def _nodes(self) -> Iterator[tuple[dict[str, Any], Array]]:
        nodes, scenes = self.document.get("nodes", []), self.document.get("scenes", [])
        roots = scenes[self.document.get("scene", 0)].get("nodes", []) if scenes else range(len(nodes))
        waiting: list[tuple[int, Array, int]] = [(root, np.eye(4), 0) for root in roots]
        while waiting:
            number, parent, depth = waiting.pop()
            if depth > 200:
                raise InputError("model", "its node tree is too deep, or runs in a circle")
            node = nodes[number]
            matrix = parent @ _node_matrix(node)
            yield node, matrix
            waiting += [(child, matrix, depth + 1) for child in node.get("children", [])]

    def _parts(self, node: dict[str, Any], matrix: Array) -> Iterator[Part]:
        if "mesh" not in node:
            return
        mesh = self.document["meshes"][node["mesh"]]
        for primitive in mesh["primitives"]:
            if primitive.get("mode", 4) not in (4, 5, 6):
                self.lost.append("points and lines are left out")
                continue
            name = str(node.get("name") or mesh.get("name") or "part")
            yield self._part(name, primitive, _TO_Z_UP @ matrix)

    def _part(self, name: str, primitive: dict[str, Any], matrix: Array) -> Part:
        attributes = primitive["attributes"]
        vertices = self._accessor(attributes["POSITION"]).astype(float)
        count = len(vertices)
        indices = self._accessor(primitive["indices"]).ravel() if "indices" in primitive else np.arange(count)
        faces = _triangles(indices.astype(np.int64), primitive.get("mode", 4))
        if len(faces) and faces.max() >= count:
            raise InputError("model", f"part {name!r} names a vertex that is not there")
        if len(faces) > MAX_TRIANGLES:
            raise InputError("model", f"has more than {MAX_TRIANGLES:,} triangles")
        linear = matrix[:3, :3]
        if np.linalg.det(linear) < 0:
            faces = faces[:, ::-1]
        placed = vertices @ linear.T + matrix[:3, 3]
        if not np.isfinite(placed).all():
            raise InputError("model", f"part {name!r} has positions that are not numbers")
        if "NORMAL" in attributes:
            normals = self._accessor(attributes["NORMAL"]).astype(float) @ np.linalg.pinv(linear)
        else:
            placed, faces, normals, keep = _faceted(placed, faces)
        uv = (
            self._accessor(attributes["TEXCOORD_0"]).astype(float)
            if "TEXCOORD_0" in attributes
            else np.zeros((count, 2))
        )
        if "NORMAL" not in attributes:
            uv = uv[keep]
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        return Part(name, placed, normals, uv, faces, int(primitive.get("material", -1)))

    # Accessors

    def _accessor(self, number: int) -> np.ndarray:
        spec = self.document["accessors"][number]
        width, kind, count = (
            _WIDTHS[spec["type"]],
            np.dtype(_COMPONENTS[spec["componentType"]]),
            int(spec["count"]),
        )
        if "bufferView" in spec:
            values = self._values(spec["bufferView"], spec.get("byteOffset", 0), kind, width, count)
        else:
            values = np.zeros((count, width), kind)
        if "sparse" in spec:
            values = values.copy()
            sparse = spec["sparse"]
            at, new = sparse["indices"], sparse["values"]
            index = self._values(
                at["bufferView"],
                at.get("byteOffset", 0),
                np.dtype(_COMPONENTS[at["componentType"]]),
                1,
                sparse["count"],
            )
            values[index.ravel()] = self._values(
                new["bufferView"], new.get("byteOffset", 0), kind, width, sparse["count"]
            )
        if spec.get("normalized") and kind.kind in "iu":
            return np.maximum(values.astype(np.float32) / np.iinfo(kind).max, -1)
        return values

    def _values(self, view: int, offset: int, kind: np.dtype, width: int, count: int) -> np.ndarray:
        spec = self.document["bufferViews"][view]
        data = self._buffer(spec["buffer"])
        start, step = spec.get("byteOffset", 0) + offset, spec.get("byteStride") or kind.itemsize * width
        if count and start + (count - 1) * step + kind.itemsize * width > len(data):
            raise InputError("model", "is cut off: its data ends too early")
        return np.ndarray((count, width), kind, data, start, (step, kind.itemsize))

    def _buffer(self, number: int) -> bytes:
        if number not in self._buffers:
            uri = self.document["buffers"][number].get("uri")
            self._buffers[number] = self.binary if uri is None else self._resource(uri)
        return self._buffers[number]

    def _resource(self, uri: str) -> bytes:
        if uri.startswith("data:"):
            return base64.b64decode(uri.split(",", 1)[1])
        place = (self.folder / unquote(uri)).resolve()
        if not place.is_relative_to(self.folder.resolve()):
            raise InputError("model", f"names a file outside its folder: {uri}")
        if not place.is_file():
            raise InputError("model", f"names a file that is missing: {uri}; a single .glb holds everything")
        return place.read_bytes()

    # Materials

    def _material(self, spec: dict[str, Any]) -> PbrMaterial:
        pbr = spec.get("pbrMetallicRoughness", {})
        name = str(spec.get("name", "material"))
        for key in spec.get("extensions", {}):
            self.lost.append(f"material {name!r}: {key} is left out")
        if any(spec.get("emissiveFactor", [])) or "emissiveTexture" in spec:
            self.lost.append(f"material {name!r}: its own light is left out")
        factor = np.asarray(pbr.get("baseColorFactor", [1, 1, 1, 1]), np.float32)
        colour, opacity = factor[:3], 1.0 if spec.get("alphaMode", "OPAQUE") == "OPAQUE" else float(factor[3])
        picture = self._texture(pbr.get("baseColorTexture"))
        alpha: float | Floats = opacity
        if picture is not None:
            colour = decode_srgb(picture[..., :3]) * factor[:3]
            if spec.get("alphaMode", "OPAQUE") != "OPAQUE":
                alpha = picture[..., 3] * factor[3]
                if spec["alphaMode"] == "MASK":
                    alpha = (alpha >= spec.get("alphaCutoff", 0.5)).astype(np.float32)
        rough: float | Floats = float(pbr.get("roughnessFactor", 1.0))
        metal: float | Floats = float(pbr.get("metallicFactor", 1.0))
        both = self._texture(pbr.get("metallicRoughnessTexture"))
        if both is not None:
            rough, metal = both[..., 1] * np.float32(rough), both[..., 2] * np.float32(metal)
        bumps = self._texture(spec.get("normalTexture"))
        normal_map = None if bumps is None else np.ascontiguousarray(bumps[..., :3])
        return PbrMaterial(name, np.ascontiguousarray(colour, np.float32), rough, metal, alpha, normal_map)

    def _texture(self, info: dict[str, Any] | None) -> Floats | None:
        """A texture as encoded values 0..1, (H, W, 4); None where there is none."""
        if info is None:
            return None
        if info.get("texCoord", 0) != 0 or "extensions" in info:
            self.lost.append("second texture coordinates and texture transforms are left out")
        source = self.document["textures"][info["index"]].get("source")
        if source is None:
            self.lost.append("a texture in a format of an extension is left out")
            return None
        spec = self.document["images"][source]
        if "bufferView" in spec:
            view = self.document["bufferViews"][spec["bufferView"]]
            start = view.get("byteOffset", 0)
            data = self._buffer(view["buffer"])[start : start + view["byteLength"]]
        else:
            data = self._resource(spec["uri"])
        with Pictures.open(io.BytesIO(data)) as picture:
            if picture.width * picture.height > 100_000_000:
                raise InputError("model", "has a texture of more than 100 million pixels")
            return np.asarray(picture.convert("RGBA"), np.float32) / np.float32(255)


_TO_Z_UP = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])


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


def _faceted(vertices: Array, faces: np.ndarray) -> tuple[Array, np.ndarray, Array, np.ndarray]:
    """Flat normals where a file has none (glTF 2.0, section 3.7.2.1): no vertex is shared any more."""
    keep = faces.ravel()
    corners = vertices[keep].reshape(-1, 3, 3)
    normals = np.repeat(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), 3, axis=0)
    return vertices[keep], np.arange(len(keep)).reshape(-1, 3), normals, keep
