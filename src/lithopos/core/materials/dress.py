"""A model as it is dressed in a shot: other surfaces on its materials, textures of a real size, prints."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.geometry.model import Material, Model, Texture
from lithopos.core.materials.kinds import figures_of, material_of
from lithopos.core.materials.laying import in_metres, in_repeats
from lithopos.core.materials.prints import FINEST_PX, printed
from lithopos.core.materials.textures import Cloth, read_cloth, shipped
from lithopos.core.shot import Placed, Surface
from lithopos.core.shot.surface import SHIPPED

__all__ = ["dressed", "look_of"]


def look_of(placed: Placed) -> Placed:
    """A thing with what its look depends on and nothing else: wherever it stands, however it lies."""
    return Placed(
        id=placed.id,
        file=placed.file,
        size=placed.size,
        unit=placed.unit,
        up=placed.up,
        surfaces=placed.surfaces,
        prints=placed.prints,
    )


def dressed(
    model: Model,
    placed: Placed,
    upright: Array,
    scale: float,
    read_graphic: ReadGraphic,
    finest_px: int = FINEST_PX,
) -> Model:
    """A model with its surfaces and prints.

    Parameters
    ----------
    upright : (3, 3) what stands the model up; scale : what its lengths are multiplied by as it stands.
    read_graphic : gives a picture by its name in the document; of a film the frame at a time [s].
    finest_px : the longer side of what is mixed from a print and a pattern below it.

    Raises
    ------
    InputError
        Naming the surface or the print that can't be made.
    """
    if placed.surfaces:
        model = _with_surfaces(model, placed, upright, scale, read_graphic)
    if placed.prints:
        model = printed(model, placed.prints, upright, scale, read_graphic, finest_px)
    return model


def _with_surfaces(model: Model, placed: Placed, upright: Array, scale: float, read_graphic: ReadGraphic) -> Model:
    parts, materials = list(model.parts), list(model.materials)
    for number, came in enumerate(model.materials):
        surface = placed.surfaces.get(came.name)
        if surface is None:
            continue
        made = material_of(came.name, surface)
        if surface.texture is None:
            # Its relief is part of its shape and stays.
            materials[number] = replace(made, normal=came.normal)
            continue
        cloth = read_cloth(surface.texture.file, read_graphic)
        materials[number] = _clothed(made, cloth, surface)
        repeat_mm = surface.texture.repeat_mm or _usual_repeat(surface, cloth)
        for at, part in enumerate(parts):
            if part.material == number:
                laid, _ = in_metres(part, surface.texture.lay, upright, scale)
                parts[at] = in_repeats(
                    laid, repeat_mm, cloth.aspect, surface.texture.turn_deg, surface.texture.shift_mm
                )
    return replace(model, parts=parts, materials=materials)


def _usual_repeat(surface: Surface, cloth: Cloth) -> float:
    """How long a repeat is where nobody says: a weave's by the width of its threads."""
    name = surface.texture.file.removeprefix(SHIPPED) if surface.texture else ""
    threads = shipped()[name].threads if name in shipped() else 0
    weave_mm = figures_of(surface).get("weave_mm")
    return threads * weave_mm if threads and weave_mm else cloth.repeat_mm


def _clothed(material: Material, cloth: Cloth, surface: Surface) -> Material:
    """A texture's colour, tinted so that its mean is the chosen one; its roughness about the kind's own."""
    colour: Floats = cloth.colour
    if surface.colour is not None:
        mean = np.maximum(colour.mean((0, 1)), 1e-4)
        colour = np.clip(colour * (np.array(surface.colour, np.float32) / mean), 0, 1)
    rough = material.roughness
    if cloth.roughness is not None and not isinstance(rough, Texture):
        rough = Texture(np.clip(cloth.roughness - cloth.roughness.mean() + np.float32(rough), 0.03, 1))
    return replace(
        material,
        base_colour=Texture(colour),
        roughness=rough,
        normal=Texture(cloth.normal) if cloth.normal is not None else None,
    )
