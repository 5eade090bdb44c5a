"""A take's frames at hand: each is decoded once, as long as there is room for all of them."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryFile

import numpy as np

from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Codes
from lithopos.core.footage.frames import read_frame, read_frames

MOST_BYTES = 1 << 30  # of a take whose frames are kept at hand

__all__ = ["AtHand"]


class AtHand:
    """Frames from `first` to `last` of a take; what was read once is read again from a file without a name.

    Parameters
    ----------
    most_bytes : a take that is larger, or than the disk has room for, is decoded each time.
    """

    def __init__(self, path: Path, first: int, last: int, most_bytes: int = MOST_BYTES) -> None:
        self.path, self.first, self.last, self.most_bytes = path, first, last, most_bytes
        self._kept: Codes | None = None  # all of them, where there is room
        self._asked = False
        self._there = np.zeros(last - first + 1, bool)

    def read(self, first: int, last: int) -> Iterator[Codes]:
        """Frames from `first` to `last`, both with it; see `read_frames`."""
        kept = self._kept
        if kept is not None and self._there[first - self.first : last - self.first + 1].all():
            yield from kept[first - self.first : last - self.first + 1]
            return
        for number, codes in enumerate(read_frames(self.path, first, last), first):
            self._keep(number, codes)
            yield codes

    def one(self, number: int) -> Codes:
        """One frame."""
        if self._kept is not None and self._there[number - self.first]:
            return self._kept[number - self.first]
        codes = read_frame(self.path, number)
        self._keep(number, codes)
        return codes

    def _keep(self, number: int, codes: Codes) -> None:
        if not self._asked:
            self._kept, self._asked = self._room(codes), True
        if self._kept is not None:
            if codes.shape != self._kept.shape[1:]:
                raise InputError("file", f"changes its size at frame {number}: only one size is read")
            self._kept[number - self.first], self._there[number - self.first] = codes, True

    def _room(self, like: Codes) -> Codes | None:
        """Room for all frames, on the disk: asked for as a whole, as a map of a full disk's file would end us."""
        size = len(self._there) * like.nbytes
        if size > self.most_bytes:
            return None
        try:
            with TemporaryFile(prefix="lithopos-") as file:
                os.posix_fallocate(file.fileno(), 0, size)
                return np.asarray(np.memmap(file, like.dtype, "r+", shape=(len(self._there), *like.shape)))
        except OSError:
            return None
