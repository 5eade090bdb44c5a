"""What a render has done so far, in a folder: sums of tiles that are traced, codes of tiles that are finished.

They outlive the finished picture, so that it can be made finer later.
"""

from __future__ import annotations

import hashlib
import shutil
import time
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.exchange.picture import Codes, write_atomically
from lithopos.core.layers import Layers, Window

PLENTY_BYTES = 12 << 30  # free, beside which the sums of the largest master are little
RARELY_S = 3.0  # of a picture in one piece, whose portions are short

__all__ = ["Checkpoint"]


class Checkpoint:
    """Checkpoints of one render; without a folder nothing is kept.

    Parameters
    ----------
    name : tells everything that the picture depends on; what another one has left is cleared away.
    """

    def __init__(self, folder: Path | None = None, name: str = "") -> None:
        self.folder = folder
        self._kept_at = time.monotonic()
        if folder is None:
            return
        mark, digest = folder / "job", hashlib.sha256(name.encode()).hexdigest()
        if folder.exists() and (not mark.is_file() or mark.read_text() != digest):
            shutil.rmtree(folder)
        folder.mkdir(parents=True, exist_ok=True)
        write_atomically(mark, lambda file: file.write(digest.encode()))

    def keep(self, layers: Layers, at_once: bool) -> None:
        """Keep a tile's sums; NoRoom if the disk is full."""
        if self.folder is None or (not at_once and time.monotonic() - self._kept_at < RARELY_S):
            return
        values: dict[str, Any] = {"samples": layers.samples, **layers.sums}
        write_atomically(self._sums(layers.window), lambda file: np.savez(file, **values))
        self._kept_at = time.monotonic()

    def traced(self, tile: Window) -> Layers | None:
        """A tile's sums so far, if there are any that can be read."""
        if self.folder is None or not self._sums(tile).is_file():
            return None
        try:
            with np.load(self._sums(tile), allow_pickle=False) as kept:
                values = {name: kept[name] for name in kept.files}
        except (OSError, ValueError, EOFError, KeyError):
            return None
        samples = int(values.pop("samples"))
        return Layers(tile, samples, values)

    def finish(self, tile: Window, codes: Codes, cut: int, samples: int) -> None:
        """Keep a tile's finished codes, and for how many samples at most they were made."""
        if self.folder is not None:
            values: dict[str, Any] = {"codes": codes, "cut": cut, "samples": samples}
            write_atomically(self._codes(tile), lambda file: np.savez(file, **values))

    def finished(self, tile: Window, samples: int) -> tuple[Codes, int] | None:
        """A tile's codes and cut pixels, finished for so many samples, if there are any."""
        if self.folder is None or not self._codes(tile).is_file():
            return None
        try:
            with np.load(self._codes(tile), allow_pickle=False) as kept:
                return (kept["codes"], int(kept["cut"])) if int(kept["samples"]) == samples else None
        except (OSError, ValueError, EOFError, KeyError):
            return None

    def let_go(self, tile: Window) -> None:
        """All a tile's neighbours are finished: its sums are only kept where there is plenty of room."""
        if self.folder is not None and shutil.disk_usage(self.folder).free < PLENTY_BYTES:
            self._sums(tile).unlink(missing_ok=True)

    def clear(self) -> None:
        """Nothing of it will be gone on with."""
        if self.folder is not None:
            shutil.rmtree(self.folder, ignore_errors=True)

    def _sums(self, tile: Window) -> Path:
        assert self.folder is not None
        return self.folder / f"{tile.x0}-{tile.y0}.sums.npz"

    def _codes(self, tile: Window) -> Path:
        assert self.folder is not None
        return self.folder / f"{tile.x0}-{tile.y0}.codes.npz"
