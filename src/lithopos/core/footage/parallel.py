"""Work on frames side by side: what takes time lets the interpreter go, so that threads do."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import chain
from typing import TypeVar

Given = TypeVar("Given")
Noted = TypeVar("Noted")
Made = TypeVar("Made")

__all__ = ["in_threes", "side_by_side"]


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


def in_threes(
    note: Callable[[Given], Noted],
    tell: Callable[[Noted | None, Noted, Noted | None], Made],
    items: Iterable[Given],
) -> Iterator[Made]:
    """What is told of each item's note beside that of the one before and the one after (None at the ends), in order.

    Notes are taken and told side by side; they are taken in their order, so that none is waited for in vain.
    """
    count = os.cpu_count() or 1

    def told(before: Future[Noted] | None, own: Future[Noted], after: Future[Noted] | None) -> Made:
        return tell(before.result() if before else None, own.result(), after.result() if after else None)

    with ThreadPoolExecutor(count) as pool:
        waiting: deque[Future[Made]] = deque()
        before: Future[Noted] | None = None
        own: Future[Noted] | None = None
        try:
            for after in chain((pool.submit(note, item) for item in items), [None]):
                if own is not None:
                    waiting.append(pool.submit(told, before, own, after))
                before, own = own, after
                if len(waiting) > count:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for one in waiting:
                one.cancel()
