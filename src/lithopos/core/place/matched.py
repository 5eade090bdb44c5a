"""A panorama that was taken where things stand shows the photograph's own ground: what that tells, point by point.

Dull ground is as bright from wherever one looks: the photograph's values over the panorama's are the photograph's gain,
whatever the ground is made of and whatever lights it there. The panorama holds what the photograph clips, too. And the
ground of both lies one on the other only when the panorama is turned as it was taken.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import product

import cv2
import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import linear_of, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.dome import graded
from lithopos.core.light.turning import rotation_of
from lithopos.core.place.around import AroundAnswer, towards
from lithopos.core.place.sun_in import CLIPPED_LINEAR
from lithopos.core.shot import PanoramaLight

REACH_M, SHOWN_M = 1.0, 3.0  # about the lens: where ground is matched, and what clips is as the panorama shows it
FAR = 8.0  # in heights of the lens: farther away it shows the ground too flatly
LAID_OVER_ROWS = 512
LEAST_POINTS, MOST_POINTS = 200, 4000
LEAST_ALIKE = 0.6  # correlation of both, that they are taken to show the same
LEAST_VARIED = 0.25  # standard deviation, in natural logarithms: of even ground nobody knows whether it is the same
# How far the lens may have been from where things stand [m], and its height from what is told.
ASIDE_M, HIGHER = (-0.2, -0.1, 0.0, 0.1, 0.2), (0.8, 1.0, 1.25)
# Turns that are tried: all, each with fewer points and places of the lens; then about the best, finer and finer.
TURNS_DEG, TURNED_POINTS, TURNED_ASIDE_M = 5.0, 800, (-0.2, 0.0, 0.2)
FINER_DEG = (2.5, 1.0, 0.5, 0.25)
# A clear best needs to be less alike, on less varied ground, than what the gain is told from.
TURNED_REACH_M, TURNED_ALIKE, TURNED_VARIED = 6.0, 0.4, 0.1
TURNED_PIXELS = 1_000_000  # of the photograph
APART_DEG, CLEARER = 20.0, 0.15  # a turn so far from the best must be less alike by so much

__all__ = ["Around", "GroundTurn", "Matched", "ground_matched", "laid_over", "turned_by_ground"]


@dataclass(frozen=True)
class Around:
    """A panorama (R, 2R, 3), linear and graded; `rotation` (3, 3) turns it into the world, `lens` [m] is its place."""

    radiance: Floats
    rotation: Array
    lens: Array

    def seen(self, points: Array) -> Array:
        """What it shows of points (N, 3), (N, 3)."""
        ways = points - self.lens
        ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
        return np.asarray(towards(self.radiance, ways @ self.rotation), float)


@dataclass(frozen=True)
class Matched:
    """A panorama over the photograph's ground, and the photograph's linear values over its radiance, `gain` (3,)."""

    around: Around
    gain: Array

    def shown(self, points: Array) -> Array:
        """The photograph's linear values of points (N, 3) of the ground, as if it showed them, (N, 3)."""
        return self.around.seen(points) * self.gain

    def restored(self, linear: Floats, clipped: Mask, camera: Pinhole, height_m: float) -> Floats:
        """Linear values (H, W, 3) of a photograph with clipped ground as bright as the panorama shows it.

        Parameters
        ----------
        clipped : (H, W) where the photograph is, and shows the ground.
        """
        rows, columns = np.nonzero(clipped)
        points = camera.ground_points(np.column_stack([columns, rows]) + 0.5, height_m)
        lens = self.around.lens
        reach = min(SHOWN_M, FAR * (lens[2] - height_m))
        shown = np.linalg.norm(points[:, :2] - lens[:2], axis=1) < reach  # no for NaN
        rows, columns = rows[shown], columns[shown]
        found = linear.copy()
        found[rows, columns] = np.maximum(found[rows, columns], self.shown(points[shown]))
        return found


def laid_over(radiance: Floats, settings: PanoramaLight, rotation: Array, lens: Array) -> Around:
    """A panorama (R, 2R, 3) as its settings grade it, to be laid over the ground from its lens (3,) [m]."""
    rows = min(len(radiance), LAID_OVER_ROWS)
    small = cv2.resize(radiance, (2 * rows, rows), interpolation=cv2.INTER_AREA).astype(float)
    light = graded(small, settings.saturation, settings.warmth)
    return Around(np.asarray(light, np.float32), rotation, lens)


def ground_matched(
    linear: Floats, around: Around, camera: Pinhole, height_m: float, covered: Mask | None = None
) -> Matched | None:
    """A panorama over the photograph's ground about its lens; None where they don't surely show the same.

    Its lens is looked for about where it is said to be, by where both are most alike.

    Parameters
    ----------
    linear : (H, W, 3) of the photograph.
    covered : (H, W) where something stands before the ground.
    """
    lens = around.lens
    pixels, points = _ground_about(lens, camera, height_m, covered)
    if len(points) < LEAST_POINTS:
        return None
    values = linear[pixels[:, 1], pixels[:, 0]].astype(float)
    bright = _brightness(values)
    if float(bright.std()) < LEAST_VARIED:
        return None
    alike, moved, seen = _most_alike(bright, points, _lenses(around, height_m, ASIDE_M, HIGHER))
    shown = values.max(1) < CLIPPED_LINEAR
    if alike < LEAST_ALIKE or np.count_nonzero(shown) < LEAST_POINTS:
        return None
    ratios = np.log(np.maximum(values[shown], 1e-4) / np.maximum(seen[shown], 1e-9))
    return Matched(moved, np.exp(np.median(ratios, axis=0)))


class GroundTurn(BaseModel):
    """How a panorama is turned by the ground that it and the photograph show, and how alike both are then (their
    correlation); no turn, but a reason, where that can't be told."""

    turn_deg: float | None = None
    alike: float = 0.0
    reason: str | None = None


def turned_by_ground(
    photograph: Picture,
    panorama: Floats,
    settings: PanoramaLight,
    answer: AroundAnswer,
    camera: Pinhole,
    covered: Callable[[Pinhole], Mask | None],
) -> GroundTurn:
    """How a panorama that was taken where things stand is to be turned, that its ground lies on the photograph's.

    Parameters
    ----------
    panorama : (R, 2R, 3), linear.
    answer : how it lies so far; its tilt stays.
    covered : where, for a camera, something stands before the ground.

    Raises
    ------
    InputError
        If nobody said that it was taken where things stand.
    """
    if answer.lens_at_m is None:
        raise InputError("panorama", "must be told as taken where things stand, in a place that knows metres")
    small = photograph.at_most(TURNED_PIXELS)
    camera = camera.sized(small.codes.shape[1], small.codes.shape[0])
    around = laid_over(panorama, settings, answer.rotation(), np.array(answer.lens_at_m))
    by = _turn_between(linear_of(small.codes), around, camera, answer.ground_m, covered(camera))
    if by.turn_deg is None:
        return by
    return by.model_copy(update={"turn_deg": (answer.turn_deg + by.turn_deg + 180) % 360 - 180})


def _turn_between(linear: Floats, around: Around, camera: Pinhole, height_m: float, covered: Mask | None) -> GroundTurn:
    """How much further it is to be turned about the vertical."""
    pixels, points = _ground_about(around.lens, camera, height_m, covered, TURNED_REACH_M)
    if len(points) < LEAST_POINTS:
        return GroundTurn(reason="The photograph hardly shows the ground where things stand.")
    bright = _brightness(linear[pixels[:, 1], pixels[:, 0]].astype(float))
    if float(bright.std()) < TURNED_VARIED:
        return GroundTurn(reason="The ground where things stand is too even to tell how it lies.")
    few = slice(None, None, max(1, len(points) // TURNED_POINTS))
    places = _lenses(around, height_m, TURNED_ASIDE_M, (1.0,))
    turns = np.arange(0.0, 360.0, TURNS_DEG)
    found = [_most_alike(bright[few], points[few], [_turned(one, turn) for one in places]) for turn in turns]
    best = int(np.argmax([alike for alike, _, _ in found]))
    away = np.abs((turns - turns[best] + 180) % 360 - 180) > APART_DEG
    rival = max(alike for (alike, _, _), far in zip(found, away, strict=True) if far)
    turn, laid = float(turns[best]), found[best][1]
    for step in FINER_DEG:
        # The lens by the turn so far, then the turn by that lens.
        _, laid, _ = _most_alike(
            bright, points, _lenses(replace(around, rotation=laid.rotation), height_m, ASIDE_M, HIGHER)
        )
        nearby = [n * step for n in (-2, -1, 0, 1, 2)]
        tried = [_most_alike(bright, points, [_turned(laid, by)]) for by in nearby]
        finest = int(np.argmax([alike for alike, _, _ in tried]))
        turn, (alike, laid, _) = turn + nearby[finest], tried[finest]
    if alike < TURNED_ALIKE:
        return GroundTurn(alike=alike, reason="The panorama’s ground is like the photograph’s in no turn.")
    if alike - rival < CLEARER:
        return GroundTurn(alike=alike, reason="The panorama’s ground is like the photograph’s in more than one turn.")
    return GroundTurn(turn_deg=turn, alike=alike)


def _lenses(around: Around, height_m: float, aside_m: Sequence[float], higher: Sequence[float]) -> list[Around]:
    """A panorama from places about that where its lens is said to have been."""
    x, y, z = around.lens
    return [
        replace(around, lens=np.array([x + aside, y + ahead, height_m + (z - height_m) * by]))
        for aside, ahead, by in product(aside_m, aside_m, higher)
    ]


def _turned(around: Around, by_deg: float) -> Around:
    return replace(around, rotation=rotation_of(by_deg, 0.0, 0.0) @ around.rotation)


def _brightness(values: Array) -> Array:
    """Of linear values (N, 3), as logarithms (N,)."""
    return np.asarray(np.log(np.clip(luminance(values), 1e-4, CLIPPED_LINEAR)))


def _most_alike(bright: Array, points: Array, several: list[Around]) -> tuple[float, Around, Array]:
    """Which of several shows points (N, 3) most like the photograph does: the correlation, that one, what it shows.

    Parameters
    ----------
    bright : (N,) of the photograph there; see `_brightness`.
    """
    found = []
    for one in several:
        seen = one.seen(points)
        level = float(np.median(bright) - np.median(np.log(np.maximum(luminance(seen), 1e-9))))
        other = _brightness(seen * np.exp(level))
        alike = float(np.corrcoef(bright, other)[0, 1]) if other.std() > 0 else 0.0
        found.append((alike, one, seen))
    return max(found, key=lambda one: one[0])


def _ground_about(
    lens: Array, camera: Pinhole, height_m: float, covered: Mask | None, reach_m: float = REACH_M
) -> tuple[Array, Array]:
    """Pixels (N, 2) that show the ground about a lens, and its points (N, 3) [m]."""
    x, y = np.meshgrid(np.arange(camera.width), np.arange(camera.height))
    pixels = np.column_stack([x.ravel(), y.ravel()])
    points = camera.ground_points(pixels + 0.5, height_m)
    near = np.linalg.norm(points[:, :2] - lens[:2], axis=1) < min(reach_m, FAR * (lens[2] - height_m))  # no for NaN
    if covered is not None:
        near &= ~covered.ravel()
    step = max(1, int(np.ceil(np.count_nonzero(near) / MOST_POINTS)))
    return pixels[near][::step], points[near][::step]
