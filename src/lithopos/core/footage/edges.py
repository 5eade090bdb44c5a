"""How much of each pixel they fill at somebody's edges.

A pixel C shows α F + (1 − α) B with B, the place, known and F carried from where somebody surely is: α is told along
F − B, as surely as both differ, and between such pixels by the matting Laplacian (Levin, Lischinski & Weiss 2008, DOI
10.1109/TPAMI.2007.1177). Where that lies is told well, how wide it is badly: noise, a codec's blocks and folds of
clothes spread it. But an edge is as wide as lens and motion made it, alike along a stretch of it: the level α = ½ is
kept, and across it a straight ramp of the width that tells the stretch best.
"""

from __future__ import annotations

import cv2
import numpy as np
from scipy.sparse import diags

from lithopos.core.arrays import Floats, Mask, on_channels, summed_channels
from lithopos.core.blend.grain import Grain

SURE = 10.0  # how much the known background counts beside the Laplacian
SOLVED = 1e-4  # relative error to which it is solved
LEVEL_PX = 0.7  # how far α is smoothed to tell where it is ½
NARROWEST_PX, WIDER, STRETCH_PX = 1.5, 1.45, 8.0  # the ramps that are tried; along which stretch of an edge
LEAST_DOUBT = 0.0025  # variance of α by colours, at least
RAMP = 0.0002  # variance of α on a ramp: where it follows from the colours closer than so, these count
LEAST, MOST = 0.02, 0.98  # less is nobody, more is all of somebody

__all__ = ["soft_edge"]


def soft_edge(seen: Floats, behind: Floats, mine: Mask, band: int, noise: Grain) -> Floats:
    """How much of each pixel of a part of a frame one fills, (H, W); sure away from the border of `mine`.

    Parameters
    ----------
    seen, behind : (H, W, 3) encoded: the frame, and the place behind them.
    mine : (H, W) where they are, by and large.
    band : pixels about its border in which their edge is.
    """
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * band + 1, 2 * band + 1))
    inner = cv2.erode(mine.astype(np.uint8), kernel) > 0
    outer = cv2.dilate(mine.astype(np.uint8), kernel) == 0
    open_ = ~(inner | outer)
    if not open_.any():
        return mine.astype(np.float32)
    # Their colour goes on from within; thin limbs have no sure middle, so what is surely not the place counts too.
    off, variance = seen - behind, summed_channels(noise.at(behind) ** 2)
    surely = inner | (mine & (summed_channels(off**2) > 25 * variance) & _deep(mine))
    known = surely if surely.any() else mine
    own = _carried(seen, known, band)
    way = own - behind
    length = np.maximum(summed_channels(way**2), 1e-6)
    told = np.asarray(np.clip(summed_channels(off * way) / length, 0, 1), np.float32)
    trust = SURE * length / (length + 16 * variance + 1e-3)
    solved = _solved(seen, inner, open_, told, trust)
    doubt = (variance / 3 + _spread(seen, own, known, band) * solved**2) / length
    ramp = _ramp(solved, told, np.asarray(open_ / np.maximum(doubt, LEAST_DOUBT), np.float32), band)
    made = np.where(open_, ramp + RAMP / (RAMP + doubt) * (solved - ramp), inner)
    return np.asarray(np.where(made < LEAST, 0, np.where(made > MOST, 1, made)), np.float32)


def _deep(mine: Mask) -> Mask:
    """A pixel within the border."""
    return cv2.erode(mine.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def _solved(seen: Floats, inner: Mask, open_: Mask, told: Floats, trust: Floats) -> Floats:
    """α (H, W) that colours tell, (H, W) and how far to trust them, and between them what the Laplacian makes of it."""
    from pymatting import cf_laplacian, cg, jacobi

    laplacian = cf_laplacian(seen.astype(np.float64), epsilon=1e-5, radius=1, is_known=~open_)
    sought, weight, wanted = np.flatnonzero(open_), trust[open_].astype(float), told[open_].astype(float)
    rows = laplacian[sought]
    system = rows[:, sought] + diags(weight)
    given = weight * wanted - rows @ inner.ravel().astype(float)
    made = inner.astype(np.float32)
    made[open_] = np.clip(cg(system, given, x0=wanted, M=jacobi(system), rtol=SOLVED, maxiter=2000), 0, 1)
    return made


def _ramp(solved: Floats, told: Floats, weight: Floats, band: int) -> Floats:
    """An edge (H, W) where `solved` has it, everywhere as wide as fits what is told best along a stretch of it."""
    level = cv2.GaussianBlur(solved, (0, 0), LEVEL_PX)
    steep = cv2.magnitude(
        cv2.Sobel(level, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(level, cv2.CV_32F, 0, 1, scale=0.125)
    )
    within_px = (level - 0.5) / np.maximum(steep, 1e-3)
    best, missed = solved, np.full_like(solved, np.inf)
    width_px = NARROWEST_PX
    while width_px < 2.5 * band:
        ramp = np.clip(within_px / np.float32(width_px) + np.float32(0.5), 0, 1)
        off = cv2.GaussianBlur(np.asarray(weight * (told - ramp) ** 2, np.float32), (0, 0), STRETCH_PX)
        better = off < missed
        best, missed = np.where(better, ramp, best), np.where(better, off, missed)
        width_px *= WIDER
    return best


def _spread(values: Floats, about: Floats, known: Mask, reach: int) -> Floats:
    """Variance (H, W) of the known pixels' values (H, W, 3) about what is carried from them."""
    share = known.astype(np.float32)
    off = summed_channels((values - about) ** 2) * share
    off, share = (cv2.GaussianBlur(one, (0, 0), 2.5 * reach) for one in (off, share))
    return np.asarray(np.minimum(off / np.maximum(share, 1e-3), 1), np.float32)


def _carried(values: Floats, known: Mask, reach: int) -> Floats:
    """Values (H, W, 3) of the known pixels, carried to those beside them."""
    share = known.astype(np.float32)
    made, weight = np.zeros_like(values), np.zeros_like(share)
    both = cv2.merge([*cv2.split(values * on_channels(share)), share])
    for sigma in (0.8 * reach, 2.5 * reach, 8.0 * reach):
        blurred = _blurred(both, sigma)
        *told, close = cv2.split(blurred)
        here = np.clip(close * 20, 0, 1) * (1 - weight)
        made += on_channels(here / np.maximum(close, np.float32(1e-6))) * cv2.merge(told)
        weight += here
    rest = values[known].mean(0)
    return np.asarray(made + on_channels(1 - weight) * rest, np.float32)


def _blurred(values: Floats, sigma: float) -> Floats:
    """Values (H, W, 4) blurred, by a smaller copy where that is wide."""
    fewer = int(sigma // 2)
    height, width = values.shape[:2]
    if fewer < 2 or min(height, width) < 8 * fewer:
        return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma), np.float32)
    small = cv2.resize(values, (width // fewer, height // fewer), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / fewer)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
