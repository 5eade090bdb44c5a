"""Materials as formats without layers can tell them: a print on something, as one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.geometry.model import Material, Model, Texture

__all__ = ["flattened"]


def flattened(model: Model) -> Model:
    """A model whose prints that lie over another material are mixed with its mean colour."""
    return replace(model, materials=[_flat(material) for material in model.materials])


def _flat(material: Material) -> Material:
    if material.under is None or not isinstance(material.opacity, Texture):
        return material
    below = _flat(material.under)
    alpha, colour = material.opacity.values, _mean(material.base_colour)
    if isinstance(material.base_colour, Texture):
        colour = material.base_colour.values
    mixed = alpha[..., None] * colour + (1 - alpha[..., None]) * _mean(below.base_colour)
    clear = not isinstance(below.transmission, Texture) and below.transmission > 0.5
    seen = replace(material.opacity, values=0.35 + 0.65 * alpha) if clear else 1.0
    laid = replace(material.opacity, values=np.asarray(mixed, np.float32))
    return replace(material, base_colour=laid, opacity=seen, under=None)


def _mean(value: Floats | Texture) -> Floats:
    return np.asarray(value.values.mean((0, 1)) if isinstance(value, Texture) else value, np.float32)
