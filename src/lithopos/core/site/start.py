"""Where to begin: how the photographs of a site stand to one another, from the cameras that each gives alone.

Each camera alone knows the plumb line and its ground, so that beside another one four figures are open: a heading and
a place. For any heading the rest is linear (the ties' rays have to meet), so headings are tried all round.
Source of the constraint: Hartley & Zisserman, Multiple View Geometry, 2nd ed., section 9.2, with a known rotation.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.site.joint import Seen
from lithopos.core.site.views import View

TRIED = 180  # headings
BEST = 4  # of them looked at closely
_GROUND = 1.0  # weight of a tie lying on the ground, beside rays' distances
LEAST = 2  # ties that a photograph must share with the others

__all__ = ["Stood", "stood_together"]


@dataclass(frozen=True)
class Stood:
    """How the photographs stand, roughly.

    Attributes
    ----------
    heading : (V,) of each view's own frame in the first one's [rad].
    place : (V, 3) of the cameras, in units of the first one's frame; NaN for views that are not tied.
    points : (T, 3) ties; NaN where none is told.
    """

    heading: Array
    place: Array
    points: Array

    def times(self, size: float) -> Stood:
        """The same in other units."""
        return Stood(self.heading, self.place * size, self.points * size)

    @property
    def tied(self) -> NDArray[np.bool_]:
        """Which views stand."""
        return np.isfinite(self.place[:, 0])


def stood_together(views: list[View], seen: Seen, grounded: NDArray[np.bool_], headings: list[float | None]) -> Stood:
    """Photograph after photograph, the one that shares most ties with those that stand first.

    Parameters
    ----------
    grounded : (T,) whether a tie lies on the ground.
    headings : (V,) of each view's runs in the first one's [rad], where it is told, up to half a turn.
    """
    count, ties = len(views), len(grounded)
    rays = _rays(views, seen)
    stood = Stood(np.zeros(count), np.full((count, 3), np.nan), np.full((ties, 3), np.nan))
    stood.place[0] = [0.0, 0.0, views[0].alone.position[2]]
    waiting = set(range(1, count))
    while waiting:
        shared = {view: _shared(seen, stood.tied, view) for view in waiting}
        view = max(sorted(waiting), key=lambda one: len(shared[one]))
        waiting.remove(view)
        if len(shared[view]) < LEAST:
            continue
        known_height = views[view].metric and views[0].metric
        height = float(views[view].alone.position[2]) if known_height else None
        _stand(view, stood, seen, rays, grounded, height, headings[view])
    _triangulate(stood, seen, rays, grounded)
    return stood


def _rays(views: list[View], seen: Seen) -> Array:
    """(O, 3) unit ways to the ties, each in its own view's frame."""
    rays = np.zeros((len(seen.tie), 3))
    for number, view in enumerate(views):
        mine = seen.view == number
        if mine.any():
            rays[mine] = view.alone.rays(seen.pixels[mine])
    return rays


def _shared(seen: Seen, tied: NDArray[np.bool_], view: int) -> NDArray[np.intp]:
    """The ties that a view has in common with those that stand."""
    return np.intersect1d(seen.tie[seen.view == view], seen.tie[tied[seen.view]])


def _turned(rays: Array, heading: Array) -> Array:
    """Rays (N, 3) turned about the plumb line by each of several headings (H,): (H, N, 3)."""
    c, s = np.cos(heading)[:, None], np.sin(heading)[:, None]
    x, y, z = rays.T
    return np.stack([c * x - s * y, s * x + c * y, np.broadcast_to(z, (len(heading), len(rays)))], -1)


def _stand(
    view: int,
    stood: Stood,
    seen: Seen,
    rays: Array,
    grounded: NDArray[np.bool_],
    height: float | None,
    told: float | None,
) -> None:
    """Put a view where its rays meet those of the views that stand."""
    mine = np.flatnonzero(seen.view == view)
    others = np.flatnonzero(stood.tied[seen.view])
    i, j = np.nonzero(seen.tie[others][:, None] == seen.tie[mine][None])
    first, second = others[i], mine[j]
    here = np.concatenate([_turned(rays[[o]], stood.heading[[seen.view[o]]])[0] for o in first])
    if told is not None:
        candidates = [told, told + np.pi]  # which way along a run is each photograph's own
    else:
        candidates = _headings(here, stood.place[seen.view[first]], rays[second])
        candidates += _on_ground(here, stood.place[seen.view[first]], rays[second], grounded[seen.tie[first]])
    best: tuple[float, float, Array] | None = None
    for heading in candidates:
        there = _turned(rays[second], np.array([heading]))[0]
        told_by = seen.tie[first]
        off, place = _placed(here, stood.place[seen.view[first]], there, told_by, grounded, height)
        if best is None or off < best[0]:
            best = (off, heading, place)
    if best is not None:
        stood.heading[view], stood.place[view] = best[1], best[2]


def _headings(here: Array, from_: Array, there: Array) -> list[float]:
    """Headings at which all pairs of rays can meet: the smallest singular value of their planes' normals is least.

    Views that stand at different places are no single epipole: of those only the rays from the commonest place count.
    """
    same = np.linalg.norm(from_ - from_[:, None], axis=-1) < 1e-9
    counted = same[int(same.sum(1).argmax())]
    here, there = here[counted], there[counted]
    if len(here) < 3:
        return list(np.linspace(0, 2 * np.pi, 24, endpoint=False)) if len(here) == 2 else []
    angles = np.linspace(0, 2 * np.pi, TRIED, endpoint=False)
    normals = np.cross(here[None], _turned(there, angles))
    least = np.asarray(np.linalg.svd(normals, compute_uv=False)[:, -1], float)
    valley = (least <= np.roll(least, 1)) & (least <= np.roll(least, -1))
    order = np.flatnonzero(valley)[np.argsort(least[valley])]
    return [float(_lowest(angles, least, int(at))) for at in order[:BEST]]


def _lowest(angles: Array, least: Array, at: int) -> float:
    """Between the tried headings, by the parabola through three of them."""
    before, here, after = (least[(at + step) % len(least)] for step in (-1, 0, 1))
    bend = before - 2 * here + after
    shift = 0.5 * (before - after) / bend if bend > 0 else 0.0
    return float(angles[at] + shift * (angles[1] - angles[0]))


def _on_ground(here: Array, from_: Array, there: Array, grounded: NDArray[np.bool_]) -> list[float]:
    """The heading by ties on the ground, whose places both views know: the best similarity of two plans."""
    down = grounded & (here[:, 2] < -1e-6) & (there[:, 2] < -1e-6)
    if np.count_nonzero(down) < 2:
        return []
    ours = (from_ - here * (from_[:, 2:] / here[:, 2:]))[down, :2]
    theirs = (there / -there[:, 2:])[down, :2]
    a, b = ((one - one.mean(0)) @ [1, 1j] for one in (ours, theirs))
    return [float(np.angle(np.vdot(b, a)))]


def _placed(
    here: Array, from_: Array, there: Array, ties: NDArray[np.intp], grounded: NDArray[np.bool_], height: float | None
) -> tuple[float, Array]:
    """The place of a view whose rays are turned already, and how badly rays meet [rad²]: linear least squares."""
    names, index = np.unique(ties, return_inverse=True)
    unknowns = 3 + 3 * len(names)
    rows, right = [], []
    for ray, is_new in ((here, False), (there, True)):
        for k, way in enumerate(ray):
            block = np.zeros((3, unknowns))
            cross = np.array([[0, -way[2], way[1]], [way[2], 0, -way[0]], [-way[1], way[0], 0]])
            block[:, 3 + 3 * index[k] : 6 + 3 * index[k]] = cross
            if is_new:
                block[:, :3] = -cross
            right.append(np.zeros(3) if is_new else cross @ from_[k])
            rows.append(block)
    for k, name in enumerate(names):
        if grounded[name]:
            block = np.zeros((1, unknowns))
            block[0, 5 + 3 * k] = _GROUND
            rows.append(block)
            right.append(np.zeros(1))
    if height is not None:
        block = np.zeros((1, unknowns))
        block[0, 2] = _GROUND
        rows.append(block)
        right.append(np.array([height * _GROUND]))
    found = np.linalg.lstsq(np.concatenate(rows), np.concatenate(right), rcond=None)[0]
    place, points = found[:3], found[3:].reshape(-1, 3)[index]
    off = 0.0
    for ray, origin in ((here, from_), (there, np.broadcast_to(place, from_.shape))):
        way = points - origin
        reach = np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
        off += float((np.linalg.norm(way / reach - ray, axis=1) ** 2).sum())  # behind the camera counts as far off
    if place[2] <= 0:
        off += 1.0
    return off, place


def _triangulate(stood: Stood, seen: Seen, rays: Array, grounded: NDArray[np.bool_]) -> None:
    """Where each tie lies by all views that stand: on the ground, or nearest to its rays."""
    for tie in range(len(grounded)):
        mine = np.flatnonzero((seen.tie == tie) & stood.tied[seen.view])
        if not len(mine):
            continue
        ways = np.concatenate([_turned(rays[[o]], stood.heading[[seen.view[o]]])[0] for o in mine])
        places = stood.place[seen.view[mine]]
        if grounded[tie] and (ways[:, 2] < -1e-4).any():
            down = ways[:, 2] < -1e-4
            foot = places[down] - ways[down] * (places[down, 2:] / ways[down, 2:])
            stood.points[tie] = [*foot[:, :2].mean(0), 0.0]
        elif len(mine) > 1:
            across = np.eye(3) - ways[:, :, None] * ways[:, None, :]
            square, right = across.sum(0), np.einsum("oij,oj->i", across, places)
            stood.points[tie] = np.linalg.lstsq(square, right, rcond=None)[0]
