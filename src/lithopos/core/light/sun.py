"""The sun's direction from gnomons: things and their shadows on the ground.

Two facts hold for each gnomon. Its top, its shadow's tip and the image of the sun's direction lie on
one line; its foot, its tip and the point of the horizon below the sun lie on one line. Both are
bilinear in the marks, so the maximum-likelihood direction minimises the constraints' values whitened
by their own covariance (Sampson's distance; Hartley & Zisserman 2004, section 4.2.6).
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
from lithopos.core.marks.sharp import SharpLine

# What throws a shadow is no perfect line: a shadow's middle is taken to be known no better than so [px].
SHADOW_SIGMA_PX = 0.25
_SMALL = 1e-4  # a small change of the camera [rad, or of 1]

__all__ = ["Gnomon", "GnomonAnswer", "KnownCamera", "SunAnswer", "SunProblem", "solve_sun", "sun_direction"]


class Gnomon(BaseModel):
    """A thing and its shadow [px]: foot and top (one plumb above the other) and the shadow's tip.

    Without a foot it is only a point and its shadow. `shadow` is the shadow's middle line as it was found in the
    picture: it tells the sun's azimuth better than foot and tip.
    """

    model_config = ConfigDict(extra="forbid")
    foot: Pixel | None = None
    top: Pixel
    tip: Pixel
    shadow: SharpLine | None = None


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
    """What `lithopos sun` takes."""

    model_config = ConfigDict(extra="forbid")
    image: ImageSize
    camera: KnownCamera
    gnomons: Annotated[list[Gnomon], Field(min_length=1, max_length=200)]


class GnomonAnswer(BaseModel):
    """How far a gnomon's marks must move, root mean square, to agree with the solved sun [px]."""

    residual_px: float


class SunAnswer(BaseModel):
    """The direction from the ground to the sun, with standard deviations."""

    direction: tuple[float, float, float]
    azimuth_deg: float
    elevation_deg: float
    sigma_deg: dict[str, float]
    gnomons: list[GnomonAnswer]
    warnings: list[str]


def sun_direction(azimuth_rad: float, elevation_rad: float) -> Array:
    """Unit vector (3,) from the ground to the sun; azimuth from +x towards +y."""
    level = np.cos(elevation_rad)
    return np.array([level * np.cos(azimuth_rad), level * np.sin(azimuth_rad), np.sin(elevation_rad)])


def solve_sun(problem: SunProblem) -> SunAnswer | NoAnswer:
    """The sun from gnomons seen by a solved camera.

    Raises
    ------
    InputError
        If a gnomon can't be one: its tip in the sky, its shadow on the sun's side, foot and top the same.
    """
    camera = problem.camera.pinhole(problem.image)
    if camera.k1:
        gnomons = [_straightened(gnomon, camera) for gnomon in problem.gnomons]
        problem, camera = problem.model_copy(update={"gnomons": gnomons}), replace(camera, k1=0.0)
    for number, gnomon in enumerate(problem.gnomons):
        _refuse_impossible(gnomon, camera, f"gnomons[{number}]")
    footless = sum(gnomon.foot is None for gnomon in problem.gnomons)
    if footless == len(problem.gnomons) and footless < 2:
        return NoAnswer("one point and its shadow give no sun; mark the thing's foot too, or a second gnomon")
    start = _start(problem.gnomons, camera)
    if start is None:
        return NoAnswer("the gnomons give no sun: their lines run together; mark one in another part of the picture")
    at, jacobian, residuals = _fit(problem.gnomons, camera, start)
    return _answer(problem, camera, at, jacobian, residuals)


def _straightened(gnomon: Gnomon, camera: Pinhole) -> Gnomon:
    """A gnomon's marks as a lens without distortion would have shown them."""
    marks = {name: mark for name in ("foot", "top", "tip") if (mark := getattr(gnomon, name)) is not None}
    pixels = camera.straightened(list(marks.values()))
    straight = Gnomon.model_validate({name: (float(x), float(y)) for name, (x, y) in zip(marks, pixels, strict=True)})
    if gnomon.shadow is None:
        return straight
    points = [(float(x), float(y)) for x, y in camera.straightened(gnomon.shadow.points)]
    return straight.model_copy(update={"shadow": gnomon.shadow.model_copy(update={"points": points})})


def _refuse_impossible(gnomon: Gnomon, camera: Pinhole, field: str) -> None:
    tip = camera.ground_points([gnomon.tip])[0]
    if not np.isfinite(tip).all():
        raise InputError(f"{field}.tip", "the shadow's tip lies above the horizon, so not on the ground")
    if np.allclose(gnomon.top, gnomon.tip, atol=0.5):
        raise InputError(f"{field}.tip", "top and tip are the same point, which shows no direction")
    if gnomon.foot is None:
        return
    foot = camera.ground_points([gnomon.foot])[0]
    if not np.isfinite(foot).all():
        raise InputError(f"{field}.foot", "lies above the horizon, so not on the ground")
    top = _above(camera, foot, np.array(gnomon.top))
    if top[2] <= 1e-6 * camera.position[2]:
        raise InputError(field, "points below the horizon: its top is not above its foot")
    if np.linalg.norm(tip[:2] - foot[:2]) < 1e-6 * camera.position[2]:
        raise InputError(f"{field}.tip", "foot and tip are the same point, which shows no direction")


def _above(camera: Pinhole, foot: Array, top: Array) -> Array:
    """The point plumb above a ground point (3,) that is nearest to the ray through a pixel (2,)."""
    way = camera.rays([top])[0]
    plumb = np.array([0.0, 0.0, 1.0])
    matrix = np.column_stack([plumb, -way])
    height = np.linalg.lstsq(matrix, camera.position - foot, rcond=None)[0][0]
    return foot + height * plumb


def _start(gnomons: list[Gnomon], camera: Pinhole) -> Array | None:
    """A direction (azimuth, elevation) [rad] to start from."""
    for gnomon in gnomons:
        if gnomon.foot is not None:
            foot, tip = camera.ground_points([gnomon.foot, gnomon.tip])
            ray = _above(camera, foot, np.array(gnomon.top)) - tip
            return np.array([np.arctan2(ray[1], ray[0]), np.arctan2(ray[2], np.hypot(ray[0], ray[1]))])
    normals = np.array([np.cross(camera.rays([g.top])[0], camera.rays([g.tip])[0]) for g in gnomons])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    _, spread, axes = np.linalg.svd(normals, full_matrices=True)
    if len(spread) < 2 or spread[1] < 1e-4:
        return None
    ray = axes[-1] * np.sign(axes[-1][2] or 1.0)
    for number, gnomon in enumerate(gnomons):
        tip = camera.ground_points([gnomon.tip])[0]
        rise = np.linalg.lstsq(
            np.column_stack([ray, -camera.rays([gnomon.top])[0]]), camera.position - tip, rcond=None
        )[0][0]
        if rise <= 0:
            raise InputError(f"gnomons[{number}]", "points below the horizon: its shadow falls towards the sun")
    return np.array([np.arctan2(ray[1], ray[0]), np.arcsin(ray[2])])


def _whitened(gnomons: list[Gnomon], camera: Pinhole, at: Array) -> list[Array]:
    """Each gnomon's constraint values over their standard deviation for marks with an error of 1 px."""
    sun = sun_direction(at[0], at[1])
    image = camera.project_direction(sun)
    below = camera.project_direction([sun[0], sun[1], 0.0])
    found = []
    for gnomon in gnomons:
        if gnomon.shadow is not None:
            found.append(_by_shadow(gnomon, gnomon.shadow, image, below))
            continue
        value, slope = _collinear(np.array(gnomon.top), np.array(gnomon.tip), image)
        if gnomon.foot is None:
            found.append(np.array([value / np.linalg.norm(slope)]))
            continue
        level, level_slope = _collinear(np.array(gnomon.foot), np.array(gnomon.tip), below)
        # By top, tip and foot: both constraints share the tip.
        rows = np.array([[*slope, 0.0, 0.0], [0.0, 0.0, *level_slope[2:], *level_slope[:2]]])
        # By hand, the two values over the Cholesky factor of their covariance: this runs at every move of a drag.
        (a, b), (_, c) = rows @ rows.T
        first = value / np.sqrt(a)
        found.append(np.array([first, (level - b / np.sqrt(a) * first) / np.sqrt(max(c - b * b / a, 1e-30))]))
    return found


def _by_shadow(gnomon: Gnomon, shadow: SharpLine, image: Array, below: Array) -> Array:
    """The two constraints where the shadow's line is known by itself: the tip lies on it, and errs along it alone."""
    start, end = np.array(shadow.points[0]), np.array(shadow.points[-1])
    way = (end - start) / max(float(np.linalg.norm(end - start)), 1e-9)
    tip = start + ((np.array(gnomon.tip) - start) @ way) * way
    value, slope = _collinear(np.array(gnomon.top), tip, image)
    own = np.hypot(float(np.linalg.norm(slope[:2])), float(slope[2:] @ way))
    level, level_slope = _collinear(start, end, below)
    better = max(shadow.sigma_px, SHADOW_SIGMA_PX) / HAND_SIGMA_PX
    return np.array([value / max(own, 1e-30), level / max(float(np.linalg.norm(level_slope)) * better, 1e-30)])


def _collinear(p: Array, q: Array, v: Array) -> tuple[float, Array]:
    """v · (p × q) for pixels p, q and a homogeneous point v, and its slope (4,) by p and q."""
    (px, py), (qx, qy) = p, q
    vx, vy, vz = v / np.sqrt(v @ v)
    value = vx * (py - qy) + vy * (qx - px) + vz * (px * qy - py * qx)
    return float(value), np.array([qy * vz - vy, vx - qx * vz, vy - vz * py, vz * px - vx])


def _fit(gnomons: list[Gnomon], camera: Pinhole, start: Array) -> tuple[Array, Array, list[Array]]:
    """The best (azimuth, elevation) [rad], its Jacobian for marks off by 1 px, each gnomon's residuals."""

    def values(at: Array) -> Array:
        return np.concatenate(_whitened(gnomons, camera, at))

    # Gauss–Newton with halved steps: two unknowns and a start beside the answer need no more.
    at, here = start, values(start)
    for _ in range(40):
        jacobian = _jacobian(gnomons, camera, at)
        step = np.linalg.lstsq(jacobian, -here, rcond=None)[0]
        there = values(at + step)
        while there @ there > here @ here and float(np.abs(step).max()) > 1e-13:
            step = step / 2
            there = values(at + step)
        at, here = at + step, there
        if float(np.abs(step).max()) < 1e-10:
            break
    return at, _jacobian(gnomons, camera, at), _whitened(gnomons, camera, at)


def _jacobian(gnomons: list[Gnomon], camera: Pinhole, at: Array, step: float = 1e-6) -> Array:
    """How the whitened constraints change with (azimuth, elevation), (M, 2)."""
    sides = [
        np.concatenate(_whitened(gnomons, camera, at + sign * step * axis)) for axis in np.eye(2) for sign in (1, -1)
    ]
    return np.column_stack([sides[0] - sides[1], sides[2] - sides[3]]) / (2 * step)


def _answer(
    problem: SunProblem, camera: Pinhole, at: Array, jacobian: Array, residuals: list[Array]
) -> SunAnswer | NoAnswer:
    every = np.concatenate(residuals)
    information = jacobian.T @ jacobian
    freedom = len(every) - 2
    noise = max(HAND_SIGMA_PX, float(np.sqrt((every**2).sum() / freedom)) if freedom > 0 else 0.0)
    if np.linalg.cond(information) > 1e14:
        return NoAnswer("the gnomons give no sun: their lines run together; mark one in another part of the picture")
    covariance = np.linalg.inv(information) * noise**2 + _from_camera(problem, camera, at, jacobian, every)
    azimuth, elevation = float(at[0]), float(at[1])
    if not 0 < elevation < np.pi / 2:
        raise InputError("gnomons", "the sun they give lies below the horizon; check foot, top and tip")
    direction = sun_direction(azimuth, elevation)
    sigma = np.degrees(np.sqrt(np.diag(covariance)))
    warnings = []
    if max(sigma[0] * np.cos(elevation), sigma[1]) > 1:
        warnings.append(
            f"The sun is known to ± {2 * sigma[0]:.1f}° in direction and ± {2 * sigma[1]:.1f}° in height only; "
            "a further gnomon, far from the others, would help."
        )
    return SunAnswer(
        direction=(float(direction[0]), float(direction[1]), float(direction[2])),
        azimuth_deg=float(np.degrees(azimuth)) % 360,
        elevation_deg=float(np.degrees(elevation)),
        sigma_deg={"azimuth": float(sigma[0]), "elevation": float(sigma[1])},
        gnomons=[GnomonAnswer(residual_px=float(np.sqrt((value**2).mean()))) for value in residuals],
        warnings=warnings,
    )


def _from_camera(problem: SunProblem, camera: Pinhole, at: Array, jacobian: Array, residuals: Array) -> Array:
    """What the camera's own uncertainty adds, (2, 2) [rad²]; its figures are taken as independent."""
    sigma = problem.camera.sigma
    forward = camera.rotation[2]
    level = np.cross(forward, [0.0, 0.0, 1.0])
    level /= max(float(np.linalg.norm(level)), 1e-9)
    changes = [
        (_turned(camera, level), np.radians(sigma.get("tilt_deg", 0.0))),
        (_turned(camera, forward), np.radians(sigma.get("roll_deg", 0.0))),
        (_turned(camera, np.array([0.0, 0.0, 1.0])), np.radians(sigma.get("heading_deg", 0.0))),
        (
            replace(camera, focal_px=camera.focal_px * (1 + _SMALL)),
            sigma.get("focal_px", 0.0) / camera.focal_px,
        ),
    ]
    total = np.zeros((2, 2))
    for changed, deviation in changes:
        # One Gauss–Newton step tells where the best direction moves for a slightly other camera.
        difference = np.concatenate(_whitened(problem.gnomons, changed, at)) - residuals
        shift = -np.linalg.lstsq(jacobian, difference, rcond=None)[0] * deviation / _SMALL
        total += np.outer(shift, shift)
    return total


def _turned(camera: Pinhole, axis: Array) -> Pinhole:
    """The camera with the world turned by a small angle about an axis."""
    x, y, z = axis * _SMALL
    world = np.array([[1, -z, y], [z, 1, -x], [-y, x, 1]])
    return replace(camera, rotation=camera.rotation @ world.T)
