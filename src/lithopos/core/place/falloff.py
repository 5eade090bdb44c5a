"""How a lens dims the picture towards its corners: `1 − c r²`, r from the middle in half diagonals.

That is the first term of the even polynomial by which it is usually told (Goldman 2010, Vignette and exposure
calibration and compensation, DOI 10.1109/TPAMI.2010.55, section 3); c is what is lost in a corner.
"""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.layers import Window

__all__ = ["from_middle", "light_at", "light_map"]


def from_middle(pixels: Array, camera: Pinhole) -> Array:
    """The squares of pixels' (N, 2) distances from the picture's middle, in half diagonals, (N,)."""
    middle = np.array([camera.width, camera.height]) / 2
    return np.asarray((((pixels - middle) / np.linalg.norm(middle)) ** 2).sum(-1))


def light_at(pixels: Array, camera: Pinhole, corner: float) -> Array:
    """What is left of the light at pixels (N, 2) where a share `corner` of it is lost in a corner, (N,)."""
    return np.asarray(1 - corner * from_middle(pixels, camera))


def light_map(camera: Pinhole, corner: float, window: Window | None = None) -> Floats:
    """The same of every pixel of a window of a camera's picture, by default of all of it, (H, W, 1)."""
    window = window or Window(0, 0, camera.width, camera.height)
    columns, rows = np.meshgrid(np.arange(window.x0, window.x1) + 0.5, np.arange(window.y0, window.y1) + 0.5)
    left = light_at(np.stack([columns, rows], -1).reshape(-1, 2), camera, corner)
    return np.asarray(left.reshape(window.height, window.width, 1), np.float32)
