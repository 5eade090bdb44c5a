"""Lights that stand in the place, and what they give a surface, in closed form where nothing stands between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lithopos.core.arrays import Array, Floats, Mask

__all__ = ["Ball", "Beam", "Near", "Shaft", "Sheet", "Standing", "let_in", "near_irradiance", "ways_to"]


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


@dataclass(frozen=True)
class Shaft:
    """Sunlight that comes in through openings alone.

    Attributes
    ----------
    sun : the direction to it, a unit vector (3,); `width_deg` its apparent diameter.
    openings : (N, 4, 3) the corners of each [m], one after another.
    irradiance : (3,) what a surface square to it gets.
    """

    sun: Array
    width_deg: float
    openings: Array
    irradiance: Floats


Standing = Sheet | Ball | Beam
Near = Standing | Shaft


def near_irradiance(light: Near, at: Array, normal: Array) -> Array:
    """What a light gives a small surface (3,) of a unit normal, (3,); nothing stands between.

    A sheet by Lambert's formula for polygons (Photometria 1760; Arvo 1995, DOI 10.1145/218380.218467, section 3), cut
    at the surface's horizon; a ball as its middle (exact as long as none of it is below the horizon).
    """
    if isinstance(light, Shaft):
        here = max(float(light.sun @ normal), 0.0) * bool(np.isfinite(let_in(light, at[None])[0]))
        return here * np.asarray(light.irradiance, float)
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


def let_in(shaft: Shaft, points: Array) -> Array:
    """How far from points (N, 3) the way to the sun's middle goes through an opening, (N,) [m]; infinite: nowhere."""
    found = np.full(len(points), np.inf)
    for corners in shaft.openings:
        edges = np.roll(corners, -1, axis=0) - corners
        square = np.cross(edges[0], -edges[3])
        slope = float(square @ shaft.sun)
        if abs(slope) < 1e-9:
            continue
        reach = (corners[0] - points) @ square / slope
        through = points + reach[:, None] * shaft.sun
        sides = np.stack([np.cross(edges[n], through - corners[n]) @ square for n in range(4)])
        inside: Mask = ((sides >= 0).all(0) | (sides <= 0).all(0)) & (reach > 0)
        found = np.where(inside, np.minimum(found, reach), found)
    return found


def ways_to(light: Near, points: Array) -> tuple[Array, Array]:
    """Unit vectors (N, 3) from points (N, 3) towards a light's middle, and how far it is, (N,): where it can't be
    seen from, infinitely.
    """
    if isinstance(light, Shaft):
        return np.broadcast_to(light.sun, points.shape), let_in(light, points)
    way = (light.corners.mean(0) if isinstance(light, Sheet) else light.middle) - points
    reach = np.linalg.norm(way, axis=1)
    return way / np.maximum(reach, 1e-9)[:, None], reach


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
