"""The queues, proofs, small pictures, files, work on takes and masters: huey on SQLite, beside the library."""

from __future__ import annotations

import sqlite3
import sys
from pathlib import Path
from typing import Any

from huey import SqliteHuey

__all__ = ["Queue"]

FILE = "queue.db"
LINES = ("proof", "piece", "files", "plate", "front", "walk", "master", "film")


class Queue:
    """Puts work in line by name and takes it out, in the order of `LINES`. A damaged queue is kept aside and said."""

    def __init__(self, data: Path) -> None:
        data.mkdir(parents=True, exist_ok=True)
        place = data / FILE
        _keep_damaged_aside(place)
        self._lines: dict[str, Any] = {
            quality: SqliteHuey(quality, filename=str(place), results=False) for quality in LINES
        }
        self._tasks = {quality: line.task(name=f"render {quality}")(_named) for quality, line in self._lines.items()}

    def put(self, render_id: str, quality: str) -> None:
        """Put a render, or a small picture, in line."""
        self._tasks[quality](render_id)

    def take(self, *qualities: str) -> str | None:
        """The next name of the first of some lines that has one waiting; None if none has."""
        for quality in qualities or LINES:
            task = self._lines[quality].dequeue()
            if task is not None:
                return str(task.args[0])
        return None

    def next(self) -> tuple[str, str | None]:
        """The next name of all, with its line; None if nothing waits."""
        for line in LINES:
            if (name := self.take(line)) is not None:
                return line, name
        return LINES[-1], None

    def waiting(self) -> set[str]:
        """All names that are in line."""
        return {str(task.args[0]) for line in self._lines.values() for task in line.pending()}


def _named(render_id: str) -> str:
    """What is queued is only a render's name; the worker that takes it does the work."""
    return render_id


def _keep_damaged_aside(place: Path) -> None:
    if not place.exists():
        return
    try:
        connection = sqlite3.connect(place)
        try:
            sound = connection.execute("PRAGMA quick_check").fetchone() == ("ok",)
        finally:
            connection.close()
    except sqlite3.DatabaseError:
        sound = False
    if sound:
        return
    aside = place.with_name(f"{place.name}.damaged")
    for suffix in ("-wal", "-shm"):
        place.with_name(place.name + suffix).unlink(missing_ok=True)
    place.replace(aside)
    print(f"the queue was damaged: it is kept as {aside} and begun anew", file=sys.stderr, flush=True)
