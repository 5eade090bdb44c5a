"""Sunlight through openings in the renderer's terms: the package's sun shines everywhere."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from lithopos.core.light.near import Shaft
from lithopos.core.render.translate.sampled import sampled

NAME = "lithopos_shaft"
SHORT_M = 0.005  # of the opening: what a window is made of, and its own light, lies there

__all__ = ["SHORT_M", "emitter", "through_opening"]


def emitter(mi: Any, light: Shaft) -> dict[str, Any] | None:
    """Sunlight that comes in, as an emitter; None for the slow variant, which can't run one of ours."""
    if mi.variant().startswith("scalar"):
        return None
    _register(mi.variant(), mi)
    corners = {
        f"corner_{n}_{k}_{i}": float(v)
        for n, opening in enumerate(light.openings)
        for k, corner in enumerate(opening)
        for i, v in enumerate(corner)
    }
    sun = {f"sun_{i}": float(v) for i, v in enumerate(light.sun)}
    shone = {f"irradiance_{i}": float(v) for i, v in enumerate(light.irradiance)}
    width = float(np.radians(light.width_deg))
    return {"type": NAME, "count": len(light.openings), "width": width, **shone, **sun, **corners}


def through_opening(mi: Any, dr: Any, openings: list[list[Any]], at: Any, way: Any) -> Any:
    """How far off ways from places go through one of some openings, four corners each; infinite: through none."""
    reach = mi.Float(dr.inf)
    for corners in openings:
        edges = [corners[(k + 1) % 4] - corners[k] for k in range(4)]
        square = dr.cross(edges[0], -edges[3])
        away = dr.dot(corners[0] - at, square) / dr.dot(way, square)
        through = at + way * away
        sides = [dr.dot(dr.cross(edge, through - corner), square) for edge, corner in zip(edges, corners, strict=True)]
        least = dr.minimum(dr.minimum(sides[0], sides[1]), dr.minimum(sides[2], sides[3]))
        most = dr.maximum(dr.maximum(sides[0], sides[1]), dr.maximum(sides[2], sides[3]))
        inside = ((least >= 0) | (most <= 0)) & (away > SHORT_M)
        reach = dr.select(inside, dr.minimum(reach, away), reach)
    return reach


@cache
def _register(variant: str, mi: Any) -> None:
    """Make the emitter known to the variant that is set."""
    import drjit as dr

    class ShaftEmitter(sampled(variant, mi)):  # type: ignore[misc]
        """A sun whose light reaches what sees it through an opening."""

        def __init__(self, properties: Any) -> None:
            super().__init__(properties)
            self.irradiance = mi.Color3f(*[float(properties[f"irradiance_{i}"]) for i in range(3)])
            self.slope = float(np.tan(properties["width"] / 2))
            self.sun = mi.Vector3f(*[float(properties[f"sun_{i}"]) for i in range(3)])
            self.openings = [
                [mi.Point3f(*[float(properties[f"corner_{n}_{k}_{i}"]) for i in range(3)]) for k in range(4)]
                for n in range(int(properties["count"]))
            ]
            self.m_flags = mi.EmitterFlags.DeltaDirection

        def sample_direction(self, it: Any, sample: Any, active: Any = True) -> Any:
            disc = mi.warp.square_to_uniform_disk_concentric(sample) * self.slope
            way = dr.normalize(mi.Frame3f(self.sun).to_world(mi.Vector3f(disc.x, disc.y, 1)))
            reach = through_opening(mi, dr, self.openings, it.p, way)
            comes = active & (reach < dr.inf)
            ds = dr.zeros(mi.DirectionSample3f)
            ds.dist = dr.select(comes, reach - SHORT_M, 1)
            ds.d, ds.p, ds.n = way, it.p + way * ds.dist, mi.Normal3f(-way)
            ds.pdf, ds.delta, ds.time = 1.0, True, it.time
            ds.emitter = mi.EmitterPtr(self)
            return ds, dr.select(comes, self.irradiance, 0)

    mi.register_emitter(NAME, ShaftEmitter)
