"""All readers by the kind that a file's content tells, and the one way through which every model comes in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from lithopos.core.errors import InputError
from lithopos.core.exchange.kinds import file_kind
from lithopos.core.geometry.gltf.read import read_gltf
from lithopos.core.geometry.mend import mended
from lithopos.core.geometry.model import Model
from lithopos.core.geometry.readers.archive import read_archive
from lithopos.core.geometry.readers.ifc import read_ifc
from lithopos.core.geometry.readers.meshes import read_3mf, read_obj, read_off, read_ply, read_stl
from lithopos.core.geometry.readers.step import read_step
from lithopos.core.geometry.readers.usd import read_usd

# In the order in which they are looked for in a zip: the richest first.
READERS: dict[str, Callable[[Path], Model]] = {
    "glb": read_gltf,
    "gltf": read_gltf,
    "usd": read_usd,
    "3mf": read_3mf,
    "step": read_step,
    "ifc": read_ifc,
    "obj": read_obj,
    "ply": read_ply,
    "stl": read_stl,
    "off": read_off,
}

__all__ = ["READERS", "read_model"]


def read_model(path: Path) -> Model:
    """A model of any kind that is read, mended, in metres, z up.

    Raises
    ------
    InputError
        If it is of no such kind, can't be read, or can't stand; it says what is wrong.
    """
    kind = file_kind(path)
    if kind == "zip":
        return mended(read_archive(path, _main_files, lambda found: _read(found, file_kind(found))))
    return mended(_read(path, kind))


def _read(path: Path, kind: str | None) -> Model:
    if kind not in READERS:
        raise InputError("model", "is not of a kind that is read")
    try:
        model = READERS[kind](path)
    except RecursionError as error:
        raise InputError("model", "is nested too deep") from error
    if not model.triangles:
        raise InputError("model", f"has no triangles{f': {model.lost[0]}' if model.lost else ''}")
    return replace(model, lost=list(dict.fromkeys(model.lost)))


def _main_files(folder: Path) -> list[Path]:
    """The models of a folder: the richest kinds first, then those nearest to its top, then by name."""
    found = [(path, file_kind(path)) for path in sorted(folder.rglob("*")) if path.is_file() and path.stat().st_size]
    models = [(path, kind) for path, kind in found if kind in READERS]
    ranks = list(READERS)
    models.sort(key=lambda one: (ranks.index(str(one[1])), len(one[0].parts), str(one[0])))
    return [path for path, _ in models]
