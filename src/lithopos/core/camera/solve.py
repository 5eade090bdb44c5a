"""The camera from edges that vanish together: one maximum-likelihood problem.

Unknowns are the focal length (as its logarithm) and the orientation; the residual of an edge is how
far its marked ends lie from a straight line through its run's vanishing point, in pixels. Sources:
Caprile & Torre 1990 (DOI 10.1007/BF00127813), Cipolla, Drummond & Robertson 1999
(DOI 10.5244/C.13.38), Hartley & Zisserman 2004, chapter 8. Derivation: docs/methods/camera.md.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from lithopos.core.camera.advice import best_further_edge
from lithopos.core.camera.fit import Fit, fit_lens, fit_square, turned_by
from lithopos.core.camera.pinhole import Pinhole, focal_35mm_from_px, focal_px_from_35mm, view_angles
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, LineAnswer
from lithopos.core.camera.vanishing import Edges, Marks, reduce_edges, vanishing_point
from lithopos.core.errors import InputError, NoAnswer

Array = NDArray[np.float64]

HAND_SIGMA_PX = 0.7  # how well a hand marks a point through the loupe; never assume better
RUNS = ("a", "b", "plumb")
RUN_WORDS = {"a": "run A", "b": "run B", "plumb": "plumb"}

__all__ = ["HAND_SIGMA_PX", "pinhole_of", "solve_camera"]


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
    size = problem.image
    half_diagonal = float(np.hypot(size.width, size.height)) / 2
    marks = _marks(problem, half_diagonal)
    given = _given_focal_px(problem)
    focal = given / half_diagonal if given else None
    _refuse_too_few(problem, marks, focal is not None)
    edges, _ = reduce_edges(marks)
    fit = fit_square(edges, focal)
    free_centre, free_k1 = problem.principal_point == "free", problem.distortion == "solve"
    if free_centre or free_k1:
        noise = HAND_SIGMA_PX / half_diagonal
        fit = fit_lens(marks, fit, focal, free_centre=free_centre, free_k1=free_k1, noise=noise)
    sigma, rough = _noise(fit, marks, half_diagonal)
    trouble = _no_camera(fit, edges, focal is not None or free_centre, rough * half_diagonal)
    if trouble:
        return NoAnswer(trouble)
    return _answer(problem, marks, fit, sigma, focal is not None)


def _marks(problem: CameraProblem, half_diagonal: float) -> Marks:
    """The marked points in the solver's coordinates."""
    centre = np.array([problem.image.width, problem.image.height]) / 2
    points = [point for line in problem.lines for point in line.points]
    return Marks(
        (np.array(points, float).reshape(-1, 2) - centre) / half_diagonal,
        np.array([len(line.points) for line in problem.lines], np.intp),
        np.array([RUNS.index(line.family) for line in problem.lines], np.intp),
    )


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
        answer.distortion_k1,
    )


def _given_focal_px(problem: CameraProblem) -> float | None:
    size = problem.image
    if problem.focal_px and problem.focal_35mm:
        from_35mm = focal_px_from_35mm(problem.focal_35mm, size.width, size.height)
        if abs(from_35mm / problem.focal_px - 1) > 1e-3:
            raise InputError("focal_35mm", "contradicts focal_px; give only one of them")
    if problem.focal_px:
        return problem.focal_px
    return focal_px_from_35mm(problem.focal_35mm, size.width, size.height) if problem.focal_35mm else None


def _refuse_too_few(problem: CameraProblem, marks: Marks, focal_known: bool) -> None:
    counts = [int(np.count_nonzero(marks.run == run)) for run in range(3)]
    have = ", ".join(f"{count} of {RUN_WORDS[run]}" for run, count in zip(RUNS, counts, strict=True))
    if sum(count > 0 for count in counts) < 2:
        raise InputError("lines", f"too few edges: two runs are needed at least (there are {have})")
    needed = 3 if focal_known else 4
    if sum(min(count, 2) for count in counts) < needed:
        raise InputError("lines", f"too few edges: mark two edges in each of two runs (there are {have})")
    if problem.principal_point == "free":
        if min(counts) == 0 or sum(min(count, 2) for count in counts) < needed + 2:
            raise InputError("principal_point", f"'free' needs two edges of each of the three runs (there are {have})")
        needed += 2
    if problem.distortion == "solve" and _spare(marks) < (needed - 4 if needed > 4 else 0) + 1:
        raise InputError("distortion", "'solve' needs edges of three points or more, or more edges")


def _spare(marks: Marks) -> int:
    """Measurements beyond those that two vanishing points and the straight camera use up."""
    beyond = sum(max(int(np.count_nonzero(marks.run == run)) - 2, 0) for run in range(3))
    third = min(2, min(int(np.count_nonzero(marks.run == run)) for run in range(3)))
    return beyond + third + int((marks.counts - 2).sum())


def _noise(fit: Fit, marks: Marks, half_diagonal: float) -> tuple[float, float]:
    """Standard deviation of a marked coordinate in the solver's units: to be believed, and as it looks.

    The one to be believed is never below the hand's own, and wide where it rests on few residuals: the
    hand's counts as two of them, and Student's t for that many stands in for the normal (docs/methods).
    """
    freedom = max(len(marks.run) - len(fit.information) + int((marks.counts - 2).sum()), 0)
    hand = HAND_SIGMA_PX / half_diagonal
    looks = float(np.sqrt(fit.square / freedom)) if freedom else float(np.sqrt(fit.square))
    blend = float(np.sqrt((2 * hand**2 + fit.square) / (2 + freedom)))
    wide = float(stdtrit(2 + freedom, 0.975)) / 1.96 if freedom else 1.0
    return max(hand, blend * wide if freedom else hand), looks


def _no_camera(fit: Fit, edges: Edges, focal_settled: bool, noise_px: float) -> str | None:
    """Why the edges give no camera; None if they do."""
    runs = [run for run in range(3) if np.any(edges.run == run)]
    names = " and ".join(RUN_WORDS[RUNS[run]] for run in runs)
    points = {run: vanishing_point(edges, run) for run in runs}
    if not focal_settled:
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
    if values[0] < 1e-10 or (not focal_settled and (fit.focal > 60 or fit.focal < 0.05)):
        return (
            f"no camera: {names} show no vanishing (their edges stay parallel in the picture), which tells nothing "
            "of the focal length; mark edges of another run, or give the focal length"
        )
    if noise_px > 40:
        return f"no camera: the edges of {names} disagree by {noise_px:.0f} px; check which run each belongs to"
    return None


# Telling


def _answer(problem: CameraProblem, marks: Marks, fit: Fit, sigma: float, focal_known: bool) -> CameraAnswer:
    size = problem.image
    half_diagonal = float(np.hypot(size.width, size.height)) / 2
    covariance: Array = np.asarray(np.linalg.inv(fit.information) * sigma**2, float)
    camera = _with_position(problem, _pinhole(problem, fit.focal, fit.rotation, fit.centre, fit.k1))
    deviation = _deviations(problem, fit, covariance, focal_known)
    tilt, roll, heading = view_angles(fit.rotation)
    per_edge = np.sqrt((fit.residuals**2 + fit.crooked) / marks.counts) * half_diagonal
    total = float(np.sqrt(fit.square / marks.counts.sum()) * half_diagonal)
    metric = problem.scale is not None
    return CameraAnswer(
        image=size,
        focal_px=camera.focal_px,
        focal_35mm=focal_35mm_from_px(camera.focal_px, size.width, size.height),
        principal_point=(float(camera.principal_point[0]), float(camera.principal_point[1])),
        rotation=fit.rotation.tolist(),
        camera_position=camera.position.tolist() if metric else None,
        camera_position_unit=None if metric else camera.position.tolist(),
        tilt_deg=float(np.degrees(tilt)),
        roll_deg=float(np.degrees(roll)),
        heading_deg=float(np.degrees(heading)),
        horizon=camera.horizon(),
        vanishing_points=_finite_vanishing_points(camera, marks),
        distortion_k1=fit.k1,
        residual_px=total,
        sigma=deviation,
        lines=[
            LineAnswer(family=line.family, residual_px=float(value))
            for line, value in zip(problem.lines, per_edge, strict=True)
        ],
        warnings=_warnings(camera, deviation, total, focal_known),
        advice=best_further_edge(
            fit.rotation, fit.focal, _of_square_camera(fit, focal_known), sigma, size.width, size.height, focal_known
        ),
    )


def _of_square_camera(fit: Fit, focal_known: bool) -> Array:
    """The information on focal length and orientation alone, whatever else was free."""
    count = 3 if focal_known else 4
    return np.asarray(np.linalg.inv(np.linalg.inv(fit.information)[:count, :count]))


def _pinhole(problem: CameraProblem, focal: float, rotation: Array, centre: Array, k1: float) -> Pinhole:
    """The camera 1 unit above the ground, from figures in the solver's coordinates."""
    size = problem.image
    half_diagonal = float(np.hypot(size.width, size.height)) / 2
    axis = np.array([size.width, size.height]) / 2 + centre * half_diagonal
    place = np.array([0.0, 0.0, 1.0])
    return Pinhole(focal * half_diagonal, axis, rotation, place, size.width, size.height, k1)


def _with_position(problem: CameraProblem, unit: Pinhole, shift: Array | None = None) -> Pinhole:
    """The camera with its place above the ground: 1 unit up, or by the yardstick in metres.

    `shift` (4,) moves the yardstick's ends [px], to see what their error does.
    """
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
    return replace(unit, position=position)


def _deviations(problem: CameraProblem, fit: Fit, covariance: Array, focal_known: bool) -> dict[str, float]:
    """Standard deviations of what is shown, to first order, from the edges' and the yardstick's errors."""
    size = problem.image
    focals, solved = (0 if focal_known else 1), len(covariance)
    free_centre = problem.principal_point == "free"

    def figures(change: Array) -> Array:
        focal = fit.focal if focal_known else fit.focal * float(np.exp(change[0]))
        rotation = turned_by(change[focals : focals + 3]) @ fit.rotation
        centre = fit.centre + change[focals + 3 : focals + 5] if free_centre else fit.centre
        k1 = fit.k1 + change[solved - 1] if problem.distortion == "solve" else fit.k1
        unit = _pinhole(problem, focal, rotation, centre, k1)
        camera = _with_position(problem, unit, change[solved:] if problem.scale else None)
        from_35mm = focal_35mm_from_px(camera.focal_px, size.width, size.height)
        angles = np.degrees(view_angles(rotation))
        return np.array([camera.focal_px, from_35mm, *angles, *camera.position, *camera.principal_point, k1])

    whole = np.zeros((solved + 4, solved + 4))
    whole[:solved, :solved] = covariance
    whole[solved:, solved:] = np.eye(4) * HAND_SIGMA_PX**2
    if problem.scale is None:
        whole = whole[:solved, :solved]
    here = figures(np.zeros(len(whole)))
    slope = np.empty((len(here), len(whole)))
    for i in range(len(whole)):
        step = np.zeros(len(whole))
        step[i] = 1e-6 if i < solved else 1e-3
        difference = figures(step) - here
        difference[2:5] = (difference[2:5] + 180) % 360 - 180
        slope[:, i] = difference / step[i]
    found = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", slope, whole, slope), 0))
    shown = ["focal_px", "focal_35mm", "tilt_deg", "roll_deg", "heading_deg"]
    shown += ["x_m", "y_m", "height_m"] if problem.scale else ["", "", ""]
    shown += ["principal_point_x_px", "principal_point_y_px"] if free_centre else ["", ""]
    shown += ["distortion_k1"] if problem.distortion == "solve" else [""]
    return {name: float(value) for name, value in zip(shown, found, strict=True) if name}


def _finite_vanishing_points(camera: Pinhole, marks: Marks) -> dict[str, list[float] | None]:
    """Vanishing points of the marked runs [px]; None for one that is practically at infinity."""
    found: dict[str, list[float] | None] = {}
    for run, axis in enumerate(np.eye(3)):
        if not np.any(marks.run == run):
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
    centre = max(sigma.get("principal_point_x_px", 0.0), sigma.get("principal_point_y_px", 0.0))
    if centre > 0.05 * camera.width:
        found.append(
            f"The principal point is known to ± {2 * centre:.0f} px only (95 %); more edges of all runs would help."
        )
    bend = sigma.get("distortion_k1", 0.0)
    if bend > 0.05:
        found.append(
            f"The distortion is known to ± {2 * bend:.2f} only (95 %); "
            "mark long edges near the border, with points between."
        )
    if sigma["tilt_deg"] > 1:
        found.append(f"The tilt is known to ± {2 * sigma['tilt_deg']:.1f}° only (95 %).")
    return found
