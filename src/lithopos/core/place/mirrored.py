"""What gleaming ground mirrors towards the camera: light that says nothing of the ground's own.

Of a panorama, or of what the photograph shows, and is taken to go on with, round about.
"""

from __future__ import annotations

from typing import Protocol

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.dome import Dome, dome_above

COARSE = 120  # places across the picture
INDEX = 1.5
FACETS = 32  # tilted ones that stand for rough ground
LEAST_SLOPE = 1e-3
LEAST_LEFT = 0.15  # of what ground shows, that it keeps for its own: what it mirrors is told too coarsely for more

__all__ = [
    "DIELECTRIC",
    "About",
    "fresnel",
    "mirrored",
    "mirrored_about",
    "mirrored_at",
    "mirroring",
    "without_mirrored",
]


def fresnel(cosine: Array | float, index: float = INDEX) -> Array:
    """What a smooth dielectric mirrors of unpolarised light, 0..1, by the cosine of its way to the normal."""
    cosine = np.asarray(cosine, float)
    inner = np.sqrt(1 - (1 - cosine**2) / index**2)
    across = ((cosine - index * inner) / (cosine + index * inner)) ** 2
    along = ((index * cosine - inner) / (index * cosine + inner)) ** 2
    return np.asarray((across + along) / 2)


DIELECTRIC = float(fresnel(1.0))  # what it mirrors at right angles


def mirroring(cosine: Array, coat: float, roughness: float) -> Array:
    """Which share of light a coat mirrors by the cosine of its way to the normal.

    Schlick 1994 (An inexpensive BRDF model), equation 15; rough ones reach less at grazing angles.
    """
    grazing = max(1 - roughness, DIELECTRIC)
    return np.asarray(coat * (DIELECTRIC + (grazing - DIELECTRIC) * (1 - np.clip(cosine, 0, 1)) ** 5))


def mirrored(dome: Dome, camera: Pinhole, coat: float, roughness: float) -> Floats | None:
    """The radiance that level ground mirrors towards each pixel, (H, W, 3), in the panorama's measure.

    None where the panorama's light was not told by direction.
    """
    ways = _coarse_ways(camera)
    light = dome_above(dome, ways * [1, 1, -1])
    if light is None:
        return None
    down = np.maximum(-ways[:, 2], 0)
    share = np.where(down > 0, mirroring(down, coat, roughness), 0)
    return _whole(share[:, None] * np.maximum(light, 0), camera)


class About(Protocol):
    """What is seen round about, in the photograph's linear values; see `round_about`."""

    def seen(self, places: Array, ways: Array) -> Array:
        """What places (N, 3) see in unit vectors (N, 3) of all but small lamps, (N, 3)."""
        ...

    def lamps(self, places: Array) -> list[tuple[Array, Array]]:
        """Of each small lamp the unit vectors to it (N, 3), and what white facing it shows of it, (N, 3)."""
        ...


def mirrored_about(camera: Pinhole, height_m: float, coat: float, roughness: float, about: About) -> Floats:
    """The linear values that a level plane mirrors of what lies about it towards each pixel, (H, W, 3)."""
    ways = _coarse_ways(camera)
    reach = (height_m - camera.position[2]) / np.minimum(ways[:, 2], -1e-9)
    there = (ways[:, 2] < -LEAST_SLOPE) & (reach > 0)
    total = np.zeros((len(ways), 3))
    total[there] = mirrored_at(camera.position + reach[there, None] * ways[there], ways[there], coat, roughness, about)
    return _whole(total, camera)


def mirrored_at(places: Array, ways: Array, coat: float, roughness: float, about: About) -> Array:
    """What level ground mirrors at places (N, 3) that are looked at in unit vectors (N, 3): linear values (N, 3).

    Rough ground by facets that are seen. Source: Heitz 2018, Sampling the GGX Distribution of Visible Normals, JCGT 7
    (4), listing 1; what facets shade of one another by Smith's function, as there. Lamps are smaller than what a
    facet's neighbours mirror: theirs by the microfacet formula (Walter et al. 2007, equation 20).
    """
    alpha = max(roughness**2, 1e-3)
    total = np.zeros(places.shape)
    for facet in _facets(-ways, alpha):
        cosine = -(ways * facet).sum(1)
        off = ways + 2 * cosine[:, None] * facet
        up = off[:, 2] > LEAST_SLOPE
        share = coat * fresnel(cosine) * _seen_past(off[:, 2], alpha) / FACETS
        total[up] += share[up, None] * about.seen(places[up], off[up])
    for to_lamp, white in about.lamps(places):
        facet = to_lamp - ways
        facet /= np.maximum(np.linalg.norm(facet, axis=1, keepdims=True), 1e-9)
        spread = alpha**2 / (np.pi * (facet[:, 2] ** 2 * (alpha**2 - 1) + 1) ** 2)
        past = _seen_past(to_lamp[:, 2], alpha) * _seen_past(-ways[:, 2], alpha)
        share = coat * fresnel(-(ways * facet).sum(1)) * spread * past / (4 * np.maximum(-ways[:, 2], LEAST_SLOPE))
        total += np.where(to_lamp[:, 2] > 0, share, 0)[:, None] * np.pi * white
    return total


def without_mirrored(linear: Array | Floats, besides: Array | Floats) -> Floats:
    """Linear values (..., 3) of ground without what it mirrors, (..., 3)."""
    return np.asarray(np.maximum(linear - besides, LEAST_LEFT * linear), np.float32)


def _coarse_ways(camera: Pinhole) -> Array:
    """Unit vectors (N, 3) through places of a coarse grid all over the picture."""
    rows = max(2, round(COARSE * camera.height / camera.width))
    x, y = np.meshgrid(
        (np.arange(COARSE) + 0.5) / COARSE * camera.width, (np.arange(rows) + 0.5) / rows * camera.height
    )
    return camera.rays(np.column_stack([x.ravel(), y.ravel()]))


def _whole(values: Array, camera: Pinhole) -> Floats:
    """What was told at those places (N, 3), for each pixel (H, W, 3)."""
    coarse = values.reshape(-1, COARSE, 3).astype(np.float32)
    return np.asarray(cv2.resize(coarse, (camera.width, camera.height), interpolation=cv2.INTER_LINEAR), np.float32)


def _facets(ways: Array, alpha: float) -> Array:
    """Normals of facets of a rough level surface that are seen from unit vectors (N, 3), (FACETS, N, 3)."""
    bent = ways * [alpha, alpha, 1]
    bent /= np.linalg.norm(bent, axis=1, keepdims=True)
    level = np.hypot(bent[:, 0], bent[:, 1])
    across = np.column_stack([-bent[:, 1], bent[:, 0], np.zeros(len(ways))]) / np.maximum(level, 1e-9)[:, None]
    across[level < 1e-9] = [1, 0, 0]
    along = np.cross(bent, across)
    number = np.arange(FACETS)
    radius, angle = np.sqrt((number + 0.5) / FACETS), number * np.pi * (3 - np.sqrt(5))  # a sunflower's seeds
    found = []
    for a, b in zip(radius * np.cos(angle), radius * np.sin(angle), strict=True):
        raised = (1 + bent[:, 2]) / 2
        b = (1 - raised) * np.sqrt(1 - a * a) + raised * b
        c = np.sqrt(np.maximum(1 - a * a - b * b, 0))
        normal = (a * across + b[:, None] * along + c[:, None] * bent) * [alpha, alpha, 1]
        found.append(normal / np.linalg.norm(normal, axis=1, keepdims=True))
    return np.array(found)


def _seen_past(up: Array, alpha: float) -> Array:
    """How much of facets is seen past others by the cosine to the surface's normal: Smith's G1."""
    square = np.maximum(up, 1e-4) ** 2
    return np.asarray(2 / (1 + np.sqrt(1 + alpha**2 * (1 - square) / square)))
