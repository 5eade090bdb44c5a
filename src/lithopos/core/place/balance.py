"""The light's balance in a photograph: patches of it, or the ground itself, to strengths, gain and white."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import cv2
import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import REC709, decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.clear_sky import UP
from lithopos.core.light.patches import Facing, PatchSeen, facing_normal
from lithopos.core.light.strengths import (
    SIGMA_BALANCE,
    SIGMA_WHITE,
    Balance,
    PatchIn,
    solve_strengths,
)
from lithopos.core.place.daylight import ABOUT, SKY, SUN, Daylight
from lithopos.core.place.exposure import ground_light, ground_places
from lithopos.core.place.falloff import light_at, light_map
from lithopos.core.place.mirrored import mirrored
from lithopos.core.place.seen import in_sight
from lithopos.core.place.sun_in import CLIPPED_LINEAR, sunlit_places, with_sun_in
from lithopos.core.shot import LightPatch

GROUND = "ground"
PATCH_SHARE = 1 / 160  # of the picture's width: the radius of a proposed patch
CLIPPED, MOST_CLIPPED = 0.985, 0.1  # of the largest code; of a patch's pixels
CLEARLY_DARKER = 0.62  # than the brightest patch of its material: taken to lie in shade
COVERED_BESIDE = 0.008  # of the picture's width: how near to what stands there nothing is taken for ground
BEFORE_M, ALIKE = 0.02, 0.7  # how far before what is drawn other things stand; the cosine of how far two faces turn
SPOTS = 16  # of the ground, among windows and lamps
# How much narrower than beforehand a light's share must be, and how narrow in all, to be called measured.
MEASURED, UNSURE = 0.2, 0.4
SUNLIT = 3  # patches that are proposed in the sun of a window
OUTDOORS, INDOORS = 5, 8  # patches that are proposed, in light and in shade each
SIGMA_BALANCE_LOOSE = 0.3  # of lit white, where the sky tells its colour
SIGMA_WHITE_INDOORS, SIGMA_BALANCE_INDOORS = 0.8, 0.2
# Where what the sun lights is clipped: the photograph was exposed, and balanced, for the rest.
SIGMA_WHITE_CLIPPED, SIGMA_BALANCE_CLIPPED = 1.5, 0.4
SIGMA_SHOWN, SIGMA_SHOWN_UNEVEN = (0.12, 0.06), (0.25, 0.1)  # of the ground in a panorama, where no sun rules: uneven
SIGMA_MATCHED = (0.1, 0.05)  # of a panorama's radiance in the photograph, by the ground in both
TOO_BRIGHT = "it is clipped: too bright to tell"
AUTO_SPREAD = 0.3  # of the whole ground's light and shade, which are no patches that somebody chose
Three = tuple[float, float, float]

__all__ = [
    "GROUND",
    "BalanceAnswer",
    "LightAnswer",
    "PatchAnswer",
    "balance_of",
    "balance_of_ground",
    "body_of",
    "covered_ground",
    "place_of",
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
    least : it is clipped, but lies in the sun, and tells how strong that is at least.
    """

    id: str
    in_sun: bool
    residual: float | None = None
    wrong: bool = False
    reason: str | None = None
    least: bool = False


class LightAnswer(BaseModel):
    """A light in the fit.

    Attributes
    ----------
    id : of the window or the lamp.
    strength : by channel: of a sky beside a clear day's, of a window beside what the photograph shows of it, of a lamp
        beside what is stated; what the renderer multiplies its own by.
    sigma : relative standard deviation of its luminance.
    share, share_sigma : of the light on level ground where things stand, and its relative standard deviation.
    colour : what it makes of white there.
    measured : whether patches tell its share; else that is as was known beforehand.
    """

    kind: Literal["sun", "sky", "room", "window", "lamp", "about"]
    id: str | None = None
    strength: Three
    sigma: float
    share: float
    share_sigma: float
    colour: Three
    measured: bool


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
    lights : each light by itself.
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
    lights: list[LightAnswer] = []
    notes: list[str] = []


def balance_of(patches: Sequence[LightPatch], camera: Pinhole, day: Daylight) -> BalanceAnswer:
    """The balance from marked patches; those that were not read, or are clipped, are left out."""
    reasons = {patch.id: _why_not(patch, camera, day) for patch in patches}
    used = [patch for patch in patches if reasons[patch.id] is None]
    lit = _judged(used, day) if day.let_in is None else _judged_indoors(patches, camera, day)
    lie = [place_of(patch.at, patch.facing, camera, day) for patch in used]
    reached = [not day.parted or lit[patch.id] for patch in used]
    every = day.given_all([normal for _, normal in lie], [at for at, _ in lie], reached)
    put_in = [_put_in(patch, lit[patch.id], given, camera, day) for patch, given in zip(used, every, strict=True)]
    tones = {patch.material: patch.tone for patch in used if patch.tone is not None}
    if day.shines and not any(lit.values()):
        # Beside lit ground that is not clipped it would be a gleam; alone it is what the sun lights.
        lit |= {patch.id: patch.light != "shade" for patch in patches if reasons[patch.id] == TOO_BRIGHT}
    clipped = [patch for patch in patches if lit.get(patch.id) and reasons[patch.id] == TOO_BRIGHT]
    sunlit = [_sunlit(patch, camera, day) for patch in clipped]
    found = _solved(put_in, day, tones, at_least=sunlit if day.shines else ())
    if sunlit and day.let_in:
        found = _solved(put_in, with_sun_in(day, sunlit, found), tones)
    answers = [
        PatchAnswer(id=patch.id, in_sun=lit.get(patch.id, False), reason=reasons[patch.id], least=patch in clipped)
        for patch in patches
    ]
    told = iter(zip(found.residuals, found.wrong, strict=True))
    for answer in answers:
        if answer.reason is None:
            answer.residual, answer.wrong = next(told)
    shaded = any(not lit[patch.id] for patch in used)
    return _answer(found, day, tones, shaded, answers)


def balance_of_ground(
    encoded: Floats,
    linear: Floats,
    camera: Pinhole,
    height_m: float,
    day: Daylight,
    stand: Array | None = None,
    level: Array | None = None,
) -> BalanceAnswer:
    """The balance where nothing is marked: from the ground in light and, if it shows any, in shade.

    Among windows and lamps it is told from even spots all over the ground.

    Parameters
    ----------
    encoded, linear : (H, W, 3) the photograph, 0..1.
    stand : (N, 2) where things stand [m]. A panorama's light is that of one place: it is held to the ground there.
    level : (3,) the photograph's gain of a panorama's radiance, where the ground in both tells it.

    Raises
    ------
    InputError
        If the ground is not seen.
    """
    if day.falloff:
        linear = linear / light_map(camera, day.falloff)
    linear = body_of(linear, camera, day)
    about = stand if day.dome is not None else None
    has_sun = day.shines and not day.local
    covered = covered_ground(day, camera)
    surely_lit = day.surely_lit if has_sun else None
    ground = ground_light(
        encoded, linear, camera, height_m, has_sun, about, surely_lit=surely_lit, indoors=day.local, covered=covered
    )
    clipped = list[PatchIn]()
    if day.near:
        patches, shaded = _spots(encoded, linear, camera, height_m, day), False
    else:
        shaded = ground.shade is not None
        given = _given_about(ground.lit_at, camera, height_m, day, True)
        patches = [PatchIn(np.asarray(ground.lit, float), 0.0, GROUND, True, given)]
        if ground.clipped:
            clipped, patches = patches, []
        if shaded:
            given = _given_about(ground.shade_at, camera, height_m, day, False)
            patches.append(PatchIn(np.asarray(ground.shade, float), AUTO_SPREAD, GROUND, False, given))
    found = _solved(patches, day, {}, at_least=clipped, level=level)
    if day.let_in:
        sunlit = _sunlit_floor(encoded, camera, height_m, day)
        clipped = [one for one in sunlit if one.seen.max() > CLIPPED_LINEAR]
        patches += [one for one in sunlit if one.seen.max() <= CLIPPED_LINEAR]
        found = _solved(patches, with_sun_in(day, clipped, found), {})
    answer = _answer(found, day, {}, shaded, [])
    answer.notes += ground.notes
    if level is not None:
        answer.white_from = "the same ground in the panorama"
    return answer


def body_of(linear: Floats, camera: Pinhole, day: Daylight) -> Floats:
    """Linear values (H, W, 3) of ground without what it mirrors of a panorama where it gleams, as that tells both."""
    if day.dome is None or day.gleam is None:
        return linear
    besides = mirrored(day.dome, camera, *day.gleam)
    if besides is None:
        return linear
    usual = day.ground * np.array(day.ground_tint)
    own = (usual if day.ground_shown is None else day.ground_shown) * sum(day.irradiance(UP)) / np.pi
    return np.asarray(linear * (own / (own + besides)), np.float32)


def covered_ground(day: Daylight, camera: Pinhole) -> Mask | None:
    """Where something that was drawn stands before the ground, for the picture of a camera; None: nothing was."""
    if day.about is None:
        return None
    reach = max(2, round(COVERED_BESIDE * camera.width))
    seen = in_sight(day.about.solids.faces, camera).covered(camera.width, camera.height)
    return cv2.dilate(seen.astype(np.uint8), np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)) > 0


def _given_about(pixels: Array, camera: Pinhole, height_m: float, day: Daylight, lit: bool) -> Array:
    """What lights of strength 1 give the ground that some pixels (N, 2) show, in the mean; see `Daylight.given`."""
    if day.about is None:
        return day.given(UP, None, lit)
    chosen = pixels[np.linspace(0, len(pixels) - 1, min(SPOTS, len(pixels))).astype(int)]
    places = camera.ground_points(chosen + 0.5, height_m)
    return np.mean(day.given_all([UP] * len(places), list(places), [lit] * len(places)), axis=0)


def _spots(encoded: Floats, linear: Floats, camera: Pinhole, height_m: float, day: Daylight) -> list[PatchIn]:
    """Even spots of the ground, each where it lies."""
    covered = covered_ground(day, camera)
    lit, shade = ground_places(
        encoded, linear, camera, height_m, day.shines, count=SPOTS, indoors=day.room, covered=covered
    )
    radius = max(3.0, PATCH_SHARE * encoded.shape[1])
    photograph = Picture((encoded * 65535 + 0.5).astype(np.uint16))
    found = []
    for reached, places in ((day.let_in is None, lit), (False, shade)):
        feet = list(camera.ground_points(np.reshape(places, (-1, 2)).astype(float), height_m))
        every = day.given_all([UP] * len(feet), feet, [reached] * len(feet))
        for at, given in zip(places, every, strict=True):
            seen = read_patch(photograph, at, radius)
            found.append(PatchIn(np.array(seen.colour), max(seen.spread, AUTO_SPREAD), GROUND, reached, given))
    return found


def _sunlit_floor(encoded: Floats, camera: Pinhole, height_m: float, day: Daylight) -> list[PatchIn]:
    """Spots of the floor in the sun that comes in by windows; without those in the shade of what is in between."""
    assert day.let_in
    radius = max(3.0, PATCH_SHARE * encoded.shape[1])
    photograph = Picture((encoded * 65535 + 0.5).astype(np.uint16))
    places = sunlit_places(day.let_in, camera, height_m, covered_ground(day, camera), SPOTS)
    found = []
    for at, foot in zip(places, camera.ground_points(np.reshape(places, (-1, 2)), height_m), strict=True):
        colour = np.array(read_patch(photograph, at, radius).colour)
        found.append(PatchIn(colour, AUTO_SPREAD, GROUND, True, day.given(UP, foot, True)))
    middle = float(np.median([luminance(one.seen) for one in found])) if found else 0.0
    return [one for one in found if float(luminance(one.seen)) >= middle]


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
    there = [one.at for one in besides]
    count = INDOORS if day.room else OUTDOORS
    linear = decode_srgb(encoded)
    covered = covered_ground(day, camera)
    places = ground_places(
        encoded,
        linear,
        camera,
        0.0,
        day.shines,
        there,
        count,
        surely_lit=day.surely_lit,
        indoors=day.room,
        covered=covered,
    )
    if day.let_in:
        places[0].extend(sunlit_places(day.let_in, camera, 0.0, covered, SUNLIT))

    def patch(number: int, at: Pixel, light: Literal["sun", "shade"]) -> LightPatch:
        seen = read_patch(photograph, at, radius)
        told = "judge" if day.let_in else light
        return LightPatch(id=f"{light}{number}", at=at, radius_px=radius, light=told, seen=seen)

    found = [patch(number, at, "sun") for number, at in enumerate(places[0])]
    found += [patch(number, at, "shade") for number, at in enumerate(places[1])]
    if not found:
        where = "nowhere else" if besides else "nowhere"
        raise InputError("patches", f"can’t be proposed: the ground is {where} even; mark them by hand")
    return found


def read_patch(photograph: Picture, at: Pixel, radius_px: float, field: str = "at") -> PatchSeen:
    """Read a round patch; the darkest and the brightest tenth of it are left out.

    Raises
    ------
    InputError
        If its middle, which the question calls `field`, lies outside the photograph.
    """
    height, width = photograph.codes.shape[:2]
    x, y = at
    if not (0 <= x < width and 0 <= y < height):
        raise InputError(field, "lies outside the photograph")
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


def place_of(pixel: Pixel, facing: Facing, camera: Pinhole, day: Daylight) -> tuple[Array | None, Array]:
    """Where what a pixel shows lies (3,) [m], and its normal: on what stands there, else on the ground.

    Of others nobody knows how far away they are: they face as is said of them. So do those of which it is said that
    they face otherwise than what is drawn there: they stand just before it.
    """
    standing = day.about.under(pixel, camera) if day.about else None
    if standing:
        told = facing_normal(facing, pixel, camera)
        # Of what merely stands upright nobody says how it is turned.
        upright = facing == "towards the camera" and abs(float(standing[1][2])) < ALIKE
        if facing == "level" or upright or float(told @ standing[1]) > ALIKE:
            return standing
        return standing[0] + BEFORE_M * standing[1], told
    at = camera.ground_points(np.array([pixel], float))[0]
    known = facing == "level" and bool(np.isfinite(at).all())
    return (at if known else None), facing_normal(facing, pixel, camera)


def _why_not(patch: LightPatch, camera: Pinhole, day: Daylight) -> str | None:
    if day.near and place_of(patch.at, patch.facing, camera, day)[0] is None:
        return "how far from windows and lamps it is isn’t known: mark the ground instead"
    if patch.seen is None:
        return "it has not been read yet"
    if patch.seen.clipped > MOST_CLIPPED:
        return TOO_BRIGHT
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
        lit[patch.id] = day.parted and (judged if patch.light == "judge" else patch.light == "sun")
    return lit


def _judged_indoors(patches: Sequence[LightPatch], camera: Pinhole, day: Daylight) -> dict[str, bool]:
    """Whether sun that comes in by a window reaches each patch: where it can, unless that is clearly darker."""
    seen = [patch for patch in patches if patch.seen]
    lit = _judged(seen, day)
    for patch in seen:
        at, normal = place_of(patch.at, patch.facing, camera, day)
        lit[patch.id] &= at is not None and day.reached(at, normal)
    return lit


def _put_in(patch: LightPatch, lit: bool, given: Array, camera: Pinhole, day: Daylight) -> PatchIn:
    assert patch.seen
    colour = np.array(patch.seen.colour) / light_at(np.array(patch.at), camera, day.falloff)
    return PatchIn(colour, patch.seen.spread, patch.material, lit, given)


def _sunlit(patch: LightPatch, camera: Pinhole, day: Daylight) -> PatchIn:
    """A patch in the sun that comes in by a window."""
    at, normal = place_of(patch.at, patch.facing, camera, day)
    return _put_in(patch, True, day.given(normal, at, True), camera, day)


def _solved(
    patches: list[PatchIn],
    day: Daylight,
    tones: dict[str, float],
    at_least: Sequence[PatchIn] = (),
    level: Array | None = None,
) -> Balance:
    """`at_least` are all that the sun reaches, and clipped: what they show is the least that they throw back."""
    white = (SIGMA_WHITE_INDOORS, SIGMA_BALANCE_INDOORS) if day.local else (SIGMA_WHITE, SIGMA_BALANCE)
    if day.let_in or at_least:
        white = (SIGMA_WHITE_CLIPPED, SIGMA_BALANCE_CLIPPED if at_least else white[1])
    if day.sky_shown:
        white = (white[0], SIGMA_BALANCE_LOOSE)
    dimmed = SKY if day.shines else ""
    named = {GROUND: day.ground * np.array(day.ground_tint)}
    shown = {}
    if day.ground_shown is not None:
        shown[GROUND] = np.log(day.ground_shown), SIGMA_SHOWN_UNEVEN if day.local else SIGMA_SHOWN
    if day.sky_shown:
        shown[SKY] = day.sky_shown.strength, (day.sky_shown.sigma, day.sky_shown.sigma_tint)
    if level is not None:
        shown[SKY] = np.log(level / np.pi), SIGMA_MATCHED

    def solved(every: list[PatchIn]) -> Balance:
        return solve_strengths(every, day.lights(), named, tones, white=white, dimmed=dimmed, shown=shown)

    found = solved(patches)
    theta = np.stack([found.lights[light.name].theta for light in day.lights()])
    below = [
        one
        for one in at_least
        if one.material in found.reflectances
        and luminance(found.reflectances[one.material] * (theta * one.light).sum(0)) < luminance(one.seen)
    ]
    return solved([*patches, *below]) if below else found


def _answer(
    found: Balance, day: Daylight, tones: dict[str, float], shaded: bool, patches: list[PatchAnswer]
) -> BalanceAnswer:
    theta = {name: light.theta for name, light in found.lights.items()}
    # A room's own light has no measure but the photograph's.
    gain = np.ones(3) if day.room else np.pi * theta.get(SUN, theta[SKY])
    sky = np.pi * theta[SKY] / gain
    notes: list[str] = []
    wrong = [patch for patch in patches if patch.wrong]
    if wrong:
        notes.append(
            f"{len(wrong)} of {len(patches)} patches disagree with the others: another material, a gleam, or the "
            "wrong light?"
        )
    notes += _alike(found, day)
    return BalanceAnswer(
        gain=_three(gain),
        sky=_three(sky),
        white=_three(found.white),
        shade=_three(theta[SKY] * day.irradiance(UP)[1]),
        white_sigma=_three(found.white_sigma),
        sky_sigma=_three(found.beside_sigma if day.shines else np.zeros(3)),
        sky_measured=shaded or (day.sun is None and day.dome is None),
        white_from=_white_from(day, tones),
        reflectances={name: _three(values) for name, values in found.reflectances.items()},
        patches=patches,
        lights=_lights(found, day, gain),
        notes=notes,
    )


def _white_from(day: Daylight, tones: dict[str, float]) -> str:
    if tones:
        return f"{next(iter(tones))}, a known tone"
    if day.sky_shown:
        return "the sky in the photograph"
    return "the ground in the panorama" if day.ground_shown is not None else f"the usual {day.ground_name}"


def _alike(found: Balance, day: Daylight) -> list[str]:
    """Which lights the patches can't part, in words; each pair once."""
    titles = {one.name: one.title or one.name for one in day.near}
    titles |= {SKY: "the room’s own light" if day.room else "the sky", SUN: "the sun", ABOUT: "what stands about"}
    pairs = {tuple(sorted((name, other))) for name, light in found.lights.items() for other in light.alike}
    return [
        f"The patches are lit alike by {titles[one]} and {titles[two]}: trust one of them, or mark patches elsewhere."
        for one, two in sorted(pairs)
    ]


def _lights(found: Balance, day: Daylight, gain: Array) -> list[LightAnswer]:
    level = {light.name: found.lights[light.name].theta * light.level for light in day.lights()}
    whole = max(float(luminance(np.sum([*level.values()], axis=0))), 1e-12)
    answers = []
    for name, light in found.lights.items():
        kind, _, identity = name.partition(" ")
        by_sky = day.sky_shown is not None and name in (SUN, SKY)
        answers.append(
            LightAnswer.model_validate(
                {
                    "kind": "room" if day.room and name == SKY else kind,
                    "id": identity or None,
                    "strength": _three(np.pi * light.theta / gain),
                    "sigma": float(REC709 @ light.sigma),
                    "share": float(luminance(level[name])) / whole,
                    "share_sigma": light.share_sigma,
                    "colour": _three(level[name]),
                    "measured": (light.share_told > MEASURED or by_sky) and light.share_sigma < UNSURE,
                }
            )
        )
    return answers


def _three(values: Array) -> Three:
    r, g, b = (float(value) for value in values)
    return r, g, b
