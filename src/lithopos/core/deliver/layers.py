"""A picture as layers over its photograph: composed by the usual blend modes on encoded values, they give the picture.

The picture itself is composed on linear light; each layer's values are chosen so that laying it over what lies below by
its mode gives what that pass makes of it. Modes are those of the SVG compositing specification: multiply, plus, over,
hard light.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Floats
from lithopos.core.blend.blend import Tones
from lithopos.core.composite.passes import Passes
from lithopos.core.encoding import Encoding
from lithopos.core.exchange.picture import Codes

Mode = Literal["over", "multiply", "plus", "hard light"]
Codes16 = NDArray[np.uint16]
FULL = np.float32(65535)

__all__ = ["Layer", "laid", "layers_of"]


@dataclass(frozen=True)
class Layer:
    """A layer (H, W, 4) of 16 bits, alpha not multiplied in, by name, group and blend mode; the lowest comes first."""

    name: str
    group: str
    mode: Mode
    codes: Codes16


def layers_of(codes: Codes, passes: list[Passes], tones: Tones, finished: Codes) -> list[Layer]:
    """The layers of a picture from its passes.

    Parameters
    ----------
    codes, finished : the photograph and the finished picture, (H, W, 3) alike.
    """
    top = np.float32(np.iinfo(codes.dtype).max)
    encoded = codes.astype(np.float32) / top
    parts: list[tuple[str, str, Mode]] = [
        ("Shadow", "Place", "multiply"),
        ("Light added", "Place", "plus"),
        ("Model", "Model", "over"),
        ("In front", "Model", "over"),
        ("Grain", "Blend", "hard light"),
    ]
    made = [Layer(name, group, mode, _neutral(mode, codes.shape[:2])) for name, group, mode in parts]
    for part in passes:
        window = part.window.slices
        under = encoded[window]
        for layer, wanted in zip(made, _stages(codes[window], part, tones.encoding), strict=True):
            piece = _layer(layer.mode, under, wanted, part.cover if layer.name == "Model" else part.front)
            layer.codes[window] = np.where(part.changed[..., None], piece, layer.codes[window])
            under = np.where(part.changed[..., None], laid(under, layer.codes[window], layer.mode), under)
    below = [Layer("Photograph", "Photograph", "over", _opaque(encoded)), *made]
    if tones.plain:
        return below
    return [*below, Layer("Tones", "Blend", "over", _opaque(finished.astype(np.float32) / top))]


def _stages(codes: Codes, part: Passes, encoding: Encoding) -> list[Floats]:
    """What the picture (H, W, 3) is, encoded, once each of the layers lies on it."""
    base = encoding.light(codes)
    shaded = base * part.shadow
    lit = shaded + part.added
    with_model = lit * (1 - part.cover)[..., None] + part.model
    share = part.front[..., None]
    in_front = np.where(share > 0, share * part.front_light + (1 - share) * with_model, with_model)
    stages = [encoding.encoded(light) for light in (shaded, lit, with_model, in_front)]
    return [*stages, np.clip(stages[-1] + part.grain, 0, 1)]


def _layer(mode: Mode, under: Floats, wanted: Floats, alpha: Floats) -> Codes16:
    """A layer's codes that make `wanted` of what lies under it; of "over" with at least that alpha."""
    least, cover = np.float32(1e-6), np.ones_like(alpha)
    value: Floats
    if mode == "multiply":
        value = np.asarray(wanted / np.maximum(under, least), np.float32)
    elif mode == "plus":
        value = wanted - under
    elif mode == "hard light":
        darker = np.float32(0.5) * wanted / np.maximum(under, least)
        brighter = 1 - np.float32(0.5) * (1 - wanted) / np.maximum(1 - under, least)
        chosen = np.select([wanted < under, wanted > under], [darker, brighter], np.float32(0.5))
        value = np.asarray(chosen, np.float32)
    else:
        up, down = (wanted - under) / np.maximum(1 - under, least), 1 - wanted / np.maximum(under, least)
        needed = np.where(np.abs(wanted - under) < least, 0, np.maximum(up, down)).max(-1)
        cover = np.asarray(np.ceil(np.clip(np.maximum(alpha, needed), 0, 1) * FULL) / FULL, np.float32)
        share = np.maximum(cover, 1 / FULL)[..., None]
        value = np.asarray((wanted - (1 - share) * under) / share, np.float32)
    stacked = np.concatenate([np.clip(value, 0, 1), cover[..., None]], axis=2)
    return np.asarray(stacked * FULL + np.float32(0.5), np.uint16)


def laid(under: Floats, layer: Codes16, mode: Mode) -> Floats:
    """A layer over encoded values (H, W, 3), as a compositor lays it."""
    value, alpha = (np.asarray(part / FULL, np.float32) for part in (layer[..., :3], layer[..., 3:]))
    mixed: Floats = value
    if mode == "multiply":
        mixed = under * value
    elif mode == "plus":
        mixed = np.asarray(np.minimum(under + value, 1), np.float32)
    elif mode == "hard light":
        lit = np.where(value <= 0.5, 2 * value * under, 1 - 2 * (1 - value) * (1 - under))
        mixed = np.asarray(lit, np.float32)
    return np.asarray(under + alpha * (mixed - under), np.float32)


def _neutral(mode: Mode, shape: tuple[int, ...]) -> Codes16:
    """A layer that changes nothing."""
    value, alpha = {"multiply": (1.0, 1.0), "plus": (0.0, 1.0), "hard light": (0.5, 0.0), "over": (0.0, 0.0)}[mode]
    made = np.empty((*shape, 4), np.uint16)
    made[..., :3], made[..., 3] = round(value * 65535), round(alpha * 65535)
    return made


def _opaque(encoded: Floats) -> Codes16:
    full = np.concatenate([encoded, np.ones((*encoded.shape[:2], 1), np.float32)], axis=2)
    return np.asarray(full * FULL + np.float32(0.5), np.uint16)
