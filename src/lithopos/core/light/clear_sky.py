"""What sun and sky give a surface, in the renderer's unit: a table of its own clear sky (`tools/sky_table.py`).

What it gives a surface is held by its harmonics about the sun's azimuth (see `harmonics`), how bright it is where by
the figures of the formula by which it is drawn.
"""

from __future__ import annotations

from functools import cache, lru_cache
from pathlib import Path

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.colour import REC709
from lithopos.core.light.dome import directions
from lithopos.core.light.harmonics import EVEN, WEIGHTS, harmonics

TABLE = Path(__file__).with_name("clear_sky.npz")
ELEVATIONS_DEG = np.array(
    [0.5, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11.5, 13, 16, 20, 25, 30, 36, 42, 50, 58, 66, 74, 82, 89.5]
)
TURBIDITIES = np.array([1.0, 1.5, 2, 2.5, 3, 3.5, 4, 5, 6, 7, 8, 9, 10])

UP = np.array([0.0, 0.0, 1.0])

__all__ = [
    "ELEVATIONS_DEG",
    "TABLE",
    "TURBIDITIES",
    "UP",
    "formula",
    "overcast_irradiance",
    "overcast_radiance",
    "sky_irradiance",
    "sky_radiance",
    "sun_irradiance",
]


def sun_irradiance(sun: Array, turbidity: float, normal: Array) -> Array:
    """What the sun of strength 1 gives a surface, (3,).

    Parameters
    ----------
    sun, normal : unit vectors (3,), world.
    """
    return _looked_up("sun", sun, turbidity) * max(float(np.dot(sun, normal)), 0.0)


def sky_irradiance(sun: Array, turbidity: float, normal: Array) -> Array:
    """What the whole clear sky of strength 1 gives a surface, (3,); see `sun_irradiance`."""
    light = (harmonics(_about(sun, normal)) * WEIGHTS)[EVEN] @ _looked_up("sky", sun, turbidity)
    return np.maximum(light, 0.0)


def sky_radiance(sun: Array, turbidity: float, ways: Array) -> Array:
    """How bright the clear sky is towards unit vectors (..., 3): (..., 3)."""
    height = np.maximum(ways[..., 2], 0)[..., None]
    angle = np.arccos(np.clip(ways @ sun, -1, 1))[..., None]
    light = np.zeros(ways.shape)
    for (i, j), weight in _neighbours(float(sun[2]), turbidity).items():
        # The figures themselves can't be averaged: quite different ones may draw the same sky.
        light += weight * formula(_table()["figures"][i, j].T, height, angle)
    return np.where(ways[..., 2:] > 0, np.maximum(light, 0.0), 0.0)


def formula(figures: Array, height: Array, angle: Array) -> Array:
    """The radiance of a clear sky.

    Parameters
    ----------
    figures : (10, ...), nine of its shape and its strength.
    height, angle : sine of the elevation, angle to the sun [rad]; whatever fits the figures.

    Source: Hosek and Wilkie 2012, An analytic model for full spectral sky-dome radiance, ACM TOG 31 (4), eq. 8.
    """
    a, b, c, d, e, f, g, h, i, strength = figures
    cos = np.cos(angle)
    glow = (1 + cos**2) / np.maximum(1 + h * h - 2 * h * cos, 1e-9) ** 1.5
    gradient = 1 + a * np.exp(b / (height + 0.01))
    return np.asarray(strength * gradient * (c + d * np.exp(e * angle) + f * cos**2 + g * glow + i * np.sqrt(height)))


def _about(sun: Array, ways: Array) -> Array:
    """Vectors (..., 3) with their azimuths counted from the sun's."""
    azimuth = np.arctan2(sun[1], sun[0])
    c, s = np.cos(azimuth), np.sin(azimuth)
    x, y, z = np.moveaxis(ways, -1, 0)
    return np.stack([c * x + s * y, -s * x + c * y, z], -1)


def overcast_radiance(sun: Array, turbidity: float, ways: Array) -> Array:
    """The CIE's overcast sky, three times as bright overhead as at the horizon, for unit vectors (..., 3): (..., 3).

    White, and as bright on level ground as the clear sky of that sun. Moon & Spencer 1942, Illumination from a
    non-uniform sky; ISO 15469:2004, type 1.
    """
    level = float(sky_irradiance(sun, turbidity, UP) @ REC709)
    height = ways[..., 2:]
    zenith = level / (7 * np.pi / 9)
    return np.where(height > 0, zenith * (1 + 2 * np.maximum(height, 0)) / 3, 0.0) * np.ones(3)


def overcast_irradiance(sun: Array, turbidity: float, normal: Array) -> Array:
    """What it gives a surface, (3,)."""
    light = float((harmonics(normal) * WEIGHTS) @ _overcast_harmonics())
    return np.full(3, max(light, 0.0) * float(sky_irradiance(sun, turbidity, UP) @ REC709) / (7 * np.pi / 9))


@cache
def _overcast_harmonics() -> Array:
    """Of the overcast sky of luminance 1 overhead, (18,)."""
    ways, solid = directions(64)
    height = ways[..., 2]
    return np.asarray(np.einsum("hwk,hw->k", harmonics(ways), np.where(height > 0, (1 + 2 * height) / 3, 0) * solid))


@cache
def _table() -> dict[str, Array]:
    with np.load(TABLE) as held:
        return {name: np.asarray(held[name], float) for name in ("sun", "sky", "figures")}


def _looked_up(name: str, sun: Array, turbidity: float) -> Array:
    """A figure between its neighbours in the table."""
    return _mixed(name, float(sun[2]), turbidity)


@lru_cache(maxsize=64)
def _mixed(name: str, height: float, turbidity: float) -> Array:
    values = _table()[name]
    if name == "sun":  # falls by powers near the horizon
        values = np.log(np.maximum(values, 1e-9))
    found = np.sum([weight * values[at] for at, weight in _neighbours(height, turbidity).items()], axis=0)
    found = np.asarray(np.exp(found) if name == "sun" else found)
    found.setflags(write=False)  # it is kept
    return found


def _neighbours(height: float, turbidity: float) -> dict[tuple[int, int], float]:
    """The four places of the table about the sine of a sun's height and a haze, with their weights."""
    i, a = _between(ELEVATIONS_DEG, float(np.degrees(np.arcsin(np.clip(height, -1, 1)))))
    j, b = _between(TURBIDITIES, turbidity)
    return {
        (i, j): (1 - a) * (1 - b),
        (i, j + 1): (1 - a) * b,
        (i + 1, j): a * (1 - b),
        (i + 1, j + 1): a * b,
    }


def _between(steps: Array, value: float) -> tuple[int, float]:
    """The step below a value, and how far it is to the next; held at the ends."""
    value = float(np.clip(value, steps[0], steps[-1]))
    at = int(np.clip(np.searchsorted(steps, value) - 1, 0, len(steps) - 2))
    return at, (value - steps[at]) / (steps[at + 1] - steps[at])
