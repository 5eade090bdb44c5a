"""Lights that stand in the place, and what they give a surface, in closed form where nothing stands between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lithopos.core.arrays import Array, Floats

__all__ = ["Ball", "Beam", "Near", "Sheet", "near_irradiance"]


@dataclass(frozen=True)
class Sheet:
    """A flat four-cornered light that shines to its front alone, evenly in all directions: a window, a panel.

    Attributes
    ----------
    corners : (4, 3) [m], clockwise as seen from its front.
    radiance : (3,), or (H, W, 3) over the sheet, its first row between the first two corners.
    """

    corners: Array
    radiance: Floats

    @property
    def front(self) -> Array:
        """The unit normal of the side that shines."""
        normal = np.cross(self.corners[3] - self.corners[0], self.corners[1] - self.corners[0])
        return np.asarray(normal / max(float(np.linalg.norm(normal)), 1e-12))


@dataclass(frozen=True)
class Ball:
    """A ball that shines alike in all directions: middle [m], radius [m], radiance (3,)."""

    middle: Array
    radius_m: float
    radiance: Floats


@dataclass(frozen=True)
class Beam:
    """A round opening, small beside its distance, whose light goes out by direction.

    Attributes
    ----------
    middle : (3,) [m]; `radius_m` of the opening.
    axes : (3, 3) rows: from where the horizontal angle is counted, 90° on from there, and the way it looks.
    intensity : (V, H, 3) per solid angle, over the angle from the way it looks, 0 to 180°, and the angle about it, 0 to
        360°; the first and the last values are those of 0 and of the whole.
    """

    middle: Array
    radius_m: float
    axes: Array
    intensity: Floats


Near = Sheet | Ball | Beam


def near_irradiance(light: Near, at: Array, normal: Array) -> Array:
    """What a light gives a small surface (3,) of a unit normal, (3,); nothing stands between.

    A sheet by Lambert's formula for polygons (Photometria 1760; Arvo 1995, DOI 10.1145/218380.218467, section 3), cut
    at the surface's horizon; a ball as its middle (exact as long as none of it is below the horizon).
    """
    if isinstance(light, Sheet):
        if float((at - light.corners[0]) @ light.front) <= 0:
            return np.zeros(3)
        return _polygon_factor(light.corners - at, normal) * _mean(light.radiance)
    off = light.middle - at
    away = float(np.linalg.norm(off))
    cosine = max(float(off @ normal) / max(away, 1e-9), 0.0)
    if isinstance(light, Ball):
        return cosine * np.pi * (light.radius_m / max(away, light.radius_m)) ** 2 * np.asarray(light.radiance, float)
    return cosine / max(away, light.radius_m, 1e-3) ** 2 * beam_intensity(light, -off / max(away, 1e-9))


def beam_intensity(beam: Beam, way: Array) -> Array:
    """The intensity (3,) of a beam in a direction (3,), between the table's values linearly."""
    x, y, z = beam.axes @ way
    rows, columns = beam.intensity.shape[:2]
    row = float(np.arccos(np.clip(z, -1, 1)) / np.pi * (rows - 1))
    column = float(np.arctan2(y, x) / (2 * np.pi) % 1 * (columns - 1))
    i, j = min(int(row), max(rows - 2, 0)), min(int(column), max(columns - 2, 0))
    down, right = min(i + 1, rows - 1), min(j + 1, columns - 1)
    v, u = row - i, column - j
    table = beam.intensity.astype(float)
    upper = (1 - u) * table[i, j] + u * table[i, right]
    lower = (1 - u) * table[down, j] + u * table[down, right]
    return np.asarray((1 - v) * upper + v * lower)


def _mean(radiance: Floats) -> Array:
    return np.asarray(radiance.reshape(-1, 3).mean(0), float)


def _polygon_factor(corners: Array, normal: Array) -> float:
    """The irradiance of a polygon (N, 3), seen from the origin, that has radiance 1."""
    above = _above(corners, normal)
    if len(above) < 3:
        return 0.0
    ways = above / np.linalg.norm(above, axis=1, keepdims=True)
    following = np.roll(ways, -1, axis=0)
    edges = np.cross(ways, following)
    sines = np.linalg.norm(edges, axis=1)
    angles = np.arctan2(sines, np.einsum("ij,ij->i", ways, following))
    return abs(float((angles / np.maximum(sines, 1e-12)) @ (edges @ normal))) / 2


def _above(corners: Array, normal: Array) -> Array:
    """The part of a polygon above a plane through the origin (Sutherland & Hodgman 1974, DOI 10.1145/360767.360802)."""
    height = corners @ normal
    kept: list[Array] = []
    for n in range(len(corners)):
        m = (n + 1) % len(corners)
        if height[n] > 0:
            kept.append(corners[n])
        if (height[n] > 0) != (height[m] > 0):
            along = height[n] / (height[n] - height[m])
            kept.append(corners[n] + along * (corners[m] - corners[n]))
    return np.array(kept).reshape(-1, 3)
