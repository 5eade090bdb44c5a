"""Multi-part OpenEXR on linear light: the finished picture, its passes, and what retouchers ask for besides.

Objects and materials are kept as Cryptomatte (Friedman & Jones 2015, specification 1.2): by each the hash of its name
as a float, and how much of the pixel it fills.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.composite.passes import Names, Passes
from lithopos.core.exchange.picture import Picture

__all__ = ["murmur3", "name_float", "write_openexr"]


def write_openexr(
    path: Path,
    photograph: Picture,
    finished: Picture,
    passes: list[Passes],
    camera: Pinhole,
    names: Names,
) -> None:
    """Write the picture with its passes; `names` says what their numbers mean."""
    shape = finished.codes.shape[:2]
    parts: list[Any] = [
        _colour("picture", finished.encoding.light(finished.codes)),
        _colour("photograph", photograph.encoding.light(photograph.codes)),
        _colour("shadow", _whole(passes, "shadow", shape, 3, 1.0)),
        _colour("added", _whole(passes, "added", shape, 3)),
        _colour("model", _whole(passes, "model", shape, 3), _whole(passes, "cover", shape)),
        _colour("front", _whole(passes, "front_light", shape, 3), _whole(passes, "front", shape)),
        _colour("grain", _whole(passes, "grain", shape, 3)),
        _colour("albedo", _whole(passes, "albedo", shape, 3)),
    ]
    depth, normal = _whole(passes, "depth", shape), _whole(passes, "normal", shape, 3)
    parts.append(_part("depth", {"Z": depth}))
    parts.append(_part("normal", dict(zip("XYZ", np.moveaxis(normal, -1, 0), strict=True))))
    position = _positions(depth, camera)
    parts.append(_part("position", dict(zip("XYZ", np.moveaxis(position, -1, 0), strict=True))))
    cover = _whole(passes, "cover", shape)
    objects, materials = (_whole(passes, name, shape).astype(int) for name in ("objects", "materials"))
    parts.append(_cryptomatte("object", objects, cover, names.objects))
    numbers, every = _named_alike(objects, materials, names)
    parts.append(_cryptomatte("material", numbers, cover, every))
    OpenEXR.File(parts).write(str(path))


def _whole(passes: list[Passes], name: str, shape: tuple[int, ...], channels: int = 1, neutral: float = 0.0) -> Floats:
    """A pass of the whole picture, (H, W) or (H, W, 3)."""
    whole = np.full((*shape, channels) if channels > 1 else shape, neutral, np.float32)
    for part in passes:
        whole[part.window.slices] = getattr(part, name)
    return whole


def _positions(depth: Floats, camera: Pinhole) -> Floats:
    """Where in the world (H, W, 3) [m] is what lies `depth` away; zeros where nothing is."""
    height, width = depth.shape
    position = np.zeros((height, width, 3), np.float32)
    for row in range(height):  # a row at a time: large pictures' rays fill the memory
        there = np.flatnonzero(depth[row])
        if len(there):
            ways = camera.rays(np.column_stack([there + 0.5, np.full(len(there), row + 0.5)]))
            position[row, there] = camera.position + ways * depth[row, there, None]
    return position


def _part(name: str, channels: dict[str, Floats], **header: Any) -> Any:
    told = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    return OpenEXR.Part(told, {key: np.ascontiguousarray(value, np.float32) for key, value in channels.items()}, name)


def _colour(name: str, values: Floats, alpha: Floats | None = None) -> Any:
    """Linear Rec. 709 light, multiplied by its alpha where it has one; in single precision, so that it composes to the
    picture's own codes: halves alone are off by up to a fifth of one."""
    stacked = values if alpha is None else np.concatenate([values, alpha[..., None]], axis=2)
    told = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    key = "RGB" if alpha is None else "RGBA"
    return OpenEXR.Part(told, {key: np.ascontiguousarray(stacked, np.float32)}, name)


def _named_alike(objects: Array, materials: Array, names: Names) -> tuple[Array, list[str]]:
    """Materials numbered over all models, and their names: those of one name are one."""
    every = list(dict.fromkeys(name for told in names.materials for name in told))
    numbers = np.zeros(objects.shape, int)
    for thing, told in enumerate(names.materials, 1):
        for index, name in enumerate(told, 1):
            numbers[(objects == thing) & (materials == index)] = 1 + every.index(name)
    return numbers, every


def _cryptomatte(kind: str, numbers: Array, cover: Floats, names: Sequence[str]) -> Any:
    """One rank of name and cover: at most one thing is told of a pixel, that of its middle or of its neighbour."""
    hashes = np.array([0.0, *(name_float(name) for name in names)], np.float32)
    near = numbers.astype(np.uint16)
    for _ in range(3):  # pixels that a thing fills in part have its number beside them
        near = np.where(near > 0, near, cv2.dilate(near, np.ones((3, 3), np.uint8)))
    found = np.minimum(np.where(cover > 0, near, 0), len(names)).astype(int)
    title = f"Crypto{kind.capitalize()}"
    key = f"cryptomatte/{murmur3(title.encode()) >> 4:07x}"
    manifest = {name: f"{struct.unpack('<I', struct.pack('<f', name_float(name)))[0]:08x}" for name in names}
    header = {
        f"{key}/name": title,
        f"{key}/hash": "MurmurHash3_32",
        f"{key}/conversion": "uint32_to_float32",
        f"{key}/manifest": json.dumps(manifest),
    }
    none = np.zeros_like(cover)
    rank = {"R": hashes[found], "G": np.where(found > 0, cover, 0), "B": none, "A": none}
    return _part(title, {f"{title}00.{channel}": values for channel, values in rank.items()}, **header)


def name_float(name: str) -> float:
    """A name's hash as a float: its exponent is kept from what would be infinite or no number."""
    value = murmur3(name.encode())
    exponent = value >> 23 & 255
    if exponent in (0, 255):
        value ^= 1 << 23
    return float(struct.unpack("<f", struct.pack("<I", value))[0])


def murmur3(data: bytes, seed: int = 0) -> int:
    """MurmurHash3 of 32 bits (Appleby 2011, public domain)."""
    full, h = 0xFFFFFFFF, seed

    def mixed(k: int) -> int:
        k = k * 0xCC9E2D51 & full
        k = (k << 15 | k >> 17) & full
        return k * 0x1B873593 & full

    whole = len(data) // 4 * 4
    for at in range(0, whole, 4):
        h ^= mixed(int.from_bytes(data[at : at + 4], "little"))
        h = (h << 13 | h >> 19) & full
        h = (h * 5 + 0xE6546B64) & full
    if whole < len(data):
        h ^= mixed(int.from_bytes(data[whole:], "little"))
    h ^= len(data)
    h = (h ^ h >> 16) * 0x85EBCA6B & full
    h = (h ^ h >> 13) * 0xC2B2AE35 & full
    return h ^ h >> 16
