"""A simulated panorama camera: set up in a sample place, it takes in the light from all around as it is there.

Own mathematics, like the photographs: longitude and latitude, the first row straight up, the middle towards +x;
longitude grows to the right, clockwise from above. The photographs' white balance and exposure are not in it.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np

from lithopos.samples.meshes import Array
from lithopos.samples.photograph import Floats, Studio

GLARE_DEG = 2.0  # about the sun, where every pixel is traced far more often
GLARE_SAMPLES = 64  # times as many

__all__ = ["panorama_of", "write_hdr"]


def panorama_of(studio: Studio, at: Array, rows: int = 256, samples: int = 64, seed: int = 0) -> Floats:
    """Linear radiance (rows, 2 rows, 3) about a place (3,) [m]."""
    rng = np.random.default_rng(seed)
    columns, lines = np.meshgrid(np.arange(2 * rows), np.arange(rows))
    places = np.stack([columns.ravel(), lines.ravel()], 1)
    total = np.zeros((len(places), 3))
    for number in range(samples):
        total += _traced(studio, at, places + rng.random(places.shape), rows, seed * 977 + number)
    picture = total / samples
    near = _ways(np.asarray(places, float) + 0.5, rows) @ studio.place.to_sun
    glare = np.flatnonzero(near > np.cos(np.radians(GLARE_DEG)))
    again = np.zeros((len(glare), 3))
    for number in range(samples * GLARE_SAMPLES // 16):
        often = np.repeat(places[glare], 16, axis=0)
        traced = _traced(studio, at, often + rng.random(often.shape), rows, seed * 977 + samples + number)
        again += traced.reshape(len(glare), 16, 3).mean(1)
    picture[glare] = again / (samples * GLARE_SAMPLES // 16)
    return picture.reshape(rows, 2 * rows, 3).astype(np.float32)


def write_hdr(radiance: Floats, path: Path) -> None:
    """Write a Radiance file."""
    done, data = cv2.imencode(".hdr", np.ascontiguousarray(radiance[..., ::-1]))
    if not done:
        raise OSError("the panorama could not be written")
    path.write_bytes(data.tobytes())


def _ways(places: Array, rows: int) -> Array:
    """Unit vectors (N, 3) through a panorama's points (N, 2), x and y in pixels."""
    azimuth, elevation = np.pi - places[:, 0] * np.pi / rows, np.pi / 2 - places[:, 1] * np.pi / rows
    level = np.cos(elevation)
    return np.stack([level * np.cos(azimuth), level * np.sin(azimuth), np.sin(elevation)], 1)


def _traced(studio: Studio, at: Array, places: Array, rows: int, seed: int) -> Array:
    """One sample of the radiance that reaches a place through each point of the panorama, (N, 3)."""
    mi = studio.mi
    ways = _ways(places, rows).T.astype(np.float32)
    sampler = mi.load_dict({"type": "independent"})
    sampler.seed(seed, ways.shape[1])
    origin = mi.Point3f(*[mi.Float(np.full(ways.shape[1], float(value), np.float32)) for value in at])
    ray = mi.RayDifferential3f(origin, mi.Vector3f(ways), 0.0, [])
    integrator = mi.load_dict({"type": "path", "max_depth": 6, "rr_depth": 9})
    seen, _, _ = integrator.sample(studio.scene, sampler, ray)
    return np.asarray(np.nan_to_num(np.array(seen)).T, float)
