"""What gleaming ground mirrors of a panorama towards the camera: light that says nothing of the ground's own."""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.dome import Dome, dome_above

COARSE = 120  # places across the picture
INDEX = 1.5

__all__ = ["DIELECTRIC", "fresnel", "mirrored", "mirroring"]


def fresnel(cosine: float, index: float = INDEX) -> float:
    """What a smooth dielectric mirrors of unpolarised light, 0..1."""
    inner = np.sqrt(1 - (1 - cosine**2) / index**2)
    across = ((cosine - index * inner) / (cosine + index * inner)) ** 2
    along = ((index * cosine - inner) / (index * cosine + inner)) ** 2
    return float((across + along) / 2)


DIELECTRIC = fresnel(1.0)  # what it mirrors at right angles


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
    rows = max(2, round(COARSE * camera.height / camera.width))
    x, y = np.meshgrid(
        (np.arange(COARSE) + 0.5) / COARSE * camera.width, (np.arange(rows) + 0.5) / rows * camera.height
    )
    ways = camera.rays(np.column_stack([x.ravel(), y.ravel()]))
    light = dome_above(dome, ways * [1, 1, -1])
    if light is None:
        return None
    down = np.maximum(-ways[:, 2], 0)
    share = np.where(down > 0, mirroring(down, coat, roughness), 0)
    coarse = (share[:, None] * np.maximum(light, 0)).reshape(rows, COARSE, 3).astype(np.float32)
    return np.asarray(cv2.resize(coarse, (camera.width, camera.height), interpolation=cv2.INTER_LINEAR), np.float32)
