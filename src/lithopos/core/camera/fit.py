"""Fitting a camera to edges: where to start, and the maximum-likelihood solution from there.

Coordinates are the solver's own: pixels from the picture's centre, over its half diagonal. Two fits
share one form: the square one (focal length and orientation, with its exact Jacobian) and the lens
fit, which also frees the principal point and radial distortion.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import combinations
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from lithopos.core.camera.lens import undistort
from lithopos.core.camera.vanishing import Edges, Marks, edge_residuals, reduce_edges, vanishing_point

Array = NDArray[np.float64]

# Weak beliefs that keep the lens fit from running away where the edges can't tell: a principal point
# within about a half diagonal of the centre, a distortion within about ±1. Real evidence drowns them.
CENTRE_BELIEF = 1.0
DISTORTION_BELIEF = 1.0

__all__ = ["Fit", "fit_lens", "fit_square", "turned_by"]


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
    edges: Edges, rotation: Array, fixed: float | None
) -> tuple[Callable[[Array], Array], Callable[[Array], Array]]:
    """Residuals and Jacobian by (log focal, turn) about a rotation, or by (turn) if the focal is fixed."""

    def unpack(x: Array) -> tuple[float, Array]:
        focal = float(np.exp(np.clip(x[0], -20, 20))) if fixed is None else fixed
        return focal, turned_by(x[-3:]) @ rotation

    def residuals(x: Array) -> Array:
        focal, turned = unpack(x)
        return edge_residuals(edges, _directions(turned, focal, edges.run))[0]

    def jacobian(x: Array) -> Array:
        focal, turned = unpack(x)
        seen = turned[:, edges.run].T
        slope = edge_residuals(edges, seen * [focal, focal, 1.0])[1] * [focal, focal, 1.0]
        by_focal = slope[:, 0] * seen[:, 0] + slope[:, 1] * seen[:, 1]
        by_turn = _cross_rows(seen, slope) @ _left_jacobian(x[-3:])
        return by_turn if fixed is not None else np.column_stack([by_focal, by_turn])

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
    cross, angle = _cross_matrix(turn), float(np.sqrt(turn @ turn))
    if angle < 1e-8:
        return np.eye(3) + cross
    return np.asarray(np.eye(3) + np.sin(angle) / angle * cross + (1 - np.cos(angle)) / angle**2 * cross @ cross)


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


def fit_square(edges: Edges, fixed: float | None) -> Fit:
    """Focal length (or a fixed one) and orientation: the best of the solutions from several starts."""
    best: tuple[float, float, Array] | None = None
    for focal, rotation in _starts(edges, fixed):
        residuals, jacobian = _model(edges, rotation, fixed)
        start = np.zeros(3) if fixed is not None else np.array([np.log(focal), 0, 0, 0])
        method: Literal["lm", "trf"] = "lm" if len(edges.run) >= len(start) else "trf"
        found = least_squares(
            residuals, start, jacobian, method=method, xtol=1e-12, ftol=1e-13, gtol=1e-13, max_nfev=60
        )
        if best is None or found.cost < best[0] * (1 - 1e-9):
            solved = fixed if fixed is not None else float(np.exp(np.clip(found.x[0], -20, 20)))
            best = (float(found.cost), solved, turned_by(found.x[-3:]) @ rotation)
    assert best is not None
    _, solved, rotation = best
    rotation = _upright(rotation)
    residuals, jacobian = _model(edges, rotation, fixed)
    at = np.zeros(3) if fixed is not None else np.array([np.log(solved), 0, 0, 0])
    slope = jacobian(at)
    return Fit(solved, rotation, residuals(at), edges.crooked, slope.T @ slope)


def fit_lens(marks: Marks, start: Fit, fixed: float | None, *, free_centre: bool, free_k1: bool, noise: float) -> Fit:
    """The same with the principal point and radial distortion free, from a square fit.

    Parameters
    ----------
    noise : of a marked coordinate, which the weak beliefs are weighed against.
    """
    focals = 0 if fixed is not None else 1
    count = focals + 3 + 2 * free_centre + free_k1

    def unpack(x: Array) -> tuple[float, Array, Array, float]:
        focal = float(np.exp(np.clip(x[0], -5, 8))) if fixed is None else fixed
        rotation = turned_by(x[focals : focals + 3]) @ start.rotation
        centre = x[focals + 3 : focals + 5] if free_centre else np.zeros(2)
        return focal, rotation, centre, float(x[-1]) if free_k1 else 0.0

    def parts(x: Array) -> tuple[Edges, Array, Array]:
        focal, rotation, centre, k1 = unpack(x)
        straight = undistort((marks.points - centre) / focal, k1) * focal
        edges, off_line = reduce_edges(Marks(straight, marks.counts, marks.run))
        return edges, edge_residuals(edges, _directions(rotation, focal, marks.run))[0], off_line

    several = np.repeat(marks.counts, marks.counts) > 2

    def evidence(x: Array) -> Array:
        _, against, off_line = parts(x)
        return np.concatenate([against, off_line[several]])

    def residuals(x: Array) -> Array:
        centre, k1 = unpack(x)[2:]
        beliefs = [centre / CENTRE_BELIEF] if free_centre else []
        beliefs += [np.array([k1 / DISTORTION_BELIEF])] if free_k1 else []
        return np.concatenate([evidence(x), noise * np.concatenate(beliefs)])

    begin = np.zeros(count)
    if fixed is None:
        begin[0] = np.log(start.focal)
    best = least_squares(residuals, begin, x_scale="jac", max_nfev=400, method="lm").x
    best = _without_beliefs(evidence, best)
    focal, rotation, centre, k1 = unpack(best)
    edges, against, _ = parts(best)
    # The information is by turns about the solution, as in the square fit.
    slope, turn = _slope(residuals, best), slice(focals, focals + 3)
    slope[:, turn] = slope[:, turn] @ np.linalg.inv(_left_jacobian(best[turn]))
    return Fit(focal, _upright(rotation), against, edges.crooked, slope.T @ slope, centre, k1)


def _without_beliefs(evidence: Callable[[Array], Array], at: Array) -> Array:
    """The solution from the edges alone, where they can tell by themselves; else the one given."""
    if len(evidence(at)) < len(at):
        return at
    found = least_squares(evidence, at, x_scale="jac", xtol=1e-12, ftol=1e-14, gtol=1e-14, max_nfev=200, method="lm").x
    return found if np.isfinite(found).all() and float(np.abs(found - at).max()) < 0.05 else at


def _slope(function: Callable[[Array], Array], at: Array, step: float = 1e-6) -> Array:
    """Derivatives by central differences."""
    sides = [(function(at + step * axis) - function(at - step * axis)) / (2 * step) for axis in np.eye(len(at))]
    return np.column_stack(sides)


def _starts(edges: Edges, fixed: float | None) -> list[tuple[float, Array]]:
    """Focal lengths and orientations to start from, the crossed vanishing points' own first."""
    points = {run: vanishing_point(edges, run) for run in range(3)}
    sure = {run: point for run, point in points.items() if point is not None}
    crossed = _crossed_focals(sure)
    guesses = [float(np.median(crossed))] if crossed else [0.8, 1.4, 2.4, 4.5]
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
