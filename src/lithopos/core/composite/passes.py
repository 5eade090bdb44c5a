"""What a picture is put together from, kept tile by tile: it is composed from these and from nothing else."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats
from lithopos.core.composite.catch import Caught, composed
from lithopos.core.composite.mattes import laid_over
from lithopos.core.exchange.picture import Codes, write_atomically
from lithopos.core.layers import Window

__all__ = ["Passes", "keep_passes", "put_together", "read_passes"]


@dataclass(frozen=True)
class Passes:
    """Passes of a window, each (H, W) or (H, W, 3), by the same samples.

    Attributes
    ----------
    shadow, added, model, cover : as `Caught` has them.
    front : how far what stands in front hides the models and what they do.
    depth, normal : of the models: distance from the camera [m], unit vector in the world; 0 where none is.
    objects, materials : numbers from 1 of the model and of its material at a pixel's middle; 0 where none is.
    """

    window: Window
    shadow: Floats
    added: Floats
    model: Floats
    cover: Floats
    front: Floats
    depth: Floats
    normal: Floats
    objects: NDArray[np.int32]
    materials: NDArray[np.int32]

    def within(self, window: Window) -> Passes:
        """The part of a smaller window."""
        rows, columns = window.within(self.window)
        parts = {name: value[rows, columns] for name, value in vars(self).items() if name != "window"}
        return Passes(window, **parts)


def put_together(codes: Codes, passes: Passes) -> Codes:
    """The picture of a window from its passes over the photograph's codes (H, W, 3)."""
    caught = Caught(passes.shadow, passes.added, passes.model, passes.cover)
    return laid_over(composed(codes, caught), codes, passes.front, passes.cover)


def keep_passes(passes: Passes, folder: Path) -> None:
    """Keep a window's passes; NoRoom if the disk is full."""
    values = {name: value for name, value in vars(passes).items() if name != "window"}
    name = "-".join(map(str, passes.window))
    folder.mkdir(parents=True, exist_ok=True)
    write_atomically(folder / f"{name}.npz", lambda file: np.savez_compressed(file, **values))


def read_passes(folder: Path) -> list[Passes]:
    """All windows of a folder; between them the photograph is as it was."""
    found = []
    for path in sorted(folder.glob("*.npz")):
        with np.load(path, allow_pickle=False) as kept:
            values = {name: kept[name] for name in kept.files}
        found.append(Passes(Window(*map(int, path.stem.split("-"))), **values))
    return found
