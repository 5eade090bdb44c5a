"""A beam of light in the renderer's terms: the package has none whose intensity follows a table."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from lithopos.core.light.near import Beam
from lithopos.core.render.translate.sampled import sampled

NAME = "lithopos_beam"

__all__ = ["emitter"]


def emitter(mi: Any, light: Beam) -> dict[str, Any]:
    """A beam as an emitter; the slow variant, which can't run one of ours, has the package's round spot instead."""
    if mi.variant().startswith("scalar"):
        return _spot(mi, light)
    _register(mi.variant(), mi)
    picture = mi.Bitmap(np.ascontiguousarray(light.intensity, np.float32))
    table = {"type": "bitmap", "bitmap": picture, "raw": True, "wrap_mode": "clamp"}
    axes = {f"{name}_{i}": float(v) for name, row in zip("stn", light.axes, strict=True) for i, v in enumerate(row)}
    place = {f"middle_{i}": float(v) for i, v in enumerate(light.middle)}
    return {"type": NAME, "table": table, "radius": float(light.radius_m), **axes, **place}


def _spot(mi: Any, light: Beam) -> dict[str, Any]:
    along = light.intensity.mean(1)
    bright = along.max(1)
    angle = np.linspace(0, 180, len(bright))
    outer = float(np.clip(angle[bright > 0.02 * bright.max()].max(), 2, 89))
    inner = float(np.clip(angle[bright > 0.9 * bright.max()].max(), 1, outer - 0.5))
    aim = mi.ScalarTransform4f().look_at(
        origin=light.middle.tolist(), target=(light.middle + light.axes[2]).tolist(), up=light.axes[0].tolist()
    )
    return {
        "type": "spot",
        "to_world": aim,
        "intensity": {"type": "rgb", "value": along.max(0).tolist()},
        "cutoff_angle": outer,
        "beam_width": inner,
    }


@cache
def _register(variant: str, mi: Any) -> None:
    """Make the emitter known to the variant that is set."""
    import drjit as dr

    class TableBeam(sampled(variant, mi)):  # type: ignore[misc]
        """Light from a small round opening, its intensity looked up by direction."""

        def __init__(self, properties: Any) -> None:
            super().__init__(properties)
            self.table = properties["table"]
            rows, columns = self.table.resolution().y, self.table.resolution().x
            # From angles to the picture's own coordinates, where the ends are half a pixel from the border.
            self.down = (float((rows - 1) / rows), 0.5 / float(rows))
            self.about = (float((columns - 1) / columns), 0.5 / float(columns))
            self.middle = mi.Point3f(*[float(properties[f"middle_{i}"]) for i in range(3)])
            self.radius = float(properties["radius"])
            self.axes = [mi.Vector3f(*[float(properties[f"{name}_{i}"]) for i in range(3)]) for name in "stn"]
            self.m_flags = mi.EmitterFlags.DeltaPosition

        def sample_direction(self, it: Any, sample: Any, active: Any = True) -> Any:
            level, fellow, way = self.axes
            disc = mi.warp.square_to_uniform_disk_concentric(sample) * self.radius
            ds = dr.zeros(mi.DirectionSample3f)
            ds.p = self.middle + level * disc.x + fellow * disc.y
            off = ds.p - it.p
            square = dr.maximum(dr.squared_norm(off), 1e-6)
            ds.dist = dr.sqrt(square)
            ds.d = off / ds.dist
            ds.n = mi.Normal3f(way)
            ds.pdf, ds.delta, ds.time = 1.0, True, it.time
            ds.emitter = mi.EmitterPtr(self)
            out = mi.Vector3f(-dr.dot(ds.d, level), -dr.dot(ds.d, fellow), -dr.dot(ds.d, way))
            around = dr.atan2(out.y, out.x) / (2 * dr.pi)
            around -= dr.floor(around)
            at = dr.zeros(mi.SurfaceInteraction3f)
            at.uv = mi.Point2f(
                around * self.about[0] + self.about[1], dr.safe_acos(out.z) / dr.pi * self.down[0] + self.down[1]
            )
            return ds, dr.select(active, self.table.eval(at, active) / square, 0)

    mi.register_emitter(NAME, TableBeam)
