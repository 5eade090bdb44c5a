"""Accessors: numbers out of buffer views, normalised and sparse ones; and meshes packed with Draco.

Source: glTF 2.0, section 3.6.2; KHR_mesh_quantization; KHR_draco_mesh_compression.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.errors import InputError
from lithopos.core.geometry.gltf.container import Document

_COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
MOST_ITEMS = 60_000_000

__all__ = ["accessor", "draco_mesh"]


def accessor(document: Document, number: int) -> np.ndarray:
    """An accessor's values, (count, width): floats where it is normalised, else as they are kept."""
    spec = document.item("accessors", number)
    width, kind, count = _WIDTHS[spec["type"]], np.dtype(_COMPONENTS[spec["componentType"]]), int(spec["count"])
    if not 0 <= count <= MOST_ITEMS:
        raise InputError("model", f"accessors[{number}] counts {count:,} items")
    if "bufferView" in spec:
        values = _values(document, spec["bufferView"], spec.get("byteOffset", 0), kind, width, count)
    else:
        values = np.zeros((count, width), kind)
    if "sparse" in spec:
        values = values.copy()
        sparse = spec["sparse"]
        at, new, few = sparse["indices"], sparse["values"], int(sparse["count"])
        index = _values(
            document, at["bufferView"], at.get("byteOffset", 0), np.dtype(_COMPONENTS[at["componentType"]]), 1, few
        ).ravel()
        if len(index) and int(index.max()) >= count:
            raise InputError("model", f"accessors[{number}] replaces items that are not there")
        values[index] = _values(document, new["bufferView"], new.get("byteOffset", 0), kind, width, few)
    return _unnormalised(values, bool(spec.get("normalized")))


def _unnormalised(values: np.ndarray, normalised: bool) -> np.ndarray:
    """glTF 2.0, section 3.11: integers that stand for -1..1 or 0..1."""
    if not normalised or values.dtype.kind not in "iu":
        return values
    return np.maximum(values.astype(np.float32) / np.iinfo(values.dtype).max, -1)


def _values(document: Document, view: int, offset: int, kind: np.dtype, width: int, count: int) -> np.ndarray:
    data, start, stride = document.view(view)
    start, step = start + offset, stride or kind.itemsize * width
    if start < 0 or step < kind.itemsize * width:
        raise InputError("model", f"bufferViews[{view}] has an impossible offset or stride")
    if count and start + (count - 1) * step + kind.itemsize * width > len(data):
        raise InputError("model", "is cut off: its data ends too early")
    return np.ndarray((count, width), kind, data, start, (step, kind.itemsize))


def draco_mesh(document: Document, primitive: dict[str, Any]) -> tuple[dict[str, np.ndarray], np.ndarray] | None:
    """A packed primitive's attributes by name, (count, width) each, and its indices; None if it is not packed."""
    packed = primitive.get("extensions", {}).get("KHR_draco_mesh_compression")
    if packed is None:
        return None
    import DracoPy

    try:
        mesh = DracoPy.decode(document.bytes_of(packed["bufferView"]))
    except (DracoPy.FileTypeException, RuntimeError, ValueError) as error:
        raise InputError("model", "holds a packed mesh that is damaged") from error
    found = {}
    for name, unique in packed["attributes"].items():
        attribute = mesh.get_attribute_by_unique_id(unique)
        if attribute is None:
            raise InputError("model", f"holds a packed mesh without its {str(name)[:40]}")
        values = np.asarray(attribute["data"])
        normalised = bool(document.item("accessors", primitive["attributes"][name]).get("normalized"))
        found[name] = _unnormalised(values.reshape(len(values), -1), normalised)
    return found, np.asarray(mesh.faces).ravel()
