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

AT_ONCE = os.cpu_count() or 1

__all__ = ["in_threes", "side_by_side"]


def side_by_side(work: Callable[[Given], Made], items: Iterable[Given]) -> Iterator[Made]:
    """What work makes of items, in their order, as many at once as there are processors."""
    with ThreadPoolExecutor(AT_ONCE) as pool:
        yield from _in_order(pool.submit(work, item) for item in items)


def in_threes(
    note: Callable[[Given], Noted],
    tell: Callable[[Noted | None, Noted, Noted | None], Made],
    items: Iterable[Given],
) -> Iterator[Made]:
    """What is told of each item's note beside that of the one before and the one after (None at the ends), in order.

    Notes are taken and told side by side; they are taken in their order, so that none is waited for in vain.
    """

    def told(before: Future[Noted] | None, own: Future[Noted], after: Future[Noted] | None) -> Made:
        return tell(before.result() if before else None, own.result(), after.result() if after else None)

    with ThreadPoolExecutor(AT_ONCE) as pool:

        def begun() -> Iterator[Future[Made]]:
            before: Future[Noted] | None = None
            own: Future[Noted] | None = None
            for after in chain((pool.submit(note, item) for item in items), [None]):
                if own is not None:
                    yield pool.submit(told, before, own, after)
                before, own = own, after

        yield from _in_order(begun())


def _in_order(begun: Iterable[Future[Made]]) -> Iterator[Made]:
    """What they come to, no more of them begun at once than keep all processors busy; those left are given up."""
    waiting: deque[Future[Made]] = deque()
    try:
        for one in begun:
            waiting.append(one)
            if len(waiting) > AT_ONCE:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        for one in waiting:
            one.cancel()
