"""How well a site's photographs agree on where things stand: an ellipse about each thing's foot in each picture."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from pydantic import BaseModel

from lithopos.core.site.frame import frame_of
from lithopos.core.site.joint import Figures
from lithopos.core.site.solve import SiteSolution

ROUND = 2.4477  # standard deviations of an ellipse that holds 95 % of two figures

__all__ = ["Ellipse", "foot_ellipse", "worst_ellipse"]


class Ellipse(BaseModel):
    """How well a place is known in a picture: it lies within at 95 % [px, deg from the picture's x axis clockwise].

    `put_in` is the photograph in which the thing is taken to have been put.
    """

    at: tuple[float, float]
    half_long_px: float
    half_short_px: float
    turn_deg: float
    put_in: str = ""


def foot_ellipse(found: SiteSolution, point: tuple[float, float, float], from_: str, to: str) -> Ellipse | None:
    """How well a picture knows where something stands that was put there in another picture.

    Parameters
    ----------
    point : [m]; its pixel in `from_` is what was put, `to` shows it.

    Returns
    -------
    None where one of the two does not show it.
    """
    frame, solved = frame_of(found), found.solved
    first, second = found.members.index(from_), found.members.index(to)
    pixel = frame.pinhole(solved.figures, first).project(np.array(point))
    if not np.isfinite(pixel).all() or not frame.pinhole(solved.figures, first).shows(pixel)[0]:
        return None

    def seen(now: Figures) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
        foot = frame.pinhole(now, first).ground_points(pixel, point[2])
        return np.asarray(frame.pinhole(now, second).project(foot)[0])

    at = seen(solved.figures)
    if not np.isfinite(at).all() or not frame.pinhole(solved.figures, second).shows(at[None])[0]:
        return None
    values, ways = np.linalg.eigh(solved.spread(seen))
    short, long = ROUND * np.sqrt(np.maximum(values, 0))
    turn = float(np.degrees(np.arctan2(ways[1, 1], ways[0, 1]))) % 180
    told = {"at": (float(at[0]), float(at[1])), "half_long_px": long, "half_short_px": short, "turn_deg": turn}
    return Ellipse.model_validate(told | {"put_in": from_})


@lru_cache(1024)
def worst_ellipse(found: SiteSolution, point: tuple[float, float, float], to: str) -> Ellipse | None:
    """The same for whichever of the other photographs it was put in, at worst; kept as long as the solution is."""
    others = [foot_ellipse(found, point, name, to) for name in found.members if name != to]
    return max((one for one in others if one), key=lambda one: one.half_long_px, default=None)
