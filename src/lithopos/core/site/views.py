"""What each photograph brings to its site: the camera that it gives alone, its marks, and what is believed besides."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.camera.hand import pinhole_by_hand
from lithopos.core.camera.known import pinhole_known
from lithopos.core.camera.pinhole import Pinhole, focal_px_from_35mm, view_angles
from lithopos.core.camera.problem import CameraProblem, HandCamera, KnownCamera, LengthIn, Pixel, XAxis
from lithopos.core.camera.scale import marked_variance, scale_of, seen_units
from lithopos.core.camera.solution import HAND_SIGMA_PX, Solution, axis_of, half_diagonal_of
from lithopos.core.camera.solve import LEVEL_SIGMA, bearable, solve
from lithopos.core.camera.vanishing import RUNS, Marks, kept
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.questions import camera_problem_of
from lithopos.core.shot import Shot

# How far a camera set by hand may be off: logarithm of the focal length, tilt and roll [rad], logarithm of the height.
BY_HAND = (0.15, np.radians(3.0), 0.3)
QUARTERS: dict[XAxis, int] = {"a": 0, "b": 1, "-a": 2, "-b": 3}
KNOWN = (1e-5, np.radians(0.01), 1e-3)  # … and one that was brought

__all__ = ["Belief", "View", "alone", "view_of"]


@dataclass(frozen=True)
class Belief:
    """A figure that is expected besides what is marked, with its standard deviation."""

    value: float
    sigma: float


@dataclass(frozen=True)
class View:
    """One photograph of a site.

    Attributes
    ----------
    alone : the camera by this photograph alone, 1 unit up where `metric` is false, else in metres.
    axis_px : the assumed principal point (2,); `centre` (2,) how far off it the camera alone lies [half diagonals].
    marks : edges in half diagonals from the assumed principal point, those left out that contradict the others.
    half_px : half the picture's diagonal [px].
    mark_px : how well a point of these edges is known [px].
    free : whether the focal length, the principal point and the distortion are to be solved for.
    log_focal, tilt, roll, log_height : what is believed of them; focal length in px.
    lengths : known ones with the variance of their logarithm from their own ends and the tape.
    origin, quarters : of the shot's own frame: where it sees its origin [px], and by how many quarter turns from
        run A its x axis lies.
    """

    id: str
    alone: Pinhole
    axis_px: Array
    centre: Array
    metric: bool
    marks: Marks
    half_px: float
    mark_px: float
    free: tuple[bool, bool, bool]
    log_focal: Belief | None = None
    tilt: Belief | None = None
    roll: Belief | None = None
    log_height: Belief | None = None
    lengths: tuple[tuple[LengthIn, float], ...] = ()
    origin: Pixel | None = None
    quarters: int = 0

    @property
    def runs(self) -> NDArray[np.bool_]:
        """Whether edges of run A, of run B and plumb ones are marked."""
        return np.array([bool(np.any(self.marks.run == run)) for run in range(3)])


def view_of(name: str, shot: Shot) -> View | NoAnswer:
    """What a shot's photograph brings to its site; the reason why it can't be a part of it yet."""
    try:
        problem = camera_problem_of(shot)
        camera = shot.camera
        if isinstance(camera, HandCamera):
            size = problem.image
            pinhole = pinhole_by_hand(camera, size.width, size.height, shot.origin)
            return _held(name, problem, pinhole, BY_HAND)
        if isinstance(camera, KnownCamera):
            return _held(name, problem, pinhole_known(camera, problem.image.width, problem.image.height), KNOWN)
        found = alone(problem.model_dump_json())
        return found if isinstance(found, NoAnswer) else replace(found, id=name)
    except InputError as error:
        return NoAnswer(error.cause)


@lru_cache(64)
def alone(question: str) -> View | NoAnswer:
    """A photograph's camera alone, kept: of a site's photographs one changes at a time."""
    problem, _ = bearable(CameraProblem.model_validate_json(question))
    solution = solve(problem)
    return solution if isinstance(solution, NoAnswer) else _solved("", solution)


def _held(name: str, problem: CameraProblem, pinhole: Pinhole, widths: tuple[float, float, float]) -> View:
    """A camera that is by hand or brought: its edges do not count."""
    tilt, roll, _ = view_angles(pinhole.rotation)
    nothing = np.zeros(0, np.intp)
    return View(
        name,
        pinhole,
        pinhole.principal_point,
        np.zeros(2),
        True,
        Marks(np.zeros((0, 2)), nothing, nothing, np.zeros(0)),
        half_diagonal_of(problem),
        HAND_SIGMA_PX,
        (True, False, False),
        Belief(float(np.log(pinhole.focal_px)), widths[0]),
        Belief(tilt, widths[1]),
        Belief(roll, widths[1]),
        Belief(float(np.log(pinhole.position[2])), widths[2]),
        origin=problem.origin,
    )


def _solved(name: str, solution: Solution) -> View:
    problem, unit = solution.problem, solution.unit_camera()
    half = half_diagonal_of(problem)
    lengths = _known_lengths(problem, solution)
    height = problem.camera_height
    scale = scale_of(solution).height if problem.is_metric else 1.0
    marks = kept(solution.marks, ~solution.aside)
    runs = {RUNS[run] for run in marks.run}
    prior = problem.focal_prior
    expected = None
    if prior is not None and not solution.focal_exact:
        focal = focal_px_from_35mm(prior.focal_35mm, problem.image.width, problem.image.height)
        expected = Belief(float(np.log(focal)), prior.width)
    wide = max(height.plus_minus_m / 1.96 / height.metres, 1e-6) if height else 0.0
    return View(
        name,
        replace(unit, position=unit.position * scale),
        axis_of(problem),
        solution.fit.centre,
        problem.is_metric,
        marks,
        half,
        _mark_px(solution, marks, half),
        (not solution.focal_exact, problem.principal_point == "free", problem.distortion == "solve"),
        log_focal=expected,
        roll=Belief(0.0, float(LEVEL_SIGMA)) if len(runs) == 1 and "plumb" not in runs else None,
        log_height=Belief(float(np.log(height.metres)), wide) if height else None,
        lengths=lengths,
        origin=problem.origin,
        quarters=QUARTERS[problem.x_along],
    )


def _mark_px(solution: Solution, marks: Marks, half: float) -> float:
    """How well points are marked, by how they agree; never better than by hand, whose word counts as half of one."""
    freedom = max(len(marks.run) - len(solution.covariance) + int((marks.counts - 2).sum()), 0)
    square = 0.5 * (HAND_SIGMA_PX / half) ** 2 + solution.fit.square
    return max(HAND_SIGMA_PX, half * float(np.sqrt(square / (0.5 + freedom))))


def _known_lengths(problem: CameraProblem, solution: Solution) -> tuple[tuple[LengthIn, float], ...]:
    found = []
    for length in problem.lengths:
        if length.metres is not None and np.isfinite(seen_units(solution.unit_camera(), length)):
            tape = length.plus_minus_m / 1.96 / length.metres
            found.append((length, max(marked_variance(solution, length) + tape**2, 1e-12)))
    return tuple(found)
