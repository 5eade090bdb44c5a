"""How much brighter or darker a frame is than the clean plate, smoothly over the picture: clouds, exposure."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats

ORDER = 3  # of the polynomial by which a change of light spreads over the picture
ASKED, LEAST_BLOCK = 4_000, 4  # means of so many blocks tell a gain; pixels across of the smallest
DARK, BRIGHT = 0.004, 0.9  # linear light between which a pixel tells its gain
ROUNDS, TUKEY = 8, 4.685
ENOUGH = 1e-4  # of a factor's logarithm
SHRINK = 0.002  # how much the bent terms are held back, against a share of all pixels

__all__ = ["fitted_gain", "gain_field"]


@cache
def _terms(width: int, height: int) -> Array:
    """Products (H, W, 10) of powers of places in −1..1, up to `ORDER`."""
    y, x = np.meshgrid(np.linspace(-1, 1, height), np.linspace(-1, 1, width), indexing="ij")
    powers = [(i, j) for total in range(ORDER + 1) for i in range(total + 1) for j in [total - i]]
    return np.stack([x**i * y**j for i, j in powers], -1)


def fitted_gain(frame: Floats, plate: Floats) -> Array:
    """A frame's gain as factors of `_terms`, (10, 3), of its logarithm by channel.

    Tukey's weights leave out who walks through; bent terms are held back, so that they don't follow them.

    Parameters
    ----------
    frame, plate : (H, W, 3) linear light.
    """
    height, width = frame.shape[:2]
    each = max(LEAST_BLOCK, np.sqrt(width * height / ASKED))
    size = (max(8, round(width / each)), max(8, round(height / each)))
    small = [np.maximum(cv2.resize(one, size, interpolation=cv2.INTER_AREA), 1e-5) for one in (frame, plate)]
    good = ((small[1] > DARK) & (small[1] < BRIGHT) & (small[0] < BRIGHT)).all(-1)
    terms = _terms(*size)[good]
    held = SHRINK * len(terms) * np.diag([0.0] + [1.0] * (terms.shape[1] - 1))
    found = np.zeros((terms.shape[1], 3))
    if len(terms) < 100:
        return found
    for channel in range(3):
        told = np.log(small[0][good][:, channel].astype(float) / small[1][good][:, channel])
        found[0, channel] = np.median(told)
        for _ in range(ROUNDS):
            rest = told - terms @ found[:, channel]
            scale = max(1.4826 * float(np.median(np.abs(rest))), 1e-4)
            weights = np.clip(1 - (rest / (TUKEY * scale)) ** 2, 0, None) ** 2
            normal = terms.T @ (terms * weights[:, None]) + held
            before = found[:, channel].copy()
            found[:, channel] = np.linalg.solve(normal, terms.T @ (weights * told))
            if np.abs(found[:, channel] - before).max() < ENOUGH:
                break
    return found


def gain_field(factors: Array, height: int, width: int) -> Floats:
    """A gain (H, W, 3) for each pixel."""
    coarse = np.exp(_terms(24, 24) @ factors).astype(np.float32)
    return np.asarray(cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC), np.float32)
