"""What stands about, as light: the sky that it takes from a place, and what it throws onto it.

Solids throw what the photograph shows of them, side by side in one mean colour each, read when they are drawn; looked
at closely, from spot to spot (`spots`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import compress
from operator import not_

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.grounds import PROXY_MATERIALS
from lithopos.core.light.patches import Bright, Colour
from lithopos.core.place.face import Face
from lithopos.core.place.falloff import light_map
from lithopos.core.place.far_side import FarSides
from lithopos.core.place.restored import restored
from lithopos.core.place.seen import OFF_M, in_sight
from lithopos.core.place.shading import OPEN, Openness, Solids, openness, solids_of
from lithopos.core.place.solids import ProxyAnswer
from lithopos.core.place.spots import LOOKED_AT, Spots
from lithopos.core.shot import Proxy

MOST_BRIGHTER = (
    6.0  # a side in the sun than one in shade: what solids throw there is not told, so shade is told too dark
)
ALIKE_DIGITS = 2  # of a normal
USUAL_MEAN, USUAL_REFLECTANCE = 0.2, 0.3  # of a photograph, and of what it shows

__all__ = ["About", "SidesSeen", "about_of", "sides_seen"]


@dataclass(frozen=True)
class SidesSeen:
    """What a photograph shows of a proxy's sides: mean colours, and which share of that is clipped, by channel.

    None for those that it does not show. What is clipped in some channels is restored by the others.
    """

    colours: list[Bright | None]
    clipped: list[Colour | None]


@dataclass(frozen=True)
class About:
    """The solids of a place, and what each of their sides shows in the photograph's linear values, (F, 3).

    `clipped` (F, 3) is which share of that comes from pixels that may be brighter; `far` tells the sides that look
    away, `sky` its radiance behind them towards unit vectors (..., 3), in any unit: (..., 3).
    """

    solids: Solids
    shown: Array
    clipped: Array
    far: FarSides
    sky: Callable[[Array], Array]

    def at(self, place: Array, normal: Array) -> Openness:
        """What a surface at a place (3,) sees about it."""
        return self.at_all(place[None], normal[None])

    def at_all(self, places: Array, normals: Array) -> Openness:
        """What surfaces at places (N, 3) see about them: together sooner than one by one."""
        return openness(places, normals, self.solids, self.radiance, self.sky)

    def radiance(self, _: Array, numbers: Array, ways: Array) -> Array:
        """What sides of given numbers (N,) show in the mean, looked at in unit vectors (N, 3): (N, 3)."""
        return np.asarray(self.shown[numbers] * self.far.beside_near(ways, numbers))

    def closely(self, place: Array, normal: Array, spots: Spots) -> Openness:
        """What a surface at a place (3,) sees about it, sides by their spots where those are known."""

        def radiance(places: Array, numbers: Array, ways: Array) -> Array:
            return spots.at(places, numbers, self.shown) * self.far.beside_near(ways, numbers)

        return openness(place[None], normal[None], self.solids, radiance, self.sky)

    def clipped_at(self, place: Array, normal: Array, seen: Openness) -> Array:
        """The share of what solids throw onto a surface that comes from clipped pixels, by channel (3,).

        Parameters
        ----------
        seen : what `at` tells of it.
        """
        if not self.clipped.any():
            return np.zeros(3)
        part = replace(self, shown=self.shown * self.clipped).at(place, normal).thrown[0]
        return np.asarray(part / np.maximum(seen.thrown[0], 1e-9))

    def lit(self, place: Array, normal: Array) -> bool:
        """Whether the sun reaches a place (3,) of a surface, as far as these solids let it."""
        return bool(self.solids.lit((place + OFF_M * normal)[None])[0])

    def under(self, pixel: Pixel, camera: Pinhole) -> tuple[Array, Array] | None:
        """The place (3,) on a side that a pixel shows, and that side's normal; None where it shows none."""
        way = camera.rays(np.array([pixel], float))
        reach, number = self.solids.met(camera.position[None], way)
        if number[0] < 0:
            return None
        normal = self.solids.faces[int(number[0])].normal
        facing = normal if float(normal @ way[0]) < 0 else -normal
        return camera.position + reach[0] * way[0], facing


def about_of(
    proxies: Sequence[Proxy],
    answers: Sequence[ProxyAnswer],
    sun: Array | None,
    mean: Colour | None,
    sky: Callable[[Array], Array],
    light: Callable[[Array, Array, bool, Openness], Array],
) -> About | None:
    """What stands about; None where nothing does.

    Parameters
    ----------
    mean : the photograph's mean colour, by which sides that it does not show are guessed.
    sky : as `About` has it; `light` as `FarSides` has it.
    """
    faces, shown, clipped = list[Face](), list[Array](), list[Array]()
    told = list[tuple[list[int], list[int]]]()
    usual = np.array(mean or (USUAL_MEAN,) * 3) / USUAL_REFLECTANCE
    by_id = {answer.id: answer for answer in answers}
    for proxy in proxies:
        answer = by_id.get(proxy.id)
        # Uneven ground is still the ground: it says nothing of what stands about.
        if proxy.hidden or proxy.is_ground or answer is None or not answer.faces:
            continue
        material = PROXY_MATERIALS[proxy.material]
        guess = usual * material.reflectance * np.array(material.tint)
        seen, lost = (_by_side(read, len(answer.faces)) for read in (proxy.seen, proxy.clipped))
        numbers = range(len(faces), len(faces) + len(seen))
        known = [colour is not None for colour in seen]
        told.append((list(compress(numbers, known)), list(compress(numbers, map(not_, known)))))
        faces += [Face(np.array(corners)) for corners in answer.faces]
        shown += [guess if colour is None else np.array(colour) for colour in seen]
        clipped += [np.zeros(3) if colour is None else np.array(colour) for colour in lost]
    if not faces:
        return None
    solids = solids_of(faces, sun)
    every = _with_unseen(np.array(shown), told, solids, light)
    return About(solids, every, np.array(clipped), FarSides(solids, sky, light), sky)


def _by_side(told: Sequence[Bright | None], count: int) -> list[Bright | None]:
    """What is told of each side of a solid: nothing where that was told of another shape.

    An older document may lack the bottom of what stands on a level, which comes last.
    """
    return [*told, *[None] * (count - len(told))] if len(told) in (count - 1, count) else [None] * count


def _with_unseen(
    shown: Array,
    told: Sequence[tuple[list[int], list[int]]],
    solids: Solids,
    light: Callable[[Array, Array, bool, Openness], Array],
) -> Array:
    """What sides show (F, 3), unseen ones as the seen ones of the same solid would in their light.

    That is the sun's, where it reaches their middle, and the sky's as if nothing hid it: this is told again whenever
    anything changes, and looks round from every side would take too long. Windows and lamps are not in it, so that it
    hangs on how a side is turned alone, and is told once for all that are turned alike.

    Parameters
    ----------
    told : of each solid, the numbers of its sides that the photograph shows, and of those that it does not.
    """
    partly = [(seen, unseen) for seen, unseen in told if seen and unseen]
    if not partly:
        return shown
    found, known = shown.copy(), dict[tuple[float, ...], Array]()
    places = np.array([face.corners.mean(0) for face in solids.faces]) + OFF_M * solids.normals
    lit = solids.lit(places)

    def on(number: int) -> Array:
        normal = solids.normals[number]
        turned = (*normal.round(ALIKE_DIGITS), float(lit[number]))
        if turned not in known:
            known[turned] = light(places[number], normal, bool(lit[number]), OPEN)
        return known[turned]

    for seen, unseen in partly:
        usual = np.maximum(np.mean([on(number) for number in seen], axis=0), 1e-9)
        for number in unseen:
            found[number] = shown[seen].mean(0) * np.minimum(on(number) / usual, MOST_BRIGHTER)
    return found


def sides_seen(
    answers: Sequence[ProxyAnswer], linear: Floats, camera: Pinhole, falloff: float = 0.0
) -> dict[str, SidesSeen]:
    """What a photograph shows of each side of each proxy, by identity; others may stand before it.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values, for `camera`'s size.
    falloff : which share of the light its lens loses in a corner.
    """
    faces = [Face(np.array(corners)) for answer in answers for corners in answer.faces]
    owner = in_sight(faces, camera, LOOKED_AT).pictured()
    height, width = owner.shape
    small = cv2.resize(linear, (width, height), interpolation=cv2.INTER_AREA)
    left = light_map(camera.sized(width, height), falloff)
    # Of sides that look away a row of pixels may peep out beside the others.
    shown = [
        (owner == number) & (float(face.normal @ (camera.position - face.corners[0])) > 0)
        for number, face in enumerate(faces)
    ]
    every = iter([_side_seen(small[own], left[own]) for own in shown])
    found = {}
    for answer in answers:
        sides = [next(every) for _ in answer.faces]
        found[answer.id] = SidesSeen([colour for colour, _ in sides], [clipped for _, clipped in sides])
    return found


def _side_seen(pixels: Floats, left: Floats) -> tuple[Bright, Colour] | tuple[None, None]:
    """The mean of a side's pixels (N, 3), of whose light the lens left a share (N, 1), and how much of that is clipped.

    None of a side that is not seen.
    """
    if not len(pixels):
        return None, None
    values, unsure = restored(pixels)
    values = values / left
    mean = np.maximum(values.mean(0), 0)
    r, g, b = (float(v) for v in mean)
    lost_r, lost_g, lost_b = (float(v) for v in np.clip((values * unsure).mean(0) / np.maximum(mean, 1e-6), 0, 1))
    return (r, g, b), (lost_r, lost_g, lost_b)
