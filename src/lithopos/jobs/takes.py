"""Work on takes: a shot begun with one, its clean plate, who is in front, all its frames, films of them."""

from __future__ import annotations

import itertools
import json
import string
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lithopos.core.deliver.names import named, planned
from lithopos.core.errors import Cancelled, InputError
from lithopos.core.exchange.picture import Codes, Picture, write_atomically, write_png
from lithopos.core.footage.asked import film_times, take_notes_of
from lithopos.core.footage.frame_files import Wanted
from lithopos.core.footage.frames import read_frame, read_frames
from lithopos.core.footage.make import PROOF_SAMPLES, PROOF_SCALE, FootageJob, Progress, plate_picture
from lithopos.core.footage.put_out import put_film, put_zip
from lithopos.core.footage.written import ENCODERS, Film, fitting_suffix
from lithopos.core.render.session import Session
from lithopos.core.shot import Deliverable, Take
from lithopos.jobs.files import FILES, MadeFile, readers_of
from lithopos.library.models import Render
from lithopos.library.shots import ShotState
from lithopos.library.store import Library

TAKE_WORK = ("plate", "front", "walk", "film")  # the plate, who is in front, a small proof of all, all of it
FRAMES, SHOWN, LOOKED = "frames.json", "shown", "looked.json"
FRAMES_OF: dict[str, Wanted] = {"png frames": "picture", "model frames": "model", "exr frames": "exr"}
SHOWN_WIDTH, SHOWN_QUALITY = 1280, 88
AT_FIRST = 1500  # frames of a take that are made as long as nobody sets its ends
CHUNK = 16  # frames that are decoded at once to be shown
TOLD_EVERY_S = 0.7

_showing = threading.Lock()

__all__ = ["FRAMES", "LOOKED", "TAKE_WORK", "begin_take", "kept_folder", "make_take", "shown_frame"]


def kept_folder(library: Library, take: Take) -> Path:
    """Where all that is made of a take is kept."""
    sha256 = take.file.removeprefix("sha256:")
    folder = library.data / "takes" / sha256[:2] / sha256
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def begin_take(library: Library, project_id: str, name: str, sha256: str) -> ShotState:
    """Begin a shot with a film or numbered pictures; the first frame is its photograph until there is a plate.

    Raises
    ------
    InputError
        If it can't be a take.
    """
    told = library.file(sha256).told.get("take")
    if told is None:
        raise InputError("photograph", "is a film that can’t be a take: a single frame, or in high dynamic range")
    last = min(told["frames"], AT_FIRST) - 1  # of a long one its beginning, until its ends are set
    take = Take(file=f"sha256:{sha256}", name=name, frames=told["frames"], rate=told["rate"], last=last)
    codes = read_frame(library.file_path(take.file), take.reference)
    frame = _stored(library, project_id, Picture(codes), f"{Path(name).stem}, first frame.png")
    return library.add_shot(project_id, name, frame, take)


def _stored(library: Library, project_id: str, picture: Picture, name: str) -> str:
    """A picture that was made, kept as one of the project's photographs; gives its content's name."""
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        place = Path(folder) / name.replace("/", "-")
        write_png(picture, place)
        return library.import_file(project_id, place).sha256


def shown_frame(library: Library, take: Take, number: int) -> Path:
    """A frame of a take for the screen; its neighbours are made with it, and all are kept."""
    folder = kept_folder(library, take) / SHOWN
    place = folder / f"{number:06d}.jpg"
    if place.is_file():
        return place
    with _showing:
        if not place.is_file():
            first = number - number % CHUNK
            last = min(first + CHUNK, take.frames) - 1
            folder.mkdir(parents=True, exist_ok=True)
            for one, codes in enumerate(read_frames(library.file_path(take.file), first, last), first):
                _write_shown(codes, folder / f"{one:06d}.jpg")
    return place


def _write_shown(codes: Codes, place: Path) -> None:
    """A frame as the screen shows it, no larger than it needs."""
    picture = Picture(codes).eight_bit
    share = SHOWN_WIDTH / picture.shape[1]
    if share < 1:
        picture = cv2.resize(picture, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    bgr = np.ascontiguousarray(picture[..., ::-1])
    done, data = cv2.imencode(".jpg", bgr, [cv2.IMWRITE_JPEG_QUALITY, SHOWN_QUALITY])
    if not done:
        raise OSError("the frame could not be encoded")
    write_atomically(place, lambda file: file.write(data.tobytes()))


# What a worker does


def make_take(
    library: Library,
    render: Render,
    session: Session,
    stop: Callable[[], bool],
    worked_on: Callable[[], dict[str, Any] | None],
) -> None:
    """Do one piece of work on a take; how far it is, is told in the render's row.

    Parameters
    ----------
    worked_on : which machines trace, where there is a cluster.

    Raises
    ------
    InputError
        If the take or the shot does not do; Cancelled if it was stopped; NoRoom if the disk is full.
    """
    job = _job(library, render, session, stop)
    steps = {"plate": job.looked, "front": job.told, "walk": job.run, "film": job.run}
    told_at = 0.0
    for step in steps[render.quality]():
        if time.monotonic() - told_at > TOLD_EVERY_S:
            told_at = time.monotonic()
            _tell(library, render, step, worked_on())
            _note(library, render, FRAMES, job.finished())
    if render.quality == "front":
        _note(library, render, FRAMES, {number: job.front_path(number).name for number in job.frames})
    else:
        _note(library, render, FRAMES, job.finished())
    if render.quality == "plate":
        _put_plate(library, render, job)
    if render.quality == "film":
        _put_files(library, render, job)
    _tell(library, render, Progress("frames", len(job.frames), len(job.frames)), worked_on())
    job.clear()


def _job(library: Library, render: Render, session: Session, stop: Callable[[], bool]) -> FootageJob:
    shot = library.shot_at(render.shot_name, render.revision)
    if shot.take is None:
        raise InputError("take", "is missing: the shot is of a photograph")
    path, small = library.file_path(shot.take.file), render.quality == "walk"
    asked: list[Wanted] = [
        FRAMES_OF.get(one.kind, "picture") for one in shot.deliverables if one.of_take and not one.hidden
    ]
    wants: tuple[Wanted, ...] = tuple(dict.fromkeys(asked)) if render.quality == "film" else ()
    return FootageJob(
        shot,
        path,
        take_notes_of(path),
        readers_of(library),
        kept_folder(library, shot.take),
        scale=PROOF_SCALE if small else 1.0 if render.quality in ("plate", "front") else shot.output.scale,
        samples=PROOF_SAMPLES if small else None,
        wants=wants or ("picture",),
        session=session,
        films=film_times(shot, library.file_path) if render.quality in ("walk", "film") else {},
        stop=stop,
    )


def _tell(library: Library, render: Render, step: Progress, worked_on: dict[str, Any] | None) -> None:
    library.update_render(
        render.id,
        stage=step.stage,
        passes_done=step.done,
        passes=step.of,
        seconds_left=step.seconds_left,
        notes=" ".join(step.notes)[:1000] or None,
        worked_on=worked_on,
    )


def _note(library: Library, render: Render, name: str, told: object) -> None:
    """Keep what is known so far beside the render."""
    data = json.dumps(told).encode()
    write_atomically(library.render_folder(render.id) / name, lambda file: file.write(data))


def _put_plate(library: Library, render: Render, job: FootageJob) -> None:
    """The clean plate becomes the shot's photograph; what was measured of the take is noted."""
    empty = float(job.study.empty.mean())
    seen = {"moved_px": job.study.farthest_px, "empty": empty, "sigma": job.study.noise.sigma[8].tolist()}
    _note(library, render, LOOKED, seen)
    hatched = plate_picture(job.path, job.study, job.shot, hatched=True)
    write_png(Picture(hatched.eight_bit), library.render_folder(render.id) / "picture.png")
    project = library.shot(render.shot_id).project_id
    name = f"{Path(job.take.name or 'take').stem}, clean plate.png"
    sha256 = _stored(library, project, plate_picture(job.path, job.study, job.shot), name)
    told, state = library.file(sha256).told, library.shot(render.shot_id)
    if state.shot.take is None or state.shot.take.file != job.take.file or state.shot.photograph is None:
        raise InputError("take", "is another one by now")
    read = {"mean": told.get("mean"), "sky": told.get("sky")}
    photograph = {**state.shot.photograph.model_dump(mode="json"), "file": f"sha256:{sha256}", **read}
    if state.shot.photograph.file != photograph["file"]:
        patch = {"photograph": photograph, "take": {"plate": f"sha256:{sha256}"}}
        library.change(state.id, state.revision, patch, "clean plate")


def _put_files(library: Library, render: Render, job: FootageJob) -> None:
    """Films and numbered pictures that the shot is to be delivered as; one film where nothing is asked for."""
    shot = job.shot
    assert shot.photograph is not None
    project = library.project(library.shot(render.shot_id).project_id)
    folder = library.delivered_folder(project.id)
    files = [one for one in shot.deliverables if one.of_take and not one.hidden] or [Deliverable(id="film", kind="av1")]
    framing = shot.frame or shot.photograph
    plan = [planned(one, framing.width, framing.height, shot.output.scale) for one in files]
    called = next((one.name or one.id for one in shot.options if one.id == render.option), "")
    words = {"project": project.name, "shot": shot.name, "option": called}
    made: list[MadeFile] = []
    for one, path in zip(plan, named(shot.output.names, words, plan, folder), strict=True):
        if job.stop():
            raise Cancelled("The film was stopped.")
        if one.of.kind in ENCODERS:
            film = Film(one.of.kind, one.of.quality)
            path = _free(path.with_suffix(fitting_suffix(film, path.suffix, job.notes)))
            put_film(job, path, film, one.of.longest_px)
        else:
            put_zip(job, path, FRAMES_OF[one.of.kind])
        told = {"width": one.width, "height": one.height, "size_bytes": path.stat().st_size}
        made.append(MadeFile(name=path.name, kind=one.of.kind, **told))
        _note(library, render, FILES, [file.model_dump(mode="json") for file in made])


def _free(path: Path) -> Path:
    """A place that nothing has yet: another ending than was planned may be taken."""
    places = itertools.chain([path], (path.with_stem(f"{path.stem}-{letter}") for letter in string.ascii_lowercase[1:]))
    return next(place for place in places if not place.exists())
