"""The camera from edges that vanish together: one maximum-likelihood problem.

Unknowns are the focal length (as its logarithm) and the orientation; the residual of an edge is how
far its marked ends lie from a straight line through its run's vanishing point, in pixels. Sources:
Caprile & Torre 1990 (DOI 10.1007/BF00127813), Cipolla, Drummond & Robertson 1999
(DOI 10.5244/C.13.38), Hartley & Zisserman 2004, chapter 8. Derivation: docs/methods/camera.md.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
from scipy.special import stdtrit

from lithopos.core.camera.answer import pinhole_of, tell
from lithopos.core.camera.fit import Beliefs, Fit, fit_lens, fit_square
from lithopos.core.camera.outliers import set_aside
from lithopos.core.camera.pinhole import focal_px_from_35mm
from lithopos.core.camera.problem import CameraAnswer, CameraProblem
from lithopos.core.camera.solution import HAND_SIGMA_PX, Solution, axis_of, half_diagonal_of
from lithopos.core.camera.vanishing import RUN_WORDS, RUNS, Edges, Marks, kept, reduce_edges, vanishing_point
from lithopos.core.errors import InputError, NoAnswer

LEVEL_SIGMA = np.radians(1.5)  # how level a camera is held, where nothing tells
_HAND_COUNTS = 0.5  # residuals that the belief in the hand's own error is worth

__all__ = ["bearable", "pinhole_of", "solve", "solve_camera"]


def solve_camera(problem: CameraProblem) -> CameraAnswer | NoAnswer:
    """Solve a camera from marked edges and tell all about it.

    Returns
    -------
    The camera with standard deviations of everything shown, or the reason why there is none.

    Raises
    ------
    InputError
        If what was handed in cannot be a question: too few edges, an origin in the sky.
    """
    solution = solve(problem)
    return solution if isinstance(solution, NoAnswer) else tell(solution)


def solve(problem: CameraProblem) -> Solution | NoAnswer:
    """Focal length, orientation and, where asked for, principal point and distortion, from the edges.

    Raises
    ------
    InputError
        As `solve_camera`, but for origin and yardsticks, which are not looked at yet.
    """
    half_diagonal = half_diagonal_of(problem)
    marks = _marks(problem)
    given = _given_focal_px(problem)
    focal = given / half_diagonal if given else None
    _refuse_too_few(problem, marks, focal is not None)
    hand = HAND_SIGMA_PX / half_diagonal
    aside, doubts = np.zeros(len(marks.run), bool), list[str]()
    if problem.robust:
        aside, doubts, fit = set_aside(marks, lambda some: _fit(problem, some, focal, hand), hand)
    else:
        fit = _fit(problem, marks, focal, hand)
    used = kept(marks, ~aside)
    sigma, rough = _noise(fit, used, half_diagonal)
    if _beliefs(problem, used, hand) != Beliefs() and sigma > 1.2 * hand:
        fit = _fit(problem, used, focal, sigma)  # worse marks: what is believed besides them counts for more
        sigma, rough = max(sigma, _noise(fit, used, half_diagonal)[0]), rough
    trouble = _no_camera(problem, fit, used, focal is not None, rough * half_diagonal, half_diagonal)
    if trouble:
        return NoAnswer(trouble)
    covariance = np.asarray(np.linalg.inv(fit.information) * sigma**2, float)
    assumed = _assumed(problem, used)
    return Solution(problem, marks, aside, fit, sigma, covariance, focal is not None, assumed, tuple(doubts))


def bearable(problem: CameraProblem) -> tuple[CameraProblem, list[str]]:
    """The problem without those wishes (principal point, distortion) that its edges can't bear yet.

    Returns
    -------
    The problem to solve, and a plain sentence on each wish that has to wait.
    """
    waiting = []
    for _ in range(2):
        try:
            _refuse_too_few(problem, _marks(problem), _given_focal_px(problem) is not None)
        except InputError as error:
            if error.field == "principal_point" or (error.field == "lines" and problem.principal_point == "free"):
                problem = problem.model_copy(update={"principal_point": "centre"})
                waiting.append("The picture's centre is taken for the lens's until all three runs have two edges.")
            elif error.field in ("distortion", "lines") and problem.distortion == "solve":
                problem = problem.model_copy(update={"distortion": "none"})
                waiting.append("The lens is taken to be straight until more edges, or more points on them, are marked.")
    return problem, waiting


def _fit(problem: CameraProblem, marks: Marks, focal: float | None, noise: float) -> Fit:
    """The fit that was asked for, from these marks."""
    beliefs = _beliefs(problem, marks, noise)
    free_centre, free_k1 = problem.principal_point == "free", problem.distortion == "solve"
    bends = free_centre or free_k1
    fit = fit_square(reduce_edges(marks)[0], focal, beliefs, straight=not bends)
    if not bends:
        return fit
    return fit_lens(marks, fit, focal, free_centre=free_centre, free_k1=free_k1, noise=noise, beliefs=beliefs)


def _marks(problem: CameraProblem) -> Marks:
    """The marked points in the solver's coordinates."""
    points = [point for line in problem.lines for point in line.points]
    return Marks(
        (np.array(points, float).reshape(-1, 2) - axis_of(problem)) / half_diagonal_of(problem),
        np.array([len(line.points) for line in problem.lines], np.intp),
        np.array([RUNS.index(line.family) for line in problem.lines], np.intp),
        np.array([HAND_SIGMA_PX / (line.sigma_px or HAND_SIGMA_PX) for line in problem.lines]),
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


def _beliefs(problem: CameraProblem, marks: Marks, noise: float) -> Beliefs:
    """What is believed besides the edges: an expected focal length; with one run alone, a level camera."""
    size, expected = problem.image, None
    if problem.focal_prior is not None and not (problem.focal_px or problem.focal_35mm):
        focal = focal_px_from_35mm(problem.focal_prior.focal_35mm, size.width, size.height)
        expected = (float(np.log(focal / half_diagonal_of(problem))), noise / problem.focal_prior.width)
    runs = _runs(marks)
    if len(runs) != 1:
        return Beliefs(expected)
    if runs == [2]:
        return Beliefs(expected, facing=noise / 1e-4)
    return Beliefs(expected, level=noise / LEVEL_SIGMA)


def _runs(marks: Marks) -> list[int]:
    return [run for run in range(3) if np.any(marks.run == run)]


def _assumed(problem: CameraProblem, marks: Marks) -> tuple[str, ...]:
    found = []
    runs = _runs(marks)
    if problem.focal_prior is not None and not (problem.focal_px or problem.focal_35mm):
        found.append("focal length")
    if runs == [2]:
        found.append("heading")
    elif len(runs) == 1:
        found.append("roll")
    return tuple(found)


def _refuse_too_few(problem: CameraProblem, marks: Marks, focal_known: bool) -> None:
    counts = [int(np.count_nonzero(marks.run == run)) for run in range(3)]
    have = ", ".join(f"{count} of {RUN_WORDS[run]}" for run, count in zip(RUNS, counts, strict=True))
    lens = problem.principal_point == "free" or problem.distortion == "solve"
    expected = focal_known or problem.focal_prior is not None
    if sum(count > 0 for count in counts) < 2:
        if not expected or lens:
            raise InputError("lines", f"too few edges: two runs are needed at least (there are {have})")
        if max(counts) < 2:
            raise InputError("lines", f"too few edges: one run alone needs two edges (there are {have})")
        return
    needed = 3 if expected else 4
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
    hand's counts as half of one, and Student's t for that many stands in for the normal (docs/methods).
    With no residual at all nothing shows a slip, and twice the hand's is believed.
    """
    freedom = max(len(marks.run) - len(fit.information) + int((marks.counts - 2).sum()), 0)
    hand = HAND_SIGMA_PX / half_diagonal
    if not freedom:
        return 2 * hand, float(np.sqrt(fit.square))
    looks = float(np.sqrt(fit.square / freedom))
    blend = float(np.sqrt((_HAND_COUNTS * hand**2 + fit.square) / (_HAND_COUNTS + freedom)))
    wide = float(stdtrit(_HAND_COUNTS + freedom, 0.975)) / 1.96
    return max(hand, blend * wide), looks


def _no_camera(
    problem: CameraProblem, fit: Fit, marks: Marks, focal_exact: bool, noise_px: float, half_diagonal: float
) -> str | None:
    """Why the edges give no camera; None if they do."""
    edges, runs = reduce_edges(marks)[0], _runs(marks)
    settled = focal_exact or problem.focal_prior is not None
    names = " and ".join(RUN_WORDS[RUNS[run]] for run in runs)
    points = {run: vanishing_point(edges, run) for run in runs}
    if not settled and problem.principal_point != "free":
        finite = {run: p[:2] / p[2] for run, p in points.items() if p is not None and abs(p[2]) > 1e-6}
        wrong = [(i, j) for i, j in combinations(finite, 2) if finite[i] @ finite[j] > 0]
        poor = noise_px > 12 or fit.focal > 60 or fit.focal < 0.12
        if wrong and poor:
            i, j = (RUN_WORDS[RUNS[run]] for run in wrong[0])
            return (
                f"the vanishing points of {i} and {j} lie on the same side of the picture's centre, so "
                "the two can't be square to each other; check which run each edge belongs to, "
                "or whether the picture was cropped"
            )
    scale = np.sqrt(np.maximum(np.diag(fit.information), 1e-300))
    values = np.linalg.eigvalsh(fit.information / np.outer(scale, scale))
    free = settled or problem.principal_point == "free"
    together = [RUN_WORDS[RUNS[run]] for run in runs if _is_one_line(edges, run, 3 * HAND_SIGMA_PX / half_diagonal)]
    if values[0] < 1e-10 and together:
        return f"the edges of {together[0]} all lie along one line; mark another, well apart from it"
    if values[0] < 1e-10 or (not free and (fit.focal > 60 or fit.focal < 0.05)):
        return (
            f"{names} show no vanishing (their edges stay parallel in the picture), which tells nothing "
            "of the focal length; mark edges of another run, or give the focal length"
        )
    if noise_px > 40:
        return f"the edges of {names} disagree by {noise_px:.0f} px; check which run each belongs to"
    return None


def _is_one_line(edges: Edges, run: int, near: float) -> bool:
    """Whether a run has several edges and all lie along the longest of them."""
    mine = edges.run == run
    first, second = edges.first[mine], edges.second[mine]
    if len(first) < 2:
        return False
    longest = int(np.argmax(np.linalg.norm(second - first, axis=1)))
    way = second[longest] - first[longest]
    aside = np.array([-way[1], way[0]]) / max(float(np.linalg.norm(way)), 1e-12)
    return bool(np.abs((np.concatenate([first, second]) - first[longest]) @ aside).max() < near)
