"""The noise of a take, from frame to frame: nothing that stands still changes for any other reason."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.blend.grain import KNOTS, REACH, Grain
from lithopos.core.footage.parallel import side_by_side

LEAST = 400  # pixels by which a brightness is told
MOST_ASKED = 5_000  # pixels of a brightness in one pair that are asked
FLOOR = 0.29  # codes: rounding alone
NEAR, LOUD = 9, 4.0  # pixels across of a neighbourhood; its noise variances from which something moves
FLAT = 0.6  # of all pixels, the least steep
HANGING = 3  # pairs by which it is told how noise hangs together
QUIET = 3.0  # robust standard deviations within which a change is noise

__all__ = ["take_noise"]


def take_noise(pairs: Iterable[tuple[Floats, Floats]], variances: float) -> Grain:
    """The noise of frames, from pairs of pictures (H, W, 3) of the same, in codes of 255.

    Tukey's fences leave out what moves, and where that is near. Brightnesses that do not occur are as noisy as the
    nearest that do.

    Parameters
    ----------
    variances : of one frame in the difference of two: 2 of neighbours, 1 of a frame and a clean plate.
    """
    every = list(side_by_side(_noise_of, enumerate(pairs)))
    size = 2 * REACH + 1
    sums, counts = (sum((one[n] for one in every), np.zeros((len(KNOTS), 3))) for n in (0, 1))
    asked = max(len(every[:HANGING]), 1)
    hangs = sum((one[2] for one in every[:HANGING]), np.zeros((3, size, size))) / asked
    together = sum((one[3] for one in every[:HANGING]), np.zeros((3, 3))) / asked
    sigma = np.full_like(sums, FLOOR)
    for c in range(3):
        known = counts[:, c] >= LEAST
        if known.any():
            told = np.sqrt(sums[known, c] / counts[known, c] / variances)
            sigma[:, c] = np.interp(KNOTS, KNOTS[known], np.maximum(told, FLOOR))
    told_by = int(counts.sum() / 3)
    return Grain(sigma.astype(np.float32), hangs.astype(np.float32), together.astype(np.float32), told_by)


def _noise_of(item: tuple[int, tuple[Floats, Floats]]) -> tuple[Array, Array, Array, Array]:
    """Of one pair: sums of squares and how many, by brightness and channel (K, 3); of the first few see `_hanging`."""
    place, (one, other) = item
    sums, counts = np.zeros((len(KNOTS), 3)), np.zeros((len(KNOTS), 3))
    change, level = one - other, np.asarray((one + other) / 2, np.float32)
    planes = [plane - np.float32(np.median(plane[::4, ::4])) for plane in cv2.split(change)]
    still = _still(planes) & _flat(level)
    chosen = np.flatnonzero(still)
    for c in range(3):
        own, bright = np.take(planes[c], chosen), np.take(level[..., c], chosen)
        bins = np.clip(np.round(bright / (255 / (len(KNOTS) - 1))), 0, len(KNOTS) - 1).astype(np.uint8)
        for number in np.unique(bins):
            told = own[bins == number]
            told = told[:: max(1, len(told) // MOST_ASKED)]
            spread = max(1.4826 * float(np.median(np.abs(told))), FLOOR)
            inside = told[np.abs(told) < QUIET * spread]
            # A normal deviation cut at QUIET of them has 0.973 of its variance left.
            sums[number, c] = float((inside**2).sum()) / 0.973
            counts[number, c] = len(inside)
    if place >= HANGING:
        return sums, counts, np.zeros(0), np.zeros(0)
    return sums, counts, *_hanging([plane * still for plane in planes], still)


def _still(change: list[Floats]) -> Mask:
    """Where nothing moves, nor near: a neighbourhood changes no more than the whole picture's noise."""
    scales = [max(1.4826 * float(np.median(np.abs(one[::4, ::4]))), FLOOR) for one in change]
    times = [np.abs(one) / np.float32(scale) for one, scale in zip(change, scales, strict=True)]
    loud = cv2.boxFilter(sum(one**2 for one in times) / np.float32(3), -1, (NEAR, NEAR))
    alone = np.logical_and.reduce([one < 2 * QUIET for one in times])
    return np.asarray((cv2.dilate(loud, np.ones((NEAR, NEAR))) < LOUD) & alone)


def _flat(level: Floats) -> Mask:
    """Where no edge is near: one that lies a hair off would count as noise."""
    grey = cv2.GaussianBlur(cv2.transform(level, np.full((1, 3), 1 / 3)), (0, 0), 1.5)
    steep = np.hypot(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))
    return np.asarray(steep <= np.quantile(steep[::3, ::3], FLAT))


def _hanging(change: list[Floats], still: Mask) -> tuple[Array, Array]:
    """Correlation of a pixel's noise with its neighbours' (3, 5, 5), and of the channels (3, 3)."""
    size = 2 * REACH + 1
    found = np.zeros((3, size, size))
    height, width = still.shape
    for dy in range(REACH + 1):
        for dx in range(-REACH if dy else 0, REACH + 1):
            y0, y1, x0, x1 = max(0, dy), min(height, height + dy), max(0, dx), min(width, width + dx)
            here = [one[y0:y1, x0:x1] for one in change]
            there = [one[y0 - dy : y1 - dy, x0 - dx : x1 - dx] for one in change]
            both = still[y0:y1, x0:x1] & still[y0 - dy : y1 - dy, x0 - dx : x1 - dx]
            # Where it is not still the change is 0.
            total = np.array([np.einsum("ij,ij->i", *one).sum(dtype=float) for one in zip(here, there, strict=True)])
            # As with the neighbour on the other side.
            for way in (1, -1):
                found[:, way * dy + REACH, way * dx + REACH] = total / max(int(np.count_nonzero(both)), 1)
    found /= np.maximum(found[:, REACH : REACH + 1, REACH : REACH + 1], 1e-9)
    flat = np.array([one[still] for one in change], float)
    return found, np.asarray(np.corrcoef(flat) if flat.shape[1] > 10 else np.eye(3))
