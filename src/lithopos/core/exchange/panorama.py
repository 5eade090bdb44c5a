"""Panoramas: light from all around, by longitude and latitude; Radiance .hdr and OpenEXR, or an ordinary picture."""

from __future__ import annotations

import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.kinds import file_kind

WIDEST = 2048  # kept of it: what things mirror
MOST_PIXELS = 200_000_000
ASKEW = 0.01  # relative, of the two to one that it must be
BRIGHTEST = 1e6

__all__ = ["Panorama", "read_panorama"]


@dataclass(frozen=True)
class Panorama:
    """Linear radiance (H, W, 3) without a unit, twice as wide as high; its first row is straight up.

    Attributes
    ----------
    width, height : of the file [px]; what is kept may be smaller, with the same light in it.
    notes : plain sentences on what is doubtful.
    """

    radiance: Floats
    width: int
    height: int
    notes: tuple[str, ...] = ()


def read_panorama(path: Path) -> Panorama:
    """Read a panorama.

    Raises
    ------
    InputError
        If it is damaged, not twice as wide as high, black, or holds what light can't be.
    """
    kind = file_kind(path)
    notes: list[str] = []
    if kind == "hdr":
        values = _hdr(path)
    elif kind == "exr":
        values = _exr(path)
    else:
        values = decode_srgb(read_picture(path).encoded)
        notes.append("It is an ordinary picture: what was too bright for it, such as the sun, gives too little light.")
    height, width = values.shape[:2]
    if abs(width / height - 2) > 2 * ASKEW:
        raise InputError("file", f"is {width} × {height}: a panorama of all around is twice as wide as it is high")
    if not np.isfinite(values).all():
        raise InputError("file", "holds values that are no numbers")
    if float(values.min()) < 0:
        low = float((values.min(-1) < 0).mean())
        if low > 0.01:
            raise InputError("file", f"holds negative light in {100 * low:.0f} % of its pixels")
        notes.append("A few of its pixels are negative; they were taken for black.")
    values = np.clip(values, 0, BRIGHTEST)
    if float(values.max()) <= 0:
        raise InputError("file", "is black all over")
    if width > WIDEST:
        values = cv2.resize(values, (WIDEST, WIDEST // 2), interpolation=cv2.INTER_AREA)
    return Panorama(np.ascontiguousarray(values, np.float32), width, height, tuple(notes))


def _hdr(path: Path) -> Floats:
    try:
        values = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    except cv2.error as error:
        raise InputError("file", "is larger than HDR pictures that are read") from error
    if values is None or values.dtype != np.float32 or values.ndim != 3:
        raise InputError("file", "is a damaged or cut-off HDR picture")
    _refuse_too_large(values.shape[1], values.shape[0])
    return np.asarray(values[..., ::-1], np.float32)


def _exr(path: Path) -> Floats:
    """An EXR's red, green and blue. The library only warns of a cut-off file, on the standard error."""
    import OpenEXR

    with tempfile.TemporaryFile() as said:
        kept = os.dup(2)
        os.dup2(said.fileno(), 2)
        try:
            with OpenEXR.File(str(path), separate_channels=True) as file:
                channels: dict[str, Any] = {name: channel.pixels for name, channel in file.channels().items()}
        except (RuntimeError, ValueError, OSError) as error:
            raise InputError("file", "is a damaged EXR picture, or one of a kind that is not read") from error
        finally:
            os.dup2(kept, 2)
            os.close(kept)
        said.seek(0)
        if said.read().strip():
            raise InputError("file", "is a damaged EXR picture: it ends too soon")
    names = [next((name for name in (c, c.lower()) if name in channels), None) for c in "RGB"]
    if None in names and "Y" in channels:
        names = ["Y"] * 3
    if None in names:
        raise InputError("file", f"has no red, green and blue; it has {', '.join(channels) or 'nothing'}")
    values = np.stack([np.asarray(channels[str(name)], np.float32) for name in names], axis=-1)
    _refuse_too_large(values.shape[1], values.shape[0])
    return values


def _refuse_too_large(width: int, height: int) -> None:
    if width * height > MOST_PIXELS:
        raise InputError("file", f"is {width} × {height} pixels, more than is read")
