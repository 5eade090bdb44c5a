"""Small pictures, each asked for by a question: asked once, made by a warm worker, kept for a while.

A question is named by its content. Its answer lies beside it; so does the reason where there is none.
"""

from __future__ import annotations

import hashlib
import time
from dataclasses import dataclass
from pathlib import Path

from pydantic import TypeAdapter

from lithopos.core.exchange.picture import write_atomically
from lithopos.core.render.card import CardQuestion
from lithopos.core.render.pieces import PieceQuestion
from lithopos.core.render.small import SmallQuestion
from lithopos.jobs.queue import Queue

FOLDER = "asked"
HELD = 600
WANTED_S = 5.0
ASK_AGAIN_S = 30.0  # a worker that was killed took its question with it

Question = PieceQuestion | CardQuestion | SmallQuestion
_QUESTION: TypeAdapter[Question] = TypeAdapter(Question)

__all__ = ["Asked", "Question", "Reply"]


@dataclass(frozen=True)
class Reply:
    """An answer's file, or why there is none; neither as long as it is being made."""

    name: str
    path: Path | None = None
    reason: str | None = None


class Asked:
    """Questions and answers below a library's folder."""

    def __init__(self, data: Path) -> None:
        self.folder = data / FOLDER

    def ask(self, question: Question, queue: Queue) -> Reply:
        """What is known of a question; a new one is put in line."""
        written = question.model_dump_json(by_alias=True)
        name = hashlib.sha256(written.encode()).hexdigest()[:32]
        reply = self.reply(name)
        if reply.path is None and reply.reason is None:
            self.folder.mkdir(parents=True, exist_ok=True)
            (self.folder / f"{name}.wanted").touch()
            place = self._question(name)
            old = not place.exists() or time.time() - place.stat().st_mtime > ASK_AGAIN_S
            if old and name not in queue.waiting():
                self._clear_old()
                write_atomically(place, lambda file: file.write(written.encode()))
                queue.put(name, "piece")
        return reply

    def reply(self, name: str) -> Reply:
        """What is known of a question by its name."""
        answer, failed = self.folder / f"{name}.png", self.folder / f"{name}.failed"
        if answer.exists():
            return Reply(name, answer)
        # What failed may be mended since: after a while it is tried again.
        if failed.exists() and time.time() - failed.stat().st_mtime < ASK_AGAIN_S:
            return Reply(name, reason=failed.read_text())
        return Reply(name)

    def question(self, name: str) -> Question | None:
        """A question that waits for its answer; None if it was forgotten."""
        place = self._question(name)
        return _QUESTION.validate_json(place.read_text()) if place.exists() else None

    def is_wanted(self, name: str) -> bool:
        """Whether somebody still waits for an answer: who does, asks again and again."""
        place = self.folder / f"{name}.wanted"
        return place.exists() and time.time() - place.stat().st_mtime < WANTED_S

    def forget(self, name: str) -> None:
        """Drop a question that nobody waits for; asked once more, it is a new one."""
        for suffix in ("json", "wanted"):
            (self.folder / f"{name}.{suffix}").unlink(missing_ok=True)

    def fail(self, name: str, reason: str) -> None:
        """Keep why a question has no answer."""
        write_atomically(self.folder / f"{name}.failed", lambda file: file.write(reason.encode()))

    def answer_path(self, name: str) -> Path:
        """Where an answer is to be written."""
        return self.folder / f"{name}.png"

    def _question(self, name: str) -> Path:
        return self.folder / f"{name}.json"

    def _clear_old(self) -> None:
        """Keep the newest few: light and surfaces come and go."""
        files = sorted(self.folder.glob("*.*"), key=lambda one: one.stat().st_mtime)
        for old in files[: -3 * HELD]:
            old.unlink(missing_ok=True)
