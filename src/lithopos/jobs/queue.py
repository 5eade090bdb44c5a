"""The queue: huey on SQLite, beside the library."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from huey import SqliteHuey

__all__ = ["Queue"]


class Queue:
    """Puts renders in line; a worker gives the function that does them."""

    def __init__(self, data: Path, work: Callable[[str], None] | None = None) -> None:
        data.mkdir(parents=True, exist_ok=True)
        self.huey: Any = SqliteHuey("lithopos", filename=str(data / "queue.db"), results=False)

        def render(render_id: str) -> None:
            if work is None:
                raise RuntimeError("this process queues renders, it does not do them")
            work(render_id)

        self._render = self.huey.task(name="render")(render)

    def put(self, render_id: str) -> None:
        """Put a render in line."""
        self._render(render_id)
