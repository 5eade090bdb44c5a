"""What a window is given once it is put together: the camera's sharpening and its grain, as encoded values."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Floats, largest_channel
from lithopos.core.blend.blend import FAINT, Measured, Tones, grain_lacking, sharpness_in_force
from lithopos.core.blend.grain import Grain
from lithopos.core.blend.sharpness import Sharpness, sharpening
from lithopos.core.colour import encode_srgb
from lithopos.core.composite.passes import Passes, light_of
from lithopos.core.exchange.picture import Codes
from lithopos.core.shot import Blend

__all__ = ["given"]


def given(codes: Codes, passes: Passes, tones: Tones, told: Measured, blend: Blend, scale: float, seed: int) -> Floats:
    """What is added (H, W, 3) to a window's encoded values, so that it is as sharpened and as noisy as the photograph.

    Parameters
    ----------
    codes : (H, W, 3) the photograph's own, of the window.
    passes : without their grain.
    told : of the photograph, of which the picture is a copy `scale` times as large.
    """
    soft = sharpness_in_force(blend, told, scale)
    found = _overshoot(codes, passes, tones, soft) if soft and soft.sharpened else np.zeros_like(passes.model)
    if told.grain is None or blend.grain == 0:
        return found
    passes = replace(passes, grain=found)
    return found + _grain(codes, passes, tones, told.grain, blend.grain, seed)


def _overshoot(codes: Codes, passes: Passes, tones: Tones, soft: Sharpness) -> Floats:
    """What the camera's sharpening would have made of what a window shows."""
    none, black = np.zeros_like(passes.cover), np.zeros_like(passes.model)
    whole = replace(passes, front=none)
    lit = replace(whole, model=black, cover=none)
    # Gathered light has its own borders; they are not drawn sharper than they are told.
    shaded = replace(lit, added=black)
    bare = replace(shaded, shadow=black + 1)
    base, shade, place, made = (encode_srgb(light_of(codes, one, tones)) for one in (bare, shaded, lit, whole))
    found = sharpening(soft, base, shade, place, made, passes.cover) * (1 - passes.front)[..., None]
    return np.where(np.abs(found) < FAINT, np.float32(0), found)


def _grain(codes: Codes, passes: Passes, tones: Tones, grain: Grain, amount: float, seed: int) -> Floats:
    """What grain a window lacks."""
    base, made = (encode_srgb(light) for light in (tones.encoding.light(codes), light_of(codes, passes, tones)))
    front = passes.front[..., None]
    kept = front + (1 - front) * (1 - passes.cover[..., None]) * passes.shadow
    # Where no code moves nothing was rendered that could lack any.
    moved = largest_channel(np.abs(made - base) * np.iinfo(codes.dtype).max >= 0.5) & passes.changed
    return grain_lacking(grain, amount, base, made, np.asarray(kept, np.float32), moved, passes.window, seed)
