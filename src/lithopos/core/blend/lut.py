"""Tables of colours (.cube), in and out: of encoded values, from one end of a domain to the other.

The text format is that of the Cube LUT Specification 1.0 (2013): `LUT_3D_SIZE` with the red running fastest, or
`LUT_1D_SIZE`; `DOMAIN_MIN`, `DOMAIN_MAX`; lines from `#` on are remarks.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import map_coordinates

from lithopos.core.arrays import Floats
from lithopos.core.errors import InputError

MOST_BYTES = 32 << 20
MOST_SIDE, MOST_LONG = 129, 65_536
SIDE = 33  # of what is written
_WORDS = ("TITLE", "LUT_1D_SIZE", "LUT_3D_SIZE", "DOMAIN_MIN", "DOMAIN_MAX", "LUT_1D_INPUT_RANGE", "LUT_3D_INPUT_RANGE")

__all__ = ["Lut", "Luts", "ReadLut", "lut_text", "read_lut", "through"]


@dataclass(frozen=True)
class Lut:
    """A table of colours.

    Attributes
    ----------
    table : (n, n, n, 3) by red, green and blue, or (n, 3): a curve for each channel.
    low, high : (3,) encoded values of its first and last entries.
    """

    table: Floats
    low: Floats
    high: Floats


Luts = Mapping[str, Lut]
ReadLut = Callable[[str], Lut]


def read_lut(data: bytes) -> Lut:
    """The table in a .cube file.

    Raises
    ------
    InputError
        If it is none, or damaged.
    """
    if len(data) > MOST_BYTES:
        raise InputError("file", "is too large for a table of colours")
    told: dict[str, list[str]] = {}
    rows: list[str] = []
    for line in data.decode("latin-1").lstrip("\xef\xbb\xbf").splitlines():
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        if words[0] in _WORDS:
            told[words[0]] = words[1:]
        else:
            rows.append(" ".join(words))
    three = "LUT_3D_SIZE" in told
    side = _side(told.get("LUT_3D_SIZE") or told.get("LUT_1D_SIZE"), MOST_SIDE if three else MOST_LONG)
    wanted = side**3 if three else side
    try:
        values = np.array(" ".join(rows).split(), np.float32).reshape(-1, 3)
    except ValueError as error:
        raise InputError("file", "is a damaged table of colours: a line is not three numbers") from error
    if len(values) != wanted or not np.isfinite(values).all():
        raise InputError("file", f"is a damaged table of colours: it has {len(values)} entries instead of {wanted}")
    low, high = _domain(told)
    table = values.reshape(side, side, side, 3).transpose(2, 1, 0, 3) if three else values
    return Lut(np.ascontiguousarray(table), low, high)


def _side(words: list[str] | None, most: int) -> int:
    if not words:
        raise InputError("file", "is no table of colours: it has no line LUT_3D_SIZE or LUT_1D_SIZE")
    if len(words) != 1 or not words[0].isdigit() or not 2 <= int(words[0]) <= most:
        raise InputError("file", f"is a table of colours of a size that is not read (2 to {most})")
    return int(words[0])


def _domain(told: dict[str, list[str]]) -> tuple[Floats, Floats]:
    span = told.get("LUT_3D_INPUT_RANGE") or told.get("LUT_1D_INPUT_RANGE")
    ends = ([span[0]] * 3, [span[1]] * 3) if span and len(span) == 2 else (["0"] * 3, ["1"] * 3)
    try:
        low, high = (
            np.array(told.get(name, end), np.float32)
            for name, end in zip(("DOMAIN_MIN", "DOMAIN_MAX"), ends, strict=True)
        )
    except ValueError as error:
        raise InputError("file", "is a damaged table of colours: its domain is not told in numbers") from error
    if low.shape != (3,) or high.shape != (3,) or not (high > low).all():
        raise InputError("file", "is a damaged table of colours: its domain has no width")
    return low, high


def through(lut: Lut, encoded: Floats) -> Floats:
    """Encoded values (..., 3) through a table, linearly between its entries; what lies outside is held at its ends."""
    last = lut.table.shape[0] - 1
    at = np.clip((encoded - lut.low) / (lut.high - lut.low), 0, 1) * last
    if lut.table.ndim == 2:
        places = np.arange(last + 1)
        channels = [np.interp(at[..., n], places, lut.table[:, n]) for n in range(3)]
    else:
        where = at.reshape(-1, 3).T
        channels = [
            map_coordinates(lut.table[..., n], where, order=1, mode="nearest").reshape(encoded.shape[:-1])
            for n in range(3)
        ]
    return np.asarray(np.stack(channels, axis=-1), np.float32)


def lut_text(change: Callable[[Floats], Floats], title: str) -> bytes:
    """What a change makes of encoded values, as a .cube file of `SIDE` entries a side."""
    steps = np.linspace(0, 1, SIDE, dtype=np.float32)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    values = change(np.stack([red, green, blue], axis=-1)).reshape(-1, 3)
    plain = "".join(letter for letter in title if letter.isprintable() and letter != '"')
    lines = [f'TITLE "{plain}"', f"LUT_3D_SIZE {SIDE}", *("{:.6f} {:.6f} {:.6f}".format(*row) for row in values)]
    return ("\n".join(lines) + "\n").encode()
