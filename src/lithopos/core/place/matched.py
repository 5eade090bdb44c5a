"""A panorama that was taken where things stand shows the photograph's own ground: what that tells, point by point.

Dull ground is as bright from wherever one looks: the photograph's values over the panorama's are the photograph's gain,
whatever the ground is made of and whatever lights it there. The panorama holds what the photograph clips, too.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import product

import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import luminance
from lithopos.core.place.around import towards
from lithopos.core.place.sun_in import CLIPPED_LINEAR

REACH_M, SHOWN_M = 1.0, 3.0  # about the lens: where ground is matched, and what clips is as the panorama shows it
FAR = 8.0  # in heights of the lens: farther away it shows the ground too flatly
LEAST_POINTS, MOST_POINTS = 200, 4000
LEAST_ALIKE = 0.6  # correlation of both, that they are taken to show the same
LEAST_VARIED = 0.25  # standard deviation, in natural logarithms: of even ground nobody knows whether it is the same
# How far the lens may have been from where things stand [m], and its height from what is told.
ASIDE_M, HIGHER = (-0.2, -0.1, 0.0, 0.1, 0.2), (0.8, 1.0, 1.25)

__all__ = ["Around", "Matched", "ground_matched"]


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
        found[rows, columns] = np.maximum(found[rows, columns], self.around.seen(points[shown]) * self.gain)
        return found


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
    bright = np.log(np.clip(luminance(values), 1e-4, CLIPPED_LINEAR))
    if float(bright.std()) < LEAST_VARIED:
        return None
    best: tuple[float, Around, Array] | None = None
    for aside, ahead, higher in product(ASIDE_M, ASIDE_M, HIGHER):
        at = np.array([lens[0] + aside, lens[1] + ahead, height_m + (lens[2] - height_m) * higher])
        moved = replace(around, lens=at)
        seen = moved.seen(points)
        level = float(np.median(bright) - np.median(np.log(np.maximum(luminance(seen), 1e-9))))
        other = np.log(np.clip(luminance(seen) * np.exp(level), 1e-4, CLIPPED_LINEAR))
        alike = float(np.corrcoef(bright, other)[0, 1]) if other.std() > 0 else 0.0
        if best is None or alike > best[0]:
            best = alike, moved, seen
    assert best
    alike, moved, seen = best
    shown = values.max(1) < CLIPPED_LINEAR
    if alike < LEAST_ALIKE or np.count_nonzero(shown) < LEAST_POINTS:
        return None
    ratios = np.log(np.maximum(values[shown], 1e-4) / np.maximum(seen[shown], 1e-9))
    return Matched(moved, np.exp(np.median(ratios, axis=0)))


def _ground_about(lens: Array, camera: Pinhole, height_m: float, covered: Mask | None) -> tuple[Array, Array]:
    """Pixels (N, 2) that show the ground about a lens, and its points (N, 3) [m]."""
    x, y = np.meshgrid(np.arange(camera.width), np.arange(camera.height))
    pixels = np.column_stack([x.ravel(), y.ravel()])
    points = camera.ground_points(pixels + 0.5, height_m)
    near = np.linalg.norm(points[:, :2] - lens[:2], axis=1) < min(REACH_M, FAR * (lens[2] - height_m))  # no for NaN
    if covered is not None:
        near &= ~covered.ravel()
    step = max(1, int(np.ceil(np.count_nonzero(near) / MOST_POINTS)))
    return pixels[near][::step], points[near][::step]
