"""A shadow's soft edge, fitted as such: where its middle lies, how it runs, how wide it is.

Behind a straight edge a round, even sun grows out by `1/2 + (u √(1 − u²) + arcsin u) / π`, u from -1 to 1 across the
penumbra: the share of a disc beside a chord. That, blurred as a sharp photograph is, is fitted by least squares to the
linear values in a band along the stroke that was drawn across the edge.
"""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import linear_of, luminance
from lithopos.core.marks.sharp import Codes

BAND_PX = 9.0  # to either side of the stroke
SHORTEST = 4.0  # a stroke [px]
LEAST_PIXELS = 5  # in the light, and in the shade
BLUR_PX = 0.75  # standard deviation of a sharp photograph's own edge, and what is not known of it
BLUR_UNKNOWN_PX = 0.25
TOGETHER = 4.0  # neighbouring pixels err together: as many count as one
LEAST_STEP = 4.0  # between light and shade, in deviations of what is left over
_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(9)

__all__ = ["SoftEdge", "grown_light", "soft_edge"]


class SoftEdge(BaseModel):
    """A shadow's edge: a point of its middle, its unit normal towards the light, its whole width and ± [px]."""

    model_config = ConfigDict(extra="forbid")

    middle: Pixel
    normal: Pixel
    width_px: Annotated[FiniteFloat, Field(gt=0, le=10000)]
    sigma_px: Annotated[FiniteFloat, Field(gt=0, le=10000)]


def grown_light(u: Array) -> Array:
    """The share of an even disc that is seen past a chord at u, -1..1 in radii."""
    inside = np.clip(u, -1, 1)
    return np.asarray(0.5 + (inside * np.sqrt(1 - inside**2) + np.arcsin(inside)) / np.pi)


def soft_edge(picture: Codes, start: Pixel, end: Pixel) -> SoftEdge | None:
    """Fit the shadow's edge that a stroke crosses on a picture (H, W, 3); None where there is none.

    The stroke begins in the light and ends in the shade, or the other way, well beyond the soft part.
    """
    from scipy.optimize import least_squares  # here: whoever only reads a document need not wait for it

    p, q = np.array(start, float), np.array(end, float)
    length = float(np.linalg.norm(q - p))
    if length < SHORTEST:
        return None
    places, values = _band(picture, p, q)
    middle, way = (p + q) / 2, (q - p) / length
    along = (places - middle) @ way
    before, after = values[along < -length / 4], values[along > length / 4]
    if min(len(before), len(after)) < LEAST_PIXELS:
        return None  # it leads out of the picture
    low, high = float(np.median(before)), float(np.median(after))
    scale = max(abs(high - low), 1e-6)
    angle = float(np.arctan2(way[1], way[0]))

    def model(x: Array) -> Array:
        turn, shift, log_radius, dark, bright = x
        across = (places - middle) @ [np.cos(angle + turn), np.sin(angle + turn)] - shift
        radius = np.exp(log_radius)
        grown = sum(
            weight * grown_light((across + BLUR_PX * node) / radius)
            for node, weight in zip(_NODES, _WEIGHTS / _WEIGHTS.sum(), strict=True)
        )
        return np.asarray(dark + (bright - dark) * grown)

    bounds = ([-1.2, -length / 2, np.log(0.05), -1, -1], [1.2, length / 2, np.log(length), 2, 2])

    def off(x: Array) -> Array:
        return (model(x) - values) / scale

    starts = [np.array([0.0, 0.0, np.log(length * share), low, high]) for share in (0.08, 0.3)]
    fits = [least_squares(off, start, bounds=bounds, loss="soft_l1", f_scale=0.1) for start in starts]
    best = min(fits, key=lambda fit: float(fit.cost))
    turn, shift, log_radius, dark, bright = best.x
    left = model(best.x) - values
    scatter = 1.4826 * float(np.median(np.abs(left)))
    if abs(bright - dark) < LEAST_STEP * max(scatter, 1e-4) or abs(shift) > 0.45 * length:
        return None
    radius = float(np.exp(log_radius))
    slope = np.asarray(best.jac, float) * scale
    information = slope.T @ slope / max(scatter, 1e-4) ** 2 / TOGETHER
    variance = np.linalg.pinv(information)[2, 2] * radius**2
    blurred = 4 * BLUR_PX * BLUR_UNKNOWN_PX / max(radius, 0.5)
    sign = 1.0 if bright > dark else -1.0
    normal = sign * np.array([np.cos(angle + turn), np.sin(angle + turn)])
    at = middle + sign * normal * shift
    return SoftEdge(
        middle=(float(at[0]), float(at[1])),
        normal=(float(normal[0]), float(normal[1])),
        width_px=2 * radius,
        sigma_px=2 * float(np.sqrt(variance + blurred**2)),
    )


def _band(picture: Codes, p: Array, q: Array) -> tuple[Array, Array]:
    """The pixels' centres (N, 2) in a band along a stroke, and their linear luminance (N,)."""
    height, width = picture.shape[:2]
    length = float(np.linalg.norm(q - p))
    way = (q - p) / length
    band = min(BAND_PX, max(length / 2, 2.0))
    x0, y0 = np.maximum(np.floor(np.minimum(p, q) - band).astype(int), 0)
    x1, y1 = np.minimum(np.ceil(np.maximum(p, q) + band).astype(int), [width, height])
    if x1 <= x0 or y1 <= y0:
        return np.zeros((0, 2)), np.zeros(0)
    columns, rows = np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5)
    off = np.stack([columns, rows], axis=-1) - (p + q) / 2
    inside = (np.abs(off @ way) <= length / 2) & (np.abs(off @ [-way[1], way[0]]) <= band)
    codes = picture[y0:y1, x0:x1][inside]
    values = luminance(linear_of(codes))
    return np.stack([columns, rows], axis=-1)[inside], np.asarray(values, float)
