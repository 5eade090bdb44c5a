"""What a gleaming ground mirrors, told from the photograph itself, so that its body's own brightness is left."""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.place.receiver import Sheen

GLEAMS = 0.5  # a roughness from which on a ground's usual reflectance has its mirror in it
LEFT = 0.3  # of a pixel's light at least: what is mirrored is only about known
BLUR = 0.6  # of the picture's focal length, for a roughness of 1: how widely it is mirrored
FAR_M = 1e4

__all__ = ["without_gleam"]


def without_gleam(linear: Floats, camera: Pinhole, pixels: Array, sheen: Sheen) -> Floats:
    """How much of their light pixels of a level ground owe to its body, (N, 3) of 1.

    What is mirrored there is taken to be as far away as the sky: the photograph shows it above the horizon, mirrored
    at it; beyond its borders, as at them. How strongly, by an approximation of the rough dielectric's albedo (Karis
    2014, "Physically Based Shading on Mobile").

    Parameters
    ----------
    linear : (H, W, 3) the photograph.
    pixels : (N, 2) columns and rows.
    """
    column, row = pixels.T
    if sheen.coat <= 0 or sheen.roughness >= GLEAMS:
        return np.ones((len(pixels), 3), np.float32)
    ways = camera.rays(pixels + 0.5)
    seen = camera.project(camera.position + FAR_M * ways * [1, 1, -1])
    height, width = linear.shape[:2]
    sigma = max(BLUR * sheen.roughness**2 * camera.focal_px, 1.0)
    blurred = cv2.GaussianBlur(linear, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    x, y = np.nan_to_num(seen.T, nan=0.0)
    x, y = np.clip(x, 0, width - 1).astype(int), np.clip(y, 0, height - 1).astype(int)
    mirrored = blurred[y, x] * _mirror(np.abs(ways[:, 2]), sheen)[:, None]
    mirrored = np.where(np.isfinite(seen[:, :1]), mirrored, 0)
    own = linear[row, column]
    return np.asarray(np.clip(1 - mirrored / np.maximum(own, 1e-5), LEFT, 1), np.float32)


def _mirror(cosine: Array, sheen: Sheen) -> Array:
    """The coat's directional albedo (N,), whole at a coat of 1."""
    x, y, z, w = sheen.roughness * np.array([-1, -0.0275, -0.572, 0.022]) + [1, 0.0425, 1.04, -0.04]
    bend = np.minimum(x * x, 2 ** (-9.28 * cosine)) * x + y
    return np.asarray(sheen.coat * (0.04 * (z - 1.04 * bend) + (w + 1.04 * bend)))
