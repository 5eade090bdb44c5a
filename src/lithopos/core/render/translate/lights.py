"""Lights in the renderer's terms."""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.render.scene import Environment, Lamp, Light, SunSky

__all__ = ["light_of"]


def light_of(mi: Any, light: Light) -> Any:
    """A light as something that a scene can be loaded with."""
    if isinstance(light, SunSky):
        return _sun_sky(light)
    if isinstance(light, Environment):
        return _environment(mi, light)
    return _lamp(light)


def _sun_sky(light: SunSky) -> dict[str, Any]:
    return {
        "type": "sunsky",
        "sun_direction": list(light.direction),
        "turbidity": light.turbidity,
        "albedo": 0.25,
        "sun_scale": light.sun_strength,
        "sky_scale": light.sky_strength,
        "sun_aperture": light.sun_width_deg,
    }


def _environment(mi: Any, light: Environment) -> dict[str, Any]:
    # The renderer's panorama has y up and its middle towards +z: z goes up, and the middle to +x.
    turn = mi.ScalarTransform4f().rotate([0, 0, 1], light.turn_deg)
    upright = mi.ScalarTransform4f([[0, 0, 1, 0], [1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
    picture = mi.Bitmap(np.ascontiguousarray(light.radiance, np.float32))
    return {"type": "envmap", "bitmap": picture, "to_world": turn @ upright}


def _lamp(light: Lamp) -> dict[str, Any]:
    return {
        "type": "sphere",
        "center": list(light.position),
        "radius": light.radius_m,
        "emitter": {"type": "area", "radiance": {"type": "rgb", "value": list(light.radiance)}},
    }
