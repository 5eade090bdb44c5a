"""Photometry of lamps, read from IES files (ANSI/IES LM-63, 1986 to 2019), and the beams made of it."""

from __future__ import annotations

import re
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from lithopos.core.arrays import Array, Floats
from lithopos.core.errors import InputError

MOST_BYTES = 4 << 20
MOST_ANGLES = 1000
ROWS, COLUMNS = 73, 25  # of what is kept: 2.5° from the way a lamp looks, 15° about it
Candela = Annotated[FiniteFloat, Field(ge=0, le=1e8)]

__all__ = ["Photometry", "intensity_of", "lumen_of", "read_photometry", "spot_intensity"]


class Photometry(BaseModel):
    """A lamp's intensity by direction.

    Attributes
    ----------
    candela : `ROWS` rows from straight down (or where it looks) to straight up, each with one value, where it is the
        same all about, or `COLUMNS` values from 0 to 360° about.
    """

    model_config = ConfigDict(extra="forbid")

    candela: Annotated[
        list[Annotated[list[Candela], Field(min_length=1, max_length=COLUMNS)]],
        Field(min_length=ROWS, max_length=ROWS),
    ]

    @model_validator(mode="after")
    def _is_a_table(self) -> Photometry:
        if {len(row) for row in self.candela} not in ({1}, {COLUMNS}):
            raise ValueError(f"candela must have 1 or {COLUMNS} values in every row")
        return self


def read_photometry(data: bytes) -> Photometry:
    """The photometry in an IES file.

    Raises
    ------
    InputError
        If it is none, is damaged, or measured in other angles than type C.
    """
    if len(data) > MOST_BYTES:
        raise InputError("file", "is too large for a file of photometry")
    lines = data.decode("latin-1").splitlines()
    start = next((n for n, line in enumerate(lines) if line.strip().upper().startswith("TILT=")), None)
    if start is None:
        raise InputError("file", "is no photometry: it has no line TILT=")
    tilt = lines[start].split("=", 1)[1].strip().upper()
    numbers = _numbers(" ".join(lines[start + 1 :]))
    if tilt == "INCLUDE":
        pairs = _whole(_taken(numbers, 2)[1], "a number of tilt angles")
        _taken(numbers, 2 * pairs)
    elif tilt != "NONE":
        raise InputError("file", "names another file for its tilt; only NONE and INCLUDE are read")
    head = _taken(numbers, 13)
    vertical, horizontal = (_whole(head[n], "a number of angles") for n in (3, 4))
    if head[5] != 1:
        raise InputError("file", "holds photometry of type A or B; only type C is read")
    v, h = np.array(_taken(numbers, vertical)), np.array(_taken(numbers, horizontal))
    table = np.array(_taken(numbers, vertical * horizontal)).reshape(horizontal, vertical)
    for angles, name, most in ((v, "vertical", 180), (h, "horizontal", 360)):
        if (np.diff(angles) <= 0).any() or angles[0] < 0 or angles[-1] > most:
            raise InputError("file", f"has {name} angles that do not rise from 0 to {most}°")
    if (table < 0).any() or table.max() > 1e7:
        raise InputError("file", "has intensities below nothing or beyond reason")
    # Older files have a zero where later ones have a factor.
    candela = table * head[2] * head[10] * (head[11] or 1.0)
    if candela.max() <= 0:
        raise InputError("file", "gives no light in any direction")
    return Photometry(candela=_regular(v, h, candela).tolist())


def intensity_of(photometry: Photometry) -> Array:
    """Intensities (ROWS, columns) [cd] as a beam's table: one column is doubled."""
    table = np.array(photometry.candela, float)
    return np.repeat(table, 2, axis=1) if table.shape[1] == 1 else table


def spot_intensity(beam_deg: float) -> Floats:
    """A spot's table (rows, 2) of luminous flux 1: half as bright at half its beam's angle, nothing at its whole."""
    angle = np.linspace(0, np.pi, 361)
    half = np.radians(beam_deg) / 2
    fall = np.clip(np.cos(np.minimum(angle / half, 2) * np.pi / 4), 0, 1) ** 2
    table = np.repeat(fall[:, None], 2, axis=1)
    return np.asarray(table / lumen_of(table), np.float32)


def lumen_of(table: Array) -> float:
    """The luminous flux of a table of intensities, all about."""
    rows, columns = table.shape
    edges = np.concatenate([[0], (np.arange(rows - 1) + 0.5) * np.pi / (rows - 1), [np.pi]])
    rings = 2 * np.pi * (np.cos(edges[:-1]) - np.cos(edges[1:]))
    across = np.full(columns, 1 / (columns - 1))
    across[[0, -1]] /= 2
    return float(rings @ (table @ across))


def _numbers(text: str) -> list[float]:
    """Numbers in the order of a stack: the first is last."""
    try:
        return [float(word) for word in re.split(r"[\s,]+", text.strip())][::-1]
    except ValueError as error:
        raise InputError("file", "has something else where its numbers should be") from error


def _taken(numbers: list[float], count: int) -> list[float]:
    if len(numbers) < count:
        raise InputError("file", "ends early: numbers are missing")
    taken = [numbers.pop() for _ in range(count)]
    if not np.isfinite(taken).all():
        raise InputError("file", "holds a number that is none")
    return taken


def _whole(value: float, name: str) -> int:
    if value != int(value) or not 1 <= value <= MOST_ANGLES:
        raise InputError("file", f"has {value:g} where {name} should be")
    return int(value)


def _regular(v: Array, h: Array, candela: Array) -> Array:
    """Intensities (horizontal, vertical) at regular angles, mirrored as far round as they were not measured."""
    rows = np.linspace(0, 180, ROWS)
    down = np.stack([np.interp(rows, v, row, left=0.0, right=0.0) for row in candela])
    if len(h) == 1:
        return np.asarray(down.T.round(4))
    around = np.linspace(0, 360, COLUMNS)
    if h[0] == 90 and h[-1] == 270:
        around = np.where((around < 90) | (around > 270), (180 - around) % 360, around)
    elif h[-1] <= 90:
        around = np.minimum(around % 180, 180 - around % 180)
    elif h[-1] <= 180:
        around = np.minimum(around, 360 - around)
    places = np.interp(around, h, np.arange(len(h)))
    low = np.minimum(places.astype(int), len(h) - 2)
    part = (places - low)[:, None]
    return np.asarray(((1 - part) * down[low] + part * down[low + 1]).T.round(4))
