"""Asking a reading child: one message for whatever it ends with, on the screen and on the command line."""

from __future__ import annotations

import base64
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from lithopos.core.camera.find import FoundEdges
from lithopos.core.errors import InputError, NoRoom
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.reading.limits import SECONDS
from lithopos.core.reading.quick import has_picture, load_graphic, load_model, load_panorama, load_picture

__all__ = [
    "ask_reader",
    "find_edges_of",
    "inspect_file",
    "notes_of",
    "read_graphic",
    "read_model",
    "read_model_kept",
    "read_panorama",
    "read_panorama_kept",
    "read_picture",
    "read_picture_kept",
]

NO_ROOM = "The disk is full: the file could not be read into a working copy. Make room and try again."


def ask_reader(task: str, path: Path, out: Path | None = None) -> dict[str, Any]:
    """Have a child do one of its tasks with a file; what it makes goes into the folder `out`.

    Raises
    ------
    InputError
        If the file is not what the task needs, is damaged, or exceeds the limits; NoRoom if the disk is full.
    """
    command = [sys.executable, "-m", "lithopos.core.reading.child", task, str(path), str(out or ""), str(os.getpid())]
    # One thread a library is enough for a file, and threads' stacks count against the memory limit.
    quiet = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
    try:
        told = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, check=False, env=quiet)
    except subprocess.TimeoutExpired as error:
        raise InputError("file", f"takes longer than {SECONDS} s to read and was left") from error
    if told.returncode == 0:
        return dict(json.loads(told.stdout))
    if told.returncode == 3:
        raise NoRoom(NO_ROOM)
    line = told.stderr.strip().splitlines()[-1:] if told.returncode == 2 else []
    field, _, cause = line[0].partition(": ") if line else ("file", "", "can't be read: the reader broke down over it")
    raise InputError(field, cause)


def inspect_file(path: Path) -> dict[str, Any]:
    """Tell what a file is, having read it whole.

    Returns
    -------
    ``{"kind": "photograph", "format", "width", "height", "notes", "notes_of_camera", "mean"}`` or ``{"kind": "model",
    "format", "size_m", "triangles", "parts", "materials", "lost"}``.
    """
    return ask_reader("tell", path)


def read_picture(path: Path) -> Picture:
    """A photograph's working copy: upright codes of 8 or 16 bits; see `exchange.picture`."""
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        ask_reader("picture", path, Path(folder))
        return load_picture(Path(folder))


def read_picture_kept(path: Path, made: Path) -> Picture:
    """The same where a working copy may be kept in a folder."""
    return load_picture(made) if has_picture(made) else read_picture(path)


def read_graphic(path: Path, time_s: float = 0.0) -> Graphic:
    """A picture to be laid on something or hung; of a film the frame at a time."""
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        ask_reader(f"graphic@{time_s:.6f}", path, Path(folder))
        return load_graphic(Path(folder))


def read_model(path: Path) -> Model:
    """A model; see `geometry`."""
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        ask_reader("model", path, Path(folder))
        return load_model(Path(folder))


def read_model_kept(path: Path, made: Path) -> Model:
    """The same where its quick form may be kept in a folder."""
    kept = load_model(made, must=False)
    return kept or read_model(path)


def read_panorama_kept(path: Path, made: Path) -> Panorama:
    """A panorama; its quick form may be kept in a folder."""
    return load_panorama(made) or read_panorama(path)


def read_panorama(path: Path) -> Panorama:
    """A panorama; an ordinary picture of all around does as well."""
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        ask_reader("panorama", path, Path(folder))
        read = load_panorama(Path(folder))
    assert read
    return read


def notes_of(path: Path) -> bytes | None:
    """What the camera wrote into a photograph (EXIF), to be carried over; None if there is nothing."""
    told = ask_reader("notes", path)["exif"]
    return base64.b64decode(told) if told else None


def find_edges_of(path: Path) -> FoundEdges:
    """The edges that the program proposes in a photograph."""
    return FoundEdges.model_validate(ask_reader("edges", path))
