"""Sharpness: how far a photograph spreads an edge, and its colour fringes; giving a render the same.

Straight edges are found, and each is told by its own pixels, at their true distances from it, so that nothing is
resampled (the slanted edge of ISO 12233): a step spread by a Gaussian. A thing's own edge may be round or out of focus:
the sharpest of many are taken. A lens draws red and blue a little larger or smaller than green: edges lie apart by so
much, radially (Willson & Shafer 1994, DOI 10.1364/JOSAA.11.002916). A camera that sharpens adds what a Gaussian mask
takes away, times an amount, to encoded values: what is dark is darker beside an edge, what is bright is brighter.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d
from scipy.optimize import least_squares
from scipy.special import ndtr

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.segments import detect_segments
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.layers import Window

REACH = 6.0  # of an edge's pixels from it [px]
LONGEST, SHORTEST, ENDS = 60.0, 16.0, 0.12  # of what is looked at of an edge [px], and the share left out at its ends
MOST_PIECES, MOST_SEGMENTS, MOST_PIXELS = 4, 260, 450
# Of a clean edge: linear light; how much of its variance is told; contrast over noise. Of one that tells sharpening.
LEAST_CONTRAST, LEAST_TOLD, LEAST_FLAT = 0.02, 0.93, 5.0
LEAST_TOLD_SHARPENED, LEAST_FLAT_SHARPENED = 0.85, 3.0
MOST_EDGES, LEAST_EDGES = 250, 4
SHARPEST = (0.1, 0.4)  # which of the edges, by their order, are taken for really sharp; the very first are so by chance
OVERSHOT = (0.05, 0.55)  # which of them, by their order, tell sharpening: it needs more, and less sharp ones do
PIXEL_SIGMA = 0.2887  # a pixel's own spread: a box of one, 1/√12
ACROSS = 2 * 1.2816  # from 10 to 90 % of a Gaussian step, in deviations
SURE = 3.0  # deviations from which fringes count
SEEN_PX = 0.08  # fringes that are smaller in a corner are none
FLAT_PX, BIN_PX, FINE_PX = 4.0, 0.25, 0.1  # beyond that an edge's sides are even; of its profile, and of its fit [px]
MASKS_PX, MOST_SHARPENED = (0.7, 1.0, 1.5), 2.0  # Gaussian masks by which cameras sharpen [px], and how much at most
LEAST_HALO = 0.025  # of a step: overshoot that is less is none
DARK = np.float32(4 / 255)  # encoded: of what is darker it is not told how it was relit
DRAWS = 12  # of edges anew, by which it is told how sure an overshoot is

__all__ = ["PIXEL_SIGMA", "Sharpness", "measured_sharpness", "sharpening", "spread"]


@dataclass(frozen=True)
class Sharpness:
    """How a photograph spreads what is sharp.

    Attributes
    ----------
    sigma_px : of an edge, the pixel's own spread in it.
    red, blue : how much larger than green they are drawn, as a share.
    told_by : how many edges it was told by.
    sharpened, mask_px : by how much it was sharpened with a Gaussian mask of which deviation; 0: not at all. `sigma_px`
        is then the spread before.
    """

    sigma_px: float
    red: float
    blue: float
    told_by: int
    sharpened: float = 0.0
    mask_px: float = 1.0

    @property
    def across_px(self) -> float:
        """From 10 to 90 % of a step [px]."""
        if not self.sharpened:
            return ACROSS * self.sigma_px
        step = _step(self.sigma_px, self.sharpened, self.mask_px)
        rises = slice(int(step.argmin()), int(step.argmax()) + 1)
        low, high = np.interp([0.1, 0.9], step[rises], _FINE[rises])
        return float(high - low)

    @property
    def halo(self) -> float:
        """By which share of a step it overshoots."""
        return _halo(self.sigma_px, self.sharpened, self.mask_px) if self.sharpened else 0.0

    def sized(self, scale: float) -> Sharpness:
        """Of a copy `scale` times as large, whose pixels are boxes anew where it is smaller."""
        lens = max(self.sigma_px**2 - PIXEL_SIGMA**2, 0)
        sigma = np.sqrt(lens * scale**2 + PIXEL_SIGMA**2) if scale <= 1 else self.sigma_px * scale
        return replace(self, sigma_px=float(sigma), mask_px=self.mask_px * scale)

    @property
    def blur_px(self) -> float:
        """By which deviation a render must be spread to be as soft [px]."""
        return float(np.sqrt(max(self.sigma_px**2 - PIXEL_SIGMA**2, 0)))


@dataclass(frozen=True)
class _Edge:
    """A found edge: its spread [px], its channels' places across it (3,), where it is and which way is across (2,)."""

    is_clean: bool
    sigma: float
    places: Array
    middle: Array
    normal: Array
    across: Array  # its pixels' distances from it [px], their steps, 0 to 1, and their encoded green
    step: Array
    values: Array


def measured_sharpness(codes: NDArray[np.uint8] | NDArray[np.uint16]) -> Sharpness | None:
    """A photograph's sharpness from its codes (H, W, 3); None where it has too few clean edges."""
    top = np.iinfo(codes.dtype).max
    eight = (codes >> 8 if codes.dtype == np.uint16 else codes).astype(np.uint8, copy=False)
    edges = []
    for start, end in _pieces(detect_segments(eight).reshape(-1, 2, 2)):
        found = _edge(codes, top, start, end)
        edges += [found] if found else []
        if sum(one.is_clean for one in edges) >= MOST_EDGES:
            break
    edges.sort(key=lambda one: one.sigma)
    clean = [one for one in edges if one.is_clean]
    if len(clean) < LEAST_EDGES:
        return None
    sharp = _between(clean, *SHARPEST)
    red, blue = (_drawn_larger(clean, c, codes.shape) for c in (0, 2))
    sigma, sharpened, mask_px = _sharpened(_between(edges, *OVERSHOT)) or (_pooled(sharp), 0.0, 1.0)
    return Sharpness(sigma, red, blue, len(sharp), sharpened, mask_px)


def spread(values: Floats, sharpness: Sharpness, window: Window, size: tuple[int, int]) -> Floats:
    """Spread (H, W) or (H, W, 3), that is 0 where nothing is, as a photograph of `size` (width, height) would."""
    made = values
    if sharpness.blur_px > 0.05:
        made = cv2.GaussianBlur(made, (0, 0), sharpness.blur_px, borderType=cv2.BORDER_REPLICATE)
    if values.ndim == 3 and (sharpness.red or sharpness.blue):
        channels = [_larger(made[..., c], by, window, size) for c, by in ((0, sharpness.red), (2, sharpness.blue))]
        made = np.stack([channels[0], made[..., 1], channels[1]], -1)
    return np.asarray(made, np.float32)


def sharpening(sharpness: Sharpness, base: Floats, shade: Floats, place: Floats, made: Floats, cover: Floats) -> Floats:
    """What the camera's sharpening would have added to what was rendered, as encoded values (H, W, 3).

    The photograph has been sharpened already. Only what it did not show is: models, their outlines before the place,
    and the borders of their shadows.

    Parameters
    ----------
    base, shade, place, made : encoded values (H, W, 3) of the photograph, of it in the models' shadow, of the place in
        all the light that they leave it, and with them.
    cover : (H, W) how far models fill a pixel.
    """

    def beyond(values: Floats) -> Floats:
        """What the mask takes away."""
        mask = cv2.GaussianBlur(values, (0, 0), max(sharpness.mask_px, 0.05), borderType=cv2.BORDER_REPLICATE)
        return np.asarray(values - mask, np.float32)

    share = cover[..., None]
    relit = np.where(base > DARK, shade / np.maximum(base, DARK), 1).astype(np.float32)
    found = beyond(made - place) + share * beyond(place) + (1 - share) * base * beyond(relit)
    return np.asarray(np.float32(sharpness.sharpened) * found, np.float32)


def _larger(values: Floats, by: float, window: Window, size: tuple[int, int]) -> Floats:
    """One channel of a window drawn larger about the picture's middle, by a share."""
    if not by:
        return values
    x, y = np.meshgrid(np.arange(window.width, dtype=np.float32), np.arange(window.height, dtype=np.float32))
    middle = (size[0] / 2 - window.x0 - 0.5, size[1] / 2 - window.y0 - 0.5)
    columns, rows = (
        np.float32(at) + (one - np.float32(at)) / np.float32(1 + by) for at, one in zip(middle, (x, y), strict=True)
    )
    made = cv2.remap(values, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)


def _between(edges: list[_Edge], first: float, last: float) -> list[_Edge]:
    """Those between two shares of all, as they are sorted."""
    begin = round(first * len(edges))
    return edges[begin : max(begin + LEAST_EDGES, round(last * len(edges)))]


def _pieces(ends: Array) -> list[Array]:
    """Found segments (N, 2, 2), cut into pieces: a long one may bend, or lie along several things."""
    found = []
    for start, end in ends[:MOST_SEGMENTS]:
        length = float(np.linalg.norm(end - start))
        count = int(np.clip(length / LONGEST, 1, MOST_PIECES))
        at = np.linspace(0, 1, count + 1)[:, None]
        corners = start + at * (end - start)
        found += [np.stack(pair) for pair in itertools.pairwise(corners) if length / count >= SHORTEST]
    return found


def _edge(codes: NDArray[np.uint8] | NDArray[np.uint16], top: int, start: Array, end: Array) -> _Edge | None:
    """A step fitted to the pixels about a segment; None where there is none, or it is not clean."""
    length = float(np.linalg.norm(end - start))
    way = (end - start) / length
    normal = np.array([-way[1], way[0]])
    middle = (start + end) / 2
    half = length * (0.5 - ENDS)
    reach = np.abs(way) * half + np.abs(normal) * REACH
    x0, y0 = np.floor(middle - reach).astype(int)
    x1, y1 = np.ceil(middle + reach).astype(int)
    if x0 < 0 or y0 < 0 or x1 > codes.shape[1] or y1 > codes.shape[0]:
        return None
    x, y = np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5)
    away = np.stack([x, y], -1) - middle
    along, across = away @ way, away @ normal
    near = (np.abs(along) < half) & (np.abs(across) < REACH)
    part, along, across = codes[y0:y1, x0:x1][near], along[near] / half, across[near]
    if len(part) > MOST_PIXELS:
        every = np.linspace(0, len(part) - 1, MOST_PIXELS).astype(int)
        part, along, across = part[every], along[every], across[every]
    if np.quantile(part, 0.02) <= 0.01 * top or np.quantile(part, 0.98) >= 0.99 * top:
        return None
    return _fitted(decode_srgb(part / top).astype(float), along, across, middle, normal)


def _fitted(values: Array, along: Array, across: Array, middle: Array, normal: Array) -> _Edge | None:
    luma = values.mean(1)
    low, high = (luma[side].mean() for side in (across < -REACH / 2, across > REACH / 2))
    step = high - low
    beside = np.concatenate([luma[across < -REACH / 2] - low, luma[across > REACH / 2] - high])
    if abs(step) < LEAST_CONTRAST or abs(step) < LEAST_FLAT_SHARPENED * beside.std():
        return None

    def parts(p: Array) -> tuple[Array, Array, Array]:
        z = (across - p[2] - p[3] * along) / np.exp(p[4])
        risen, slope = ndtr(z), p[1] * np.exp(-(z**2) / 2) / np.sqrt(2 * np.pi)
        return z, risen, slope

    def off(p: Array) -> Array:
        return np.asarray((p[0] + p[1] * parts(p)[1] + p[5] * across - luma) / abs(step))

    def jacobian(p: Array) -> Array:
        z, risen, slope = parts(p)
        sharper = -slope / np.exp(p[4])
        columns = [np.ones(len(z)), risen, sharper, sharper * along, -slope * z, across]
        return np.column_stack(columns) / abs(step)

    start = np.array([low, step, 0.0, 0.0, np.log(0.7), 0.0])
    p = least_squares(off, start, jacobian, loss="soft_l1", f_scale=0.05, max_nfev=25, method="trf").x
    rest = off(p) * abs(step)
    told = 1 - rest.var() / luma.var()
    sigma = float(np.exp(p[4]))
    over_noise = abs(p[1]) / max(float(rest.std()), 1e-9)
    if told < LEAST_TOLD_SHARPENED or not 0.15 < sigma < REACH / 2.5 or abs(p[2]) > 1.5:
        return None
    is_clean = told >= LEAST_TOLD and over_noise >= LEAST_FLAT and abs(step) >= LEAST_FLAT * beside.std()
    line = across - p[3] * along
    told_step = (luma - p[0] - p[5] * across) / p[1]
    places = np.array([_place(values[:, c], line, sigma) for c in range(3)])
    green = encode_srgb(values[:, 1]).astype(float)
    return _Edge(is_clean, sigma, places, middle, normal, line - p[2], told_step, green)


def _place(values: Array, line: Array, sigma: float) -> float:
    """Where one channel has its step, by Gauss–Newton on a step of known width."""
    place = 0.0
    for _ in range(5):
        z = (line - place) / sigma
        columns = np.column_stack([np.ones(len(z)), ndtr(z), -np.exp(-(z**2) / 2) / np.sqrt(2 * np.pi) / sigma, line])
        found = np.linalg.lstsq(columns, values, rcond=None)[0]
        if abs(found[1]) < LEAST_CONTRAST / 2:
            return np.nan
        place += float(np.clip(found[2] / found[1], -0.5, 0.5))
    return place if abs(place) < 2 else np.nan


def _pooled(edges: list[_Edge]) -> float:
    """The spread by all edges' pixels together [px]."""
    across, step = (np.concatenate([getattr(one, name) for one in edges]) for name in ("across", "step"))
    start = np.log(np.median([one.sigma for one in edges]))

    def off(p: Array) -> Array:
        return np.asarray(ndtr(across / np.exp(p[0])) - step)

    return float(np.exp(least_squares(off, [start], loss="soft_l1", f_scale=0.05).x[0]))


def _sharpened(edges: list[_Edge]) -> tuple[float, float, float] | None:
    """Spread before it [px], amount and mask [px] of a sharpening that edges show; None where none is sure."""
    profiles = np.array([_profile(edge) for edge in edges])
    found = _as_sharpened(np.nanmedian(profiles, 0))
    rng = np.random.default_rng(0)
    drawn = [profiles[rng.integers(0, len(edges), len(edges))] for _ in range(DRAWS)]
    halos = [_halo(*_as_sharpened(np.nanmedian(one, 0))) for one in drawn]
    halo = _halo(*found)
    return found if halo > max(LEAST_HALO, SURE * float(np.std(halos))) else None


_FINE = np.arange(-9, 9 + FINE_PX / 2, FINE_PX)
_AT = np.arange(-FLAT_PX - 1, FLAT_PX + 1, BIN_PX) + BIN_PX / 2


def _profile(edge: _Edge) -> Array:
    """Encoded values across an edge in bins of `BIN_PX`, its darker side 0 and its brighter one 1; NaN where it has
    no pixels."""
    across, values = edge.across, edge.values
    low, high = (np.median(values[side]) for side in (across < -FLAT_PX, across > FLAT_PX))
    if high < low:
        across, low, high = -across, high, low
    bins = np.floor((across - _AT[0] + BIN_PX / 2) / BIN_PX).astype(int)
    inside = (bins >= 0) & (bins < len(_AT))
    count, total = (np.bincount(bins[inside], by, len(_AT)) for by in (None, values[inside]))
    mean = np.where(count > 0, total / np.maximum(count, 1), np.nan)
    return np.asarray((mean - low) / max(float(high - low), 1e-6))


def _as_sharpened(profile: Array) -> tuple[float, float, float]:
    """Spread, amount and mask that a profile shows best."""
    told = np.isfinite(profile)
    best, least = (PIXEL_SIGMA, 0.0, 1.0), np.inf
    for mask_px in MASKS_PX:

        def off(p: Array, mask_px: float = mask_px) -> Array:
            made = np.interp(_AT - p[2], _FINE, _step(float(np.exp(p[0])), p[1], mask_px))
            return np.asarray((made - profile)[told])

        bounds = [np.log(0.15), 0.0, -0.5], [np.log(REACH / 2.5), MOST_SHARPENED, 0.5]
        fit = least_squares(off, [np.log(0.7), 0.2, 0.0], loss="soft_l1", f_scale=0.03, bounds=bounds)
        if fit.cost < least:
            best, least = (float(np.exp(fit.x[0])), float(fit.x[1]), mask_px), fit.cost
    return best


def _step(sigma: float, sharpened: float, mask_px: float) -> Array:
    """A spread and sharpened step at `_FINE`."""
    step = ndtr(_FINE / sigma)
    mask = gaussian_filter1d(step, max(mask_px, 0.05) / FINE_PX, mode="nearest")
    return np.asarray(step + sharpened * (step - mask))


def _halo(sigma: float, sharpened: float, mask_px: float) -> float:
    return float(_step(sigma, sharpened, mask_px).max()) - 1


def _drawn_larger(edges: list[_Edge], channel: int, shape: tuple[int, ...]) -> float:
    """By which share a channel is drawn larger than green; 0 where that is not sure or not seen."""
    middle = np.array([shape[1], shape[0]]) / 2
    radial = np.array([(one.middle - middle) @ one.normal for one in edges])
    apart = np.array([one.places[channel] - one.places[1] for one in edges])
    good: Mask = np.isfinite(apart) & (np.abs(radial) > 0.05 * shape[1])
    if good.sum() < LEAST_EDGES:
        return 0.0
    radial, apart = radial[good], apart[good]

    def off(p: Array) -> Array:
        return np.asarray(p[0] * radial - apart)

    by = float(least_squares(off, [0.0], loss="soft_l1", f_scale=0.05).x[0])
    scatter = 1.4826 * float(np.median(np.abs(by * radial - apart)))
    doubt = scatter / float(np.sqrt((radial**2).sum()))
    corner = float(np.linalg.norm(middle))
    return by if abs(by) > SURE * doubt and abs(by) * corner > SEEN_PX else 0.0
