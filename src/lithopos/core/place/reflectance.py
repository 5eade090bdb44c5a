"""What a thing in the photograph throws back of the light that falls on it: its pixels divided by that light.

The light at a place is told beside that on level, lit ground, whose level in the photograph is known
(`place.exposure`). Its share without the sun is read off the ground itself where that lies in light and shade, since
both are of one material: s = shade / light, by channel. For a surface of the unit normal n under the sun's direction d

    E / E_level = (1 - s) max(n·d, 0) / d_z  [where the sun shines]  +  s (1 + n_z) / 2  +  r (1 - n_z) / 2

with r the ground's own reflectance: an even sky above, a lit ground below (Liu and Jordan 1963).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.exposure import GroundLevel, ShadePair, ground_level, shade_pair

# Where the ground shows no shade: a clear day's, per channel, between what pictures showed and a clear sky's model.
USUAL_SHADE = np.array([0.17, 0.25, 0.39], np.float32)
# Relative: in the sun the ground's own reflectance is assumed; in shade nobody knows how much sky is seen there.
SIGMA_LIT, SIGMA_SHADE, SIGMA_USUAL = 0.12, 0.4, 0.5
DARKEST_LIT = 0.4  # of the ground's reflectance: what would be darker in the sun is taken to lie in shade
MOST = 0.98

Facing = Literal["level", "along run A", "along run B", "towards the camera"]

__all__ = ["PickedReflectance", "PlaceLight", "ReflectanceQuestion", "picked_reflectance", "place_light"]


class ReflectanceQuestion(BaseModel):
    """Where to look, how the surface stands there, and whether the sun shines on it (null: to be judged)."""

    model_config = ConfigDict(extra="forbid")

    at: Pixel
    radius_px: float = Field(default=6.0, ge=0.5, le=400)
    facing: Facing = "level"
    in_sun: bool | None = None


class PickedReflectance(BaseModel):
    """What was read.

    Attributes
    ----------
    colour : linear reflectance by channel.
    sigma : its relative uncertainty.
    spread : how much the pixels of the patch differ among themselves, relative.
    in_sun : whether the sun was taken to shine there.
    notes : plain sentences on what it rests on.
    """

    colour: tuple[float, float, float]
    sigma: float
    spread: float
    in_sun: bool
    notes: list[str]


@dataclass(frozen=True)
class PlaceLight:
    """What is known of the light: the ground's level and reflectance, light and shade on it, the sun's direction."""

    level: GroundLevel
    ground: float
    pair: ShadePair | None
    sun: Array | None


def place_light(photograph: Picture, camera: Pinhole, ground: float, sun: Array | None) -> PlaceLight:
    """What a photograph tells of the light in its place.

    Parameters
    ----------
    camera : for the photograph's size.
    ground : the mean reflectance that the ground is taken to have.
    sun : unit vector to the sun, or None where none shines.

    Raises
    ------
    InputError
        If the ground is not seen.
    """
    encoded = photograph.encoded
    linear = decode_srgb(encoded)
    level = ground_level(encoded, linear, camera, 0.0, sun is not None)
    pair = shade_pair(encoded, linear, camera, 0.0) if sun is not None else None
    return PlaceLight(level, ground, pair, sun)


def picked_reflectance(
    question: ReflectanceQuestion, photograph: Picture, camera: Pinhole, light: PlaceLight
) -> PickedReflectance:
    """The reflectance of a patch of the photograph.

    Parameters
    ----------
    camera : for the photograph's size.

    Raises
    ------
    InputError
        If the patch lies outside the photograph, or is clipped.
    """
    mean, spread = _patch(photograph, question)
    normal = _normal(question, camera)
    white = light.level.luminance / light.ground
    shares = {lit: _share(light, normal, lit) for lit in (True, False)}
    lit = _judged(question, mean / white, shares, light)
    colour = mean / white / np.maximum(shares[lit], 1e-4)
    r, g, b = (float(value) for value in np.clip(colour, 0.005, MOST))
    sigma = SIGMA_LIT if lit else SIGMA_SHADE if light.pair else SIGMA_USUAL
    notes = list(light.level.notes)
    if float(colour.max()) > 1:
        notes.append("It is brighter than white would be there: is it mirroring, or more in the sun than was told?")
    if not lit and light.pair is None and light.sun is not None:
        notes.append(
            "The ground shows no light and shade side by side: how dark the shade is was taken from a clear day."
        )
    return PickedReflectance(
        colour=(r, g, b), sigma=float(np.hypot(sigma, spread / 4)), spread=spread, in_sun=lit, notes=notes
    )


def _patch(photograph: Picture, question: ReflectanceQuestion) -> tuple[Floats, float]:
    """The mean of a round patch, its outliers left out, and its relative spread."""
    height, width = photograph.codes.shape[:2]
    x, y = question.at
    if not (0 <= x < width and 0 <= y < height):
        raise InputError("at", "lies outside the photograph")
    reach = question.radius_px
    column0, row0 = max(int(x - reach), 0), max(int(y - reach), 0)
    around = photograph.encoded[row0 : int(y + reach) + 1, column0 : int(x + reach) + 1]
    rows, columns = np.mgrid[: around.shape[0], : around.shape[1]]
    inside = np.hypot(columns + column0 + 0.5 - x, rows + row0 + 0.5 - y) <= max(reach, 0.75)
    if float((around[inside].max(-1) >= 0.985).mean()) > 0.3:
        raise InputError("at", "is clipped in the photograph: too bright to tell how much it throws back")
    values = decode_srgb(around[inside])
    bright = luminance(values)
    low, high = np.percentile(bright, [10, 90])
    kept = values[(bright >= low) & (bright <= high)]
    mean = kept.mean(0)
    return np.asarray(mean, np.float32), float(luminance(kept).std() / max(float(luminance(mean)), 1e-6))


def _normal(question: ReflectanceQuestion, camera: Pinhole) -> Array:
    """The surface's unit normal; of a wall's two that which looks at the camera."""
    if question.facing == "level":
        return np.array([0.0, 0, 1])
    ray = camera.rays(np.array([question.at], float))[0]
    if question.facing == "towards the camera":
        level = -ray * [1, 1, 0]
        return np.asarray(level / max(float(np.linalg.norm(level)), 1e-9))
    across = np.array([0.0, 1, 0]) if question.facing == "along run A" else np.array([1.0, 0, 0])
    return np.asarray(-across * np.sign(ray @ across))


def _share(light: PlaceLight, normal: Array, lit: bool) -> Floats:
    """The light on a surface beside that on level lit ground, (3,)."""
    sky_seen, ground_seen = (1 + normal[2]) / 2, (1 - normal[2]) / 2
    bounced = light.ground * ground_seen
    if light.sun is None:
        return np.full(3, sky_seen + bounced, np.float32)
    shade = light.pair.share if light.pair else USUAL_SHADE
    direct = max(float(normal @ light.sun), 0.0) / max(float(light.sun[2]), 0.05) if lit else 0.0
    return np.asarray((1 - shade) * direct + shade * sky_seen + bounced, np.float32)


def _judged(question: ReflectanceQuestion, beside_white: Floats, shares: dict[bool, Floats], light: PlaceLight) -> bool:
    """Whether the sun shines on a patch: as it is told; else where it can, unless what lies there would have to be
    much darker than the ground."""
    if light.sun is None or question.in_sun is False:
        return False
    if question.in_sun:
        return True
    if np.allclose(shares[True], shares[False]):
        return False
    in_sun = float(luminance(beside_white / np.maximum(shares[True], 1e-4)))
    return in_sun > DARKEST_LIT * light.ground
