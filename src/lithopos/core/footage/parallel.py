"""Work on frames side by side: what takes time lets the interpreter go, so that threads do."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

Given = TypeVar("Given")
Made = TypeVar("Made")

__all__ = ["side_by_side"]


def side_by_side(work: Callable[[Given], Made], items: Iterable[Given]) -> Iterator[Made]:
    """What work makes of items, in their order, as many at once as there are processors."""
    count = os.cpu_count() or 1
    with ThreadPoolExecutor(count) as pool:
        waiting: deque[Future[Made]] = deque()
        try:
            for item in items:
                waiting.append(pool.submit(work, item))
                if len(waiting) > count:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for one in waiting:
                one.cancel()
