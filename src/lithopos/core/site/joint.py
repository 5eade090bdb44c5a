"""All cameras of a site at once: the most likely ones by every edge, tie, length and surveyed point together.

Bundle adjustment (Triggs et al. 2000, DOI 10.1007/3-540-44480-7_21) over cameras that stand on one ground, with their
photographs' own evidence: edges against their vanishing points as in the single match, points seen in several pictures,
known lengths, a surveyor's coordinates. The frame is the first photograph's: its runs are the axes, the ground z = 0.

Every residual counts in its own standard deviations. A view's unknowns are its *slots* (`SLOTS`): its turn against its
own runs, and apart from that the heading of these runs in the site, so that runs of several photographs can be held
to be the same ones.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.camera.fit import CENTRE_BELIEF, DISTORTION_BELIEF, turned_by
from lithopos.core.camera.least_squares import minimum
from lithopos.core.camera.lens import distort, undistort
from lithopos.core.camera.pinhole import Pinhole, view_angles
from lithopos.core.camera.problem import LengthIn
from lithopos.core.camera.scale import seen_units
from lithopos.core.camera.solution import HAND_SIGMA_PX
from lithopos.core.camera.vanishing import Edges, Marks, edge_residuals, reduce_edges
from lithopos.core.site.turning import about_plumb
from lithopos.core.site.views import View

FOCAL, TURN, HEADING, PLACE, CENTRE, BEND = 0, slice(1, 4), 4, slice(5, 8), slice(8, 10), 10
SLOTS = 11
_STEP = 1e-6
_BEHIND = 1e-3  # depth before which a point is not let come [m]

__all__ = ["Figures", "Joint", "Points", "Seen", "Solved", "Surveyed", "solve_joint"]


@dataclass(frozen=True)
class Seen:
    """Ties in pictures: observation by observation.

    Attributes
    ----------
    view, tie : (O,) indices.
    pixels : (O, 2) [px].
    """

    view: NDArray[np.intp]
    tie: NDArray[np.intp]
    pixels: Array


@dataclass(frozen=True)
class Surveyed:
    """Coordinates in a surveyor's frame.

    Attributes
    ----------
    tie : (K,) indices.
    at : (K, 3) east, north, height [m]; NaN for a height that is not known.
    sigma : (K,) [m].
    """

    tie: NDArray[np.intp]
    at: Array
    sigma: Array


@dataclass(frozen=True)
class Points:
    """What is known between ties.

    Attributes
    ----------
    grounded : (T,) whether a tie lies on the ground.
    pairs : (L, 2) ties between which a length is known; `metres`, `sigma` (L,) of them [m].
    surveyed : None where no survey counts.
    """

    grounded: NDArray[np.bool_]
    pairs: NDArray[np.intp]
    metres: Array
    sigma: Array
    surveyed: Surveyed | None = None


@dataclass(frozen=True)
class Figures:
    """All that is solved for.

    Attributes
    ----------
    focal : (V,) [px].
    turn : (V, 3, 3) from each view's own runs to its camera; `heading` (V,) of its runs in the site [rad].
    place : (V, 3) of the cameras [m].
    centre : (V, 2) off the assumed principal point [half diagonals]; `bend` (V,) radial distortion.
    points : (T, 3) ties [m].
    to_survey : (4,) heading [rad] and shift [m] from the site's frame to the surveyor's.
    """

    focal: Array
    turn: Array
    heading: Array
    place: Array
    centre: Array
    bend: Array
    points: Array
    to_survey: Array

    @cached_property
    def rotation(self) -> Array:
        """(V, 3, 3) from the site to each camera."""
        return np.asarray(self.turn @ np.stack([about_plumb(-angle) for angle in self.heading]))


@dataclass(frozen=True)
class Joint:
    """The whole problem, about where it is begun.

    Attributes
    ----------
    headings : (V,) whether a view's runs may head anywhere; else they are where `begin` has them.
    begin : see `solve_joint`.
    """

    views: list[View]
    seen: Seen
    points: Points
    headings: NDArray[np.bool_]
    begin: Figures

    # The unknowns, in one vector: slots of all views, ties, the survey's frame; only what is free.

    @cached_property
    def free(self) -> NDArray[np.intp]:
        """Of the whole vector, which are solved for."""
        slots = np.ones((len(self.views), SLOTS), bool)
        for number, view in enumerate(self.views):
            slots[number, FOCAL], slots[number, CENTRE], slots[number, BEND] = view.free
        slots[:, HEADING] = self.headings
        slots[0, 5:7] = False  # the first camera's foot is where the frame hangs
        points = np.ones((len(self.points.grounded), 3), bool)
        points[self.points.grounded, 2] = False
        used = np.zeros(len(points), bool)
        used[self.seen.tie] = True
        points[~used] = False
        survey = np.zeros(4, bool)
        if self.points.surveyed is not None:
            survey[:3] = True
            survey[3] = bool(np.isfinite(self.points.surveyed.at[:, 2]).any())
        return np.flatnonzero(np.concatenate([slots.ravel(), points.ravel(), survey]))

    @property
    def count(self) -> int:
        """Of the whole vector."""
        return SLOTS * len(self.views) + 3 * len(self.points.grounded) + 4

    def whole(self, x: Array) -> Array:
        """The whole vector of the free unknowns' changes."""
        full = np.zeros(self.count)
        full[self.free] = x
        return full

    def figures(self, x: Array) -> Figures:
        """The figures after a change of the free unknowns."""
        return self._changed(self.whole(x))

    def _changed(self, full: Array) -> Figures:
        begin, count = self.begin, len(self.views)
        slots = full[: SLOTS * count].reshape(count, SLOTS)
        points = full[SLOTS * count : -4].reshape(-1, 3)
        return Figures(
            begin.focal * np.exp(np.clip(slots[:, FOCAL], -5, 5)),
            np.stack([turned_by(turn) @ before for turn, before in zip(slots[:, TURN], begin.turn, strict=True)]),
            begin.heading + slots[:, HEADING],
            begin.place + slots[:, PLACE],
            begin.centre + slots[:, CENTRE],
            begin.bend + slots[:, BEND],
            begin.points + points,
            begin.to_survey + full[-4:],
        )

    # Residuals, each in its own standard deviations

    @cached_property
    def _marks(self) -> tuple[Marks, NDArray[np.intp], NDArray[np.intp]]:
        """Every view's edges, and the view of each edge and of each point."""
        views = self.views
        points = np.concatenate([view.marks.points for view in views])
        counts = np.concatenate([view.marks.counts for view in views])
        weight = [np.ones(len(v.marks.run)) if v.marks.weight is None else v.marks.weight for v in views]
        of_edge = np.repeat(np.arange(len(views)), [len(view.marks.run) for view in views])
        run = np.concatenate([view.marks.run for view in views])
        return Marks(points, counts, run, np.concatenate(weight)), of_edge, np.repeat(of_edge, counts)

    @cached_property
    def _scales(self) -> tuple[Array, Array, Array]:
        """By view: half the diagonal [px], a mark's error [half diagonals], the assumed principal point [px]."""
        half = np.array([view.half_px for view in self.views])
        error = np.array([view.mark_px for view in self.views]) / half
        return half, error, np.array([view.axis_px for view in self.views])

    @cached_property
    def _bent(self) -> bool:
        return bool(any(view.free[1] or view.free[2] for view in self.views) or self.begin.bend.any())

    def edges(self, now: Figures) -> Array:
        """How far each edge is from its vanishing point, and if lenses bend each point from its edge's line."""
        marks, of_edge, of_point = self._marks
        if not len(of_edge):
            return np.zeros(0)
        half, error, _ = self._scales
        focal = now.focal / half
        if self._bent:
            offset = (marks.points - now.centre[of_point]) / focal[of_point, None]
            straight = undistort(offset, now.bend[of_point, None]) * focal[of_point, None]
            edges, off_line = reduce_edges(Marks(straight, marks.counts, marks.run, marks.weight))
        else:
            edges, off_line = self._straight
        vanishing = now.turn[of_edge, :, edges.run].copy()
        vanishing[:, :2] *= focal[of_edge, None]
        against = edge_residuals(edges, vanishing)[0] / error[of_edge]
        if not self._bent:
            return against
        many = np.repeat(marks.counts, marks.counts) > 2
        return np.concatenate([against, (off_line / error[of_point])[many]])

    @cached_property
    def _straight(self) -> tuple[Edges, Array]:
        return reduce_edges(self._marks[0])

    @cached_property
    def edge_views(self) -> NDArray[np.intp]:
        """The view of each residual of `edges`."""
        marks, of_edge, of_point = self._marks
        if not self._bent:
            return of_edge
        return np.concatenate([of_edge, of_point[np.repeat(marks.counts, marks.counts) > 2]])

    def projected(self, now: Figures) -> Array:
        """Where the ties are seen, (O, 2) [px]."""
        view, (half, _, axis) = self.seen.view, self._scales
        away = now.points[self.seen.tie] - now.place[view]
        x, y, z = np.einsum("oij,oj->io", now.rotation[view], away)
        plane = np.column_stack([x, y]) / np.maximum(z, _BEHIND)[:, None]
        bent = distort(plane, now.bend[view, None]) if now.bend.any() else plane
        return bent * now.focal[view, None] + (axis + now.centre * half[:, None])[view]

    def ties(self, now: Figures) -> Array:
        """How far each tie is seen from where it is marked, (2 O,)."""
        return np.asarray(((self.projected(now) - self.seen.pixels) / HAND_SIGMA_PX).ravel())

    def beliefs(self, now: Figures, number: int) -> list[float]:
        """What is believed of a view besides its marks."""
        view = self.views[number]
        found = []
        if view.log_focal:
            found.append((np.log(now.focal[number]) - view.log_focal.value) / view.log_focal.sigma)
        if view.tilt or view.roll:
            tilt, roll, _ = view_angles(now.turn[number])
            found += [(value - one.value) / one.sigma for value, one in ((tilt, view.tilt), (roll, view.roll)) if one]
        if view.free[1]:
            found += [*(now.centre[number] / CENTRE_BELIEF * self._scales[1][number])]
        if view.free[2]:
            found.append(now.bend[number] / DISTORTION_BELIEF * self._scales[1][number])
        if number == 0 and not view.runs[:2].any():
            began = view_angles(self.begin.turn[0])[2]
            off = (view_angles(now.turn[0])[2] - began + np.pi) % (2 * np.pi) - np.pi
            found.append(off / 1e-5)  # nothing else tells where the frame's axes point
        return [float(value) for value in found]

    def heights(self, now: Figures, number: int) -> list[float]:
        """How far a view's camera is from the heights that its known lengths ask for, and that it is known to have."""
        view = self.views[number]
        up = max(float(now.place[number, 2]), 1e-6)
        found = []
        for length, variance in view.lengths:
            asked = (length.metres or 0) / self._seen_units(now, number, length) + length.level_m
            share = (asked - length.level_m) / max(asked, 1e-9)
            found.append(np.log(max(asked, 1e-9) / up) / (abs(share) * np.sqrt(variance)))
        if view.log_height:
            found.append((np.log(up) - view.log_height.value) / view.log_height.sigma)
        return [float(value) for value in found]

    def _seen_units(self, now: Figures, number: int, length: LengthIn) -> float:
        seen = seen_units(self.pinhole(now, number, own=True), length)
        return seen if np.isfinite(seen) and seen > 1e-9 else 1e9

    def pinhole(self, now: Figures, number: int, *, own: bool = False) -> Pinhole:
        """A view's camera in the site's frame; `own`: 1 unit up, in the frame of its own runs."""
        view = self.views[number]
        centre = view.axis_px + now.centre[number] * view.half_px
        rotation = now.turn[number] if own else now.rotation[number]
        place = np.array([0.0, 0.0, 1.0]) if own else now.place[number]
        size = view.alone
        return Pinhole(
            float(now.focal[number]), centre, rotation, place, size.width, size.height, float(now.bend[number])
        )

    def surveyed(self, now: Figures) -> Array:
        """How far the ties are from where a surveyor has them."""
        told = self.points.surveyed
        if told is None:
            return np.zeros(0)
        turn = about_plumb(now.to_survey[0])
        off = now.points[told.tie] @ turn.T + now.to_survey[1:] - told.at
        return np.asarray((off / told.sigma[:, None])[np.isfinite(told.at)])

    def between(self, now: Figures) -> Array:
        """How far the known lengths between ties are from what they measure."""
        way = now.points[self.points.pairs[:, 0]] - now.points[self.points.pairs[:, 1]]
        return (np.linalg.norm(way, axis=1) - self.points.metres) / self.points.sigma

    def residuals(self, x: Array) -> Array:
        """All of them."""
        now = self.figures(x)
        count = len(self.views)
        rest = [value for i in range(count) for value in self.beliefs(now, i) + self.heights(now, i)]
        return np.concatenate([self.edges(now), self.ties(now), np.array(rest), self.surveyed(now), self.between(now)])

    # Derivatives: a view's residuals hang on its own slots alone, so that one slot of all views is moved at once.

    def jacobian(self, x: Array) -> Array:
        """(m, n) of the residuals by the free unknowns."""
        full, count = self.whole(x), len(self.views)
        now = self._changed(full)
        edges, ties, surveyed, between = self.edges(now), self.ties(now), self.surveyed(now), self.between(now)
        rest = [[*self.beliefs(now, i), *self.heights(now, i)] for i in range(count)]
        first = np.cumsum([0, len(edges), len(ties), sum(map(len, rest)), len(surveyed), len(between)])
        slope = np.zeros((first[-1], self.count))
        free = np.zeros(self.count, bool)
        free[self.free] = True
        tie_view = np.repeat(self.seen.view, 2)
        of_rest = np.repeat(np.arange(count), [len(one) for one in rest])
        flat_rest = np.array([value for one in rest for value in one])
        for slot in range(SLOTS):
            columns = SLOTS * np.arange(count) + slot
            if not free[columns].any():
                continue
            moved = full.copy()
            moved[columns] += _STEP
            there = self._changed(moved)
            if slot < 4 or slot > 7:
                slope[np.arange(len(edges)), columns[self.edge_views]] = (self.edges(there) - edges) / _STEP
            rows = first[1] + np.arange(len(ties))
            slope[rows, columns[tie_view]] = (self.ties(there) - ties) / _STEP
            if slot not in (4, 5, 6) and len(flat_rest):
                after = np.array([v for i in range(count) for v in self.beliefs(there, i) + self.heights(there, i)])
                slope[first[2] + np.arange(len(after)), columns[of_rest]] = (after - flat_rest) / _STEP
        begin = SLOTS * count
        tie_of = np.repeat(self.seen.tie, 2)
        for axis in range(3):
            moved = full.copy()
            moved[begin + axis : -4 : 3] += _STEP
            there = self._changed(moved)
            rows = first[1] + np.arange(len(ties))
            slope[rows, begin + 3 * tie_of + axis] = (self.ties(there) - ties) / _STEP
        self._by_survey(slope[first[3] : first[4]], now, begin)
        self._by_lengths(slope[first[4] :], now, begin)
        return np.asarray(slope[:, self.free])

    def _by_survey(self, slope: Array, now: Figures, begin: int) -> None:
        told = self.points.surveyed
        if told is None:
            return
        turn = about_plumb(now.to_survey[0])
        which, axis = np.nonzero(np.isfinite(told.at))
        inverse = 1 / told.sigma[which]
        rows = np.arange(len(which))
        for column in range(3):
            slope[rows, begin + 3 * told.tie[which] + column] = turn[axis, column] * inverse
        turned = now.points[told.tie] @ turn.T
        by_heading = np.column_stack([-turned[:, 1], turned[:, 0], np.zeros(len(turned))])
        slope[rows, -4] = by_heading[which, axis] * inverse
        slope[rows, slope.shape[1] - 3 + axis] = inverse

    def _by_lengths(self, slope: Array, now: Figures, begin: int) -> None:
        if not len(slope):
            return
        first, second = self.points.pairs.T
        way = now.points[first] - now.points[second]
        unit = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12) / self.points.sigma[:, None]
        rows = np.arange(len(slope))
        for axis in range(3):
            slope[rows, begin + 3 * first + axis] += unit[:, axis]
            slope[rows, begin + 3 * second + axis] -= unit[:, axis]


@dataclass(frozen=True)
class Solved:
    """A solved site.

    Attributes
    ----------
    joint : the problem about its solution, so that no change is the solution.
    square : the sum of squared residuals; `freedom` how many of them are more than needed.
    covariance : (n, n) of the free unknowns, with `looser`, how many times worse than stated the marks look, in it.
    weakest : of the scaled information, the smallest eigenvalue; `loosest` is the view that it is most about.
    """

    joint: Joint
    residuals: Array
    square: float
    freedom: int
    covariance: Array
    looser: float
    weakest: float
    loosest: int

    @property
    def figures(self) -> Figures:
        """The solution."""
        return self.joint.begin

    def slopes(self, told: Callable[[Figures], Array]) -> Array:
        """How figures (m,) that follow from the solution change with the free unknowns, (m, n)."""
        joint = self.joint
        here = told(joint.begin)
        steps = np.eye(len(joint.free)) * _STEP
        return np.column_stack([told(joint.figures(step)) - here for step in steps]) / _STEP

    def spread(self, told: Callable[[Figures], Array]) -> Array:
        """Covariance (m, m) of such figures."""
        slope = self.slopes(told)
        return np.asarray(slope @ self.covariance @ slope.T)


def solve_joint(joint: Joint, *, most_steps: int = 30) -> Solved:
    """The most likely figures from where the problem is begun."""
    start = np.zeros(len(joint.free))
    found, _ = minimum(joint.residuals, joint.jacobian, start, gain=1e-8, most_steps=most_steps)
    about = Joint(joint.views, joint.seen, joint.points, joint.headings, joint.figures(found))
    off, slope = about.residuals(start), about.jacobian(start)
    information = slope.T @ slope
    scale = np.sqrt(np.maximum(np.diag(information), 1e-300))
    scaled = information / np.outer(scale, scale)
    values, ways = np.linalg.eigh(scaled)
    by_view = np.abs(about.whole(ways[:, 0])[: SLOTS * len(joint.views)].reshape(-1, SLOTS)).max(1)
    covariance = np.linalg.pinv(scaled, hermitian=True) / np.outer(scale, scale)
    square, freedom = float(off @ off), max(len(off) - len(start), 0)
    looser = max(1.0, (1 + square) / (1 + freedom)) ** 0.5
    weakest, loosest = float(values[0]), int(by_view.argmax())
    return Solved(about, off, square, freedom, covariance * looser**2, looser, weakest, loosest)
