"""Frames of a take from a child process: native decoders may crash, and must take nothing else along.

`python -m lithopos.core.footage.frames FILE FIRST LAST PARENT` writes a line that tells the size, then the frames'
bytes one after the other; ends with 2 and one line on standard error if the take is not good.
"""

from __future__ import annotations

import fcntl
import json
import os
import select
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import NoReturn

import numpy as np

from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Codes
from lithopos.core.reading.limits import limit_this_process

PATIENCE_S = 60  # for one frame
PIPE_BYTES = 1 << 20

__all__ = ["read_frame", "read_frames"]


def read_frames(path: Path, first: int, last: int) -> Iterator[Codes]:
    """Frames from `first` to `last`, both with it, as upright codes (H, W, 3) of 8 or 16 bits.

    Raises
    ------
    InputError
        If the take is damaged there, naming the frame, or one takes too long.
    """
    command = [sys.executable, "-m", __name__, str(path), str(first), str(last), str(os.getpid())]
    quiet = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=quiet) as child:
        try:
            yield from _received(child, first, last)
        finally:
            child.kill()


def read_frame(path: Path, number: int) -> Codes:
    """One frame; see `read_frames`."""
    return next(iter(read_frames(path, number, number)))


def _received(child: subprocess.Popen[bytes], first: int, last: int) -> Iterator[Codes]:
    assert child.stdout
    handle = child.stdout.fileno()
    with suppress(OSError):  # a wider pipe is woken up for less often
        fcntl.fcntl(handle, fcntl.F_SETPIPE_SZ, PIPE_BYTES)
    header = bytearray()
    while not header.endswith(b"\n"):
        _wait(child, first)
        header += os.read(handle, 1) or _broken(child, first)
    shape, kind = json.loads(header)
    for number in range(first, last + 1):
        codes = np.empty(shape, kind)
        left = codes.data.cast("B")
        while left:
            _wait(child, number)
            left = left[os.readv(handle, [left]) or _broken(child, number) :]
        yield codes


def _wait(child: subprocess.Popen[bytes], number: int) -> None:
    """Until a child has something to say; InputError if that takes too long."""
    assert child.stdout
    if not select.select([child.stdout], [], [], PATIENCE_S)[0]:
        raise InputError("file", f"takes longer than {PATIENCE_S} s to read at frame {number} and was left")


def _broken(child: subprocess.Popen[bytes], number: int) -> NoReturn:
    """Say why a child gave up."""
    assert child.stderr
    lines = child.stderr.read().decode(errors="replace").strip().splitlines()
    told = lines[-1] if child.wait() == 2 and lines else ""
    field, _, cause = told.partition(": ")
    raise InputError(field or "file", cause or f"can’t be read at frame {number}: the reader broke down over it")


def _main() -> None:
    path, first, last, parent = sys.argv[1:]
    limit_this_process(int(parent), seconds=None)
    out = sys.stdout.buffer
    try:
        from lithopos.core.exchange.film import decoded

        begun = False
        for codes in decoded(Path(path), int(first), int(last)):
            signal.alarm(PATIENCE_S)  # for the next one, should whoever waits be gone
            if not begun:
                out.write(json.dumps([codes.shape, codes.dtype.str]).encode() + b"\n")
                begun = True
            out.write(np.ascontiguousarray(codes).data)
            out.flush()
    except InputError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        sys.exit(2)
    except BrokenPipeError:
        os._exit(0)
    except MemoryError:
        print("file: needs more memory than a file may take", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    _main()
