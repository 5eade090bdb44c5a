"""The colours of whoever passes, learnt over a take, against those that a shadow leaves of the place.

Dark shoes beside their own shadow, dark clothes before shaded ground: one pixel alone may be either. Over a take,
though, their colours are seen before bright ground as well, where they are sure. So each pixel is asked by Bayes' rule
which of both makes its colour likelier, and neighbours of like colour answer together (guided filter: He, Sun & Tang
2013, DOI 10.1109/TPAMI.2012.213).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lithopos.core.arrays import Array, Floats, Mask, largest_channel
from lithopos.core.footage.shadows import LEAST_ABOUT, UNLIT, Looks, beside_line

BINS, ROWS = 64, 32  # of codes, of each channel; of the picture's height, in which people's colours are told apart
BIN_CODES = 256 / BINS  # codes of a bin
SMOOTH = 1.0  # bins
WHOLE_COUNTS = 500.0  # pixels, as which the whole picture's colours count in each row
UNKNOWN = 0.15  # of somebody's colours: any at all
# A ratio surely is none of a shadow, beside the line: redder or bluer by logarithms, darker; lighter tells nothing.
OFF_LINE, DARKEST, LIGHTER = ((-0.25, 0.3), (-0.35, 0.3)), 0.3, 1.1
LIMB = 0.02  # of the width: a limb is wider, what is darkest under a foot is not
SHADED = 0.9  # light left in what counts as a shadow when its colours are learnt
LEAST_OFF = 0.04  # natural logarithms by which shadows differ in colour
LEAST_SURE = 400  # pixels of somebody, and of shadows, by which colours are learnt
PLAIN, UMBRA, BORDER, CLOSE = 0.3, 0.3, 0.25, 0.15  # of the place: as it is, or in a shadow's middle, border, depth
UMBRA_SPREAD, DEEP = (0.08, 3.0), 0.45  # of the codes between shadow and light, and codes; of its codes: the deepest
CODE_PER_LOG = 1 / 2.4  # encoded values go with light's 1/2.4th power
GUIDE, GUIDE_LEAST_PX = 0.00625, 3  # of the width: how far neighbours answer together; pixels
NEARBY, NEARBY_COUNTS, NEARBY_SPREAD = 0.016, 60.0, 0.03  # of the width; pixels, as which what was learnt counts; logs
COARSER = 4  # times, of the picture in which that is told
SURE_ODDS, LEAST_LIKELY = 2.0, 1e-12  # log odds below which it is surely the place; of each cubic code
PRIOR_ODDS = (0.0, 2.0)  # log odds of somebody before anything is asked, bounds
MOST_ODDS = 3.0  # log odds as which what is surer counts

__all__ = ["MOST_ODDS", "SURE_ODDS", "Colours", "Learning", "guided", "log_odds"]


@dataclass(frozen=True)
class Colours:
    """What was learnt of a take.

    Attributes
    ----------
    bodies : (R, B, B, B) how much likelier somebody in a row of the picture is of a colour than if all were alike; of
        half precision, as it is kept, so that what is told does not hang on when it was learnt.
    off, spread : (2,) by how much shadows are redder and bluer than the line of `beside_line`, and how differently.
    odds : of somebody, natural logarithm, before anything is asked: how much of what changes seems theirs.
    """

    bodies: NDArray[np.float16]
    off: Array
    spread: Array
    odds: float

    def likelihoods(self, seen: Floats, row: Array) -> Floats:
        """How likely somebody so far down the picture, 0..1, is of colours (3, N), encoded: for each cubic code."""
        return self.bodies[_cells(seen, row)].astype(np.float32) / np.float32(256**3)


def _cells(seen: Floats, row: Array) -> tuple[NDArray[np.intp], ...]:
    """In which cells of `bodies` colours (3, N) lie that are seen so far down the picture."""
    red, green, blue = (seen * np.float32(255 / BIN_CODES)).astype(np.intp)
    return (row * ROWS).astype(np.intp), red, green, blue


class Learning:
    """Colours gathered from frames one after the other."""

    def __init__(self) -> None:
        self.counts = np.zeros((ROWS, BINS, BINS, BINS), np.float32)
        self.off = [np.zeros((2, 0), np.float32)]
        self.shares = np.ones(2)  # pixels of somebody, and in shade

    def add(self, looks: Looks, somebody: Mask, shade: Floats, deepest: Floats) -> None:
        """Take in a frame of which a first look has told where (H, W) somebody is, and what (H, W, 3) is in shade."""
        ratio = looks.ratio
        close, off = beside_line(ratio, deepest)
        unlike = close < DARKEST
        for channel, (least, most) in enumerate(OFF_LINE):
            unlike |= (off[channel] < least) | (off[channel] > most)
        # What is lighter in all colours may be the place, where a shadow lay on it most of the time.
        lighter = ~largest_channel(ratio <= LIGHTER)
        sure = _opened(somebody & unlike & ~lighter, 3)
        # Dark clothes may be on a shadow's line everywhere; what is too dark for one and as wide as a limb is theirs.
        sure |= _opened(somebody & (close < LEAST_ABOUT), max(3, round(LIMB * somebody.shape[1])))
        np.add.at(self.counts, _cells(looks.seen[sure].T, np.flatnonzero(sure) / sure.size), 1)
        shaded = shade[..., 1] < SHADED
        self.off.append(off[:, shaded][:, ::4])
        self.shares += [somebody.sum(), shaded.sum()]

    def learnt(self) -> Colours | None:
        """What they have in common; None if there was too little to tell."""
        off = np.concatenate(self.off, axis=1)
        if self.counts.sum() < LEAST_SURE or off.shape[1] < LEAST_SURE:
            return None
        whole = ndimage.gaussian_filter(self.counts.sum(0), SMOOTH)
        whole /= whole.sum()
        rows = ndimage.gaussian_filter(self.counts, SMOOTH)
        counted = rows.sum((1, 2, 3), keepdims=True)
        shares = (rows + WHOLE_COUNTS * whole) / (counted + WHOLE_COUNTS)
        bodies = np.minimum(shares * BINS**3 * (1 - UNKNOWN) + UNKNOWN, np.finfo(np.float16).max)
        middle = np.median(off, axis=1)
        spread = 1.4826 * np.median(np.abs(off - middle[:, None]), axis=1)
        spread = np.maximum(spread, LEAST_OFF)
        odds = float(np.clip(np.log(self.shares[0] / self.shares[1]), *PRIOR_ODDS))
        return Colours(bodies.astype(np.float16), middle.astype(float), spread.astype(float), odds)


def _opened(mask: Mask, across: int) -> Mask:
    """What of a mask is nowhere narrower than so many pixels."""
    kernel = np.ones((across, across), np.uint8)
    return np.asarray(cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, kernel) > 0)


def log_odds(colours: Colours, looks: Looks, where: Mask, deepest: Floats) -> Floats:
    """How much likelier somebody is than the place at N pixels, natural logarithms (N,).

    Told twice: shadows differ in colour from place to place, but little nearby, so that those that are sure tell the
    others' colours.

    Parameters
    ----------
    looks : of the whole frame.
    where : (H, W) the pixels.
    deepest : (3,) or (N, 3) which share of its light the place has left in the deepest shadows.
    """
    index = np.flatnonzero(where)

    def chosen(values: Floats) -> Floats:
        return np.take(values.reshape(-1, 3), index, axis=0)

    own = chosen(looks.seen)
    # Channel by channel from here on: what is one after the other is reckoned faster.
    seen, base, sigma2 = (np.ascontiguousarray(one.T) for one in (own, chosen(looks.base), chosen(looks.sigma2)))
    ratio = chosen(looks.ratio)
    least = np.broadcast_to(deepest, ratio.shape)
    _, off = beside_line(ratio, least)
    body = np.log(colours.likelihoods(seen, index / np.float32(where.size)))
    plain, level = _levels(seen * 255, base * 255, np.sqrt(sigma2) * 255, least[:, 1])
    per_log = np.maximum(seen, 8 / 255) * np.float32(255 * CODE_PER_LOG)
    noise = (np.ascontiguousarray(looks.noise.at(own).T) * 255 / per_log) ** 2
    noise, per_log = noise[::2] + noise[1], per_log[::2]

    def odds(middle: Floats, spread: Floats) -> Floats:
        place = plain + level * _coloured(off - middle, np.sqrt(spread**2 + noise), per_log) + LEAST_LIKELY
        return np.asarray(body - np.log(place), np.float32)

    middle, spread = (one.astype(np.float32)[:, None] for one in (colours.off, colours.spread))
    sure = (odds(middle, spread) < -SURE_ODDS) & (ratio[:, 1] < SHADED)
    found, trust = _nearby(off, sure, index, where.shape)
    middle = trust * found + (1 - trust) * middle
    spread = np.sqrt(trust * NEARBY_SPREAD**2 + (1 - trust) * spread**2)
    return np.clip(odds(middle, spread) + np.float32(colours.odds), -MOST_ODDS, MOST_ODDS)


def _nearby(off: Floats, sure: Mask, index: NDArray[np.intp], shape: tuple[int, ...]) -> tuple[Floats, Floats]:
    """By how much sure shadows near each of N pixels are off their line, (2, N), and how far, (N,), to trust that."""
    height, width = shape
    size = (-(-height // COARSER), -(-width // COARSER))
    rows, columns = np.divmod(index[sure], width)
    cells = rows // COARSER * size[1] + columns // COARSER
    sums = [np.bincount(cells, one, size[0] * size[1]) for one in (off[0, sure], off[1, sure], None)]
    small = np.dstack([one.reshape(size) for one in sums]).astype(np.float32) / np.float32(COARSER**2)
    small = cv2.GaussianBlur(small, (0, 0), max(NEARBY * width / COARSER, 0.5))
    wide = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR).reshape(-1, 3)
    *told, share = np.ascontiguousarray(np.take(wide, index, axis=0).T)
    count = share * np.float32(2 * np.pi * (NEARBY * width) ** 2)
    return np.stack(told) / np.maximum(share, np.float32(1e-9)), count / (count + np.float32(NEARBY_COUNTS))


def _levels(seen: Floats, base: Floats, sigma: Floats, deepest: Floats) -> tuple[Floats, Floats]:
    """How likely the place is to be seen like this as it is, for each cubic code, and as bright as this in a shadow.

    A shadow has most of its pixels in the middle, as dark as the sun's absence makes it; its border has any brightness
    between that and the sun's; close to somebody it is darker still.

    Parameters
    ----------
    seen, base, sigma : (3, N) codes of 255; `deepest` (N,): the light's green that a place has left in a shadow.
    """
    red, green, blue = ((seen - base) / sigma) ** 2
    plain = np.exp(-0.5 * (red + green + blue)) / ((2 * np.pi) ** 1.5 * sigma[0] * sigma[1] * sigma[2])
    dark = base[1] * deepest**CODE_PER_LOG
    between = np.maximum(base[1] - dark, 4)
    level = seen[1]
    blurred = UMBRA_SPREAD[0] * between + UMBRA_SPREAD[1]
    core = np.exp(-0.5 * ((level - dark) / blurred) ** 2) / (np.sqrt(2 * np.pi) * blurred)
    border = ((level > dark) & (level < dark + 1.03 * between)) / between
    # Where no sun is to be taken there is little else.
    deep = np.where(deepest >= UNLIT, np.float32(LEAST_ABOUT**CODE_PER_LOG), np.float32(DEEP))
    depth = ((level < dark) & (level > deep * dark)) / np.maximum((1 - deep) * dark, 4)
    return np.asarray(PLAIN * plain, np.float32), np.asarray(UMBRA * core + BORDER * border + CLOSE * depth, np.float32)


def _coloured(off: Floats, spread: Floats, per_log: Floats) -> Floats:
    """How likely a shadow of some brightness has this colour, for each square code of red and blue, (2, N) each."""
    red, blue = (off / spread) ** 2
    wide = spread * per_log
    return np.asarray(np.exp(-0.5 * (red + blue)) / (2 * np.pi * wide[0] * wide[1]), np.float32)


def _reach_px(width: int) -> int:
    """How far neighbours answer together in a picture so wide."""
    return max(GUIDE_LEAST_PX, round(GUIDE * width))


def guided(guide: Floats, values: Floats, variance: float) -> Floats:
    """Values (H, W) as the line through the guide's colours (H, W, 3) has them that fits best around each pixel.

    Colours count as alike where they vary by less than `variance`: the guide's own noise.
    Lines are fitted at half the size (He & Sun 2015, arXiv 1505.00996).
    """
    height, width = values.shape
    across = _reach_px(width) + 1  # at half the size
    size = (max(1, width // 2), max(1, height // 2))
    coarse, told = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (guide, values))
    colours = cv2.split(coarse)

    def mean(one: Floats) -> Floats:
        return np.asarray(cv2.blur(one, (across, across)), np.float32)

    middle, level = [mean(one) for one in colours], mean(told)
    shared = [mean(one * told) - own * level for one, own in zip(colours, middle, strict=True)]
    spread = {}
    for one in range(3):
        for other in range(one, 3):
            spread[one, other] = mean(colours[one] * colours[other]) - middle[one] * middle[other]
        spread[one, one] += np.float32(variance)
    slopes = _solved(spread, shared)
    offset = level - sum(slope * own for slope, own in zip(slopes, middle, strict=True))
    *lines, made = (cv2.resize(mean(one), (width, height)) for one in (*slopes, offset))
    for line, own in zip(lines, cv2.split(guide), strict=True):
        made += line * own
    return np.asarray(made, np.float32)


def _solved(spread: dict[tuple[int, int], Floats], shared: Sequence[Floats]) -> list[Floats]:
    """Slopes, 3 times (H, W), that many symmetric matrices of 3 by 3 take to `shared`, by cofactors."""
    a, b, c = spread[0, 0], spread[0, 1], spread[0, 2]
    d, e, f = spread[1, 1], spread[1, 2], spread[2, 2]
    aa, bb, cc = d * f - e * e, c * e - b * f, b * e - c * d
    dd, ee, ff = a * f - c * c, b * c - a * e, a * d - b * b
    x, y, z = shared
    whole = a * aa + b * bb + c * cc
    rows = ((aa, bb, cc), (bb, dd, ee), (cc, ee, ff))
    return [(one * x + two * y + three * z) / whole for one, two, three in rows]
