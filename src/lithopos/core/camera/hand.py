"""The camera by hand: figures that are typed, and what dragging on the photograph does to them.

A drag asks for one thing (the horizon here, this corner of the grid there) and leaves everything else as
near as it can to where it was; figures that are held do not change at all, and marked edges that are held
are obeyed first. Angles as in `view_angles`.
"""

from __future__ import annotations

from dataclasses import astuple, dataclass, replace
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from scipy.optimize import least_squares

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole, focal_35mm_from_px, focal_px_from_35mm, view_angles
from lithopos.core.camera.problem import HandCamera, Held, ImageSize, Pixel, Positive
from lithopos.core.camera.solution import HAND_SIGMA_PX
from lithopos.core.camera.vanishing import Marks, edge_residuals, reduce_edges
from lithopos.core.errors import InputError

__all__ = ["Gesture", "hand_fit", "pinhole_by_hand"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class HorizonTo(_Part):
    """The horizon through two points [px]."""

    kind: Literal["horizon"]
    ends: tuple[Pixel, Pixel]


class CornerTo(_Part):
    """One corner of a square on the ground at the origin (0: the origin, then round by x) to a pixel."""

    kind: Literal["corner"]
    corner: Annotated[int, Field(ge=0, le=3)]
    side_m: Positive
    to: Pixel


class Turn(_Part):
    """Turn about the origin: what lies on the ground under one pixel comes as near as it can to another."""

    kind: Literal["turn"]
    from_: Annotated[Pixel, Field(alias="from")]
    to: Pixel


class FocalLength(_Part):
    """Another focal length, with the horizon kept where it is."""

    kind: Literal["focal"]
    focal_35mm: Positive


Gesture = Annotated[HorizonTo | CornerTo | Turn | FocalLength, Field(discriminator="kind")]


@dataclass(frozen=True)
class _Figures:
    """What a hand-set camera consists of; the position is the camera's foot over the origin."""

    log_focal: float  # of pixels
    tilt: float
    roll: float
    heading: float
    log_height: float
    x: float  # in heights
    y: float

    @property
    def vector(self) -> Array:
        return np.array(astuple(self))


# How far each figure gives way rather than let a corner of the square slip by ten pixels: turn, size and
# place first, the focal length and the horizon last.
_LOOSE = np.array([0.06, 0.015, 0.005, 0.6, 0.4, 2.0, 2.0])
_SLIP_PX = 10.0
_FOCAL, _TILT, _ROLL, _HEIGHT = 0, 1, 2, 4


def pinhole_by_hand(hand: HandCamera, width: int, height: int, origin: Pixel | None = None) -> Pinhole:
    """The camera of hand-set figures, above the world's origin or where it sees the origin at a pixel.

    Raises
    ------
    InputError
        If the origin does not lie on the ground.
    """
    figures = _figures(hand, ImageSize(width=width, height=height))
    camera = _pinhole(figures, width, height)
    if origin is None:
        return camera
    foot = camera.ground_points([origin])[0]
    if not np.isfinite(foot).all():
        raise InputError("origin", "lies above the horizon, so not on the ground")
    return replace(camera, position=np.array([-foot[0], -foot[1], hand.height_m]))


def _figures(hand: HandCamera, size: ImageSize) -> _Figures:
    tilt, roll, heading = np.radians([hand.tilt_deg, hand.roll_deg, hand.heading_deg])
    focal = focal_px_from_35mm(hand.focal_35mm, size.width, size.height)
    return _Figures(float(np.log(focal)), float(tilt), float(roll), float(heading), float(np.log(hand.height_m)), 0, 0)


def _pinhole(figures: _Figures, width: int, height: int) -> Pinhole:
    tilt, roll, heading = figures.tilt, figures.roll, figures.heading
    forward = np.array([np.cos(tilt) * np.cos(heading), np.cos(tilt) * np.sin(heading), np.sin(tilt)])
    level = np.array([np.sin(heading), -np.cos(heading), 0.0])
    down = np.cross(forward, level)
    right = np.cos(roll) * level + np.sin(roll) * down
    rotation = np.stack([right, np.cross(forward, right), forward])
    up = float(np.exp(figures.log_height))
    position = np.array([figures.x * up, figures.y * up, up])
    return Pinhole(float(np.exp(figures.log_focal)), np.array([width, height]) / 2, rotation, position, width, height)


def hand_fit(
    hand: HandCamera, origin: Pixel | None, gesture: Gesture, size: ImageSize, edges: Marks | None = None
) -> tuple[HandCamera, Pixel | None]:
    """The hand-set figures, and the origin's pixel, after a drag or a typed focal length.

    Parameters
    ----------
    edges : marked points [px] of edges to be obeyed, where `hand.held` says so.

    Raises
    ------
    InputError
        If the gesture asks for what no camera shows: a corner above the horizon, a turn in the sky.
    """
    camera = pinhole_by_hand(hand, size.width, size.height, origin)
    up = camera.position[2]
    now = replace(_figures(hand, size), x=float(camera.position[0] / up), y=float(camera.position[1] / up))
    if isinstance(gesture, HorizonTo):
        wanted = _horizon_to(now, gesture.ends, size)
    elif isinstance(gesture, FocalLength):
        wanted = _focal_to(now, camera, gesture.focal_35mm, size)
    elif isinstance(gesture, Turn):
        wanted = _turned(now, camera, gesture)
    else:
        wanted = _corner_to(now, camera, gesture, hand.held, size)
    if "edges" in hand.held and edges is not None and len(edges.run):
        fixed = [_HEIGHT, 5, 6] + ([_FOCAL] if "focal length" in hand.held or isinstance(gesture, FocalLength) else [])
        wanted = _obeying(wanted, edges, fixed, size)
    return _told(hand, wanted, origin, isinstance(gesture, CornerTo), size)


def _horizon_to(now: _Figures, ends: tuple[Pixel, Pixel], size: ImageSize) -> _Figures:
    """Tilt and roll of the horizon through two pixels: its plane's normal Kᵀ(p × q) is the plumb direction."""
    focal = float(np.exp(now.log_focal))
    rays = np.column_stack([(np.array(ends) - [size.width / 2, size.height / 2]) / focal, np.ones(2)])
    normal = np.cross(rays[0], rays[1])
    if np.linalg.norm(normal) < 1e-9:
        raise InputError("gesture.ends", "are the same point; a horizon needs two")
    plumb = normal / np.linalg.norm(normal)
    if plumb[1] > 0:
        plumb = -plumb
    return replace(now, tilt=float(np.arcsin(plumb[2])), roll=float(np.arctan2(-plumb[0], -plumb[1])))


def _focal_to(now: _Figures, camera: Pinhole, focal_35mm: float, size: ImageSize) -> _Figures:
    other = replace(now, log_focal=float(np.log(focal_px_from_35mm(focal_35mm, size.width, size.height))))
    ends = camera.horizon()
    if ends is None:
        return other
    (x1, y1), (x2, y2) = ends
    return _horizon_to(other, ((x1, y1), (x2, y2)), size)


def _turned(now: _Figures, camera: Pinhole, gesture: Turn) -> _Figures:
    points = camera.ground_points([gesture.from_, gesture.to])
    if not np.isfinite(points).all():
        raise InputError("gesture", "leads above the horizon; turn the ground below it")
    before, after = np.arctan2(points[:, 1], points[:, 0])
    heading = now.heading - float(after - before)
    return replace(now, **_position_after_turn(now, heading), heading=heading)


def _position_after_turn(now: _Figures, heading: float) -> dict[str, float]:
    """The camera's place goes round the origin with the turn."""
    angle = heading - now.heading
    c, s = float(np.cos(angle)), float(np.sin(angle))
    return {"x": c * now.x - s * now.y, "y": s * now.x + c * now.y}


def _corner_to(now: _Figures, camera: Pinhole, gesture: CornerTo, held: list[Held], size: ImageSize) -> _Figures:
    """Least squares: the corner to its pixel, the three others where they are, all figures near where they were."""
    side = gesture.side_m
    square = side * np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    target = camera.project(square)
    if not np.isfinite(target).all():
        raise InputError("gesture.side_m", "the square reaches behind the camera; choose a smaller one")
    target[gesture.corner] = gesture.to
    firmness = np.where(np.arange(4) == gesture.corner, 0.1, 1.0)[:, None]
    fixed = {"focal length": [_FOCAL], "height": [_HEIGHT], "horizon": [_TILT, _ROLL], "edges": []}
    free = [i for i in range(7) if not any(i in fixed[name] for name in held)]
    start, far = now.vector, 4.0 * float(np.hypot(size.width, size.height))

    def misses(change: Array) -> Array:
        figures = start.copy()
        figures[free] += change
        seen = _pinhole(_Figures(*figures), size.width, size.height).project(square)
        off = np.where(np.isfinite(seen), (seen - target) / firmness, far)
        return np.concatenate([np.clip(off, -far, far).ravel(), _SLIP_PX * change / _LOOSE[free]])

    return _bounded(_Figures(*_moved(start, free, least_squares(misses, np.zeros(len(free)), max_nfev=60).x)))


def _moved(start: Array, free: list[int], change: Array) -> list[float]:
    figures = start.copy()
    figures[free] += change
    return [float(value) for value in figures]


def _bounded(figures: _Figures) -> _Figures:
    return replace(
        figures,
        tilt=float(np.clip(figures.tilt, -1.55, 1.55)),
        log_focal=float(np.clip(figures.log_focal, 3, 14)),
        log_height=float(np.clip(figures.log_height, -5, 8)),
    )


def _obeying(wanted: _Figures, edges: Marks, fixed: list[int], size: ImageSize) -> _Figures:
    """The figures nearest to those wanted with which the marked edges run to their vanishing points."""
    centred = replace(edges, points=edges.points - np.array([size.width, size.height]) / 2)
    reduced, start = reduce_edges(centred)[0], wanted.vector
    free = [i for i in range(7) if i not in fixed]

    def misses(change: Array) -> Array:
        # The drag's wish weighs a tenth: it decides only what the edges leave open.
        camera = _pinhole(_Figures(*_moved(start, free, change)), size.width, size.height)
        vanishing = camera.rotation[:, edges.run].T * [camera.focal_px, camera.focal_px, 1.0]
        return np.concatenate([edge_residuals(reduced, vanishing)[0] / HAND_SIGMA_PX, 0.1 * change / _LOOSE[free]])

    found = _bounded(_Figures(*_moved(start, free, least_squares(misses, np.zeros(len(free)), max_nfev=60).x)))
    return replace(found, **_position_after_turn(wanted, found.heading))


def _told(
    hand: HandCamera, figures: _Figures, origin: Pixel | None, moves_origin: bool, size: ImageSize
) -> tuple[HandCamera, Pixel | None]:
    camera = _pinhole(figures, size.width, size.height)
    tilt, roll, heading = np.degrees(view_angles(camera.rotation))
    update = {
        "focal_35mm": focal_35mm_from_px(camera.focal_px, size.width, size.height),
        "height_m": float(np.exp(figures.log_height)),
        "tilt_deg": float(tilt),
        "roll_deg": float(roll),
        "heading_deg": float(heading),
    }
    if moves_origin:
        seen = camera.project([[0.0, 0.0, 0.0]])[0]
        if np.isfinite(seen).all():
            origin = (float(seen[0]), float(seen[1]))
    elif origin is not None:
        _keep_below_horizon(camera, origin)
    return HandCamera.model_validate(hand.model_dump() | update), origin


def _keep_below_horizon(camera: Pinhole, origin: Pixel) -> None:
    if not np.isfinite(camera.ground_points([origin])).all():
        raise InputError("gesture", "would put the origin above the horizon; move the origin down first")
