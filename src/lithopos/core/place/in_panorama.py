"""Windows and lamps that a panorama taken in the place shows: they shine from where they stand.

A panorama's light comes from infinitely far, which a window or a lamp in the same room is not: what it lights, and
where its shadows fall, changes from step to step. So what is marked of them is taken out of the panorama, and shines
from its own place as bright as the panorama shows it from where it was taken, unclipped as it is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.colour import luminance
from lithopos.core.filling import filled
from lithopos.core.light.dome import directions
from lithopos.core.light.near import Ball, Beam, Sheet, Standing, beam_intensity
from lithopos.core.light.strengths import Known
from lithopos.core.place.around import towards
from lithopos.core.place.daylight import SKY, NearLight

ASIDE_DEG = (
    8.0  # as marks and the lens's place may be off, a lamp is the brightest place within so much of where it should be
)
BESIDE_DEG, RING_DEG = 2.5, 3.0  # what belongs to it beyond its own disc; what lies about that tells the rest
GLARE_DEG = 6.0  # about the sun
BORDER_DEG = 1.0  # about a window
SPOTS = 24  # along each side of a window
SHINES = 1.5  # times what lies about it: a light that is on
SIGMA_SEEN = 0.05  # of its strength beside the rest of the panorama

__all__ = ["lights_in"]


def lights_in(
    radiance: Floats, rotation: Array, lens: Array, near: Sequence[NearLight], sun: Array | None = None
) -> tuple[Floats, tuple[NearLight, ...]]:
    """A panorama (H, W, 3) without the lights that are marked in it, and those, in its own measure.

    What it does not show from its lens (a spot that looks elsewhere, a lamp that is off) stays as it is known.

    Parameters
    ----------
    rotation : (3, 3) from the panorama's frame to the world's.
    lens : where it was taken (3,) [m].
    near : windows and lamps in the place.
    sun : the direction (3,) to the sun that shadows tell, which is no lamp.
    """
    ways, solid = directions(len(radiance))
    ways = ways @ rotation.T
    found, covered = list(near), np.zeros(radiance.shape[:2], bool)
    for number, one in enumerate(near):
        if isinstance(one.light, Sheet):
            within = _behind(one.light, ways, lens)
            window = _window(one.light, radiance, rotation, lens, within)
            if window is not None:
                covered |= _wider(within)
                found[number] = _shown(one, window)
    # Without the windows, or a lamp beside one would be sought in it.
    rest = filled(radiance, ~covered) if covered.any() and not covered.all() else radiance
    for number, one in enumerate(near):
        if isinstance(one.light, Ball | Beam):
            lamp, rest = _lamp(one.light, rest, ways, solid, lens, sun)
            found[number] = one if lamp is None else _shown(one, lamp)
    return rest, tuple(found)


def _shown(one: NearLight, light: Standing) -> NearLight:
    return replace(one, light=light, known=Known(SKY, 0.0, SIGMA_SEEN, SIGMA_SEEN))


def _lamp(
    light: Ball | Beam, radiance: Floats, ways: Array, solid: Array, lens: Array, sun: Array | None
) -> tuple[Ball | Beam | None, Floats]:
    """A lamp as bright as a panorama shows it, and the panorama without it; None where it shows none."""
    off = light.middle - lens
    away = float(np.linalg.norm(off))
    if away < 2 * light.radius_m:
        return None, radiance
    half = float(np.arcsin(light.radius_m / away))
    aside = ways @ (off / away) > np.cos(half + np.radians(ASIDE_DEG))
    if sun is not None:
        aside &= ways @ sun < np.cos(half + np.radians(GLARE_DEG + BESIDE_DEG))
    if not aside.any():
        return None, radiance
    way = _brightest(radiance, ways, solid, aside, half)
    apart = np.arccos(np.clip(ways @ way, -1, 1))
    near = apart < half + np.radians(BESIDE_DEG)
    ring = ~near & (apart < half + np.radians(BESIDE_DEG + RING_DEG))
    if not near.any() or not ring.any():
        return None, radiance
    level = np.median(radiance[ring], axis=0)
    over = np.maximum(radiance[near] - level, 0)
    given = (over * solid[near][:, None]).sum(0)  # what a surface gets that faces it
    disc = np.pi * np.sin(half) ** 2
    if given.mean() < (SHINES - 1) * float(level.mean()) * solid[near].sum():
        return None, radiance
    rest = radiance.copy()
    rest[near] = np.minimum(radiance[near], level)
    if isinstance(light, Ball):
        return replace(light, radiance=np.asarray(given / disc, np.float32)), rest
    own = beam_intensity(light, -off / away)
    if own.min() <= 0.01 * float(light.intensity.max()):
        return None, radiance
    return replace(light, intensity=light.intensity * np.asarray(given * away**2 / own, np.float32)), rest


def _brightest(radiance: Floats, ways: Array, solid: Array, aside: Mask, half: float) -> Array:
    """The unit vector (3,) to what shines most of what lies in a mask, as far as a lamp of a radius [rad] goes."""
    bright = luminance(radiance)
    peak = ways[aside][int(np.argmax(bright[aside]))]
    about = ways @ peak > np.cos(2 * half + np.radians(BESIDE_DEG))
    weight = np.where(bright[about] > bright[about].max() / 2, bright[about] * solid[about], 0)
    middle = (weight[:, None] * ways[about]).sum(0)
    return np.asarray(middle / np.linalg.norm(middle))


def _window(light: Sheet, radiance: Floats, rotation: Array, lens: Array, within: Mask) -> Sheet | None:
    """A window with the mean of what a panorama shows in it; None where it is seen from behind, or is dark."""
    if not within.any():
        return None
    u, v = np.meshgrid(*[(np.arange(SPOTS) + 0.5) / SPOTS] * 2)
    one, two, three, four = light.corners
    spots = (1 - v[..., None]) * (one + u[..., None] * (two - one)) + v[..., None] * (
        four + u[..., None] * (three - four)
    )
    off = (spots - lens).reshape(-1, 3)
    shown = towards(radiance, off / np.linalg.norm(off, axis=1, keepdims=True) @ rotation).mean(0)
    about = _wider(_wider(within)) & ~_wider(within)
    if shown.mean() < SHINES * float(np.median(radiance[about], axis=0).mean()):
        return None
    return replace(light, radiance=np.asarray(shown, np.float32))


def _behind(light: Sheet, ways: Array, lens: Array) -> Mask:
    """In which directions (H, W) from a lens a sheet lies, if that sees its front."""
    if float((lens - light.corners[0]) @ light.front) <= 0:
        return np.zeros(ways.shape[:2], bool)
    inside = np.ones(ways.shape[:2], bool)
    for corner, following in zip(light.corners, np.roll(light.corners, -1, axis=0), strict=True):
        side = np.cross(corner - lens, following - lens)
        inside &= ways @ side * np.sign(side @ (light.corners.mean(0) - lens)) >= 0
    return inside


def _wider(mask: Mask) -> Mask:
    """A mask over a panorama, grown by `BORDER_DEG` at least."""
    reach = int(np.ceil(BORDER_DEG / 180 * len(mask)))
    round_it = cv2.copyMakeBorder(mask.astype(np.uint8), 0, 0, reach, reach, cv2.BORDER_WRAP)
    grown = cv2.dilate(round_it, np.ones((2 * reach + 1, 2 * reach + 1), np.uint8))
    return np.asarray(grown[:, reach:-reach] > 0)
