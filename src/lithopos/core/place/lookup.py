"""Looking places up in the photograph: how finely it shows them, and what it shows."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole

MOST_TEXELS = 1024
LEAST_TEXELS = 16
MOST_BESIDE = 192  # of what only other photographs show, which is seen in mirrors and as light alone

__all__ = ["LEAST_TEXELS", "MOST_BESIDE", "MOST_TEXELS", "looked_up", "texels_beside", "texels_of"]


def texels_of(camera: Pinhole, points: Array, wide: Array, tall: Array) -> tuple[int, int] | None:
    """How many columns and rows show a flat field as finely as the picture does; None if it shows none of it.

    Parameters
    ----------
    points : (N, 3) spread over the field [m].
    wide, tall : (3,) its two sides [m].
    """
    pixels = camera.project(points)
    seen = np.isfinite(pixels).all(1) & (pixels > 0).all(1) & (pixels < [camera.width, camera.height]).all(1)
    if not seen.any():
        return None
    step = 1e-3 * max(float(np.linalg.norm(wide)), float(np.linalg.norm(tall)))
    sizes = []
    for side in (wide, tall):
        length = max(float(np.linalg.norm(side)), 1e-9)
        moved = camera.project(points[seen] + step * side / length)
        density = np.nanmax(np.linalg.norm(moved - pixels[seen], axis=1), initial=0) / step
        sizes.append(max(int(density * length), LEAST_TEXELS))
    return sizes[0], sizes[1]


def texels_beside(cameras: Sequence[Pinhole], points: Array, wide: Array, tall: Array) -> tuple[int, int] | None:
    """The same for other photographs of the place: of the first that shows the field, `MOST_BESIDE` at most."""
    found = (texels_of(camera, points, wide, tall) for camera in cameras)
    sizes = next((sizes for sizes in found if sizes), None)
    return (min(sizes[0], MOST_BESIDE), min(sizes[1], MOST_BESIDE)) if sizes else None


def looked_up(linear: Floats, camera: Pinhole, points: Array) -> tuple[Floats, Mask]:
    """What the photograph shows at places (rows, columns, 3), through the camera and its lens; and where it does.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values.
    """
    rows, columns = points.shape[:2]
    pixels = camera.project(points.reshape(-1, 3)).reshape(rows, columns, 2)
    # What lies behind the camera has no pixel (NaN): it is looked up outside the picture.
    places = np.nan_to_num(pixels - 0.5, nan=-9).astype(np.float32)
    seen = cv2.remap(
        linear,
        np.ascontiguousarray(places[..., 0]),
        np.ascontiguousarray(places[..., 1]),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=(-1, -1, -1),
    )
    height, width = linear.shape[:2]
    x, y = places[..., 0], places[..., 1]
    return np.asarray(seen, np.float32), np.asarray((x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1))
