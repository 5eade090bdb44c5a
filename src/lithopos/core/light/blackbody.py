"""The colour of a glowing body by its temperature."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.colour import REC709

WARMEST_K, COOLEST_K = 1000.0, 20_000.0
_SECOND_CONSTANT = 1.438777e7  # h c / k [nm K]
# Of the standard observer of 1931: lobes as amplitude, centre [nm], and the two sides' widths [nm].
_LOBES = (
    ((1.056, 599.8, 37.9, 31.0), (0.362, 442.0, 16.0, 26.7), (-0.065, 501.1, 20.4, 26.2)),
    ((0.821, 568.8, 46.9, 40.5), (0.286, 530.9, 16.3, 31.1)),
    ((1.217, 437.0, 11.8, 36.0), (0.681, 459.0, 26.0, 13.8)),
)
# Linear sRGB from XYZ (IEC 61966-2-1).
_TO_RGB = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])

__all__ = ["COOLEST_K", "WARMEST_K", "chromaticity", "glow"]


def _xyz(temperature_k: float) -> Array:
    """Tristimulus values of Planck's law, by Wyman, Sloan & Shirley 2013 (JCGT 2 (2), section 2.2)."""
    wave = np.arange(380.0, 781.0, 2.0)
    power = (560 / wave) ** 5 / np.expm1(_SECOND_CONSTANT / (wave * temperature_k))

    def seen(lobes: tuple[tuple[float, ...], ...]) -> float:
        total = np.zeros_like(wave)
        for height, middle, left, right in lobes:
            total += height * np.exp(-(((wave - middle) / np.where(wave < middle, left, right)) ** 2) / 2)
        return float((total * power).sum())

    return np.array([seen(lobes) for lobes in _LOBES])


def chromaticity(temperature_k: float) -> tuple[float, float]:
    """CIE 1931 x and y of a temperature [K]."""
    x, y, z = _xyz(temperature_k)
    return float(x / (x + y + z)), float(y / (x + y + z))


def glow(temperature_k: float) -> Array:
    """Linear sRGB (3,) of luminance 1; what lies outside that gamut is cut off."""
    colour = np.maximum(_TO_RGB @ _xyz(temperature_k), 0)
    return np.asarray(colour / (colour @ REC709))
