"""The clean plate: the place without what moves, by the robust middle of many frames.

Of each pixel's values over time the most that lie close together, within the take's own noise, are the place: people
pass, the place stays (a mode by the shortest interval, Robertson & Cryer 1974, DOI 10.1080/01621459.1974.10480246,
then mean shifts, Comaniciu & Meer 2002). Their mean is the plate, each weighed by how still the pixel is just then.
Somebody's shadow may lie on the same ground most of the time: a region that was often enough seen brighter, with the
same texture and as a shadow's colour wants it, is as bright if the plate about it goes on so.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats, Mask, on_channels
from lithopos.core.blend.grain import Grain
from lithopos.core.colour import REC709, decode_srgb, encode_srgb
from lithopos.core.footage.parallel import side_by_side
from lithopos.core.footage.shadows import USUAL_DEEPEST, like_shadow, ratio_of

CLOSE = 3.2  # noise deviations within which values are of one thing
SHIFTS = 3
CHANCE = 1.5  # times the noise that one of nine pixels' values seem to have by chance
LEAST_SHARE = 0.1  # of the frames that must show a place, to believe that it is empty there
LEAST_FRAMES = 3
ASKED = 20_000  # pixels by which it is told how much a pixel changes over time
STRIP = 2_000_000  # values of a strip of rows in all frames at once
STILL_OPEN = 0.8  # of the pixels looked at, below which the rest is looked at alone
LIT_SHARE = 0.06  # of the frames that must show a place without a shadow that lies on it most of the time
SHADED = 0.85  # light left in such a shadow at most
BLUER, DOUBT = 0.25, 0.1  # natural logarithms: how much bluer than usual it may be; how far off a single pixel's colour
ALIKE, ALIKE_PX = 0.2, 7  # correlation from which both have the same texture; pixels across in which that is told
FLAT = 2.0  # noise variances of hardly any texture
FILLED = 0.6  # of a region's pixels those that must be in shadow
SEAM_PX, SEAM_SHARE = 9, 0.3  # pixels across in which a border is judged; of it, where it must go on as lit

GREY = REC709.astype(np.float32)

__all__ = ["Plate", "clean_plate"]


@dataclass(frozen=True)
class Plate:
    """The place without what moves.

    Attributes
    ----------
    encoded : (H, W, 3) 0..1, in the reference frame's light.
    seen : (H, W) in which share of the frames the place was seen there.
    empty : (H, W) whether that is enough to believe it.
    restless : (H, W) how far it is off in most frames beyond noise, encoded: leaves, edges finer than pixels.
    """

    encoded: Floats
    seen: Floats
    empty: Mask
    restless: Floats


def clean_plate(frames: NDArray[np.uint16], noise: Grain) -> Plate:
    """The plate of frames (T, H, W, 3) that lie alike and are alike bright."""
    height, width = frames.shape[1:3]
    noise = _over_time(frames, noise)
    plate, seen = np.zeros((height, width, 3), np.float32), np.zeros((height, width), np.float32)
    lit, lit_seen, restless = plate.copy(), seen.copy(), seen.copy()

    def clean(rows: slice) -> None:
        # Channel by channel: what is one after the other is reckoned faster.
        codes = np.moveaxis(frames[:, rows].reshape(len(frames), -1, 3), 2, 0)
        values = codes.astype(np.float32, order="C") / np.float32(65535)
        made, share = _middle(values, noise)
        off = _restless(values, made, noise)
        brighter, often = _brighter(values, made, noise)
        parts = ((plate, made.T), (seen, share), (restless, off), (lit, brighter.T), (lit_seen, often))
        for whole, told in parts:
            whole[rows] = told.reshape(-1, *whole.shape[1:])

    for _ in side_by_side(clean, _strips(height, width, len(frames))):
        pass
    shaded = _shaded(plate, lit, lit_seen > 0, noise)
    plate[shaded], seen[shaded] = lit[shaded], lit_seen[shaded]
    enough = max(LEAST_SHARE, LEAST_FRAMES / len(frames))
    # A lone pixel among doubtful ones is doubtful too, and the other way round.
    empty = cv2.medianBlur(((seen >= enough) | shaded).astype(np.uint8), 5) > 0
    return Plate(plate, seen, empty, cv2.dilate(restless, np.ones((3, 3), np.uint8)))


def _over_time(frames: NDArray[np.uint16], noise: Grain) -> Grain:
    """Noise as it is between frames far apart: a codec's neighbours are too much alike.

    Told by the third of each pixel's values that lie closest together; of normal noise they span 0.861 deviations
    (after the shortest half of Rousseeuw & Leroy 1988, DOI 10.1111/j.1467-9574.1988.tb01224.x).
    """
    each = max(1, int(np.sqrt(frames.shape[1] * frames.shape[2] / ASKED)))
    values = frames[:, ::each, ::each].reshape(len(frames), -1, 3).astype(np.float32) / np.float32(65535)
    order = np.sort(np.asarray(values @ GREY), axis=0)
    third = len(order) // 3 + 1
    span = (order[third - 1 :] - order[: len(order) - third + 1]).min(0)
    louder = max(1.0, float(np.median(span / _sigma_of_grey(order, noise))) / 0.861)
    return replace(noise, sigma=noise.sigma * np.float32(louder))


def _sigma_of_grey(order: NDArray[np.floating], noise: Grain) -> Floats:
    """The deviation (N,) of grey values that were sorted, (T, N)."""
    return _grey_deviation(np.repeat(order[len(order) // 2][None], 3, 0), noise)


def _grey_deviation(colours: Floats, noise: Grain) -> Floats:
    """The deviation (N,) of the grey value of colours (3, N)."""
    return np.asarray(_deviation(colours, noise).mean(0) * np.float32(0.7), np.float32)


def _deviation(colours: Floats, noise: Grain) -> Floats:
    """The noise (3, N) of colours (3, N)."""
    return np.ascontiguousarray(noise.at(np.ascontiguousarray(colours.T)).T)


def _strips(height: int, width: int, count: int) -> Iterator[slice]:
    step = max(1, STRIP // max(1, width * count * 3))
    for y in range(0, height, step):
        yield slice(y, min(height, y + step))


def _middle(values: Floats, noise: Grain) -> tuple[Floats, Floats]:
    """The place's value (3, N) of values (3, T, N), and in which share (N,) of the frames it was seen."""
    grey = _grey(values)
    order = np.sort(grey, axis=0)
    sigma_grey = _sigma_of_grey(order, noise)
    centre = _crowded(order, 2 * CLOSE * sigma_grey)
    still = _stillness(grey, sigma_grey)
    near = np.abs(grey - centre) <= CLOSE * sigma_grey
    made, near = _shifted(values, _mean(values, near * still), still, noise)
    return made, np.asarray(near.mean(0), np.float32)


def _shifted(values: Floats, made: Floats, still: Floats, noise: Grain) -> tuple[Floats, Mask]:
    """Means (3, N) moved to where values (3, T, N) lie closest in colour; which of these count (T, N)."""
    for _ in range(SHIFTS):
        wide = CLOSE * np.maximum(_deviation(made, noise), np.float32(1e-3))
        near = np.ones(still.shape, bool)
        for own, middle, reach in zip(values, made, wide, strict=True):
            near &= np.abs(own - middle) <= reach
        made = np.where(near.any(0), _mean(values, near * still), made)
    return made, near


def _grey(values: Floats) -> Floats:
    """The grey of colours (3, ...)."""
    return np.asarray(GREY[0] * values[0] + GREY[1] * values[1] + GREY[2] * values[2], np.float32)


def _crowded(order: Floats, wide: Floats) -> Floats:
    """The middle (N,) of the interval no wider than `wide` (N,) that holds the most of sorted values (T, N)."""
    count, centre = len(order), np.zeros(order.shape[1], np.float32)
    index, open_ = np.arange(order.shape[1]), np.ones(order.shape[1], bool)
    for held in range(count, 0, -1):
        widths = order[held - 1 :] - order[: count - held + 1]
        fits = np.flatnonzero((widths.min(0) <= wide) & open_)
        begin = widths[:, fits].argmin(0)
        centre[index[fits]] = (order[begin, fits] + order[begin + held - 1, fits]) / 2
        open_[fits] = False
        if open_.mean() < STILL_OPEN:
            order, wide, index = order[:, open_], wide[open_], index[open_]
            open_ = np.ones(len(index), bool)
        if not len(index):
            break
    return centre


def _brighter(values: Floats, made: Floats, noise: Grain) -> tuple[Floats, Floats]:
    """What most of those values (3, T, N) show that are brighter than `made` (3, N).

    Returns
    -------
    The mean (3, N) of all that lie as close together, and in which share of the frames that was seen; 0: too seldom.
    """
    grey = _grey(values)
    found, often = np.zeros_like(made), np.zeros(grey.shape[1], np.float32)
    above = _grey(made) + 2 * CLOSE * _grey_deviation(made, noise)
    least = max(LEAST_FRAMES, int(np.ceil(LIT_SHARE * len(grey))))
    some = np.flatnonzero((grey > above).sum(0) >= least)
    if not len(some):
        return found, often
    values, grey = values[..., some], grey[:, some]
    sigma_grey = _grey_deviation(values.max(1), noise)
    # What is not brighter lies far off, and far from its like.
    apart = 10.0 * np.arange(1, len(grey) + 1, dtype=np.float32)[:, None]
    centre = _crowded(np.sort(np.where(grey > above[some], grey, apart), axis=0), 2 * CLOSE * sigma_grey)
    near = np.abs(grey - centre) <= CLOSE * sigma_grey
    every = np.ones_like(grey)
    told, near = _shifted(values, _mean(values, near * every), every, noise)
    found[:, some], often[some] = told, np.where(near.sum(0) >= least, near.mean(0), 0)
    return found, often


def _shaded(plate: Floats, lit: Floats, often: Mask, noise: Grain) -> Mask:
    """Where (H, W) a plate shows a shadow on what `lit` (H, W, 3), encoded, shows without it."""
    if not often.any():
        return often
    # Only of such pixels: beside them there is no shadow, or somebody.
    there = on_channels(often.astype(np.float32))
    dark, light = decode_srgb(plate) * there, decode_srgb(lit) * there
    usual = np.array(USUAL_DEEPEST, np.float32)
    ratio, own = ratio_of(dark, light, ALIKE_PX), ratio_of(dark, light, 1)
    surely = often & like_shadow(ratio, 0.0, usual, BLUER) & (ratio[..., 1] < SHADED)
    opened = cv2.morphologyEx(surely.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    # At its border windows reach beyond it: there each pixel's own ratio may do.
    near = cv2.dilate(opened, np.ones((2 * ALIKE_PX + 1, 2 * ALIKE_PX + 1), np.uint8)) > 0
    found = near & often & like_shadow(own, DOUBT, usual, BLUER) & (own[..., 1] < SHADED)
    _, regions = cv2.connectedComponents(
        cv2.morphologyEx(found.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    )
    # Leaves are brighter and darker pixel by pixel, a shadow is all of a region.
    whole = np.bincount(regions[found], minlength=regions.max() + 1) > FILLED * np.bincount(regions.ravel())
    alike = _same_texture(plate, encode_srgb(light * ratio), found, regions, noise)
    return found & (whole & alike & _going_on(plate, lit, found, regions))[regions]


def _same_texture(plate: Floats, like: Floats, found: Mask, regions: NDArray[np.int32], noise: Grain) -> Mask:
    """Which regions of a plate have the texture that they should have, `like` (H, W, 3), or hardly any.

    Parameters
    ----------
    found : (H, W) the pixels that count; `regions`: the number of each one's region.
    """
    size, there = (ALIKE_PX, ALIKE_PX), found.astype(np.float32)
    share = np.maximum(cv2.blur(there, size), 1e-6)
    loud = np.maximum(noise.at(plate) @ GREY, 1e-3)

    def texture(values: Floats) -> Floats:
        grey = values @ GREY
        return np.asarray(((grey - cv2.blur(grey * there, size) / share) / loud)[found], np.float32)

    own, wanted = texture(plate), texture(like)
    number, count = regions[found], int(regions.max()) + 1
    mine, theirs, both = (np.bincount(number, one, count) for one in (own**2, wanted**2, own * wanted))
    pixels = np.maximum(np.bincount(number, minlength=count), 1)
    return np.asarray((both > ALIKE * np.sqrt(mine * theirs)) | (mine < FLAT * pixels))


def _going_on(plate: Floats, lit: Floats, found: Mask, regions: NDArray[np.int32]) -> Mask:
    """Into which regions the plate about them goes on as they are lit, not as they are; see `_same_texture`."""
    inside, about = found.astype(np.float32), (regions == 0).astype(np.float32)
    size, count = (SEAM_PX, SEAM_PX), int(regions.max()) + 1

    def mean(values: Floats, of: Floats) -> Floats:
        return np.asarray(np.log((cv2.blur(values @ GREY * of, size) + 1e-4) / (cv2.blur(of, size) + 1e-4)), np.float32)

    outside = mean(plate, about)
    goes_on = np.abs(mean(lit, inside) - outside) < np.abs(mean(plate, inside) - outside)
    border = found & (cv2.blur(about, size) > 0.1)
    pixels = np.maximum(np.bincount(regions[border], minlength=count), 1)
    return np.asarray(np.bincount(regions[border], goes_on[border], count) > SEAM_SHARE * pixels)


def _restless(values: Floats, made: Floats, noise: Grain) -> Floats:
    """The standard deviation (N,) of the grey of values (3, T, N) about `made` (3, N) that is no noise.

    Told by the third of the values that are closest, which lie within 0.431 standard deviations of normal values: so
    whoever passes counts for little.
    """
    third = values.shape[1] // 3
    spread = np.partition(np.abs(_grey(values) - _grey(made)), third, axis=0)[third] / np.float32(0.431)
    return np.sqrt(np.maximum(spread**2 - (CHANCE * _grey_deviation(made, noise)) ** 2, 0))


def _stillness(grey: Floats, sigma: Floats) -> Floats:
    """How still each pixel is at each time, (T, N): little where the next frames differ by more than noise."""
    change = np.abs(np.diff(grey, axis=0)) / np.maximum(sigma, 1e-4)
    before = np.concatenate([change[:1], change])
    after = np.concatenate([change, change[-1:]])
    return np.asarray(1 / (1 + (np.maximum(before, after) / 3) ** 4), np.float32)


def _mean(values: Floats, weights: Floats) -> Floats:
    """Of values (3, T, N), weighed (T, N), over time."""
    total = np.maximum(weights.sum(0), np.float32(1e-6))
    return np.asarray(np.einsum("ctn,tn->cn", values, weights, dtype=np.float32) / total, np.float32)
