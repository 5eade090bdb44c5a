"""Lights in the renderer's terms."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.light.clear_sky import overcast_radiance, sun_irradiance
from lithopos.core.light.dome import DISC_ROWS, directions, disc
from lithopos.core.light.near import Ball, Beam, Shaft, Sheet
from lithopos.core.render.scene import Environment, Light, SunSky, Surroundings
from lithopos.core.render.translate import beam, shaft
from lithopos.core.render.translate.mesh import mesh

SKY_LEFT = (0.3, 2.0)  # how far the sky beside what is seen may be dimmed or raised to make up for it
SKY_ROWS = 256  # of a sky that is mixed here
EVEN = 1e-3  # of a tint: as good as none

__all__ = ["light_of", "with_sky"]


def light_of(mi: Any, light: Light) -> Any:
    """A light as something that a scene can be loaded with; None of one that this variant has not."""
    if isinstance(light, SunSky):
        # The package's own sky is clear, and of one strength for all channels.
        if light.cover == 0 and np.ptp(light.sky_tint) < EVEN:
            return _sun_sky(light)
        light = Surroundings(light, np.zeros((SKY_ROWS, 2 * SKY_ROWS, 4), np.float32))
    if isinstance(light, Surroundings):
        return _environment(mi, with_sky(mi, light))
    if isinstance(light, Environment):
        return _environment(mi, light)
    if isinstance(light, Sheet):
        return _sheet(mi, light)
    if isinstance(light, Beam):
        return beam.emitter(mi, light)
    if isinstance(light, Shaft):
        return shaft.emitter(mi, light)
    return _ball(light)


def _sun_sky(light: SunSky) -> dict[str, Any]:
    return {
        "type": "sunsky",
        "sun_direction": list(light.direction),
        "turbidity": light.turbidity,
        "albedo": 0.25,
        "sun_scale": light.sun_strength,
        "sky_scale": light.sky_strength * light.sky_tint[0],
        "sun_aperture": light.sun_width_deg,
    }


def with_sky(mi: Any, light: Surroundings) -> Environment:
    """Surroundings, the sky behind them and the sun's disc as one panorama, as bright on level ground as the day.

    The renderer takes one light from all around; where the photograph shows something else than the sky's model has
    there, what is left of the sky makes up for it.
    """
    day = light.day
    ways, solid = directions(len(light.seen))
    tint = np.array(day.sky_tint) * day.sky_strength
    sky = _sky_radiance(mi, day, ways)
    if day.cover > 0:
        overcast = overcast_radiance(np.array(day.direction), day.turbidity, ways)
        sky = (1 - day.cover) * sky + day.cover * overcast
    sky = sky * tint
    radiance, weight = light.seen[..., :3].astype(float), light.seen[..., 3:]
    up = (np.maximum(ways[..., 2], 0) * solid)[..., None]
    wanted, shown, left = ((part * up).sum((0, 1)) for part in (sky, radiance * weight, sky * (1 - weight)))
    share = np.clip((wanted - shown) / np.maximum(left, 1e-9), *SKY_LEFT)
    whole = radiance * weight + share * sky * (1 - weight)
    if day.sun_strength > 0:
        rows = max(len(whole), DISC_ROWS)
        whole = cv2.resize(whole, (2 * rows, rows), interpolation=cv2.INTER_LINEAR)
        sun = np.array(day.direction)
        whole += disc(rows, sun, day.sun_width_deg, day.sun_strength * sun_irradiance(sun, day.turbidity, sun))
    return Environment(whole.astype(np.float32))


def _sky_radiance(mi: Any, day: SunSky, ways: Array) -> Array:
    """The clear sky of strength 1, without its sun, (H, W, 3)."""
    sky = mi.load_dict(
        {
            "type": "sunsky",
            "sun_direction": list(day.direction),
            "turbidity": day.turbidity,
            "albedo": 0.25,
            "sun_scale": 0.0,
        }
    )
    looks = -ways.reshape(-1, 3).astype(np.float32)
    at = mi.SurfaceInteraction3f()
    if mi.variant().startswith("scalar"):
        found = np.zeros((len(looks), 3))
        for number, look in enumerate(looks):
            at.wi = mi.Vector3f(look.tolist())
            found[number] = np.array(sky.eval(at)).ravel()
        return found.reshape(ways.shape)
    import drjit as dr

    at = dr.zeros(mi.SurfaceInteraction3f, len(looks))
    at.wi = mi.Vector3f(*looks.T)
    return np.array(sky.eval(at), float).T.reshape(ways.shape)


def _environment(mi: Any, light: Environment) -> dict[str, Any]:
    # The renderer's panorama has y up and its middle towards +z: z goes up, and the middle to +x.
    turn = mi.ScalarTransform4f(np.block([[light.rotation, np.zeros((3, 1))], [np.zeros((1, 3)), np.ones((1, 1))]]))
    upright = mi.ScalarTransform4f([[0, 0, 1, 0], [1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
    picture = mi.Bitmap(np.ascontiguousarray(light.radiance, np.float32))
    return {"type": "envmap", "bitmap": picture, "to_world": turn @ upright}


def _ball(light: Ball) -> dict[str, Any]:
    return {
        "type": "sphere",
        "center": light.middle.tolist(),
        "radius": light.radius_m,
        "emitter": {"type": "area", "radiance": {"type": "rgb", "value": light.radiance.tolist()}},
    }


def _sheet(mi: Any, light: Sheet) -> Any:
    if light.radiance.ndim == 1:
        radiance: dict[str, Any] = {"type": "rgb", "value": light.radiance.tolist()}
    else:
        picture = mi.Bitmap(np.ascontiguousarray(light.radiance, np.float32))
        radiance = {"type": "bitmap", "bitmap": picture, "raw": True, "wrap_mode": "clamp"}
    shines = mi.load_dict({"type": "area", "radiance": radiance})
    black = mi.load_dict({"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}})
    uv = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    faces = np.array([[0, 2, 1], [0, 3, 2]])
    return mesh(mi, light.corners, np.tile(light.front, (4, 1)), uv, faces, black, shines)
