"""The camera from edges that vanish together: one maximum-likelihood problem.

Unknowns are the focal length (as its logarithm) and the orientation; the residual of an edge is how
far its marked ends lie from a straight line through its run's vanishing point, in pixels. Sources:
Caprile & Torre 1990 (DOI 10.1007/BF00127813), Cipolla, Drummond & Robertson 1999
(DOI 10.5244/C.13.38), Hartley & Zisserman 2004, chapter 8. Derivation: docs/methods/camera.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import combinations
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from lithopos.core.camera.advice import best_further_edge
from lithopos.core.camera.pinhole import Pinhole, focal_35mm_from_px, focal_px_from_35mm, view_angles
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, LineAnswer
from lithopos.core.camera.vanishing import Edges, edge_residuals, reduce_edges, vanishing_point
from lithopos.core.errors import InputError, NoAnswer

Array = NDArray[np.float64]

HAND_SIGMA_PX = 0.7  # how well a hand marks a point through the loupe; never assume better
RUNS = ("a", "b", "plumb")
RUN_WORDS = {"a": "run A", "b": "run B", "plumb": "plumb"}

__all__ = ["HAND_SIGMA_PX", "pinhole_of", "solve_camera"]


@dataclass(frozen=True)
class _Fit:
    """A solved problem in the solver's coordinates."""

    focal: float  # over the half diagonal
    rotation: Array
    cost: float
    residuals: Array
    information: Array  # JᵀJ by (log focal, turn) or (turn) alone


def solve_camera(problem: CameraProblem) -> CameraAnswer | NoAnswer:
    """Solve a camera from marked edges.

    Returns
    -------
    The camera with standard deviations of everything shown, or the reason why there is none.

    Raises
    ------
    InputError
        If what was handed in cannot be a question: too few edges, an origin in the sky.
    """
    _refuse_what_is_not_solved_for(problem)
    size = problem.image
    half_diagonal = float(np.hypot(size.width, size.height)) / 2
    centre = np.array([size.width, size.height]) / 2
    edges = reduce_edges(
        [(np.asarray(line.points, float) - centre) / half_diagonal for line in problem.lines],
        [RUNS.index(line.family) for line in problem.lines],
    )
    given = _given_focal_px(problem)
    focal = given / half_diagonal if given else None
    _refuse_too_few(edges, focal is not None)
    fit = _fit(edges, focal)
    sigma = _noise(fit, edges, half_diagonal)
    trouble = _no_camera(fit, edges, focal is not None, sigma * half_diagonal)
    if trouble:
        return NoAnswer(trouble)
    return _answer(problem, edges, fit, sigma, focal is not None)


def pinhole_of(answer: CameraAnswer) -> Pinhole:
    """The projection of a solved camera; in units of its own height if no scale is known."""
    position = answer.camera_position or answer.camera_position_unit
    return Pinhole(
        answer.focal_px,
        np.array(answer.principal_point),
        np.array(answer.rotation),
        np.array(position),
        answer.image.width,
        answer.image.height,
    )


def _refuse_what_is_not_solved_for(problem: CameraProblem) -> None:
    if problem.principal_point == "free":
        raise InputError("principal_point", "'free' is not solved for in this version; use 'centre'")
    if problem.distortion == "solve":
        raise InputError("distortion", "'solve' is not available in this version; use 'none'")


def _given_focal_px(problem: CameraProblem) -> float | None:
    size = problem.image
    if problem.focal_px and problem.focal_35mm:
        from_35mm = focal_px_from_35mm(problem.focal_35mm, size.width, size.height)
        if abs(from_35mm / problem.focal_px - 1) > 1e-3:
            raise InputError("focal_35mm", "contradicts focal_px; give only one of them")
    if problem.focal_px:
        return problem.focal_px
    return focal_px_from_35mm(problem.focal_35mm, size.width, size.height) if problem.focal_35mm else None


def _refuse_too_few(edges: Edges, focal_known: bool) -> None:
    counts = [int(np.count_nonzero(edges.run == run)) for run in range(3)]
    have = ", ".join(f"{count} of {RUN_WORDS[run]}" for run, count in zip(RUNS, counts, strict=True))
    if sum(count > 0 for count in counts) < 2:
        raise InputError("lines", f"too few edges: two runs are needed at least (there are {have})")
    needed = 3 if focal_known else 4
    if sum(min(count, 2) for count in counts) < needed:
        raise InputError("lines", f"too few edges: mark two edges in each of two runs (there are {have})")


# Solving


def _directions(rotation: Array, focal: float, run: NDArray[np.intp]) -> Array:
    """Each edge's vanishing point (N, 3) in the solver's coordinates."""
    return np.asarray(rotation[:, run].T * [focal, focal, 1.0])


def _model(
    edges: Edges, rotation: Array, fixed: float | None
) -> tuple[Callable[[Array], Array], Callable[[Array], Array]]:
    """Residuals and Jacobian by (log focal, turn) about a rotation, or by (turn) if the focal is fixed."""

    def unpack(x: Array) -> tuple[float, Array]:
        focal = float(np.exp(np.clip(x[0], -20, 20))) if fixed is None else fixed
        return focal, Rotation.from_rotvec(x[-3:]).as_matrix() @ rotation

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


def _left_jacobian(turn: Array) -> Array:
    """How a rotation vector's change turns the world, (3, 3); Solà, Deray & Atchuthan 2018, eq. 145."""
    angle = float(np.linalg.norm(turn))
    if angle < 1e-8:
        return np.eye(3)
    x, y, z = turn
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(
        np.eye(3) + (1 - np.cos(angle)) / angle**2 * cross + (angle - np.sin(angle)) / angle**3 * cross @ cross
    )


def _fit(edges: Edges, fixed: float | None) -> _Fit:
    """The best of the solutions reached from several starts."""
    best: tuple[float, float, Array] | None = None
    for focal, rotation in _starts(edges, fixed):
        residuals, jacobian = _model(edges, rotation, fixed)
        start = np.zeros(3) if fixed is not None else np.array([np.log(focal), 0, 0, 0])
        method: Literal["lm", "trf"] = "lm" if len(edges.run) >= len(start) else "trf"
        found = least_squares(
            residuals, start, jacobian, method=method, xtol=1e-12, ftol=1e-13, gtol=1e-13, max_nfev=200
        )
        if best is None or found.cost < best[0] * (1 - 1e-9):
            solved = fixed if fixed is not None else float(np.exp(np.clip(found.x[0], -20, 20)))
            best = (float(found.cost), solved, Rotation.from_rotvec(found.x[-3:]).as_matrix() @ rotation)
    assert best is not None
    cost, solved, rotation = best
    rotation = _upright(rotation)
    residuals, jacobian = _model(edges, rotation, fixed)
    at = np.zeros(3) if fixed is not None else np.array([np.log(solved), 0, 0, 0])
    slope = jacobian(at)
    return _Fit(solved, rotation, cost, residuals(at), slope.T @ slope)


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


def _noise(fit: _Fit, edges: Edges, half_diagonal: float) -> float:
    """Standard deviation of a marked coordinate, in the solver's units; at least the hand's own."""
    freedom = len(edges.run) - len(fit.information) + int((edges.points - 2).sum())
    square = float((fit.residuals**2).sum() + edges.crooked.sum()) / freedom if freedom > 0 else 0.0
    return max(HAND_SIGMA_PX / half_diagonal, float(np.sqrt(square)))


def _no_camera(fit: _Fit, edges: Edges, focal_known: bool, noise_px: float) -> str | None:
    """Why the edges give no camera; None if they do."""
    runs = [run for run in range(3) if np.any(edges.run == run)]
    names = " and ".join(RUN_WORDS[RUNS[run]] for run in runs)
    points = {run: vanishing_point(edges, run) for run in runs}
    if not focal_known:
        finite = {run: p[:2] / p[2] for run, p in points.items() if p is not None and abs(p[2]) > 1e-6}
        wrong = [(i, j) for i, j in combinations(finite, 2) if finite[i] @ finite[j] > 0]
        poor = noise_px > 12 or fit.focal > 60 or fit.focal < 0.12
        if wrong and poor:
            i, j = (RUN_WORDS[RUNS[run]] for run in wrong[0])
            return (
                f"no camera: the vanishing points of {i} and {j} lie on the same side of the picture's centre, so "
                "the two can't be square to each other; check which run each edge belongs to, "
                "or whether the picture was cropped"
            )
    scale = np.sqrt(np.maximum(np.diag(fit.information), 1e-300))
    values = np.linalg.eigvalsh(fit.information / np.outer(scale, scale))
    if values[0] < 1e-10 or (not focal_known and (fit.focal > 60 or fit.focal < 0.05)):
        return (
            f"no camera: {names} show no vanishing (their edges stay parallel in the picture), which tells nothing "
            "of the focal length; mark edges of another run, or give the focal length"
        )
    if noise_px > 40:
        return f"no camera: the edges of {names} disagree by {noise_px:.0f} px; check which run each belongs to"
    return None


# Telling


def _answer(problem: CameraProblem, edges: Edges, fit: _Fit, sigma: float, focal_known: bool) -> CameraAnswer:
    size = problem.image
    half_diagonal = float(np.hypot(size.width, size.height)) / 2
    covariance: Array = np.asarray(np.linalg.inv(fit.information) * sigma**2, float)
    camera = _with_position(problem, fit.focal * half_diagonal, fit.rotation)
    deviation = _deviations(problem, fit, covariance, focal_known)
    tilt, roll, heading = view_angles(fit.rotation)
    per_edge = np.sqrt((fit.residuals**2 + edges.crooked) / edges.points) * half_diagonal
    total = float(np.sqrt(((fit.residuals**2) + edges.crooked).sum() / edges.points.sum()) * half_diagonal)
    metric = problem.scale is not None
    return CameraAnswer(
        image=size,
        focal_px=camera.focal_px,
        focal_35mm=focal_35mm_from_px(camera.focal_px, size.width, size.height),
        principal_point=(size.width / 2, size.height / 2),
        rotation=fit.rotation.tolist(),
        camera_position=camera.position.tolist() if metric else None,
        camera_position_unit=None if metric else camera.position.tolist(),
        tilt_deg=float(np.degrees(tilt)),
        roll_deg=float(np.degrees(roll)),
        heading_deg=float(np.degrees(heading)),
        horizon=camera.horizon(),
        vanishing_points=_finite_vanishing_points(camera, edges),
        distortion_k1=0.0,
        residual_px=total,
        sigma=deviation,
        lines=[
            LineAnswer(family=line.family, residual_px=float(value))
            for line, value in zip(problem.lines, per_edge, strict=True)
        ],
        warnings=_warnings(camera, deviation, total, focal_known),
        advice=best_further_edge(fit.rotation, fit.focal, fit.information, sigma, size.width, size.height, focal_known),
    )


def _with_position(problem: CameraProblem, focal_px: float, rotation: Array, shift: Array | None = None) -> Pinhole:
    """The camera with its place above the ground: 1 unit up, or by the yardstick in metres.

    `shift` (4,) moves the yardstick's ends [px], to see what their error does.
    """
    size = problem.image
    unit = Pinhole(
        focal_px,
        np.array([size.width, size.height]) / 2,
        rotation,
        np.array([0.0, 0, 1]),
        size.width,
        size.height,
    )
    height = 1.0
    if problem.scale is not None:
        ends = np.array([problem.scale.from_, problem.scale.to])
        if shift is not None:
            ends = ends + shift.reshape(2, 2)
        ground = unit.ground_points(ends)
        if not np.isfinite(ground).all():
            raise InputError("scale", "an end of the yardstick lies above the horizon, so not on the ground")
        height = problem.scale.metres / float(np.linalg.norm(ground[1] - ground[0]))
    position = np.array([0.0, 0.0, height])
    if problem.origin is not None:
        foot = unit.ground_points([problem.origin])[0]
        if not np.isfinite(foot).all():
            raise InputError("origin", "lies above the horizon, so not on the ground")
        position[:2] = -foot[:2] * height
    return Pinhole(focal_px, unit.principal_point, rotation, position, size.width, size.height)


def _deviations(problem: CameraProblem, fit: _Fit, covariance: Array, focal_known: bool) -> dict[str, float]:
    """Standard deviations of what is shown, to first order, from the edges' and the yardstick's errors."""
    size = problem.image
    half_diagonal = float(np.hypot(size.width, size.height)) / 2

    def figures(change: Array) -> Array:
        focal = fit.focal * half_diagonal * (1.0 if focal_known else float(np.exp(change[0])))
        turn = change[: len(covariance)][-3:]
        rotation = Rotation.from_rotvec(turn).as_matrix() @ fit.rotation
        tilt, roll, heading = view_angles(rotation)
        camera = _with_position(problem, focal, rotation, change[len(covariance) :] if problem.scale else None)
        from_35mm = focal_35mm_from_px(focal, size.width, size.height)
        return np.array([focal, from_35mm, *np.degrees([tilt, roll, heading]), *camera.position])

    whole = np.zeros((len(covariance) + 4, len(covariance) + 4))
    whole[: len(covariance), : len(covariance)] = covariance
    whole[len(covariance) :, len(covariance) :] = np.eye(4) * HAND_SIGMA_PX**2
    if problem.scale is None:
        whole = whole[: len(covariance), : len(covariance)]
    slope = np.empty((8, len(whole)))
    here = figures(np.zeros(len(whole)))
    for i in range(len(whole)):
        step = np.zeros(len(whole))
        step[i] = 1e-6 if i < len(covariance) else 1e-3
        difference = figures(step) - here
        difference[2:5] = (difference[2:5] + 180) % 360 - 180
        slope[:, i] = difference / step[i]
    found = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", slope, whole, slope), 0))
    names = ("focal_px", "focal_35mm", "tilt_deg", "roll_deg", "heading_deg", "x_m", "y_m", "height_m")
    result = {name: float(value) for name, value in zip(names, found, strict=True)}
    if problem.scale is None:
        for name in ("x_m", "y_m", "height_m"):
            del result[name]
    return result


def _finite_vanishing_points(camera: Pinhole, edges: Edges) -> dict[str, list[float] | None]:
    """Vanishing points of the marked runs [px]; None for one that is practically at infinity."""
    found: dict[str, list[float] | None] = {}
    for run, axis in enumerate(np.eye(3)):
        if not np.any(edges.run == run):
            continue
        x, y, w = camera.project_direction(axis)
        far = abs(w) * 1e4 * camera.width < np.hypot(x, y)
        found[RUNS[run]] = None if far else [float(x / w), float(y / w)]
    return found


def _warnings(camera: Pinhole, sigma: dict[str, float], residual_px: float, focal_known: bool) -> list[str]:
    found = []
    relative = sigma["focal_px"] / camera.focal_px
    if not focal_known and relative > 0.05:
        found.append(f"The focal length is known to ± {200 * relative:.0f} % only (95 %).")
    if residual_px > 5:
        found.append(f"The edges lie {residual_px:.1f} px off on average; one may be badly drawn or in the wrong run.")
    if sigma["tilt_deg"] > 1:
        found.append(f"The tilt is known to ± {2 * sigma['tilt_deg']:.1f}° only (95 %).")
    return found
