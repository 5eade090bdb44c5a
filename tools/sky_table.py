"""`python tools/sky_table.py`: the light of the renderer's clear sky by the sun's height and the haze.

Written to `core/light/clear_sky.npz`: what the sun gives a surface square to it, and the sky's radiance in real
spherical harmonics about the sun's azimuth (those that mirror it), by channel. So that the solvers need no renderer.
"""

from __future__ import annotations

import sys
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from lithopos.core.light.clear_sky import ELEVATIONS_DEG, TABLE, TURBIDITIES
from lithopos.core.light.harmonics import EVEN, harmonics
from lithopos.core.render.engine import load_renderer

ROWS, COLUMNS = 180, 360
SAMPLES = 1 << 14


def main() -> None:
    """Fill the table."""
    mi = load_renderer()
    rise = (np.arange(ROWS) + 0.5) * np.pi / 2 / ROWS
    around = (np.arange(COLUMNS) + 0.5) * 2 * np.pi / COLUMNS
    height, azimuth = (grid.ravel() for grid in np.meshgrid(rise, around, indexing="ij"))
    level = np.cos(height)
    ways = np.column_stack([level * np.cos(azimuth), level * np.sin(azimuth), np.sin(height)])
    solid = level * (np.pi / 2 / ROWS) * (2 * np.pi / COLUMNS)
    basis = harmonics(ways)[:, EVEN] * solid[:, None]
    sun = np.zeros((len(ELEVATIONS_DEG), len(TURBIDITIES), 3))
    sky = np.zeros((len(ELEVATIONS_DEG), len(TURBIDITIES), basis.shape[1], 3))
    for (i, elevation), (j, turbidity) in product(enumerate(ELEVATIONS_DEG), enumerate(TURBIDITIES)):
        rise_rad = np.radians(elevation)
        direction = [float(np.cos(rise_rad)), 0.0, float(np.sin(rise_rad))]
        told = {"type": "sunsky", "sun_direction": direction, "turbidity": float(turbidity), "albedo": 0.25}
        sky[i, j] = basis.T @ _radiance(mi, mi.load_dict({**told, "sun_scale": 0.0}), ways)
        sun[i, j] = _square_on(mi, mi.load_dict({**told, "sky_scale": 0.0}))
    np.savez_compressed(TABLE, sun=sun.astype(np.float32), sky=sky.astype(np.float32))


def _radiance(mi: Any, emitter: Any, ways: Any) -> Any:
    import drjit as dr

    at = dr.zeros(mi.SurfaceInteraction3f, len(ways))
    at.wi = mi.Vector3f(*(-ways.T.astype(np.float32)))
    return np.array(emitter.eval(at)).T


def _square_on(mi: Any, emitter: Any) -> Any:
    import drjit as dr

    rng = np.random.default_rng(1)
    at = dr.zeros(mi.SurfaceInteraction3f)
    _, weight = emitter.sample_direction(at, mi.Point2f(*rng.random((2, SAMPLES), np.float32)))
    return np.nan_to_num(np.array(weight)).T.mean(0) if np.array(weight).shape[0] == 3 else np.array(weight).mean(0)


if __name__ == "__main__":
    main()
