"""Where a thin thing ends, refined on the picture: a post's top.

Along the middle line of the stripe (`sharp.sharpened`), averaged over its core, the brightness steps from the thing's
to what lies beyond; the steepest place of that step is the end, to a fraction of a pixel by a parabola (Devernay 1995).
A step blurred by an even kernel is steepest where it was.
"""

from __future__ import annotations

from typing import Annotated

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array
from lithopos.core.camera.problem import Pixel
from lithopos.core.marks.sharp import Codes, SharpLine

STEP = 0.25  # between samples [px]
REACH, FLAT = 3.0, 6.0  # how far off the mark the end is sought, and what is looked at beyond on either side [px]
CORE = 0.25  # of the stripe's width, to either side of its middle line
SMOOTH = 0.9  # standard deviation along the line [px]
LEAST_CONTRAST, LEAST_SURE = 4.0 / 255, 4.0  # of the step: absolute, and beside what scatters
LEAST_SIGMA, MOST_SIGMA = 0.2, 0.6  # [px]

__all__ = ["SharpPoint", "sharp_end"]


class SharpPoint(BaseModel):
    """A refined point and how well it is known [px]."""

    model_config = ConfigDict(extra="forbid")

    at: Pixel
    sigma_px: Annotated[FiniteFloat, Field(gt=0, le=10)]


def sharp_end(picture: Codes, stripe: SharpLine, end: Pixel) -> SharpPoint | None:
    """Refine the end of a stripe on a picture (H, W, 3); None where the picture shows no step there.

    Parameters
    ----------
    stripe : as it was found; its last point lies next to `end`, which is as drawn.
    """
    first, last = np.array(stripe.points[0]), np.array(stripe.points[-1])
    way = (last - first) / max(float(np.linalg.norm(last - first)), 1e-9)
    start = first + ((np.array(end) - first) @ way) * way
    along = np.arange(-REACH - FLAT, REACH + FLAT + STEP / 2, STEP)
    seen = _along(picture, start, way, along, max(CORE * stripe.width_px, 0.5))
    if seen is None:
        return None
    inside, beyond = seen[along < -REACH], seen[along > REACH]
    rise = float(beyond.mean() - inside.mean())
    scatter = float(np.sqrt((inside.var() + beyond.var()) / 2))
    if abs(rise) < max(LEAST_CONTRAST, LEAST_SURE * scatter):
        return None
    smooth = cv2.GaussianBlur(seen[None], (0, 0), sigmaX=SMOOTH / STEP)[0]
    slope = np.gradient(smooth, STEP) * np.sign(rise)
    near = np.flatnonzero(np.abs(along) <= REACH)
    at = int(near[slope[near].argmax()])
    if at in (near[0], near[-1]):
        return None
    left, top, right = slope[at - 1 : at + 2]
    bow = left - 2 * top + right
    shift = 0.5 * (left - right) / bow if bow < 0 else 0.0
    # What scatters moves the steepest place by about its size over the slope.
    sigma = float(np.hypot(LEAST_SIGMA, scatter / max(float(top), 1e-6)))
    if sigma > MOST_SIGMA:
        return None
    x, y = start + (along[at] + float(np.clip(shift, -1, 1)) * STEP) * way
    return SharpPoint(at=(float(x), float(y)), sigma_px=float(np.hypot(sigma, stripe.sigma_px)))


def _along(picture: Codes, start: Array, way: Array, along: Array, half: float) -> Array | None:
    """Brightness, 0..1, along a line, the mean over a band of `half` to either side; None if it leaves the picture."""
    across = np.linspace(-half, half, max(3, 2 * round(half / 0.5) + 1))
    points = start + along[:, None, None] * way + across[None, :, None] * np.array([-way[1], way[0]])
    height, width = picture.shape[:2]
    x, y = points[..., 0] - 0.5, points[..., 1] - 0.5
    if x.min() < 0 or y.min() < 0 or x.max() > width - 1 or y.max() > height - 1:
        return None
    x0, y0 = int(x.min()), int(y.min())
    part = np.ascontiguousarray(picture[y0 : int(y.max()) + 2, x0 : int(x.max()) + 2])
    seen = cv2.remap(part, (x - x0).astype(np.float32), (y - y0).astype(np.float32), cv2.INTER_LINEAR)
    grey = seen @ (np.array([0.299, 0.587, 0.114], np.float32) / np.float32(np.iinfo(picture.dtype).max))
    return np.asarray(grey.mean(1), float)
