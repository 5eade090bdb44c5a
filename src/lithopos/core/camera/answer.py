"""Telling a solved camera: every figure with its standard deviation, warnings and advice in plain words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.advice import best_further_edge
from lithopos.core.camera.pinhole import Pinhole, focal_35mm_from_px, view_angles
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, LengthAnswer, LineAnswer, Trust, XAxis
from lithopos.core.camera.scale import Scale, length_answers, lengths_through, scale_of
from lithopos.core.camera.solution import Solution
from lithopos.core.camera.vanishing import RUNS, Marks, edge_residuals, reduce_edges
from lithopos.core.errors import InputError

_X_AXES: dict[XAxis, tuple[int, int]] = {"a": (1, 0), "b": (0, 1), "-a": (-1, 0), "-b": (0, -1)}

__all__ = ["pinhole_of", "tell", "tell_at_site", "tell_by_hand"]


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


def tell(solution: Solution) -> CameraAnswer:
    """The answer of the command line from a solution.

    Raises
    ------
    InputError
        If the origin or an end of a yardstick does not lie where it is said to.
    """
    problem, fit = solution.problem, solution.fit
    size, metric = problem.image, problem.is_metric
    scale = scale_of(solution)
    unit = _placed(problem, solution.unit_camera())
    camera = replace(unit, position=unit.position * scale.height)
    deviation, horizon = _deviations(solution, scale)
    tilt, roll, heading = view_angles(camera.rotation)
    off = _edge_distances(solution.unit_camera(), problem)
    used, counts = ~solution.aside, solution.marks.counts
    total = float(np.sqrt((off[used] ** 2 * counts[used]).sum() / counts[used].sum()))
    lengths = length_answers(solution, scale)
    return CameraAnswer(
        image=size,
        focal_px=camera.focal_px,
        focal_35mm=focal_35mm_from_px(camera.focal_px, size.width, size.height),
        principal_point=(float(camera.principal_point[0]), float(camera.principal_point[1])),
        rotation=camera.rotation.tolist(),
        camera_position=camera.position.tolist() if metric else None,
        camera_position_unit=None if metric else camera.position.tolist(),
        tilt_deg=float(np.degrees(tilt)),
        roll_deg=float(np.degrees(roll)),
        heading_deg=float(np.degrees(heading)),
        horizon=camera.horizon(),
        horizon_sigma_px=horizon,
        vanishing_points=_finite_vanishing_points(solution),
        distortion_k1=fit.k1,
        residual_px=total,
        sigma=deviation,
        lines=[
            LineAnswer(family=line.family, residual_px=float(value), aside=bool(aside))
            for line, value, aside in zip(problem.lines, off, solution.aside, strict=True)
        ],
        lengths=lengths,
        trust=_trust(camera.focal_px, deviation),
        assumed=list(solution.assumed),
        warnings=_warnings(solution, camera, deviation, total) + (of_lengths := _warnings_of_lengths(lengths)),
        warnings_of_lengths=of_lengths,
        advice=best_further_edge(
            fit.rotation,
            fit.focal,
            _of_square_camera(solution),
            solution.sigma,
            size.width,
            size.height,
            solution.focal_exact,
        ),
    )


def tell_by_hand(camera: Pinhole, problem: CameraProblem) -> CameraAnswer:
    """The same for a camera that was set by hand: no deviations, but how far edges and lengths are off it."""
    off = _edge_distances(camera, problem)
    counts = np.array([len(line.points) for line in problem.lines])
    tilt, roll, heading = _angles(camera)
    return CameraAnswer(
        image=problem.image,
        focal_px=camera.focal_px,
        focal_35mm=focal_35mm_from_px(camera.focal_px, camera.width, camera.height),
        principal_point=(float(camera.principal_point[0]), float(camera.principal_point[1])),
        rotation=camera.rotation.tolist(),
        camera_position=camera.position.tolist(),
        camera_position_unit=None,
        tilt_deg=float(tilt),
        roll_deg=float(roll),
        heading_deg=float(heading),
        horizon=camera.horizon(),
        vanishing_points={},
        distortion_k1=camera.k1,
        residual_px=float(np.sqrt((off**2 * counts).sum() / counts.sum())) if len(off) else 0.0,
        sigma={},
        lines=[
            LineAnswer(family=line.family, residual_px=float(value))
            for line, value in zip(problem.lines, off, strict=True)
        ],
        lengths=lengths_through(camera, problem),
        warnings=[],
        advice=[],
    )


def tell_at_site(camera: Pinhole, problem: CameraProblem, runs_deg: float, sigma: dict[str, float]) -> CameraAnswer:
    """The same for a camera that was solved together with others of its site.

    Parameters
    ----------
    runs_deg : which way the photograph's own run A heads in the site: edges and walls are told by it.
    sigma : standard deviations by the figures' names.
    """
    c, s = np.cos(np.radians(runs_deg)), np.sin(np.radians(runs_deg))
    turn = np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])  # from its own runs to the site
    own = tell_by_hand(replace(camera, rotation=camera.rotation @ turn, position=turn.T @ camera.position), problem)
    told = tell_by_hand(camera, problem)
    of_own = {"lines": own.lines, "lengths": own.lengths, "residual_px": own.residual_px}
    return told.model_copy(
        update={**of_own, "sigma": sigma, "trust": _trust(camera.focal_px, sigma) if sigma else None}
    )


def _of_square_camera(solution: Solution) -> Array:
    """The information on focal length and orientation alone, whatever else was free."""
    count = 3 if solution.focal_exact else 4
    return np.asarray(np.linalg.inv(solution.covariance[:count, :count]) * solution.sigma**2)


def _edge_distances(camera: Pinhole, problem: CameraProblem) -> Array:
    """Each edge's root mean square distance (N,) from the line it should lie on through a camera [px]."""
    if not problem.lines:
        return np.zeros(0)
    pixels = np.array([point for line in problem.lines for point in line.points], float)
    marks = Marks(
        (camera.straightened(pixels) - camera.principal_point) / camera.focal_px,
        np.array([len(line.points) for line in problem.lines], np.intp),
        np.array([RUNS.index(line.family) for line in problem.lines], np.intp),
    )
    edges, _ = reduce_edges(marks)
    off = edge_residuals(edges, camera.rotation[:, marks.run].T)[0]
    return np.asarray(np.sqrt((off**2 + edges.crooked) / marks.counts) * camera.focal_px)


def _placed(problem: CameraProblem, unit: Pinhole) -> Pinhole:
    """A camera 1 unit up, moved over the origin and turned so that x runs along the run chosen for it."""
    position = unit.position
    if problem.origin is not None:
        foot = unit.ground_points([problem.origin])[0]
        if not np.isfinite(foot).all():
            raise InputError("origin", "lies above the horizon, so not on the ground")
        position = np.array([-foot[0], -foot[1], 1.0])
    x, y = _X_AXES[problem.x_along]
    turn = np.array([[x, y, 0.0], [-y, x, 0.0], [0.0, 0.0, 1.0]])  # rows: the new axes in the old frame
    return replace(unit, rotation=unit.rotation @ turn.T, position=turn @ position)


def _deviations(solution: Solution, scale: Scale) -> tuple[dict[str, float], list[float] | None]:
    """Standard deviations of what is shown, to first order, and those of the horizon's ends [px]."""
    problem, size = solution.problem, solution.problem.image
    has_horizon = solution.unit_camera().horizon() is not None

    def figures(unit: Pinhole) -> Array:
        camera = _placed(problem, unit)
        ends = [end[1] for end in camera.horizon() or [[0, 0], [0, 0]]] if has_horizon else [0.0, 0.0]
        focal = [camera.focal_px, focal_35mm_from_px(camera.focal_px, size.width, size.height)]
        return np.array([*focal, *_angles(camera), *camera.position, *camera.principal_point, camera.k1, *ends])

    slope = solution.slopes(figures)
    # An angle that passes ±180° between here and a step aside has not turned by a whole circle.
    step = slope[2:5] * 1e-6
    slope[2:5] = ((step + 180) % 360 - 180) / 1e-6
    position = slice(5, 8)
    place = figures(solution.unit_camera())[position]
    slope[position] = scale.height * (slope[position] + np.outer(place, scale.slope))
    variance = np.einsum("ij,jk,ik->i", slope, solution.covariance, slope)
    variance[position] += (scale.height * place) ** 2 * (scale.own + scale.doubt)
    found = np.sqrt(np.maximum(variance, 0))
    metric, free = problem.is_metric, problem.principal_point == "free"
    shown = ["focal_px", "focal_35mm", "tilt_deg", "roll_deg", "heading_deg"]
    shown += ["x_m", "y_m", "height_m"] if metric else ["", "", ""]
    shown += ["principal_point_x_px", "principal_point_y_px"] if free else ["", ""]
    shown += ["distortion_k1"] if problem.distortion == "solve" else [""]
    told = {name: float(value) for name, value in zip(shown, found, strict=False) if name}
    return told, [float(found[-2]), float(found[-1])] if has_horizon else None


def _angles(camera: Pinhole) -> Array:
    return np.degrees(view_angles(camera.rotation))


def _finite_vanishing_points(solution: Solution) -> dict[str, list[float] | None]:
    """Vanishing points of the marked runs [px]; None for one that is practically at infinity."""
    camera = solution.unit_camera()
    found: dict[str, list[float] | None] = {}
    for run, axis in enumerate(np.eye(3)):
        if not np.any(solution.marks.run == run):
            continue
        x, y, w = camera.project_direction(axis)
        far = abs(w) * 1e4 * camera.width < np.hypot(x, y)
        found[RUNS[run]] = None if far else [float(x / w), float(y / w)]
    return found


def _warnings(solution: Solution, camera: Pinhole, sigma: dict[str, float], residual_px: float) -> list[str]:
    found = list(solution.doubts)
    relative = sigma["focal_px"] / camera.focal_px
    if not solution.focal_exact and relative > 0.05:
        hardly = f"known to ± {200 * relative:.0f} % only (95 %)" if relative < 0.3 else "hardly told by these edges"
        found.append(f"The focal length is {hardly}.")
    found += _surprise(solution, camera)
    if "roll" in solution.assumed:
        found.append("With one run alone the camera is taken to be level; a plumb edge would tell.")
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
        hardly = f"known to ± {2 * sigma['tilt_deg']:.1f}° only (95 %)" if sigma["tilt_deg"] < 15 else "hardly told"
        found.append(f"The tilt is {hardly}.")
    return found


def _warnings_of_lengths(lengths: list[LengthAnswer]) -> list[str]:
    found = []
    for number, length in enumerate(lengths):
        off, spread = length.off_percent, length.sigma_percent
        if off is not None and spread is not None and abs(off) > max(3 * spread, 1):
            found.append(
                f"Yardstick {number + 1} disagrees with the others by {abs(off):.1f} % (± {2 * spread:.1f} %); "
                "one of the lengths may be wrong."
            )
    return found


def _trust(focal_px: float, sigma: dict[str, float]) -> Trust:
    """Good for finished work: a thing in the middle of the picture stays within its own edge's width."""
    focal, tilt = 1.96 * sigma["focal_px"] / focal_px, 1.96 * max(sigma["tilt_deg"], sigma["roll_deg"])
    if focal < 0.03 and tilt < 0.6:
        return "good"
    return "fair" if focal < 0.08 and tilt < 1.5 else "poor"


def _surprise(solution: Solution, camera: Pinhole) -> list[str]:
    """Edges that contradict the expected focal length: the picture may have been cropped."""
    prior, size = solution.problem.focal_prior, solution.problem.image
    if prior is None or solution.focal_exact:
        return []
    ratio = focal_35mm_from_px(camera.focal_px, size.width, size.height) / prior.focal_35mm
    if abs(np.log(ratio)) < 2.5 * prior.width:
        return []
    return [
        f"The edges ask for a focal length {100 * abs(ratio - 1):.0f} % {'longer' if ratio > 1 else 'shorter'} than "
        f"the expected {prior.focal_35mm:.0f} mm; was the picture cropped?"
    ]
