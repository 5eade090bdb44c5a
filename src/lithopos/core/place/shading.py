"""How much light falls where in a place whose solids are known: what they take of sun and sky, and throw back.

What a solid throws back is what the photograph shows of it, so that light which went to and fro any number of times is
counted as it was; see docs/methods/contact.md.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.place.face import Face, triangles_of
from lithopos.core.place.seen import SunMap, sun_map

RAYS = 128
CHUNK = 40_000  # rays times triangles at once: what a processor holds near it
OFF_M = 1e-3  # how far off a surface a look round begins
LEAST_AREA = 1e-6  # of a triangle, beside its longest side's square

__all__ = ["OPEN", "Openness", "Solids", "openness", "solids_of"]


@dataclass(frozen=True)
class Solids:
    """All sides of a place's solids, ready to be met by rays.

    Attributes
    ----------
    triangles : (T, 3, 3) [m]; `owner` (T,) the side that each is part of.
    sun : the direction to it (3,); None where none shines.
    shaded : what it meets first, for many points at once; None: rays tell.
    """

    faces: tuple[Face, ...]
    triangles: Array
    owner: Array
    sun: Array | None = None
    shaded: SunMap | None = field(default=None, repr=False)

    def lit(self, points: Array) -> Mask:
        """Whether the sun reaches points (N, 3), as far as these solids let it."""
        if self.shaded:
            return self.shaded.lit(points)
        if self.sun is None:
            return np.ones(len(points), bool)
        reach, _ = self.met(points + OFF_M * self.sun, np.broadcast_to(self.sun, points.shape))
        return np.asarray(~np.isfinite(reach))

    def met(self, origins: Array, ways: Array) -> tuple[Array, Array]:
        """How far rays (N, 3) go until they meet a side, infinite if never, and its number, -1 if none.

        Source: Baldwin and Weber 2016, Fast ray-triangle intersections by coordinate transformation, JCGT 5 (3).
        """
        reach, number = np.full(len(origins), np.inf), np.full(len(origins), -1)
        if not len(self.triangles):
            return reach, number
        count = len(self.triangles)
        step = max(1, CHUNK // count)
        for start in range(0, len(origins), step):
            part = slice(start, start + step)
            o = (origins[part] @ self._into[:3] + self._into[3]).reshape(-1, 3, count)
            d = (ways[part] @ self._into[:3]).reshape(-1, 3, count)
            with np.errstate(divide="ignore", invalid="ignore"):
                t = -o[:, 2] / d[:, 2]
                u, v = o[:, 0] + t * d[:, 0], o[:, 1] + t * d[:, 1]
                hits = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 1e-6)
            t = np.where(hits, t, np.inf)
            first = t.argmin(1)
            reach[part] = t[np.arange(len(t)), first]
            number[part] = np.where(np.isfinite(reach[part]), self.owner[first], -1)
        return reach, number

    @cached_property
    def normals(self) -> Array:
        """(F, 3) of the sides."""
        return np.array([face.normal for face in self.faces])

    @cached_property
    def _into(self) -> Array:
        """What takes points (x, y, z, 1) into each triangle's own frame, where it is the unit one: (4, 3 T)."""
        one, two = self.triangles[:, 1] - self.triangles[:, 0], self.triangles[:, 2] - self.triangles[:, 0]
        square = np.cross(one, two)
        lengths = np.linalg.norm(square, axis=1, keepdims=True)
        frames = np.linalg.pinv(np.stack([one, two, square / np.maximum(lengths, 1e-12)], axis=2))
        shift = -np.einsum("tij,tj->ti", frames, self.triangles[:, 0])
        return np.concatenate([frames.transpose(2, 1, 0).reshape(3, -1), shift.T.reshape(1, -1)])


@dataclass(frozen=True)
class Openness:
    """What points of surfaces see about them.

    Attributes
    ----------
    sky : (N, 3) how much of the sky's light that would reach them with nothing about is left, by channel: what is
        left in the shade of a wall is the sky away from the sun, darker and bluer than the whole.
    thrown : (N, 3) what solids throw onto them, as the mean radiance of the hemisphere, weighted by its cosine.
    ground : (N, 3) how much is left of what the ground would throw back of the sky's light with nothing about.
    sunlit : (N,) the same of the sun's light.
    """

    sky: Array
    thrown: Array
    ground: Array
    sunlit: Array

    def one(self, number: int) -> Openness:
        """What one of the points sees."""
        of = slice(number, number + 1)
        return Openness(self.sky[of], self.thrown[of], self.ground[of], self.sunlit[of])


OPEN = Openness(np.ones((1, 3)), np.zeros((1, 3)), np.ones((1, 3)), np.ones(1))  # of a point with nothing about


def solids_of(faces: Sequence[Face], sun: Array | None, *, mapped: bool = False) -> Solids:
    """Sides that rays can meet, and what of them stands in the sun's way; `mapped`: for very many points."""
    triangles = [face.corners[triangles_of(face)] for face in faces]
    owner = np.repeat(np.arange(len(faces)), [len(part) for part in triangles]).astype(int)
    every = np.concatenate(triangles) if triangles else np.zeros((0, 3, 3))
    there = _has_area(every)
    shaded = sun_map(faces, sun) if mapped and sun is not None else None
    return Solids(tuple(faces), every[there], owner[there], sun, shaded)


def _has_area(triangles: Array) -> Mask:
    """Which of triangles (T, 3, 3) have an area: the corners of steps lie in a row, and a row is met anywhere."""
    one, two = triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    longest = np.maximum((one**2).sum(1), (two**2).sum(1))
    return np.asarray(np.linalg.norm(np.cross(one, two), axis=1) > LEAST_AREA * longest)


def openness(
    points: Array,
    normals: Array,
    solids: Solids,
    radiance: Callable[[Array, Array, Array], Array | Floats],
    sky: Callable[[Array], Array],
    rays: int = RAYS,
) -> Openness:
    """How open points (N, 3) with their normals (N, 3) are to the sky, and what solids throw onto them.

    Parameters
    ----------
    radiance : of places (M, 3) on sides of given numbers (M,), met by rays of these ways (M, 3): (M, 3).
    sky : its radiance towards unit vectors (..., 3), in any unit: (..., 3).
    """
    count = len(points)
    if not count or not len(solids.triangles):
        whole = np.ones((count, 3))
        return Openness(whole, np.zeros((count, 3)), whole, np.ones(count))
    ways = _hemisphere(normals, rays)
    origins = np.repeat(points + OFF_M * normals, rays, axis=0)
    reach, number = solids.met(origins, ways.reshape(-1, 3))
    met = number >= 0
    above = sky(ways)
    free = above.mean(1)
    left = (above * ~met.reshape(count, rays)[..., None]).mean(1)
    thrown = np.zeros((count * rays, 3))
    if met.any():
        towards = ways.reshape(-1, 3)[met]
        thrown[met] = radiance(origins[met] + towards * reach[met][:, None], number[met], towards)
    share = np.where(free > 0, left / np.maximum(free, 1e-9), 1.0)
    # What looks down meets the ground where no solid is in between; that lies in the sun or not.
    down = ways[..., 2] < -1e-6
    seen = down & ~met.reshape(count, rays)
    fall = np.maximum(points[:, 2], 0)[:, None] / np.maximum(-ways[..., 2], 1e-6)
    feet = points[:, None] + fall[..., None] * ways + [0, 0, OFF_M]
    lit = np.zeros(seen.shape, bool)
    lit[seen] = solids.lit(feet[seen])
    below = np.maximum(down.sum(1), 1)
    ground = np.where(down.any(1), seen.sum(1) / below, 1.0)
    sunlit = np.where(down.any(1), lit.sum(1) / below, 1.0)
    return Openness(share, thrown.reshape(count, rays, 3).mean(1), share * ground[:, None], sunlit)


def _hemisphere(normals: Array, rays: int) -> Array:
    """Directions about normals (N, 3), as dense as the cosine, alike for all: (N, rays, 3).

    By Malley's method on a sunflower's spiral, which spreads evenly over the disc.
    """
    number = np.arange(rays) + 0.5
    radius, angle = np.sqrt(number / rays), number * np.pi * (3 - np.sqrt(5))
    x, y, z = radius * np.cos(angle), radius * np.sin(angle), np.sqrt(1 - number / rays)
    helper = np.where(np.abs(normals[:, 2:]) < 0.9, [[0.0, 0, 1]], [[1.0, 0, 0]])
    across = np.cross(helper, normals)
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    along = np.cross(normals, across)
    return np.asarray(
        x[None, :, None] * across[:, None] + y[None, :, None] * along[:, None] + z[None, :, None] * normals[:, None]
    )
