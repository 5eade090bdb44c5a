"""Putting the traced layers into the photograph.

Where ground is seen: photo × D_with / D_without + (S_with − S_without); where the model is seen: its
own radiance in the photograph's exposure; in between by coverage. Source: Debevec 1998
(DOI 10.1145/280814.280864). What is traced is denoised, the photograph never.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats
from lithopos.core.colour import decode_srgb, encode_srgb, luminance
from lithopos.core.exchange.picture import Picture
from lithopos.core.render.scene import Region
from lithopos.core.render.tracer import Layers

# A change of the ground's light below this moves no mid-tone of an 8-bit picture by half a code
# (one code at 128 is 1.9 % of the light): such pixels are left alone.
UNNOTICED = 0.008
# The ground's light is taken to grow at most this many times: brighter pixels are stray paths.
BRIGHTEST = 4.0

__all__ = ["compose", "cut_pixels", "light_ratio", "model_gain"]


def model_gain(ground_level: float, irradiance: Floats) -> Floats:
    """Factors (3,) from the renderer's radiance to the photograph's linear values.

    The photograph's white balance is taken to have made a sunlit neutral surface neutral, and its
    exposure is what gives the sunlit ground its level.

    Parameters
    ----------
    ground_level : linear luminance that a white, level, sunlit surface would have in the photograph.
    irradiance : (3,) on a level surface in the renderer's unit.
    """
    return np.asarray(ground_level * np.pi / np.maximum(irradiance, 1e-9), np.float32)


def compose(photograph: Picture, region: Region, layers: Layers, gain: Floats, quality: str) -> Picture:
    """The photograph with the models in it; an unaffected pixel keeps its code.

    Parameters
    ----------
    layers : sums over samples, of the region's size.
    gain : (3,) from `model_gain`.
    quality : the denoiser's, ``fast`` or ``high``.
    """
    x0, y0, x1, y1 = region
    codes = photograph.codes[y0:y1, x0:x1]
    top = np.iinfo(codes.dtype).max
    cover = np.clip(layers.coverage / layers.samples, 0, 1)
    ratio = light_ratio(layers, quality)
    fade = _fade(cover.shape, region, photograph.codes.shape[1], photograph.codes.shape[0])[..., None]
    ratio = 1 + (ratio - 1) * fade
    gloss = _gloss(layers, quality) * gain * fade
    model = _model_light(layers, ratio, quality) * gain
    open_ground = (1 - cover)[..., None]
    base = decode_srgb(codes.astype(np.float32) / top)
    linear = (base * ratio + gloss) * open_ground + model
    changed = (cover > 0) | (np.abs(ratio - 1) > 0).any(-1) | (np.abs(gloss) > 1e-4).any(-1)
    new = (encode_srgb(linear) * top + 0.5).astype(codes.dtype)
    result = photograph.codes.copy()
    result[y0:y1, x0:x1] = np.where(changed[..., None], new, codes)
    return Picture(result, photograph.icc, photograph.notes)


def light_ratio(layers: Layers, quality: str) -> Floats:
    """How much light the ground keeps with the models there, (H, W, 3); exactly 1 where they change nothing.

    Under the models it goes on smoothly from beside them, for the pixels that both share.
    """
    cover = np.clip(layers.coverage / layers.samples, 0, 1)
    bare = np.maximum(layers.without, 1e-9)
    raw = np.clip(layers.with_models / bare, 0, BRIGHTEST).astype(np.float32)
    raw = _fill(raw, cover <= 0)
    smooth = np.asarray(_denoise(raw, quality))
    return (1 + (smooth - 1) * _noticed(raw)[..., None]).astype(np.float32)


def cut_pixels(layers: Layers) -> int:
    """How many pixels of ground are brighter than the stated bound, and so were cut to it."""
    beyond = (layers.with_models > BRIGHTEST * np.maximum(layers.without, 1e-9)).any(-1)
    return int(np.count_nonzero(beyond & (layers.coverage <= 0)))


def _noticed(raw: Floats) -> Floats:
    """0 where the light changes less than anyone could notice, 1 where it clearly does, (H, W).

    Both traces share their random numbers, so that the raw ratio is 1 but for real influence and
    stray paths; its mean over a neighbourhood tells them apart. A single stray pixel, however bright,
    counts as one change of 100 % and stays below the threshold.
    """
    change = np.abs(cv2.GaussianBlur(np.clip(luminance(raw) - 1, -1, 1), (0, 0), 5.0))
    weight = np.clip((change - UNNOTICED) / (2 * UNNOTICED), 0, 1)
    return np.asarray(weight * weight * (3 - 2 * weight), np.float32)


def _model_light(layers: Layers, ratio: Floats, quality: str) -> Floats:
    """The models' own radiance times coverage, (H, W, 3)."""
    count = np.float32(layers.samples)
    cover = np.clip(layers.coverage / count, 0, 1)[..., None]
    ground = (1 - cover) * layers.without / count * ratio
    own = np.where(cover > 0, np.maximum(layers.with_models / count - ground, 0), 0)
    own = np.where(cover >= 1, layers.with_models / count, own).astype(np.float32)
    clean = _denoise(own, quality, np.clip(layers.albedo / count, 0, 1), np.clip(layers.normal / count, -1, 1))
    return np.where(cover > 0, clean, 0).astype(np.float32)


def _gloss(layers: Layers, quality: str) -> Floats:
    if not layers.gloss_with.any():
        return np.zeros_like(layers.with_models)
    count = np.float32(layers.samples)
    sides = [_denoise((part / count).astype(np.float32), quality) for part in (layers.gloss_with, layers.gloss_without)]
    return np.asarray(sides[0] - sides[1], np.float32)


def _fill(values: Floats, known: NDArray[np.bool_]) -> Floats:
    """Values carried on smoothly from where they are known into the rest."""
    if known.all():
        return values
    weight = known.astype(np.float32)
    total, seen = values * weight[..., None], weight
    result, left = np.where(known[..., None], values, 1).astype(np.float32), ~known
    size = 2.0
    while left.any() and size < 4 * max(weight.shape):
        near, share = cv2.GaussianBlur(total, (0, 0), size), cv2.GaussianBlur(seen, (0, 0), size)
        ready = left & (share > 0.02)
        result[ready] = near[ready] / share[ready][:, None]
        left &= ~ready
        size *= 2
    return result


def _fade(shape: tuple[int, int], region: Region, width: int, height: int) -> Floats:
    """1 within the region, falling to 0 at those of its borders that are not the picture's."""
    x0, y0, x1, y1 = region
    reach = max(4.0, 0.06 * min(shape))
    x, y = np.arange(shape[1]) + 0.5, np.arange(shape[0]) + 0.5
    far = np.full(1, 1e9)
    across = np.minimum(x if x0 > 0 else far, (shape[1] - x) if x1 < width else far) / reach
    down = np.minimum(y if y0 > 0 else far, (shape[0] - y) if y1 < height else far) / reach
    weight = np.clip(np.minimum(np.broadcast_to(across, shape[1]), 1e9)[None] * np.ones((shape[0], 1)), 0, 1)
    weight = np.minimum(weight, np.clip(np.broadcast_to(down, shape[0])[:, None], 0, 1))
    return (weight * weight * (3 - 2 * weight)).astype(np.float32)


def _denoise(picture: Floats, quality: str, albedo: Floats | None = None, normal: Floats | None = None) -> Any:
    import pyoidn

    guides = [np.ascontiguousarray(guide, np.float32) if guide is not None else None for guide in (albedo, normal)]
    return pyoidn.denoise(np.ascontiguousarray(picture, np.float32), *guides, hdr=True, quality=quality)
