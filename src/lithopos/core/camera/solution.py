"""A solved camera that is only a turn and a focal length yet, with the covariance of all that was solved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.camera.fit import Fit, turned_by
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import CameraProblem
from lithopos.core.camera.vanishing import Marks

HAND_SIGMA_PX = 0.7  # how well a hand marks a point through the loupe; never assume better

__all__ = ["HAND_SIGMA_PX", "Solution", "axis_of", "half_diagonal_of"]


def half_diagonal_of(problem: CameraProblem) -> float:
    """Half the picture's diagonal [px]: the unit of the solver's coordinates."""
    return float(np.hypot(problem.image.width, problem.image.height)) / 2


def axis_of(problem: CameraProblem) -> Array:
    """The assumed or told principal point (2,) [px]: the origin of the solver's coordinates."""
    if isinstance(problem.principal_point, tuple):
        return np.array(problem.principal_point)
    return np.array([problem.image.width, problem.image.height]) / 2


@dataclass(frozen=True)
class Solution:
    """What the edges give, before anything is known of the scale.

    Attributes
    ----------
    marks : all marked edges, those set aside included.
    aside : (N,) true for an edge that the robust mode left out.
    fit : from the edges that were kept.
    sigma : standard deviation of a marked coordinate, in half diagonals.
    covariance : (n, n) of (log focal, unless it is exact), turn (3), then centre (2) and k1 where free.
    assumed : plain words for what was not measured but assumed.
    doubts : plain sentences on edges that disagree.
    """

    problem: CameraProblem
    marks: Marks
    aside: NDArray[np.bool_]
    fit: Fit
    sigma: float
    covariance: Array
    focal_exact: bool
    assumed: tuple[str, ...] = ()
    doubts: tuple[str, ...] = ()

    def unit_camera(self, change: Array | None = None) -> Pinhole:
        """The camera 1 unit above the ground, x along run A; `change` (n,) moves the solved figures."""
        fit, problem = self.fit, self.problem
        focal, rotation, centre, k1 = fit.focal, fit.rotation, fit.centre, fit.k1
        if change is not None:
            first = 0 if self.focal_exact else 1
            if first:
                focal = focal * float(np.exp(change[0]))
            rotation = turned_by(change[first : first + 3]) @ rotation
            if problem.principal_point == "free":
                centre = centre + change[first + 3 : first + 5]
            if problem.distortion == "solve":
                k1 = k1 + float(change[-1])
        half = half_diagonal_of(problem)
        size, place = problem.image, np.array([0.0, 0.0, 1.0])
        return Pinhole(focal * half, axis_of(problem) + centre * half, rotation, place, size.width, size.height, k1)

    def slopes(self, figures: Callable[[Pinhole], Array]) -> Array:
        """How figures of the unit camera (m,) change with what was solved, (m, n); of angles mind the turn."""
        here, step = figures(self.unit_camera()), 1e-6
        columns = [figures(self.unit_camera(step * axis)) - here for axis in np.eye(len(self.covariance))]
        return np.column_stack(columns) / step
