"""What white would show in the photograph, anywhere in a place whose solids are known.

That is what a thing's pixels are divided by to tell its reflectance: light from sun, sky and lamps as the balance has
them, without what solids take of it, and with what they throw back, which the photograph shows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.near import near_irradiance, ways_to
from lithopos.core.place.balance import BalanceAnswer
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.face import Face
from lithopos.core.place.far_side import FarSides
from lithopos.core.place.lookup import looked_up
from lithopos.core.place.others import Other
from lithopos.core.place.seen import InSight, in_sight
from lithopos.core.place.shading import OPEN, Openness, Solids, openness, solids_of

COARSE = 6  # points along and across a field at which it is looked round
RAYS = 64
LEAST_WHITE = 0.02  # of what level white shows: where less falls the photograph says nothing of what is there
EDGE = 2  # texels on both sides of a shadow's edge, which is never quite where the solids say


__all__ = ["PlaceLight", "place_light"]


@dataclass(frozen=True)
class PlaceLight:
    """The light of a place with its solids.

    Attributes
    ----------
    linear, camera : the photograph and its camera, for its size.
    guessed : (F, 3) what each side shows where no photograph shows it.
    others : photographs of the place from elsewhere.
    """

    linear: Floats
    camera: Pinhole
    day: Daylight
    balance: BalanceAnswer
    solids: Solids
    sight: InSight
    guessed: Floats = field(repr=False)
    others: tuple[Other, ...] = ()

    def white(self, points: Array, normal: Array, coarse: int = COARSE) -> tuple[Floats, Mask]:
        """What white would show at places (rows, columns, 3) of a flat field, and where that can be trusted.

        Parameters
        ----------
        coarse : how many places along and across are looked round from.
        """
        rows, columns = points.shape[:2]
        at_rows = np.unique(np.linspace(0, rows - 1, min(coarse, rows)).round().astype(int))
        at_columns = np.unique(np.linspace(0, columns - 1, min(coarse, columns)).round().astype(int))
        few = points[np.ix_(at_rows, at_columns)]
        flat = few.reshape(-1, 3)
        normals = np.broadcast_to(normal, flat.shape)
        seen = openness(flat, normals, self.solids, self.radiance, self.day.sky_towards, RAYS)
        steady = self._without_sun(flat, normal, seen) + seen.thrown
        whole = cv2.resize(
            np.asarray(steady.reshape(*few.shape), np.float32), (columns, rows), interpolation=cv2.INTER_LINEAR
        )
        sure = np.ones((rows, columns), bool)
        if self.day.sun is not None:
            lit = self.solids.lit(points.reshape(-1, 3)).reshape(rows, columns)
            whole = whole + lit[..., None] * self._shown(self.day.parts(normal)[0], 0)
            size = np.ones((2 * EDGE + 1, 2 * EDGE + 1), np.uint8)
            around = lit.astype(np.uint8)
            sure = cv2.dilate(around, size) == cv2.erode(around, size)
        least = LEAST_WHITE * float(np.mean(self.balance.white))
        return np.asarray(np.maximum(whole, least), np.float32), sure & (whole.min(-1) > least)

    def radiance(self, places: Array, numbers: Array, ways: Array) -> Array:
        """What places (N, 3) on sides of given numbers show, as the photograph has it or as is guessed: (N, 3).

        Parameters
        ----------
        ways : (N, 3) in which they are looked at.
        """
        found = self.guessed[numbers]
        views = [*reversed(self.others), Other(self.linear, self.camera, self.sight)]
        for view in views:  # this photograph last: it holds where it shows anything
            seen, known = looked_up(view.linear, view.camera, places[None])
            known[0] &= view.sight.owners(places) == numbers
            found = np.where(known[0][:, None], seen[0], found)
        return found * self._far.beside_near(ways, numbers)

    @cached_property
    def _far(self) -> FarSides:
        return FarSides(self.solids, self.day.sky_towards, self.shown_by_white)

    def shown_by_white(self, place: Array, normal: Array, lit: bool, seen: Openness = OPEN) -> Array:
        """What white at a place (3,) shows, in the sun or not, of all light but what solids throw, (3,)."""
        shown = self._without_sun(place[None], normal, seen)[0]
        if self.day.sun is not None and lit:
            shown = shown + self._shown(self.day.parts(normal)[0], 0)
        return np.asarray(shown)

    def _without_sun(self, points: Array, normal: Array, seen: Openness) -> Array:
        """What white shows at points (N, 3) of all lights but the sun's own rays and what solids throw: (N, 3)."""
        first = 1 if self.day.sun is not None else 0
        _, bounced, sky, below = self.day.parts(normal)
        found = seen.sky * self._shown(sky, first) + seen.ground * self._shown(below, first)
        if first:
            found += seen.sunlit[:, None] * self._shown(bounced, 0)
        for number, near in enumerate(self.day.near, first + 1):
            ways, reach = ways_to(near.light, points)
            met, _ = self.solids.met(points + 1e-3 * normal, ways)
            for n in np.flatnonzero(met > 0.98 * reach):
                found[n] += self._shown(near_irradiance(near.light, points[n], normal), number)
        return found

    def _shown(self, irradiance: Array, number: int) -> Array:
        """What white shows in a light's irradiance at strength 1, (3,); lights as `Daylight.lights` orders them."""
        strength = np.array(self.balance.lights[number].strength)
        return np.asarray(np.array(self.balance.gain) / np.pi * strength * irradiance)


def place_light(
    linear: Floats,
    camera: Pinhole,
    day: Daylight,
    balance: BalanceAnswer,
    faces: Sequence[Face],
    reflectances: Array,
    others: tuple[Other, ...] = (),
) -> PlaceLight:
    """The light of a place.

    Parameters
    ----------
    faces : of all solids; `reflectances` (F, 3) what each is taken to throw back where it is not seen.
    """
    solids = solids_of(faces, day.sun, mapped=True)
    guessed = np.zeros((len(faces), 3), np.float32)
    light = PlaceLight(linear, camera, day, balance, solids, in_sight(faces, camera), guessed, others)
    for number, face in enumerate(faces):
        middle = face.corners.mean(0)
        lit = bool(solids.lit(middle[None] + 0.01 * face.normal)[0])
        guessed[number] = reflectances[number] * light.shown_by_white(middle, face.normal, lit)
    return light
