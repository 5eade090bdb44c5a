"""What a thing can be made of: kinds by the few parameters that a maker would name, as materials of the renderer.

Each parameter has a plain physical meaning and a range; what a file's own material was gives way to it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.geometry.model import Material, Model
from lithopos.core.shot.surface import Surface

__all__ = ["KINDS", "Parameter", "SurfaceKind", "dressed"]


@dataclass(frozen=True)
class Parameter:
    """A figure of a kind: its range, and what it is where nothing is said."""

    low: float
    high: float
    default: float
    unit: str = ""


@dataclass(frozen=True)
class SurfaceKind:
    """A kind of surface.

    Attributes
    ----------
    colour : (3,) linear, where none is chosen: diffuse reflectance, a metal's mirror colour, or what a glass passes.
    make : a material from its name, the colour and the parameters.
    """

    colour: tuple[float, float, float]
    parameters: Mapping[str, Parameter]
    make: Callable[[str, Floats, Mapping[str, float]], Material]


def _matte(name: str, colour: Floats, _: Mapping[str, float]) -> Material:
    return Material(name, colour, 1.0, specular=0.0)


def _paint(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    """A pigmented binder: a diffuse body under its own smooth or rough skin, index of refraction 1.5."""
    return Material(name, colour, _roughness(told["gloss"]))


def _metallic_paint(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    """Flakes of metal in a binder under a clear lacquer."""
    return Material(name, colour, 0.55, metallic=told["flake"], coat=1.0, coat_roughness=_roughness(told["gloss"]))


def _metal(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    return Material(
        name,
        colour,
        _roughness(told["polish"]),
        metallic=1.0,
        anisotropy=told["brushed"],
        anisotropy_turn_deg=told["brush_turn_deg"],
    )


def _plastic(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    return Material(name, colour, _roughness(told["gloss"]), ior=1.46)


def _rubber(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    return Material(name, colour, 0.55 + 0.4 * (1 - told["wear"]), ior=1.52, specular=0.5)


def _cloth(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    sheen = np.clip(colour * 0.5 + 0.5, 0, 1) * told["pile"]
    r, g, b = (float(value) for value in sheen)
    return Material(name, colour, 0.95, specular=0.2, sheen_colour=(r, g, b), sheen_roughness=0.5)


def _glass(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    """Tinted by its true thickness: the colour is what is left of white light after it (Beer and Lambert)."""
    thickness_m = told["thickness_mm"] / 1000
    r, g, b = (float(value) for value in np.clip(colour, 1e-3, 1))
    return Material(
        name,
        np.ones(3, np.float32),
        told["frost"],
        transmission=1.0,
        ior=1.52,
        thickness_m=thickness_m,
        attenuation_colour=(r, g, b),
        attenuation_m=max(thickness_m, 1e-6),
    )


def _roughness(gloss: float) -> float:
    """The renderer's roughness of a gloss: 1 mirrors sharply, 0 is dull."""
    return 1 - gloss


_GLOSS = Parameter(0.0, 1.0, 0.6)
KINDS: dict[str, SurfaceKind] = {
    "matte": SurfaceKind((0.5, 0.5, 0.5), {}, _matte),
    "paint": SurfaceKind((0.6, 0.6, 0.6), {"gloss": _GLOSS}, _paint),
    "metallic paint": SurfaceKind(
        (0.35, 0.38, 0.42), {"flake": Parameter(0, 1, 0.7), "gloss": Parameter(0, 1, 0.9)}, _metallic_paint
    ),
    "metal": SurfaceKind(
        (0.56, 0.57, 0.58),
        {
            "polish": Parameter(0, 1, 0.75),
            "brushed": Parameter(0, 1, 0),
            "brush_turn_deg": Parameter(-90, 90, 0, "°"),
        },
        _metal,
    ),
    "plastic": SurfaceKind((0.5, 0.5, 0.5), {"gloss": _GLOSS}, _plastic),
    "rubber": SurfaceKind((0.04, 0.04, 0.04), {"wear": Parameter(0, 1, 0.2)}, _rubber),
    "cloth": SurfaceKind((0.3, 0.3, 0.32), {"pile": Parameter(0, 1, 0.5)}, _cloth),
    "glass": SurfaceKind(
        (0.92, 0.95, 0.93),
        {"thickness_mm": Parameter(0.5, 200, 8, "mm"), "frost": Parameter(0, 1, 0)},
        _glass,
    ),
}


def dressed(model: Model, surfaces: Mapping[str, Surface]) -> Model:
    """A model with other surfaces on those of its materials that are named."""
    if not surfaces:
        return model
    return replace(model, materials=[_dressed(material, surfaces.get(material.name)) for material in model.materials])


def _dressed(material: Material, surface: Surface | None) -> Material:
    if surface is None:
        return material
    kind = KINDS[surface.kind]
    colour = np.array(surface.colour or kind.colour, np.float32)
    told = {
        name: float(np.clip(surface.parameters.get(name, one.default), one.low, one.high))
        for name, one in kind.parameters.items()
    }
    # Its relief is part of its shape and stays.
    return replace(kind.make(material.name, colour, told), normal=material.normal)
