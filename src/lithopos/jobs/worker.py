"""A worker: takes renders off the queues, proofs before masters; a master lets waiting proofs go before it."""

from __future__ import annotations

import logging
import os
import signal
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path
from types import FrameType

import psutil

from lithopos.core.errors import Cancelled, InputError, NoRoom
from lithopos.core.exchange.picture import Picture, write_png
from lithopos.core.reading.ask import read_graphic, read_model_kept, read_picture_kept
from lithopos.core.render.render import Quality, render_shot
from lithopos.core.render.session import Session, sized
from lithopos.jobs.queue import Queue
from lithopos.library.models import Render
from lithopos.library.store import Library

log = logging.getLogger("lithopos.worker")
KILLED = "The worker that made it was killed. What is done is kept: starting again goes on from there."
LOST = "Its worker lost it. What is done is kept: starting again goes on from there."

PICTURE, PREVIEW = "picture.png", "preview.png"
PREVIEW_WIDTH = 1600
PREVIEW_EVERY_S = 2.0
LOOK_ROUND_EVERY_S = 3.0

__all__ = ["PICTURE", "PREVIEW", "Worker", "fail_orphans", "process_name", "run"]


class _Ending(Exception):
    """The worker is told to end: its render goes back into line."""


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


@dataclass
class Worker:
    """Does renders, one at a time; proofs and masters each have their own warm session."""

    library: Library
    queue: Queue
    ending: bool = False
    sessions: dict[str, Session] = field(default_factory=dict)
    name: str = field(default_factory=lambda: process_name(os.getpid()) or "")

    def work(self, render_id: str) -> None:
        """Do one render; every way it can end is told in its row."""
        render = self.library.begin_render(render_id, self.name)
        if render is None:
            return
        try:
            self._render(render)
            self.library.finish_render(render_id, "done")
        except _Ending:
            self.library.requeue_render(render_id)
        except Cancelled:
            self.library.finish_render(render_id, "stopped")
        except (InputError, NoRoom) as error:
            self.library.finish_render(render_id, "failed", _sentence(error))
        except MemoryError:
            self.library.finish_render(render_id, "failed", "It needs more memory than this machine has free.")
        except Exception as error:
            log.exception("render %s", render_id)
            self.library.finish_render(render_id, "failed", f"Internal failure: {type(error).__name__}: {error}")

    def look_round(self) -> None:
        """Find what got lost: renders in no line, and those that this worker began but does not do."""
        waiting = self.queue.waiting()
        for render in self.library.queued_renders():
            if render.id not in waiting:
                self.queue.put(render.id, render.quality)
        for render in self.library.running_renders():
            if render.worker == self.name:
                self.library.finish_render(render.id, "failed", LOST)

    def _session(self, quality: str) -> Session:
        if quality not in self.sessions:
            self.sessions[quality] = Session(self.library.data / "empties")
        return self.sessions[quality]

    def _render(self, render: Render) -> None:
        library = self.library
        shot = library.shot_at(render.shot_id, render.revision)
        if shot.photograph is None:
            raise InputError("photograph", "is missing")
        folder, photograph = library.render_folder(render.id), shot.photograph.file
        quality: Quality = "master" if render.quality == "master" else "proof"

        def between() -> bool:
            if self.ending:
                raise _Ending
            if quality == "master":
                while proof := self.queue.take("proof"):
                    self.work(proof)
            return library.render(render.id).state == "stopping"

        steps = render_shot(
            shot,
            lambda: read_picture_kept(library.file_path(photograph), library.made_folder(photograph)),
            lambda name: read_model_kept(library.file_path(name), library.made_folder(name)),
            quality=quality,
            session=self._session(quality),
            photograph_key=photograph,
            keep=folder / "so-far",
            between=between,
            read_graphic=lambda name, time_s: read_graphic(library.file_path(name), time_s),
        )
        shown_at = 0.0
        for step in steps:
            last = step.done == step.of
            if step.picture and (last or time.monotonic() - shown_at > PREVIEW_EVERY_S or quality == "proof"):
                _show(step.picture, folder, whole=last or quality == "proof")
                shown_at = time.monotonic()
            library.update_render(
                render.id,
                passes_done=step.done,
                passes=step.of,
                samples=step.samples,
                seconds_left=step.seconds_left,
                notes=" ".join(step.notes)[:1000] or None,
            )


def _show(picture: Picture, folder: Path, whole: bool) -> None:
    """Write the picture for the screen: a master that is under way only at the size of a screen."""
    if whole:
        write_png(picture, folder / PICTURE)
        (folder / PREVIEW).unlink(missing_ok=True)
    else:
        write_png(sized(picture, min(1.0, PREVIEW_WIDTH / picture.codes.shape[1])), folder / PREVIEW)


def _sentence(error: InputError | NoRoom) -> str:
    if isinstance(error, NoRoom):
        return str(error)
    return f"{error.field.capitalize()} {error.cause}." if error.field else f"{error.cause.capitalize()}."


def run(data: Path) -> None:
    """Work through the queues until told to end (SIGTERM or SIGINT)."""
    logging.basicConfig(level=logging.WARNING, stream=sys.stderr)
    library = Library(data)
    fail_orphans(library)
    worker = Worker(library, Queue(data))

    def end(_signal: int, _frame: FrameType | None) -> None:
        worker.ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    looked_at = 0.0
    while not worker.ending:
        if time.monotonic() - looked_at > LOOK_ROUND_EVERY_S:
            worker.look_round()
            looked_at = time.monotonic()
        render_id = worker.queue.take()
        if render_id is None:
            time.sleep(0.05)
        else:
            worker.work(render_id)
    # A trace may still run in native code, which would abort an orderly exit; all that counts is kept.
    logging.shutdown()
    os._exit(0)


if __name__ == "__main__":
    run(Path(sys.argv[1]))
