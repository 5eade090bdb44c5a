"""Which one further edge would help most, read off the covariance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lithopos.core.camera.vanishing import edge_residuals, reduce_edges

Array = NDArray[np.float64]

_RUN_NAMES = ("of run A", "of run B", "that is plumb")
_PLACES = {
    "at the upper left": (0.18, 0.2), "at the top": (0.5, 0.15), "at the upper right": (0.82, 0.2),
    "on the left": (0.15, 0.55), "on the right": (0.85, 0.55),
    "at the lower left": (0.18, 0.85), "at the bottom": (0.5, 0.88), "at the lower right": (0.82, 0.85),
}  # fmt: skip

__all__ = ["best_further_edge"]


def best_further_edge(
    rotation: Array, focal: float, information: Array, sigma: float, width: int, height: int, focal_known: bool
) -> list[str]:
    """One sentence on the edge that would cut the weakest figure's error most; none if little is to gain.

    Parameters
    ----------
    rotation, focal, information, sigma : of the fit, in the solver's coordinates (half diagonals).
    width, height : the picture's size [px].
    focal_known : whether the focal length was given; then the orientation is judged.
    """
    half = np.hypot(width, height) / 2
    length = 0.3
    now = _judged(information, focal_known)
    best: tuple[float, str] = (now, "")
    for run, name in enumerate(_RUN_NAMES):
        vanishing = rotation[:, run] * [focal, focal, 1.0]
        for place, (fx, fy) in _PLACES.items():
            middle = (np.array([fx * width, fy * height]) - [width / 2, height / 2]) / half
            way = vanishing[:2] - vanishing[2] * middle
            if np.linalg.norm(way) < 1e-9:
                continue
            way = way / np.linalg.norm(way) * length / 2
            edge = reduce_edges([np.array([middle - way, middle + way])], [run])
            seen = rotation[:, [run]].T
            slope = edge_residuals(edge, seen * [focal, focal, 1.0])[1] * [focal, focal, 1.0]
            by_focal = slope[:, 0] * seen[:, 0] + slope[:, 1] * seen[:, 1]
            turn = np.cross(seen, slope)
            row = turn if focal_known else np.column_stack([by_focal, turn])
            then = _judged(information + row.T @ row, focal_known)
            if then < best[0]:
                best = (then, f"another edge {name}, long, {place}")
    if not best[1] or best[0] > 0.85 * now:
        return []
    if focal_known:
        before, after = np.degrees([now * sigma * 2, best[0] * sigma * 2])
        return [f"{best[1].capitalize()} would bring the orientation from ± {before:.2f}° to ± {after:.2f}°."]
    before, after = now * sigma * 200, best[0] * sigma * 200
    return [f"{best[1].capitalize()} would bring the focal length from ± {before:.1f} % to ± {after:.1f} %."]


def _judged(information: Array, focal_known: bool) -> float:
    covariance = np.linalg.inv(information)
    return float(np.sqrt(np.trace(covariance) if focal_known else covariance[0, 0]))
