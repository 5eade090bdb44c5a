"""A shot's panorama as it lights the place: turned, graded, its sun replaced where that was asked for."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import encode_srgb, luminance
from lithopos.core.exchange.picture import Picture
from lithopos.core.filling import filled
from lithopos.core.light.clear_sky import UP, sky_irradiance, sun_irradiance
from lithopos.core.light.dome import (
    DISC_ROWS,
    Dome,
    directions,
    disc,
    dome_graded,
    dome_irradiance,
    dome_sun,
    dome_turned,
    graded,
    parted,
)
from lithopos.core.light.sun import SunAnswer
from lithopos.core.light.turning import angles_of, rotation_of, turned_by
from lithopos.core.place.shading import Solids
from lithopos.core.shot import PanoramaLight, Pointing, Shot

LOWEST_SUN = 0.02  # of a panorama's brightest place, that its shadows end somewhere
PREVIEW_WIDTH = 960
COVERED_ROWS = 128  # in which it is told what solids cover
GLARE_DEG = 5.0
LOOKED_UP = 1024  # directions in a row
# Shadows tell where a new sun stands if they tell it so well, and the panorama's own lies within so much of it.
SHARP_DEG, AGREES_DEG = 1.5, 3.0
SHINES = 2.0  # times the mean of a panorama: a window, a bright sky

__all__ = [
    "LOWEST_SUN",
    "AroundAnswer",
    "around_answer",
    "around_picture",
    "beside_shadows",
    "covered_by",
    "dome_in_force",
    "kept_out",
    "radiance_in_force",
    "seen_around",
    "towards",
    "without_solids",
]


class AroundAnswer(BaseModel):
    """How a panorama lies.

    Attributes
    ----------
    turn_deg, pitch_deg, roll_deg : its angles in force.
    off_deg : how far its pointings stay apart, if two or more turn it.
    sun_off_deg : how far its own sun stands from where the photograph's shadows have it.
    new_sun : where shadows have it, if a new one in its place stands there: they are held against shadows, and were
        marked through the same camera. None where they don't tell it well, or it lies too far off.
    lens_at_m, ground_m : where it was taken, and how high the ground is there, if that was where things stand.
    """

    turn_deg: float
    pitch_deg: float
    roll_deg: float
    off_deg: float | None = None
    sun_off_deg: float | None = None
    new_sun: tuple[float, float, float] | None = None
    lens_at_m: tuple[float, float, float] | None = None
    ground_m: float = 0.0

    def rotation(self) -> Array:
        """(3, 3) from the panorama's own directions to the world's."""
        return rotation_of(self.turn_deg, self.pitch_deg, self.roll_deg)


def around_answer(panorama: PanoramaLight, pointings: Sequence[Pointing], camera: Pinhole) -> AroundAnswer:
    """A panorama's angles: by its pointings, else as they are set."""
    if not pointings:
        return AroundAnswer(turn_deg=panorama.turn_deg, pitch_deg=panorama.pitch_deg, roll_deg=panorama.roll_deg)
    ways = np.array([one.way for one in pointings], float)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    rays = camera.rays([one.at for one in pointings])
    rotation, off_deg = turned_by(ways, rays, panorama.pitch_deg, panorama.roll_deg)
    turn, pitch, roll = angles_of(rotation)
    return AroundAnswer(turn_deg=turn, pitch_deg=pitch, roll_deg=roll, off_deg=off_deg if len(ways) > 1 else None)


def beside_shadows(settings: PanoramaLight, answer: AroundAnswer, measured: SunAnswer | None) -> AroundAnswer:
    """The answer with what the photograph's shadows say of a panorama's sun."""
    if measured is None or settings.dome is None or not (settings.disc or settings.dome.sunny):
        return answer
    own = answer.rotation() @ dome_sun(settings.dome)
    off = float(np.degrees(np.arccos(np.clip(own @ np.array(measured.direction), -1, 1))))
    sharp = max(measured.sigma_deg.values()) <= SHARP_DEG
    there = measured.direction if settings.disc and sharp and off < AGREES_DEG else None
    return answer.model_copy(update={"sun_off_deg": off, "new_sun": there})


def dome_in_force(shot: Shot, answer: AroundAnswer | None) -> Dome | None:
    """What the shot's panorama gives the world; None where it lights nothing, or its figures are not read yet."""
    settings = shot.panorama
    if shot.lit_by != "panorama" or answer is None or settings is None or settings.dome is None:
        return None
    dome = dome_graded(dome_turned(settings.dome, answer.rotation()), settings.saturation, settings.warmth)
    if not settings.disc:
        return dome
    # The sun is then as a clear day's beside the panorama's own sky, until the photograph tells it.
    sun = np.array(answer.new_sun) if answer.new_sun else dome_sun(dome)
    azimuth_deg, elevation_deg = np.degrees([np.arctan2(sun[1], sun[0]), np.arcsin(np.clip(sun[2], -1, 1))])
    sun[2] = max(float(sun[2]), LOWEST_SUN)
    facing = sun_irradiance(sun, shot.sky.haze, sun)
    beside = float(dome_irradiance(dome, UP).mean()) / max(float(sky_irradiance(sun, shot.sky.haze, UP).mean()), 1e-9)
    stands = {"azimuth_deg": float(azimuth_deg), "elevation_deg": float(elevation_deg)}
    return dome.model_copy(update={"sun": (facing * beside).tolist(), "share": 1.0, **stands})


def radiance_in_force(
    radiance: Floats, settings: PanoramaLight, dome: Dome, sky_tint: tuple[float, float, float], width_deg: float
) -> Floats:
    """The panorama (H, W, 3) by which a render is lit, in its own frame.

    Parameters
    ----------
    radiance : as its file has it.
    dome : what it gives the world, as `dome_in_force` tells.
    sky_tint : the strength by channel of all but its sun.
    width_deg : the apparent diameter of a disc in place of its sun.
    """
    if not dome.sunny or settings.dome is None:
        light = graded(radiance.astype(float), settings.saturation, settings.warmth)
        return np.maximum(light * settings.strength, 0).astype(np.float32)
    middle = dome_sun(settings.dome)
    if settings.disc and len(radiance) < DISC_ROWS:
        radiance = cv2.resize(radiance, (2 * DISC_ROWS, DISC_ROWS), interpolation=cv2.INTER_LINEAR)
    rest, sun = parted(radiance.astype(float), middle)
    rest, sun = (graded(light, settings.saturation, settings.warmth) for light in (rest, sun))
    if settings.disc:
        own = dome_sun(dome) if dome.rotation is None else np.array(dome.rotation).T @ dome_sun(dome)
        sun = disc(len(radiance), own, width_deg, np.array(dome.sun))
    return np.maximum((rest * sky_tint + sun) * settings.strength, 0).astype(np.float32)


def covered_by(rows: int, rotation: Array, lens: Array, solids: Solids) -> Mask:
    """Where in a panorama (rows, 2 rows) solids stand.

    Parameters
    ----------
    rotation : (3, 3) from its frame to the world's.
    lens : where it was taken (3,) [m].
    """
    ways, _ = directions(COVERED_ROWS)
    world = ways.reshape(-1, 3) @ rotation.T
    reach, _ = solids.met(np.broadcast_to(lens, world.shape), world)
    covered = np.isfinite(reach).reshape(ways.shape[:2]).astype(np.uint8)
    return np.asarray(cv2.resize(covered, (2 * rows, rows), interpolation=cv2.INTER_NEAREST) > 0)


def without_solids(radiance: Floats, covered: Mask, rotation: Array, sun: Array | None) -> Floats:
    """A panorama (H, W, 3), in its own frame, in which solids give way to what is seen beside and above them.

    What stands in the place throws its light from where it stands; seen in the panorama as well, at infinity, it would
    shine past its own edges.

    Parameters
    ----------
    covered : (H, W) where they stand; see `covered_by`.
    rotation : (3, 3) from its frame to the world's.
    sun : the direction to its sun, which is nobody's neighbour.
    """
    if not covered.any() or covered.all():
        return radiance
    fine, _ = directions(len(radiance))
    fine = fine @ rotation.T
    source = ~covered & (fine[..., 2] > 0)
    if sun is not None:
        source &= fine @ sun < np.cos(np.radians(GLARE_DEG))
    if not source.any():
        return radiance
    return np.where(covered[..., None], filled(radiance, source), radiance).astype(np.float32)


def kept_out(radiance: Floats, covered: Mask, rotation: Array, sun: Array | None) -> float:
    """How much of a panorama's light solids keep out that is no light of theirs: a window behind a drawn wall.

    The share of all its light, but for the sun's, that comes from covered directions brighter than `SHINES` times the
    mean; parameters as of `without_solids`.
    """
    ways, solid_angle = directions(len(radiance))
    light = luminance(radiance) * solid_angle
    if sun is not None:
        light = np.where((ways @ rotation.T) @ sun < np.cos(np.radians(GLARE_DEG)), light, 0)
    shines = luminance(radiance) > SHINES * light.sum() / solid_angle.sum()
    total = float(light.sum())
    return float(light[shines & covered].sum()) / total if total > 0 else 0.0


def seen_around(radiance: Floats, answer: AroundAnswer, camera: Pinhole) -> Floats:
    """A panorama as the camera would see it, (height, width, 3): far away, but for the ground below it."""
    rows, columns = np.mgrid[: camera.height, : camera.width]
    pixels = np.stack([columns + 0.5, rows + 0.5], -1).reshape(-1, 2)
    ways = camera.rays(pixels)
    if answer.lens_at_m is not None:
        from_lens = camera.ground_points(pixels, answer.ground_m) - answer.lens_at_m
        on_ground = np.isfinite(from_lens).all(1)
        ways[on_ground] = from_lens[on_ground] / np.linalg.norm(from_lens[on_ground], axis=1, keepdims=True)
    return towards(radiance, ways @ answer.rotation()).reshape(camera.height, camera.width, 3)


def towards(radiance: Floats, ways: Array) -> Floats:
    """What a panorama shows towards unit vectors (N, 3) in its own frame, (N, 3)."""
    height, count = len(radiance), len(ways)
    x = (0.5 - np.arctan2(ways[:, 1], ways[:, 0]) / (2 * np.pi)) * 2 * height - 0.5
    y = np.arccos(np.clip(ways[:, 2], -1, 1)) / np.pi * height - 0.5
    rows = -(-count // LOOKED_UP)
    places = np.zeros((2, max(rows, 1) * LOOKED_UP), np.float32)
    places[:, :count] = x, y
    across, down = places.reshape(2, -1, LOOKED_UP)  # in a shape that the package takes
    seen = cv2.remap(radiance, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    return np.asarray(seen.reshape(-1, 3)[:count], np.float32)


def around_picture(panorama: Floats, settings: PanoramaLight, answer: AroundAnswer, camera: Pinhole) -> Picture:
    """The panorama in place of the photograph, to line it up: as bright as a picture is, `PREVIEW_WIDTH` wide."""
    small = camera.scaled(min(1.0, PREVIEW_WIDTH / camera.width))
    seen = graded(seen_around(panorama, answer, small).astype(float), settings.saturation, settings.warmth)
    full = max(float(np.percentile(luminance(seen), 98)), 1e-9)
    return Picture((255 * encode_srgb(np.clip(seen / full, 0, 1)) + 0.5).astype(np.uint8))
