"""A scene as it is sent: a small description and its large arrays, each by its content.

What a worker has already is not sent again: a moved model is a new description over the same arrays.
"""

from __future__ import annotations

import hashlib
import io
import os
import pickle
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs

LARGE = 1 << 16  # bytes of an array that goes by itself
HELD_BYTES = 8 << 30  # of a worker's cache

__all__ = ["Cache", "Parcel", "packed"]


@dataclass(frozen=True)
class Parcel:
    """What is sent: the description's name, and all parts by their names, itself among them."""

    name: str
    parts: dict[str, bytes]


class _Packer(pickle.Pickler):
    def __init__(self, out: io.BytesIO, parts: dict[str, bytes]) -> None:
        super().__init__(out, protocol=5)
        self.parts = parts

    def persistent_id(self, obj: Any) -> str | None:
        if not isinstance(obj, np.ndarray) or obj.nbytes < LARGE or obj.dtype.hasobject:
            return None
        out = io.BytesIO()
        np.save(out, obj, allow_pickle=False)
        return _kept(out.getvalue(), self.parts)


def _kept(data: bytes, parts: dict[str, bytes]) -> str:
    name = hashlib.sha256(data).hexdigest()
    parts[name] = data
    return name


def packed(thing: Any) -> Parcel:
    """A thing made of plain data and arrays, ready to be sent."""
    parts: dict[str, bytes] = {}
    out = io.BytesIO()
    _Packer(out, parts).dump(thing)
    return Parcel(_kept(out.getvalue(), parts), parts)


class Cache:
    """What this worker has been sent, in a folder of its own, the oldest let go of."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or Path(platformdirs.user_cache_dir("lithopos")) / "cluster"

    def missing(self, names: list[str]) -> list[str]:
        """Those of the parts that are not here."""
        return [name for name in names if not self._place(name).is_file()]

    def take(self, parts: dict[str, bytes]) -> None:
        """Keep parts; what is not what its name says is refused."""
        self.folder.mkdir(parents=True, exist_ok=True)
        for name, data in parts.items():
            if hashlib.sha256(data).hexdigest() != name:
                raise ValueError("a part of a scene is not what it is named by")
            partial = self.folder / f".{name}.{os.getpid()}"
            partial.write_bytes(data)
            partial.replace(self._place(name))
        self._let_go(set(parts))

    def unpacked(self, name: str) -> Any:
        """The thing by the name of its description; its parts have to be here."""
        cache = self

        class Unpacker(pickle.Unpickler):
            def persistent_load(self, pid: Any) -> Any:
                return np.load(io.BytesIO(cache._read(str(pid))), allow_pickle=False)

        return Unpacker(io.BytesIO(self._read(name))).load()

    def _read(self, name: str) -> bytes:
        place = self._place(name)
        os.utime(place, (time.time(), time.time()))
        return place.read_bytes()

    def _place(self, name: str) -> Path:
        return self.folder / name

    def _let_go(self, kept: set[str]) -> None:
        files = sorted((one for one in self.folder.iterdir() if one.is_file()), key=lambda one: one.stat().st_mtime)
        size = sum(one.stat().st_size for one in files)
        for old in files:
            if size <= HELD_BYTES:
                return
            if old.name not in kept:
                size -= old.stat().st_size
                old.unlink(missing_ok=True)
