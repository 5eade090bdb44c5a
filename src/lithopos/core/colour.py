"""Encoded and linear colour: sRGB (IEC 61966-2-1), luminance, CIE Lab and ΔE2000."""

from __future__ import annotations

from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from lithopos.core.arrays import Array, Floats

REC709 = np.array([0.2126, 0.7152, 0.0722])  # what the channels weigh in luminance

__all__ = ["REC709", "decode_srgb", "delta_e_2000", "encode_srgb", "linear_of", "linear_to_Lab", "luminance"]


def decode_srgb(encoded: ArrayLike) -> Floats:
    """Encoded 0..1 to linear 0..1."""
    e = np.asarray(encoded, np.float32)
    made = np.asarray(((e + 0.055) / 1.055) ** 2.4, np.float32)
    np.copyto(made, e / 12.92, where=e <= 0.04045)
    return made


def linear_of(codes: NDArray[np.uint8] | NDArray[np.uint16]) -> Floats:
    """Codes as linear light, of those that are encoded as sRGB."""
    if not codes.size:
        return np.zeros(codes.shape, np.float32)
    return np.asarray(cv2.LUT(codes.reshape(1, -1), _linear_of_each(codes.dtype)).reshape(codes.shape))


@cache
def _linear_of_each(kind: np.dtype[Any]) -> Floats:
    """The linear light of all codes of a kind, in a row: looked up far faster than reckoned pixel by pixel."""
    top = np.iinfo(kind).max
    return decode_srgb(np.arange(top + 1, dtype=np.float32)[None] / np.float32(top))


def encode_srgb(linear: ArrayLike) -> Floats:
    """Linear to encoded 0..1; what lies outside is cut."""
    x = np.clip(np.asarray(linear, np.float32), 0, 1)
    made = np.asarray(1.055 * np.power(x, 1 / 2.4) - 0.055, np.float32)
    np.copyto(made, 12.92 * x, where=x <= 0.0031308)
    return made


def luminance(linear: ArrayLike) -> Floats:
    """Relative luminance of linear Rec. 709 values (..., 3)."""
    return np.asarray(np.asarray(linear, np.float32) @ REC709.astype(np.float32))


_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
_WHITE = _TO_XYZ.sum(1)


def linear_to_Lab(linear: ArrayLike) -> Array:  # noqa: N802
    """CIE 1976 L*a*b* under D65 of linear Rec. 709 values (..., 3)."""
    t = np.asarray(linear, float) @ _TO_XYZ.T / _WHITE
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    x, y, z = np.moveaxis(f, -1, 0)
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], -1)


def delta_e_2000(one: ArrayLike, two: ArrayLike) -> Array:
    """Colour difference CIEDE2000 of Lab values (..., 3). Source: Sharma, Wu & Dalal 2005, DOI 10.1002/col.20070."""
    L1, a1, b1 = np.moveaxis(np.asarray(one, float), -1, 0)
    L2, a2, b2 = np.moveaxis(np.asarray(two, float), -1, 0)
    mean_c7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    G = 0.5 * (1 - np.sqrt(mean_c7 / (mean_c7 + 25.0**7)))  # eq. 4
    a1, a2 = (1 + G) * a1, (1 + G) * a2
    C1, C2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    coloured = C1 * C2 > 0
    dh = np.where(coloured, (h2 - h1 + 180) % 360 - 180, 0)  # eq. 10
    dL, dC, dH = L2 - L1, C2 - C1, 2 * np.sqrt(C1 * C2) * np.sin(np.radians(dh / 2))
    L, C = (L1 + L2) / 2, (C1 + C2) / 2
    apart = np.abs(h1 - h2) > 180
    h = np.where(coloured, ((h1 + h2 + 360 * apart) / 2) % 360, h1 + h2)  # eq. 14
    r = np.radians
    T = (
        1
        - 0.17 * np.cos(r(h - 30))
        + 0.24 * np.cos(r(2 * h))
        + 0.32 * np.cos(r(3 * h + 6))
        - 0.2 * np.cos(r(4 * h - 63))
    )
    S_L = 1 + 0.015 * (L - 50) ** 2 / np.sqrt(20 + (L - 50) ** 2)
    S_C, S_H = 1 + 0.045 * C, 1 + 0.015 * C * T
    R_T = -2 * np.sqrt(C**7 / (C**7 + 25.0**7)) * np.sin(r(60 * np.exp(-(((h - 275) / 25) ** 2))))
    return np.sqrt((dL / S_L) ** 2 + (dC / S_C) ** 2 + (dH / S_H) ** 2 + R_T * dC / S_C * dH / S_H)
