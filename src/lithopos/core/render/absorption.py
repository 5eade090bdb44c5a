"""What solid glass and water take of light on its way through them: exp(-a t) by channel (Beer 1852)."""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.render.scene import Scene
from lithopos.core.render.translate.models import is_glass_body

LEAST = 1e-4  # of a colour: what is as good as black

__all__ = ["absorbing", "crossed", "left_after", "table_of"]


def absorbing(scene: Scene) -> dict[str, Floats]:
    """Coefficients (3,) [1/m] of what takes light in a scene's models, by names of shapes in the loaded scene."""
    found: dict[str, Floats] = {}
    for number, thing in enumerate(scene.models):
        for index, part in enumerate(thing.model.parts):
            material = thing.model.materials[part.material]
            while material.under is not None:  # what is printed on it
                material = material.under
            if is_glass_body(material, part.closed) and np.isfinite(material.attenuation_m):
                colour = np.clip(np.asarray(material.attenuation_colour, np.float32), LEAST, 1)
                found[f"model{number}part{index}"] = np.asarray(
                    -np.log(colour) / max(material.attenuation_m, 1e-6), np.float32
                )
    return {name: taken for name, taken in found.items() if taken.max() > 0}


def table_of(mi: Any, names: dict[int, str], absorbed: dict[str, Floats]) -> Any:
    """Coefficients by the renderer's numbers of shapes, three after one another; None where nothing takes any."""
    if not absorbed:
        return None
    table = np.zeros((max(names, default=0) + 1, 3), np.float32)
    for number, name in names.items():
        table[number] = absorbed.get(name, 0)
    return mi.Float(table.ravel())


def left_after(dr: Any, within: Any, hit: Any, active: Any) -> Any:
    """What is left of light on its way to a hit through what it is within."""
    return dr.select(active & hit.is_valid(), dr.exp(-within * dr.minimum(hit.t, 1e6)), 1)


def crossed(mi: Any, dr: Any, table: Any, within: Any, number: Any, chosen: Any, active: Any) -> Any:
    """What light is within after a surface: that surface's own where it goes in, nothing where it comes out.

    Of bodies in one another the one that was entered last counts.
    """
    through = mi.has_flag(chosen.sampled_type, mi.BSDFFlags.Transmission)
    passes = through & ~mi.has_flag(chosen.sampled_type, mi.BSDFFlags.Null) & active
    into = dr.gather(mi.Color3f, table, number, passes & (chosen.wo.z < 0))
    return dr.select(passes, into, within)
