"""Grades: tones of a part of the picture, on linear light; a grade of zeros is none, and is left out."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import PchipInterpolator

from lithopos.core.arrays import Floats
from lithopos.core.blend.lut import Lut, Luts, ReadLut, through
from lithopos.core.colour import decode_srgb, encode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.shot import Blend, Grade

STEEPEST = 2.5  # of the curve in its middle, at a contrast of 1

__all__ = ["curve_through", "graded", "is_plain", "luts_of"]


def is_plain(grade: Grade) -> bool:
    """Whether a grade changes nothing."""
    return grade == Grade()


def graded(linear: Floats, grade: Grade, luts: Luts | None = None) -> Floats:
    """Linear light (..., 3) graded: exposure, white, contrast, the curve, saturation, dark, middle and bright tones,
    the table of colours.

    Exposure and white are gains, white without a change of grey's luminance. Contrast is a curve through black, middle
    grey of the encoding and white; the drawn curve is monotone between its points (Fritsch & Butland 1984, DOI
    10.1137/0905021, as SciPy has it). Lift, gamma and gain are of encoded values e:
    ((1 + gain) (e + lift (1 − e)))^(2^−gamma). A table is of encoded values, too.

    Parameters
    ----------
    luts : the tables by their files' names.

    Raises
    ------
    InputError
        If the grade's table is not among them.
    """
    if is_plain(grade):
        return linear
    made = linear * _gains(grade)
    if grade.contrast:
        made = decode_srgb(_curved(encode_srgb(made), grade.contrast))
    if grade.curve:
        made = decode_srgb(_drawn(encode_srgb(made), grade.curve))
    if grade.saturation != 1:
        grey = luminance(made)[..., None]
        made = np.maximum(grey + np.float32(grade.saturation) * (made - grey), 0)
    if any(grade.lift) or any(grade.gamma) or any(grade.gain):
        lift, gamma, gain = (np.array(one, np.float32) for one in (grade.lift, grade.gamma, grade.gain))
        e = encode_srgb(made)
        made = decode_srgb(np.clip((1 + gain) * (e + lift * (1 - e)), 0, 1) ** (2.0**-gamma))
    if grade.lut:
        made = decode_srgb(_through(encode_srgb(made), grade, luts))
    return np.asarray(made, np.float32)


def luts_of(blend: Blend, read: ReadLut | None) -> dict[str, Lut]:
    """The tables that a blend's grades name."""
    return {name: read(name) for name in blend.luts()} if read else {}


def _through(e: Floats, grade: Grade, luts: Luts | None) -> Floats:
    lut = (luts or {}).get(grade.lut or "")
    if lut is None:
        raise InputError("blend", "names a table of colours that was not handed to this render")
    made = through(lut, e)
    return np.clip(e + np.float32(grade.lut_strength) * (made - e), 0, 1)


def curve_through(points: list[tuple[float, float]]) -> PchipInterpolator:
    """The monotone curve of encoded values through points; where none lies at an end, black and white hold."""
    first, last = points[0], points[-1]
    ends = [*([(0.0, 0.0)] if first[0] > 0 else []), *points, *([(1.0, 1.0)] if last[0] < 1 else [])]
    return PchipInterpolator(*np.array(ends).T)


def _drawn(e: Floats, points: list[tuple[float, float]]) -> Floats:
    # Between entries as close as these a straight line differs by far less than a code of 16 bits.
    steps = np.linspace(0, 1, 4097)
    return np.asarray(np.interp(e, steps, curve_through(points)(steps)), np.float32)


def _gains(grade: Grade) -> Floats:
    """What the channels are multiplied by (3,): grey keeps its luminance but for the exposure."""
    stops = np.array([grade.warmth / 2 + grade.tint / 3, -2 * grade.tint / 3, -grade.warmth / 2 + grade.tint / 3])
    gains = 2.0**stops
    return np.asarray(2.0**grade.exposure_stops * gains / luminance(gains), np.float32)


def _curved(e: Floats, contrast: float) -> Floats:
    """A curve of encoded values: steeper or flatter in the middle, its ends held; a power from each end."""
    power = np.float32(STEEPEST**contrast)
    low = 0.5 * (2 * np.minimum(e, 0.5)) ** power
    high = 1 - 0.5 * (2 * np.minimum(1 - e, 0.5)) ** power
    return np.asarray(np.where(e < 0.5, low, high), np.float32)
