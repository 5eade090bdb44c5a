"""How large the world is: known lengths anywhere in the picture, and lengths to be measured.

All lengths are first seen by a camera 1 unit above the ground. A known length ℓ seen as d units puts
the camera ℓ/d above the level it stands on. Several known lengths, and a known camera height as one
more, are combined in the logarithm of the height, each weighted by the inverse of its variance.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import CameraProblem, LengthAnswer, LengthIn
from lithopos.core.camera.solution import HAND_SIGMA_PX, Solution, half_diagonal_of
from lithopos.core.errors import InputError

_ABOVE = "its level lies above the camera"
_WALLS = {"wall_a": 1, "wall_b": 0}  # the world axis square to the wall

__all__ = [
    "Scale",
    "length_answers",
    "lengths_through",
    "marked_variance",
    "scale_of",
    "seen_points",
    "seen_units",
]


@dataclass(frozen=True)
class Scale:
    """The camera's height above the ground and what it rests on.

    Attributes
    ----------
    height : [m]; 1 without a scale.
    slope : (n,) of log height by the solved figures.
    own : variance of log height from the yardsticks' own ends and lengths.
    weights : (L,) of each yardstick in the logarithm of the height; the known camera height is last.
    doubt : further variance of log height, where the yardsticks disagree by more than they should.
    """

    height: float
    slope: Array
    own: float
    weights: Array
    doubt: float = 0.0


def _lengths(problem: CameraProblem) -> list[tuple[str, LengthIn]]:
    """Every marked length with the name of its field, the contract's one yardstick first."""
    named = [(f"lengths[{i}]", length) for i, length in enumerate(problem.lengths)]
    if problem.scale is not None:
        stick = LengthIn.model_validate({"from": problem.scale.from_, "to": problem.scale.to})
        named.insert(0, ("scale", stick.model_copy(update={"metres": problem.scale.metres})))
    return named


def seen_points(unit: Pinhole, length: LengthIn, shift: Array | None = None) -> Array:
    """Both ends (2, 3) of a marked length in the frame of a camera 1 unit above its level.

    Parameters
    ----------
    shift : (3, 2) moves the first end, the second and the foot [px], to see what their error does.

    Returns
    -------
    NaN for an end that does not meet its surface in front of the camera.
    """
    moved = np.zeros((3, 2)) if shift is None else shift
    ends = np.array([length.from_, length.to]) + moved[:2]
    if length.on == "ground":
        return unit.ground_points(ends)
    foot_px = ends[0] if length.foot is None else np.array(length.foot) + moved[2]
    foot = unit.ground_points(foot_px)[0]
    if length.on == "plumb":
        return np.array([_over(unit, foot, end) for end in ends])
    return _on_wall(unit, foot, _WALLS[length.on], ends)


def _over(unit: Pinhole, foot: Array, pixel: Array) -> Array:
    """The point of the plumb line over `foot` that is nearest to the ray through a pixel.

    The least squares of the two lines' distance; see docs/methods/camera.md, "Lengths".
    """
    ray = unit.rays(pixel)[0]
    away = foot - unit.position
    across = 1 - ray[2] ** 2
    if across < 1e-12:
        return np.full(3, np.nan)
    height = (ray[2] * (away @ ray) - away[2]) / across
    point = foot + [0.0, 0.0, height]
    return point if (point - unit.position) @ ray > 0 else np.full(3, np.nan)


def _on_wall(unit: Pinhole, foot: Array, axis: int, pixels: Array) -> Array:
    """Where rays through pixels (N, 2) meet the upright plane through `foot`, square to a world axis."""
    rays = unit.rays(pixels)
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = (foot[axis] - unit.position[axis]) / rays[:, axis]
    reach = np.where((reach > 0) & (reach < 1e5), reach, np.nan)
    return np.asarray(unit.position + reach[:, None] * rays)


def seen_units(unit: Pinhole, length: LengthIn, shift: Array | None = None) -> float:
    """How long a marked length is in the frame of a camera 1 unit above its level; see `seen_points`."""
    ends = seen_points(unit, length, shift)
    return float(np.linalg.norm(ends[1] - ends[0]))


def _own_slope(unit: Pinhole, length: LengthIn) -> Array:
    """The logarithm of a length seen by its own marked pixels, (6,) per px."""
    here, step = np.log(seen_units(unit, length)), 1e-3
    shifts = step * np.eye(6).reshape(6, 3, 2)
    return np.array([np.log(seen_units(unit, length, shift)) - here for shift in shifts]) / step


def marked_variance(solution: Solution, length: LengthIn) -> float:
    """Variance of the logarithm of a length from the marking of its ends: the hand that marked the edges."""
    sigma_px = solution.sigma * half_diagonal_of(solution.problem)
    return sigma_px**2 * float((_own_slope(solution.unit_camera(), length) ** 2).sum())


def scale_of(solution: Solution) -> Scale:
    """The camera's height above the ground, from everything known.

    Raises
    ------
    InputError
        If an end of a yardstick does not meet the surface that it is said to lie on.
    """
    problem, count = solution.problem, len(solution.covariance)
    known = [(name, length) for name, length in _lengths(problem) if length.metres is not None]
    unit = solution.unit_camera()
    for name, length in known:
        seen = seen_units(unit, length)
        if not np.isfinite(seen):
            raise InputError(name, _misses(length))
        if seen < 1e-9:
            raise InputError(name, "has no length on its surface: both ends are the same point of it")
    heights = [(length.metres or 0) / seen_units(unit, length) + length.level_m for _, length in known]
    if any(height <= 1e-6 for height in heights):
        raise InputError(known[int(np.argmin(heights))][0], "would put the camera below the ground")
    slopes, owns = [], []
    for (_, length), height in zip(known, heights, strict=True):
        share = (height - length.level_m) / height  # of the height that follows from the length
        by_camera = solution.slopes(lambda camera, length=length: np.array([np.log(seen_units(camera, length))]))  # type: ignore[misc]
        slopes.append(-share * by_camera[0])
        tape = length.plus_minus_m / 1.96 / (length.metres or 1)
        owns.append(share**2 * (marked_variance(solution, length) + tape**2))
    if problem.camera_height is not None:
        heights.append(problem.camera_height.metres)
        slopes.append(np.zeros(count))
        owns.append(max(problem.camera_height.plus_minus_m / 1.96 / problem.camera_height.metres, 1e-6) ** 2)
    if not heights:
        return Scale(1.0, np.zeros(count), 0.0, np.zeros(0))
    return _combined(np.array(heights), np.array(slopes), np.array(owns), solution.covariance)


def _combined(heights: Array, slopes: Array, owns: Array, covariance: Array) -> Scale:
    variances = np.einsum("ij,jk,ik->i", slopes, covariance, slopes) + owns
    precision = 1 / np.maximum(variances, 1e-14)
    weights = precision / precision.sum()
    mean = float(weights @ np.log(heights))
    # Yardsticks that disagree by more than they should are all believed less (the Birge ratio).
    excess = float(precision @ (np.log(heights) - mean) ** 2) / max(len(heights) - 1, 1) - 1
    doubt = max(excess, 0.0) / float(precision.sum())
    return Scale(float(np.exp(mean)), weights @ slopes, float(weights**2 @ owns), weights, doubt)


def length_answers(solution: Solution, scale: Scale) -> list[LengthAnswer]:
    """Every marked length as the solved camera sees it, in the order of `lengths` (`scale` left out)."""
    unit = solution.unit_camera()
    sticks = [name for name, length in _lengths(solution.problem) if length.metres is not None]
    found = []
    for name, length in _lengths(solution.problem):
        if name == "scale":
            continue
        seen = seen_units(unit, length)
        if not np.isfinite(seen):
            found.append(LengthAnswer(metres=None, sigma_m=None, reason=_misses(length)))
        elif not solution.problem.is_metric:
            found.append(LengthAnswer(metres=None, sigma_m=None, reason="no yardstick tells the scale yet"))
        elif seen * (scale.height - length.level_m) <= 0:
            found.append(LengthAnswer(metres=None, sigma_m=None, reason=_ABOVE))
        else:
            mine = sticks.index(name) if name in sticks else None
            found.append(_length_answer(solution, scale, length, seen, mine))
    return found


def lengths_through(camera: Pinhole, problem: CameraProblem) -> list[LengthAnswer]:
    """The same through a camera set by hand, whose height is what it is; the deviation is the marks' alone."""
    found = []
    for length in problem.lengths:
        above = float(camera.position[2]) - length.level_m
        unit = replace(camera, position=np.array([0.0, 0.0, 1.0]))
        seen = seen_units(unit, length)
        if not np.isfinite(seen):
            found.append(LengthAnswer(metres=None, sigma_m=None, reason=_misses(length)))
        elif above <= 0:
            found.append(LengthAnswer(metres=None, sigma_m=None, reason=_ABOVE))
        else:
            sigma = HAND_SIGMA_PX * float(np.sqrt((_own_slope(unit, length) ** 2).sum()))
            off = 100 * float(np.log(length.metres / (seen * above))) if length.metres else None
            spread = 100 * sigma if length.metres else None
            found.append(
                LengthAnswer(metres=seen * above, sigma_m=seen * above * sigma, off_percent=off, sigma_percent=spread)
            )
    return found


def _length_answer(solution: Solution, scale: Scale, length: LengthIn, seen: float, mine: int | None) -> LengthAnswer:
    metres = seen * (scale.height - length.level_m)
    by_camera = solution.slopes(lambda camera: np.array([np.log(seen_units(camera, length))]))[0]
    share = scale.height / (scale.height - length.level_m)
    slope = by_camera + share * scale.slope
    pixels = marked_variance(solution, length)
    variance = slope @ solution.covariance @ slope + share**2 * (scale.own + scale.doubt) + pixels
    sigma = metres * float(np.sqrt(max(variance, 0)))
    if mine is None or length.metres is None:
        return LengthAnswer(metres=metres, sigma_m=sigma)
    rest = 1 - scale.weights[mine]
    if rest < 1e-9:  # nothing else tells the scale
        return LengthAnswer(metres=metres, sigma_m=sigma)
    # With log h = w log h₁ + (1 − w) log h_rest, the disagreement log (h₁ / h_rest) is log (h₁ / h) / (1 − w).
    height = length.metres / seen + length.level_m
    off = float(np.log(height / scale.height)) / rest
    part = (height - length.level_m) / height
    own = part**2 * (pixels + (length.plus_minus_m / 1.96 / length.metres) ** 2)
    mine_slope = -part * by_camera
    others = (scale.slope - scale.weights[mine] * mine_slope) / rest
    other_own = max(scale.own - scale.weights[mine] ** 2 * own, 0) / rest**2
    difference = mine_slope - others
    spread = float(np.sqrt(difference @ solution.covariance @ difference + own + other_own))
    return LengthAnswer(metres=metres, sigma_m=sigma, off_percent=100 * off, sigma_percent=100 * spread)


def _misses(length: LengthIn) -> str:
    if length.on == "ground":
        return "an end lies above the horizon, so not on the ground"
    if length.on == "plumb":
        return "its foot does not lie on the ground, or an end lies behind the camera"
    return "an end does not meet the wall in front of the camera, or the wall's foot is not on the ground"
