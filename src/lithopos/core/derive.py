"""What follows from a shot: its camera, its sun, and why one of them is not there yet.

Nothing here is kept: the document holds what the user decided, this says what it means.
"""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from lithopos.core.camera.pinhole import Pinhole, focal_35mm_from_px, focal_px_from_35mm
from lithopos.core.camera.problem import CameraAnswer, ImageSize
from lithopos.core.camera.solve import pinhole_of, solve_camera
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.light.sun import Gnomon, KnownCamera, SunAnswer, SunProblem, solve_sun, sun_direction
from lithopos.core.shot import HandCamera, Shot, camera_problem_of

__all__ = ["Derived", "derive", "pinhole_by_hand"]


class Derived(BaseModel):
    """A shot's solved figures; where there is no answer, a plain reason instead.

    Attributes
    ----------
    ground_to_photo : (3, 3) homography from ground (x, y, 1) [m] to homogeneous pixels.
    sun_shown : the direction in force, measured or set by hand.
    """

    camera: CameraAnswer | None = None
    camera_reason: str | None = None
    metric: bool = False
    ground_to_photo: list[list[float]] | None = None
    sun: SunAnswer | None = None
    sun_reason: str | None = None
    sun_shown: tuple[float, float, float] | None = None


def derive(shot: Shot) -> Derived:
    """Solve what can be solved of a shot; never raises for a document that is valid."""
    result = Derived()
    try:
        camera = _camera(shot)
    except InputError as error:
        camera = NoAnswer(_plain(error))
    if isinstance(camera, NoAnswer):
        result.camera_reason = camera.reason
        return result
    result.camera = camera
    result.metric = camera.camera_position is not None
    result.ground_to_photo = pinhole_of(camera).ground_homography().tolist()
    _derive_sun(shot, camera, result)
    return result


def _camera(shot: Shot) -> CameraAnswer | NoAnswer:
    if isinstance(shot.camera, HandCamera):
        return _answer_by_hand(shot, shot.camera)
    return solve_camera(camera_problem_of(shot))


def _derive_sun(shot: Shot, camera: CameraAnswer, result: Derived) -> None:
    if shot.sun.kind == "hand":
        azimuth, elevation = np.radians([shot.sun.azimuth_deg, shot.sun.elevation_deg])
        x, y, z = sun_direction(azimuth, elevation)
        result.sun_shown = (float(x), float(y), float(z))
    if not shot.gnomons:
        result.sun_reason = "no gnomon is marked yet"
        return
    known = KnownCamera.model_validate(camera.model_dump())
    marks = [Gnomon(foot=gnomon.foot, top=gnomon.top, tip=gnomon.tip) for gnomon in shot.gnomons]
    try:
        sun = solve_sun(SunProblem(image=camera.image, camera=known, gnomons=marks))
    except InputError as error:
        sun = NoAnswer(_plain(error))
    if isinstance(sun, NoAnswer):
        result.sun_reason = sun.reason
        return
    result.sun = sun
    if shot.sun.kind == "gnomons":
        result.sun_shown = sun.direction


def _plain(error: InputError) -> str:
    """An error as a sentence for the screen, without the field's path where the cause says enough."""
    if error.field in ("lines", "photograph"):
        return error.cause
    return str(error).replace("lines", "edges")


def pinhole_by_hand(hand: HandCamera, width: int, height: int) -> Pinhole:
    """The camera of hand-set figures, above the world's origin; see `view_angles` for the angles."""
    tilt, roll, heading = np.radians([hand.tilt_deg, hand.roll_deg, hand.heading_deg])
    forward = np.array([np.cos(tilt) * np.cos(heading), np.cos(tilt) * np.sin(heading), np.sin(tilt)])
    level = np.array([np.sin(heading), -np.cos(heading), 0.0])
    down = np.cross(forward, level)
    right = np.cos(roll) * level + np.sin(roll) * down
    rotation = np.stack([right, np.cross(forward, right), forward])
    focal = focal_px_from_35mm(hand.focal_35mm, width, height)
    return Pinhole(focal, np.array([width, height]) / 2, rotation, np.array([0.0, 0.0, hand.height_m]), width, height)


def _answer_by_hand(shot: Shot, hand: HandCamera) -> CameraAnswer:
    if shot.photograph is None:
        raise InputError("photograph", "is missing")
    width, height = shot.photograph.width, shot.photograph.height
    camera = pinhole_by_hand(hand, width, height)
    if shot.origin is not None:
        foot = camera.ground_points([shot.origin])[0]
        if not np.isfinite(foot).all():
            raise InputError("origin", "lies above the horizon, so not on the ground")
        camera.position[:2] = -foot[:2]
    return CameraAnswer(
        image=ImageSize(width=width, height=height),
        focal_px=camera.focal_px,
        focal_35mm=focal_35mm_from_px(camera.focal_px, width, height),
        principal_point=(width / 2, height / 2),
        rotation=camera.rotation.tolist(),
        camera_position=camera.position.tolist(),
        camera_position_unit=None,
        tilt_deg=hand.tilt_deg,
        roll_deg=hand.roll_deg,
        heading_deg=hand.heading_deg,
        horizon=camera.horizon(),
        vanishing_points={},
        distortion_k1=0.0,
        residual_px=0.0,
        sigma={},
        lines=[],
        warnings=[],
        advice=[],
    )
