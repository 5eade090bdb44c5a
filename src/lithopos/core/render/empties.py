"""The empty place as it was traced, kept: it changes with the light and the camera, not with the models."""

from __future__ import annotations

import hashlib
import shutil
from collections import OrderedDict
from pathlib import Path

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.exchange.picture import write_atomically
from lithopos.core.layers import HALVES, Window

MEMORY_BYTES = 512 << 20
DISK_BYTES = 3 << 30

__all__ = ["Empties"]


class Empties:
    """Sums of the place without models, (H, W, 2, 3) by window and samples; NaN where nothing was traced yet.

    Parameters
    ----------
    folder : where they outlive the process; None for memory alone.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder
        self._held: OrderedDict[Path, Floats] = OrderedDict()

    def get(self, key: str, seed: int, window: Window, first: int, count: int) -> Floats:
        """What is kept for some samples of a window; all NaN if nothing is."""
        name = self._name(key, seed, window, first, count)
        if name in self._held:
            self._held.move_to_end(name)
            return self._held[name]
        kept = self._read(name) if key else None
        if kept is None or kept.shape[:2] != (window.height, window.width):
            kept = np.full((window.height, window.width, HALVES, 3), np.nan, np.float32)
        if key:
            self._held[name] = kept
            while sum(part.nbytes for part in self._held.values()) > MEMORY_BYTES and len(self._held) > 1:
                self._held.popitem(last=False)
        return kept

    def put(self, key: str, seed: int, window: Window, first: int, count: int, values: Floats) -> None:
        """Keep what was traced also on the disk, where there is room; the oldest places go first."""
        if not key or self.folder is None:
            return
        name = self._name(key, seed, window, first, count)
        try:
            self._make_room(values.nbytes)
            write_atomically(self.folder / name, lambda file: np.save(file, values))
        except OSError:
            return  # kept for speed alone: a full disk only costs the next render some time

    def _read(self, name: Path) -> Floats | None:
        if self.folder is None or not (self.folder / name).is_file():
            return None
        try:
            return np.asarray(np.load(self.folder / name, allow_pickle=False), np.float32)
        except (OSError, ValueError, EOFError):
            return None

    def _make_room(self, more: int) -> None:
        assert self.folder is not None
        places = sorted(self.folder.glob("*/"), key=lambda place: place.stat().st_mtime)
        sizes = [sum(file.stat().st_size for file in place.iterdir()) for place in places]
        while places and sum(sizes) + more > DISK_BYTES:
            shutil.rmtree(places.pop(0), ignore_errors=True)
            sizes.pop(0)

    @staticmethod
    def _name(key: str, seed: int, window: Window, first: int, count: int) -> Path:
        digest = hashlib.sha256(f"{key} {seed}".encode()).hexdigest()[:24]
        return Path(digest) / f"{'-'.join(map(str, window))}-{first}-{count}.npy"
