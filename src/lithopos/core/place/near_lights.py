"""A shot's windows and lamps: where they are in the world, what they give, and what is known of how strong they are.

A window of strength 1 is as bright as the photograph shows it, so that its θ (see `light.strengths`) is 1/π, but where
it is clipped. A lamp of strength 1 gives what is stated, in the renderer's measure, where white in a clear day's light
is as bright as that day's model and `luminance.clear_white_cd` say.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import REC709
from lithopos.core.errors import NoAnswer
from lithopos.core.light.blackbody import glow
from lithopos.core.light.clear_sky import UP, sky_irradiance, sun_irradiance
from lithopos.core.light.luminance import clear_white_cd
from lithopos.core.light.near import Ball, Beam, Shaft, Sheet, Standing
from lithopos.core.light.photometry import Photometry, intensity_of, lumen_of, spot_intensity
from lithopos.core.light.strengths import Known
from lithopos.core.place.daylight import SUN, NearLight
from lithopos.core.place.face import Face
from lithopos.core.place.pane import hung, plumb_factor
from lithopos.core.shot import Lamp, LitWindow, Shot

_REFERENCE_SUN = np.array([np.sqrt(0.5), 0.0, np.sqrt(0.5)])
_REFERENCE_HAZE = 3.5
# The renderer's radiance of 1 cd/m².
UNIT = float(
    (sun_irradiance(_REFERENCE_SUN, _REFERENCE_HAZE, UP) + sky_irradiance(_REFERENCE_SUN, _REFERENCE_HAZE, UP))
    @ REC709
    / np.pi
    / clear_white_cd(_REFERENCE_SUN, 1.0, 1.0)
)
# What a lamp's θ is where nothing else tells the exposure: a room at 300 lx, its white at 0.8.
USUAL_LAMP = float(np.log(0.8 / (300 * UNIT)))
SIGMA_EXPOSURE = 1.5  # of that
SIGMA_STATED, SIGMA_HELD, SIGMA_LAMP_TINT = 0.4, 0.05, 0.25  # of lamps beside one another
SIGMA_LOOKS, SIGMA_LOOKS_TINT = 0.12, 0.08  # of a window's brightness beside what the photograph shows of it
# What a white thing shows that faces the sun in a room: floor in the sun is about as bright as a photograph can show.
SUN_INDOORS, SIGMA_SUN_INDOORS, SIGMA_SUN_TINT = 3.0, 1.2, 0.2
CLIPPED_MORE, SIGMA_CLIPPED, SIGMA_CLIPPED_TINT = 1.1, 0.8, 0.25  # and of a clipped one

__all__ = [
    "UNIT",
    "USUAL_LAMP",
    "LampAnswer",
    "SunIn",
    "lamp_answer",
    "lamp_light",
    "lamp_name",
    "near_lights",
    "window_name",
    "with_photometry",
]


class LampAnswer(BaseModel):
    """Where a lamp is [m], or why nobody knows.

    Attributes
    ----------
    white : the photograph's linear value of white paint that faces it a metre away, where it shines most.
    """

    id: str
    position_m: tuple[float, float, float] | None = None
    reason: str | None = None
    white: tuple[float, float, float] | None = None


def window_name(window: LitWindow) -> str:
    """By which a window is told among the lights."""
    return f"window {window.id}"


def lamp_name(lamp: Lamp) -> str:
    """By which a lamp is told among the lights."""
    return f"lamp {lamp.id}"


def lamp_answer(lamp: Lamp, camera: Pinhole) -> LampAnswer:
    """Where a lamp is: as it was put, or plumb over its foot where it is seen."""
    if lamp.position_m is not None:
        return LampAnswer(id=lamp.id, position_m=lamp.position_m)
    assert lamp.at and lamp.foot
    ray = camera.rays(np.array([lamp.at], float))[0]
    factor = plumb_factor(lamp.foot, ray, camera)
    if factor is None:
        return LampAnswer(id=lamp.id, reason="its foot must lie on the ground, plumb below it")
    foot = camera.ground_points(np.array([lamp.foot], float))[0]
    return LampAnswer(
        id=lamp.id, position_m=(float(foot[0]), float(foot[1]), float(camera.position[2] + factor * ray[2]))
    )


def near_lights(
    windows: Sequence[LitWindow],
    lamps: Sequence[Lamp],
    camera: Pinhole,
    beside: str | None,
    walls: Sequence[Face] = (),
    sun: SunIn | None = None,
) -> tuple[NearLight, ...]:
    """All whose light is in the photograph.

    Parameters
    ----------
    beside : the light beside which lamps are told; None where there is no daylight.
    walls : in which windows may be; see `pane.hung`.
    sun : what shines in by those windows that let it.
    """
    found, openings = list[NearLight](), list[Array]()
    for number, window in enumerate(windows):
        place = hung(window, camera, walls)
        if not window.hidden and not isinstance(place, NoAnswer):
            shown = np.array(window.seen.colour if window.seen else (1.0, 1.0, 1.0), np.float32)
            title = window.name or f"window {number + 1}"
            found.append(NearLight(window_name(window), Sheet(place.corners, shown), _known_window(window), title))
            if window.sunny:
                openings.append(place.corners)
    if sun and openings:
        found.append(NearLight(SUN, _shaft(sun, openings), sun.known, "the sun that comes in"))
    first: str | None = None
    for number, lamp in enumerate(lamps):
        at = lamp_answer(lamp, camera).position_m
        if lamp.hidden or not lamp.photographed or at is None:
            continue
        light = lamp_light(lamp, np.array(at))
        if light is None:
            continue
        title = lamp.name or f"lamp {number + 1}"
        found.append(NearLight(lamp_name(lamp), light, _known_lamp(lamp, beside or first), title))
        first = first or lamp_name(lamp)
    return tuple(found)


@dataclass(frozen=True)
class SunIn:
    """The direction to the sun, a unit vector (3,), its apparent diameter, the haze that it shines through."""

    direction: Array
    width_deg: float
    turbidity: float

    @property
    def known(self) -> Known:
        """What is known of it indoors: a photograph of a room has no measure but its own."""
        colour = np.log(sun_irradiance(self.direction, self.turbidity, self.direction))
        r, g, b = (float(v) for v in colour - float(REC709 @ colour))
        return Known(None, float(np.log(SUN_INDOORS)), SIGMA_SUN_INDOORS, SIGMA_SUN_TINT, (r, g, b))


def _shaft(sun: SunIn, openings: Sequence[Array]) -> Shaft:
    return Shaft(sun.direction, sun.width_deg, np.stack(openings), np.ones(3, np.float32))


def with_photometry(shot: Shot, read: Callable[[str], Photometry]) -> Shot:
    """A shot whose measured lamps hold what their files say."""
    lamps = [
        lamp.model_copy(update={"photometry": read(lamp.file)}) if lamp.file and lamp.photometry is None else lamp
        for lamp in shot.lamps
    ]
    return shot.model_copy(update={"lamps": lamps})


def lamp_light(lamp: Lamp, middle: Array) -> Standing | None:
    """What a lamp gives at strength 1; None for a measured one whose file is not read yet."""
    colour = glow(lamp.temperature_k) * UNIT
    radius = lamp.size_mm / 2000
    if lamp.kind == "ball":
        area = 4 * np.pi * radius**2
        return Ball(middle, radius, _colours(colour * _luminance(lamp, np.pi * area)))
    axes = _axes(lamp)
    if lamp.kind == "panel":
        wide, deep = lamp.size_mm / 2000 * axes[0], lamp.deep_mm / 2000 * axes[1]
        # Clockwise as seen from where it shines.
        corners = middle + np.stack([-wide + deep, wide + deep, wide - deep, -wide - deep])
        area = lamp.size_mm * lamp.deep_mm / 1e6
        return Sheet(corners, _colours(colour * _luminance(lamp, np.pi * area)))
    if lamp.kind == "spot":
        table = spot_intensity(lamp.beam_deg).astype(float)
    elif lamp.photometry is None:
        return None
    else:
        table = intensity_of(lamp.photometry)
    if lamp.output is not None:
        by_lumen = lamp.output / max(lumen_of(table), 1e-9)
        by_luminance = lamp.output * np.pi * radius**2 / max(float(table.max()), 1e-9)
        table = table * (by_lumen if lamp.output_in == "lm" else by_luminance)
    return Beam(middle, radius, axes, _colours(table[..., None] * colour))


def _luminance(lamp: Lamp, lumen_each: float) -> float:
    """Luminance [cd/m²] of a lamp that gives `lumen_each` for each of it."""
    output = 800.0 if lamp.output is None else lamp.output
    return output if lamp.output_in == "cd/m2" else output / lumen_each


def _axes(lamp: Lamp) -> Array:
    """Rows: a level axis, its fellow, and the way a lamp looks; right-handed."""
    azimuth, tilt = np.radians([lamp.azimuth_deg, lamp.tilt_deg])
    way = np.array([np.cos(azimuth) * np.cos(tilt), np.sin(azimuth) * np.cos(tilt), -np.sin(tilt)])
    level = np.array([-np.sin(azimuth), np.cos(azimuth), 0.0])
    return np.stack([level, np.cross(way, level), way])


def _known_window(window: LitWindow) -> Known:
    if window.held:
        return Known(None, float(-np.log(np.pi)), SIGMA_HELD, SIGMA_HELD)
    clipped = window.seen.clipped if window.seen else 1.0
    return Known(
        None,
        float(CLIPPED_MORE * clipped - np.log(np.pi)),
        float(np.hypot(SIGMA_LOOKS, SIGMA_CLIPPED * clipped)),
        SIGMA_LOOKS_TINT + SIGMA_CLIPPED_TINT * clipped,
    )


def _known_lamp(lamp: Lamp, beside: str | None) -> Known:
    if beside is None:
        return Known(None, USUAL_LAMP, SIGMA_EXPOSURE, SIGMA_LAMP_TINT)
    by_day = not beside.startswith("lamp ")
    sigma = SIGMA_HELD if lamp.held else SIGMA_EXPOSURE if by_day else SIGMA_STATED
    return Known(beside, 0.0, sigma, SIGMA_LAMP_TINT)


def _colours(values: Array) -> Floats:
    return np.asarray(values, np.float32)
