"""What a thing in the photograph throws back of the light that falls on it: its pixels divided by that light.

The light on a surface is that of the sun, where it shines there, and of the sky (`light.clear_sky`), each at the
strength that the photograph's balance gives it by channel, with what the ground throws back (Liu and Jordan 1963).
An upright face that is not drawn sees what the photograph shows around it (`surroundings`). Where that is
not enough, what lies beside it tells its light: its pixels there, divided by what it throws back, which is known of the
ground, and of what can be seen in a known light elsewhere.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.clear_sky import UP
from lithopos.core.light.dome import directions
from lithopos.core.light.patches import Facing, PatchSeen
from lithopos.core.place.balance import GROUND, BalanceAnswer, balance_of_ground, place_of, read_patch
from lithopos.core.place.daylight import ABOUT, Daylight
from lithopos.core.place.falloff import light_at, light_map
from lithopos.core.place.spots import Spots, spots_of
from lithopos.core.place.surroundings import light_on, surroundings_of

SIGMA_SHADE = 0.6  # relative: nobody knows how much of the sky is seen in a shade, in an arcade a third
SIGMA_BY_SOLIDS = 0.25  # but where what stands about is drawn, of which a hand leaves out much
SIGMA_OPEN = 0.4  # of what is not the sun's own light, on an upright face in the sun where nothing is drawn
SIGMA_BESIDE, SIGMA_TURNED = 0.06, 0.2  # by the ground's light: of what is level like it, and of what is not
SIGMA_LIKE = 0.1  # how far two pieces of one stuff differ
DARKEST_LIT = 0.4  # of the ground's reflectance: what would be darker in the sun is taken to lie in shade
MOST, MOST_CLIPPED = 0.98, 0.3
LOOKED_AT = 1400  # pixels across in which what lies about is looked at
LEVEL = 0.99  # a normal's rise

__all__ = ["PickedReflectance", "ReflectanceQuestion", "picked_reflectance"]


class ReflectanceQuestion(BaseModel):
    """Where to look, how the surface stands there, and whether the sun shines on it (null: to be judged).

    `beside` is a spot in the same light [px]: of the ground, of the stone that the light was told from; or, with
    `like`, of any stuff that faces the same way, `like` being the same stuff where the light is known.
    """

    model_config = ConfigDict(extra="forbid")

    at: Pixel
    radius_px: float = Field(default=6.0, ge=0.5, le=400)
    facing: Facing = "level"
    in_sun: bool | None = None
    beside: Pixel | None = None
    like: Pixel | None = None

    @model_validator(mode="after")
    def _is_whole(self) -> ReflectanceQuestion:
        if self.like is not None and self.beside is None:
            raise ValueError("like: needs a spot of the same stuff beside what is asked for")
        return self


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
        If a spot lies outside the photograph, or is clipped; or if the ground is not seen, where it is needed.
    """
    seen = _read(photograph, question.at, question.radius_px, "at")
    if balance is None:
        encoded = photograph.encoded
        balance = balance_of_ground(encoded, decode_srgb(encoded), camera, 0.0, day)
    if GROUND in balance.reflectances:
        day = replace(day, ground_told=np.array(balance.reflectances[GROUND]))
    light_of = _Light(photograph, camera, day, balance)
    at, normal = place_of(question.at, question.facing, camera, day)
    mean = np.array(seen.colour) / light_at(np.array(question.at), camera, day.falloff)
    if question.like is not None:
        light, lit, sigma = _as_like(question, light_of)
    elif question.beside is not None:
        light, lit, sigma = _as_beside(question, light_of, at, normal)
    else:
        either = light_of.either(normal, at)
        lit = _judged(question, mean, either, day, at, normal)
        light, sigma = either[lit], _sigma(balance, day, lit, at)
        if lit and normal[2] <= LEVEL:
            rest = float(luminance(either[False])) / max(float(luminance(either[True])), 1e-6)
            own = [SIGMA_TURNED, SIGMA_OPEN * rest] if _is_open(day, normal, at) else [SIGMA_BY_SOLIDS * rest]
            sigma = float(np.linalg.norm([sigma, *own]))
    colour = mean / np.maximum(light, 1e-6)
    r, g, b = (float(value) for value in np.clip(colour, 0.005, MOST))
    notes = list(balance.notes)
    if float(colour.max()) > 1:
        notes.append("It is brighter than white would be there: is it mirroring, or more in the sun than was told?")
    if question.beside is None and lit and _is_open(day, normal, at):
        notes.append(
            "How much of its light comes from other walls is not known: draw what stands about it in Contact, or point "
            "at the same stuff elsewhere."
        )
    if question.beside is None and not lit:
        if not balance.sky_measured and day.dome is None:
            notes.append(
                "The ground shows no light and shade side by side: how dark the shade is was taken from a clear day."
            )
        if day.shines and not _by_solids(day, at):
            notes.append(
                "How much sky that shade sees is not known: draw what stands about it in Contact, or point at ground "
                "in the same shade."
            )
    return PickedReflectance(
        colour=(r, g, b), sigma=float(np.hypot(sigma, seen.spread / 4)), spread=seen.spread, in_sun=lit, notes=notes
    )


def _read(photograph: Picture, at: Pixel, radius_px: float, field: str) -> PatchSeen:
    """What a patch shows; an InputError if it is clipped."""
    seen = read_patch(photograph, at, radius_px, field)
    if seen.clipped > MOST_CLIPPED:
        raise InputError(field, "is clipped in the photograph: too bright to tell how much it throws back")
    return seen


def _sigma(balance: BalanceAnswer, day: Daylight, lit: bool, at: Array | None) -> float:
    """How far the light may be off, relative."""
    white_sigma, sky_sigma = (float(np.mean(values)) for values in (balance.white_sigma, balance.sky_sigma))
    shade = SIGMA_BY_SOLIDS if _by_solids(day, at) else SIGMA_SHADE
    return white_sigma if lit else float(np.linalg.norm([white_sigma, sky_sigma, shade]))


def _is_open(day: Daylight, normal: Array, at: Array | None) -> bool:
    """Whether a face sees other light than the ground, and nothing that is drawn tells it."""
    return bool(normal[2] <= LEVEL and not _by_solids(day, at))


def _by_solids(day: Daylight, at: Array | None) -> bool:
    """Whether a place is known, and what is drawn tells its light."""
    return day.about is not None and at is not None


@dataclass(frozen=True)
class _Light:
    """The light in a photograph, in its linear values of a white surface."""

    photograph: Picture
    camera: Pinhole
    day: Daylight
    balance: BalanceAnswer

    def from_model(self, normal: Array, at: Array | None, lit: bool) -> Array:
        """Of the lights as they are told, (3,)."""
        strengths, gain = np.array([light.strength for light in self.balance.lights]), np.array(self.balance.gain)
        if at is not None and self.spots is not None:
            given, brighter = self.day.given_closely(normal, at, lit, self.spots)
            if normal[2] <= LEVEL:
                strengths[[light.kind == ABOUT for light in self.balance.lights]] = brighter / gain
        else:
            given = self.day.given(normal, at, lit)
        return np.asarray(gain / np.pi * (strengths * given).sum(0))

    def either(self, normal: Array, at: Array | None) -> dict[bool, Array]:
        """(3,) of a surface in the sun, and of one that the sun does not reach."""
        either = {lit: self.from_model(normal, at, lit) for lit in (True, False)}
        if not _is_open(self.day, normal, at) or self.surroundings is None:
            return either
        around = light_on(normal, *self.surroundings)
        return {True: either[True] - either[False] + around, False: around}

    @cached_property
    def shown(self) -> tuple[Floats, Pinhole]:
        """The photograph's linear values (H, W, 3), as finely as light asks for; its camera."""
        height, width = self.photograph.codes.shape[:2]
        share = min(1.0, LOOKED_AT / width)
        size = (max(round(width * share), 1), max(round(height * share), 1))
        codes = cv2.resize(self.photograph.codes, size, interpolation=cv2.INTER_AREA)
        return decode_srgb(Picture(codes).encoded), self.camera.sized(*size)

    @cached_property
    def spots(self) -> Spots | None:
        """What the photograph shows of what stands about; None where nothing does."""
        return spots_of(self.day.about.solids, *self.shown, self.day.falloff) if self.day.about else None

    @cached_property
    def surroundings(self) -> tuple[Floats, Array] | None:
        """What lies around, and the sky over it, as `light_on` has them; None where other lights rule."""
        if self.day.room or self.day.dome is not None or self.day.near:
            return None
        linear, camera = self.shown
        if self.day.falloff:
            linear = linear / light_map(camera, self.day.falloff)
        seen = surroundings_of(linear, camera, np.ones(3))
        if seen is None:
            return None
        ways, _ = directions(len(seen))
        sky = next(np.array(light.strength) for light in self.balance.lights if light.kind == "sky")
        return seen, np.array(self.balance.gain) * sky * self.day.sky_towards(ways)


def _as_beside(
    question: ReflectanceQuestion, light_of: _Light, at: Array | None, normal: Array
) -> tuple[Array, bool, float]:
    """The light (3,) as the ground beside it has it, whether that is the sun's, and how far it may be off, relative."""
    assert question.beside
    camera, day, balance = light_of.camera, light_of.day, light_of.balance
    place = camera.ground_points(np.array([question.beside], float))[0]
    ground = balance.reflectances.get(GROUND)
    if not np.isfinite(place).all() or ground is None:
        raise InputError("beside", "shows no ground whose colour is known")
    shown = np.array(_read(light_of.photograph, question.beside, question.radius_px, "beside").colour)
    level = shown / light_at(np.array(question.beside), camera, day.falloff) / ground
    told = {lit: light_of.from_model(UP, place, lit) for lit in (True, False)}
    bright = float(luminance(level))
    off = {lit: abs(np.log(max(bright, 1e-6) / max(float(luminance(told[lit])), 1e-6))) for lit in (True, False)}
    lit = day.parted and (off[True] < off[False] if question.in_sun is None else question.in_sun)
    turned = light_of.from_model(normal, place if at is None else at, lit) / np.maximum(told[lit], 1e-6)
    own = SIGMA_BESIDE if normal[2] > LEVEL else SIGMA_TURNED
    return level * turned, lit, float(np.hypot(np.mean(balance.white_sigma), own))


def _as_like(question: ReflectanceQuestion, light_of: _Light) -> tuple[Array, bool, float]:
    """The light (3,) by stuff beside it, known from elsewhere; whether it is the sun's; how far it may be off."""
    assert question.beside and question.like
    camera, day = light_of.camera, light_of.day
    shown = {}
    for field, spot in (("beside", question.beside), ("like", question.like)):
        colour = np.array(_read(light_of.photograph, spot, question.radius_px, field).colour)
        shown[field] = colour / light_at(np.array(spot), camera, day.falloff)
    at, normal = place_of(question.like, question.facing, camera, day)
    either = light_of.either(normal, at)
    there = _judged(question.model_copy(update={"in_sun": None}), shown["like"], either, day, at, normal)
    stuff = shown["like"] / np.maximum(either[there], 1e-6)
    light = shown["beside"] / np.maximum(stuff, 1e-3)
    lit = day.parted and float(luminance(light)) > np.sqrt(luminance(either[True]) * luminance(either[False]))
    return light, bool(lit), float(np.hypot(_sigma(light_of.balance, day, there, at), SIGMA_LIKE))


def _judged(
    question: ReflectanceQuestion, seen: Array, light: dict[bool, Array], day: Daylight, at: Array | None, normal: Array
) -> bool:
    """Whether the sun shines on a patch: as it is told; else where it can, unless what lies there would have to be
    much darker than the ground."""
    if not day.parted or question.in_sun is False:
        return False
    if question.in_sun is None and at is not None and not day.reached(at, normal):
        return False
    if question.in_sun:
        return True
    if np.allclose(light[True], light[False]):
        return False
    in_sun = float(luminance(seen / np.maximum(light[True], 1e-6)))
    if not _by_solids(day, at):
        return in_sun > DARKEST_LIT * day.ground
    # Where its light is known better, of two reflectances the one nearer to the ground's: the less sun and shade
    # differ there, the less dark is shade.
    between = float(np.sqrt(luminance(light[False]) / max(float(luminance(light[True])), 1e-6)))
    return in_sun > max(DARKEST_LIT, between) * day.ground
