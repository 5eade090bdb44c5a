"""What a photograph shows of solids' sides: a mean colour of each, and how that changes from spot to spot.

A plinth's top lies in the sun before an arcade and in shade under it: what stands there is lit by its own spot of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.patches import Colour
from lithopos.core.place.face import Face, plane_axes
from lithopos.core.place.seen import in_sight
from lithopos.core.place.shading import Solids
from lithopos.core.place.solids import ProxyAnswer

LOOKED_AT = 700  # pixels across in which sides are read
CLIPPED = 0.97  # linear
TILES = 6  # along and across a side at most
LEAST_TILE_PX, LEAST_SEEN_PX = 12, 20  # a tile's width in that picture, and how many of its pixels must be in sight
OFF_M = 0.05  # off the surface: a shadow map is not finer
ANOTHER_LIGHT_M = 5.0  # a spot in the sun tells of shade as one so much further away in shade would, and so about
ANOTHER_SIDE_M = 1e5

Spot = tuple[float, float, float, float, float]

__all__ = ["SidesSeen", "SidesShown", "Spot", "sides_seen"]


@dataclass(frozen=True)
class SidesSeen:
    """What a photograph shows of a proxy's sides; None for those that it does not show.

    Attributes
    ----------
    colours : their means.
    clipped : which share of that is clipped, by channel.
    spots : of each side, spots of it: how far along it and up it, as shares of its bounds by `plane_axes`, and linear
        red, green, blue. None for a side too small to tell any apart.
    """

    colours: list[Colour | None]
    clipped: list[Colour | None]
    spots: list[list[Spot]]


def sides_seen(answers: Sequence[ProxyAnswer], linear: Floats, camera: Pinhole) -> dict[str, SidesSeen]:
    """What a photograph shows of each side of each proxy, by identity; others may stand before it.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values, for `camera`'s size.
    """
    faces = [Face(np.array(corners)) for answer in answers for corners in answer.faces]
    owner = in_sight(faces, camera, LOOKED_AT).pictured()
    height, width = owner.shape
    small = camera.scaled(width / camera.width)
    seen = cv2.resize(linear, (width, height), interpolation=cv2.INTER_AREA)
    bright = cv2.resize(np.where(linear >= CLIPPED, linear, 0), (width, height), interpolation=cv2.INTER_AREA)
    colours, clipped, spots = list[Colour | None](), list[Colour | None](), list[list[Spot]]()
    for number, face in enumerate(faces):
        own = owner == number
        whole = _mean(seen[own])
        colours.append(whole)
        clipped.append(_share(_mean(bright[own]), whole))
        spots.append(_spots(face, own, seen, small))
    found, first = dict[str, SidesSeen](), 0
    for answer in answers:
        part = slice(first, first + len(answer.faces))
        found[answer.id] = SidesSeen(colours[part], clipped[part], spots[part])
        first += len(answer.faces)
    return found


def _mean(pixels: Floats) -> Colour | None:
    if not len(pixels):
        return None
    r, g, b = (float(v) for v in np.clip(pixels.mean(0), 0, 1))
    return r, g, b


def _share(part: Colour | None, whole: Colour | None) -> Colour | None:
    if part is None or whole is None:
        return None
    r, g, b = (min(one / max(all_, 1e-6), 1.0) for one, all_ in zip(part, whole, strict=True))
    return r, g, b


def _spots(face: Face, own: Mask, seen: Floats, camera: Pinhole) -> list[Spot]:
    """A side's spots, from its pixels `own` (H, W) of a picture (H, W, 3)."""
    row, column = np.nonzero(own)
    tiles = min(TILES, int(np.sqrt(len(row)) / LEAST_TILE_PX))
    if tiles < 2:
        return []
    ways = camera.rays(np.column_stack([column, row]) + 0.5)
    normal = face.normal
    along = ways @ normal
    reach = (face.corners[0] - camera.position) @ normal / np.where(np.abs(along) < 1e-9, np.nan, along)
    places = _shares(face, camera.position + reach[:, None] * ways)
    inside = np.isfinite(places).all(1) & (places >= 0).all(1) & (places <= 1).all(1)
    places, values = places[inside], seen[own][inside]
    tile = np.minimum((places * tiles).astype(int), tiles - 1) @ [1, tiles]
    count = np.bincount(tile, minlength=tiles**2)
    sums = [np.bincount(tile, column, tiles**2) for column in np.column_stack([places, values]).T]
    means = np.column_stack(sums) / np.maximum(count, 1)[:, None]
    kept = np.clip(means[count >= LEAST_SEEN_PX], 0, 1).round(4).tolist()
    return [(x, y, r, g, b) for x, y, r, g, b in kept]


def _bounds(face: Face) -> tuple[Array, Array, Array]:
    """A side's own axes (2, 3), and where its bounds begin and end along them, (2,) each."""
    axes = np.stack(plane_axes(face))
    flat = face.corners @ axes.T
    return axes, flat.min(0), flat.max(0)


def _shares(face: Face, places: Array) -> Array:
    """Where places (N, 3) of a side lie in its bounds, (N, 2)."""
    axes, low, high = _bounds(face)
    return np.asarray((places @ axes.T - low) / np.maximum(high - low, 1e-9))


def _place_at(face: Face, shares: Array) -> Array:
    """The places (N, 3) of a side at shares (N, 2) of its bounds."""
    axes, low, high = _bounds(face)
    flat = low + shares * (high - low)
    off = float(face.corners[0] @ face.normal)
    return np.asarray(flat @ axes + off * face.normal)


@dataclass(frozen=True)
class SidesShown:
    """What solids' sides show, as linear values: (F, 3) in the mean, and spots of them where they are known."""

    solids: Solids
    means: Array
    spots: list[list[Spot]]

    def at(self, places: Array, numbers: Array) -> Array:
        """What places (M, 3) on sides of given numbers (M,) show, (M, 3): as the nearest spot in the same light."""
        found = self.means[numbers]
        told = np.flatnonzero(self._parted[numbers] >= 0)
        if len(told):
            tree, colours = self._tree
            _, nearest = tree.query(self._keys(places[told], numbers[told]))
            found[told] = colours[nearest]
        return np.asarray(found)

    @cached_property
    def _parted(self) -> NDArray[np.int8]:
        """Of each side whether some of its spots lie in the sun and some do not (1), or none differ (0); -1: none."""
        parted = np.full(len(self.spots), -1, np.int8)
        numbers, lit = self._lying[1], self._lying[2]
        parted[numbers] = 0
        in_sun = np.bincount(numbers, lit, len(parted)) > 0
        in_shade = np.bincount(numbers, ~lit, len(parted)) > 0
        parted[in_sun & in_shade] = 1
        return parted

    @cached_property
    def _lying(self) -> tuple[Array, NDArray[np.int64], Mask]:
        """Where all spots lie, (S, 3), on which sides, (S,), and whether the sun reaches them."""
        numbers = np.repeat(np.arange(len(self.spots)), [len(spots) for spots in self.spots])
        places = [
            _place_at(self.solids.faces[number], np.array(spots)[:, :2])
            for number, spots in enumerate(self.spots)
            if spots
        ]
        every = np.concatenate([np.zeros((0, 3)), *places])
        return every, numbers, self._lit(every, numbers)

    @cached_property
    def _tree(self) -> tuple[cKDTree, Array]:
        """All spots by their keys, and their colours (S, 3)."""
        places, numbers, lit = self._lying
        colours = np.array([spot[2:] for spots in self.spots for spot in spots])
        return cKDTree(_keys(places, numbers, lit & (self._parted[numbers] > 0))), colours

    def _keys(self, places: Array, numbers: Array) -> Array:
        parted = self._parted[numbers] > 0
        lit = np.zeros(len(places), bool)
        lit[parted] = self._lit(places[parted], numbers[parted])
        return _keys(places, numbers, lit)

    def _lit(self, places: Array, numbers: Array | NDArray[np.int64]) -> Mask:
        return self.solids.lit(places + OFF_M * self.solids.normals[numbers])


def _keys(places: Array, numbers: Array | NDArray[np.int64], lit: Mask) -> Array:
    """Where places of sides lie so that the nearest spot is one of the same side, and rather in the same light."""
    return np.column_stack([places, ANOTHER_SIDE_M * numbers, ANOTHER_LIGHT_M * lit])
