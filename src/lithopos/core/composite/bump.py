"""Ground that is not quite even: shadows' edges follow what the photograph shows of stones and joints.

A spot that lies h above the plane takes the shadow that falls on the plane where the sun's ray through the spot meets
it. How high spots lie is told by how bright they are beside what is about them: joints are dark, stones are not.
"""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import linear_of, luminance
from lithopos.core.exchange.picture import Codes
from lithopos.core.layers import Window

FINE, WIDE = 1 / 1500, 1 / 90  # of the picture's width: finer is noise, wider is tone
STEEPEST = 4.0  # the sun's ray runs along the ground at most so much farther than down
LEAST_SPREAD = 0.02  # natural logarithm: smoother ground has no stones

__all__ = ["bumped", "relief"]


def relief(codes: Codes, width: int) -> Floats:
    """How high each spot of a window (H, W, 3) lies by its brightness, about -1..1 (H, W).

    Parameters
    ----------
    width : of the whole picture [px].
    """
    bright = np.log(np.maximum(luminance(linear_of(codes)), 1e-3)).astype(np.float32)
    fine = cv2.GaussianBlur(bright, (0, 0), max(FINE * width, 0.6))
    wide = WIDE * width
    off = fine - cv2.GaussianBlur(bright, (0, 0), wide)
    spread = np.sqrt(cv2.GaussianBlur(off * off, (0, 0), 2 * wide))
    return np.asarray(np.clip(off / (2 * np.maximum(spread, LEAST_SPREAD)), -1, 1), np.float32)


def bumped(
    ratio: Floats, height_m: Floats, bare: Mask, window: Window, camera: Pinhole, sun: Array, base_m: float
) -> Floats:
    """What ground keeps of its light (H, W, 3), each spot's taken from where its shadow comes from.

    Parameters
    ----------
    height_m : (H, W) of each spot above the plane.
    bare : (H, W) where nothing but ground is seen.
    camera : for the whole picture; `sun` is the unit vector to it (3,), `base_m` the plane's height [m].
    """
    y, x = np.nonzero(bare)
    pixels = np.column_stack([x + window.x0, y + window.y0]) + 0.5
    places = camera.ground_points(pixels, base_m)
    along = sun[:2] / max(float(sun[2]), 1e-6)
    along *= min(1.0, STEEPEST / max(float(np.linalg.norm(along)), 1e-9))
    fallen = places - np.column_stack([height_m[y, x, None] * along, np.zeros(len(places))])
    to = camera.project(fallen) - [window.x0, window.y0] - 0.5
    good = np.isfinite(to).all(1)
    y, x, to = y[good], x[good], to[good]
    rows, columns = np.mgrid[: bare.shape[0], : bare.shape[1]].astype(np.float32)
    columns[y, x], rows[y, x] = to.T
    taken = cv2.remap(ratio, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    free = cv2.remap(bare.astype(np.float32), columns, rows, cv2.INTER_LINEAR)
    # Beside things a spot keeps its own.
    return np.where((bare & (free > 0.99))[..., None], taken, ratio)
