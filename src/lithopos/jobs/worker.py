"""A worker: takes work off the queues, proofs first; a master lets proofs and small pictures go before it."""

from __future__ import annotations

import logging
import os
import signal
import sys
import time
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING, Any, BinaryIO

import psutil

from lithopos.cluster.address import Cluster
from lithopos.core.errors import Cancelled, InputError, NoRoom
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture, write_atomically, write_png
from lithopos.core.geometry.model import Model
from lithopos.core.layers import Window
from lithopos.core.reading.ask import read_model, read_model_kept, read_picture_kept
from lithopos.core.reading.screen import LIVE
from lithopos.core.render.card import CardQuestion, card_picture
from lithopos.core.render.pieces import piece_picture
from lithopos.core.render.render import PART_SAMPLES, Quality, render_shot
from lithopos.core.render.session import Session, sized
from lithopos.core.render.small import SmallQuestion, small_picture
from lithopos.jobs.asked import Asked
from lithopos.jobs.files import PASSES, PICTURE, make_files, readers_of
from lithopos.jobs.queue import Queue
from lithopos.jobs.takes import TAKE_WORK, make_take
from lithopos.library.models import Render
from lithopos.library.store import SUMS, Library

if TYPE_CHECKING:
    from lithopos.cluster.tracer import ClusterTracer

log = logging.getLogger("lithopos.worker")
KILLED = "The worker that made it was killed. What is done is kept: starting again goes on from there."
LOST = "Its worker lost it. What is done is kept: starting again goes on from there."

PREVIEW, WHITES, SCOPE = "preview.png", "whites.json", "scope.json"
LONG = ("master", *TAKE_WORK)  # which let others go first
PREVIEW_WIDTH = 1600
PREVIEW_EVERY_S = 2.0
LOOK_ROUND_EVERY_S = 3.0
BEHIND = 3  # by which the system puts it behind the server: who works at the screen waits for no render

__all__ = ["PICTURE", "PREVIEW", "SCOPE", "WHITES", "Worker", "fail_orphans", "process_name", "put_back_orphans", "run"]


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
    lost = _orphans(library)
    for render in lost:
        state, reason = ("stopped", None) if render.state == "stopping" else ("failed", KILLED)
        library.finish_render(render.id, state, reason)
    return lost


def put_back_orphans(library: Library) -> None:
    """Put renders whose worker was told to end, and was ended before it had, back into line."""
    for render in _orphans(library):
        if render.state == "stopping":
            library.finish_render(render.id, "stopped")
        else:
            library.requeue_render(render.id)


def _orphans(library: Library) -> list[Render]:
    """Renders that a worker has taken which is gone."""
    return [
        render
        for render in library.running_renders()
        if process_name(int((render.worker or "0@").split("@")[0])) != render.worker
    ]


@dataclass
class Worker:
    """Does renders and small pictures, one at a time; each line has its own warm session."""

    library: Library
    queue: Queue
    cluster: Cluster | None = None
    ending: bool = False
    sessions: dict[str, Session] = field(default_factory=dict)
    name: str = field(default_factory=lambda: process_name(os.getpid()) or "")

    def __post_init__(self) -> None:
        self.readers = readers_of(self.library)
        self.tracers: dict[str, ClusterTracer] = {}

    def work(self, render_id: str) -> None:
        """Do one render; every way it can end is told in its row."""
        render = self.library.begin_render(render_id, self.name)
        if render is None:
            return
        try:
            if render.quality == "files":
                make_files(self.library, render, lambda: self._stops(render_id))
            elif render.quality in TAKE_WORK:
                stops, told = partial(self._lets_others_go_first, render), partial(self._worked_on, "take")
                make_take(self.library, render, self._session("take"), stops, told)
            else:
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
        else:
            shot = self.library.shot_at(render.shot_name, render.revision)
            if render.quality == "master" and any(not (one.hidden or one.of_take) for one in shot.deliverables):
                self.queue.put(self.library.add_files(render_id).id, "files")

    def _stops(self, render_id: str) -> bool:
        """Whether somebody asked a render to stop; _Ending if the worker is to end."""
        if self.ending:
            raise _Ending
        return self.library.render(render_id).state == "stopping"

    def _lets_others_go_first(self, render: Render) -> bool:
        """Do what is asked for meanwhile and does not take long; whether the render is to stop."""
        if self._stops(render.id):
            return True
        if render.quality in LONG:
            while proof := self.queue.take("proof"):
                self.work(proof)
            if name := self.queue.take("piece"):
                self.picture(name)
            if files := self.queue.take("files"):
                self.work(files)
        return self._stops(render.id)

    def picture(self, name: str) -> None:
        """Make a small picture; why it can't be made is kept in its stead."""
        asked = Asked(self.library.data)
        question = asked.question(name)
        if question is None or asked.reply(name).path:
            return
        if isinstance(question, SmallQuestion) and not asked.is_wanted(name):
            asked.forget(name)  # the shot has moved on: each change asks for all its options anew
            return
        try:
            if isinstance(question, CardQuestion):
                picture = self._card(question)
            elif isinstance(question, SmallQuestion):
                picture = self._small(question)
            else:
                tracer = self._session("piece").tracer
                picture = piece_picture(question, tracer, self._read_light, self.readers.graphic)
            write_png(picture, asked.answer_path(name))
        except (InputError, NoRoom) as error:
            asked.fail(name, _sentence(error))
        except Exception as error:
            log.exception("small picture %s", name)
            asked.fail(name, f"Internal failure: {type(error).__name__}: {error}")

    def _card(self, question: CardQuestion) -> Picture:
        shot, library = question.shot, self.library
        name = shot.photograph.file if shot.photograph else ""
        return card_picture(
            question,
            lambda: read_picture_kept(library.file_path(name), library.made_folder(name)),
            self._session("card"),
            name,
            self.readers.graphic,
            self.readers.panorama,
            self.readers.photograph,
        )

    def _small(self, question: SmallQuestion) -> Picture:
        library = self.library
        name = question.shot.photograph.file if question.shot.photograph else ""
        return small_picture(
            question,
            lambda: read_picture_kept(library.file_path(name), library.made_folder(name)),
            self._session("small"),
            self.readers,
        )

    def _read_light(self, name: str) -> Model:
        """The lighter copy of a model: more is not seen in a small picture."""
        made = self.library.made_file(name.removeprefix("sha256:"), LIVE)
        return (
            read_model(made) if made else read_model_kept(self.library.file_path(name), self.library.made_folder(name))
        )

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
            self.sessions[quality] = Session(self.library.data / "empties", self._on_cluster(quality))
        return self.sessions[quality]

    def _on_cluster(self, quality: str) -> ClusterTracer | None:
        """A tracer that hands what is large to the cluster, where there is one."""
        if self.cluster is None or quality not in ("proof", "master", "take"):
            return None
        from lithopos.cluster.tracer import ClusterTracer  # only where it is needed: it takes its time to load

        tracer = self.tracers[quality] = ClusterTracer(self.cluster, urgent=quality == "proof")
        return tracer

    def _worked_on(self, quality: str) -> dict[str, Any] | None:
        """Which machines work on the render under way; None where there is no cluster."""
        return self.tracers[quality].told().model_dump() if quality in self.tracers else None

    def _render(self, render: Render) -> None:
        library = self.library
        shot = library.shot_at(render.shot_name, render.revision)
        if shot.photograph is None:
            raise InputError("photograph", "is missing")
        folder, photograph = library.render_folder(render.id), shot.photograph.file
        quality: Quality = "master" if render.quality == "master" else "proof"

        steps = render_shot(
            shot,
            lambda: read_picture_kept(library.file_path(photograph), library.made_folder(photograph)),
            self.readers.model,
            quality=quality,
            session=self._session(quality),
            photograph_key=photograph,
            keep=folder / SUMS,
            between=partial(self._lets_others_go_first, render),
            read_graphic=self.readers.graphic,
            read_panorama=self.readers.panorama,
            read_lut=self.readers.lut,
            read_photograph=self.readers.photograph,
            samples=render.wanted or (PART_SAMPLES if render.part else None),
            made=self._gone_on_from(render),
            part=Window(*render.part) if render.part else None,
            over=self._proof_under(render),
            passes=folder / PASSES if quality == "master" else None,
        )
        shown_at, begun, traced = 0.0, time.monotonic(), False
        for step in steps:
            traced = traced or step.done < step.of
            last = step.done == step.of
            if step.picture and (last or time.monotonic() - shown_at > PREVIEW_EVERY_S or quality == "proof"):
                _show(step.picture, folder, whole=last or quality == "proof")
                shown_at = time.monotonic()
            if step.whites:
                write_atomically(folder / WHITES, partial(_put, step.whites.model_dump_json()))
            if step.scope:
                write_atomically(folder / SCOPE, partial(_put, step.scope.model_dump_json()))
            library.update_render(
                render.id,
                passes_done=step.done,
                passes=step.of,
                samples=step.samples,
                seconds_left=step.seconds_left,
                notes=" ".join(step.notes)[:1000] or None,
                worked_on=self._worked_on(quality),
                noise=step.noise,
            )
        if traced:  # else what an earlier one has traced did
            library.update_render(render.id, traced_s=time.monotonic() - begun)
        if quality == "master":
            library.let_go_of_sums(render)

    def _gone_on_from(self, render: Render) -> int:
        """Samples that an earlier render has made already; what it kept is taken over."""
        if render.goes_on is None:
            return 0
        library = self.library
        old = library.render(render.goes_on)
        theirs, ours = (library.render_folder(one.id) / SUMS for one in (old, render))
        if theirs.exists() and not ours.exists():
            theirs.replace(ours)
        return old.wanted or library.shot_at(old.shot_name, old.revision).output.samples

    def _proof_under(self, render: Render) -> Picture | None:
        """The proof that a part is rendered over, if there is one of the same revision."""
        if render.part is None:
            return None
        proof = self.library.newest_proof(render.shot_name, render.revision)
        path = self.library.render_folder(proof.id) / PICTURE if proof else None
        return read_picture(path).as_came if path and path.is_file() else None


def _put(text: str, file: BinaryIO) -> None:
    file.write(text.encode())


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


def run(data: Path, cluster: Cluster | None = None) -> None:
    """Work through the queues until told to end (SIGTERM or SIGINT); with a cluster what is traced goes there."""
    logging.basicConfig(level=logging.WARNING, stream=sys.stderr)
    os.nice(BEHIND)
    library = Library(data)
    fail_orphans(library)
    worker = Worker(library, Queue(data), cluster)

    def end(_signal: int, _frame: FrameType | None) -> None:
        worker.ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    looked_at = 0.0
    while not worker.ending:
        if time.monotonic() - looked_at > LOOK_ROUND_EVERY_S:
            worker.look_round()
            looked_at = time.monotonic()
        line, name = worker.queue.next()
        if name is None:
            time.sleep(0.05)
        elif line == "piece":
            worker.picture(name)
        else:
            worker.work(name)
    # A trace may still run in native code, which would abort an orderly exit; all that counts is kept.
    logging.shutdown()
    os._exit(0)


if __name__ == "__main__":
    run(Path(sys.argv[1]), Cluster.of(sys.argv[2:]) if len(sys.argv) > 2 else None)
