"""Finished frames put out: as a film, or as numbered pictures in a folder."""

from __future__ import annotations

import os
import shutil
import zipfile
from collections.abc import Iterator
from pathlib import Path

from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.film import TakeNotes
from lithopos.core.exchange.picture import Codes, whole_or_not
from lithopos.core.footage.frame_files import SUFFIX, Wanted
from lithopos.core.footage.make import FootageJob
from lithopos.core.footage.written import Film, refuse_unfit, write_film
from lithopos.core.render.session import sized

__all__ = ["put_film", "put_pictures", "put_zip", "refuse_unfit_place"]


def refuse_unfit_place(out: Path, film: Film | None, notes: TakeNotes) -> None:
    """Say before anything is made that it could not be put there.

    Raises
    ------
    InputError
        Naming why.
    """
    if film is not None:
        refuse_unfit(out, film, notes)
    if not out.parent.is_dir():
        raise InputError("--out", f"{out.parent} is not a folder")
    if film is None and out.exists() and not out.is_dir():
        raise InputError("--out", f"{out} is a file; numbered pictures go into a folder")
    if film is not None and out.is_dir():
        raise InputError("--out", f"{out} is a folder")
    if film is None and out.is_dir() and any(out.iterdir()):
        raise InputError("--out", f"{out} is not empty; nothing is overwritten")
    if not os.access(out.parent, os.W_OK):
        raise InputError("--out", f"{out.parent} can't be written to")


def put_film(job: FootageJob, out: Path, film: Film, longest_px: int | None = None) -> None:
    """Write a job's frames as a film.

    Parameters
    ----------
    longest_px : of the longer side; None: as the frames are.
    """
    write_film(_read_back(job, longest_px), out, film, job.path, job.notes, job.take.first, job.take.rate)


def put_pictures(job: FootageJob, out: Path) -> list[Path]:
    """Copy a job's frames into a folder, numbered from the take's own number of the first one."""
    out.mkdir(parents=True, exist_ok=True)
    made = []
    for number in job.frames:
        for wanted in job.wants:
            place = out / f"{out.name}-{number:06d}{SUFFIX[wanted]}"
            with whole_or_not(place) as beside:
                shutil.copyfile(job.frame_path(number, wanted), beside)
            made.append(place)
    return made


def put_zip(job: FootageJob, out: Path, wanted: Wanted) -> None:
    """Write a job's frames as numbered pictures in a zip, not packed again, whole or not at all."""
    with whole_or_not(out) as beside, zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as package:
        for number in job.frames:
            name = f"{out.stem}/{out.stem}-{number:06d}{SUFFIX[wanted]}"
            # With one date for all the same frames are the same bytes.
            entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            package.writestr(entry, job.frame_path(number, wanted).read_bytes())


def _read_back(job: FootageJob, longest_px: int | None) -> Iterator[Codes]:
    for number in job.frames:
        picture = read_picture(job.frame_path(number))
        share = longest_px / max(picture.codes.shape[:2]) if longest_px else 1.0
        yield sized(picture, min(1.0, share)).codes
