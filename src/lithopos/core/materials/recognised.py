"""Materials of a file as surfaces of ours: the kind whose figures come nearest, with its texture in its real size."""

from __future__ import annotations

import base64
import hashlib
import io

import numpy as np
from PIL import Image

from lithopos.core.arrays import Floats
from lithopos.core.colour import encode_srgb
from lithopos.core.geometry.model import Material, Model, Part, Texture
from lithopos.core.materials.kinds import KINDS
from lithopos.core.materials.laying import metres_a_unit
from lithopos.core.shot import LaidTexture, Surface

CLEAR_BELOW = 1.4  # index of refraction: water's side of glass
DULL = 0.97

__all__ = ["Recognised", "recognised"]

Recognised = tuple[dict[str, Surface], dict[str, str]]


def recognised(model: Model) -> Recognised:
    """The surfaces of a model's materials by name, and the pictures that they use as data addresses by file name."""
    surfaces, pictures = dict[str, Surface](), dict[str, str]()
    for number, material in enumerate(model.materials):
        part = next((part for part in model.parts if part.material == number), None)
        surface = _surface(material)
        if isinstance(material.base_colour, Texture) and part is not None and surface.kind not in ("glass", "water"):
            name, address = _picture(material.base_colour)
            repeat_mm = 1000 * metres_a_unit(part) * _units_a_repeat(material.base_colour, part)
            pictures[name] = address
            laid = LaidTexture(file=name, repeat_mm=float(np.clip(repeat_mm, 0.1, 100_000)), lay="uv")
            surface = surface.model_copy(update={"texture": laid, "colour": None})
        surfaces[material.name] = surface
    return surfaces, pictures


def _surface(material: Material) -> Surface:
    rough, metal = _mean(material.roughness), _mean(material.metallic)
    colour = np.asarray(_mean_colour(material.base_colour), np.float32)
    if _mean(material.transmission) > 0.5:
        through = _passed(material) if material.thickness_m else colour
        if material.ior < CLEAR_BELOW:
            return _of("water", through, depth_mm=1000 * material.thickness_m)
        return _of("glass", through, thickness_mm=1000 * material.thickness_m, frost=rough)
    if material.diffuse_transmission > 0:
        return _of("wax", colour, translucent=material.diffuse_transmission, gloss=1 - rough)
    if material.coat > 0 and metal > 0.05:
        return _of("metallic paint", colour, flake=metal, gloss=1 - material.coat_roughness)
    if metal > 0.5:
        turn = (material.anisotropy_turn_deg - 90 + 90) % 180 - 90
        return _of("metal", colour, polish=1 - rough, brushed=material.anisotropy, brush_turn_deg=turn)
    if max(material.sheen_colour) > 0:
        pile = float(np.mean(np.array(material.sheen_colour) / np.clip(colour * 0.5 + 0.5, 1e-3, 1)))
        return _of("cloth", colour, pile=pile)
    if material.coat > 0 and rough > 0.6:
        return _of("wood", colour, varnish=material.coat)
    if material.specular == 0 or rough >= DULL:
        return _of("matte", colour)
    return _of("paint", colour, gloss=1 - (material.coat_roughness if material.coat > 0 else rough))


def _of(kind: str, colour: Floats, **told: float) -> Surface:
    """A surface of a kind, its figures held within what the kind can be."""
    known = KINDS[kind].parameters
    held = {name: float(np.clip(value, known[name].low, known[name].high)) for name, value in told.items()}
    r, g, b = (float(value) for value in np.clip(colour, 0, 1))
    return Surface.model_validate({"kind": kind, "colour": (r, g, b), "parameters": held})


def _passed(material: Material) -> Floats:
    """What is left of white light after the thickness (Beer and Lambert)."""
    share = material.thickness_m / max(material.attenuation_m, 1e-9) if np.isfinite(material.attenuation_m) else 0.0
    return np.asarray(np.power(np.maximum(material.attenuation_colour, 1e-4), share), np.float32)


def _mean(value: float | Texture) -> float:
    return float(value.values.mean()) if isinstance(value, Texture) else float(value)


def _mean_colour(value: Floats | Texture) -> Floats:
    return value.values.reshape(-1, 3).mean(0) if isinstance(value, Texture) else np.asarray(value, np.float32)


def _units_a_repeat(texture: Texture, part: Part) -> float:
    """How many units of uv one repeat across the picture is; a part without uv has one."""
    if float(np.ptp(part.uv, axis=0).min(initial=0)) <= 0:
        return 1.0
    across = np.hypot(*np.array(texture.turn)[0, :2])
    return float(1 / max(across, 1e-6))


def _picture(texture: Texture) -> tuple[str, str]:
    codes = (encode_srgb(texture.values) * 255 + 0.5).astype(np.uint8)
    buffer = io.BytesIO()
    Image.fromarray(codes).save(buffer, "PNG")
    data = buffer.getvalue()
    name = f"sha256:{hashlib.sha256(data).hexdigest()}"
    return name, f"data:image/png;base64,{base64.b64encode(data).decode()}"
