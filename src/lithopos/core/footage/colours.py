"""The colours of whoever passes, learnt over a take, against those that a shadow leaves of the place.

Dark shoes beside their own shadow, dark clothes before shaded ground: one pixel alone may be either. Over a take,
though, their colours are seen before bright ground as well, where they are sure. So each pixel is asked by Bayes' rule
which of both makes its colour likelier, and neighbours of like colour answer together (guided filter: He, Sun & Tang
2013, DOI 10.1109/TPAMI.2012.213).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.blend.grain import Grain
from lithopos.core.colour import encode_srgb
from lithopos.core.footage.shadows import beside_line, ratio_of, variance_of

BINS, ROWS = 32, 12  # of codes, of each channel; of the picture's height, in which people's colours are told apart
WIDTH = 256 / BINS  # codes of a bin
SMOOTH = (0.8, 0.7, 0.7, 0.7)  # bins
WHOLE_COUNTS = 2000.0  # pixels, as which the whole picture's colours count in each row
UNKNOWN = 0.15  # of somebody's colours: any at all
WINDOW = 3  # pixels across in which a ratio is told
# A ratio surely is none of a shadow, beside the line: redder or bluer by logarithms, lighter, darker.
OFF_LINE, DARKEST, LIGHTEST = ((-0.25, 0.3), (-0.35, 0.3)), 0.3, 1.1
SHADED = 0.9  # light left in what counts as a shadow when its colours are learnt
LEAST_OFF = 0.04  # natural logarithms by which shadows differ in colour
LEAST_SURE = 400  # pixels of somebody, and of shadows, by which colours are learnt
PLAIN, UMBRA, BORDER, CLOSE = 0.3, 0.35, 0.28, 0.07  # of the place: as it is, or in a shadow's middle, border, depth
UMBRA_SPREAD, DEEP = (0.08, 3.0), 0.45  # of the codes between shadow and light, and codes; of its codes: the deepest
CODE_PER_LOG = 1 / 2.4  # encoded values go with light's 1/2.4th power
GUIDE_PX, GUIDE_EPS = (
    8,
    1e-4,
)  # how far neighbours of like colour answer together; variances below which colours are alike
SURELY = 4.0  # log odds as which what is surer counts

__all__ = ["Colours", "Learning", "log_odds"]


@dataclass(frozen=True)
class Colours:
    """What was learnt of a take.

    Attributes
    ----------
    bodies : (R, B, B, B) how likely somebody in a row of the picture is of a colour, for each cubic code of 255.
    off, spread : (2,) by how much shadows are redder and bluer than the line of `beside_line`, and how differently.
    """

    bodies: Floats
    off: Array
    spread: Array


class Learning:
    """Colours gathered from frames one after the other."""

    def __init__(self) -> None:
        self.counts = np.zeros((ROWS, BINS, BINS, BINS), np.float32)
        self.off: list[Floats] = []

    def add(self, frame: Floats, plate: Floats, somebody: Mask, shade: Floats, deepest: Floats) -> None:
        """Take in a frame (H, W, 3) of which a first look has told who is in it, and what is in shade."""
        close, off = beside_line(ratio_of(frame, plate, WINDOW), deepest)
        unlike = (close < DARKEST) | (close > LIGHTEST)
        for channel, (least, most) in enumerate(OFF_LINE):
            unlike |= (off[..., channel] < least) | (off[..., channel] > most)
        sure = cv2.morphologyEx((somebody & unlike).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
        rows, _ = np.nonzero(sure)
        codes = encode_srgb(np.clip(frame[sure], 0, 1)) * 255
        places = np.column_stack([(rows + 0.5) / len(frame) * ROWS, codes / WIDTH])
        made, _ = np.histogramdd(places, self.counts.shape, [(0, size) for size in self.counts.shape])
        self.counts += made.astype(np.float32)
        self.off.append(off[shade[..., 1] < SHADED][::4])

    def learnt(self) -> Colours | None:
        """What they have in common; None if there was too little to tell."""
        off = np.concatenate(self.off) if self.off else np.zeros((0, 2), np.float32)
        if self.counts.sum() < LEAST_SURE or len(off) < LEAST_SURE:
            return None
        whole = ndimage.gaussian_filter(self.counts.sum(0), SMOOTH[1:])
        whole /= whole.sum()
        rows = ndimage.gaussian_filter(self.counts, SMOOTH)
        counted = rows.sum((1, 2, 3), keepdims=True)
        shares = (rows + WHOLE_COUNTS * whole) / (counted + WHOLE_COUNTS)
        bodies = shares / WIDTH**3 * (1 - UNKNOWN) + UNKNOWN / 256**3
        middle = np.median(off, axis=0)
        spread = 1.4826 * np.median(np.abs(off - middle), axis=0)
        return Colours(bodies.astype(np.float32), middle.astype(float), np.maximum(spread, LEAST_OFF).astype(float))


def log_odds(
    frame: Floats,
    plate: Floats,
    noise: Grain,
    deepest: Floats,
    colours: Colours,
    rows: tuple[int, int],
) -> tuple[Floats, Floats]:
    """How much likelier somebody is than the place, natural logarithms (H, W): alone, and told with its neighbours.

    Parameters
    ----------
    frame, plate : (H, W, 3) linear, of a part of a picture, the plate as the frame would show it.
    deepest : which share (3,) or (H, W, 3) of its light the place has left in the deepest shadows.
    rows : at which the part begins, and how many the whole picture has.
    """
    seen, base = (np.asarray(encode_srgb(np.clip(one, 0, 1)) * 255, np.float32) for one in (frame, plate))
    height, width = seen.shape[:2]
    y = np.broadcast_to(((np.arange(height) + rows[0] + 0.5) / rows[1] * ROWS - 0.5)[:, None], (height, width))
    at = [np.clip(y, 0, ROWS - 1), *np.moveaxis(np.clip(seen / WIDTH - 0.5, 0, BINS - 1), -1, 0)]
    body = ndimage.map_coordinates(colours.bodies, at, order=1, mode="nearest")
    place = _likelihood_of_place(frame, plate, seen, base, noise, deepest, colours)
    odds = np.clip(np.log(body) - np.log(place + 1e-12), -SURELY, SURELY).astype(np.float32)
    return odds, _guided(np.asarray(seen / 255, np.float32), odds)


def _likelihood_of_place(
    frame: Floats, plate: Floats, seen: Floats, base: Floats, noise: Grain, deepest: Floats, colours: Colours
) -> Floats:
    """How likely (H, W) the place is to be seen like this, for each cubic code: as it is, or in somebody's shadow.

    A shadow has most of its pixels in the middle, as dark as the sun's absence makes it; its border has any brightness
    between that and the sun's; close to somebody it is darker still. Its colours are off as was learnt, and by noise.
    """
    sigma = np.sqrt(variance_of(np.asarray(base / 255, np.float32), noise)) * 255
    square = (((seen - base) / sigma) ** 2).sum(-1)
    plain = np.exp(-0.5 * square) / ((2 * np.pi) ** 1.5 * sigma.prod(-1))

    _, off = beside_line(ratio_of(frame, plate, WINDOW), deepest)
    per_log = np.maximum(seen, 8) * CODE_PER_LOG
    own = noise.at(np.asarray(seen / 255, np.float32)) * 255 / per_log
    spread = np.sqrt(colours.spread**2 + own[..., ::2] ** 2 + own[..., 1:2] ** 2)
    square = (((off - colours.off) / spread) ** 2).sum(-1)
    coloured = np.exp(-0.5 * square) / (2 * np.pi * (spread * per_log[..., ::2]).prod(-1))

    dark = encode_srgb(np.clip(plate[..., 1] * deepest[..., 1], 0, 1)) * 255
    between = np.maximum(base[..., 1] - dark, 4)
    green = seen[..., 1]
    wide = UMBRA_SPREAD[0] * between + UMBRA_SPREAD[1]
    middle = np.exp(-0.5 * ((green - dark) / wide) ** 2) / (np.sqrt(2 * np.pi) * wide)
    border = ((green > dark) & (green < dark + 1.03 * between)) / between
    depth = ((green < dark) & (green > DEEP * dark)) / np.maximum((1 - DEEP) * dark, 4)
    return np.asarray(PLAIN * plain + coloured * (UMBRA * middle + BORDER * border + CLOSE * depth), np.float32)


def _guided(guide: Floats, values: Floats) -> Floats:
    """Values (H, W) as the line through the guide's colours (H, W, 3) has them that fits best around each pixel."""

    def mean(one: Floats) -> Floats:
        return np.asarray(cv2.blur(one, (2 * GUIDE_PX + 1, 2 * GUIDE_PX + 1)), np.float32)

    middle, level = mean(guide), mean(values)
    shared = mean(guide * values[..., None]) - middle * level[..., None]
    spread = np.empty((*values.shape, 3, 3), np.float32)
    for one in range(3):
        for other in range(one, 3):
            told = mean(guide[..., one] * guide[..., other]) - middle[..., one] * middle[..., other]
            spread[..., one, other] = spread[..., other, one] = told
    spread[..., range(3), range(3)] += GUIDE_EPS
    slopes = np.linalg.solve(spread, shared[..., None])[..., 0].astype(np.float32)
    offset = level - (slopes * middle).sum(-1)
    return np.asarray((mean(slopes) * guide).sum(-1) + mean(offset), np.float32)
