"""Which one further edge would help most, read off the covariance."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.vanishing import edge_residuals, pair_edges

_LENGTH = 0.3  # of the proposed edge, in half diagonals
_RUN_NAMES = ("of run A", "of run B", "that is plumb")
PLACES = {  # middles of proposed edges, in shares of the picture
    "at the upper left": (0.18, 0.2),
    "at the top": (0.5, 0.15),
    "at the upper right": (0.82, 0.2),
    "on the left": (0.15, 0.55),
    "on the right": (0.85, 0.55),
    "at the lower left": (0.18, 0.85),
    "at the bottom": (0.5, 0.88),
    "at the lower right": (0.82, 0.85),
}

__all__ = ["PLACES", "best_further_edge"]


def best_further_edge(
    rotation: Array,
    focal: float,
    information: Array,
    sigma: float,
    width: int,
    height: int,
    focal_known: bool,
) -> list[str]:
    """One sentence on the edge that would cut the weakest figure's error most; none if little is to gain.

    Parameters
    ----------
    rotation, focal, information, sigma : of the fit, in the solver's coordinates (half diagonals).
    width, height : the picture's size [px].
    focal_known : whether the focal length was given; then the orientation is judged.
    """
    half = np.hypot(width, height) / 2
    run, place = (part.ravel() for part in np.meshgrid(np.arange(3), np.arange(len(PLACES)), indexing="ij"))
    middle = (np.array(list(PLACES.values())) - 0.5) * [width, height] / half
    seen = rotation[:, run].T
    vanishing = seen * [focal, focal, 1.0]
    way = vanishing[:, :2] - vanishing[:, 2:] * middle[place]
    reach = np.linalg.norm(way, axis=1, keepdims=True)
    way = way / np.maximum(reach, 1e-12) * _LENGTH / 2
    edges = pair_edges(middle[place] - way, middle[place] + way, run)
    slope = edge_residuals(edges, vanishing)[1] * [focal, focal, 1.0]
    by_focal = slope[:, 0] * seen[:, 0] + slope[:, 1] * seen[:, 1]
    turn = np.cross(seen, slope)
    rows = turn if focal_known else np.column_stack([by_focal, turn])
    now = _judged(information[None], focal_known)[0]
    then = _judged(information + rows[:, :, None] * rows[:, None, :], focal_known)
    best = int(np.argmin(then))
    if not then[best] < 0.85 * now:
        return []
    name = f"Another edge {_RUN_NAMES[run[best]]}, long, {list(PLACES)[place[best]]}"
    if focal_known:
        before, after = np.degrees([now * sigma * 2, then[best] * sigma * 2])
        return [f"{name}, would bring the orientation from ± {before:.2f}° to ± {after:.2f}°."]
    before, after = now * sigma * 200, then[best] * sigma * 200
    if before > 60:
        return [f"{name}, would bring the focal length to ± {after:.1f} %."] if after < 60 else [f"{name}, would help."]
    return [f"{name}, would bring the focal length from ± {before:.1f} % to ± {after:.1f} %."]


def _judged(information: Array, focal_known: bool) -> Array:
    """The standard deviation to be brought down, for each information matrix (N, n, n)."""
    covariance = np.linalg.inv(information)
    square = np.trace(covariance, axis1=1, axis2=2) if focal_known else covariance[:, 0, 0]
    return np.asarray(np.sqrt(np.maximum(square, 0)))
