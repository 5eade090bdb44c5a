"""What a picture is put together from, kept tile by tile: it is composed from these and from nothing else."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats, Mask, largest_channel
from lithopos.core.blend.blend import Tones
from lithopos.core.colour import encode_srgb
from lithopos.core.composite.mattes import WHOLE
from lithopos.core.exchange.picture import Codes, codes_of, write_atomically
from lithopos.core.layers import Window

NAMES = "names.json"
DEPTH_M = 0.001  # a code's worth of distance, in a picture of 16 bits: up to 65 m

__all__ = [
    "Names",
    "Passes",
    "keep_names",
    "keep_passes",
    "light_of",
    "pass_picture",
    "put_together",
    "read_names",
    "read_passes",
]


@dataclass(frozen=True)
class Passes:
    """Passes of a window, each (H, W) or (H, W, 3), by the same samples.

    Attributes
    ----------
    shadow, added, model, cover : as `Caught` has them, blended with the photograph: as soft, behind its air.
    front, front_light : how far what stands in front hides the models and what they do, and its linear colours.
    depth, normal, albedo : of the models: distance from the camera [m], unit vector in the world, the share of light
        that they throw back; 0 where none is.
    objects, materials : numbers from 1 of the model and of its material at a pixel's middle; 0 where none is.
    grain : what is added to the encoded values (H, W, 3), so that what was rendered is as noisy as the photograph, and
        as sharpened.
    """

    window: Window
    shadow: Floats
    added: Floats
    model: Floats
    cover: Floats
    front: Floats
    front_light: Floats
    depth: Floats
    normal: Floats
    albedo: Floats
    objects: NDArray[np.int32]
    materials: NDArray[np.int32]
    grain: Floats

    @property
    def changed(self) -> Mask:
        """Where (H, W) the models change anything."""
        touched = (self.cover > 0) | largest_channel(self.shadow != 1) | largest_channel(self.added != 0)
        touched |= largest_channel(self.grain != 0)
        return np.asarray(touched & (self.front < WHOLE), bool)

    def within(self, window: Window) -> Passes:
        """The part of a smaller window."""
        rows, columns = window.within(self.window)
        parts = {name: value[rows, columns] for name, value in vars(self).items() if name != "window"}
        return Passes(window, **parts)


def put_together(codes: Codes, passes: Passes, tones: Tones | None = None) -> Codes:
    """The picture of a window from its passes over the photograph's codes (H, W, 3).

    Where the models change nothing, or something in front hides them, the photograph's code stays, but for its grade.
    """
    tones = tones or Tones()
    encoded = tones.finished(tones.encoding.encoded(light_of(codes, passes, tones)) + passes.grain)
    return np.where(passes.changed[..., None], codes_of(encoded, codes.dtype), tones.photograph(codes))


def light_of(codes: Codes, passes: Passes, tones: Tones) -> Floats:
    """The linear light (H, W, 3) of a window's picture, without its grain and the grade of the whole."""
    base = tones.encoding.light(codes)
    place = tones.of_place(np.asarray(base * passes.shadow + passes.added, np.float32))
    behind = place * (1 - passes.cover)[..., None] + passes.model
    share = passes.front[..., None]
    return np.asarray(np.where(share > 0, share * tones.of_place(passes.front_light) + (1 - share) * behind, behind))


def keep_passes(passes: Passes, folder: Path) -> None:
    """Keep a window's passes; NoRoom if the disk is full."""
    values = {name: value for name, value in vars(passes).items() if name != "window"}
    name = "-".join(map(str, passes.window))
    folder.mkdir(parents=True, exist_ok=True)
    write_atomically(folder / f"{name}.npz", lambda file: np.savez_compressed(file, **values))


@dataclass(frozen=True)
class Names:
    """What the numbers in `objects` and `materials` mean, from 1: models, and of each model its materials."""

    objects: tuple[str, ...]
    materials: tuple[tuple[str, ...], ...]


def keep_names(names: Names, folder: Path) -> None:
    """Keep them beside the passes."""
    folder.mkdir(parents=True, exist_ok=True)
    data = json.dumps(vars(names)).encode()
    write_atomically(folder / NAMES, lambda file: file.write(data))


def read_names(folder: Path) -> Names:
    """What was kept; nothing is named where nothing was."""
    if not (folder / NAMES).is_file():
        return Names((), ())
    told = json.loads((folder / NAMES).read_text())
    return Names(tuple(told["objects"]), tuple(tuple(one) for one in told["materials"]))


def read_passes(folder: Path) -> list[Passes]:
    """All windows of a folder; between them the photograph is as it was."""
    found = []
    for path in sorted(folder.glob("*.npz")):
        with np.load(path, allow_pickle=False) as kept:
            values = {name: kept[name] for name in kept.files}
        found.append(Passes(Window(*map(int, path.stem.split("-"))), **values))
    return found


def pass_picture(name: str, passes: list[Passes], shape: tuple[int, int]) -> NDArray[np.uint16]:
    """One pass of a whole picture (H, W, channels) to look at, 16-bit; where nothing was traced it is neutral.

    Shadow and front are shares, added and model are encoded as sRGB (the model with its coverage as alpha, not
    multiplied by it), depth is in millimetres, a normal's -1 to 1 is 0 to full; objects and materials are numbers.
    """
    channels = {"model": 4, "front": 1, "depth": 1, "objects": 1, "materials": 1}.get(name, 3)
    neutral = {"shadow": 1.0, "normal": 0.5}.get(name, 0.0)
    whole = np.full((*shape, channels), round(neutral * 65535), np.uint16)
    for part in passes:
        whole[part.window.slices] = _picture(name, part)
    return whole


def _picture(name: str, part: Passes) -> NDArray[np.uint16]:
    if name in ("objects", "materials"):
        return np.asarray(getattr(part, name)[..., None], np.uint16)
    if name == "depth":
        return np.asarray(np.clip(part.depth / DEPTH_M, 0, 65535)[..., None], np.uint16)
    shares: dict[str, Callable[[], Floats]] = {
        "shadow": lambda: part.shadow,
        "front": lambda: part.front[..., None],
        "normal": lambda: np.asarray((part.normal + 1) / 2, np.float32),
        "added": lambda: encode_srgb(part.added),
        "model": lambda: _with_alpha(part),
    }
    return np.asarray(np.clip(shares[name](), 0, 1) * 65535 + 0.5, np.uint16)


def _with_alpha(part: Passes) -> Floats:
    own = part.model / np.maximum(part.cover, 1e-3)[..., None]
    return np.concatenate([encode_srgb(own), part.cover[..., None]], axis=2)
