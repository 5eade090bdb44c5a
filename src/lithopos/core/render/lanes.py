"""Sampling pixels with the fast variant: any list of pixels in one launch, rays through the bent lens itself.

A kernel depends neither on the camera nor on which pixels are asked for, so that it is compiled once for a
scene's kinds of surfaces and found again afterwards; the package's own films compile anew for each window.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.depth import Lens
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.layers import HALVES
from lithopos.core.render.caustics import shape_names
from lithopos.core.render.scene import Scene
from lithopos.core.render.translate.models import lets_through

LANES = 1 << 22  # samples a launch: one or two seconds' work; half as many take a twelfth longer in all
SEE_THROUGH = 4  # cut-out surfaces that a first hit looks through
_STRAIGHTENING_STEPS = 10

__all__ = ["LaneSampler"]


def _own_sampler(mi: Any) -> Any:
    """A sampler whose random numbers are handed to it."""

    class Handed(mi.Sampler):  # type: ignore[misc]
        def __init__(self, props: Any = None) -> None:
            super().__init__(props or mi.Properties())
            self.rng = mi.PCG32(1)

        def next_1d(self, active: Any = True) -> Any:
            return self.rng.next_float32(active)

        def next_2d(self, active: Any = True) -> Any:
            return mi.Point2f(self.rng.next_float32(active), self.rng.next_float32(active))

    return Handed()


class LaneSampler:
    """Many samples at once, each a lane of a vectorised kernel."""

    def __init__(self, mi: Any) -> None:
        import drjit as dr

        self.mi, self.dr = mi, dr

    def aim(self, camera: Pinhole, lens: Lens | None = None) -> None:
        """Look through a camera, whose lens may be open."""
        self.camera, self.lens = camera, lens

    def know(self, loaded: Any, scene: Scene) -> None:
        """Remember which of a loaded scene's shapes are models, and which receivers hide or take nothing."""
        dr, mi = self.dr, self.mi
        shapes = loaded.shapes()
        numbers = [int(dr.reinterpret_array(mi.UInt32, mi.ShapePtr(shape))[0]) for shape in shapes]

        def flags(*prefixes: str) -> Any:
            values = np.zeros(max(numbers) + 1, np.float32)
            for number, shape in zip(numbers, shapes, strict=True):
                values[number] = shape.id().startswith(prefixes) if prefixes else False
            return mi.Float(values)

        veils = [f"receiver{n}patch" for n, receiver in enumerate(scene.receivers) if not receiver.hides]
        withheld = [f"receiver{n}patch" for n, receiver in enumerate(scene.receivers) if not receiver.receives]
        self._is_model = flags("model")
        self._is_veil = flags(*veils) if veils else None
        self._is_withheld = flags(*withheld) if withheld else None
        self._deep = SEE_THROUGH if any(lets_through(thing) for thing in scene.models) else 1

    def batches(self, pixels: Any, count: int) -> list[Any]:
        """Pixels in portions that fill a launch."""
        portion = max(1, LANES // (HALVES * count))
        return [pixels[start : start + portion] for start in range(0, len(pixels), portion)]

    def radiance(self, scene: Any, integrator: Any, pixels: Any, first: int, count: int, seed: int) -> Floats:
        """Sums (N, 2, 3); see `Tracer.radiance`."""
        dr = self.dr
        sampler, ray = self._rays(pixels, first, count, seed)
        ray = self._past_veils(scene, ray)
        light, _, _ = integrator.sample(scene, sampler, ray)
        light = dr.select(dr.isfinite(light.x + light.y + light.z), light, 0)
        return self._summed([light.x, light.y, light.z], len(pixels) * HALVES, count).reshape(-1, HALVES, 3)

    def first_hits(self, scene: Any, pixels: Any, first: int, count: int, seed: int) -> dict[str, Floats]:
        """See `Tracer.first_hits`; through the same points of the pixels as `radiance`."""
        mi, dr = self.mi, self.dr
        _, ray = self._rays(pixels, first, count, seed)
        ray = self._past_veils(scene, ray)
        through, cover = mi.Float(1), mi.Float(0)
        withheld = None
        albedo, normal, depth = mi.Color3f(0), mi.Normal3f(0), mi.Float(0)
        eye = mi.Point3f(*[dr.opaque(mi.Float, float(v)) for v in self.camera.position])
        looks = mi.Bool(True)
        for _ in range(self._deep):
            hit = scene.ray_intersect(ray, looks)
            body = hit.bsdf()
            passes = dr.mean(body.eval_null_transmission(hit, hit.is_valid()))
            if self._is_withheld is not None and withheld is None:
                withheld = self._flag(self._is_withheld, hit)
            weight = through * (1 - passes) * self._flag(self._is_model, hit)
            cover += weight
            albedo += weight * body.eval_diffuse_reflectance(hit, hit.is_valid())
            normal += weight * hit.sh_frame.n
            # From the camera: a ray begins anew behind what was looked through.
            depth += dr.select(hit.is_valid(), weight * dr.norm(hit.p - eye), 0)
            through *= dr.select(hit.is_valid(), passes, 0)
            looks &= through > 0
            ray = hit.spawn_ray(ray.d)
        columns = [cover, albedo.x, albedo.y, albedo.z, normal.x, normal.y, normal.z, depth]
        if withheld is not None:
            columns.append(withheld)
        sums = self._summed(columns, len(pixels), HALVES * count)
        found = {"coverage": sums[:, 0], "albedo": sums[:, 1:4], "normal": sums[:, 4:7], "depth": sums[:, 7]}
        return found if withheld is None else {**found, "withheld": sums[:, 8]}

    def shapes_at(self, scene: Any, pixels: Any) -> NDArray[np.str_]:
        """Names (N,) of the shapes at pixels' middles."""
        hit = scene.ray_intersect(self._past_veils(scene, self._through_middles(pixels)))
        return self._named(scene, self._number(hit))

    def sunlit(self, scene: Any, pixels: Any, ways: Array) -> tuple[Floats, NDArray[np.str_]]:
        """How much of the sun is seen (N,) at pixels' middles, and on which shape (N,).

        `ways` (M, 3) lead to parts of the sun.
        """
        mi, dr = self.mi, self.dr
        ray = self._through_middles(pixels)
        hit = scene.ray_intersect(ray)
        seen, facing = mi.Float(0), mi.Bool(True)
        for way in ways:
            to_sun = mi.Vector3f(*[dr.opaque(mi.Float, float(v)) for v in way])
            facing &= dr.dot(hit.n, to_sun) * dr.dot(hit.n, ray.d) < 0  # on the side that is looked at
            free = ~scene.ray_test(hit.spawn_ray(to_sun), hit.is_valid())
            seen += dr.select(free, 1 / len(ways), 0)
        share = dr.select(hit.is_valid() & facing, seen, dr.nan)
        number = self._number(hit)
        dr.eval(share, number)
        return np.array(share, np.float32), self._named(scene, number)

    def _through_middles(self, pixels: Any) -> Any:
        x, y = (self.mi.Float(np.ascontiguousarray(pixels[:, i], np.float32)) + 0.5 for i in (0, 1))
        return self._through(x, y)

    def _number(self, hit: Any) -> Any:
        """The renderer's number of what was hit; 0 where nothing was."""
        return self.dr.select(hit.is_valid(), self.dr.reinterpret_array(self.mi.UInt32, hit.shape), 0)

    def _named(self, scene: Any, number: Any) -> NDArray[np.str_]:
        """The names of shapes by the renderer's numbers; empty where nothing was hit."""
        names = shape_names(self.mi, scene)
        table = np.array([names.get(number, "") for number in range(max(names, default=0) + 1)])
        return table[np.array(number)]

    def _flag(self, flags: Any, hit: Any) -> Any:
        """1 where what was hit has a flag, else 0."""
        dr, mi = self.dr, self.mi
        number = dr.reinterpret_array(mi.UInt32, hit.shape)
        return dr.select(hit.is_valid(), dr.gather(mi.Float, flags, number, hit.is_valid()), 0)

    def _past_veils(self, scene: Any, ray: Any) -> Any:
        """Rays that begin behind receivers that hide nothing, where a model is the next thing there."""
        if self._is_veil is None:
            return ray
        dr, mi = self.dr, self.mi
        beyond, still, reached = mi.RayDifferential3f(ray), mi.Bool(True), mi.Bool(False)
        for _ in range(SEE_THROUGH):
            hit = scene.ray_intersect(beyond, still)
            veil = still & (self._flag(self._is_veil, hit) > 0)
            reached |= still & (self._flag(self._is_model, hit) > 0)
            beyond.o = dr.select(veil, hit.spawn_ray(ray.d).o, beyond.o)
            still &= veil
        ray.o = dr.select(reached, beyond.o, ray.o)
        return ray

    def _summed(self, columns: list[Any], rows: int, block: int) -> Floats:
        """Sums over blocks of lanes, (rows, columns)."""
        dr = self.dr
        dr.eval(columns)
        sums = [np.array(dr.block_sum(column, block), np.float32) for column in columns]
        assert all(len(part) == rows for part in sums)
        return np.stack(sums, axis=1)

    def _rays(self, pixels: Any, first: int, count: int, seed: int) -> tuple[Any, Any]:
        """Lanes by pixel, half and sample: their random numbers and their rays."""
        mi, dr = self.mi, self.dr
        each = dr.opaque(mi.UInt32, count)
        lane = dr.arange(mi.UInt32, len(pixels) * HALVES * count)
        group = lane // each
        number = (lane - group * each + dr.opaque(mi.UInt32, first)) * HALVES + (group & 1)
        which = group >> 1
        x = dr.gather(mi.UInt32, mi.UInt32(np.ascontiguousarray(pixels[:, 0], np.uint32)), which)
        y = dr.gather(mi.UInt32, mi.UInt32(np.ascontiguousarray(pixels[:, 1], np.uint32)), which)
        a, b = mi.sample_tea_32(x | (y << 16), number, 6)
        a, b = mi.sample_tea_32(a ^ dr.opaque(mi.UInt32, seed & 0xFFFFFFFF), b, 6)
        sampler = _own_sampler(mi)
        sampler.rng = mi.PCG32(size=1, initstate=mi.UInt64(a), initseq=mi.UInt64(b))
        within = sampler.next_2d()
        at = mi.Float(x) + within.x, mi.Float(y) + within.y
        if self.lens is None:
            return sampler, self._through(*at)
        return sampler, self._through(*at, mi.warp.square_to_uniform_disk_concentric(sampler.next_2d()))

    def _through(self, x: Any, y: Any, opening: Any = None) -> Any:
        """Rays through points of the photograph [px], straightened by the lens; and of its opening (a unit disc)."""
        mi, dr, camera = self.mi, self.dr, self.camera

        def figure(value: float) -> Any:
            return dr.opaque(mi.Float, float(value))

        focal, (cx, cy) = figure(camera.focal_px), [figure(v) for v in camera.principal_point]
        u, v = (x - cx) / focal, (y - cy) / focal
        if camera.k1:
            u, v = self._straightened(u, v, figure(camera.k1))
        rotation = [[figure(value) for value in row] for row in camera.rotation]
        way = mi.Vector3f(*[u * rotation[0][i] + v * rotation[1][i] + rotation[2][i] for i in range(3)])
        origin = mi.Point3f(*[figure(value) for value in camera.position])
        if opening is not None and self.lens is not None:
            radius, focus = figure(self.lens.radius_m), figure(self.lens.focus_m)
            a, b = opening.x * radius, opening.y * radius
            aside = mi.Vector3f(*[a * rotation[0][i] + b * rotation[1][i] for i in range(3)])
            # `way` has the depth 1: where it meets the plane that is sharp, all rays of a point meet.
            way = way * focus - aside
            origin = origin + aside
        return mi.RayDifferential3f(origin, dr.normalize(way))

    def _straightened(self, u: Any, v: Any, k1: Any) -> tuple[Any, Any]:
        """Undistorted offsets of distorted ones in focal lengths, by Newton's method; see `camera.lens`."""
        dr = self.dr
        reach = dr.sqrt(u * u + v * v)
        radius = reach
        for _ in range(_STRAIGHTENING_STEPS):
            square = k1 * radius * radius
            radius -= (radius * (1 + square) - reach) / dr.maximum(1 + 3 * square, 1e-3)
        scale = dr.select(reach > 1e-9, radius / reach, 1)
        return u * scale, v * scale
