"""What sun and sky give a surface, in the renderer's unit: a table of its own clear sky (`tools/sky_table.py`).

The sky is held by its harmonics about the sun's azimuth; see `harmonics`.
"""

from __future__ import annotations

from functools import cache
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
    """The clear sky in broad strokes, as far as its harmonics go, for unit vectors (..., 3): (..., 3)."""
    light = harmonics(_about(sun, ways))[..., EVEN] @ _looked_up("sky", sun, turbidity)
    return np.where(ways[..., 2:] > 0, np.maximum(light, 0.0), 0.0)


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
        return {name: np.asarray(held[name], float) for name in ("sun", "sky")}


def _looked_up(name: str, sun: Array, turbidity: float) -> Array:
    """A figure between its neighbours in the table."""
    elevation_deg = float(np.degrees(np.arcsin(np.clip(sun[2], -1, 1))))
    i, a = _between(ELEVATIONS_DEG, elevation_deg)
    j, b = _between(TURBIDITIES, turbidity)
    values = _table()[name]
    if name == "sun":  # falls by powers near the horizon
        values = np.log(np.maximum(values, 1e-9))
    low = (1 - b) * values[i, j] + b * values[i, j + 1]
    high = (1 - b) * values[i + 1, j] + b * values[i + 1, j + 1]
    found = (1 - a) * low + a * high
    return np.exp(found) if name == "sun" else found


def _between(steps: Array, value: float) -> tuple[int, float]:
    """The step below a value, and how far it is to the next; held at the ends."""
    value = float(np.clip(value, steps[0], steps[-1]))
    at = int(np.clip(np.searchsorted(steps, value) - 1, 0, len(steps) - 2))
    return at, (value - steps[at]) / (steps[at + 1] - steps[at])
