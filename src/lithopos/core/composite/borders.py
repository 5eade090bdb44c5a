"""Where a shadow that lies in the photograph already ends: there the photograph decides, not the prediction.

What stands there throws its shadow in the photograph; where that is predicted to end is off by as much as the marks
are. Between both borders the models' effect would be that on a lit place though it is shaded, or the other way round:
a dark sliver, or a bright one. So in a strip about a predicted border each pixel is told lit or shaded from the
photograph, by the levels beside the strip, and where it is not what was predicted the effect is carried on from where
it is.

With a share c of the sun at a pixel, light A from elsewhere and D from the unhidden sun, the place keeps
(A' + c D') / (A + c D). Its ends, at c = 0 and 1, are the ratios on both sides; between, they are weighed by the light
that each stands for: that at 1 with c (A + D) / (A + c D).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats, Mask
from lithopos.core.colour import luminance
from lithopos.core.composite.parts import extent, rise

STRIP = 1 / 128  # of the picture's width: so far off is a border looked for on each side
LIT, SHADED = 0.99, 0.01  # shares of the sun from which a place is taken for one or the other
LEAST_CONTRAST = 0.25  # of both sides, in logarithm
TOLD = (2.0, 4.0)  # contrast over the spread of each side: below nothing is told, above it counts whole
APART = (0.05, 0.25)  # shares of the sun by which photograph and prediction are not at one
SOFT = (0.3, 0.7)  # what is between the levels is a border's own softness, or texture
LEAST_LIGHT = 1e-4
LEAST_MOVED = 1e-3  # a smaller difference of ratios is none

__all__ = ["Sunlit", "by_the_photograph", "strip_px"]


@dataclass(frozen=True)
class Sunlit:
    """What is predicted of the empty place, at pixels' middles.

    Attributes
    ----------
    share : (H, W) of the sun that is seen there; NaN where that is not known, or the surface is turned away from it.
    surface : (H, W) numbers of what is seen.
    """

    share: Floats
    surface: NDArray[np.int32]


def strip_px(width: int) -> int:
    """How far a predicted border may be off, in a picture `width` wide [px]."""
    return max(2, round(STRIP * width))


def by_the_photograph(ratio: Floats, sunlit: Sunlit, known: Mask, base: Floats, width: int) -> Floats:
    """What receivers keep of their light, put right about the borders of shadows that are in the photograph.

    Parameters
    ----------
    ratio : (H, W, 3) as predicted.
    known : (H, W) where no model is: elsewhere the ratio is carried on already.
    base : (H, W, 3) linear values of the photograph.
    width : of the whole picture [px].
    """
    strip = strip_px(width)
    told = np.isfinite(sunlit.share) & (sunlit.surface > 0)
    half = told & (sunlit.share >= 0.5)
    result = ratio
    for number in np.unique(sunlit.surface[_beside(half, told & ~half)]):
        here = told & (sunlit.surface == number)
        border = _beside(here & half, here & ~half)
        if not border.any():
            continue
        part = extent(border, 4 * strip)
        moved = _moved(ratio[part], sunlit.share[part], here[part], known[part], border[part], base[part], strip)
        if moved is None:
            continue
        if result is ratio:
            result = ratio.copy()
        changed = here[part] & (np.abs(moved - ratio[part]).max(-1) > LEAST_MOVED)
        result[part][changed] = moved[changed]
    return result


def _moved(
    ratio: Floats, share: Floats, here: Mask, known: Mask, border: Mask, base: Floats, strip: int
) -> Floats | None:
    """The ratio of one surface's part; None where the photograph tells nothing."""
    share = np.where(here, share, 0).astype(np.float32)
    lit, shaded = here & (share > LIT), here & (share < SHADED)
    about = cv2.dilate(border.astype(np.uint8), _round(strip)) > 0
    light = np.log(np.maximum(luminance(base), LEAST_LIGHT)).astype(np.float32)
    bright, rough, from_lit = _level(light, lit & ~about, strip)
    dark, rough_too, from_shaded = _level(light, shaded & ~about, strip)
    contrast = bright - dark
    rough = np.maximum(np.maximum(rough, rough_too), np.float32(1e-3))
    trust = rise(np.asarray(contrast / rough, np.float32), *TOLD)
    trust = trust * (contrast > LEAST_CONTRAST) * (from_lit & from_shaded) * _soft(about & here, strip)
    if not trust.any():
        return None
    # Of the light itself: a pixel across a border has some of both.
    raw = np.clip(np.expm1(light - dark) / np.maximum(np.expm1(contrast), 1e-3), 0, 1)
    seen = rise(_mean(raw, here, strip / 4), *SOFT)
    apart = np.abs(seen - share)
    agreed = ~about | (apart < APART[1])
    ends = [_nearest(ratio, side & agreed & known) for side in (shaded, lit)]
    weight = (seen / (seen + (1 - seen) * np.exp(-contrast)))[..., None]
    amount = (trust * rise(apart, *APART))[..., None]
    return np.asarray(ratio + (ends[0] * (1 - weight) + ends[1] * weight - ratio) * amount, np.float32)


def _nearest(values: Floats, known: Mask) -> Floats:
    """Values of the nearest known pixel: a shadow that ends there goes on as sharply."""
    if not known.any():
        return np.ones_like(values)
    _, label = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    place = np.zeros(int(label.max()) + 1, np.int64)
    place[label[known]] = np.flatnonzero(known)
    return np.asarray(values.reshape(-1, 3)[place[label]])


def _level(light: Floats, side: Mask, strip: int) -> tuple[Floats, Floats, Mask]:
    """A side's level about each pixel, its spread, and where enough of it is near to tell."""
    share = _blurred(side.astype(np.float32), strip)
    mean = _mean(light, side, strip)
    spread = np.sqrt(np.maximum(_mean(light**2, side, strip) - mean**2, 0))
    return mean, spread, share > 0.02


def _mean(values: Floats, where: Mask, sigma: float) -> Floats:
    """Means about each pixel over those of a mask."""
    weights = where.astype(np.float32)
    return np.asarray(_blurred(values * weights, sigma) / np.maximum(_blurred(weights, sigma), 1e-6), np.float32)


def _blurred(values: Floats, sigma: float) -> Floats:
    """Gaussian, cut at two sigma, so that it reaches no farther than tiles overlap."""
    size = 2 * max(1, round(2 * sigma)) + 1
    return np.asarray(cv2.GaussianBlur(values, (size, size), max(sigma, 0.3), borderType=cv2.BORDER_REPLICATE))


def _soft(about: Mask, strip: int) -> Floats:
    """1 within a strip, falling off to its rims."""
    inside = cv2.distanceTransform(about.astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray(np.clip(inside / max(strip / 3, 1), 0, 1), np.float32)


def _beside(one: Mask, other: Mask) -> Mask:
    """Where both touch."""
    three = np.ones((3, 3), np.uint8)
    grown = [cv2.dilate(part.astype(np.uint8), three) > 0 for part in (one, other)]
    return np.asarray(grown[0] & grown[1] & (one | other))


def _round(radius: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)), np.uint8)
