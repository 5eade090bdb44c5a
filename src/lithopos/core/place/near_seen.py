"""Windows and lamps as a render has them: what the photograph shows of them, as strong as it was found to be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import decode_srgb, luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.clear_sky import UP
from lithopos.core.light.near import Ball, Beam, Near, Shaft, Sheet, Standing
from lithopos.core.light.patches import PatchSeen
from lithopos.core.place.balance import BalanceAnswer
from lithopos.core.place.daylight import SUN, Daylight
from lithopos.core.place.near_lights import USUAL_LAMP, LampAnswer, lamp_answer, lamp_light, lamp_name, window_name
from lithopos.core.shot import LitWindow, Shot
from lithopos.core.shot.pane import Corners

GLARE = 3.0  # how much wider than itself a lamp's glare is taken to be
WINDOW_TEXELS = (64, 64)  # of what a window shows, rows and columns
NEARLY_CLIPPED = 0.8  # windows and lamps, with their glare
CLIPPED_LINEAR = 0.96  # of the largest linear value

__all__ = [
    "added_lights",
    "lamp_factor",
    "lamps_shown",
    "mean_colour",
    "near_in_force",
    "near_photographed",
    "pixels_of_lights",
    "read_window",
    "window_pictures",
    "with_windows_read",
]


def near_in_force(shot: Shot, day: Daylight, balance: BalanceAnswer, windows: dict[str, Floats]) -> tuple[Near, ...]:
    """Windows and lamps whose light is in the photograph, as strong as was measured and as they are set by hand."""
    by_hand = {window_name(one): one.strength for one in shot.windows}
    by_hand |= {lamp_name(one): one.strength for one in shot.lamps}
    by_hand[SUN] = shot.sun.strength
    found = near_photographed(day, balance, windows)
    return tuple(_times(light, np.array(by_hand[one.name])) for one, light in zip(day.near, found, strict=True))


def near_photographed(day: Daylight, balance: BalanceAnswer, windows: dict[str, Floats]) -> tuple[Near, ...]:
    """The same as strong as they were when the photograph was taken."""
    strength = {f"{light.kind} {light.id or ''}".rstrip(): np.array(light.strength) for light in balance.lights}
    found: list[Near] = []
    for one in day.near:
        factor, light = strength[one.name], one.light
        if one.name in windows and isinstance(light, Sheet):
            shown = windows[one.name]
            found.append(Sheet(light.corners, _made_stronger(shown, factor * light.radiance)))
        else:
            found.append(_times(light, factor))
    return tuple(found)


def _made_stronger(shown: Floats, wanted: Array) -> Floats:
    """What a window shows (H, W, 3), brought to a mean (3,): where it is clipped, as far as that alone can be."""
    clipped: Mask = np.asarray((shown >= CLIPPED_LINEAR).any(-1))
    mean = shown.reshape(-1, 3).mean(0)
    if not clipped.any():
        return np.asarray(shown * (wanted / np.maximum(mean, 1e-6)), np.float32)
    missing = (wanted - mean) * clipped.size / np.count_nonzero(clipped)
    raised = shown + clipped[..., None] * np.maximum(missing, 0)
    return np.asarray(raised * (wanted / np.maximum(raised.reshape(-1, 3).mean(0), 1e-6)), np.float32)


def _times(light: Near, factor: Array | Floats) -> Near:
    """A light at another strength (3,)."""
    strength = np.asarray(factor, np.float32)
    if isinstance(light, Shaft):
        return replace(light, irradiance=light.irradiance * strength)
    return _standing_times(light, strength)


def _standing_times(light: Standing, strength: Floats) -> Standing:
    if isinstance(light, Beam):
        return replace(light, intensity=light.intensity * strength)
    return replace(light, radiance=light.radiance * strength)


def lamp_factor(shot: Shot, balance: BalanceAnswer) -> Floats:
    """What the renderer multiplies an added lamp's own light by, (3,)."""
    if shot.lit_by == "day":
        return np.ones(3, np.float32)
    lamps = [light.strength for light in balance.lights if light.kind == "lamp"]
    if lamps:
        return np.asarray(np.exp(np.log(lamps).mean(0)), np.float32)
    # Nothing tells how a photograph of a room was exposed.
    return np.asarray(np.pi * np.exp(USUAL_LAMP) / np.array(balance.gain), np.float32)


def added_lights(shot: Shot, camera: Pinhole, factor: Floats) -> tuple[Standing, ...]:
    """Lamps that are new to the place."""
    found = []
    for lamp in shot.lamps:
        at = lamp_answer(lamp, camera).position_m
        light = lamp_light(lamp, np.array(at)) if at is not None else None
        if light is not None and not lamp.photographed and not lamp.hidden:
            found.append(_standing_times(light, np.asarray(factor * lamp.strength, np.float32)))
    return tuple(found)


def lamps_shown(shot: Shot, day: Daylight, balance: BalanceAnswer | None, found: Sequence[LampAnswer]) -> None:
    """Tell each lamp what it makes of white paint; where nothing tells, as photographs are usually exposed."""
    usual = np.full(3, np.exp(USUAL_LAMP))
    if shot.lit_by == "day":
        usual = 1 / np.maximum(np.sum(day.irradiance(UP), axis=0), 1e-9)
    theta = {f"{one.kind} {one.id}": np.array(one.strength) for one in balance.lights} if balance else {}
    for lamp, answer in zip(shot.lamps, found, strict=True):
        light = lamp_light(lamp, np.zeros(3))
        if light is None:
            continue
        by = usual
        if balance:
            by = theta.get(lamp_name(lamp), lamp_factor(shot, balance)) * np.array(balance.gain) / np.pi
        r, g, b = (float(v) for v in _brightest(light) * by * lamp.strength)
        answer.white = r, g, b


def _brightest(light: Standing) -> Array:
    """The intensity (3,) of a light where it shines most."""
    if isinstance(light, Ball):
        return np.asarray(np.pi * light.radius_m**2 * light.radiance, float)
    if isinstance(light, Beam):
        return np.asarray(light.intensity.reshape(-1, 3).max(0), float)
    wide, deep = light.corners[1] - light.corners[0], light.corners[3] - light.corners[0]
    return np.asarray(np.linalg.norm(np.cross(wide, deep)) * light.radiance.reshape(-1, 3).mean(0), float)


def window_pictures(windows: Sequence[LitWindow], linear: Floats, scale: float) -> dict[str, Floats]:
    """What the photograph shows within each window, as small upright pictures by the windows' names.

    Parameters
    ----------
    scale : of this copy of the photograph beside that in which the corners are marked.
    """
    return {
        window_name(window): _pulled_straight(linear, np.array(window.corners, np.float32) * np.float32(scale))
        for window in windows
    }


def with_windows_read(windows: Sequence[LitWindow], photograph: Picture, width: int) -> list[LitWindow]:
    """Windows with what their pixels say, where that is not in them yet.

    Parameters
    ----------
    photograph : of any size; `width` is that in which the windows are marked [px].
    """
    scale = photograph.codes.shape[1] / width
    found = []
    for window in windows:
        a, b, c, d = ((x * scale, y * scale) for x, y in window.corners)
        seen = window.seen or read_window(photograph, (a, b, c, d))
        found.append(window.model_copy(update={"seen": seen}))
    return found


def mean_colour(photograph: Picture) -> tuple[float, float, float]:
    """The mean linear colour of a photograph without what is nearly clipped."""
    height, width = photograph.codes.shape[:2]
    size = (min(width, 256), max(1, round(height * min(width, 256) / width)))
    small = Picture(cv2.resize(photograph.codes, size, interpolation=cv2.INTER_AREA))
    linear = decode_srgb(small.encoded).reshape(-1, 3)
    dull = linear[linear.max(1) < NEARLY_CLIPPED]
    r, g, b = (float(v) for v in (dull if len(dull) else linear).mean(0))
    return round(r, 4), round(g, 4), round(b, 4)


def read_window(photograph: Picture, corners: Corners) -> PatchSeen:
    """What the pixels of a window say.

    Raises
    ------
    InputError
        If none of it is in the photograph.
    """
    height, width = photograph.codes.shape[:2]
    x, y = np.array(corners, float).T
    if x.max() <= 0 or y.max() <= 0 or x.min() >= width or y.min() >= height:
        raise InputError("windows", "lie outside the photograph")
    linear = _pulled_straight(decode_srgb(photograph.encoded), np.array(corners, np.float32))
    bright = luminance(linear)
    r, g, b = (float(v) for v in np.clip(linear.reshape(-1, 3).mean(0), 0, 1))
    return PatchSeen(
        colour=(r, g, b),
        spread=float(min(bright.std() / max(float(bright.mean()), 1e-6), 100.0)),
        clipped=float((linear >= CLIPPED_LINEAR).any(-1).mean()),
    )


def pixels_of_lights(day: Daylight, camera: Pinhole) -> Mask:
    """What windows and lamps take of the picture, (H, W)."""
    pixels = np.zeros((camera.height, camera.width), np.uint8)
    for one in day.near:
        if not isinstance(one.light, Shaft):
            _cover(pixels, one.light, camera)
    return pixels > 0


def _cover(pixels: NDArray[np.uint8], light: Standing, camera: Pinhole) -> None:
    """Fill what a light takes of the picture."""
    if isinstance(light, Sheet):
        outline = camera.project(light.corners)
        if np.isfinite(outline).all():
            cv2.fillConvexPoly(pixels, outline.astype(np.int32), 1)
        return
    middle = camera.project(light.middle[None])[0]
    if np.isfinite(middle).all():
        away = float(np.linalg.norm(light.middle - camera.position))
        radius = round(GLARE * light.radius_m / away * camera.focal_px) + 1
        cv2.circle(pixels, (int(middle[0]), int(middle[1])), radius, 1, -1)


def _pulled_straight(linear: Floats, corners: Floats) -> Floats:
    """What lies between four corners (4, 2) of a picture, as a small upright one."""
    high, wide = WINDOW_TEXELS
    onto = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32)
    whole = cv2.getPerspectiveTransform(corners, onto)
    return np.asarray(cv2.warpPerspective(linear, whole, (wide, high), borderMode=cv2.BORDER_REPLICATE), np.float32)
