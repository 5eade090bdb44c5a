"""`python tools/sky_table.py`: the light of the renderer's clear sky by the sun's height and the haze.

Written to `core/light/clear_sky.npz`, by channel: what the sun gives a surface square to it; the sky's radiance in real
spherical harmonics about the sun's azimuth (those that mirror it); and that radiance itself, as the ten figures of the
formula by which such a sky is drawn. So that the solvers need no renderer.
"""

from __future__ import annotations

import sys
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import least_squares

sys.path.insert(0, str(Path(__file__).parents[1]))

from lithopos.core.arrays import Array
from lithopos.core.light.clear_sky import ELEVATIONS_DEG, TABLE, TURBIDITIES, formula
from lithopos.core.light.harmonics import EVEN, harmonics
from lithopos.core.render.engine import load_renderer

ROWS, COLUMNS = 180, 360
SAMPLES = 1 << 14
FITTED_RISE_DEG = [1, 3, 6, 10, 15, 20, 27, 35, 45, 55, 65, 75, 85]
FITTED_AROUND_DEG = [0, 4, 8, 14, 22, 32, 45, 60, 80, 100, 130, 160, 180]
BEGIN = [(-1.1, -0.2, 1.0, 1.0, -3.0, 0.6, 0.1, 0.67, 1.5), (-1.2, -0.3, 0.3, 0.3, -1.0, 0.5, 0.1, 0.67, 2.5)]
EXACT, WORST = 1e-5, 0.02  # relative, root of the mean square


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
    figures = np.zeros((len(ELEVATIONS_DEG), len(TURBIDITIES), 3, 10))
    for (i, elevation), (j, turbidity) in product(enumerate(ELEVATIONS_DEG), enumerate(TURBIDITIES)):
        rise_rad = np.radians(elevation)
        direction = [float(np.cos(rise_rad)), 0.0, float(np.sin(rise_rad))]
        told = {"type": "sunsky", "sun_direction": direction, "turbidity": float(turbidity), "albedo": 0.25}
        emitter = mi.load_dict({**told, "sun_scale": 0.0})
        sky[i, j] = basis.T @ _radiance(mi, emitter, ways)
        near = [figures[i, max(j - 1, 0)], figures[max(i - 1, 0), j]]
        figures[i, j] = _fitted(mi, emitter, np.array(direction), near)
        sun[i, j] = _square_on(mi, mi.load_dict({**told, "sky_scale": 0.0}))
    np.savez_compressed(
        TABLE, sun=sun.astype(np.float32), sky=sky.astype(np.float32), figures=figures.astype(np.float32)
    )


def _fitted(mi: Any, emitter: Any, sun: Array, near: list[Array]) -> Array:
    """The ten figures by channel, (3, 10), begun also from those of neighbours."""
    rise, around = (grid.ravel() for grid in np.meshgrid(np.radians(FITTED_RISE_DEG), np.radians(FITTED_AROUND_DEG)))
    ways = np.column_stack([np.cos(rise) * np.cos(around), np.cos(rise) * np.sin(around), np.sin(rise)])
    true = _radiance(mi, emitter, ways)
    angle = np.arccos(np.clip(ways @ sun, -1, 1))
    found = np.zeros((3, 10))
    for channel in range(3):
        best, off = np.zeros(10), np.inf
        starts = [np.array([*start, true[:, channel].mean() / 2]) for start in BEGIN]
        for start in [*(figures[channel] for figures in near if figures[channel].any()), *starts]:

            def apart(figures: Array, seen: Array = true[:, channel]) -> Array:
                return formula(figures, ways[:, 2], angle) / seen - 1

            fit = least_squares(apart, start, x_scale="jac", max_nfev=1500)
            if (now := float(np.sqrt(np.mean(fit.fun**2)))) < off:
                best, off = fit.x, now
            if off < EXACT:
                break
        if off > WORST:
            raise SystemExit(f"the sky's formula does not fit at {sun}: {off:.1%}")
        found[channel] = best
    return found


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
