"""A site solved: which photographs are tied, their cameras together, and which tie can't be right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtri

from lithopos.core.arrays import Array
from lithopos.core.errors import NoAnswer
from lithopos.core.shot import Shot
from lithopos.core.site.document import Site
from lithopos.core.site.joint import Figures, Joint, Points, Seen, Solved, Surveyed, solve_joint
from lithopos.core.site.start import Stood, stood_together
from lithopos.core.site.survey import LEAST_SIGMA_M, in_survey, surveyed_of
from lithopos.core.site.turning import about_plumb
from lithopos.core.site.views import View, view_of

RUNS_DEG = {"a": 0.0, "b": 90.0}
LOOSE = 1e-11  # of the scaled information: below, some figure is not told at all
OPEN = 0.5  # of a camera's distance from the ties: a place known no better than so is not known
CHANCE = 0.002  # that a good site loses a tie
CLEARLY = 9.0  # how much worse the second best removal must be, in squared standard deviations
MOST_ASIDE = 0.25  # of the ties
TRIED = 6  # ties left out in turn
NO_SIZE = "nothing tells how large the place is: give one length in any of its photographs, or between two ties"

TOO_FEW = "it shares too few ties with the others"
NO_TIES = "no other photograph is tied to the first one yet: mark things that two of them show"
OPEN_ONE = "the ties leave its place open; mark more of them, well apart, or say which of them lie on the ground"
OPEN_ALL = "the ties leave the cameras open; mark more of them, or say which of them lie on the ground"
OPEN_ALONE = "the surveyed points leave the camera open; mark more of them"

__all__ = ["SiteSolution", "solve_site"]


@dataclass(frozen=True, eq=False)
class SiteSolution:
    """What a site's photographs give together; one of them is no other, however alike.

    Attributes
    ----------
    members : (V,) names of the tied photographs, in the site's order; `ties` (T,) names of the ties that count.
    solved : the figures with their covariance.
    aside : ties that contradict the others; `doubts` plain sentences on them.
    untied : why a photograph is no part of it, by its name.
    """

    site: Site
    members: list[str]
    ties: list[str]
    solved: Solved
    aside: list[str] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
    untied: dict[str, str] = field(default_factory=dict)


def solve_site(site: Site, shots: Mapping[str, Shot]) -> SiteSolution | NoAnswer:
    """The most likely cameras of all photographs that are tied.

    Parameters
    ----------
    shots : the members' shots, by their names.

    Returns
    -------
    The solution, or the reason why there is none yet.
    """
    if not site.members:
        return NoAnswer("no photograph belongs to the site yet")
    views, untied = _views(site, shots)
    if site.members[0].id in untied:
        return NoAnswer(f"the first photograph has no camera yet: {untied[site.members[0].id]}")
    found = _solved(site, views, untied, [])
    if isinstance(found, NoAnswer):
        return found
    names = {tie.id: tie.name or f"Tie {number}" for number, tie in enumerate(site.ties, 1)}
    while len(found.aside) < int(MOST_ASIDE * (len(found.ties) + len(found.aside))) and _suspicious(found.solved):
        rivals = _without_one(site, views, found)
        if not rivals:
            break
        (name, best), rest = rivals[0], rivals[1:]
        alike = [
            other for other, one in rest if one.solved.square - best.solved.square < CLEARLY * best.solved.looser**2
        ]
        if alike:
            both = " or ".join(names[one] for one in sorted([name, *alike[:3]]))
            return replace(
                found, doubts=[*found.doubts, f"One of the ties is wrong, but they can't tell which: {both}."]
            )
        doubt = f"{names[name]} contradicts the others and was set aside."
        found = replace(best, doubts=[*found.doubts, doubt])
    return found


def _views(site: Site, shots: Mapping[str, Shot]) -> tuple[list[View], dict[str, str]]:
    views, untied = [], {}
    for member in site.members:
        view = view_of(member.id, shots[member.id]) if member.id in shots else NoAnswer("its shot is gone")
        if isinstance(view, NoAnswer):
            untied[member.id] = view.reason
        else:
            views.append(view)
    return views, untied


def _suspicious(solved: Solved) -> bool:
    """Whether marks of a hand would hardly ever disagree so much, all in all or in one tie."""
    joint = solved.joint
    off = joint.ties(solved.figures)
    by_tie = np.bincount(np.repeat(joint.seen.tie, 2), off**2)
    freedom = max(solved.freedom, 1)
    return bool(solved.square > chdtri(freedom, CHANCE) or by_tie.max(initial=0.0) > 16)


def _without_one(site: Site, views: list[View], found: SiteSolution) -> list[tuple[str, SiteSolution]]:
    """The site without each of the ties that lie farthest off, where that mends it; the best first."""
    joint = found.solved.joint
    square = np.bincount(np.repeat(joint.seen.tie, 2), joint.ties(found.solved.figures) ** 2, len(found.ties))
    if joint.points.surveyed is not None:
        told = joint.points.surveyed
        off = np.where(np.isfinite(told.at), 1.0, 0.0)
        off[off > 0] = joint.surveyed(found.solved.figures) ** 2
        square += np.bincount(told.tie, off.sum(1), len(found.ties))
    better = []
    for index in np.argsort(-square, kind="stable")[:TRIED]:
        name = found.ties[int(index)]
        one = _solved(site, views, found.untied, [*found.aside, name])
        if isinstance(one, NoAnswer) or len(one.members) < len(found.members):
            continue
        spent = found.solved.freedom - one.solved.freedom
        noise = max(1.0, (1 + one.solved.square) / (1 + one.solved.freedom))
        gain = (found.solved.square - one.solved.square) / noise
        if spent > 0 and gain > chdtri(spent, CHANCE / len(found.ties)):
            better.append((name, one))
    return sorted(better, key=lambda one: one[1].solved.square)


def _solved(site: Site, views: list[View], untied: dict[str, str], aside: list[str]) -> SiteSolution | NoAnswer:
    """Without the ties that are set aside."""
    ties = [tie for tie in site.ties if not tie.aside and tie.id not in aside]
    names = [tie.id for tie in ties]
    grounded = np.array([tie.on_ground for tie in ties], bool)
    seen, survey = _seen(site, views, names), surveyed_of(site, names)
    runs = {member.id: member.runs for member in site.members}
    told = [None if runs[view.id] == "own" else float(np.radians(RUNS_DEG[runs[view.id]])) for view in views]
    told[0] = 0.0
    stood = stood_together(views, seen, grounded, told)
    pairs, metres, sigma = _lengths(site, names)
    size = _size(views, stood, pairs, metres)
    stood, to_survey, size = in_survey(views, seen, survey, stood, size)
    if size is None:
        return NoAnswer(NO_SIZE)
    tied = stood.tied
    if np.count_nonzero(tied) == 1 and to_survey is None:
        return NoAnswer(OPEN_ALL if OPEN_ONE in untied.values() else NO_TIES)
    lost = {view.id: TOO_FEW for view, ok in zip(views, tied, strict=True) if not ok}
    untied = {**untied, **lost}
    kept = np.flatnonzero(tied)
    number_of = np.full(len(views), -1)
    number_of[kept] = np.arange(len(kept))
    used = tied[seen.view] & np.isfinite(stood.points[seen.tie, 0])
    seen = Seen(number_of[seen.view[used]], seen.tie[used], seen.pixels[used])
    shown = np.zeros(len(names), bool)
    shown[seen.tie] = True
    both = shown[pairs].all(1) if len(pairs) else np.zeros(0, bool)
    counted = survey if to_survey is not None else None
    if counted is not None:
        there = shown[counted.tie]
        counted = Surveyed(counted.tie[there], counted.at[there], counted.sigma[there])
    points = Points(grounded, pairs[both], metres[both], sigma[both], counted)
    stand = [views[i] for i in kept]
    headings = np.array([told[i] is None and bool(views[i].runs[:2].any()) for i in kept])
    begin = _begin(stand, stood, kept, to_survey)
    solved = solve_joint(Joint(stand, seen, points, headings, begin))
    open_ = _open_view(solved)
    if open_ == 0:
        return NoAnswer(OPEN_ALONE if len(stand) == 1 else OPEN_ALL)
    if open_ is not None:
        rest = [view for view in views if view.id != stand[open_].id]
        return _solved(site, rest, {**untied, stand[open_].id: OPEN_ONE}, aside)
    return SiteSolution(site, [view.id for view in stand], names, solved, list(aside), [], untied)


def _begin(views: list[View], stood: Stood, kept: NDArray[np.intp], to_survey: Array | None) -> Figures:
    turns = []
    for view, heading in zip(views, stood.heading[kept], strict=True):
        # Without runs the heading is part of the turn.
        turns.append(view.alone.rotation @ about_plumb(0.0 if view.runs[:2].any() else heading).T)
    return Figures(
        np.array([view.alone.focal_px for view in views]),
        np.array(turns),
        np.array([h if v.runs[:2].any() else 0.0 for h, v in zip(stood.heading[kept], views, strict=True)]),
        stood.place[kept],
        np.array([view.centre for view in views]),
        np.array([view.alone.k1 for view in views]),
        np.nan_to_num(stood.points),
        np.zeros(4) if to_survey is None else to_survey,
    )


def _open_view(solved: Solved) -> int | None:
    """The view whose place the ties leave open most; 0: they leave the whole open; None: they leave none."""
    count, ties = len(solved.joint.views), solved.joint.seen
    spread = np.sqrt(np.maximum(np.diag(solved.spread(lambda now: now.place.ravel())), 0)).reshape(-1, 3).max(1)
    away = np.full(count, np.inf)
    for number in range(count):
        mine = ties.tie[ties.view == number]
        if len(mine):
            reach = np.linalg.norm(solved.figures.points[mine] - solved.figures.place[number], axis=1)
            away[number] = float(np.median(reach))
    worst = int((spread / away)[1:].argmax()) + 1 if count > 1 else 0
    if solved.weakest <= LOOSE:
        return solved.loosest if count > 2 else 0
    return worst if count > 1 and spread[worst] > OPEN * away[worst] else None


def _seen(site: Site, views: list[View], names: list[str]) -> Seen:
    index = {name: number for number, name in enumerate(names)}
    told = [
        (number, index[tie.id], tie.seen[view.id])
        for number, view in enumerate(views)
        for tie in site.ties
        if tie.id in index and view.id in tie.seen
    ]
    return Seen(
        np.array([one[0] for one in told], np.intp),
        np.array([one[1] for one in told], np.intp),
        np.array([one[2] for one in told], float).reshape(-1, 2),
    )


def _lengths(site: Site, names: list[str]) -> tuple[NDArray[np.intp], Array, Array]:
    index = {name: number for number, name in enumerate(names)}
    used = [one for one in site.lengths if one.from_ in index and one.to in index]
    return (
        np.array([(index[one.from_], index[one.to]) for one in used], np.intp).reshape(-1, 2),
        np.array([one.metres for one in used], float),
        np.array([max(one.plus_minus_m / 1.96, LEAST_SIGMA_M) for one in used], float),
    )


def _size(views: list[View], stood: Stood, pairs: NDArray[np.intp], metres: Array) -> float | None:
    """How many metres a unit of what stands is; None if neither a photograph nor a length between ties tells."""
    if views[0].metric:
        return 1.0
    told = [
        float(view.alone.position[2] / at[2])
        for view, at in zip(views, stood.place, strict=True)
        if view.metric and np.isfinite(at[2]) and at[2] > 0
    ]
    if len(pairs):
        seen = np.linalg.norm(stood.points[pairs[:, 0]] - stood.points[pairs[:, 1]], axis=1)
        told += [float(size) for size in (metres / seen)[np.isfinite(seen) & (seen > 1e-9)]]
    return float(np.exp(np.median(np.log(told)))) if told else None
