"""Putting the traced layers into the photograph.

Where a receiver is seen: photo × L_with / L_without, with the receiver's whole surface (body and coat) in the
one ratio; where the model is seen: its own radiance in the photograph's exposure; in between by coverage.
Source: Debevec 1998 (DOI 10.1145/280814.280864). What is traced is denoised, the photograph never.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Floats, Mask, largest_channel
from lithopos.core.colour import encode_srgb, linear_of
from lithopos.core.composite.borders import Sunlit, by_the_photograph, strip_px
from lithopos.core.composite.denoise import Quality, denoise
from lithopos.core.composite.parts import extent, rise
from lithopos.core.exchange.picture import Codes
from lithopos.core.filling import filled
from lithopos.core.layers import Layers

# The light of a receiver is taken to grow at most this many times: brighter pixels are stray paths. Lamps that are
# added to the place may light a dark one much more.
BRIGHTEST, BRIGHTEST_ADDED = 4.0, 100.0
# A change is told from noise over a neighbourhood of this share of the picture's width (standard deviation)…
NEIGHBOURHOOD = 1 / 192
# … and begins to count at this many deviations of its mean. One stray pixel, however bright, has 1.4.
DOUBTED, TRUSTED = 2.5, 4.5
# In half codes: below, a change is one code at most, which nobody sees; two codes are whole.
NOTICED = (3.0, 4.0)
# Where noise is measured: places that change by this share over so many pixels, and such as models fill so far; a
# stray pixel counts so much.
CLIPPED, TOLD_PX = 0.97, 2.0  # linear; over so much is what was clipped smoothed
LEAST_CHANGED, NEAR_PX, WHOLE_COVER, STRAY = 0.02, 7, 0.99, 16.0

__all__ = ["BRIGHTEST", "BRIGHTEST_ADDED", "Caught", "catch", "halo_px", "light_ratio", "noise_of"]


@dataclass(frozen=True)
class Caught:
    """What the models do to a window, apart from the photograph.

    Attributes
    ----------
    shadow : (H, W, 3) what the place keeps of its light, at most 1.
    added : (H, W, 3) linear light that it gets on top: mirrored, thrown back, gathered.
    model : (H, W, 3) the models' own light times `cover` (H, W), in the photograph's exposure.
    cut : how many pixels of receivers were cut to the stated bound.
    """

    shadow: Floats
    added: Floats
    model: Floats
    cover: Floats
    cut: int = 0


def halo_px(width: int) -> int:
    """How much about a tile is looked at so that tiles of a picture `width` wide show no seam [px]."""
    return int(np.ceil(max(64, 4 * NEIGHBOURHOOD * width, 4 * strip_px(width))))


def catch(
    codes: Codes,
    layers: Layers,
    fade: Floats,
    gain: Floats,
    width: int,
    quality: Quality,
    brightest: float = BRIGHTEST,
    shadow: Floats | None = None,
    bump: Callable[[Floats, Mask], Floats] | None = None,
    opened: bool = False,
    clipped_gain: Floats | None = None,
) -> Caught:
    """What the models do to a window of the photograph.

    Parameters
    ----------
    codes : (H, W, 3) of the window.
    fade : (H, W) 0 at the border of what was traced, 1 within.
    gain : (3,), or of each pixel (H, W, 3), from the renderer's radiance to the photograph's linear values.
    width : of the whole picture [px].
    brightest : how many times the light of a receiver may grow at most.
    shadow : (3,) the power to which what is left of the light counts, by channel, by hand; None: as it is.
    bump : gives what is kept of the light on ground that is not quite even, by that on even ground and where no model
        is (H, W).
    opened : the lens was, so that outlines are wide and their coverage is as noisy as light.
    clipped_gain : where what receivers are made of tells how bright they are where the photograph is clipped, the gain
        with which: as `gain`, but without what is set by hand.
    """
    top = np.float32(np.iinfo(codes.dtype).max)
    cover = np.clip(layers.mean("coverage"), 0, 1) if "coverage" in layers else np.zeros(codes.shape[:2], np.float32)
    base = linear_of(codes)
    ratio, cut = light_ratio(layers, cover, base, width, float(top), quality, brightest)
    if "sunlit" in layers:
        surface = layers.sums["surface"].astype(np.int32)
        ratio = by_the_photograph(ratio, Sunlit(layers.sums["sunlit"], surface), cover <= 0, base, width)
    if bump is not None:
        ratio = bump(ratio, cover <= 0)
    taken = fade * (1 - np.clip(layers.mean("withheld"), 0, 1)) if "withheld" in layers else fade
    if clipped_gain is not None:
        ratio = _of_clipped(ratio, base, np.asarray(layers.mean("without") * clipped_gain, np.float32))
    if shadow is not None:
        ratio = np.where(ratio < 1, np.maximum(ratio, 1e-4) ** shadow, ratio)
    ratio = 1 + (ratio - 1) * taken[..., None]
    shown = _smooth_cover(cover, quality) if opened and cover.any() else cover
    model = _model_light(layers, cover, shown, ratio, gain, quality) if cover.any() else np.zeros_like(base)
    return Caught(np.minimum(ratio, 1), base * np.maximum(ratio - 1, 0), model, shown, cut)


def _of_clipped(ratio: Floats, base: Floats, shown: Floats) -> Floats:
    """What is kept of clipped values, (H, W, 3), where that is less than they were before they were clipped.

    Parameters
    ----------
    shown : (H, W, 3) linear values as traced, with their noise.
    """
    brighter = cv2.GaussianBlur(np.maximum(shown, 1), (0, 0), TOLD_PX)
    kept = np.where(base >= CLIPPED, np.minimum(ratio * brighter, 1), ratio)
    return np.where(ratio < 1, kept, ratio).astype(np.float32)


def noise_of(codes: Codes, layers: Layers, gain: Floats) -> float:
    """How much of what the models show and change is noise, in codes of 255, before it is smoothed.

    From the difference of both halves; the root of the mean square, the greater of models and changed places.
    """
    if "with" not in layers:
        return 0.0
    cover = np.clip(layers.mean("coverage"), 0, 1) if "coverage" in layers else np.zeros(codes.shape[:2], np.float32)
    (seen, again), (bare, bare_again) = _by_half(layers)
    found = [0.0]
    # A change is told over a small neighbourhood: noise alone is none.
    ratio = cv2.blur(_ratio(_mean_of(seen, again), _mean_of(bare, bare_again)), (NEAR_PX, NEAR_PX))
    changed = (cover <= 0) & (largest_channel(np.abs(ratio - 1)) > LEAST_CHANGED)
    if changed.any():
        base = linear_of(codes[changed])
        halves = _ratio(seen[changed], bare[changed]) - _ratio(again[changed], bare_again[changed])
        found.append(_codes_off(np.asarray(halves / 2 * base, np.float32), base * ratio[changed]))
    full = cover >= WHOLE_COVER
    if full.any():
        light = np.asarray((seen[full] + again[full]) / 2 * gain, np.float32)
        found.append(_codes_off(np.asarray((seen[full] - again[full]) / 2 * gain, np.float32), light))
    return max(found)


def _codes_off(off: Floats, light: Floats) -> float:
    """The root mean square of how many codes linear values are off; a stray one counts for `STRAY` at most."""
    a_step = np.float32(0.5) / (_half_code(light, 255.0) * np.maximum(light, np.float32(1e-4)))
    return float(np.sqrt(np.mean(np.clip(off * a_step, -STRAY, STRAY) ** 2)))


def light_ratio(
    layers: Layers,
    cover: Floats,
    base: Floats,
    width: int,
    top: float,
    quality: Quality,
    brightest: float = BRIGHTEST,
) -> tuple[Floats, int]:
    """How much light receivers keep with the models there, (H, W, 3), and how many pixels were cut to the bound.

    Exactly 1 where the models change nothing that could be told from noise or seen. Under the models it goes on
    smoothly from beside them, for the pixels that both share.
    """
    if quality == "draft":
        half = (cover.shape[1] // 2, cover.shape[0] // 2)
        small = [cv2.resize(part, half, interpolation=cv2.INTER_AREA) for part in (cover, base)]
        ratio, cut = light_ratio(_halved(layers, half), small[0], small[1], width // 2, top, "fast", brightest)
        back = cv2.resize(ratio, (cover.shape[1], cover.shape[0]), interpolation=cv2.INTER_LINEAR)
        return np.asarray(back, np.float32), 4 * cut
    bare = layers.mean("without")
    known = cover <= 0
    whole = _ratio(layers.mean("with"), bare)
    cut = int(np.count_nonzero((largest_channel(whole) > brightest) & known))
    raw = np.clip(whole, 0, brightest)
    if not (raw[known] != 1).any():
        return np.ones_like(raw), cut
    halves = [np.clip(_ratio(*pair), 0, brightest) for pair in zip(*_by_half(layers), strict=True)]
    noise = np.asarray((halves[0] - halves[1]) / 2, np.float32)
    weight = _kept(np.asarray(raw - 1, np.float32), noise, known, base, width, top)
    under = filled(raw, known)
    smooth = np.ones_like(raw)
    if weight.any():
        part = extent(weight > 0, 48)
        smooth[part] = denoise(under[part], quality, 0.25)
    return (1 + (smooth - 1) * weight[..., None]).astype(np.float32), cut


def _halved(layers: Layers, size: tuple[int, int]) -> Layers:
    """The place's layers at half the size; `size` is (columns, rows)."""
    sums = {}
    for name in ("with", "without"):
        part = layers.sums[name]
        flat = np.ascontiguousarray(part.reshape(*part.shape[:2], -1))
        halves = [cv2.resize(flat[..., i : i + 3], size, interpolation=cv2.INTER_AREA) for i in (0, 3)]
        sums[name] = np.stack(halves, axis=2)
    return Layers(layers.window, layers.samples, sums)


def _by_half(layers: Layers) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]]:
    return layers.halves("with"), layers.halves("without")


def _mean_of(one: Floats, two: Floats) -> Floats:
    return np.asarray((one + two) * np.float32(0.5), np.float32)


def _ratio(part: Floats, bare: Floats) -> Floats:
    """One over the other; 1 where both are dark."""
    dark = np.float32(1e-7)
    return np.asarray((part + dark) / (bare + dark), np.float32)


def _kept(change: Floats, noise: Floats, known: Mask, base: Floats, width: int, top: float) -> Floats:
    """How far a change of light is kept, (H, W): 0 where it can't be told from noise, or moves no code.

    Both traces share their random numbers, so that change and noise are exactly 0 but for real influence and
    stray paths. Over a neighbourhood with Gaussian weights w the mean change has the variance
    Σ w² noise² / (Σ w)²; squared Gaussian weights are a Gaussian 1/√2 as wide over 4 π σ². Each channel is judged
    on its own: warm light that is thrown back and blue light that is taken away leave the luminance as it was.

    Parameters
    ----------
    change, noise : (H, W, 3) of the ratio, and half the difference of its halves.
    """
    sigma = max(1.5, NEIGHBOURHOOD * width)
    weights = known.astype(np.float32)[..., None]
    share = np.maximum(cv2.GaussianBlur(weights, (0, 0), sigma), 1e-3)[..., None]
    mean = np.abs(cv2.GaussianBlur(np.clip(change, -1, 1) * weights, (0, 0), sigma)) / share
    square = np.clip(noise, -1, 1) ** 2 * weights
    variance = cv2.GaussianBlur(square, (0, 0), sigma / np.sqrt(2)) / (4 * np.pi * sigma**2) / share**2
    # Not 0/0 where nothing changes: single precision leaves some 1e-7 there.
    significant = rise(mean / np.sqrt(variance + 1e-14), DOUBTED, TRUSTED)
    noticed = rise(mean / np.maximum(_half_code(base, top), 1e-6), *NOTICED)
    return np.asarray(largest_channel(significant * noticed), np.float32)


def _half_code(base: Floats, top: float) -> Floats:
    """The relative change of light that moves a pixel's codes by half of one, (H, W, 3)."""
    light = np.clip(base, 1e-4, 1)
    step = np.float32(1.01)
    moved = (encode_srgb(light * step) - encode_srgb(light / step)) * top  # codes for a change of 2 %
    return np.asarray(0.5 * 0.02 / np.maximum(moved, 1e-3), np.float32)


def _smooth_cover(cover: Floats, quality: Quality) -> Floats:
    """Coverage (H, W) without its noise; exactly 0 and 1 where nothing else is near."""
    part = extent(cover > 0, 32)
    made = np.zeros_like(cover)
    grey = np.repeat(cover[part][..., None], 3, axis=-1)
    made[part] = np.clip(denoise(grey, quality, 0.5)[..., 1], 0, 1)
    near = np.ones((3, 3), np.uint8)
    made[cv2.dilate(cover, near) <= 0] = 0
    made[cv2.erode(cover, near) >= 1] = 1
    return made


def _model_light(layers: Layers, cover: Floats, shown: Floats, ratio: Floats, gain: Floats, quality: Quality) -> Floats:
    """The models' own light times coverage in the photograph's exposure, (H, W, 3).

    Parameters
    ----------
    cover, shown : (H, W) as the samples told it, which tell the light, and without its noise.
    """
    part = extent(cover > 0, 32)
    share = cover[part][..., None]
    seen, bare = layers.mean("with")[part], layers.mean("without")[part]
    own = np.where(share > 0, np.maximum(seen - (1 - share) * bare * ratio[part], 0), 0)
    own = np.where(share >= 1, seen, own) * np.broadcast_to(gain, (*cover.shape, 3))[part]
    albedo = np.clip(layers.mean("albedo")[part], 0, 1)
    normal = np.clip(layers.mean("normal")[part], -1, 1)
    light = np.zeros((*cover.shape, 3), np.float32)
    light[part] = np.where(shown[part][..., None] > 0, denoise(own, quality, 1.0, albedo, normal), 0)
    return light
