"""Reading glTF 2 and GLB: the node tree, accessors by the book, metal/rough materials, textures.

By the specification (Khronos glTF 2.0): sections 3.6 (accessors, normalised and sparse ones),
3.5 (transforms), 3.9 (materials). y up becomes z up.
"""

from __future__ import annotations

import base64
import io
import json
import re
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
MAX_TEXELS = 100_000_000
MAX_METRES = 100_000.0
_TEXTURES = ["PNG", "JPEG", "WEBP"]

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
    except RecursionError as error:
        raise InputError("model", "is nested too deep") from error
    except (KeyError, IndexError, TypeError, ValueError, AttributeError, OverflowError, struct.error, OSError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError("model", "can't be read as glTF: it is damaged or incomplete") from error


def _open(path: Path) -> tuple[dict[str, Any], bytes]:
    data = path.read_bytes()
    if data[:4] != b"glTF":
        return _json(data), b""
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise InputError("model", f"is glTF version {version}; version 2 is read")
    if length > len(data):
        raise InputError("model", f"is cut off: {len(data)} of {length} bytes are there")
    document, binary, at = {}, b"", 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<I4s", data, at)
        chunk = data[at + 8 : at + 8 + size]
        if kind == b"JSON":
            document = _json(chunk)
        elif kind == b"BIN\0":
            binary = chunk
        at += 8 + size
    return document, binary


def _json(data: bytes) -> dict[str, Any]:
    document = json.loads(data.decode("utf-8-sig"), parse_constant=_no_constant)
    if not isinstance(document, dict):
        raise InputError("model", "is not a glTF document")
    return document


def _no_constant(name: str) -> None:
    raise InputError("model", f"holds {name} where a number should be")


def _few(names: Any) -> str:
    """Some names in words, however many there are."""
    told = [str(name)[:60] for name in list(names)[:3]]
    return ", ".join(told) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


class _Reader:
    def __init__(self, document: dict[str, Any], binary: bytes, folder: Path) -> None:
        self.document, self.binary, self.folder = document, binary, folder
        self.lost: list[str] = []
        self._buffers: dict[int, bytes] = {}
        self._pictures: dict[int, Floats] = {}
        self._colours: dict[tuple[int, bytes], Floats] = {}
        self._pixels = 0
        self._refuse_unknown_needs()

    def _refuse_unknown_needs(self) -> None:
        version = str(self.document.get("asset", {}).get("version", ""))
        if not re.fullmatch(r"2\.\d+", version):
            raise InputError("model", f"is glTF version {version[:20] or 'unknown'}; version 2 is read")
        needs = sorted({str(name) for name in self.document.get("extensionsRequired", [])} - _UNDERSTOOD)
        if needs:
            raise InputError("model", f"needs {_few(needs)}, which is not read in this version")

    def _item(self, kind: str, number: Any) -> dict[str, Any]:
        """An entry of one of the document's lists, by its number."""
        items = self.document.get(kind, [])
        if isinstance(number, bool) or not isinstance(number, int) or not 0 <= number < len(items):
            raise InputError("model", f"names {kind}[{str(number)[:20]}], but there are {len(items)}")
        item = items[number]
        if not isinstance(item, dict):
            raise InputError("model", f"{kind}[{number}] is not an object")
        return item

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
        roots = self._item("scenes", self.document.get("scene", 0)).get("nodes", []) if scenes else range(len(nodes))
        waiting: list[tuple[int, Array]] = [(root, np.eye(4)) for root in roots]
        reached: set[int] = set()
        while waiting:
            number, parent = waiting.pop()
            node = self._item("nodes", number)
            if number in reached:  # glTF 2.0, section 3.5.2: every node has one parent at most
                raise InputError("model", f"reaches nodes[{number}] twice: its node tree repeats or runs in a circle")
            reached.add(number)
            matrix = parent @ _node_matrix(node)
            yield node, matrix
            waiting += [(child, matrix) for child in node.get("children", [])]

    def _parts(self, node: dict[str, Any], matrix: Array) -> Iterator[Part]:
        if "mesh" not in node:
            return
        mesh = self._item("meshes", node["mesh"])
        for primitive in mesh["primitives"]:
            if primitive.get("mode", 4) not in (4, 5, 6):
                self.lost.append("points and lines are left out")
                continue
            name = _plain_name(node.get("name") or mesh.get("name") or "part")
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
        if len(placed) and float(np.abs(placed).max()) > MAX_METRES:
            raise InputError("model", f"part {name!r} reaches beyond {MAX_METRES:,.0f} m")
        normals = self._corners(attributes, "NORMAL", name, count, 3)
        uv = self._corners(attributes, "TEXCOORD_0", name, count, 2)
        uv = np.zeros((count, 2)) if uv is None else uv
        if normals is None:
            placed, faces, normals, keep = _faceted(placed, faces)
            uv = uv[keep]
        else:
            normals = normals @ np.linalg.pinv(linear)
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        material = primitive.get("material", -1)
        if material != -1:
            self._item("materials", material)
        return Part(name, placed, normals, uv, faces, int(material))

    def _corners(self, attributes: dict[str, Any], name: str, part: str, count: int, width: int) -> Array | None:
        """An attribute (count, width); None, and said, where it does not fit the part's vertices."""
        if name not in attributes:
            return None
        values = self._accessor(attributes[name]).astype(float)
        if values.shape != (count, width) or not np.isfinite(values).all():
            self.lost.append(f"part {part!r}: its {name} does not fit its vertices and is left out")
            return None
        return values

    # Accessors

    def _accessor(self, number: int) -> np.ndarray:
        spec = self._item("accessors", number)
        width, kind, count = (
            _WIDTHS[spec["type"]],
            np.dtype(_COMPONENTS[spec["componentType"]]),
            int(spec["count"]),
        )
        if not 0 <= count <= 3 * MAX_TRIANGLES:
            raise InputError("model", f"accessors[{number}] counts {count:,} items")
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
        spec = self._item("bufferViews", view)
        data = self._buffer(spec["buffer"])
        start, step = spec.get("byteOffset", 0) + offset, spec.get("byteStride") or kind.itemsize * width
        if start < 0 or step < kind.itemsize * width:
            raise InputError("model", f"bufferViews[{view}] has an impossible offset or stride")
        if count and start + (count - 1) * step + kind.itemsize * width > len(data):
            raise InputError("model", "is cut off: its data ends too early")
        return np.ndarray((count, width), kind, data, start, (step, kind.itemsize))

    def _buffer(self, number: int) -> bytes:
        if number not in self._buffers:
            uri = self._item("buffers", number).get("uri")
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
        name = _plain_name(spec.get("name", "material"))
        left_out = sorted(spec.get("extensions", {}))
        if left_out:
            self.lost.append(f"material {name!r}: {_few(left_out)} left out")
        if any(spec.get("emissiveFactor", [])) or "emissiveTexture" in spec:
            self.lost.append(f"material {name!r}: its own light is left out")
        factor = np.asarray(pbr.get("baseColorFactor", [1, 1, 1, 1]), np.float32)
        if factor.shape != (4,) or not np.isfinite(factor).all():
            raise InputError("model", f"material {name!r} has a colour that is not four numbers")
        colour, opacity = factor[:3], 1.0 if spec.get("alphaMode", "OPAQUE") == "OPAQUE" else float(factor[3])
        picture = self._texture(pbr.get("baseColorTexture"))
        alpha: float | Floats = opacity
        if picture is not None:
            colour = self._coloured(picture, factor[:3])
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
        source = self._item("textures", info["index"]).get("source")
        if source is None:
            self.lost.append("a texture in a format of an extension is left out")
            return None
        if source not in self._pictures:
            self._pictures[source] = self._decoded(self._item("images", source))
        return self._pictures[source]

    def _coloured(self, picture: Floats, factor: Floats) -> Floats:
        """A texture's linear colours times a factor; the same for all materials that have both in common."""
        key = (id(picture), factor.tobytes())
        if key not in self._colours:
            colours = decode_srgb(picture[..., :3])
            self._colours[key] = colours if (factor == 1).all() else colours * factor
        return self._colours[key]

    def _decoded(self, spec: dict[str, Any]) -> Floats:
        """A picture decoded once, however many materials use it."""
        if "bufferView" in spec:
            view = self._item("bufferViews", spec["bufferView"])
            start = view.get("byteOffset", 0)
            data = self._buffer(view["buffer"])[start : start + view["byteLength"]]
        else:
            data = self._resource(spec["uri"])
        try:
            with Pictures.open(io.BytesIO(data), formats=_TEXTURES) as picture:
                self._pixels += picture.width * picture.height
                if self._pixels > MAX_TEXELS:
                    raise InputError("model", f"has textures of more than {MAX_TEXELS // 10**6} million pixels in all")
                return np.asarray(picture.convert("RGBA"), np.float32) / np.float32(255)
        except (OSError, SyntaxError) as error:
            raise InputError("model", "has a texture that can't be read (PNG, JPEG and WebP are)") from error


def _plain_name(name: Any) -> str:
    return "".join(c for c in str(name) if c.isprintable())[:200] or "unnamed"


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
