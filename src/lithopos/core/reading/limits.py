"""The limits of a reading child: they are its own, so that they hold when whoever started it is gone."""

from __future__ import annotations

import contextlib
import ctypes
import os
import resource
import signal

SECONDS = 30
MEMORY_BYTES = 4 << 30
OUTPUT_BYTES = 4 << 30
_SET_PARENT_DEATH_SIGNAL = 1  # prctl's PR_SET_PDEATHSIG

__all__ = ["MEMORY_BYTES", "SECONDS", "end_with_parent", "limit_this_process"]


def end_with_parent(how: int = signal.SIGTERM) -> None:
    """Ask the kernel to end this process when its parent ends (Linux; elsewhere nothing)."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(_SET_PARENT_DEATH_SIGNAL, how)


def limit_this_process(parent: int, seconds: int | None = SECONDS) -> None:
    """Bound this process in memory, processor time, wall time and what it writes; end it with its parent.

    Parameters
    ----------
    parent : the number of the process that started this one: gone already means end at once.
    seconds : None for one that is given its time piece by piece by whoever waits.
    """
    end_with_parent(signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)
    for kind, most in (
        (resource.RLIMIT_AS, MEMORY_BYTES),
        (resource.RLIMIT_CPU, 2 * seconds if seconds else resource.RLIM_INFINITY),
        (resource.RLIMIT_FSIZE, OUTPUT_BYTES),
        (resource.RLIMIT_CORE, 0),
    ):
        resource.setrlimit(kind, (most, most))
    if seconds:
        signal.setitimer(signal.ITIMER_REAL, seconds + 5)  # whoever waits gives up before
