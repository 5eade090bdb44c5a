"""What follows from a shot: its camera, its sun, and why one of them is not there yet.

Nothing here is kept: the document holds what the user decided, this says what it means.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array
from lithopos.core.camera.answer import tell_at_site, tell_by_hand
from lithopos.core.camera.hand import Gesture, hand_fit, pinhole_by_hand
from lithopos.core.camera.known import pinhole_known
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, HandCamera, KnownCamera, LengthAnswer
from lithopos.core.camera.scale import seen_points
from lithopos.core.camera.solve import bearable, pinhole_of, solve_camera
from lithopos.core.camera.vanishing import RUNS, Marks
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.grounds import GROUND_MATERIALS
from lithopos.core.light.clear_sky import sun_irradiance
from lithopos.core.light.dome import dome_sun, ground_of
from lithopos.core.light.softness import CLEAR_DEG, SoftnessAnswer
from lithopos.core.light.strengths import SIGMA_CLEAR
from lithopos.core.light.sun import SunAnswer
from lithopos.core.place.about import about_of
from lithopos.core.place.around import AroundAnswer, around_answer, beside_shadows, dome_in_force
from lithopos.core.place.balance import BalanceAnswer
from lithopos.core.place.daylight import SKY, SUN, Daylight, NearLight
from lithopos.core.place.face import Face
from lithopos.core.place.gleaming import balance_beside_gleam
from lithopos.core.place.mirrored import DIELECTRIC
from lithopos.core.place.near_lights import LampAnswer, SunIn, lamp_answer, near_lights
from lithopos.core.place.near_seen import lamps_shown
from lithopos.core.place.pane import PaneAnswer, pane_answer
from lithopos.core.place.rise import height_on
from lithopos.core.place.sky_seen import sky_shown
from lithopos.core.place.solids import ProxyAnswer, proxy_answer, solid_of
from lithopos.core.place.sunlight import (
    AlmanacAnswer,
    almanac_answer,
    measured_sun,
    shadows_thrown,
    softness_of,
    sun_in_force,
    sun_of_site,
)
from lithopos.core.questions import camera_problem_of
from lithopos.core.shot import USUAL_TURBIDITY, Placed, Shot

SIGMA_PANORAMA = 0.12  # of a panorama's sky beside its own sun
SOLVED_KEPT = 64  # cameras
SAME_HEIGHT_M = 0.002
GLEAMING = 0.45  # roughness below which the ground mirrors what lies about

__all__ = [
    "SAME_HEIGHT_M",
    "Derived",
    "LevelAnswer",
    "base_heights",
    "daylight_of",
    "derive",
    "main_plane_m",
    "near_of",
    "sharp_sun",
    "shot_after_gesture",
    "standing_height",
    "standing_heights",
    "walls_of",
]


class LevelAnswer(BaseModel):
    """A level's height above the ground in force, [m]; `sigma_m` where it was measured."""

    id: str
    height_m: float | None
    sigma_m: float | None = None
    reason: str | None = None


class Derived(BaseModel):
    """A shot's solved figures; where there is no answer, a plain reason instead.

    Attributes
    ----------
    ground_to_photo : (3, 3) homography from ground (x, y, 1) [m] to homogeneous pixels, undistorted.
    camera_reason, camera_lacks : why there is no camera, in words, and whether edges are missing or don't agree.
    lengths : what each of the shot's lengths measures; the camera's own list ends with the levels' too.
    thrown : the proxies whose shadows tell the sun, in the order of its `boxes`.
    sun_shown : the direction in force, measured or set by hand; of a panorama its brightest place, or a new sun's.
    panes, windows, lamps, proxies : where each of the shot's hangs or stands.
    bases : how high what models stand on is under them [m], by their identities; of those that nothing carries.
    almanac : the sun by date and place, where they are given.
    around : how the panorama lies, where there is one.
    softness_deg : the sun's apparent diameter in force; `softness` what soft edges tell of it.
    haze : the turbidity in force; `haze_measured`: by the photograph's sky.
    falloff : which share of the light the lens loses in a corner; `falloff_measured`: by the photograph's sky.
    balance : what the marked patches tell of the light; None where none is marked, or no sun is known yet.
    """

    camera: CameraAnswer | None = None
    camera_reason: str | None = None
    camera_lacks: Literal["edges", "agreement"] | None = None
    metric: bool = False
    ground_to_photo: list[list[float]] | None = None
    lengths: list[LengthAnswer] = []
    levels: list[LevelAnswer] = []
    sun: SunAnswer | None = None
    sun_reason: str | None = None
    almanac: AlmanacAnswer | None = None
    almanac_reason: str | None = None
    around: AroundAnswer | None = None
    softness_deg: float = CLEAR_DEG
    softness: SoftnessAnswer | None = None
    thrown: list[str] = []
    sun_shown: tuple[float, float, float] | None = None
    panes: list[PaneAnswer] = []
    windows: list[PaneAnswer] = []
    lamps: list[LampAnswer] = []
    haze: float = USUAL_TURBIDITY
    haze_measured: bool = False
    falloff: float = 0.0
    falloff_measured: bool = False
    balance: BalanceAnswer | None = None
    proxies: list[ProxyAnswer] = []
    bases: dict[str, float] = {}


def derive(shot: Shot) -> Derived:
    """Solve what can be solved of a shot; never raises for a document that is valid."""
    result = Derived()
    try:
        camera = _camera(shot)
        if not isinstance(camera, NoAnswer) and shot.levels:
            result.levels = _levels(shot, camera)
            camera = _with_lengths_on_levels(shot, camera, result.levels)
    except InputError as error:
        result.camera_lacks = "edges" if error.field == "lines" else "agreement"
        camera = NoAnswer(_plain(error))
    if isinstance(camera, NoAnswer):
        result.camera_reason = camera.reason
        result.camera_lacks = result.camera_lacks or "agreement"
        return result
    result.camera = camera
    pinhole = pinhole_of(camera)
    bases = base_heights(result)
    solids = [solid_of(proxy, pinhole, bases.get(proxy.level), None) for proxy in shot.proxies]
    result.proxies = [proxy_answer(*pair, None) for pair in zip(shot.proxies, solids, strict=True)]
    walls = walls_of(shot, result)
    result.panes = [pane_answer(pane, pinhole, walls) for pane in shot.panes]
    result.windows = [pane_answer(window, pinhole, walls) for window in shot.windows]
    result.lamps = [lamp_answer(lamp, pinhole) for lamp in shot.lamps]
    result.metric = camera.camera_position is not None
    result.ground_to_photo = pinhole_of(camera).ground_homography().tolist()
    result.lengths = camera.lengths[: len(shot.lengths)]
    _derive_sun(shot, camera, result)
    sun = sharp_sun(shot, result)
    if sun is not None:
        for n, proxy in enumerate(shot.proxies):
            if proxy.kind == "shade":
                solids[n] = solid_of(proxy, pinhole, bases.get(proxy.level), sun)
        result.proxies = [proxy_answer(*pair, sun) for pair in zip(shot.proxies, solids, strict=True)]
    known = result.sun_shown or shot.sky.cover == 1 or shot.lit_by == "room"
    if known:
        day = daylight_of(shot, result)
        result.haze = day.turbidity
        by_sky = day.sky_shown is not None
        result.haze_measured = by_sky and not day.dome and shot.sky.turbidity is None and shot.sky.cover < 1
        result.falloff, result.falloff_measured = day.falloff, by_sky and day.lens is None
        if any(patch.seen for patch in shot.patches):
            result.balance = balance_beside_gleam(shot.patches, pinhole, day, gleam_of_ground(shot))
        lamps_shown(shot, day, result.balance, result.lamps)
    result.bases = _bases(shot, result)
    return result


def sharp_sun(shot: Shot, facts: Derived) -> Array | None:
    """The unit vector to the sun (3,), where things throw sharp shadows."""
    sunny = shot.lit_by != "room" and shot.sun.strength > 0 and shot.sky.cover < 1
    return np.array(facts.sun_shown) if facts.sun_shown and sunny else None


def base_heights(facts: Derived) -> dict[str | None, float | None]:
    """The heights of what things stand on: of levels by their identities, of the ground by None."""
    return {None: 0.0} | {level.id: level.height_m for level in facts.levels}


def standing_heights(facts: Derived) -> dict[str | None, float | None]:
    """The heights of all that models stand on: besides, of proxies' tops by their identities."""
    tops = {
        one.id: one.foot[0][2] + one.height_m if one.foot and one.height_m is not None else None
        for one in facts.proxies
    }
    return base_heights(facts) | tops


def standing_height(placed: Placed, facts: Derived) -> float | None:
    """The height of the level or proxy that a model names, or of the level whose height its foot has; or the ground's.

    None while what it names has no height yet.
    """
    if placed.level is not None:
        return standing_heights(facts).get(placed.level)
    heights = [level.height_m for level in facts.levels if level.height_m is not None]
    return next((at for at in heights if abs(placed.position_m[2] - at) < SAME_HEIGHT_M), 0.0)


def main_plane_m(heights: Collection[float]) -> float:
    """Which of the planes that models stand on is the ground of the picture: the ground, else the lowest."""
    return 0.0 if 0.0 in heights or not heights else min(heights)


def _bases(shot: Shot, facts: Derived) -> dict[str, float]:
    """The heights of what models stand on under their middles, by their identities; of uneven ground that there."""
    heights, found = standing_heights(facts), dict[str, float]()
    uneven = [
        (proxy.level, np.array(answer.faces))
        for proxy, answer in zip(shot.proxies, facts.proxies, strict=True)
        if proxy.is_ground and not proxy.hidden and answer.faces
    ]
    for placed in shot.models:
        base = heights.get(placed.level)
        if placed.on is None and base is not None:
            at = np.array(placed.position_m[:2])
            here = [height_on(sides, at) for level, sides in uneven if level == placed.level]
            found[placed.id] = max((height for height in here if height is not None), default=base)
    return found


def walls_of(shot: Shot, facts: Derived) -> list[Face]:
    """The sides of what stands there, on which panes hang and in which windows are."""
    shown = {proxy.id for proxy in shot.proxies if not proxy.hidden}
    return [Face(np.array(corners)) for answer in facts.proxies if answer.id in shown for corners in answer.faces]


def daylight_of(shot: Shot, facts: Derived) -> Daylight:
    """What is known of a shot's light before its patches."""
    shines = facts.sun_shown is not None and shot.sun.strength > 0
    ground = shot.ground.reflectance or GROUND_MATERIALS[shot.ground.material].reflectance
    name = shot.ground.material
    tint = GROUND_MATERIALS[name].tint
    dome = dome_in_force(shot, facts.around)
    if dome is not None and shot.panorama:
        sun = np.array(facts.sun_shown) if dome.sunny else None
        sigma = SIGMA_CLEAR if shot.panorama.disc else SIGMA_PANORAMA
        here = shot.panorama.here
        gleam = gleam_of_ground(shot) if here else None
        shown = ground_of(dome, gleam[0] * DIELECTRIC if gleam else 0.0) if here else None
        day = Daylight(
            sun, shot.sky.haze, ground, name, tint, dome=dome, sigma_sky=sigma, ground_shown=shown, gleam=gleam
        )
    elif shot.lit_by == "room":
        mean = shot.photograph.mean if shot.photograph else None
        day = Daylight(None, shot.sky.haze, ground, name, tint, room=True, mean=mean)
    else:
        sun = np.array(facts.sun_shown) if shines and shot.sky.cover < 1 else None
        behind = np.array(facts.sun_shown) if facts.sun_shown else None
        day = Daylight(sun, shot.sky.haze, ground, name, tint, cover=shot.sky.cover, behind=behind)
    if shot.photograph:
        day = replace(day, lens=shot.photograph.falloff)
    if not facts.camera:
        return day
    camera = pinhole_of(facts.camera)
    same_sky = day.dome is None or (shot.panorama is not None and shot.panorama.here)
    if shot.photograph and shot.photograph.sky and not day.room and same_sky:
        shown_sky = sky_shown(shot.photograph.sky, camera, day)
        day = replace(day, sky_shown=shown_sky)
        if shown_sky and shown_sky.units is not None and day.dome and shot.panorama and shot.panorama.disc:
            # In place of the panorama's sun the clear day's, in the panorama's own measure.
            sun = dome_sun(day.dome)
            facing = sun_irradiance(sun, shown_sky.turbidity, sun) * shown_sky.units
            dome = day.dome.model_copy(update={"sun": facing.tolist()})
            day = replace(day, dome=dome, sigma_sky=SIGMA_PANORAMA)
        if shown_sky and shot.sky.turbidity is None and day.dome is None:
            day = replace(day, turbidity=shown_sky.turbidity)
    mean = shot.photograph.mean if shot.photograph else None
    about = about_of(shot.proxies, facts.proxies, day.sun, mean, day.sky_towards, day.light_on)
    day = replace(day, about=about, at=_looked_at(shot, camera))
    # What a panorama of the place shows is in its light already: a render parts it, where its pixels are at hand.
    in_it = day.dome is not None and shot.panorama is not None and shot.panorama.here
    return day if in_it else replace(day, near=near_of(shot, facts, day))


def near_of(shot: Shot, facts: Derived, day: Daylight) -> tuple[NearLight, ...]:
    """The windows and lamps whose light is in the photograph."""
    if not (shot.windows or shot.lamps) or facts.camera is None:
        return ()
    beside = (SUN if day.shines else SKY) if shot.lit_by == "day" else None
    let_in = None
    if day.room and facts.sun_shown and shot.sun.strength > 0:
        let_in = SunIn(np.array(facts.sun_shown), facts.softness_deg, shot.sky.haze)
    return near_lights(shot.windows, shot.lamps, pinhole_of(facts.camera), beside, walls_of(shot, facts), let_in)


def gleam_of_ground(shot: Shot) -> tuple[float, float] | None:
    """How strongly the ground mirrors and how rough it is; None where it hardly gleams."""
    usual = GROUND_MATERIALS[shot.ground.material]
    coat = usual.coat if shot.ground.coat is None else shot.ground.coat
    roughness = usual.roughness if shot.ground.roughness is None else shot.ground.roughness
    return (coat, roughness) if roughness < GLEAMING else None


def _looked_at(shot: Shot, camera: Pinhole) -> Array:
    """Where things stand (3,) [m], else the ground in the lower middle of the picture."""
    feet = [placed.position_m for placed in shot.models if not placed.hidden]
    if feet:
        return np.array(feet, float).mean(0)
    ahead = camera.ground_points(np.array([[camera.width / 2, 0.75 * camera.height]]))[0]
    return ahead if np.isfinite(ahead).all() else np.zeros(3)


def shot_after_gesture(shot: Shot, gesture: Gesture) -> Shot:
    """The shot with its hand-set camera, and with it perhaps the origin, dragged.

    Raises
    ------
    InputError
        If the camera is not set by hand, or the gesture asks for what no camera shows.
    """
    if not isinstance(shot.camera, HandCamera):
        raise InputError("camera", "is not set by hand")
    problem = camera_problem_of(shot)
    edges = Marks(
        np.array([point for edge in shot.edges for point in edge.points], float).reshape(-1, 2),
        np.array([len(edge.points) for edge in shot.edges], np.intp),
        np.array([RUNS.index(edge.run) for edge in shot.edges], np.intp),
    )
    camera, origin = hand_fit(shot.camera, shot.origin, gesture, problem.image, edges)
    return shot.model_copy(update={"camera": camera, "origin": origin})


def _camera(shot: Shot, level_heights: dict[str, float] | None = None) -> CameraAnswer | NoAnswer:
    problem = camera_problem_of(shot, level_heights)
    if shot.site is not None:
        camera = pinhole_known(shot.site.camera, problem.image.width, problem.image.height)
        return tell_at_site(camera, problem, shot.site.runs_deg, shot.site.sigma)
    if isinstance(shot.camera, HandCamera):
        camera = pinhole_by_hand(shot.camera, problem.image.width, problem.image.height, shot.origin)
        return tell_by_hand(camera, problem)
    if isinstance(shot.camera, KnownCamera):
        return tell_by_hand(pinhole_known(shot.camera, problem.image.width, problem.image.height), problem)
    problem, waiting = bearable(problem)
    found = _solved(_Asked(problem.model_dump_json(), problem))
    if isinstance(found, NoAnswer):
        return found
    answer = found.model_copy(deep=True)
    answer.warnings += waiting
    return answer


@dataclass(frozen=True)
class _Asked:
    """A problem, known again by its JSON."""

    told: str
    problem: CameraProblem = field(compare=False)


@lru_cache(maxsize=SOLVED_KEPT)
def _solved(asked: _Asked) -> CameraAnswer | NoAnswer:
    """The camera; whatever else is dragged, the edges stay and need not be solved again."""
    return solve_camera(asked.problem)


def _levels(shot: Shot, camera: CameraAnswer) -> list[LevelAnswer]:
    """Each level's height: as it was given, or measured plumb over its foot."""
    problem, pinhole = camera_problem_of(shot), pinhole_of(camera)
    plumb = len(shot.lengths)
    found = []
    for level in shot.levels:
        measured = camera.lengths[plumb] if level.foot is not None else None
        if measured is not None:
            rise = seen_points(pinhole, problem.lengths[plumb])[1, 2]
            plumb += 1
        if level.height_m is not None or measured is None:
            found.append(LevelAnswer(id=level.id, height_m=level.height_m))
        elif measured.metres is None:
            found.append(LevelAnswer(id=level.id, height_m=None, reason=measured.reason))
        else:
            height = float(np.copysign(measured.metres, rise))
            found.append(LevelAnswer(id=level.id, height_m=height, sigma_m=measured.sigma_m))
    return found


def _with_lengths_on_levels(shot: Shot, camera: CameraAnswer, levels: list[LevelAnswer]) -> CameraAnswer | NoAnswer:
    """The camera told again, if a length lies on a level whose height is only known by now."""
    heights = {level.id: level.height_m for level in levels if level.sigma_m is not None and level.height_m is not None}
    if not any(length.level in heights for length in shot.lengths):
        return camera
    return _camera(shot, heights)


def _derive_sun(shot: Shot, camera: CameraAnswer, result: Derived) -> None:
    heights = {one.id: one.height_m for one in result.levels if one.height_m is not None}
    thrown = shadows_thrown(shot, result.proxies)
    result.thrown = [*thrown]
    measured = measured_sun(shot, camera, heights, thrown)
    if shot.site is not None and shot.site.sun is not None:
        measured = sun_of_site(shot.site.sun, measured if isinstance(measured, SunAnswer) else None)
    if isinstance(measured, NoAnswer):
        result.sun_reason = measured.reason
    else:
        result.sun = measured
    day = almanac_answer(shot, camera, result.sun)
    if isinstance(day, AlmanacAnswer):
        result.almanac = day
    elif shot.almanac:
        result.almanac_reason = day.reason
    if shot.sun.kind == "almanac":
        result.sun_reason = day.reason
    if shot.panorama:
        lies = around_answer(shot.panorama, shot.pointings, pinhole_of(camera))
        around = beside_shadows(shot.panorama, lies, result.sun)
        if shot.panorama.here and result.metric:
            x, y, _ = _looked_at(shot, pinhole_of(camera))
            tops = {proxy.id for proxy in shot.proxies}
            stood = [one for one in shot.models if not one.hidden and one.on is None and one.level not in tops]
            ground_m = main_plane_m([at for one in stood if (at := standing_height(one, result)) is not None])
            lens = (float(x), float(y), ground_m + shot.panorama.lens_m)
            around = around.model_copy(update={"lens_at_m": lens, "ground_m": ground_m})
        result.around = around
    result.sun_shown = sun_in_force(shot, result.sun, result.almanac, dome_in_force(shot, result.around))
    result.softness_deg, result.softness = softness_of(shot, camera, result.sun_shown)


def _plain(error: InputError) -> str:
    """An error as a sentence for the screen, without the field where the cause says enough."""
    return error.cause if error.field in ("lines", "photograph") else str(error)
