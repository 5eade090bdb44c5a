"""How a file's codes stand for light: by its ICC profile, where that is a matrix and curves; sRGB where it has none.

ICC.1:2010, sections 8.3.3 (matrix and curves), 10.5 and 10.16 (curves). Light is linear with Rec. 709's primaries all
through the program. What a wider profile holds beyond those lies outside 0 to 1 there, and comes back by the same way.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import decode_srgb, encode_srgb, linear_of

# Rec. 709's primaries under D50 (IEC 61966-2-1, by Bradford's matrix), as a profile of sRGB has them.
REC709_D50 = np.array([[0.43607, 0.38515, 0.14307], [0.22249, 0.71687, 0.06061], [0.01392, 0.09708, 0.71410]])
FULL = 65535
SAME_MATRIX, SAME_CODES = 0.01, 1.0 / 255  # a profile that is as near is sRGB's, rounded or told by points
HEAD, ENTRY = 128, 12

__all__ = ["SRGB", "Encoding", "encoding_of"]


@dataclass(frozen=True, eq=False)
class Encoding:
    """How codes of three channels stand for light.

    Attributes
    ----------
    matrix : (3, 3) from a file's own linear values to light with Rec. 709's primaries; None: they are these.
    curves : (3, 65536) own linear value by code of 16 bits; None: sRGB's.
    """

    matrix: Array | None = None
    curves: Floats | None = None

    @property
    def is_srgb(self) -> bool:
        """Whether codes are sRGB's."""
        return self.matrix is None and self.curves is None

    def own(self, codes: NDArray[np.uint8] | NDArray[np.uint16]) -> Floats:
        """The file's own linear values (..., 3) of codes."""
        if self.curves is None:
            return linear_of(codes)
        tables = self.curves if codes.dtype == np.uint16 else self.curves[:, :: FULL // 255]
        return np.stack([tables[c][codes[..., c]] for c in range(3)], -1)

    def own_of(self, encoded: Floats) -> Floats:
        """The file's own linear values (..., 3) of encoded ones, which are cut to 0..1."""
        if self.curves is None:
            return decode_srgb(np.clip(encoded, 0, 1))
        return self.own((np.clip(encoded, 0, 1) * np.float32(FULL) + np.float32(0.5)).astype(np.uint16))

    def encoded_own(self, own: Floats) -> Floats:
        """Encoded values 0..1 (..., 3) of the file's own linear ones; what lies outside is cut."""
        if self.curves is None:
            return encode_srgb(own)
        at = np.linspace(0, 1, FULL + 1)
        found = [np.interp(own[..., c], self.curves[c], at) for c in range(3)]
        return np.stack(found, -1).astype(np.float32)

    def from_own(self, own: Floats) -> Floats:
        """Light (..., 3) of the file's own linear values."""
        return own if self.matrix is None else np.asarray(own @ self.matrix.T.astype(np.float32), np.float32)

    def to_own(self, light: Floats) -> Floats:
        """The file's own linear values (..., 3) of light."""
        if self.matrix is None:
            return light
        return np.asarray(light @ np.linalg.inv(self.matrix).T.astype(np.float32), np.float32)

    def light(self, codes: NDArray[np.uint8] | NDArray[np.uint16]) -> Floats:
        """The light (..., 3) of codes."""
        return self.from_own(self.own(codes))

    def encoded(self, light: Floats) -> Floats:
        """Encoded values 0..1 (..., 3) of light; what the file's colours do not hold is cut."""
        return self.encoded_own(self.to_own(light))


SRGB = Encoding()


@lru_cache(maxsize=8)
def encoding_of(icc: bytes | None) -> Encoding | None:
    """How codes with a profile stand for light; None where that is not told by a matrix and curves."""
    if icc is None:
        return SRGB
    try:
        tags = _tags(icc)
        columns = [_xyz(tags[name]) for name in (b"rXYZ", b"gXYZ", b"bXYZ")]
        curves = np.stack([_curve(tags[name]) for name in (b"rTRC", b"gTRC", b"bTRC")])
    except (KeyError, ValueError, struct.error):
        return None
    matrix = np.linalg.inv(REC709_D50) @ np.column_stack(columns)
    rising = bool((np.diff(curves) >= 0).all()) and bool((curves[:, -1] > 0.5).all())
    if not rising or not np.isfinite(matrix).all() or abs(np.linalg.det(matrix)) < 1e-3:
        return None
    usual = np.abs(encode_srgb(curves) - np.linspace(0, 1, FULL + 1)).max() < SAME_CODES
    same = np.abs(matrix - np.eye(3)).max() < SAME_MATRIX
    # White is white, whatever the profile's figures were rounded to.
    matrix = matrix / matrix.sum(1, keepdims=True)
    return Encoding(None if same else matrix, None if usual else curves.astype(np.float32))


def _tags(icc: bytes) -> dict[bytes, bytes]:
    if icc[16:20] != b"RGB " or icc[20:24] != b"XYZ ":
        raise ValueError
    (count,) = struct.unpack_from(">I", icc, HEAD)
    found = {}
    for number in range(min(count, 100)):
        name, at, length = struct.unpack_from(">4sII", icc, HEAD + 4 + ENTRY * number)
        found[name] = icc[at : at + length]
    if b"A2B0" in found:
        raise ValueError  # told by a table, to which matrix and curves are only near
    return found


def _fixed(data: bytes, at: int, count: int) -> Array:
    return np.array(struct.unpack_from(f">{count}i", data, at)) / 65536


def _xyz(data: bytes) -> Array:
    if data[:4] != b"XYZ ":
        raise ValueError
    return _fixed(data, 8, 3)


def _curve(data: bytes) -> Array:
    """(65536,) of a curve."""
    x = np.linspace(0, 1, FULL + 1)
    if data[:4] == b"curv":
        (count,) = struct.unpack_from(">I", data, 8)
        if count == 0:
            return x
        values = np.array(struct.unpack_from(f">{count}H", data, 12))
        if count == 1:
            return np.asarray(x ** (values[0] / 256))
        return np.asarray(np.interp(x, np.linspace(0, 1, count), values / FULL))
    if data[:4] != b"para":
        raise ValueError
    (kind,) = struct.unpack_from(">H", data, 8)
    return _parametric(kind, _fixed(data, 12, (1, 3, 4, 5, 7)[kind] if kind < 5 else 0), x)


def _parametric(kind: int, p: Any, x: Array) -> Array:
    """Section 10.16, table 65."""
    if kind > 4:
        raise ValueError
    if kind == 0:
        return np.asarray(x ** p[0])
    g, a, b = p[:3]
    power = np.maximum(a * x + b, 0) ** g
    if kind in (1, 2):
        c = p[3] if kind == 2 else 0.0
        return np.asarray(np.where(x >= -b / a, power + c, c))
    c, d = p[3], p[4]
    e, f = (p[5], p[6]) if kind == 4 else (0.0, 0.0)
    return np.asarray(np.where(x >= d, power + e, c * x + f))
