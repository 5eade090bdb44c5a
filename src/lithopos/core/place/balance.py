"""The light's balance in a photograph: patches of it, or the ground itself, to strengths, gain and white."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.clear_sky import UP, overcast_irradiance, sky_irradiance, sun_irradiance
from lithopos.core.light.dome import Dome, dome_irradiance
from lithopos.core.light.patches import PatchSeen, facing_normal
from lithopos.core.light.strengths import SIGMA_CLEAR, Balance, PatchIn, solve_strengths
from lithopos.core.place.exposure import ground_light, ground_places
from lithopos.core.shot import LightPatch

GROUND = "ground"
PATCH_SHARE = 1 / 160  # of the picture's width: the radius of a proposed patch
CLIPPED, MOST_CLIPPED = 0.985, 0.1  # of the largest code; of a patch's pixels
CLEARLY_DARKER = 0.62  # than the brightest patch of its material: taken to lie in shade
AUTO_SPREAD = 0.3  # of the whole ground's light and shade, which are no patches that somebody chose
Three = tuple[float, float, float]

__all__ = [
    "GROUND",
    "BalanceAnswer",
    "Daylight",
    "PatchAnswer",
    "balance_of",
    "balance_of_ground",
    "proposed_patches",
    "read_patches",
]


class PatchAnswer(BaseModel):
    """A patch in the fit.

    Attributes
    ----------
    in_sun : whether the sun is taken to reach it.
    residual : how much brighter it is than the fit says, relative; None if it was left out, with the `reason`.
    wrong : it contradicts the others.
    """

    id: str
    in_sun: bool
    residual: float | None = None
    wrong: bool = False
    reason: str | None = None


class BalanceAnswer(BaseModel):
    """What a photograph tells of its light, by channel.

    Attributes
    ----------
    gain : from the renderer's radiance to the photograph's linear values.
    sky : of the sky beside a clear day's under that gain.
    white, shade : linear value of white, level, and lit or in the sky's light alone.
    white_sigma, sky_sigma : relative standard deviations, the latter of the sky beside the sun.
    sky_measured : whether a patch in shade, or a day without a sun, tells the sky; else it is a clear day's.
    white_from : what sets the level: a known tone, or what the ground is made of.
    reflectances : of the patches' materials.
    """

    gain: Three
    sky: Three
    white: Three
    shade: Three
    white_sigma: Three
    sky_sigma: Three
    sky_measured: bool
    white_from: str
    reflectances: dict[str, Three] = {}
    patches: list[PatchAnswer] = []
    notes: list[str] = []


@dataclass(frozen=True)
class Daylight:
    """What is known of the light before the patches: the sun's direction (None: none shines), haze, the ground.

    Attributes
    ----------
    ground : the mean reflectance that the ground is taken to have, and `ground_name` what it is called.
    dome : a panorama in place of the clear day, as it lies in the world; what its lower half shows is its ground.
    cover : how far the sky is overcast, 0..1; so much less is left of the sun.
    sigma_sky : how far the sky beside the sun may be off, of natural logarithms.
    """

    sun: Array | None
    turbidity: float
    ground: float
    ground_name: str = "ground"
    dome: Dome | None = None
    sigma_sky: float = SIGMA_CLEAR
    cover: float = 0.0

    @property
    def shines(self) -> bool:
        """Whether there is light and shade."""
        return self.sun is not None

    def bounced(self, normal: Array) -> Array:
        """What lit ground throws of the sun's light onto a surface that the sun does not reach, (3,)."""
        if self.sun is None or self.dome is not None:
            return np.zeros(3)
        return (1 - float(normal[2])) / 2 * self.ground * self._direct(UP)

    def irradiance(self, normal: Array) -> tuple[Array, Array]:
        """What sun and sky of strength 1, and the ground under them, give a surface, (3,) each."""
        if self.dome is not None:
            facing = max(float(self.sun @ normal), 0.0) if self.sun is not None else 0.0
            return facing * np.array(self.dome.sun), dome_irradiance(self.dome, normal)
        seen_ground = (1 - float(normal[2])) / 2 * self.ground
        about = self.sun if self.sun is not None else UP  # an even day is about as bright as one with a high sun
        sky = self._sky(about, normal) + seen_ground * self._sky(about, UP)
        if self.sun is None:
            return np.zeros(3), sky
        return self._direct(normal) + self.bounced(normal), sky

    def _direct(self, normal: Array) -> Array:
        assert self.sun is not None
        return (1 - self.cover) * sun_irradiance(self.sun, self.turbidity, normal)

    def _sky(self, about: Array, normal: Array) -> Array:
        clear = sky_irradiance(about, self.turbidity, normal)
        if not self.cover:
            return clear
        return (1 - self.cover) * clear + self.cover * overcast_irradiance(about, self.turbidity, normal)


def balance_of(patches: Sequence[LightPatch], camera: Pinhole, day: Daylight) -> BalanceAnswer:
    """The balance from marked patches; those that were not read, or are clipped, are left out."""
    reasons = {patch.id: _why_not(patch) for patch in patches}
    used = [patch for patch in patches if reasons[patch.id] is None]
    lit = _judged(used, day)
    put_in = []
    for patch in used:
        assert patch.seen
        normal = facing_normal(patch.facing, patch.at, camera)
        sun, sky = day.irradiance(normal)
        if not lit[patch.id]:
            sun = day.bounced(normal)
        seen = np.array(patch.seen.colour)
        put_in.append(PatchIn(seen, patch.seen.spread, patch.material, lit[patch.id], sun, sky))
    tones = {patch.material: patch.tone for patch in used if patch.tone is not None}
    found = _solved(put_in, day, tones)
    answers = [PatchAnswer(id=patch.id, in_sun=lit.get(patch.id, False), reason=reasons[patch.id]) for patch in patches]
    told = iter(zip(found.residuals, found.wrong, strict=True))
    for answer in answers:
        if answer.reason is None:
            answer.residual, answer.wrong = next(told)
    shaded = any(not lit[patch.id] for patch in used)
    return _answer(found, day, tones, shaded, answers)


def balance_of_ground(
    encoded: Floats, linear: Floats, camera: Pinhole, height_m: float, day: Daylight, stand: Array | None = None
) -> BalanceAnswer:
    """The balance where nothing is marked: from the ground in light and, if it shows any, in shade.

    Parameters
    ----------
    encoded, linear : (H, W, 3) the photograph, 0..1.
    stand : (N, 2) where things stand [m]. A panorama's light is that of one place: it is held to the ground there.

    Raises
    ------
    InputError
        If the ground is not seen.
    """
    about = stand if day.dome is not None else None
    ground = ground_light(encoded, linear, camera, height_m, day.shines, about)
    sun, sky = day.irradiance(UP)
    patches = [PatchIn(np.asarray(ground.lit, float), 0.0, GROUND, True, sun, sky)]
    shaded = ground.shade is not None
    if shaded:
        patches.append(PatchIn(np.asarray(ground.shade, float), AUTO_SPREAD, GROUND, False, np.zeros(3), sky))
    answer = _answer(_solved(patches, day, {}), day, {}, shaded, [])
    answer.notes += ground.notes
    return answer


def read_patches(patches: Sequence[LightPatch], photograph: Picture, width: int) -> list[LightPatch]:
    """Patches with what their pixels say, where that is not in them yet.

    Parameters
    ----------
    photograph : of any size; `width` is that in which the patches are marked [px].
    """
    scale = photograph.codes.shape[1] / width

    def seen(patch: LightPatch) -> PatchSeen:
        x, y = patch.at
        return patch.seen or read_patch(photograph, (x * scale, y * scale), patch.radius_px * scale)

    return [patch.model_copy(update={"seen": seen(patch)}) for patch in patches]


def proposed_patches(
    photograph: Picture, camera: Pinhole, day: Daylight, besides: Sequence[LightPatch] = ()
) -> list[LightPatch]:
    """Patches of the ground in light and shade, read, beside those that are there.

    Raises
    ------
    InputError
        If the ground is not seen, or no (further) part of it is even.
    """
    encoded = photograph.encoded
    radius = max(3.0, PATCH_SHARE * encoded.shape[1])
    places = ground_places(encoded, decode_srgb(encoded), camera, 0.0, day.shines, [one.at for one in besides])

    def patch(number: int, at: Pixel, light: Literal["sun", "shade"]) -> LightPatch:
        seen = read_patch(photograph, at, radius)
        return LightPatch(id=f"{light}{number}", at=at, radius_px=radius, light=light, seen=seen)

    found = [patch(number, at, "sun") for number, at in enumerate(places[0])]
    found += [patch(number, at, "shade") for number, at in enumerate(places[1])]
    if not found:
        where = "nowhere else" if besides else "nowhere"
        raise InputError("patches", f"can’t be proposed: the ground is {where} even; mark them by hand")
    return found


def read_patch(photograph: Picture, at: Pixel, radius_px: float) -> PatchSeen:
    """Read a round patch; the darkest and the brightest tenth of it are left out.

    Raises
    ------
    InputError
        If its middle lies outside the photograph.
    """
    height, width = photograph.codes.shape[:2]
    x, y = at
    if not (0 <= x < width and 0 <= y < height):
        raise InputError("at", "lies outside the photograph")
    column0, row0 = max(int(x - radius_px), 0), max(int(y - radius_px), 0)
    codes = photograph.codes[row0 : int(y + radius_px) + 1, column0 : int(x + radius_px) + 1]
    around = codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)
    rows, columns = np.mgrid[: around.shape[0], : around.shape[1]]
    inside = np.hypot(columns + column0 + 0.5 - x, rows + row0 + 0.5 - y) <= max(radius_px, 0.75)
    values = decode_srgb(around[inside])
    bright = luminance(values)
    low, high = np.percentile(bright, [10, 90])
    kept = values[(bright >= low) & (bright <= high)]
    r, g, b = (float(value) for value in np.clip(kept.mean(0), 0, 1))
    spread = float(luminance(kept).std() / max(float(luminance(kept).mean()), 1e-6))
    return PatchSeen(
        colour=(r, g, b), spread=min(spread, 100.0), clipped=float((around[inside].max(-1) >= CLIPPED).mean())
    )


def _why_not(patch: LightPatch) -> str | None:
    if patch.seen is None:
        return "it has not been read yet"
    if patch.seen.clipped > MOST_CLIPPED:
        return "it is clipped: too bright to tell"
    if max(patch.seen.colour) <= 0:
        return "it is black: too dark to tell"
    return None


def _judged(patches: list[LightPatch], day: Daylight) -> dict[str, bool]:
    """Whether the sun reaches each patch: as it is told, else by what is brightest of its material."""
    brightest: dict[str, float] = {}
    for patch in patches:
        assert patch.seen
        bright = float(luminance(np.array(patch.seen.colour)))
        brightest[patch.material] = max(brightest.get(patch.material, 0.0), bright)
    lit = {}
    for patch in patches:
        assert patch.seen
        bright = float(luminance(np.array(patch.seen.colour)))
        judged = bright > CLEARLY_DARKER * brightest[patch.material]
        lit[patch.id] = day.shines and (judged if patch.light == "judge" else patch.light == "sun")
    return lit


def _solved(patches: list[PatchIn], day: Daylight, tones: dict[str, float]) -> Balance:
    level_sun, level_sky = day.irradiance(UP)
    return solve_strengths(patches, level_sun, level_sky, {GROUND: day.ground}, tones, day.sigma_sky)


def _answer(
    found: Balance, day: Daylight, tones: dict[str, float], shaded: bool, patches: list[PatchAnswer]
) -> BalanceAnswer:
    gain = np.pi * (found.sun if day.sun is not None else found.sky)
    sky = found.sky / found.sun if day.sun is not None else np.ones(3)
    notes: list[str] = []
    wrong = [patch for patch in patches if patch.wrong]
    if wrong:
        notes.append(
            f"{len(wrong)} of {len(patches)} patches disagree with the others: another material, a gleam, or the "
            "wrong light?"
        )
    return BalanceAnswer(
        gain=_three(gain),
        sky=_three(sky),
        white=_three(found.white),
        shade=_three(found.sky * day.irradiance(UP)[1]),
        white_sigma=_three(found.white_sigma),
        sky_sigma=_three(found.sky_sigma),
        sky_measured=shaded or (day.sun is None and day.dome is None),
        white_from=f"{next(iter(tones))}, a known tone" if tones else f"the usual {day.ground_name}",
        reflectances={name: _three(values) for name, values in found.reflectances.items()},
        patches=patches,
        notes=notes,
    )


def _three(values: Array) -> Three:
    r, g, b = (float(value) for value in values)
    return r, g, b
