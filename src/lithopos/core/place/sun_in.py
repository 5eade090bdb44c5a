"""The sun that comes in by windows: what floor in it tells of its strength, though most of it is clipped."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Array, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.light.near import Shaft, let_in
from lithopos.core.light.strengths import Balance, PatchIn
from lithopos.core.place.daylight import SUN, Daylight

CLIPPED_LINEAR = 0.95
# What is clipped in all channels is rather so much brighter, in natural logarithms; how far that may be off, and what a
# channel tells that is not clipped.
CLIPPED_MORE, SIGMA_CLIPPED, SIGMA_ONE_CHANNEL = 0.4, 0.5, 0.25
RATHER = 0.75  # of what patches tell: bars and furniture take light from some, nothing gives more to any
WITHIN_M = 0.12  # of the sun's patch on the floor: as exactly is it known where that ends
LOOKED_AT, FARTHEST_M = 120, 15.0  # spots across the picture, and how far away

__all__ = ["CLIPPED_LINEAR", "sunlit_places", "with_sun_in"]


def with_sun_in(day: Daylight, clipped: Sequence[PatchIn], found: Balance) -> Daylight:
    """What is known of the light, with what clipped patches in the sun tell of that.

    A channel that is not clipped tells it by what their material throws back, which `found` without them tells; what
    is clipped tells how strong it is at least.
    """
    names = [light.name for light in day.lights()]
    number = names.index(SUN)
    own = next(one for one in day.near if one.name == SUN)
    theta = np.stack([found.lights[name].theta for name in names])
    theta[number] = 0
    told, sigma = list[float](), SIGMA_CLIPPED
    for patch in clipped:
        reflectance = found.reflectances.get(patch.material)
        if reflectance is None or not (patch.light[number] > 0).all():
            continue
        direct = patch.seen / reflectance - (theta * patch.light).sum(0)
        strength = np.log(np.maximum(direct, 1e-3) / patch.light[number]) - own.known.tint
        lost: Mask = patch.seen > CLIPPED_LINEAR
        if lost.all():
            told.append(float(strength.max()) + CLIPPED_MORE)
        else:
            sigma = SIGMA_ONE_CHANNEL
            told.append(max(float(strength[~lost].mean()), float(strength[lost].max(initial=-np.inf))))
    if not told:
        return day
    better = replace(own, known=replace(own.known, mean=float(np.quantile(told, RATHER)), sigma=sigma))
    return replace(day, near=tuple(better if one is own else one for one in day.near))


def sunlit_places(shaft: Shaft, camera: Pinhole, height_m: float, covered: Mask | None, count: int) -> list[Pixel]:
    """Pixels of the floor, far apart, that sun reaches through windows, clear of where that ends.

    Parameters
    ----------
    covered : (H, W) what stands before the floor; None: nothing.
    """
    step = camera.width / LOOKED_AT
    x, y = np.meshgrid(np.arange(step / 2, camera.width, step), np.arange(step / 2, camera.height, step))
    pixels = np.column_stack([x.ravel(), y.ravel()])
    if covered is not None:
        pixels = pixels[~covered[pixels[:, 1].astype(int), pixels[:, 0].astype(int)]]
    floor = camera.ground_points(pixels, height_m)
    near = np.linalg.norm(floor - camera.position, axis=1) < FARTHEST_M  # no for NaN
    pixels, floor = pixels[near], floor[near]
    for off in ((WITHIN_M, 0, 0), (-WITHIN_M, 0, 0), (0, WITHIN_M, 0), (0, -WITHIN_M, 0)):
        lit = np.isfinite(let_in(shaft, floor + off))
        pixels, floor = pixels[lit], floor[lit]
    return _far_apart(pixels, count)


def _far_apart(pixels: Array, count: int) -> list[Pixel]:
    """Some of pixels (N, 2), each as far from those before it as can be; the first is nearest to their middle."""
    if not len(pixels):
        return []
    away = -np.linalg.norm(pixels - pixels.mean(0), axis=1)
    found: list[Pixel] = []
    for _ in range(min(count, len(pixels))):
        chosen = pixels[int(away.argmax())]
        found.append((float(chosen[0]), float(chosen[1])))
        apart = np.linalg.norm(pixels - chosen, axis=1)
        away = apart if len(found) == 1 else np.minimum(away, apart)
    return found
