"""What is seen round about from places of the ground: what stands there, windows, lamps, what lies farther off.

In the photograph's linear values. What it does not show is as `surroundings` and the sky's model have it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.light.near import Ball, Beam, Near, Sheet, beam_intensity
from lithopos.core.place.balance import BalanceAnswer
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.shading import OFF_M, Solids
from lithopos.core.place.surroundings import room_around

IN_WALL = 1.02  # how much farther off than a wall a window in it may lie

__all__ = ["RoundAbout"]


@dataclass(frozen=True)
class RoundAbout:
    """A place to look about in.

    Attributes
    ----------
    day, balance : its light; `near` are windows and lamps in the renderer's measure.
    solids : what stands there, of whose sides `shown` tells the linear values (N, 3) at places (N, 3), by the sides'
        numbers (N,), looked at in unit vectors (N, 3).
    around : as `surroundings_of` gives it.
    """

    day: Daylight
    balance: BalanceAnswer
    near: Sequence[Near] = ()
    solids: Solids | None = None
    shown: Callable[[Array, Array, Array], Array] | None = None
    around: Floats | None = None

    def seen(self, places: Array, ways: Array) -> Array:
        """The linear values (N, 3) that places (N, 3) see in ways (N, 3), unit vectors, of all but small lamps."""
        gain = np.array(self.balance.gain)
        found, reach = gain * self._far(ways), np.full(len(places), np.inf)
        if self.solids is not None and self.shown is not None:
            reach, numbers = self.solids.met(places + OFF_M * ways, ways)
            met = np.flatnonzero(numbers >= 0)
            found[met] = self.shown(places[met] + reach[met, None] * ways[met], numbers[met], ways[met])
        for light in self.near:
            if isinstance(light, Sheet):
                at, shown = _through(light, places, ways)
                before = at < IN_WALL * reach
                found[before], reach[before] = gain * shown[before], at[before]
        return found

    def lamps(self, places: Array) -> list[tuple[Array, Array]]:
        """Of each small lamp the unit vectors to it (N, 3), and the linear values that white facing it shows of it."""
        found = []
        for light in self.near:
            if not isinstance(light, Ball | Beam):
                continue
            off = light.middle - places
            away = np.maximum(np.linalg.norm(off, axis=1), max(light.radius_m, 1e-3))
            ways = off / away[:, None]
            if isinstance(light, Ball):
                strength = np.tile(np.pi * light.radius_m**2 * light.radiance, (len(places), 1))
            else:
                strength = np.array([beam_intensity(light, -way) for way in ways])
            free = np.ones(len(places), bool)
            if self.solids is not None:
                free = self.solids.met(places + OFF_M * ways, ways)[0] > away - light.radius_m
            white = np.array(self.balance.gain) / np.pi * strength / away[:, None] ** 2
            found.append((ways, np.where(free[:, None], white, 0)))
        return found

    def _far(self, ways: Array) -> Array:
        """The radiance of what is far away."""
        if self.day.room:
            return _looked_up(self._room, ways)
        whole = np.array(self.balance.sky) * self.day.sky_towards(ways)
        if self.around is None:
            return whole
        shown = _looked_up(self.around, ways)
        weight = shown[:, 3:]
        return np.asarray(shown[:, :3] * weight + whole * (1 - weight))

    @cached_property
    def _room(self) -> Floats:
        return room_around(self.around, np.array(self.balance.sky))


def _looked_up(values: Floats, ways: Array) -> Array:
    """Values (H, 2 H, channels) by direction, as `light.dome.directions` has them, towards unit vectors (N, 3)."""
    rows = len(values)
    row = (np.pi / 2 - np.arcsin(np.clip(ways[:, 2], -1, 1))) * rows / np.pi
    column = (np.pi - np.arctan2(ways[:, 1], ways[:, 0])) * rows / np.pi
    return np.asarray(values[np.clip(row.astype(int), 0, rows - 1), column.astype(int) % (2 * rows)], float)


def _through(sheet: Sheet, places: Array, ways: Array) -> tuple[Array, Array]:
    """How far off rays (N, 3) meet a window's front, infinite if never, and what it shows there, (N, 3)."""
    across, down = sheet.corners[1] - sheet.corners[0], sheet.corners[3] - sheet.corners[0]
    slope = ways @ sheet.front
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = ((sheet.corners[0] - places) @ sheet.front) / slope
    off = places + np.where(np.isfinite(reach), reach, 0)[:, None] * ways - sheet.corners[0]
    share = np.linalg.solve(
        [[across @ across, across @ down], [across @ down, down @ down]], np.stack([off @ across, off @ down])
    )
    inside = (slope < 0) & (reach > 0) & (share >= 0).all(0) & (share <= 1).all(0)
    shown = np.broadcast_to(sheet.radiance, (1, 1, 3)) if sheet.radiance.ndim == 1 else sheet.radiance
    rows, columns = shown.shape[:2]
    u, v = (np.where(inside, part, 0) for part in share)
    values = shown[np.minimum((v * rows).astype(int), rows - 1), np.minimum((u * columns).astype(int), columns - 1)]
    return np.where(inside, reach, np.inf), np.asarray(values, float)
