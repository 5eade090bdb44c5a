"""Grades: tones of a part of the picture, on linear light; a grade of zeros is none, and is left out."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.colour import decode_srgb, encode_srgb, luminance
from lithopos.core.shot import Grade

STEEPEST = 2.5  # of the curve in its middle, at a contrast of 1

__all__ = ["graded", "is_plain"]


def is_plain(grade: Grade) -> bool:
    """Whether a grade changes nothing."""
    return grade == Grade()


def graded(linear: Floats, grade: Grade) -> Floats:
    """Linear light (..., 3) graded: exposure, white, contrast, saturation, then dark, middle and bright tones.

    Exposure and white are gains, white without a change of grey's luminance. Contrast is a curve through black, middle
    grey of the encoding and white. Lift, gamma and gain are of encoded values e:
    ((1 + gain) (e + lift (1 − e)))^(2^−gamma).
    """
    if is_plain(grade):
        return linear
    made = linear * _gains(grade)
    if grade.contrast or any(grade.lift) or any(grade.gamma) or any(grade.gain) or grade.saturation != 1:
        if grade.contrast:
            made = decode_srgb(_curved(encode_srgb(made), grade.contrast))
        if grade.saturation != 1:
            grey = luminance(made)[..., None]
            made = np.maximum(grey + np.float32(grade.saturation) * (made - grey), 0)
        if any(grade.lift) or any(grade.gamma) or any(grade.gain):
            lift, gamma, gain = (np.array(one, np.float32) for one in (grade.lift, grade.gamma, grade.gain))
            e = encode_srgb(made)
            made = decode_srgb(np.clip((1 + gain) * (e + lift * (1 - e)), 0, 1) ** (2.0**-gamma))
    return np.asarray(made, np.float32)


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
