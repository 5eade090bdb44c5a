"""What a thing in the photograph throws back of the light that falls on it: its pixels divided by that light.

The light on a surface is that of the sun, where it shines there, and of the sky (`light.clear_sky`), each at the
strength that the photograph's balance gives it by channel, with what the ground throws back (Liu and Jordan 1963).
"""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.patches import Facing
from lithopos.core.place.balance import BalanceAnswer, balance_of_ground, place_of, read_patch
from lithopos.core.place.daylight import Daylight

SIGMA_SHADE = 0.6  # relative: nobody knows how much of the sky is seen in a shade, in an arcade a third
SIGMA_SHADE_BY_SOLIDS = 0.15  # but where what stands about is drawn
DARKEST_LIT = 0.4  # of the ground's reflectance: what would be darker in the sun is taken to lie in shade
MOST, MOST_CLIPPED = 0.98, 0.3

__all__ = ["PickedReflectance", "ReflectanceQuestion", "picked_reflectance"]


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


def picked_reflectance(
    question: ReflectanceQuestion,
    photograph: Picture,
    camera: Pinhole,
    day: Daylight,
    balance: BalanceAnswer | None = None,
) -> PickedReflectance:
    """The reflectance of a patch of the photograph.

    Parameters
    ----------
    camera : for the photograph's size.
    balance : of the light in the photograph; by default it is told from the ground.

    Raises
    ------
    InputError
        If the patch lies outside the photograph, or is clipped; or if the ground is not seen, where it is needed.
    """
    seen = read_patch(photograph, question.at, question.radius_px)
    if seen.clipped > MOST_CLIPPED:
        raise InputError("at", "is clipped in the photograph: too bright to tell how much it throws back")
    if balance is None:
        encoded = photograph.encoded
        balance = balance_of_ground(encoded, decode_srgb(encoded), camera, 0.0, day)
    at, normal = place_of(question.at, question.facing, camera, day)
    light = {lit: _light(balance, day, normal, at, lit) for lit in (True, False)}
    mean = np.array(seen.colour)
    lit = _judged(question, mean, light, day, at, normal)
    colour = mean / np.maximum(light[lit], 1e-6)
    r, g, b = (float(value) for value in np.clip(colour, 0.005, MOST))
    white_sigma, sky_sigma = (float(np.mean(values)) for values in (balance.white_sigma, balance.sky_sigma))
    shade = SIGMA_SHADE if day.about is None else SIGMA_SHADE_BY_SOLIDS
    sigma = white_sigma if lit else float(np.linalg.norm([white_sigma, sky_sigma, shade]))
    notes = list(balance.notes)
    if float(colour.max()) > 1:
        notes.append("It is brighter than white would be there: is it mirroring, or more in the sun than was told?")
    if not lit and not balance.sky_measured and day.dome is None:
        notes.append(
            "The ground shows no light and shade side by side: how dark the shade is was taken from a clear day."
        )
    if not lit and day.shines and day.about is None:
        notes.append("How much sky that shade sees is not known: draw what stands about it in Contact.")
    return PickedReflectance(
        colour=(r, g, b), sigma=float(np.hypot(sigma, seen.spread / 4)), spread=seen.spread, in_sun=lit, notes=notes
    )


def _light(balance: BalanceAnswer, day: Daylight, normal: Array, at: Array | None, lit: bool) -> Array:
    """The photograph's linear values of a white surface, (3,)."""
    strengths = np.array([light.strength for light in balance.lights])
    return np.asarray(np.array(balance.gain) / np.pi * (strengths * day.given(normal, at, lit)).sum(0))


def _judged(
    question: ReflectanceQuestion, seen: Array, light: dict[bool, Array], day: Daylight, at: Array | None, normal: Array
) -> bool:
    """Whether the sun shines on a patch: as it is told; else where it can, unless what lies there would have to be
    much darker than the ground."""
    if day.sun is None or question.in_sun is False:
        return False
    if question.in_sun is None and day.about and at is not None and not day.about.lit(at, normal):
        return False
    if question.in_sun:
        return True
    if np.allclose(light[True], light[False]):
        return False
    in_sun = float(luminance(seen / np.maximum(light[True], 1e-6)))
    return in_sun > DARKEST_LIT * day.ground
