"""How a site lies in a surveyor's frame, roughly: where the joint solution begins.

Both frames have the same plumb line, so that a heading and a shift lead from one to the other, and a size as long as
no photograph tells its own.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.site.document import Site
from lithopos.core.site.joint import Seen, Surveyed
from lithopos.core.site.start import Stood
from lithopos.core.site.turning import about_plumb
from lithopos.core.site.views import View

TRIED = 180  # headings
LEAST_SIGMA_M = 1e-4  # of a length or coordinate that is said to be exact
LEAST = 3  # surveyed points that one photograph alone must show to be placed by them

__all__ = ["LEAST_SIGMA_M", "Resected", "fitted", "in_survey", "resected", "surveyed_of"]


def surveyed_of(site: Site, names: list[str]) -> Surveyed:
    """What a surveyor knows of the ties, by their names in order."""
    index = {name: number for number, name in enumerate(names)}
    known = [(index[tie.id], tie.known) for tie in site.ties if tie.known and tie.id in index]
    at = [(one.east_m, one.north_m, np.nan if one.height_m is None else one.height_m) for _, one in known]
    return Surveyed(
        np.array([number for number, _ in known], np.intp),
        np.array(at, float).reshape(-1, 3),
        np.array([max(one.plus_minus_m / 1.96, LEAST_SIGMA_M) for _, one in known], float),
    )


def in_survey(
    views: list[View], seen: Seen, survey: Surveyed, stood: Stood, size: float | None
) -> tuple[Stood, Array | None, float | None]:
    """What stands in metres, with the photographs that the survey alone places.

    Parameters
    ----------
    size : metres of a unit of what stands, where something but the survey tells it.

    Returns
    -------
    What stands; heading [rad] and shift [m] to the surveyor's frame, None where the survey does not count; the size.
    """
    if not len(survey.tie):
        return stood.times(size or 1.0), None, size
    grown = stood.times(size or 1.0)
    ours = fitted(grown.points[survey.tie], survey.at, sized=size is not None)
    if ours is not None:
        grown, size = grown.times(ours[0]), (size or 1.0) * ours[0]
        to_survey = np.array([ours[1], *ours[2]])
    else:
        first = resected(views[0], 0, seen, survey)
        if first is None:
            return grown, None, size
        size = size or 1.0
        to_survey = np.array([first.heading, *(first.place - about_plumb(first.heading) @ grown.place[0])])
    back = about_plumb(to_survey[0]).T
    heading, place, points = grown.heading.copy(), grown.place.copy(), grown.points.copy()
    for number, view in enumerate(views):
        if not grown.tied[number] and (alone := resected(view, number, seen, survey)):
            heading[number], place[number] = alone.heading - to_survey[0], back @ (alone.place - to_survey[1:])
    lost = ~np.isfinite(points[survey.tie, 0])
    full = np.where(np.isfinite(survey.at), survey.at, [0, 0, to_survey[3]])
    points[survey.tie[lost]] = (full[lost] - to_survey[1:]) @ back.T
    return Stood(heading, place, points), to_survey, size


def fitted(points: Array, known: Array, *, sized: bool) -> tuple[float, float, Array] | None:
    """Size, heading [rad] and shift (3,) from the site's frame to the surveyor's, by least squares.

    Parameters
    ----------
    points, known : (K, 3) in both frames; NaN for what is not known.
    sized : whether the site's own size counts; else the survey tells it.

    Returns
    -------
    None for fewer than two points apart from each other. Source: Umeyama 1991 (DOI 10.1109/34.88573), in the plane.
    """
    both = np.isfinite(points).all(1)
    points, known = points[both], known[both]
    if len(points) < 2:
        return None
    middle, goal = (
        points.mean(0),
        np.array([np.nanmean(column) if np.isfinite(column).any() else 0 for column in known.T]),
    )
    a, b = (points - middle)[:, :2] @ [1, 1j], (known - goal)[:, :2] @ [1, 1j]
    if np.abs(a).max() < 1e-6 or np.abs(b).max() < 1e-6:
        return None
    turn = np.vdot(a, b) / np.vdot(a, a).real
    size = 1.0 if sized else float(abs(turn))
    heading = float(np.angle(turn))
    c, s = size * np.cos(heading), size * np.sin(heading)
    high = np.isfinite(known[:, 2])
    up = float((known[high, 2] - size * points[high, 2]).mean()) if high.any() else 0.0
    shift = [goal[0] - c * middle[0] + s * middle[1], goal[1] - s * middle[0] - c * middle[1], up]
    return size, heading, np.array(shift)


@dataclass(frozen=True)
class Resected:
    """A photograph in the surveyor's frame: its own frame's heading [rad], and its camera (3,) [m]."""

    heading: float
    place: Array


def resected(view: View, number: int, seen: Seen, surveyed: Surveyed) -> Resected | None:
    """Place one photograph by the surveyed points that it shows; None where they are too few.

    For each heading the camera's place follows from the rays by linear least squares (of a point without its height
    the plan alone counts); the heading at which the rays meet their points best is taken.
    """
    rows = [(o, k) for o in np.flatnonzero(seen.view == number) for k in np.flatnonzero(surveyed.tie == seen.tie[o])]
    if len(rows) < LEAST:
        return None
    pixels, known = seen.pixels[[o for o, _ in rows]], surveyed.at[[k for _, k in rows]]
    middle = np.array([*known[:, :2].mean(0), np.nanmean(known[:, 2]) if np.isfinite(known[:, 2]).any() else 0.0])
    known = known - middle
    if np.count_nonzero(np.isfinite(known[:, 2])) < 1:
        return None
    rays = view.alone.rays(pixels)
    best: tuple[float, float, Array] | None = None
    for heading in np.linspace(0, 2 * np.pi, TRIED, endpoint=False):
        ways = rays @ about_plumb(heading).T
        left, right = [], []
        for way, point in zip(ways, known, strict=True):
            cross = np.array([[0, -way[2], way[1]], [way[2], 0, -way[0]], [-way[1], way[0], 0]])
            if not np.isfinite(point[2]):
                cross, point = cross[2:], np.nan_to_num(point)
            left.append(cross)
            right.append(cross @ point)
        place = np.linalg.lstsq(np.concatenate(left), np.concatenate(right), rcond=None)[0]
        away = np.nan_to_num(known - place)
        flat = away / np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-9)
        full = np.isfinite(known[:, 2])
        off = float(((flat - ways)[full] ** 2).sum())
        planar = (flat[:, :2] / np.maximum(np.linalg.norm(flat[:, :2], axis=1, keepdims=True), 1e-9))[~full]
        level = (ways[:, :2] / np.maximum(np.linalg.norm(ways[:, :2], axis=1, keepdims=True), 1e-9))[~full]
        off += float(((planar - level) ** 2).sum())
        if best is None or off < best[0]:
            best = (off, float(heading), place + middle)
    assert best is not None
    return Resected(best[1], best[2])
