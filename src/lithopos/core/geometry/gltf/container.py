"""The file and what it names: its JSON, its lists, buffers and pictures, from its own folder alone.

Source: glTF 2.0, sections 3.6.1 (buffers), 4 (GLB); EXT_meshopt_compression.
"""

from __future__ import annotations

import base64
import json
import re
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from lithopos.core.errors import InputError

EXTENSIONS = {
    "KHR_draco_mesh_compression",
    "EXT_meshopt_compression",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
    "KHR_materials_anisotropy",
    "KHR_materials_clearcoat",
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_sheen",
    "KHR_materials_specular",
    "KHR_materials_transmission",
    "KHR_materials_unlit",
    "KHR_materials_volume",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
}

__all__ = ["EXTENSIONS", "Document", "MissingFile", "few", "open_gltf"]


class MissingFile(InputError):
    """A file that the model names is not there."""

    def __init__(self, name: str) -> None:
        super().__init__("model", f"names a file that did not come with it: {name}")
        self.name = name


def few(names: Any) -> str:
    """Some names in words, however many there are."""
    told = [str(name)[:60] for name in list(names)[:3]]
    return ", ".join(told) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def open_gltf(path: Path) -> Document:
    """The document of a .glb or .gltf file.

    Raises
    ------
    InputError
        If it is not version 2, is cut off, or needs an extension that is not read.
    """
    data = path.read_bytes()
    if data[:4] != b"glTF":
        return Document(_json(data), b"", path.parent)
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise InputError("model", f"is glTF version {version}; version 2 is read")
    if length > len(data):
        raise InputError("model", f"is cut off: {len(data)} of {length} bytes are there")
    told, binary, at = {}, b"", 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<I4s", data, at)
        chunk = data[at + 8 : at + 8 + size]
        if kind == b"JSON":
            told = _json(chunk)
        elif kind == b"BIN\0":
            binary = chunk
        at += 8 + size
    return Document(told, binary, path.parent)


def _json(data: bytes) -> dict[str, Any]:
    document = json.loads(data.decode("utf-8-sig"), parse_constant=_no_constant)
    if not isinstance(document, dict):
        raise InputError("model", "is not a glTF document")
    return document


def _no_constant(name: str) -> None:
    raise InputError("model", f"holds {name} where a number should be")


class Document:
    """The lists of a file, checked where they are asked for.

    Attributes
    ----------
    lost : in plain words what could not be kept, as readers come across it.
    """

    def __init__(self, told: dict[str, Any], binary: bytes, folder: Path) -> None:
        self.told, self.folder = told, folder
        self.lost: list[str] = []
        self._binary = binary
        self._buffers: dict[int, bytes] = {}
        self._unpacked: dict[int, NDArray[np.uint8]] = {}
        version = str(told.get("asset", {}).get("version", ""))
        if not re.fullmatch(r"2\.\d+", version):
            raise InputError("model", f"is glTF version {version[:20] or 'unknown'}; version 2 is read")
        needs = sorted({str(name) for name in told.get("extensionsRequired", [])} - EXTENSIONS)
        if needs:
            raise InputError("model", f"needs {few(needs)}, which is not read in this version")

    def item(self, kind: str, number: Any) -> dict[str, Any]:
        """An entry of one of the document's lists, by its number."""
        items = self.told.get(kind, [])
        if isinstance(number, bool) or not isinstance(number, int) or not 0 <= number < len(items):
            raise InputError("model", f"names {kind}[{str(number)[:20]}], but there are {len(items)}")
        item = items[number]
        if not isinstance(item, dict):
            raise InputError("model", f"{kind}[{number}] is not an object")
        return item

    def view(self, number: int) -> tuple[Any, int, int | None]:
        """A buffer view: the bytes that it lies in, where it begins, and its stride, if it has one."""
        spec = self.item("bufferViews", number)
        packed = spec.get("extensions", {}).get("EXT_meshopt_compression")
        if packed is not None:
            if number not in self._unpacked:
                self._unpacked[number] = self._unpack(packed)
            return self._unpacked[number], 0, packed.get("byteStride")
        start = spec.get("byteOffset", 0)
        if start < 0:
            raise InputError("model", f"bufferViews[{number}] has an impossible offset")
        return self._buffer(spec["buffer"]), start, spec.get("byteStride")

    def bytes_of(self, number: int) -> bytes:
        """All bytes of a buffer view."""
        data, start, _ = self.view(number)
        length = self.item("bufferViews", number)["byteLength"]
        if start + length > len(data):
            raise InputError("model", "is cut off: its data ends too early")
        return bytes(data[start : start + length])

    def _buffer(self, number: int) -> bytes:
        if number not in self._buffers:
            uri = self.item("buffers", number).get("uri")
            self._buffers[number] = self._binary if uri is None else self.resource(uri)
        return self._buffers[number]

    def resource(self, uri: str) -> bytes:
        """What a relative address or a data address names; nothing is fetched from anywhere."""
        if uri.startswith("data:"):
            return base64.b64decode(uri.split(",", 1)[1])
        if re.match(r"[A-Za-z][A-Za-z0-9+.-]*:", uri) or uri.startswith("//"):
            raise MissingFile(f"{uri[:80]} (addresses are not followed)")
        place = (self.folder / unquote(uri)).resolve()
        if not place.is_relative_to(self.folder.resolve()):
            raise InputError("model", f"names a file outside its folder: {uri[:80]}")
        if not place.is_file():
            raise MissingFile(uri[:80])
        return place.read_bytes()

    def _unpack(self, spec: dict[str, Any]) -> NDArray[np.uint8]:
        """EXT_meshopt_compression: a view's bytes as they were before."""
        import meshoptimizer

        count, stride, mode = int(spec["count"]), int(spec["byteStride"]), spec["mode"]
        if not 0 <= count * stride <= 1 << 31:
            raise InputError("model", f"holds packed data of {count:,} items")
        data, start = self._buffer(spec["buffer"]), spec.get("byteOffset", 0)
        packed = np.frombuffer(data[start : start + spec["byteLength"]], np.uint8)
        try:
            if mode == "ATTRIBUTES":
                made = np.asarray(meshoptimizer.decode_vertex_buffer(count, stride, packed))
            elif mode == "TRIANGLES":
                made = np.asarray(meshoptimizer.decode_index_buffer(count, stride, packed))
            elif mode == "INDICES":
                made = np.asarray(meshoptimizer.decode_index_sequence(count, stride, packed))
            else:
                raise InputError("model", f"holds data packed in a way that is unknown ({str(mode)[:20]})")
        except RuntimeError as error:
            raise InputError("model", "holds packed data that is damaged") from error
        made = np.ascontiguousarray(made).view(np.uint8).ravel()[: count * stride].copy()
        return _unfiltered(made, spec.get("filter", "NONE"), count, stride)


def _unfiltered(data: NDArray[np.uint8], name: str, count: int, stride: int) -> NDArray[np.uint8]:
    """EXT_meshopt_compression, appendix B: filters that are undone after unpacking."""
    import meshoptimizer

    filters = {
        "OCTAHEDRAL": meshoptimizer.decode_filter_oct,
        "QUATERNION": meshoptimizer.decode_filter_quat,
        "EXPONENTIAL": meshoptimizer.decode_filter_exp,
    }
    if name == "NONE":
        return data
    if name not in filters:
        raise InputError("model", f"holds data filtered in a way that is unknown ({str(name)[:20]})")
    made = filters[name](data, count, stride)
    return data if made is None else np.ascontiguousarray(made).view(np.uint8).ravel()
