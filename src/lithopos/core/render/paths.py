"""Paths from the camera where light is gathered by glass or thrown by metal: what `caustics` has traced is put in.

A path tracer with both ways of finding light weighed by their densities (Veach and Guibas 1995, "Optimally Combining
Sampling Techniques for Monte Carlo Rendering", the balance heuristic). It differs from the package's own in three
things: a path that comes from a receiver over what gathers light to the sun, or to a small lamp, counts for what the
receiver mirrors alone, since the irradiance that was traced from there is added at the receiver; light passes straight
through panes and cut-outs on its way to a surface, as in the package's volume tracer; and bodies of glass take of light
by its way through them (`render.absorption`). It runs in the fast variant alone.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.render.absorption import crossed, left_after, table_of
from lithopos.core.render.caustics import Irradiance, looped, shape_names
from lithopos.core.render.sending import Cone, Lamp, Source, emitter_numbers

SEE_THROUGH = 6  # panes and cut-outs between a surface and a light

__all__ = ["GatheredPaths"]


class GatheredPaths:
    """Traces paths of one loaded scene; stands in for the package's integrator.

    Parameters
    ----------
    sources : what the light was traced of.
    gathering : names of shapes that gather or throw light.
    maps : what lands on receivers.
    absorbed : coefficients (3,) [1/m] of what takes light within; all three are empty for the place without models.
    """

    def __init__(
        self,
        mi: Any,
        loaded: Any,
        sources: Sequence[Source],
        gathering: set[str],
        maps: list[Irradiance],
        absorbed: dict[str, Floats],
        depths: tuple[int, int],
    ) -> None:
        import drjit as dr

        self.mi, self.loaded = mi, loaded
        self.max_depth, self.roulette_depth = depths
        cone = next((source for source in sources if isinstance(source, Cone)), None)
        to_sun, cosine = (cone.to_sun, np.cos(cone.half)) if cone else (np.zeros(3), 2.0)
        lamps = [source.name for source in sources if isinstance(source, Lamp)]
        # None: nothing is looked up for each ray that meets a light.
        self.sent = mi.Float(emitter_numbers(mi, loaded, lamps)) if lamps else None
        self.to_sun = mi.Vector3f(*[dr.opaque(mi.Float, float(v)) for v in to_sun])
        self.cosine = dr.opaque(mi.Float, float(cosine))
        names = shape_names(mi, loaded)
        gathers, lit = np.zeros((2, max(names, default=0) + 1), np.float32)
        numbers = {name: number for number, name in names.items()}
        for name in gathering:
            gathers[numbers[name]] = 1
        for index, one in enumerate(maps):
            lit[numbers[one.shape]] = index + 1
        self.gathers, self.lit = mi.Float(gathers), mi.UInt32(lit.astype(np.uint32))
        self.maps = _Maps(mi, maps) if maps else None
        self.absorbed = table_of(mi, names, absorbed)

    def sample(self, loaded: Any, sampler: Any, ray: Any) -> tuple[Any, Any, list[Any]]:
        """Radiance along rays, as the package's integrators answer."""
        import drjit as dr

        return looped(_traced)(self.mi, dr, self, loaded, sampler, ray), None, []


class _Maps:
    """All maps in one array, with where each begins and how it lies."""

    def __init__(self, mi: Any, maps: list[Irradiance]) -> None:
        self.mi = mi
        starts = np.cumsum([0, *[one.values.shape[0] * one.values.shape[1] for one in maps]])
        values = np.concatenate([one.values.reshape(-1, 3) for one in maps])
        self.values = mi.Float(np.ascontiguousarray(values.ravel(), np.float32))
        self.start = mi.UInt32(starts[:-1].astype(np.uint32))
        self.rows = mi.UInt32(np.array([one.values.shape[0] for one in maps], np.uint32))
        self.columns = mi.UInt32(np.array([one.values.shape[1] for one in maps], np.uint32))
        sides = [np.array([getattr(one, name) for one in maps]) for name in ("origin", "across", "down")]
        # Divided by their squared lengths, so that a product with an offset is a share of the side.
        sides[1:] = [side / (side**2).sum(1, keepdims=True) for side in sides[1:]]
        self.sides = [[mi.Float(np.ascontiguousarray(side[:, i], np.float32)) for i in range(3)] for side in sides]

    def at(self, place: Any, lit: Any, active: Any) -> Any:
        """Irradiance at places; between the middles of cells linearly, 0 outside."""
        import drjit as dr

        mi = self.mi
        number = dr.select(active, lit - 1, 0)
        origin, across, down = (
            mi.Vector3f(*[dr.gather(mi.Float, part, number, active) for part in side]) for side in self.sides
        )
        off = mi.Vector3f(place) - origin
        columns, rows = (dr.gather(mi.UInt32, part, number, active) for part in (self.columns, self.rows))
        start = dr.gather(mi.UInt32, self.start, number, active)
        x = dr.dot(off, across) * mi.Float(columns) - 0.5
        y = dr.dot(off, down) * mi.Float(rows) - 0.5
        left, top = dr.floor(x), dr.floor(y)
        total = mi.Color3f(0)
        for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
            column, row = mi.Int32(left) + dx, mi.Int32(top) + dy
            share = (1 - dr.abs(x - left - dx)) * (1 - dr.abs(y - top - dy))
            inside = active & (column >= 0) & (row >= 0) & (column < mi.Int32(columns)) & (row < mi.Int32(rows))
            index = start + mi.UInt32(dr.maximum(row, 0)) * columns + mi.UInt32(dr.maximum(column, 0))
            total += dr.select(inside, share, 0) * dr.gather(mi.Color3f, self.values, index, inside)
        return total


def _traced(mi: Any, dr: Any, own: Any, loaded: Any, sampler: Any, ray: Any) -> Any:
    """Radiance along rays: the loop over a path's vertices."""
    context = mi.BSDFContext()
    ray = mi.Ray3f(ray)
    throughput, result = mi.Color3f(1), mi.Color3f(0)
    depth, eta = mi.UInt32(0), mi.Float(1)
    active, certain = mi.Bool(True), mi.Bool(True)
    seen_from, density = dr.zeros(mi.SurfaceInteraction3f), mi.Float(1)
    within = mi.Color3f(0)
    at_receiver, gathered = mi.Bool(False), mi.Bool(False)  # the last that was neither passed nor gathers; since
    # Of light that was traced from its source, what a receiver mirrors: what is put down is what its body throws back.
    kept = mi.Color3f(1)
    while active:
        hit = loaded.ray_intersect(ray, active)
        if dr.hint(own.absorbed is not None, mode="scalar"):
            throughput *= left_after(dr, within, hit, active)
        # What shines by itself, or the sky.
        shines = hit.emitter(loaded, active)
        direct = mi.DirectionSample3f(loaded, hit, seen_from)
        other = dr.select(certain, 0, loaded.pdf_emitter_direction(seen_from, direct, active & ~certain))
        share = dr.select(certain, 1, density / dr.maximum(density + other, 1e-30))
        from_source = ~hit.is_valid() & (dr.dot(ray.d, own.to_sun) > own.cosine)
        if dr.hint(own.sent is not None, mode="scalar"):
            from_source |= dr.gather(mi.Float, own.sent, dr.reinterpret_array(mi.UInt32, shines), hit.is_valid()) > 0
        traced_from_there = at_receiver & gathered & from_source
        found = throughput * shines.eval(hit, active) * share * dr.select(traced_from_there, kept, 1)
        result += dr.select(active & dr.isfinite(dr.sum(found)), found, 0)
        active &= hit.is_valid() & (depth + 1 < own.max_depth)
        number = dr.reinterpret_array(mi.UInt32, hit.shape)
        gathers = active & (dr.gather(mi.Float, own.gathers, number, active) > 0)
        body = hit.bsdf()
        if dr.hint(own.maps is not None, mode="scalar"):
            lit = dr.gather(mi.UInt32, own.lit, number, active)
            on_map = active & (lit > 0)
            reflected = body.eval_diffuse_reflectance(hit, on_map) * (1 / dr.pi)
            result += dr.select(on_map, throughput * reflected * own.maps.at(hit.p, lit, on_map), 0)
        else:
            on_map, reflected = mi.Bool(False), mi.Color3f(0)
        # A light by its own sampling.
        two = sampler.next_2d(active)
        smooth = active & mi.has_flag(body.flags(), mi.BSDFFlags.Smooth)
        towards, light = loaded.sample_emitter_direction(hit, two, False, smooth)
        smooth &= towards.pdf > 0
        way = hit.to_local(towards.d)
        value, likely = body.eval_pdf(context, hit, way, smooth)
        weight = dr.select(towards.delta, 1, towards.pdf / dr.maximum(towards.pdf + likely, 1e-30))
        to_source = dr.dot(towards.d, own.to_sun) > own.cosine
        if dr.hint(own.sent is not None, mode="scalar"):
            to_source |= dr.gather(mi.Float, own.sent, dr.reinterpret_array(mi.UInt32, towards.emitter), smooth) > 0
        counted = gathers & at_receiver & to_source
        smooth &= dr.max(value) > 0
        lights = (
            throughput
            * dr.select(counted, kept, 1)
            * value
            * light
            * weight
            * looped(_passing)(mi, dr, loaded, hit, towards, mi.Bool(smooth))
        )
        result += dr.select(smooth & dr.isfinite(dr.sum(lights)), lights, 0)
        # On along the surface's own way.
        one, two = sampler.next_1d(active), sampler.next_2d(active)
        chosen, value = body.sample(context, hit, one, two, active)
        throughput[active] = throughput * value
        if dr.hint(own.absorbed is not None, mode="scalar"):
            within = crossed(mi, dr, own.absorbed, within, number, chosen, active)
        eta[active] = eta * chosen.eta
        passes = mi.has_flag(chosen.sampled_type, mi.BSDFFlags.Null)
        ray[active] = hit.spawn_ray(hit.to_world(chosen.wo))
        scatters = active & ~passes
        seen_from[scatters] = hit
        density[scatters] = chosen.pdf
        certain[scatters] = mi.has_flag(chosen.sampled_type, mi.BSDFFlags.Delta)
        mirrors = dr.maximum(1 - reflected * dr.abs(chosen.wo.z) / dr.maximum(value * chosen.pdf, 1e-9), 0)
        kept[scatters & ~gathers] = dr.select(on_map, mirrors, 1)
        kept[scatters & gathers & certain] = mi.Color3f(0)  # found by luck alone, in stray bright pixels
        at_receiver[scatters & ~gathers] = on_map
        gathered[scatters] = gathers
        depth[active] = depth + 1
        # Roulette, as the package has it.
        strongest = dr.max(throughput)
        active &= strongest > 0
        survive = dr.minimum(strongest * eta * eta, 0.95)
        roulette = depth >= own.roulette_depth
        lives = sampler.next_1d(active) < survive
        throughput[active & roulette] = throughput / dr.maximum(survive, 1e-6)
        active &= ~roulette | lives
    return result


def _passing(mi: Any, dr: Any, loaded: Any, hit: Any, towards: Any, active: Any) -> Any:
    """How much of a light's way to a surface is free, through panes and cut-outs."""
    ray, passing, steps = hit.spawn_ray_to(towards.p), mi.Color3f(1), mi.UInt32(0)
    while active:
        between = loaded.ray_intersect(ray, active)
        active &= between.is_valid()
        through = between.bsdf().eval_null_transmission(between, active)
        passing[active] = passing * through
        # What is left of the way, a little short of the light itself.
        ray[active] = between.spawn_ray_to(towards.p)
        steps += 1
        passing[active & (steps >= SEE_THROUGH)] = mi.Color3f(0)
        active &= (dr.max(passing) > 0) & (steps < SEE_THROUGH)
    return passing
