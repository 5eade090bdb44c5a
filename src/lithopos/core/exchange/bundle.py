"""A shot with its files: a document with files beside it, or both in one zip (a bundle)."""

from __future__ import annotations

import json
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import BinaryIO

from lithopos.core.errors import InputError
from lithopos.core.shot import Shot, load_shot

DOCUMENT = "shot.json"
MAX_BUNDLE_BYTES = 8 * 2**30

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
    if not zipfile.is_zipfile(path):
        yield _opened(path.read_bytes(), path.parent)
        return
    with tempfile.TemporaryDirectory(prefix="lithopos-") as name:
        folder = Path(name)
        try:
            _unpack(path, folder)
        except zipfile.BadZipFile as error:
            raise InputError("shot", "the bundle is damaged: it can't be unpacked") from error
        if not (folder / DOCUMENT).is_file():
            raise InputError("shot", f"the bundle holds no {DOCUMENT}")
        yield _opened((folder / DOCUMENT).read_bytes(), folder)


def _opened(data: bytes, folder: Path) -> OpenShot:
    try:
        document = json.loads(data)
    except ValueError as error:
        raise InputError("shot", "is not JSON") from error
    shot = load_shot(document)
    root = folder.resolve()

    def find(name: str) -> Path:
        place = (root / name.replace(":", "-")).resolve() if name.startswith("sha256:") else (root / name).resolve()
        if not place.is_relative_to(root):
            raise InputError("file", f"{name} leads outside the shot's folder")
        if not place.is_file():
            raise InputError("file", f"{name} is missing")
        return place

    for name in shot.files():
        find(name)
    return OpenShot(shot, find)


def _unpack(path: Path, folder: Path) -> None:
    with zipfile.ZipFile(path) as bundle:
        entries = bundle.infolist()
        if sum(entry.file_size for entry in entries) > MAX_BUNDLE_BYTES:
            raise InputError("shot", f"the bundle unpacks to more than {MAX_BUNDLE_BYTES // 2**30} GB")
        for entry in entries:
            name = PurePosixPath(entry.filename)
            if entry.is_dir():
                continue
            if name.is_absolute() or ".." in name.parts or "\\" in entry.filename:
                raise InputError("shot", f"the bundle holds a path that leads outside it: {entry.filename}")
            target = folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            with bundle.open(entry) as source, target.open("wb") as copy:
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
