"""How hazy the air is, from one material seen near and far, and the haze itself where it is thickest.

Through air a thing's light J is seen as J t + A (1 − t), t = 2^(−d / h) (Koschmieder 1924). Of the same material at two
distances, (I_far − A) / (I_near − A) = 2^(−(d_far − d_near) / h), whatever J is.
"""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.balance import read_patch

LEAST_APART = 0.02  # linear: what differs less from the haze tells nothing
MOST_CLIPPED = 0.1

__all__ = ["HazeAnswer", "HazeQuestion", "haze_of"]


class HazeQuestion(BaseModel):
    """Pixels of the same material on the ground, near and far, and of the haze where nothing is seen through it."""

    model_config = ConfigDict(extra="forbid")

    near: Pixel
    far: Pixel
    haze: Pixel
    radius_px: float = Field(default=5.0, ge=0.5, le=100)


class HazeAnswer(BaseModel):
    """At how many metres half of the contrast is left, and the haze's own linear colour."""

    half_m: float
    colour: tuple[float, float, float]


def haze_of(question: HazeQuestion, photograph: Picture, camera: Pinhole) -> HazeAnswer:
    """The haze.

    Parameters
    ----------
    camera : for the photograph's size.

    Raises
    ------
    InputError
        If a spot is clipped or not on the ground, or if the far one is no paler than the near one.
    """
    points = camera.ground_points(np.array([question.near, question.far], float))
    if not np.isfinite(points).all():
        raise InputError("haze", "can’t be told there: near and far must lie on the ground")
    near_m, far_m = np.linalg.norm(points - camera.position, axis=1)
    if far_m < 1.5 * near_m:
        raise InputError("haze", "can’t be told: the far spot must lie much further away")
    spots = (question.near, question.far, question.haze)
    seen = [read_patch(photograph, spot, question.radius_px) for spot in spots]
    if any(one.clipped > MOST_CLIPPED for one in seen):
        raise InputError("haze", "can’t be told: one of the spots is too bright to tell its colour")
    near, far, air = (np.array(one.colour) for one in seen)
    apart = near - air
    if float(np.abs(apart).max()) < LEAST_APART:
        raise InputError("haze", "can’t be told: what is near has the haze’s own colour")
    left = float((far - air) @ apart / (apart @ apart))
    if not 0.01 < left < 0.995:
        raise InputError("haze", "can’t be told: the far spot is no mixture of the near one and the haze")
    red, green, blue = np.clip(air, 0, 1)
    half_m = (far_m - near_m) / -np.log2(left)
    return HazeAnswer(half_m=float(half_m), colour=(float(red), float(green), float(blue)))
