"""A shot with its files: a document with files beside it, or both in one zip (a bundle)."""

from __future__ import annotations

import errno
import json
import shutil
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

from lithopos.core.errors import InputError, NoRoom
from lithopos.core.shot import Shot, load_shot

DOCUMENT = "shot.json"
MAX_BUNDLE_BYTES = 4 << 30
MAX_DOCUMENT_BYTES = 64 << 20

__all__ = ["DOCUMENT", "OpenShot", "open_shot", "write_bundle"]


@dataclass(frozen=True)
class OpenShot:
    """A shot and where its files are."""

    shot: Shot
    find: Callable[[str], Path]


@contextmanager
def open_shot(path: Path) -> Iterator[OpenShot]:
    """Open a shot document or a bundle; a bundle's files are there until the end of the context.

    Raises
    ------
    InputError
        Naming what is wrong: no such file, an unknown field, a missing file, a path that leads outside.
    """
    if not path.is_file():
        raise InputError("shot", f"{path} is not a file")
    with path.open("rb") as file:
        packed = file.read(4) in (b"PK\x03\x04", b"PK\x05\x06")
    if not packed:
        if path.stat().st_size > MAX_DOCUMENT_BYTES:
            raise InputError("shot", f"the document is larger than {MAX_DOCUMENT_BYTES >> 20} MB")
        yield _opened(path.read_bytes(), path.parent)
        return
    with tempfile.TemporaryDirectory(prefix="lithopos-") as name:
        folder = Path(name)
        try:
            _unpack(path, folder)
        except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, ValueError) as error:
            if isinstance(error, InputError):
                raise
            told = "is encrypted" if "ncrypted" in str(error) else "is damaged, or packed in a way that is not read"
            raise InputError("shot", f"the bundle {told}") from error
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise NoRoom("The disk is full: the bundle can't be unpacked.") from error
            raise InputError("shot", f"the bundle can't be unpacked: {error.strerror}") from error
        yield _opened((folder / DOCUMENT).read_bytes(), folder)


def _opened(data: bytes, folder: Path) -> OpenShot:
    document = _document(data)
    shot = load_shot(document)
    root = folder.resolve()

    def find(name: str) -> Path:
        inside = name.replace(":", "-") if name.startswith("sha256:") else name
        try:
            place = (root / inside).resolve()
            there = place.is_file()
        except OSError as error:
            raise InputError("file", f"{name[:80]} can't be looked for: {error.strerror}") from error
        if not place.is_relative_to(root):
            raise InputError("file", f"{name} leads outside the shot's folder")
        if not there:
            raise InputError("file", f"{name[:200]} is missing")
        return place

    for name in shot.files():
        find(name)
    return OpenShot(shot, find)


def _document(data: bytes) -> Any:
    try:
        return json.loads(data)
    except RecursionError as error:
        raise InputError("shot", "is nested too deep") from error
    except ValueError as error:
        raise InputError("shot", "is not JSON") from error


def _unpack(path: Path, folder: Path) -> None:
    """Unpack the document and the files that it names; what else is in the bundle stays there."""
    with zipfile.ZipFile(path) as bundle:
        entries: dict[str, zipfile.ZipInfo] = {}
        for entry in bundle.infolist():
            name = entry.filename
            if PurePosixPath(name).is_absolute() or ".." in PurePosixPath(name).parts or "\\" in name:
                raise InputError("shot", f"the bundle holds a path that leads outside it: {name[:80]}")
            if name in entries:
                raise InputError("shot", f"the bundle holds {name[:80]} twice")
            entries[name] = entry
        if DOCUMENT not in entries:
            raise InputError("shot", f"the bundle holds no {DOCUMENT}")
        if entries[DOCUMENT].file_size > MAX_DOCUMENT_BYTES:
            raise InputError("shot", f"its document is larger than {MAX_DOCUMENT_BYTES >> 20} MB")
        shot = load_shot(_document(bundle.read(DOCUMENT)))
        wanted = [DOCUMENT, *(name.replace(":", "-") if name.startswith("sha256:") else name for name in shot.files())]
        missing = [name for name in wanted if name not in entries]
        if missing:
            raise InputError("file", f"{missing[0]} is missing from the bundle")
        if sum(entries[name].file_size for name in wanted) > MAX_BUNDLE_BYTES:
            raise InputError("shot", f"the bundle's files unpack to more than {MAX_BUNDLE_BYTES >> 30} GB")
        for name in wanted:
            target = folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            with bundle.open(entries[name]) as source, target.open("wb") as copy:
                shutil.copyfileobj(source, copy)


def write_bundle(shot: Shot, find: Callable[[str], Path], names: dict[str, str], out: BinaryIO) -> None:
    """Write a bundle; `names` gives the files' names within it by their names in the shot."""
    text = shot.model_dump_json(by_alias=True, indent=1)
    for old, new in names.items():
        text = text.replace(json.dumps(old), json.dumps(new))
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as bundle:
        bundle.writestr(DOCUMENT, text)
        for old in shot.files():
            bundle.write(find(old), names.get(old, old))
