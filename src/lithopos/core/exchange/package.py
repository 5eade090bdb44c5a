"""Several files of one model as one file: a zip that is the same for the same files."""

from __future__ import annotations

import shutil
import zipfile
from pathlib import PurePosixPath
from typing import IO

from lithopos.core.errors import InputError

# What is a model by itself, the likeliest to name the others first.
_MAIN_SUFFIXES = (".gltf", ".usda", ".usdc", ".usd", ".obj", ".glb", ".usdz", ".step", ".stp", ".3mf", ".ply", ".stl")
MOST_FILES = 2000

__all__ = ["main_name", "pack"]


def main_name(names: list[str]) -> str:
    """The name by which several files go: that of the one which is the model."""

    def rank(name: str) -> tuple[int, int, str]:
        suffix = PurePosixPath(name).suffix.lower()
        found = _MAIN_SUFFIXES.index(suffix) if suffix in _MAIN_SUFFIXES else len(_MAIN_SUFFIXES)
        return found, name.count("/"), name

    return PurePosixPath(min(names, key=rank)).name


def pack(files: list[tuple[str, IO[bytes]]], target: IO[bytes]) -> None:
    """Write files under their relative names.

    Raises
    ------
    InputError
        If there are too many, or a name leads outside or is there twice.
    """
    if len(files) > MOST_FILES:
        raise InputError("file", f"are {len(files):,} files at once; {MOST_FILES:,} are the limit")
    seen: set[str] = set()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as package:
        for name, source in sorted(files, key=lambda one: one[0]):
            path = PurePosixPath(name.replace("\\", "/"))
            if path.is_absolute() or ".." in path.parts or not path.name or str(path) in seen:
                raise InputError("file", f"has a name that can't be kept: {name[:80]!r}")
            seen.add(str(path))
            entry = zipfile.ZipInfo(str(path), (1980, 1, 1, 0, 0, 0))
            with package.open(entry, "w", force_zip64=True) as kept:
                shutil.copyfileobj(source, kept, 1 << 20)
