"""Fitting a camera to edges: where to start, and the maximum-likelihood solution from there.

Coordinates are the solver's own: pixels from the picture's centre, over its half diagonal. Two fits
share one form: the square one (focal length and orientation, with its exact Jacobian) and the lens
fit, which also frees the principal point and radial distortion. What is believed besides the edges
(a focal length read from the file, a level camera) enters both as further residuals.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.camera.least_squares import minimum
from lithopos.core.camera.lens import undistort
from lithopos.core.camera.vanishing import Edges, Marks, edge_residuals, reduce_edges, vanishing_point

# Weak beliefs that keep the lens fit from running away where the edges can't tell: a principal point
# within about a half diagonal of the centre, a distortion within about ±1. Real evidence drowns them.
CENTRE_BELIEF = 1.0
DISTORTION_BELIEF = 1.0

_ROUGH = 0.004  # root mean square residual beyond which the usual start is not trusted [half diagonals]
_OTHER_FOCALS = (0.7, 1.3, 2.2, 3.6, 6.0)

__all__ = ["Beliefs", "Fit", "fit_lens", "fit_square", "turned_by"]


@dataclass(frozen=True)
class Beliefs:
    """What is believed besides the edges; each with its weight, the marks' noise over its own width.

    Attributes
    ----------
    log_focal : logarithm of the expected focal length (over the half diagonal), and its weight.
    level : weight of the camera having no roll, by the sine of it.
    facing : weight of the x axis running square to the view, by its depth: the way about the plumb line
        when nothing but plumb edges is marked.
    """

    log_focal: tuple[float, float] | None = None
    level: float = 0.0
    facing: float = 0.0

    def rows(self, log_focal: float, rotation: Array) -> tuple[list[float], list[list[float]]]:
        """Weighted residuals, and their derivatives by (log focal, turn)."""
        values, slopes = [], []
        if self.log_focal is not None:
            expected, weight = self.log_focal
            values.append((log_focal - expected) * weight)
            slopes.append([weight, 0.0, 0.0, 0.0])
        if self.level:
            x, y, z = rotation[:, 2]
            values.append(self.level * x)
            slopes.append([0.0, 0.0, self.level * z, -self.level * y])
        if self.facing:
            x, y, z = rotation[:, 0]
            values.append(self.facing * z)
            slopes.append([0.0, self.facing * y, -self.facing * x, 0.0])
        return values, slopes


NOTHING_BELIEVED = Beliefs()


@dataclass(frozen=True)
class Fit:
    """A solved problem in the solver's coordinates.

    Attributes
    ----------
    focal : over the half diagonal.
    rotation : (3, 3) world to camera.
    residuals : (N,) each edge's residual against its vanishing point.
    crooked : (N,) sum of squared distances of each edge's points from their own best line.
    information : (n, n) JᵀJ by (log focal, unless it was given), turn (3), then centre (2) and k1 where free.
    centre : (2,) principal point.
    k1 : radial distortion.
    """

    focal: float
    rotation: Array
    residuals: Array
    crooked: Array
    information: Array
    centre: Array = field(default_factory=lambda: np.zeros(2))
    k1: float = 0.0

    @property
    def square(self) -> float:
        """The sum of squared residuals."""
        return float((self.residuals**2).sum() + self.crooked.sum())


def _directions(rotation: Array, focal: float, run: NDArray[np.intp]) -> Array:
    """Each edge's vanishing point (N, 3) in the solver's coordinates."""
    return np.asarray(rotation[:, run].T * [focal, focal, 1.0])


def _model(
    edges: Edges, rotation: Array, fixed: float | None, beliefs: Beliefs
) -> tuple[Callable[[Array], Array], Callable[[Array], Array]]:
    """Residuals and Jacobian by (log focal, turn) about a rotation, or by (turn) if the focal is fixed."""

    def unpack(x: Array) -> tuple[float, Array]:
        focal = float(np.exp(np.clip(x[0], -20, 20))) if fixed is None else fixed
        return focal, turned_by(x[-3:]) @ rotation

    def residuals(x: Array) -> Array:
        focal, turned = unpack(x)
        off = edge_residuals(edges, _directions(turned, focal, edges.run))[0]
        believed = beliefs.rows(float(np.log(focal)), turned)[0]
        return np.append(off, believed) if believed else off

    def jacobian(x: Array) -> Array:
        focal, turned = unpack(x)
        seen = turned[:, edges.run].T
        slope = edge_residuals(edges, seen * [focal, focal, 1.0])[1] * [focal, focal, 1.0]
        by_focal = slope[:, 0] * seen[:, 0] + slope[:, 1] * seen[:, 1]
        rows = np.column_stack([by_focal, _cross_rows(seen, slope)])
        believed = beliefs.rows(float(np.log(focal)), turned)[1]
        if believed:
            rows = np.vstack([rows, believed])
        by_turn = rows[:, 1:] @ _left_jacobian(x[-3:])
        return by_turn if fixed is not None else np.column_stack([rows[:, 0], by_turn])

    return residuals, jacobian


def _cross_rows(a: Array, b: Array) -> Array:
    """Cross products of rows (N, 3); NumPy's own is several times slower for a dozen rows."""
    (ax, ay, az), (bx, by, bz) = a.T, b.T
    return np.column_stack([ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx])


def turned_by(turn: Array) -> Array:
    """The rotation matrix (3, 3) of a rotation vector (3,) [rad], by Rodrigues' formula.

    Written out because it runs several times at every move of a drag, where SciPy's general one costs
    ten times as much.
    """
    x, y, z = (float(part) for part in turn)
    angle = math.sqrt(x * x + y * y + z * z)
    s = math.sin(angle) / angle if angle > 1e-8 else 1.0
    c = (1 - math.cos(angle)) / angle**2 if angle > 1e-8 else 0.5
    return np.array(
        [
            [1 - c * (y * y + z * z), c * x * y - s * z, c * x * z + s * y],
            [c * x * y + s * z, 1 - c * (x * x + z * z), c * y * z - s * x],
            [c * x * z - s * y, c * y * z + s * x, 1 - c * (x * x + y * y)],
        ]
    )


def _cross_matrix(v: Array) -> Array:
    x, y, z = v
    return np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])


def _left_jacobian(turn: Array) -> Array:
    """How a rotation vector's change turns the world, (3, 3); Solà, Deray & Atchuthan 2018, eq. 145."""
    cross, angle = _cross_matrix(turn), float(np.sqrt(turn @ turn))
    if angle < 1e-8:
        return np.eye(3)
    return np.asarray(
        np.eye(3) + (1 - np.cos(angle)) / angle**2 * cross + (angle - np.sin(angle)) / angle**3 * cross @ cross
    )


def fit_square(edges: Edges, fixed: float | None, beliefs: Beliefs = NOTHING_BELIEVED, *, straight: bool = True) -> Fit:
    """Focal length (or a fixed one) and orientation: the best of the solutions from several starts.

    Parameters
    ----------
    straight : whether the edges ought to fit; those of a bent lens need not, before its bend is solved for.
    """
    cost, solved, rotation = _best_of(edges, fixed, beliefs, _starts(edges, fixed, beliefs))
    limit = _ROUGH if straight else 10 * _ROUGH
    rough = math.sqrt(2 * cost / max(len(edges.run), 1)) > limit or not 0.12 < solved < 60
    if rough and fixed is None:
        # The usual start can run off where vanishing points lie far out: come from other sides too.
        more = _best_of(edges, fixed, beliefs, [s for f in _OTHER_FOCALS for s in _starts(edges, f, beliefs)])
        if more[0] < cost and 0.12 < more[1] < 60:
            _, solved, rotation = more
    rotation = _upright(rotation)
    residuals, jacobian = _model(edges, rotation, fixed, beliefs)
    at = np.zeros(3) if fixed is not None else np.array([np.log(solved), 0, 0, 0])
    slope = jacobian(at)
    return Fit(solved, rotation, residuals(at)[: len(edges.run)], edges.crooked, slope.T @ slope)


def _best_of(
    edges: Edges, fixed: float | None, beliefs: Beliefs, starts: list[tuple[float, Array]]
) -> tuple[float, float, Array]:
    """Cost, focal length and rotation of the best solution from some starts."""
    best: tuple[float, float, Array] | None = None
    for focal, rotation in starts:
        residuals, jacobian = _model(edges, rotation, fixed, beliefs)
        start = np.zeros(3) if fixed is not None else np.array([np.log(focal), 0, 0, 0])
        found, cost = minimum(residuals, jacobian, start)
        if best is None or cost < best[0] * (1 - 1e-9):
            solved = fixed if fixed is not None else float(np.exp(np.clip(found[0], -20, 20)))
            best = (cost, solved, turned_by(found[-3:]) @ rotation)
    assert best is not None
    return best


_Figures = tuple[float, Array, Array, float]  # focal length, rotation, principal point, k1


@dataclass(frozen=True)
class _LensModel:
    """Residuals by (log focal unless fixed, turn, centre and k1 where free), for many parameters at once.

    The derivatives are by differences, but all of them come from one call over stacked copies of the
    marks: a call costs nearly the same for sixteen copies of forty points as for one.
    """

    marks: Marks
    rotation: Array
    fixed: float | None
    free_centre: bool
    free_k1: bool
    beliefs: Beliefs
    noise: float

    @property
    def turn(self) -> slice:
        first = 0 if self.fixed is not None else 1
        return slice(first, first + 3)

    @property
    def count(self) -> int:
        return self.turn.stop + 2 * self.free_centre + self.free_k1

    def unpack(self, x: Array) -> _Figures:
        """Focal length, rotation, principal point and k1 of one parameter vector."""
        focal = float(np.exp(np.clip(x[0], -5, 8))) if self.fixed is None else self.fixed
        rotation = turned_by(x[self.turn]) @ self.rotation
        centre = x[self.turn.stop : self.turn.stop + 2] if self.free_centre else np.zeros(2)
        return focal, rotation, centre, float(x[-1]) if self.free_k1 else 0.0

    def edges(self, figures: list[_Figures]) -> tuple[Edges, Array, Array]:
        """Edges of all copies, their vanishing points (K·N, 3), and how far each point is off its line."""
        focal = np.array([f for f, *_ in figures])[:, None, None]
        centre = np.array([c for _, _, c, _ in figures])[:, None]
        k1 = np.array([k for *_, k in figures])[:, None, None]
        points = undistort((self.marks.points - centre) / focal, k1) * focal
        copies = len(figures)
        weight = None if self.marks.weight is None else np.tile(self.marks.weight, copies)
        counts, run = np.tile(self.marks.counts, copies), np.tile(self.marks.run, copies)
        every = Marks(points.reshape(-1, 2), counts, run, weight)
        edges, off_line = reduce_edges(every)
        vanishing = [_directions(r, f, self.marks.run) for f, r, _, _ in figures]
        return edges, np.concatenate(vanishing), off_line

    def evidence(self, xs: Array) -> Array:
        """Residuals of the edges alone, (K, m), for parameters (K, n)."""
        return self._evidence([self.unpack(x) for x in xs])

    def _evidence(self, figures: list[_Figures]) -> Array:
        edges, vanishing, off_line = self.edges(figures)
        copies = len(figures)
        against = edge_residuals(edges, vanishing)[0].reshape(copies, -1)
        bent = off_line.reshape(copies, -1)[:, np.repeat(self.marks.counts, self.marks.counts) > 2]
        believed = [self.beliefs.rows(float(np.log(f)), r)[0] for f, r, _, _ in figures]
        return np.hstack([against, bent, np.array(believed).reshape(copies, -1)])

    def residuals(self, xs: Array) -> Array:
        """The same with the weak beliefs that keep the fit from running away."""
        figures = [self.unpack(x) for x in xs]
        weak = np.zeros((len(xs), 2 * self.free_centre + self.free_k1))
        if self.free_centre:
            weak[:, :2] = np.array([centre for _, _, centre, _ in figures]) / CENTRE_BELIEF
        if self.free_k1:
            weak[:, -1] = np.array([k1 for *_, k1 in figures]) / DISTORTION_BELIEF
        return np.hstack([self._evidence(figures), self.noise * weak])


def _minimum(function: Callable[[Array], Array], start: Array, gain: float) -> Array:
    """The least-squares solution of a function that takes many parameters at once."""

    def value(x: Array) -> Array:
        return np.asarray(function(x[None])[0])

    def slope(x: Array) -> Array:
        return _slope(function, x)

    return minimum(value, slope, start, gain=gain)[0]


def fit_lens(
    marks: Marks,
    start: Fit,
    fixed: float | None,
    *,
    free_centre: bool,
    free_k1: bool,
    noise: float,
    beliefs: Beliefs = NOTHING_BELIEVED,
) -> Fit:
    """The same with the principal point and radial distortion free, from a square fit.

    Parameters
    ----------
    noise : of a marked coordinate, which the weak beliefs are weighed against.
    """
    model = _LensModel(marks, start.rotation, fixed, free_centre, free_k1, beliefs, noise)
    begin = np.zeros(model.count)
    if fixed is None:
        begin[0] = np.log(start.focal)
    best = _without_beliefs(model.evidence, _minimum(model.residuals, begin, 1e-6))
    focal, rotation, centre, k1 = model.unpack(best)
    edges, vanishing, _ = model.edges([model.unpack(best)])
    # The information is by turns about the solution, as in the square fit.
    slope = _slope(model.residuals, best)
    slope[:, model.turn] = slope[:, model.turn] @ np.linalg.inv(_left_jacobian(best[model.turn]))
    off = edge_residuals(edges, vanishing)[0]
    return Fit(focal, _upright(rotation), off, edges.crooked, slope.T @ slope, centre, k1)


def _without_beliefs(evidence: Callable[[Array], Array], at: Array) -> Array:
    """The solution from the edges alone, where they can tell by themselves; else the one given."""
    if evidence(at[None]).shape[1] < len(at):
        return at
    found = _minimum(evidence, at, 1e-10)
    return found if np.isfinite(found).all() and float(np.abs(found - at).max()) < 0.05 else at


def _slope(function: Callable[[Array], Array], at: Array, step: float = 1e-6) -> Array:
    """Derivatives (m, n) by central differences, all from one call."""
    steps = step * np.eye(len(at))
    values = function(np.concatenate([at + steps, at - steps]))
    return np.asarray((values[: len(at)] - values[len(at) :]).T / (2 * step))


def _starts(edges: Edges, fixed: float | None, beliefs: Beliefs) -> list[tuple[float, Array]]:
    """Focal lengths and orientations to start from, the crossed vanishing points' own first."""
    points = {run: vanishing_point(edges, run) for run in range(3)}
    sure = {run: point for run, point in points.items() if point is not None}
    crossed = _crossed_focals(sure)
    guesses = [float(np.median(crossed))] if crossed else [0.8, 1.4, 2.4, 4.5]
    if beliefs.log_focal is not None:
        guesses = [float(np.exp(beliefs.log_focal[0]))]
    focals = guesses if fixed is None else [fixed]
    starts = []
    for focal in focals:
        rays = {run: point / [focal, focal, 1.0] for run, point in sure.items()}
        rays = {run: ray / np.linalg.norm(ray) for run, ray in rays.items()}
        if len(rays) >= 2:
            starts.append((focal, _square_rotation(rays)))
        elif len(rays) == 1:
            starts += [(focal, rotation) for rotation in _rotations_about(*next(iter(rays.items())))]
        else:
            starts += [(focal, rotation) for axis in np.eye(3) for rotation in _rotations_about(2, axis)]
    return starts


def _crossed_focals(points: dict[int, Array]) -> list[float]:
    """Focal lengths from pairs of finite vanishing points: f² = −v·w (Caprile & Torre 1990, property 3)."""
    found = []
    for one, two in combinations(points.values(), 2):
        depth = one[2] * two[2]
        if abs(depth) > 1e-9:
            square = -(one[0] * two[0] + one[1] * two[1]) / depth
            if 0.02 < square < 900:
                found.append(float(np.sqrt(square)))
    return found


def _square_rotation(rays: dict[int, Array]) -> Array:
    """The rotation whose axes lie nearest to the given unit rays (signs are free)."""
    columns = np.zeros((3, 3))
    for run, ray in rays.items():
        columns[:, run] = ray
    missing = [run for run in range(3) if run not in rays]
    if missing:
        run = missing[0]
        columns[:, run] = np.cross(columns[:, (run + 1) % 3], columns[:, (run + 2) % 3])
    elif np.linalg.det(columns) < 0:
        columns[:, 2] *= -1
    u, _, vt = np.linalg.svd(columns)
    return np.asarray(u @ np.diag([1, 1, np.linalg.det(u @ vt)]) @ vt)


def _rotations_about(run: int, ray: Array) -> list[Array]:
    """Rotations that bring the run's axis onto a ray, in steps about it."""
    frame = np.linalg.svd(ray[None])[2]
    found = []
    for angle in np.arange(8) * np.pi / 16:
        one = np.cos(angle) * frame[1] + np.sin(angle) * frame[2]
        columns = np.empty((3, 3))
        columns[:, run] = ray
        columns[:, (run + 1) % 3] = one
        columns[:, (run + 2) % 3] = np.cross(ray, one)
        found.append(columns)
    return found


def _upright(rotation: Array) -> Array:
    """Choose the axes' signs: z up in the picture, x to the right or away, whichever is clearer.

    The rule's jump lies where x would point half right half towards the camera, far from the two
    usual cases of run A along and across the view.
    """
    x, z = rotation[:, 0], rotation[:, 2]
    if z[1] > 0:
        z = -z
    away = x[2] if abs(z[2]) < 0.99 else -x[1]
    right = float(np.dot(np.cross([0.0, 0.0, 1.0], z), x)) if abs(z[2]) < 0.99 else x[0]
    if away + right < 0:
        x = -x
    return np.column_stack([x, np.cross(z, x), z])
