"""Lights in the renderer's terms."""

from __future__ import annotations

from typing import Any

import numpy as np

from lithopos.core.colour import luminance
from lithopos.core.render.scene import Environment, Lamp, Light, SunSky
from lithopos.core.render.translate.tinted import NAME, register

EVEN = 1e-3  # of a tint: as good as none

__all__ = ["light_of"]


def light_of(mi: Any, light: Light) -> Any:
    """A light as something that a scene can be loaded with."""
    if isinstance(light, SunSky):
        return _sun_sky(mi, light)
    if isinstance(light, Environment):
        return _environment(mi, light)
    return _lamp(light)


def _sun_sky(mi: Any, light: SunSky) -> dict[str, Any]:
    plain = {
        "type": "sunsky",
        "sun_direction": list(light.direction),
        "turbidity": light.turbidity,
        "albedo": 0.25,
        "sun_scale": light.sun_strength,
        "sky_scale": light.sky_strength,
        "sun_aperture": light.sun_width_deg,
    }
    if np.ptp(light.sky_tint) < EVEN or mi.variant().startswith("scalar"):
        # What is written in Python is too slow for the slow variant: there the tint is in the mean.
        plain["sky_scale"] = light.sky_strength * float(luminance(np.array(light.sky_tint)))
        return plain
    register(mi)
    return {
        "type": NAME,
        "plain": plain,
        "disc_cosine": float(np.cos(np.radians(light.sun_width_deg / 2))),
        **{f"tint_{c}": float(v) for c, v in zip("rgb", light.sky_tint, strict=True)},
        **{f"sun_{c}": float(v) for c, v in zip("xyz", light.direction, strict=True)},
    }


def _environment(mi: Any, light: Environment) -> dict[str, Any]:
    # The renderer's panorama has y up and its middle towards +z: z goes up, and the middle to +x.
    turn = mi.ScalarTransform4f(np.block([[light.rotation, np.zeros((3, 1))], [np.zeros((1, 3)), np.ones((1, 1))]]))
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
