"""The sun's direction from shadows in the photograph, most likely of all by every mark together.

What each mark asks of a direction is in `shadows`; here their whitened values are brought as near to nothing as they
go, and what the camera's own uncertainty adds is told.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, NonNegativeFloat, model_validator

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import ImageSize, Pixel, Positive
from lithopos.core.camera.solution import HAND_SIGMA_PX
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.light.shadows import BoxShadow, Gnomon, Pointed, SeenSun, ShadowEdge, ShadowMark

_SMALL = 1e-4  # a small change of the camera [rad, or of 1]
_GRID_DEG = 15  # between the directions that are tried where only outlines tell
_NEAR = 1e-8  # the last step [rad]
SUSPECTS = 4
DISAGREES = 3.0  # a mark is named when without it the others agree this many times better

__all__ = ["KnownCamera", "MarkAnswer", "SunAnswer", "SunProblem", "mark_name", "solve_sun", "sun_direction"]


class KnownCamera(BaseModel):
    """What the sun needs of an answer of `camera`; its other fields may be there or not."""

    focal_px: Positive
    principal_point: Pixel
    rotation: Annotated[
        list[Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)]], Field(min_length=3, max_length=3)
    ]
    camera_position: Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)] | None = None
    camera_position_unit: Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)] | None = None
    distortion_k1: FiniteFloat = 0.0
    sigma: dict[str, NonNegativeFloat] = {}

    @model_validator(mode="after")
    def _is_a_camera_above_the_ground(self) -> KnownCamera:
        if not all(np.isfinite(value) for value in self.sigma.values()):
            raise ValueError("sigma holds a figure that is not finite")
        rotation = np.array(self.rotation)
        if not np.allclose(rotation @ rotation.T, np.eye(3), atol=1e-3) or np.linalg.det(rotation) < 0:
            raise ValueError("rotation is not a rotation matrix")
        position = self.camera_position or self.camera_position_unit
        if position is not None and position[2] <= 0:
            raise ValueError("the camera is not above the ground")
        return self

    def pinhole(self, image: ImageSize) -> Pinhole:
        """The projection, for a picture of the given size."""
        position = self.camera_position or self.camera_position_unit or [0.0, 0.0, 1.0]
        return Pinhole(
            self.focal_px,
            np.array(self.principal_point),
            np.array(self.rotation),
            np.array(position),
            image.width,
            image.height,
            self.distortion_k1,
        )


class SunProblem(BaseModel):
    """What `lithopos sun` takes: marks of any kinds, at least one."""

    model_config = ConfigDict(extra="forbid")
    image: ImageSize
    camera: KnownCamera
    gnomons: Annotated[list[Gnomon], Field(max_length=200)] = []
    shadow_edges: Annotated[list[ShadowEdge], Field(max_length=200)] = []
    boxes: Annotated[list[BoxShadow], Field(max_length=50)] = []
    sun: Pointed | None = None

    @model_validator(mode="after")
    def _something_is_marked(self) -> SunProblem:
        if not self.marks():
            raise ValueError("gnomons: none is given, nor a shadow's edge, nor a box")
        return self

    def marks(self) -> dict[str, ShadowMark]:
        """Every mark by the name of its field."""
        lists: dict[str, list[ShadowMark]] = {
            "gnomons": [*self.gnomons],
            "shadow_edges": [*self.shadow_edges],
            "boxes": [*self.boxes],
        }
        found = {f"{name}[{number}]": mark for name, marks in lists.items() for number, mark in enumerate(marks)}
        return {**found, "sun": self.sun} if self.sun else found


class MarkAnswer(BaseModel):
    """How far a mark's points must move, root mean square, to agree with the solved sun [px]."""

    residual_px: float


class SunAnswer(BaseModel):
    """The direction from the ground to the sun, with standard deviations.

    Attributes
    ----------
    disagrees : the field of the one mark without which all others agree far better; None where there is none.
    """

    direction: tuple[float, float, float]
    azimuth_deg: float
    elevation_deg: float
    sigma_deg: dict[str, float]
    gnomons: list[MarkAnswer]
    shadow_edges: list[MarkAnswer] = []
    boxes: list[MarkAnswer] = []
    disagrees: str | None = None
    warnings: list[str]


def sun_direction(azimuth_rad: float, elevation_rad: float) -> Array:
    """Unit vector (3,) from the ground to the sun; azimuth from +x towards +y."""
    level = np.cos(elevation_rad)
    return np.array([level * np.cos(azimuth_rad), level * np.sin(azimuth_rad), np.sin(elevation_rad)])


def solve_sun(problem: SunProblem) -> SunAnswer | NoAnswer:
    """The sun from shadows seen by a solved camera.

    Raises
    ------
    InputError
        If a mark can't be one: a tip in the sky, a shadow on the sun's side, foot and top the same.
    """
    camera = problem.camera.pinhole(problem.image)
    marks = problem.marks()
    if camera.k1:
        marks = {field: mark.straightened(camera) for field, mark in marks.items()}
        camera = replace(camera, k1=0.0)
    for field, mark in marks.items():
        mark.refuse(camera, field)
    every = list(marks.values())
    start = _start(every, camera)
    if isinstance(start, NoAnswer):
        return start
    for field, mark in marks.items():
        if isinstance(mark, Gnomon):
            mark.agree_with(SeenSun(camera, sun_direction(*start)), field)
    at, jacobian, residuals = _fit(every, camera, start)
    return _answer(problem, marks, camera, at, jacobian, residuals)


def _start(marks: list[ShadowMark], camera: Pinhole) -> Array | NoAnswer:
    """A direction (azimuth, elevation) [rad] to start from: the one most nearly square to all that the marks tell."""
    if not marks:
        return NoAnswer("nothing is marked")
    normals = np.concatenate([np.zeros((0, 3)), *(m.normals(camera) for m in marks if not isinstance(m, BoxShadow))])
    if len(normals) < 2 and any(isinstance(mark, BoxShadow) for mark in marks):
        return _searched(marks, camera)
    if all(isinstance(mark, ShadowEdge) and mark.runs == "plumb" for mark in marks):
        azimuth = _azimuth_alone(normals, marks, camera)
        return NoAnswer(
            f"plumb edges tell the sun's direction ({azimuth:.1f}° from x) but not its height; "
            "mark a thing's top and its shadow's tip, or a level edge"
        )
    if len(normals) == 1:
        return NoAnswer("one point and its shadow give no sun; mark the thing's foot too, or a second shadow")
    _, spread, axes = np.linalg.svd(normals, full_matrices=True)
    if spread[1] < 1e-4:
        return NoAnswer("the shadows give no sun: their lines run together; mark one in another part of the picture")
    x, y, z = axes[-1] * np.sign(axes[-1][2] or 1.0)
    return np.array([np.arctan2(y, x), np.arcsin(np.clip(z, 0.02, 1))])


def _azimuth_alone(normals: Array, marks: list[ShadowMark], camera: Pinhole) -> float:
    """The azimuth [deg] that plumb edges tell: away from the edge, on the side where the sun is."""
    x, y, _ = np.linalg.svd(normals)[2][-1] if len(normals) > 2 else np.cross(normals[0], [0, 0, 1])
    mark = marks[0]
    if isinstance(mark, ShadowEdge):
        ends = camera.ground_points(mark.shadow, mark.level_m)[:, :2]
        # The shadow begins at the end that lies nearer to where the edge meets the ground.
        foot = max(mark.edge, key=lambda point: point[1])
        near, far = sorted(
            zip(ends, mark.shadow, strict=True), key=lambda end: np.linalg.norm(np.subtract(end[1], foot))
        )
        if np.dot(near[0] - far[0], [x, y]) < 0:
            x, y = -x, -y
    return float(np.degrees(np.arctan2(y, x))) % 360


def _searched(marks: list[ShadowMark], camera: Pinhole) -> Array:
    """The best of directions all over the sky, where only outlines tell."""
    tried = np.radians(
        [(azimuth, elevation) for azimuth in range(0, 360, _GRID_DEG) for elevation in range(10, 90, _GRID_DEG // 2)]
    )
    misfit = [float((_whitened(marks, camera, at) ** 2).sum()) for at in tried]
    return np.asarray(tried[int(np.argmin(misfit))])


def _whitened(marks: list[ShadowMark], camera: Pinhole, at: Array) -> Array:
    """All constraint values over their standard deviation for marks with an error of 1 px."""
    seen = SeenSun(camera, sun_direction(at[0], at[1]))
    return np.concatenate([mark.whitened(seen) for mark in marks])


def _fit(marks: list[ShadowMark], camera: Pinhole, start: Array) -> tuple[Array, Array, Array]:
    """The best (azimuth, elevation) [rad], its Jacobian for marks off by 1 px, the residuals."""
    # Gauss–Newton with halved steps: two unknowns and a start beside the answer need no more. This runs at every
    # move of a drag: slopes are taken one-sided, from values that are there already.
    at, here = start, _whitened(marks, camera, start)
    slope = _jacobian(marks, camera, at, here)
    for _ in range(40):
        step = np.linalg.lstsq(slope, -here, rcond=None)[0]
        there = _whitened(marks, camera, at + step)
        while (not there @ there <= here @ here or not 0 < at[1] + step[1] < np.pi) and np.abs(step).max() > _NEAR:
            step = step / 2
            there = _whitened(marks, camera, at + step)
        at, here = at + step, there
        slope = _jacobian(marks, camera, at, here)
        if float(np.abs(step).max()) < _NEAR:
            break
    return at, slope, here


def _jacobian(marks: list[ShadowMark], camera: Pinhole, at: Array, here: Array, step: float = 1e-7) -> Array:
    """How the whitened constraints change with (azimuth, elevation) from their values here, (M, 2)."""
    return np.column_stack([_whitened(marks, camera, at + step * axis) - here for axis in np.eye(2)]) / step


def _answer(
    problem: SunProblem,
    marks: dict[str, ShadowMark],
    camera: Pinhole,
    at: Array,
    jacobian: Array,
    residuals: Array,
) -> SunAnswer | NoAnswer:
    every = list(marks.values())
    information = jacobian.T @ jacobian
    freedom = len(residuals) - 2
    noise = max(HAND_SIGMA_PX, float(np.sqrt((residuals**2).sum() / freedom)) if freedom > 0 else 0.0)
    if not np.isfinite(information).all() or np.linalg.cond(information) > 1e14:
        return NoAnswer("the shadows give no sun: their lines run together; mark one in another part of the picture")
    covariance = np.linalg.inv(information) * noise**2 + _from_camera(problem, every, camera, at, jacobian, residuals)
    azimuth, elevation = float(at[0]), float(at[1])
    if not 0 < elevation < np.pi / 2:
        raise InputError(next(iter(marks)), "the sun they give lies below the horizon; check every mark's ends")
    direction = sun_direction(azimuth, elevation)
    sigma = np.degrees(np.sqrt(np.diag(covariance)))
    seen = SeenSun(camera, direction)
    off = {field: float(np.sqrt((mark.whitened(seen) ** 2).mean())) for field, mark in marks.items()}
    disagrees = _disagreeing(marks, off, camera, at, residuals) if noise > 2 * HAND_SIGMA_PX else None
    return SunAnswer(
        direction=(float(direction[0]), float(direction[1]), float(direction[2])),
        azimuth_deg=float(np.degrees(azimuth)) % 360,
        elevation_deg=float(np.degrees(elevation)),
        sigma_deg={"azimuth": float(sigma[0]), "elevation": float(sigma[1])},
        gnomons=_answers(off, "gnomons"),
        shadow_edges=_answers(off, "shadow_edges"),
        boxes=_answers(off, "boxes"),
        disagrees=disagrees,
        warnings=_warnings(sigma, elevation, disagrees),
    )


def _answers(off: dict[str, float], name: str) -> list[MarkAnswer]:
    return [MarkAnswer(residual_px=value) for field, value in off.items() if field.startswith(f"{name}[")]


def _disagreeing(
    marks: dict[str, ShadowMark], off: dict[str, float], camera: Pinhole, at: Array, residuals: Array
) -> str | None:
    """The one mark without which the others agree far better; None where there is none, or it can't be told.

    Sought among the few that are off most: a wrong one need not be the first of them, as it pulls the sun its way.
    """
    whole = float((residuals**2).sum()) / max(len(residuals) - 2, 1)
    best: tuple[float, str] | None = None
    for field in sorted(marks, key=lambda name: -off[name])[:SUSPECTS]:
        others = [mark for name, mark in marks.items() if name != field]
        start = _start(others, camera)
        if isinstance(start, NoAnswer):
            continue
        _, jacobian, left = _fit(others, camera, at)
        if len(left) < 3 or np.linalg.cond(jacobian.T @ jacobian) > 1e14:
            continue
        rest = float((left**2).sum()) / (len(left) - 2)
        if best is None or rest < best[0]:
            best = rest, field
    return best[1] if best and best[0] * DISAGREES**2 < whole else None


def _warnings(sigma: Array, elevation: float, disagrees: str | None) -> list[str]:
    """What is doubtful, in words, and what would help most."""
    found = []
    if disagrees:
        found.append(f"{mark_name(disagrees)} disagrees with all the others; look at its ends, or strike it out.")
    level, upward = sigma[0] * np.cos(elevation), sigma[1]
    if max(level, upward) > 1:
        if level > 2 * upward:
            helps = "the edge of a plumb thing's shadow, as long as can be, would help most"
        elif upward > 2 * level:
            helps = "a tall thing's top and its shadow's tip would help most"
        else:
            helps = "a further shadow, far from the others, would help"
        found.append(
            f"The sun is known to ± {2 * sigma[0]:.1f}° in direction and ± {2 * sigma[1]:.1f}° in height only; {helps}."
        )
    return found


def mark_name(field: str) -> str:
    """A mark's field as one says it: `gnomons[1].tip` is gnomon 2."""
    names = {"gnomons": "Gnomon", "shadow_edges": "Shadow's edge", "boxes": "Box"}
    name, _, number = field.partition("]")[0].partition("[")
    return f"{names[name]} {int(number) + 1}" if number else "The sun in the picture"


def _from_camera(
    problem: SunProblem, marks: list[ShadowMark], camera: Pinhole, at: Array, jacobian: Array, residuals: Array
) -> Array:
    """What the camera's own uncertainty adds, (2, 2) [rad²]; its figures are taken as independent."""
    sigma = problem.camera.sigma
    forward = camera.rotation[2]
    level = np.cross(forward, [0.0, 0.0, 1.0])
    level /= max(float(np.linalg.norm(level)), 1e-9)
    changes = [
        (_turned(camera, level), np.radians(sigma.get("tilt_deg", 0.0))),
        (_turned(camera, forward), np.radians(sigma.get("roll_deg", 0.0))),
        (_turned(camera, np.array([0.0, 0.0, 1.0])), np.radians(sigma.get("heading_deg", 0.0))),
        (replace(camera, focal_px=camera.focal_px * (1 + _SMALL)), sigma.get("focal_px", 0.0) / camera.focal_px),
        # Only what is known in metres, an edge's height, feels how far the lens stands above the ground.
        (
            replace(camera, position=camera.position * (1 + _SMALL)),
            sigma.get("height_m", 0.0) / float(camera.position[2]),
        ),
    ]
    total = np.zeros((2, 2))
    for changed, deviation in changes:
        if not deviation:
            continue
        # One Gauss–Newton step tells where the best direction moves for a slightly other camera.
        difference = _whitened(marks, changed, at) - residuals
        shift = -np.linalg.lstsq(jacobian, difference, rcond=None)[0] * deviation / _SMALL
        total += np.outer(shift, shift)
    return total


def _turned(camera: Pinhole, axis: Array) -> Pinhole:
    """The camera with the world turned by a small angle about an axis."""
    x, y, z = axis * _SMALL
    world = np.array([[1, -z, y], [z, 1, -x], [-y, x, 1]])
    return replace(camera, rotation=camera.rotation @ world.T)
