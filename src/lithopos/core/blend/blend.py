"""Blending: what is rendered is given the photograph's haze, black, sharpness, fringes and grain, and graded."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from lithopos.core.arrays import Floats, Mask
from lithopos.core.blend.grade import graded, is_plain
from lithopos.core.blend.grain import KNOTS, Grain, grain_field, measured_grain
from lithopos.core.blend.lut import Luts
from lithopos.core.blend.sharpness import PIXEL_SIGMA, Sharpness, spread
from lithopos.core.colour import linear_of, luminance
from lithopos.core.encoding import SRGB, Encoding
from lithopos.core.exchange.picture import Codes, codes_of, encoded_of
from lithopos.core.layers import Window
from lithopos.core.shot import Blend, Grade, Haze

BLENDING = 2  # raised when a measure changes, so that what was kept is measured anew
DARKEST = 0.0005  # the share of a photograph's pixels that tell how dark it gets
FAINT = 0.25 / 255  # encoded: grain that would only tip codes that lie on the brink
GREY = 0.46  # encoded: where figures of grain are told
SPARE_PX = 512  # by which a field of grain is larger than the frames that take parts of it

__all__ = [
    "BLENDING",
    "FAINT",
    "BlendAnswer",
    "FrameGrain",
    "Measured",
    "Tones",
    "as_photographed",
    "blend_answer",
    "deviation_lacking",
    "grain_lacking",
    "measured",
    "sharpness_in_force",
    "softened",
    "through_air",
]


@dataclass(frozen=True)
class Measured:
    """What was measured of a photograph; None where it can't be told.

    Attributes
    ----------
    darkest : linear light of its darkest pixels: no more than that can lie over all of it.
    """

    grain: Grain | None
    sharpness: Sharpness | None
    darkest: float


class BlendAnswer(BaseModel):
    """What a photograph shows of how it was taken, for people.

    Attributes
    ----------
    grain : standard deviations of its noise by channel in a middle grey [codes of 255]; `grain_by`: by brightness, at
        `grain_at` codes, of the channels' mean.
    hangs : how far the noise of neighbours hangs together, 0 to 1.
    across_px : over how many pixels a sharp edge goes from 10 to 90 %; `softness_px` what a render is spread by for it.
    halo : by which share of a step a sharp edge overshoots, as the camera sharpened it; 0: not at all.
    red_px, blue_px : how much larger than green they are drawn, in a corner [px].
    darkest : linear light of its darkest pixels.
    """

    grain: tuple[float, float, float] | None = None
    grain_at: list[float] = []
    grain_by: list[float] = []
    hangs: float | None = None
    across_px: float | None = None
    softness_px: float | None = None
    edges: int = 0
    halo: float = 0.0
    red_px: float = 0.0
    blue_px: float = 0.0
    darkest: float = 0.0


def measured(codes: Codes, sharpness: Sharpness | None) -> Measured:
    """All that is told of a photograph's codes (H, W, 3), with its sharpness at this size."""
    few = codes[:: max(1, codes.shape[0] // 600), :: max(1, codes.shape[1] // 900)]
    darkest = float(np.quantile(luminance(linear_of(few)), DARKEST))
    return Measured(measured_grain(codes), sharpness, darkest)


def blend_answer(found: Measured, width: int, height: int) -> BlendAnswer:
    """What was measured in a picture of a size, in figures."""
    told = BlendAnswer(darkest=found.darkest)
    if found.grain:
        at_grey = found.grain.at(np.full((1, 1, 3), GREY, np.float32))[0, 0] * 255
        told.grain = (float(at_grey[0]), float(at_grey[1]), float(at_grey[2]))
        told.grain_at, told.grain_by = KNOTS.tolist(), found.grain.sigma.mean(1).astype(float).tolist()
        middle = found.grain.hangs.shape[1] // 2
        told.hangs = float(
            np.mean([found.grain.hangs[:, middle, middle + 1], found.grain.hangs[:, middle + 1, middle]])
        )
    if found.sharpness:
        corner = float(np.hypot(width, height)) / 2
        told.across_px, told.softness_px = found.sharpness.across_px, found.sharpness.blur_px
        told.edges, told.halo = found.sharpness.told_by, found.sharpness.halo
        told.red_px, told.blue_px = found.sharpness.red * corner, found.sharpness.blue * corner
    return told


def sharpness_in_force(blend: Blend, found: Measured, scale: float) -> Sharpness | None:
    """How soft a render is made in a picture `scale` times the photograph's size; None: it stays as it is."""
    told = found.sharpness or Sharpness(PIXEL_SIGMA, 0.0, 0.0, 0)
    softness_px = blend.softness_px
    if softness_px is None and blend.lens and blend.lens.aperture_mm > 0:
        softness_px = blend.lens.softness_px
    if softness_px is not None:
        told = replace(told, sigma_px=float(np.hypot(PIXEL_SIGMA, softness_px * scale)))
    told = replace(told, red=told.red * blend.fringes, blue=told.blue * blend.fringes)
    told = replace(told, sharpened=told.sharpened * blend.halos)
    return told if told.blur_px > 0.05 or told.red or told.blue or told.sharpened else None


def softened(
    parts: tuple[Floats, Floats, Floats, Floats], soft: Sharpness | None, window: Window, size: tuple[int, int]
) -> tuple[Floats, Floats, Floats, Floats]:
    """Shadow, added, model and cover of a window, spread as the photograph spreads what is sharp; 1 and 0 stay so."""
    if soft is None:
        return parts
    shadow, added, model, cover = parts
    taken, added, model = (spread(one, soft, window, size) for one in (1 - shadow, added, model))
    plain = replace(soft, red=0.0, blue=0.0)
    return 1 - taken, added, model, np.clip(spread(cover, plain, window, size), 0, 1)


def as_photographed(
    parts: tuple[Floats, Floats, Floats, Floats],
    depth_m: Floats,
    blend: Blend,
    found: Measured,
    scale: float,
    window: Window,
    size: tuple[int, int],
) -> tuple[Floats, Floats, Floats, Floats]:
    """Shadow, added light, models and their cover of a window as a photograph would show them.

    Parameters
    ----------
    depth_m : (H, W) how far away the models are.
    scale, size : of the picture, beside the photograph's own and in pixels (width, height).
    """
    shadow, added, model, cover = softened(parts, sharpness_in_force(blend, found, scale), window, size)
    return shadow, added, veiled(through_air(model, cover, depth_m, blend.haze), cover, blend.black), cover


def through_air(model: Floats, cover: Floats, depth_m: Floats, haze: Haze | None) -> Floats:
    """The models' light (H, W, 3) through haze: I = J t + A (1 − t), t = 2^(−d / half). (Koschmieder 1924.)"""
    if haze is None:
        return model
    left = (0.5 ** (depth_m / np.float32(haze.half_m)))[..., None].astype(np.float32)
    return np.asarray(model * left + (1 - left) * cover[..., None] * np.array(haze.colour, np.float32), np.float32)


def veiled(model: Floats, cover: Floats, black: float) -> Floats:
    """The models' light with a black under it, as a lens's stray light lies over all it sees."""
    return np.asarray(model * np.float32(1 - black) + np.float32(black) * cover[..., None], np.float32)


def grain_lacking(
    grain: Grain, amount: float, base: Floats, made: Floats, kept: Floats, where: Mask, window: Window, seed: int
) -> Floats:
    """Grain (H, W, 3) for a window, as encoded values: as much as its new tones would have and it has not.

    Parameters
    ----------
    base, made : the photograph's and the finished picture's encoded values (H, W, 3).
    kept : (H, W, 3) which share of the photograph's linear light is left in the picture, its noise with it.
    where : (H, W) something was rendered; elsewhere none is lacking.
    """
    found = np.zeros_like(made)
    lacking = deviation_lacking(grain, base[where], made[where], kept[where])
    found[where] = amount * lacking * grain_field(grain, window, seed)[where]
    return found


def deviation_lacking(grain: Grain, base: Floats, made: Floats, kept: Floats) -> Floats:
    """Of the noise that N pixels' new tones would have, the standard deviation (N, 3) that they lack, encoded.

    Parameters
    ----------
    base, made : (N, 3) the photograph's and the finished picture's encoded values.
    kept : (N, 3) or (N, 1) which share of the photograph's linear light is left, its noise with it.
    """
    moved = kept * _slope(base) / np.maximum(_slope(made), 1e-6)
    lacking = np.sqrt(np.maximum(grain.at(made) ** 2 - (grain.at(base) * moved) ** 2, 0))
    return np.asarray(np.where(lacking < FAINT, 0, lacking), np.float32)


@dataclass(frozen=True)
class FrameGrain:
    """Grain for all frames of a take: each takes another part of one wide field.

    Attributes
    ----------
    field : (H + SPARE_PX, W + SPARE_PX, 3) noise of unit deviation.
    """

    grain: Grain
    amount: float
    field: Floats

    @staticmethod
    def of(grain: Grain, amount: float, width: int, height: int) -> FrameGrain:
        """That of frames so large."""
        window = Window(0, 0, width + SPARE_PX, height + SPARE_PX)
        return FrameGrain(grain, amount, grain_field(grain, window, 7919))

    def lacking(self, number: int, base: Floats, made: Floats, kept: Floats, pixels: NDArray[np.intp]) -> Floats:
        """Grain (N, 3) of a frame's pixels, as encoded values; see `deviation_lacking`.

        Parameters
        ----------
        pixels : (N,) their place in the frame, row by row.
        """
        x, y = np.random.default_rng(number).integers(0, SPARE_PX, 2)
        wide = self.field.shape[1]
        rows, columns = np.divmod(pixels, wide - SPARE_PX)
        noise = np.take(self.field.reshape(-1, 3), (rows + y) * wide + columns + x, axis=0)
        return np.asarray(np.float32(self.amount) * deviation_lacking(self.grain, base, made, kept) * noise, np.float32)


def _slope(encoded: Floats) -> Floats:
    """How much linear light changes with the encoded value of sRGB."""
    e = np.clip(np.asarray(encoded, np.float32), 0, 1)
    made = np.float32(2.4 / 1.055) * ((e + np.float32(0.055)) / np.float32(1.055)) ** np.float32(1.4)
    return np.where(e <= np.float32(0.04045), np.float32(1 / 12.92), made)


@dataclass(frozen=True)
class Tones:
    """The grades of the place and of the whole picture, and how its codes stand for light.

    Models are graded where they are put together.
    """

    place: Grade = field(default_factory=Grade)
    whole: Grade = field(default_factory=Grade)
    luts: Luts = field(default_factory=dict)
    encoding: Encoding = SRGB

    @property
    def plain(self) -> bool:
        """Whether neither changes anything."""
        return is_plain(self.place) and is_plain(self.whole)

    def of_place(self, linear: Floats) -> Floats:
        """Photographed light, graded: by the file's own colours, which hold all that it shows."""
        if is_plain(self.place):
            return linear
        return self.encoding.from_own(graded(self.encoding.to_own(linear), self.place, self.luts))

    def finished(self, encoded: Floats) -> Floats:
        """A finished picture's encoded values, graded."""
        if is_plain(self.whole):
            return encoded
        return self.encoding.encoded_own(graded(self.encoding.own_of(encoded), self.whole, self.luts))

    def photograph(self, codes: Codes) -> Codes:
        """The photograph's codes where no model changes anything; the same ones if there is no grade."""
        if self.plain:
            return codes
        encoded = encoded_of(codes)
        if not is_plain(self.place):
            encoded = self.encoding.encoded_own(graded(self.encoding.own(codes), self.place, self.luts))
        return codes_of(self.finished(encoded), codes.dtype)
