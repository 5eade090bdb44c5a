"""What a thing can be made of: kinds by the few parameters that a maker would name, as materials of the renderer.

Each parameter has a plain physical meaning and a range; what a file's own material was gives way to it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Material
from lithopos.core.shot.surface import Surface

__all__ = ["KINDS", "Parameter", "SurfaceKind", "figures_of", "material_of"]


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
        anisotropy_turn_deg=told["brush_turn_deg"] + 90,  # grooves scatter across themselves
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
    """The colour is what is left of white light after its thickness: a pane's own; in a body, the way through it."""
    return _clear(name, colour, told["thickness_mm"] / 1000, told["frost"], 1.52)


def _water(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    """Clear; the colour is what is left of white light after the depth."""
    return _clear(name, colour, told["depth_mm"] / 1000, 0.0, 1.333)


def _clear(name: str, colour: Floats, thickness_m: float, roughness: float, ior: float) -> Material:
    r, g, b = (float(value) for value in np.clip(colour, 1e-3, 1))
    return Material(
        name,
        np.ones(3, np.float32),
        roughness,
        transmission=1.0,
        ior=ior,
        thickness_m=thickness_m,
        attenuation_colour=(r, g, b),
        attenuation_m=max(thickness_m, 1e-6),
    )


def _wood(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    """A dull fibre, under as much varnish as there is."""
    varnish = told["varnish"]
    return Material(name, colour, 0.75, specular=0.5, coat=varnish, coat_roughness=0.35 * (1 - varnish))


def _leather(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    return Material(name, colour, _roughness(0.15 + 0.6 * told["polish"]), ior=1.48)


def _stone(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    return _mineral(name, colour, 0.9 - 0.85 * told["polish"], told["wet"])


def _concrete(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    return _mineral(name, colour, 0.95 - 0.6 * told["smooth"], told["wet"])


def _mineral(name: str, colour: Floats, roughness: float, wet: float) -> Material:
    """Wet pores throw light back to be absorbed again: darker and fuller, under a film of water.

    The darkening is Ångström's (1925): of the light that leaves the body the share p is thrown back by the film's
    underside, r' = r (1 - p) / (1 - p r), p = 1 - (1 - F) / n² for n = 1.333.
    """
    inner = 0.47
    soaked = colour * (1 - inner) / (1 - inner * colour)
    seen = colour + wet * (soaked - colour)
    film = min(wet, 1.0)
    return Material(name, np.asarray(seen, np.float32), roughness, specular=0.6, coat=film, coat_roughness=0.1)


def _wax(name: str, colour: Floats, told: Mapping[str, float]) -> Material:
    """A shell that lets light through, scattered: what is lit from behind glows."""
    return Material(name, colour, _roughness(told["gloss"]), ior=1.44, diffuse_transmission=told["translucent"])


def _roughness(gloss: float) -> float:
    """The renderer's roughness of a gloss: 1 mirrors sharply, 0 is dull."""
    return 1 - gloss


_GLOSS = Parameter(0.0, 1.0, 0.6)
_WET = Parameter(0.0, 1.0, 0.0)
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
    "glass": SurfaceKind(
        (0.92, 0.95, 0.93),
        {"thickness_mm": Parameter(0.5, 200, 8, "mm"), "frost": Parameter(0, 1, 0)},
        _glass,
    ),
    "wood": SurfaceKind((0.36, 0.22, 0.11), {"varnish": Parameter(0, 1, 0.2)}, _wood),
    "cloth": SurfaceKind(
        (0.3, 0.3, 0.32), {"pile": Parameter(0, 1, 0.5), "weave_mm": Parameter(0.2, 30, 2, "mm")}, _cloth
    ),
    "leather": SurfaceKind((0.16, 0.08, 0.045), {"polish": Parameter(0, 1, 0.4)}, _leather),
    "stone": SurfaceKind((0.4, 0.38, 0.34), {"polish": Parameter(0, 1, 0.1), "wet": _WET}, _stone),
    "concrete": SurfaceKind((0.36, 0.355, 0.34), {"smooth": Parameter(0, 1, 0.2), "wet": _WET}, _concrete),
    "plastic": SurfaceKind((0.5, 0.5, 0.5), {"gloss": _GLOSS}, _plastic),
    "wax": SurfaceKind((0.75, 0.66, 0.5), {"translucent": Parameter(0, 1, 0.5), "gloss": Parameter(0, 1, 0.5)}, _wax),
    "rubber": SurfaceKind((0.04, 0.04, 0.04), {"wear": Parameter(0, 1, 0.2)}, _rubber),
    "water": SurfaceKind((0.85, 0.93, 0.94), {"depth_mm": Parameter(1, 5000, 200, "mm")}, _water),
}


def material_of(name: str, surface: Surface) -> Material:
    """A surface as a material of the renderer.

    Raises
    ------
    InputError
        If the kind has no such parameter, or its figure is outside of what the kind can be.
    """
    kind = KINDS[surface.kind]
    for told, value in surface.parameters.items():
        one = kind.parameters.get(told)
        if one is None:
            known = ", ".join(kind.parameters) or "none"
            raise InputError(f"surfaces.{name}.parameters", f"{surface.kind} has no {told!r}; it has {known}")
        if not one.low <= value <= one.high:
            raise InputError(
                f"surfaces.{name}.parameters.{told}", f"is {value:g}; it goes from {one.low:g} to {one.high:g}"
            )
    colour = np.array(surface.colour or kind.colour, np.float32)
    return kind.make(name, colour, figures_of(surface))


def figures_of(surface: Surface) -> dict[str, float]:
    """All parameters of a surface's kind, those that are not told at their usual values."""
    return {n: float(surface.parameters.get(n, one.default)) for n, one in KINDS[surface.kind].parameters.items()}
