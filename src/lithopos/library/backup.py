"""A library's copy, made while it is in use, and a library made of a copy.

The database is copied first, by SQLite's own means, as it is at one moment. Files are named by their content and never
change, so that whatever the copied database names is there and stays as it is while the rest is copied. What can be
made again (small pictures, quick forms, kept frames) is left out.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from lithopos import __version__
from lithopos.core.errors import InputError
from lithopos.library.store import SUMS, Library

MANIFEST, DATABASE = "backup.json", "library.db"
FORMAT = 1
RENDERED = "renders"
COPIED = ("files", RENDERED, "delivered")

__all__ = ["backup", "digest_of", "restore"]


def backup(data: Path, to: Path) -> dict[str, Any]:
    """Copy a library into a new folder; what was told of the copy.

    Raises
    ------
    InputError
        If there is no library, or the folder is there already and holds something. Nothing is left half copied.
    """
    if not (data / DATABASE).is_file():
        raise InputError("--data", f"{data} holds no library")
    if to.exists() and (not to.is_dir() or any(to.iterdir())):
        raise InputError("TO", f"{to} is there already; a backup is made into a new folder")
    if not to.parent.is_dir():
        raise InputError("TO", f"{to.parent} is no folder")
    if to.resolve().is_relative_to(data.resolve()):
        raise InputError("TO", "lies in the library itself")
    partial = to.parent / f".{to.name}.partial"
    shutil.rmtree(partial, ignore_errors=True)
    partial.mkdir()
    try:
        told = _copied(data, partial)
        if to.is_dir():
            to.rmdir()
        partial.rename(to)
    except OSError as error:
        raise InputError("TO", f"{to} can't be written: {error.strerror or error}") from error
    finally:
        shutil.rmtree(partial, ignore_errors=True)
    return told


def _copied(data: Path, to: Path) -> dict[str, Any]:
    with (
        closing(sqlite3.connect(f"file:{data / DATABASE}?mode=ro", uri=True, timeout=30)) as source,
        closing(sqlite3.connect(to / DATABASE)) as target,
    ):
        source.backup(target)
        target.execute("PRAGMA journal_mode=DELETE")
        wanted = {row[0] for row in target.execute("SELECT sha256 FROM files")}
        renders = {row[0] for row in target.execute("SELECT id FROM renders")}
    copied: dict[str, str] = {DATABASE: digest_of(to / DATABASE)}
    for relative in _files(data, wanted, renders):
        place = to / relative
        place.parent.mkdir(parents=True, exist_ok=True)
        try:
            shutil.copyfile(data / relative, place)
        except FileNotFoundError:
            if relative.parts[0] == "files":
                raise
            continue  # a render under way has replaced it
        copied[relative.as_posix()] = digest_of(place)
    told = {"lithopos": "backup", "format": FORMAT, "version": __version__, "files": copied}
    told["made_at"] = datetime.now(UTC).isoformat(timespec="seconds")
    (to / MANIFEST).write_text(json.dumps(told, indent=1) + "\n")
    for place in to.rglob("*"):
        if place.is_file():
            _synced(place)
    return {"files": len(copied), "bytes": sum((to / name).stat().st_size for name in copied), "to": str(to)}


def _files(data: Path, wanted: set[str], renders: set[str]) -> Iterator[Path]:
    """What is copied, relative to the library: files that the database knows, pictures of renders, delivered files."""
    for sha256 in sorted(wanted):
        yield Path("files", sha256[:2], sha256)
    for folder in (RENDERED, "delivered"):
        for place in sorted((data / folder).rglob("*")):
            relative = place.relative_to(data)
            left_out = folder == RENDERED and (relative.parts[1] not in renders or SUMS in relative.parts)
            if place.is_file() and not place.name.endswith(".tmp") and not left_out:
                yield relative


def digest_of(place: Path) -> str:
    """What a file's content is named by."""
    with place.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _synced(place: Path) -> None:
    with place.open("rb") as file:
        os.fsync(file.fileno())


def restore(from_: Path, data: Path) -> dict[str, Any]:
    """Make a library of a backup, in a folder that holds none; everything is compared with what was copied.

    Raises
    ------
    InputError
        If it is no backup, or damaged, or there is a library already. Nothing is left half restored.
    """
    told = _manifest(from_)
    if data.exists() and (not data.is_dir() or any(data.iterdir())):
        raise InputError("--data", f"{data} is not empty; a library is restored into a new folder")
    data.parent.mkdir(parents=True, exist_ok=True)
    partial = data.parent / f".{data.name}.partial"
    shutil.rmtree(partial, ignore_errors=True)
    partial.mkdir()
    try:
        for name, sha256 in told.items():
            relative = Path(name)
            if relative.is_absolute() or ".." in relative.parts or relative.parts[0] not in (DATABASE, *COPIED):
                raise InputError("FROM", f"names a file that is none of a library: {name[:80]}")
            if not (from_ / relative).is_file():
                raise InputError("FROM", f"is damaged: {name} is missing")
            place = partial / relative
            place.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(from_ / relative, place)
            if digest_of(place) != sha256:
                raise InputError("FROM", f"is damaged: {name} is not what was copied")
        if data.is_dir():
            data.rmdir()
        partial.rename(data)
    except OSError as error:
        raise InputError("--data", f"{data} can't be written: {error.strerror or error}") from error
    finally:
        shutil.rmtree(partial, ignore_errors=True)
    library = Library(data)  # an older version's database is brought up to date
    projects = len(library.projects())
    library.engine.dispose()
    return {"files": len(told), "projects": projects, "data": str(data)}


def _manifest(from_: Path) -> dict[str, str]:
    try:
        told = json.loads((from_ / MANIFEST).read_text())
        files = told["files"]
        if told["lithopos"] != "backup" or not isinstance(files, dict):
            raise ValueError
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise InputError("FROM", f"{from_} is no backup of a library") from error
    if told.get("format") != FORMAT:
        raise InputError("FROM", f"is of format {told.get('format')!r}; this version reads {FORMAT}")
    return {str(name): str(sha256) for name, sha256 in files.items()}
