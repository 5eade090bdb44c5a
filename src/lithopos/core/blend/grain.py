"""Grain: how noisy a photograph is by brightness and channel, how its noise hangs together, and giving the same.

Noise is told from small blocks by their cosine transform. Texture fills low, middle and high frequencies of a block
together, noise does so by chance: the blocks that are quietest in one band are measured in the others, so that
choosing them does not bias what is measured (after the weakly textured patches of Liu, Tanaka & Okutomi 2013,
DOI 10.1109/TIP.2013.2283400). A sensor's noise is shot noise and read noise, `a x + b` of linear light x (Foi et al.
2008, DOI 10.1109/TIP.2008.2001399), bent a little for what a camera made of it; texture that is left only adds to it,
so the curve is laid along the lower border of what the blocks say.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.fft import dctn
from scipy.optimize import least_squares

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import decode_srgb
from lithopos.core.layers import Window

BLOCK = 8
MOST_BLOCKS = 60_000
BIN = 12.0  # codes of a bin of brightness
LEAST_IN_BIN, QUIETEST = 24, 0.05  # blocks of a bin that count, and which share of them is taken for flat
CLIPPED = (3.0, 251.0)  # codes beyond which noise is cut off
ROUNDS, FLAT = 3, 1.35  # how often flat blocks are judged anew, by how much of the curve's variance they may have
AWAY = np.hypot(*np.meshgrid(np.arange(BLOCK), np.arange(BLOCK)))  # a frequency's distance from none at all
# Low frequencies, by which flat blocks are chosen, and higher ones that are measured.
LOW, HIGH = ((AWAY > 0) & (AWAY < 2.6)).astype(float), (AWAY >= 2.6).astype(float)
REACH = 2  # how far noise hangs together [px]
KNOTS = np.linspace(0, 255, 18)
FLOOR = 0.29  # codes: rounding alone, 1/√12
ABOVE, BELOW = 0.03, 0.03  # how far, in logarithms, bins may lie off the curve; texture pulls up, chance both ways

__all__ = ["Grain", "grain_field", "measured_grain"]


@dataclass(frozen=True)
class Grain:
    """A photograph's noise.

    Attributes
    ----------
    sigma : (18, 3) standard deviation by channel at the codes `KNOTS` [codes of 255].
    hangs : (3, 5, 5) by channel: the correlation of a pixel's noise with that of pixels up to `REACH` away.
    together : (3, 3) correlation of the channels' noise in one pixel.
    told_by : how many flat blocks it was told by.
    """

    sigma: Floats
    hangs: Floats
    together: Floats
    told_by: int

    def at(self, encoded: Floats) -> Floats:
        """The standard deviation (..., 3) at encoded values 0..1, as encoded values; told by the nearest code."""
        if not encoded.size:
            return np.zeros(encoded.shape, np.float32)
        codes = np.clip(encoded * np.float32(255) + np.float32(0.5), 0, 255).astype(np.uint8)
        return np.asarray(cv2.LUT(codes.reshape(1, -1, 3), self._of_codes).reshape(encoded.shape))

    @cached_property
    def _of_codes(self) -> Floats:
        """(1, 256, 3) deviations at all codes: looked up far faster than interpolated pixel by pixel."""
        found = [np.interp(np.arange(256), KNOTS, self.sigma[:, c] / 255) for c in range(3)]
        return np.stack(found, -1).astype(np.float32)[None]

    @property
    def variance(self) -> float:
        """That of all channels in a middle grey, of encoded values."""
        return float((self.sigma[len(KNOTS) // 2] ** 2).mean() / 255**2)

    @cached_property
    def kernels(self) -> Floats:
        """(3, 5, 5) filters that make white noise hang together like this, each of unit energy."""
        size = 2 * REACH + 1
        made = []
        for one in self.hangs:
            padded = np.zeros((16, 16))
            padded[:size, :size] = one
            power = np.fft.fft2(np.roll(padded, (-REACH, -REACH), (0, 1))).real
            kernel = np.fft.ifft2(np.sqrt(np.maximum(power, 0))).real
            kernel = np.roll(kernel, (REACH, REACH), (0, 1))[:size, :size]
            made.append(kernel / np.sqrt((kernel**2).sum()))
        return np.array(made, np.float32)


def measured_grain(codes: NDArray[np.uint8] | NDArray[np.uint16]) -> Grain | None:
    """A photograph's noise from its codes (H, W, 3); None where nothing in it is flat enough to tell."""
    blocks = _blocks(codes)
    if blocks is None:
        return None
    told = dctn(blocks, axes=(1, 2), norm="ortho")  # (N, 8, 8, 3)
    spectra, means = told**2, blocks.mean((1, 2))
    quiet = _quietest((spectra.sum(-1) * LOW).sum((1, 2)), means)
    if quiet.sum() < LEAST_IN_BIN:
        return None
    still = _quietest((spectra.sum(-1) * HIGH).sum((1, 2)), means)
    for _ in range(ROUNDS):
        sigma, shape = np.zeros((len(KNOTS), 3)), np.zeros((3, BLOCK, BLOCK))
        loud = np.zeros(len(means))
        for c in range(3):
            shape[c] = _shape(spectra[quiet, ..., c], spectra[still, ..., c])
            energy = (spectra[..., c] * HIGH).sum((1, 2)) / (shape[c] * HIGH).sum()
            sigma[:, c] = _curve(means[quiet, c], energy[quiet])
            loud += energy / np.interp(means[:, c], KNOTS, sigma[:, c]) ** 2 / 3
        flat = loud < FLAT
        if (quiet & flat).sum() < LEAST_IN_BIN or (still & flat).sum() < LEAST_IN_BIN:
            break
        quiet, still = quiet & flat, still & flat
    hangs = np.array([_autocorrelation(one) for one in shape])
    return Grain(sigma.astype(np.float32), hangs.astype(np.float32), _together(told[quiet]), int(quiet.sum()))


def grain_field(grain: Grain, window: Window, seed: int) -> Floats:
    """Noise (H, W, 3) of unit deviation that hangs together like a photograph's; the same wherever a window begins."""
    around = Window(window.x0 - REACH, window.y0 - REACH, window.x1 + REACH, window.y1 + REACH)
    white = _white(around, seed) @ np.linalg.cholesky(grain.together + 1e-4 * np.eye(3)).T.astype(np.float32)
    made = [cv2.filter2D(white[..., c], -1, grain.kernels[c]) for c in range(3)]
    return np.ascontiguousarray(np.stack(made, -1)[REACH:-REACH, REACH:-REACH])


def _white(window: Window, seed: int) -> Floats:
    """Normal noise that a pixel's place alone decides: (H, W, 3).

    Places are hashed (the finaliser of Steele, Lea & Flood 2014, DOI 10.1145/2660193.2660195, section 5) and turned
    into normal numbers by Box & Muller 1958.
    """
    rows, columns = (np.arange(a, b, dtype=np.int64) for a, b in ((window.y0, window.y1), (window.x0, window.x1)))
    place = (rows[:, None] << 32) + (columns[None] & 0xFFFFFFFF)
    draws = []
    for number in range(4):
        z = place.astype(np.uint64) + np.uint64((0x9E3779B97F4A7C15 * (4 * seed + number + 1)) % 2**64)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        draws.append(((z ^ (z >> np.uint64(31))) >> np.uint64(40)).astype(np.float32) / np.float32(2**24))
    away = [np.sqrt(-2 * np.log(np.maximum(one, np.float32(1e-7)))) for one in draws[::2]]
    turn = [np.float32(2 * np.pi) * one for one in draws[1::2]]
    found = [away[0] * np.cos(turn[0]), away[0] * np.sin(turn[0]), away[1] * np.cos(turn[1])]
    return np.stack(found, -1).astype(np.float32)


def _blocks(codes: NDArray[np.uint8] | NDArray[np.uint16]) -> Array | None:
    """Blocks (N, 8, 8, 3) of codes of 255 without clipped ones; off the grid of 8 on which JPEG has its own."""
    height, width = codes.shape[:2]
    rows, columns = (height - 4) // BLOCK, (width - 4) // BLOCK
    if rows < 4 or columns < 4:
        return None
    part = codes[4 : 4 + rows * BLOCK, 4 : 4 + columns * BLOCK]
    cut = part.reshape(rows, BLOCK, columns, BLOCK, 3).swapaxes(1, 2).reshape(-1, BLOCK, BLOCK, 3)
    if len(cut) > MOST_BLOCKS:
        cut = cut[np.random.default_rng(0).choice(len(cut), MOST_BLOCKS, replace=False)]
    blocks = cut / (np.iinfo(codes.dtype).max / 255)
    inside = (blocks.min((1, 2, 3)) > CLIPPED[0]) & (blocks.max((1, 2, 3)) < CLIPPED[1])
    found = blocks[inside]
    return found if len(found) >= LEAST_IN_BIN else None


def _quietest(loud: Array, means: Array) -> NDArray[np.bool_]:
    """The quietest blocks of each bin of brightness."""
    bins = (means.mean(1) // BIN).astype(int)
    quiet = np.zeros(len(means), bool)
    for one in np.unique(bins):
        members = np.flatnonzero(bins == one)
        if len(members) >= LEAST_IN_BIN:
            count = max(LEAST_IN_BIN // 2, round(QUIETEST * len(members)))
            quiet[members[np.argsort(loud[members])[:count]]] = True
    return quiet


def _shape(quiet: Array, still: Array) -> Array:
    """How noise is spread over the frequencies of a block (8, 8), 1 on average; blocks count alike, bright or dark.

    Blocks that are `quiet` in low frequencies tell the high ones, such as are `still` in high ones the low. Shading is
    low too: what they tell is held to what the middle frequencies let expect of noise that was blurred.
    """
    shape = (quiet / np.maximum((quiet * HIGH).sum((1, 2), keepdims=True), 1e-9)).mean(0)
    middle = (AWAY >= 2.6) & (AWAY < 5)
    slope, at_zero = np.polyfit(AWAY[middle] ** 2, np.log(np.maximum(shape[middle], 1e-9)), 1)
    expected = np.exp(at_zero + min(slope, 0.0) * AWAY**2)
    low = LOW > 0
    told = (still * LOW).sum((1, 2)) / np.maximum((still * HIGH).sum((1, 2)), 1e-9) / low.sum()
    told_low = float(np.quantile(told, 0.3)) / 0.67  # the 30 % quantile of chi square of 7, over 7
    shape[low | (AWAY == 0)] = np.minimum(expected, max(told_low, 0.5 * shape[middle].mean()))[low | (AWAY == 0)]
    return np.asarray(shape / shape.mean())


def _curve(means: Array, energy: Array) -> Array:
    """Standard deviations at `KNOTS` from blocks' means and variances [codes of 255]."""
    bins = (means // BIN).astype(int)
    at, told, weight = [], [], []
    for one in np.unique(bins):
        members = bins == one
        if members.sum() >= LEAST_IN_BIN // 2:
            at.append(means[members].mean())
            told.append(0.5 * np.log(max(_centre(energy[members]), FLOOR**2 / 4)))
            weight.append(np.sqrt(min(members.sum(), 200) / 200))
    if not at:
        return np.full(len(KNOTS), np.sqrt(_centre(energy)))  # too few of any one brightness to tell a curve
    levels, sigmas, weights = np.array(at), np.array(told), np.array(weight)

    def off(values: Array) -> Array:
        apart = sigmas - _log_sigma(values, levels)
        pulled = np.where(apart > 0, ABOVE * np.sqrt(np.log1p((apart / ABOVE) ** 2)), apart) / BELOW
        return np.concatenate([weights * pulled, [values[2] / 0.5], (values[:2] - start[:2]) / 4])

    flat = float(np.quantile(sigmas, 0.2))
    start = np.array([2 * flat - 8.5, 2 * flat - 11.5, 0.0])
    best = least_squares(off, start, method="lm").x
    return np.exp(_log_sigma(best, KNOTS))


def _centre(values: Array) -> float:
    """A mean that few loud blocks don't move: of the lower three quarters, brought to that of all."""
    ordered = np.sort(values)
    return float(ordered[: max(1, int(0.75 * len(ordered)))].mean() / 0.89)


def _log_sigma(values: Array, codes: Array) -> Array:
    """The logarithm of the deviation [codes of 255] at codes, by shot noise, read noise (logarithms) and a bend."""
    shot, read, bend = np.exp(np.clip(values[0], -30, 5)), np.exp(np.clip(values[1], -30, 5)), values[2]
    e = np.clip(codes / 255, 0, 1)
    linear = decode_srgb(e).astype(float)
    slope = np.where(e <= 0.04045, 12.92, 1.055 / 2.4 * np.maximum(linear, 1e-4) ** (1 / 2.4 - 1))
    variance = (255 * slope) ** 2 * (shot * linear + read) + FLOOR**2 / 4
    return np.asarray(0.5 * np.log(variance) + bend * (e - 0.5))


def _autocorrelation(shape: Array) -> Array:
    """(5, 5) from how noise is spread over a block's frequencies."""
    basis = dctn(np.eye(BLOCK), axes=[0], norm="ortho")  # (frequency, place)
    # Of places p, q a block's covariance is Σ P(u, v) b(u, p) b(u, q) …; averaged over all pairs as far apart.
    found = np.zeros((2 * REACH + 1, 2 * REACH + 1))
    along = {}
    for lag in range(REACH + 1):
        along[lag] = (basis[:, : BLOCK - lag] * basis[:, lag:]).mean(1)  # (frequency,)
    for dy in range(-REACH, REACH + 1):
        for dx in range(-REACH, REACH + 1):
            found[dy + REACH, dx + REACH] = along[abs(dy)] @ shape @ along[abs(dx)]
    return np.asarray(found / found[REACH, REACH])


def _together(told: Array) -> Floats:
    """The correlation (3, 3) of the channels' noise, by flat blocks' cosine transforms (N, 8, 8, 3)."""
    parts = told * (AWAY > 0)[..., None]
    sums = np.einsum("nuvc,nuvd->cd", parts, parts)
    deviation = np.sqrt(np.diag(sums))
    return np.asarray(sums / np.maximum(np.outer(deviation, deviation), 1e-9), np.float32)
