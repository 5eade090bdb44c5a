"""How blurred a mirror image on level ground is, beside the thing that it shows: the roughness of what mirrors.

A facet that is tilted by a small slope across the plane of incidence turns the mirrored ray by 2 sin e of that, e
being how steeply the ground is seen; of a thing at the way D beyond the mirror, seen from the way d before it, that
shifts the image by D / (d + D) of it. Slopes of the GGX distribution (Walter et al. 2007, section 5.2) along any one
direction have the density a² / (2 (a² + s²)^(3/2)), a being the roughness squared. So the profile across an upright
edge's image is that across the edge itself, folded with that: its width is fitted by least squares. Level edges are
smeared along the plane of incidence, unevenly, since what is mirrored changes with the angle there: they are not read.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.exchange.picture import Picture

STEP_PX = 0.5  # of profiles
REACH, TAIL = 1.5, 4.0  # of the line between both clicks: what is fitted, and how far what surrounds it is carried on
LEAST_PX, LONGEST_PX = 6.0, 400.0  # between two clicks
LEVEL = 0.94  # of a line's length goes sideways: it crosses an upright edge
LEAST_BEYOND = 0.05  # of the whole way: things that stand on the mirror are hardly blurred
LEAST_STEP = 4.0  # of the image's edge, in deviations of what is left over
TOGETHER = 4.0  # neighbouring pixels err together: as many count as one
SHARPEST_PX = 0.3  # narrower than that nothing can be told

__all__ = ["Blurred", "blurred"]


@dataclass(frozen=True)
class Blurred:
    """The roughness of what mirrors, as the renderer's surface has it, and its deviation."""

    roughness: float
    sigma: float


def blurred(
    photograph: Picture, camera: Pinhole, thing: Array, behind: Array, image: Array, beside: Array
) -> Blurred | None:
    """Compare the edge between two pixels (2,) of a thing and its surroundings with that of its mirror image.

    Parameters
    ----------
    camera : for the photograph's size; the ground is at the height 0.

    Returns
    -------
    None where both do not cross the same edge, or it can't be told.
    """
    way = _ways(camera, thing, image)
    across, along = image - beside, thing - behind
    length, other = float(np.linalg.norm(across)), float(np.linalg.norm(along))
    if way is None or min(length, other) < LEAST_PX or length > LONGEST_PX:
        return None
    u, v = across / length, along / np.linalg.norm(along)
    if min(abs(u[0]), abs(v[0])) < LEVEL or u[0] * v[0] < 0:
        return None
    reach = REACH * length
    s = np.arange(-reach, reach + STEP_PX / 2, STEP_PX)
    wide = np.arange(-TAIL * length, TAIL * length + STEP_PX / 2, STEP_PX)
    values = luminance(decode_srgb(photograph.encoded)).astype(np.float32)
    shown = _profile(values, (image + beside) / 2, u, s)
    own = _profile(values, (thing + behind) / 2, v, wide * way.scale)
    if shown is None or own is None:
        return None
    # What lies about is alike on each side, as far as it is not looked at.
    far = np.abs(wide) > reach
    own[far] = np.interp(np.sign(wide[far]) * reach, wide, own)
    found = _fitted(s, shown, wide, own, length)
    if found is None:
        return None
    log_width, sigma = found
    roughness = float(np.sqrt(np.exp(log_width) / (2 * way.beyond * way.px_a_radian * way.rise)))
    # So narrow a blur can't be told from none.
    least = roughness / 2 if log_width < np.log(2 * SHARPEST_PX) else 0.0
    return Blurred(min(roughness, 1.0), max(roughness * sigma / 2, least))


@dataclass(frozen=True)
class _Ways:
    """What share of the whole way lies beyond the mirror, how steeply that is seen (a sine), how many pixels of the
    thing are one of its image, and pixels a radian there."""

    beyond: float
    rise: float
    scale: float
    px_a_radian: float


def _ways(camera: Pinhole, thing: Array, image: Array) -> _Ways | None:
    """How far a thing is: the camera is as high above the mirror as its own image is below."""
    up, down = camera.rays(np.stack([thing, image]))
    height = float(camera.position[2])
    if height <= 0 or down[2] >= 0:
        return None
    together = up[2] / np.hypot(*up[:2]) + down[2] / np.hypot(*down[:2])
    away = -2 * height / together if together < -1e-6 else np.inf
    beyond = 1 + height / down[2] * float(np.hypot(*down[:2])) / away
    forward = camera.rotation[2]
    # The same level distance, but not the same depth: which is what sizes in the picture go by.
    scale = float((down @ forward) / np.hypot(*down[:2]) / ((up @ forward) / np.hypot(*up[:2])))
    near = camera.rays(np.stack([image, image + [1.0, 0]]))
    px_a_radian = 1 / float(np.arccos(np.clip(near[0] @ near[1], -1, 1)))
    return _Ways(beyond, float(-down[2]), scale, px_a_radian) if beyond > LEAST_BEYOND else None


def _profile(values: Floats, middle: Array, way: Array, s: Array) -> Array | None:
    """Values (H, W) along a line, evened across a band of it; None where it leads out of the picture."""
    height, width = values.shape
    aside = np.array([-way[1], way[0]])
    places = middle + s[:, None, None] * way + np.arange(-2, 3)[None, :, None] * aside - 0.5
    held = np.clip(places, 0, [width - 1, height - 1])
    if (np.abs(held - places).max(-1)[np.abs(s) < np.abs(s).max() / TAIL] > 0).any():
        return None
    x, y = held[..., 0].astype(np.float32), held[..., 1].astype(np.float32)
    return np.asarray(cv2.remap(values, x, y, cv2.INTER_LINEAR).mean(1), float)


def _fitted(s: Array, shown: Array, wide: Array, own: Array, length: float) -> tuple[float, float] | None:
    """The logarithm of an image's width [px], and its deviation."""
    from scipy.optimize import least_squares  # here: whoever only reads a document need not wait for it
    from scipy.signal import fftconvolve

    step = float(np.ptp(own))
    if step <= 0:
        return None

    def spread(log_width: float) -> Array:
        square = np.exp(2 * log_width)
        edges = np.append(wide - STEP_PX / 2, wide[-1] + STEP_PX / 2)
        # The share between a cell's two borders: the density may be narrower than the cell.
        kernel = np.diff(0.5 * edges / np.sqrt(square + edges**2))
        padded = np.pad(own, len(own), mode="edge")
        return np.asarray(fftconvolve(padded, kernel, "same")[len(own) : -len(own)] / kernel.sum())

    def model(x: Array) -> Array:
        log_width, shift, dark, strength = x
        return np.asarray(dark + strength * np.interp(s + shift, wide, spread(log_width)))

    bounds = ([np.log(SHARPEST_PX), -length / 2, -1, 0], [np.log(2 * length), length / 2, 2, 2])
    low = float(shown.min())
    starts = [np.array([np.log(length * share), 0.0, low, max(np.ptp(shown) / step, 1e-4)]) for share in (0.03, 0.2)]

    def off(x: Array) -> Array:
        return (model(x) - shown) / step

    fits = [least_squares(off, start, bounds=bounds, x_scale=[0.3, 1, 0.01, 0.01]) for start in starts]
    best = min(fits, key=lambda fit: float(fit.cost))
    log_width, _, _, strength = best.x
    scatter = 1.4826 * float(np.median(np.abs(best.fun))) + 1e-5
    if strength < LEAST_STEP * scatter or log_width > np.log(1.5 * length):
        return None
    slope = np.asarray(best.jac, float)
    covariance = np.linalg.pinv(slope.T @ slope / scatter**2 / (TOGETHER / STEP_PX))
    return float(log_width), float(np.sqrt(max(covariance[0, 0], 0)))
