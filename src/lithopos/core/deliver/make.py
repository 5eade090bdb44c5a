"""Making what a shot is to be delivered as: every file of its list, from one finished render and its passes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import tifffile

from lithopos.core.blend.blend import Tones
from lithopos.core.deliver.finished import Finished
from lithopos.core.deliver.flat import ICC_TAG, provenance, write_flat
from lithopos.core.deliver.framed import framed
from lithopos.core.deliver.handover import OnPage, Origin, handover_folder, handover_page
from lithopos.core.deliver.layers import Layer, layers_of
from lithopos.core.deliver.matched import camera_json, matched_glb, write_usd
from lithopos.core.deliver.names import Planned, named, planned
from lithopos.core.deliver.openexr import write_openexr
from lithopos.core.deliver.openraster import write_openraster
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture, whole_or_not, write_atomically
from lithopos.core.shot import Deliverable, Shot

PAGE_NAME = 285

__all__ = ["deliver", "plan_of", "refuse_unwritable"]


def plan_of(shot: Shot, scale: float | None = None) -> list[Planned]:
    """What a shot is to be delivered as, at a master's scale; the list's hidden ones are left out.

    Raises
    ------
    InputError
        If a size is more than its format holds.
    """
    if shot.photograph is None:
        raise InputError("photograph", "is missing: a shot begins with one")
    still = [one for one in shot.deliverables if not one.of_take]  # films are made of the whole take
    files = [one for one in still if not one.hidden] or [Deliverable(id="picture")]
    framing = shot.frame or shot.photograph
    size = framing.width, framing.height
    return [planned(one, *size, shot.output.scale if scale is None else scale) for one in files]


def deliver(
    shot: Shot,
    done: Finished,
    files: list[Planned],
    folder: Path,
    words: dict[str, str],
    origin: Origin | None = None,
    pages: Callable[[OnPage], list[OnPage]] = lambda this: [this],
) -> Iterator[Path]:
    """Make files one after the other into a folder, each whole or not at all; gives each that is done.

    Parameters
    ----------
    words : for the pattern of the names: `project`, `shot`, `option`.
    origin : what a page's reply says that it is a reply to; by default those words.
    pages : gives what a page shows: this picture, perhaps with others beside it.

    Raises
    ------
    InputError
        If the folder can't be written to; NoRoom if the disk is full.
    """
    refuse_unwritable(folder)
    scale = done.picture.codes.shape[1] / shot.photograph.width if shot.photograph else 1.0
    tones = Tones(shot.blend.place, shot.blend.whole, done.luts, done.photograph.encoding)
    done = framed(done, shot.frame, scale, tones)
    paths = named(shot.output.names, words, files, folder)
    source = shot.photograph.name or shot.photograph.file if shot.photograph else ""
    xmp = provenance(shot.name, source)
    layers: list[Layer] | None = None
    for plan, path in zip(files, paths, strict=True):
        if plan.of.is_page:
            beside = tuple(other.name for other in paths if other != path)
            this = OnPage(None, words.get("option") or shot.name, done.picture, files=beside)
            caption = f"{words.get('project', '')} · {plan.width} × {plan.height}"
            to = origin or Origin(project=words.get("project", ""), shot=words.get("shot", ""))
            make = handover_page if plan.of.kind == "page" else handover_folder
            page = make(done.photograph, pages(this), shot.name or path.stem, caption, to)
            write_atomically(path, partial(_put, page))
        elif plan.of.matched:
            _write_matched(path, done, plan.of.kind)
        elif not plan.of.layered:
            write_flat(done.picture, plan, path, done.exif, xmp)
        elif plan.of.kind == "exr":
            _write_exr(path, done)
        else:
            if layers is None:
                layers = layers_of(done.photograph.codes, done.passes(), tones, done.picture.codes)
            if plan.of.kind == "ora":
                write_atomically(path, partial(write_openraster, layers, done.picture))
            else:
                _write_tiff(path, layers, done.picture)
        yield path


def _put(data: bytes, file: BinaryIO) -> None:
    file.write(data)


def refuse_unwritable(folder: Path) -> None:
    """Say before anything is made that a folder can't be written to."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / ".lithopos-probe"
        probe.touch()
        probe.unlink()
    except OSError as error:
        raise InputError("--to", f"{folder} can’t be written to: {error.strerror}") from error


def _write_matched(path: Path, done: Finished, kind: str) -> None:
    """The scene as its frame's camera sees it."""
    if kind == "camera":
        write_atomically(path, partial(_put, camera_json(done.camera)))
        return
    if done.scene is None:
        raise InputError("deliverables", "ask for the scene, which is not at hand")
    scene = replace(done.scene(), camera=done.camera)
    if kind == "glb":
        write_atomically(path, partial(_put, matched_glb(scene)))
    else:
        with whole_or_not(path) as place:
            write_usd(scene, place)


def _write_exr(path: Path, done: Finished) -> None:
    with whole_or_not(path) as place:
        write_openexr(place, done.photograph, done.picture, done.passes(), done.camera, done.names)


def _write_tiff(path: Path, layers: list[Layer], finished: Picture) -> None:
    """The finished picture as the first page, then the layers, the lowest first; each says its name, group and mode."""
    told: dict[str, Any] = {"photometric": "rgb", "compression": "deflate", "metadata": None}
    icc: list[Any] = [(ICC_TAG, 7, len(finished.icc), finished.icc, True)] if finished.icc else []
    flat = finished.codes if finished.codes.dtype == np.uint16 else finished.codes.astype(np.uint16) * 257
    with whole_or_not(path) as place, tifffile.TiffWriter(place) as writer:
        writer.write(flat, extratags=[*icc, (PAGE_NAME, 2, 0, "Finished picture", True)], **told)
        for layer in layers:
            tags = [*icc, (PAGE_NAME, 2, 0, layer.name, True)]
            words = f"group: {layer.group}; mode: {layer.mode}"
            writer.write(layer.codes, extrasamples=["unassalpha"], description=words, extratags=tags, **told)
