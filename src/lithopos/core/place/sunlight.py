"""The sun of a shot: by its shadows, by date and place, by hand, and how large it appears."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime

import numpy as np
from pydantic import BaseModel

from lithopos.core.camera.problem import CameraAnswer
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.light.almanac import sun_position, times_of, zone_of
from lithopos.core.light.dome import Dome, dome_sun
from lithopos.core.light.shadows import BoxShadow, Gnomon, Pointed, ShadowEdge
from lithopos.core.light.softness import CLEAR_DEG, SoftnessAnswer, solve_softness
from lithopos.core.light.sun import KnownCamera, SunAnswer, SunProblem, mark_name, solve_sun, sun_direction
from lithopos.core.place.around import LOWEST_SUN
from lithopos.core.place.solids import ProxyAnswer
from lithopos.core.shot import Almanac, Shot, SiteSun

LEAST_OUTLINE, MOST_CORNERS = 2, 200
REFINED = {"shadow", "sharp_top"}  # of a gnomon, what is not used where it stays by hand
OPEN_DEG = 60.0  # a standard deviation that is no answer
Direction = tuple[float, float, float]
__all__ = [
    "AlmanacAnswer",
    "AlmanacTime",
    "almanac_answer",
    "measured_sun",
    "shadows_thrown",
    "softness_of",
    "sun_in_force",
    "sun_of_site",
]


class AlmanacTime(BaseModel):
    """A time of the day at which the sun stood as high as shadows tell, and how the x axis would lie then."""

    time: str
    bearing_deg: float


class AlmanacAnswer(BaseModel):
    """The sun by date and place.

    Attributes
    ----------
    compass_deg, elevation_deg : where it stood, clockwise from north, and how high.
    zone : the time zone that was used; `zone_assumed`: nobody gave it, it is that of the place.
    bearing_deg : the compass bearing of the x axis in force; None where nobody knows it.
    direction : in the shot's world; None without a bearing, or below the horizon.
    reason : why it is no sun to light by.
    times : when it stood as high as the shadows tell, at most twice.
    """

    compass_deg: float
    elevation_deg: float
    zone: str
    zone_assumed: bool
    bearing_deg: float | None = None
    direction: tuple[float, float, float] | None = None
    reason: str | None = None
    times: list[AlmanacTime] = []


def measured_sun(
    shot: Shot, camera: CameraAnswer, heights: dict[str, float], thrown: dict[str, BoxShadow]
) -> SunAnswer | NoAnswer:
    """The sun by every shadow that is marked.

    Parameters
    ----------
    heights : of the levels [m], where they are known.
    thrown : what `shadows_thrown` tells.
    """
    boxes = [*thrown.values()]
    called = {proxy.id: proxy.name or f"the {proxy.kind}" for proxy in shot.proxies}
    names = [called[identity] for identity in thrown]
    if not (shot.gnomons or shot.shadow_edges or boxes or shot.sun.at):
        return NoAnswer("no shadow is marked yet")
    gnomons = []
    for one in shot.gnomons:
        figures = one.model_dump(exclude={"id", "by_hand"} | (REFINED if one.by_hand else set()))
        gnomons.append(Gnomon.model_validate(figures))
    edges = []
    for edge in shot.shadow_edges:
        if edge.level is not None and edge.level not in heights:
            return NoAnswer("a shadow's edge lies on a level whose height is not known yet")
        drawn = {"sharp_edge", "sharp_shadow"} if edge.by_hand else set()
        figures = edge.model_dump(exclude={"id", "level", "by_hand"} | drawn)
        edges.append(ShadowEdge.model_validate({**figures, "level_m": heights[edge.level] if edge.level else 0.0}))
    known = KnownCamera.model_validate(camera.model_dump())
    sun = Pointed(at=shot.sun.at) if shot.sun.at else None
    try:
        marks = {"gnomons": gnomons, "shadow_edges": edges, "boxes": boxes, "sun": sun}
        found = solve_sun(SunProblem.model_validate({"image": camera.image, "camera": known, **marks}))
    except InputError as error:
        return NoAnswer(_called(f"{mark_name(error.field)}: {error.cause}", names))
    if isinstance(found, NoAnswer):
        return found
    if max(found.sigma_deg.values()) > OPEN_DEG:
        return NoAnswer("what is marked leaves the sun's direction open; mark another shadow")
    return found.model_copy(update={"warnings": [_called(text, names) for text in found.warnings]})


def sun_of_site(sun: SiteSun, own: SunAnswer | None) -> SunAnswer:
    """The sun by the shadows of all of a site's photographs, in place of the shot's own, whose marks are told still."""
    x, y, z = sun_direction(*np.radians([sun.azimuth_deg, sun.elevation_deg]))
    told = own or SunAnswer(direction=(0, 0, 1), azimuth_deg=0, elevation_deg=0, sigma_deg={}, gnomons=[], warnings=[])
    return told.model_copy(
        update={
            "direction": (float(x), float(y), float(z)),
            "azimuth_deg": sun.azimuth_deg,
            "elevation_deg": sun.elevation_deg,
            "sigma_deg": sun.sigma_deg,
        }
    )


def _called(text: str, names: list[str]) -> str:
    """A sentence on a box, which is called as it is in the list of what stands there."""
    for number, name in enumerate(names):
        before = f"Box {number + 1}"
        if re.match(rf"{before}\b", text):
            return f"The shadow of {name}{text.removeprefix(before)}"
    return text


def shadows_thrown(shot: Shot, stood: Sequence[ProxyAnswer]) -> dict[str, BoxShadow]:
    """What stands on the ground with its marked shadow, as the solver takes it, by the proxy's identity.

    Parameters
    ----------
    stood : what stands there, in the order of the shot's proxies.
    """
    found: dict[str, BoxShadow] = {}
    for proxy, answer in zip(shot.proxies, stood, strict=False):
        bent = proxy.kind == "wall" and len(proxy.points) > 2  # its shadow is no convex one
        if len(proxy.shadow) < LEAST_OUTLINE or proxy.level is not None or proxy.hidden or bent or not answer.faces:
            continue
        corners = np.unique(np.round(np.concatenate([np.array(face) for face in answer.faces]), 4), axis=0)
        corners = corners[:: -(-len(corners) // MOST_CORNERS)]
        if corners[:, 2].max() <= 0:
            continue
        found[proxy.id] = BoxShadow.model_validate({"corners": corners.tolist(), "outline": proxy.shadow})
    return found


def almanac_answer(shot: Shot, camera: CameraAnswer, sun: SunAnswer | None) -> AlmanacAnswer | NoAnswer:
    """The sun by a shot's date and place, and what the measured one says of them."""
    given = shot.almanac
    if given is None:
        return NoAnswer("no date and place are given")
    try:
        zone, name = zone_of(given.zone, given.latitude_deg, given.longitude_deg)
    except InputError as error:
        return NoAnswer(error.cause)
    at = datetime.combine(given.date, given.time.replace(tzinfo=None), zone)
    compass, elevation = sun_position(at, given.latitude_deg, given.longitude_deg)
    answer = AlmanacAnswer(compass_deg=compass, elevation_deg=elevation, zone=name, zone_assumed=given.zone is None)
    answer.bearing_deg = _bearing(given, shot, camera)
    if elevation <= 0:
        answer.reason = f"the sun stood {-elevation:.1f}° below the horizon then; look at time and zone"
    elif answer.bearing_deg is None:
        answer.reason = "how run A lies to north is not known; give its bearing"
    else:
        x, y, z = sun_direction(*np.radians([answer.bearing_deg - compass, elevation]))
        answer.direction = (float(x), float(y), float(z))
    if sun is not None:
        times = times_of(sun.elevation_deg, given.date, zone, given.latitude_deg, given.longitude_deg)
        answer.times = [
            AlmanacTime(time=f"{one.at:%H:%M}", bearing_deg=(one.azimuth_deg + sun.azimuth_deg) % 360) for one in times
        ]
    return answer


def _bearing(given: Almanac, shot: Shot, camera: CameraAnswer) -> float | None:
    """The x axis' compass bearing: as given, or by the view's that the camera wrote."""
    if given.bearing_deg is not None:
        return given.bearing_deg % 360
    notes = shot.photograph.notes if shot.photograph else None
    if notes is None or notes.bearing_deg is None:
        return None
    return (notes.bearing_deg + camera.heading_deg) % 360


def sun_in_force(
    shot: Shot, measured: SunAnswer | None, almanac: AlmanacAnswer | None, dome: Dome | None
) -> Direction | None:
    """The direction by which the shot is lit; of a panorama, as it lies in the world, its brightest place.

    In a room None but where the sun shines in by a window.
    """
    if shot.lit_by == "room" and not any(window.sunny and not window.hidden for window in shot.windows):
        return None
    if dome is not None:
        x, y, z = dome_sun(dome)
        return float(x), float(y), max(float(z), LOWEST_SUN)
    if shot.sun.kind == "hand":
        x, y, z = sun_direction(*np.radians([shot.sun.azimuth_deg, shot.sun.elevation_deg]))
        return float(x), float(y), float(z)
    if shot.sun.kind == "almanac":
        return almanac.direction if almanac else None
    return measured.direction if measured else None


def softness_of(shot: Shot, camera: CameraAnswer, sun: Direction | None) -> tuple[float, SoftnessAnswer | None]:
    """The sun's apparent diameter in force [deg], and what the soft edges tell of it."""
    told = solve_softness([*shot.penumbras], pinhole_of(camera), np.array(sun)) if sun and shot.penumbras else None
    by_edges = told.diameter_deg if told else None
    return shot.sun.softness_deg or by_edges or CLEAR_DEG, told
