"""A worker: takes renders off the queue, one at a time, each pass kept as it is done."""

from __future__ import annotations

import logging
import os
import sys
from functools import lru_cache
from pathlib import Path

import psutil

from lithopos.core.errors import Cancelled, InputError, NoRoom
from lithopos.core.exchange.picture import read_picture, write_png
from lithopos.core.geometry.model import Model
from lithopos.core.inspect import read_model
from lithopos.core.render.passes import Quality, render_shot
from lithopos.jobs.queue import Queue
from lithopos.library.models import Render
from lithopos.library.store import Library

log = logging.getLogger("lithopos.worker")
KILLED = "The worker that made it was killed. What is done is kept: starting again goes on from there."

__all__ = ["PICTURE", "fail_orphans", "process_name", "run", "work"]

PICTURE = "picture.png"


def process_name(pid: int) -> str | None:
    """A process, by number and start, so that a number used again is not mistaken; None if it is gone."""
    try:
        return f"{pid}@{psutil.Process(pid).create_time():.2f}"
    except psutil.NoSuchProcess:
        return None


def fail_orphans(library: Library) -> list[Render]:
    """Close renders whose worker is gone as failed, with the reason; returns them."""
    lost = []
    for render in library.running_renders():
        pid = int((render.worker or "0@").split("@")[0])
        if process_name(pid) != render.worker:
            state, reason = ("stopped", None) if render.state == "stopping" else ("failed", KILLED)
            library.finish_render(render.id, state, reason)
            lost.append(render)
    return lost


def work(library: Library, render_id: str) -> None:
    """Do one render; every way it can end is told in its row."""
    render = library.begin_render(render_id, process_name(os.getpid()) or "")
    if render is None:
        return
    try:
        _render(library, render)
        library.finish_render(render_id, "done")
    except Cancelled:
        library.finish_render(render_id, "stopped")
    except (InputError, NoRoom) as error:
        library.finish_render(render_id, "failed", _sentence(error))
    except Exception as error:
        log.exception("render %s", render_id)
        library.finish_render(render_id, "failed", f"Internal failure: {type(error).__name__}: {error}")


def _sentence(error: InputError | NoRoom) -> str:
    if isinstance(error, NoRoom):
        return str(error)
    return f"{error.field.capitalize()} {error.cause}." if error.field else f"{error.cause.capitalize()}."


def _render(library: Library, render: Render) -> None:
    shot = library.shot_at(render.shot_id, render.revision)
    if shot.photograph is None:
        raise InputError("photograph", "is missing")
    folder = library.render_folder(render.id)
    quality: Quality = "master" if render.quality == "master" else "proof"

    @lru_cache
    def model(name: str) -> Model:
        found: Model = read_model(library.file_path(name))
        return found

    steps = render_shot(
        shot,
        read_picture(library.file_path(shot.photograph.file)),
        model,
        quality=quality,
        keep=folder / "sums.npz",
        stopped=lambda: library.render(render.id).state == "stopping",
    )
    for step in steps:
        write_png(step.picture, folder / PICTURE)
        library.update_render(
            render.id,
            passes_done=step.number,
            passes=step.of,
            samples=step.samples,
            seconds_left=step.seconds_left,
        )
    (folder / "sums.npz").unlink(missing_ok=True)


def run(data: Path) -> None:
    """Work through the queue until told to end (SIGTERM or SIGINT)."""
    logging.basicConfig(level=logging.WARNING, stream=sys.stderr)
    library = Library(data)
    fail_orphans(library)
    queue = Queue(data, lambda render_id: work(library, render_id))
    consumer = queue.huey.create_consumer(workers=1, periodic=False, initial_delay=0.05, backoff=1.2, max_delay=0.3)
    consumer.run()
    # A trace may still run in native code, which would abort an orderly exit; all that counts is kept.
    logging.shutdown()
    os._exit(0)


if __name__ == "__main__":
    run(Path(sys.argv[1]))
