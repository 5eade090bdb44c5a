"""How large the sun appears, from the soft edges of its shadows.

A place on the ground that moves by x across the penumbra sees the edge that throws it move by `x |u · n| / r` over the
sun: r is the way to that edge along the sun's ray, n the normal of the plane through edge and sun. From full light to
full shade that is the sun's apparent diameter.
"""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.marks.penumbra import SoftEdge

CLEAR_DEG = 0.53  # the sun itself
LEAST_DEG, MOST_DEG = 0.1, 30.0
_MODEL = 0.08  # no edge is straight, no sun even: what the method itself may be off by, relative

__all__ = ["CLEAR_DEG", "LEAST_DEG", "MOST_DEG", "Penumbra", "PenumbraAnswer", "SoftnessAnswer", "solve_softness"]


class Penumbra(BaseModel):
    """A stroke across a shadow's edge on the ground, from light to shade, and what throws it [px].

    Attributes
    ----------
    top : the point of the thing whose shadow lies there; or else
    height_m : how high above the ground it is.
    soft : the edge as it was found in the picture.
    """

    model_config = ConfigDict(extra="forbid")
    across: Annotated[list[Pixel], Field(min_length=2, max_length=2)]
    top: Pixel | None = None
    height_m: Annotated[FiniteFloat, Field(gt=0, le=1000)] | None = None
    soft: SoftEdge | None = None


class PenumbraAnswer(BaseModel):
    """One soft edge's apparent size of the sun; or why it tells none."""

    diameter_deg: float | None = None
    sigma_deg: float | None = None
    reason: str | None = None


class SoftnessAnswer(BaseModel):
    """The sun's apparent diameter by all soft edges together; none where none tells it."""

    diameter_deg: float | None = None
    sigma_deg: float | None = None
    penumbras: list[PenumbraAnswer]


def solve_softness(penumbras: list[Penumbra], camera: Pinhole, sun: Array) -> SoftnessAnswer:
    """The sun's apparent size, weighted by how well each edge tells it.

    Parameters
    ----------
    sun : (3,) unit vector from the ground to it.
    """
    answers = [_diameter(one, camera, sun) for one in penumbras]
    told = [(a.diameter_deg, a.sigma_deg) for a in answers if a.diameter_deg is not None and a.sigma_deg is not None]
    if not told:
        return SoftnessAnswer(penumbras=answers)
    sizes, sigmas = np.array(told).T
    # The width must not weigh by itself: a narrow one would count as the surer.
    weight = 1 / np.maximum(sigmas, 1e-6) ** 2
    mean = float((weight * sizes).sum() / weight.sum())
    own = float(1 / np.sqrt(weight.sum()))
    spread = float(np.sqrt((weight * (sizes - mean) ** 2).sum() / weight.sum() / max(len(told) - 1, 1)))
    return SoftnessAnswer(
        # Haze widens the sun; nothing makes it smaller than it is.
        diameter_deg=float(np.clip(mean, CLEAR_DEG, MOST_DEG)),
        sigma_deg=float(np.hypot(max(own, spread), _MODEL * mean)),
        penumbras=answers,
    )


def _diameter(mark: Penumbra, camera: Pinhole, sun: Array) -> PenumbraAnswer:
    if mark.soft is None:
        return PenumbraAnswer(reason="the photograph shows no shadow's edge there; draw from full light to full shade")
    middle, normal = np.array(mark.soft.middle), np.array(mark.soft.normal)
    half = max(mark.soft.width_px / 2, 0.05) * normal
    beside = np.array([-normal[1], normal[0]])
    places = camera.ground_points([middle - half, middle + half, middle, middle + beside])
    if not np.isfinite(places).all():
        return PenumbraAnswer(reason="it lies above the horizon, so not on the ground")
    reach = _reach(mark, camera, sun, places[2])
    if isinstance(reach, str):
        return PenumbraAnswer(reason=reach)
    plane = np.cross(sun, places[3] - places[2])
    plane = plane / max(float(np.linalg.norm(plane)), 1e-12)
    diameter = float(np.degrees(abs((places[1] - places[0]) @ plane) / reach))
    return PenumbraAnswer(diameter_deg=diameter, sigma_deg=diameter * mark.soft.sigma_px / mark.soft.width_px)


def _reach(mark: Penumbra, camera: Pinhole, sun: Array, place: Array) -> float | str:
    """How far the thing that throws a shadow is along the sun's ray; or why that is not known."""
    if mark.height_m is not None:
        return mark.height_m / float(sun[2])
    if mark.top is None:
        return "what throws it is not known; give its height, or mark it"
    matrix = np.column_stack([sun, -camera.rays([mark.top])[0]])
    reach = float(np.linalg.lstsq(matrix, camera.position - place, rcond=None)[0][0])
    return reach if reach > 1e-6 else "what was marked does not lie between that place and the sun"
