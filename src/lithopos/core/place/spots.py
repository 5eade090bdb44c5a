"""What a photograph shows of solids' sides from spot to spot.

A plinth's top lies in the sun before an arcade and in shade under it: what stands there is lit by its own spot of it.
Where the sun reaches is told by what is drawn, which is not quite as it is: so of the pixels of a spot in the sun, and
of one in shade, the darkest and the brightest quarter are left out.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.place.face import plane_axes, reach_to
from lithopos.core.place.falloff import light_at
from lithopos.core.place.restored import restored
from lithopos.core.place.seen import OFF_M, in_sight
from lithopos.core.place.shading import Solids, solids_of

LOOKED_AT = 700  # pixels across in which sides are read
TILES = 6  # along and across a side at most
LEAST_TILE_PX, LEAST_SEEN_PX = 12, 20  # a tile's width in that picture, and how many of its pixels must be in sight
ANOTHER_LIGHT_M = 5.0  # a spot in the sun tells of shade as one so much further away in shade would, and so about
ANOTHER_SIDE_M = 1e5

__all__ = ["LOOKED_AT", "Spots", "spots_of"]


@dataclass(frozen=True)
class Spots:
    """Spots of solids' sides: where they lie (S, 3), on which sides (S,), their linear colours (S, 3), whether the sun
    reaches them (S,).
    """

    solids: Solids
    places: Array
    numbers: NDArray[np.int64]
    colours: Array
    lit: Mask

    def at(self, places: Array, numbers: Array, means: Array) -> Array:
        """What places (M, 3) on sides of given numbers (M,) show, (M, 3): as the nearest spot in the same light.

        Parameters
        ----------
        means : (F, 3) what sides show of which no spot is known.
        """
        found = means[numbers]
        told = np.flatnonzero(self._parted[numbers] >= 0)
        if len(told):
            own, where = numbers[told], places[told]
            parted = self._parted[own] > 0
            lit = np.zeros(len(own), bool)
            lit[parted] = _reached(self.solids, where[parted], own[parted])
            _, nearest = self._tree.query(_keys(where, own, lit))
            found[told] = self.colours[nearest]
        return np.asarray(found)

    @cached_property
    def _parted(self) -> NDArray[np.int8]:
        """Of each side whether some of its spots lie in the sun and some do not (1), or none differ (0); -1: none."""
        parted = np.full(len(self.solids.faces), -1, np.int8)
        parted[self.numbers] = 0
        in_sun, in_shade = (np.bincount(self.numbers, lit, len(parted)) > 0 for lit in (self.lit, ~self.lit))
        parted[in_sun & in_shade] = 1
        return parted

    @cached_property
    def _tree(self) -> cKDTree:
        return cKDTree(_keys(self.places, self.numbers, self.lit & (self._parted[self.numbers] > 0)))


def _reached(solids: Solids, places: Array, numbers: Array | NDArray[np.int64]) -> Mask:
    """Whether the sun reaches places (N, 3) on sides of given numbers (N,)."""
    return solids.lit(places + OFF_M * solids.normals[numbers])


def _keys(places: Array, numbers: Array | NDArray[np.int64], lit: Mask) -> Array:
    """Where places of sides lie so that the nearest spot is one of the same side, and rather in the same light."""
    return np.column_stack([places, ANOTHER_SIDE_M * numbers, ANOTHER_LIGHT_M * lit])


def spots_of(solids: Solids, linear: Floats, camera: Pinhole, falloff: float = 0.0) -> Spots:
    """The spots that a photograph shows; of sides that are small in it none.

    Parameters
    ----------
    linear : (H, W, 3) the photograph's linear values, for `camera`'s size.
    falloff : which share of the light its lens loses in a corner.
    """
    solids = solids_of(solids.faces, solids.sun, mapped=True)
    owner = in_sight(solids.faces, camera, LOOKED_AT).pictured()
    height, width = owner.shape
    seen = cv2.resize(linear, (width, height), interpolation=cv2.INTER_AREA)
    small = camera.scaled(width / camera.width)
    every = [_of_side(solids, number, owner == number, seen, small, falloff) for number in range(len(solids.faces))]
    places, colours, lit = (
        np.concatenate([none, *(one[n] for one in every)])
        for n, none in enumerate((np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0, bool)))
    )
    numbers = np.repeat(np.arange(len(every)), [len(one[0]) for one in every]).astype(np.int64)
    return Spots(solids, places, numbers, colours, lit)


def _of_side(
    solids: Solids, number: int, own: Mask, seen: Floats, camera: Pinhole, falloff: float
) -> tuple[Array, Array, Mask]:
    """A side's spots, (S, 3), their colours, (S, 3), and whether they lie in the sun, (S,).

    Parameters
    ----------
    own : (H, W) the pixels that show it, of the picture `seen` (H, W, 3).
    """
    row, column = np.nonzero(own)
    tiles = min(TILES, int(np.sqrt(len(row)) / LEAST_TILE_PX))
    if tiles < 2:
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0, bool)
    face = solids.faces[number]
    pixels = np.column_stack([column, row]).astype(float) + 0.5
    ways = camera.rays(pixels)
    places = camera.position + reach_to(face, camera.position, ways)[:, None] * ways
    axes = np.stack(plane_axes(face))
    bounds = face.corners @ axes.T
    low, high = bounds.min(0), bounds.max(0)
    shares = (places @ axes.T - low) / np.maximum(high - low, 1e-9)
    inside = np.isfinite(shares).all(1) & (shares >= 0).all(1) & (shares <= 1).all(1)
    colours = restored(seen[own])[0] / light_at(pixels, camera, falloff)[:, None]
    places, colours = places[inside], colours[inside]
    tile = np.minimum((shares[inside] * tiles).astype(int), tiles - 1) @ [1, tiles]
    lit = _reached(solids, places, np.full(len(places), number))
    order = np.lexsort((luminance(colours), 2 * tile + lit))
    _, first = np.unique((2 * tile + lit)[order], return_index=True)
    spots = [part for part in np.split(order, first[1:]) if len(part) >= LEAST_SEEN_PX]
    where = np.array([places[part].mean(0) for part in spots]).reshape(-1, 3)
    middle = np.array([colours[part[len(part) // 4 : -(len(part) // 4)]].mean(0) for part in spots]).reshape(-1, 3)
    return where, middle, np.array([lit[part[0]] for part in spots], bool)
