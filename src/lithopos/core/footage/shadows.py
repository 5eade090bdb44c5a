"""What a shadow leaves of a place: how light and of which colour, and how far a frame is from that.

A shadow keeps what is under it: the plate's texture, with less light (Horprasert, Harwood & Davis 1999; Prati et al.
2003, DOI 10.1109/TPAMI.2003.1206520), of a colour that goes with how dark it is.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats, Mask, on_channels
from lithopos.core.blend.grain import Grain
from lithopos.core.colour import encode_srgb

CHANGED = 2.0  # noise variances of a neighbourhood from which it is looked at
MISSED_PX = 0.15  # how far an edge of the plate may lie off in a frame
WINDOWS = (7, 3)  # pixels across in which a shadow's ratio is told
SURELY, BORDER = 1.8, 1.2  # noise variances of what surely is a shadow; what a shadow's border counts as
# How far a shadow's red and blue may be off beside green, of natural logarithms, from and to: what is told is that of
# most of it, level ground under a blue sky; walls take light from the ground as well, which is warmer.
OFF_FROM, OFF_TO = np.array([-0.12, -0.28], np.float32), np.array([0.2, 0.12], np.float32)
LIGHTEST, LEAST_ABOUT = 1.06, 0.72
UNLIT = np.float32(0.99)  # light left in the deepest shadow where no sun is to be taken
USUAL_DEEPEST = (0.22, 0.25, 0.3)  # light left in a shadow, as long as nobody has looked

__all__ = [
    "LEAST_ABOUT",
    "LIGHTEST",
    "UNLIT",
    "USUAL_DEEPEST",
    "Looks",
    "beside_line",
    "like_shadow",
    "ratio_of",
    "shade_of",
    "shadowed",
    "variance_of",
]


def variance_of(base: Floats, noise: Grain, restless: Floats | None = None) -> Floats:
    """How much a pixel may differ from the plate by noise, and because the plate's edges lie a little off.

    Parameters
    ----------
    restless : (H, W) standard deviation for other reasons, as of a `Plate`.
    """
    grey = _of_channels(base)
    gx, gy = cv2.Sobel(grey, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(grey, cv2.CV_32F, 0, 1, scale=0.125)
    beside = MISSED_PX**2 * (gx**2 + gy**2) + np.float32((0.6 / 255) ** 2)
    if restless is not None:
        beside += restless**2
    return np.asarray(noise.at(base) ** 2 + on_channels(beside), np.float32)


@dataclass(frozen=True)
class Looks:
    """What a frame and what the plate shows of some pixels.

    Attributes
    ----------
    frame, plate : (..., 3) linear; `seen`, `base`: the same encoded.
    sigma2 : (..., 3) variance of `seen` beside `base`.
    """

    frame: Floats
    plate: Floats
    seen: Floats
    base: Floats
    sigma2: Floats
    noise: Grain

    @staticmethod
    def of(frame: Floats, plate: Floats, noise: Grain, restless: Floats | None = None) -> Looks:
        """Those of a whole frame (H, W, 3) and the plate as it would show it; `restless` as of a `Plate`."""
        base = encode_srgb(plate)
        return Looks(frame, plate, encode_srgb(frame), base, variance_of(base, noise, restless), noise)

    def at(self, some: tuple[slice, slice] | Mask) -> Looks:
        """Those of some pixels alone."""
        frame, plate, seen, base = self.frame[some], self.plate[some], self.seen[some], self.base[some]
        return Looks(frame, plate, seen, base, self.sigma2[some], self.noise)

    @cached_property
    def ratio(self) -> Floats:
        """Light left (H, W, 3), told closely."""
        return ratio_of(self.frame, self.plate, WINDOWS[1])

    @cached_property
    def plain(self) -> Floats:
        """How far (H, W) a frame is from the plate, in noise variances a channel."""
        return _of_channels((self.seen - self.base) ** 2 / self.sigma2)

    @cached_property
    def changed(self) -> Mask:
        """Where (H, W) a whole frame is looked at: not as the place is there."""
        return np.asarray(cv2.GaussianBlur(self.plain, (0, 0), 2.0) > CHANGED)


def _of_channels(values: NDArray[np.floating]) -> Floats:
    """The mean (H, W) of three channels: over so short an axis numpy's own way is slow."""
    return np.asarray(cv2.transform(values, np.full((1, 3), 1 / 3)), np.float32)


def shadowed(looks: Looks, deepest: Floats, bluer: float) -> tuple[Floats, Floats]:
    """How far (H, W) a frame is from the plate in a shadow, in noise variances a channel; the shadow's ratio (H, W, 3).

    The ratio is told in a window, and in a smaller one. A shadow's border runs through both: there, near what surely is
    a shadow, each pixel's own ratio may do, as long as it is like a shadow's.
    """
    frame, plate, seen, noise = looks.frame, looks.plate, looks.seen, looks.noise
    dim, best = np.full(plate.shape[:2], np.inf, np.float32), np.ones_like(plate)
    for size in WINDOWS:
        ratio = ratio_of(frame, plate, size)
        dimmed = encode_srgb(plate * ratio)
        # In the dark the same light is fewer codes of noise, and the plate's own edges are as far off.
        told = _of_channels((seen - dimmed) ** 2 / (variance_of(dimmed, noise) + 0.25 * looks.sigma2))
        better = like_shadow(ratio, 0.0, deepest, bluer) & (told < dim)
        dim, best = np.where(better, told, dim), np.where(on_channels(better), ratio, best)
    darker = best[..., 1] < 0.97
    surely = cv2.morphologyEx(((dim < SURELY) & darker).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    near = cv2.dilate(surely, np.ones((2 * WINDOWS[0] - 1, 2 * WINDOWS[0] - 1), np.uint8)) > 0
    own = ratio_of(frame, plate, 1)
    # Noise of linear light beside it: encoded values go with its 1/2.2th power.
    doubt = np.asarray(5.5 * _of_channels(noise.at(seen)) / np.maximum(_of_channels(seen), 0.02), np.float32)
    border = near & like_shadow(own, doubt, deepest, bluer) & (dim > BORDER)
    return np.where(border, np.float32(BORDER), dim), np.where(on_channels(border), own, best)


def ratio_of(frame: Floats, plate: Floats, size: int) -> Floats:
    """Light left (H, W, 3), by least squares in a window."""
    both = cv2.blur(frame * plate, (size, size))
    return np.asarray(both / np.maximum(cv2.blur(plate * plate, (size, size)), 1e-7), np.float32)


def beside_line(ratio: Floats, deepest: Floats) -> tuple[Floats, Floats]:
    """How a ratio (H, W, 3) lies to those of shadows: how light beside them, (H, W), and how red and blue, (2, H, W).

    All that comes from about, A = `deepest`, and a share v of the sun's rest: A + (1 − A) v is a line of ratios. v is
    taken by their brightness, then colours are told as natural logarithms beside green. Close to who throws a shadow
    less may come from about as well: only then a ratio is darker than the line.
    """
    red, green, blue = _at_least(ratio)
    line = _line(green, deepest)
    off = [np.log(own * line[1] / (green * like)) for own, like in ((red, line[0]), (blue, line[2]))]
    return np.asarray(green / line[1], np.float32), np.stack(off)


def _at_least(ratio: Floats) -> list[Floats]:
    """The channels of a ratio (..., 3), none of them nothing."""
    return [np.maximum(ratio[..., channel], np.float32(1e-4)) for channel in range(3)]


def _line(green: Floats, deepest: Floats) -> list[Floats]:
    """Channels, 3 times (...), of the ratios of shadows whose green is nearest to these, (...)."""
    least = np.moveaxis(deepest, -1, 0)
    sunny = np.clip((green - least[1]) / (1 - least[1]), 0, 1)
    return [one + (1 - one) * sunny for one in least]


def like_shadow(ratio: Floats, doubt: Floats | float, deepest: Floats, bluer: float) -> Mask:
    """Where a ratio (..., 3) may be a shadow's.

    Parameters
    ----------
    doubt : by how much colour may be off besides, of natural logarithms.
    """
    red, green, blue = _at_least(ratio)
    line = _line(green, deepest)
    close = green / line[1]
    made = (close >= LEAST_ABOUT) & (close <= LIGHTEST * (1 + doubt))
    # By how much red and blue are off, as `beside_line` has it, but without any logarithm.
    for place, (own, at, more) in enumerate(((red, line[0], (bluer, 0.0)), (blue, line[2], (0.0, bluer)))):
        own, like = own * line[1], green * at
        least, most = OFF_FROM[place] - more[0] - doubt, OFF_TO[place] + more[1] + doubt
        made &= (own >= np.exp(least) * like) & (own <= np.exp(most) * like)
    return np.asarray(made)


def shade_of(frame: Floats, plate: Floats) -> Floats:
    """The plain ratio of a frame to the plate, bounded: what a stroke takes as a shadow."""
    return np.asarray(np.clip(ratio_of(frame, plate, WINDOWS[0]), 0.05, LIGHTEST), np.float32)
