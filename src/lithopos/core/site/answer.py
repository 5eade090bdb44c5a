"""Telling a solved site: every figure with its deviation, in the first photograph's frame and in the surveyor's."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole, focal_35mm_from_px, view_angles
from lithopos.core.camera.problem import KnownCamera
from lithopos.core.site.frame import Frame, frame_of
from lithopos.core.site.joint import Figures
from lithopos.core.site.solve import SiteSolution
from lithopos.core.site.turning import about_plumb

LINE_POINTS = 48

__all__ = [
    "MemberAnswer",
    "SiteAnswer",
    "SiteLengthAnswer",
    "TieAnswer",
    "told_site",
    "way_in",
]


class MemberAnswer(BaseModel):
    """A photograph's camera in the site; null where it is not tied, with the reason.

    Attributes
    ----------
    runs_deg : which way its own run A heads in the site.
    sigma : standard deviations, by the figures' names: as of a camera alone.
    survey_position, survey_sigma_m : east, north, height of the camera; `bearing_deg` the view's, clockwise from north.
    residual_px : how far its ties are seen from where they are marked, root mean square.
    """

    id: str
    camera: KnownCamera | None = None
    focal_35mm: float | None = None
    tilt_deg: float | None = None
    roll_deg: float | None = None
    heading_deg: float | None = None
    runs_deg: float = 0.0
    sigma: dict[str, float] = {}
    survey_position: tuple[float, float, float] | None = None
    survey_sigma_m: tuple[float, float, float] | None = None
    bearing_deg: float | None = None
    residual_px: float | None = None
    ties: int = 0
    reason: str | None = None


class TieAnswer(BaseModel):
    """A tie: where it lies, and how far off it is seen.

    Attributes
    ----------
    sigma_m : standard deviations of x, y and height.
    predicted : where each tied photograph would show it [px]; `off_px` from where it is marked to there.
    off_m : of a surveyed one, from its coordinates to here: east, north, height (null where not known).
    aside : it contradicts the others and does not count.
    reason : why it is not known where it lies.
    """

    id: str
    position_m: tuple[float, float, float] | None = None
    sigma_m: tuple[float, float, float] | None = None
    predicted: dict[str, tuple[float, float]] = {}
    off_px: dict[str, tuple[float, float]] = {}
    off_m: tuple[float, float, float | None] | None = None
    aside: bool = False
    reason: str | None = None


class SiteLengthAnswer(BaseModel):
    """A known length between ties, as the site has it."""

    id: str
    metres: float | None = None
    sigma_m: float | None = None


class SiteAnswer(BaseModel):
    """A site, or the reason why there is none yet.

    Attributes
    ----------
    marks : how well marks agree, beside a hand's: 1 as expected.
    survey_heading_deg, survey_shift_m : from the site's frame to the surveyor's: turned anticlockwise, then moved.
    """

    reason: str | None = None
    members: list[MemberAnswer] = []
    ties: list[TieAnswer] = []
    lengths: list[SiteLengthAnswer] = []
    marks: float | None = None
    survey_heading_deg: float | None = None
    survey_shift_m: tuple[float, float, float] | None = None
    doubts: list[str] = []


def told_site(found: SiteSolution) -> SiteAnswer:
    """Everything of a solution."""
    frame = frame_of(found)
    joint = found.solved.joint
    surveyed = joint.points.surveyed is not None
    shift = frame.to_survey(found.solved.figures) if surveyed else None
    return SiteAnswer(
        members=[_member(found, frame, member.id) for member in found.site.members],
        ties=_ties(found, frame),
        lengths=_lengths(found),
        marks=float(np.sqrt((1 + found.solved.square) / (1 + found.solved.freedom))),
        survey_heading_deg=float(np.degrees(shift[0])) if shift is not None else None,
        survey_shift_m=_three(shift[1:]) if shift is not None else None,
        doubts=found.doubts,
    )


def _three(values: Array) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in values)
    return x, y, z


def _member(found: SiteSolution, frame: Frame, name: str) -> MemberAnswer:
    if name not in found.members:
        return MemberAnswer(id=name, reason=found.untied.get(name, "it is not tied to the others"))
    number, solved = found.members.index(name), found.solved
    joint, now = solved.joint, solved.figures
    view = joint.views[number]
    camera = frame.pinhole(now, number)
    surveyed = joint.points.surveyed is not None

    def figures(now: Figures) -> Array:
        there = frame.pinhole(now, number)
        told = [there.focal_px, focal_35mm_from_px(there.focal_px, there.width, there.height)]
        told += [*np.degrees(view_angles(there.rotation)), *there.position, *there.principal_point, there.k1]
        return np.array([*told, *_in_survey(frame, now, there.position)])

    slope = solved.slopes(figures)
    step = slope[2:5] * 1e-6  # an angle that passes ±180° has not turned by a whole circle
    slope[2:5] = ((step + 180) % 360 - 180) / 1e-6
    sigma = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", slope, solved.covariance, slope), 0))
    names = ["focal_px", "focal_35mm", "tilt_deg", "roll_deg", "heading_deg", "x_m", "y_m", "height_m"]
    names += ["principal_point_x_px", "principal_point_y_px"] if view.free[1] else ["", ""]
    names += ["distortion_k1"] if view.free[2] else [""]
    tilt, roll, heading = np.degrees(view_angles(camera.rotation))
    mine = joint.seen.view == number
    off = (joint.projected(now) - joint.seen.pixels)[mine]
    to_survey = frame.to_survey(now)
    return MemberAnswer(
        id=name,
        camera=_known_camera(camera),
        focal_35mm=focal_35mm_from_px(camera.focal_px, camera.width, camera.height),
        tilt_deg=float(tilt),
        roll_deg=float(roll),
        heading_deg=float(heading),
        runs_deg=float(np.degrees(frame.runs(now, number))),
        sigma={one: float(value) for one, value in zip(names, sigma, strict=False) if one},
        survey_position=_three(_in_survey(frame, now, camera.position)) if surveyed else None,
        survey_sigma_m=_three(sigma[-3:]) if surveyed else None,
        bearing_deg=float((90 - heading - np.degrees(to_survey[0])) % 360) if surveyed else None,
        residual_px=float(np.sqrt((off**2).sum(1).mean())) if mine.any() else None,
        ties=int(mine.sum()),
    )


def _known_camera(camera: Pinhole) -> KnownCamera:
    """A camera's figures as plain data."""
    return KnownCamera.model_validate(
        {
            "kind": "known",
            "image": {"width": camera.width, "height": camera.height},
            "focal_px": camera.focal_px,
            "principal_point": camera.principal_point.tolist(),
            "rotation": camera.rotation.tolist(),
            "camera_position": camera.position.tolist(),
            "distortion_k1": camera.k1,
        }
    )


def _in_survey(frame: Frame, now: Figures, point: Array) -> Array:
    heading, *shift = frame.to_survey(now)
    return np.asarray(about_plumb(heading) @ point + shift)


def _ties(found: SiteSolution, frame: Frame) -> list[TieAnswer]:
    solved, joint = found.solved, found.solved.joint
    now = solved.figures
    spread = solved.spread(lambda now: frame.points(now).ravel())
    sigma = np.sqrt(np.maximum(np.diag(spread), 0)).reshape(-1, 3)
    points = frame.points(now)
    index = {name: number for number, name in enumerate(found.ties)}
    cameras = {name: frame.pinhole(now, number) for number, name in enumerate(found.members)}
    answers = []
    for tie in found.site.ties:
        number = index.get(tie.id)
        shown = number is not None and bool(np.any(joint.seen.tie == number))
        surveyed = tie.known is not None and joint.points.surveyed is not None
        if number is None or not (shown or surveyed):
            aside = tie.aside or tie.id in found.aside
            reason = None if aside else "no tied photograph shows it, or only one of them"
            answers.append(TieAnswer(id=tie.id, aside=aside, reason=reason))
            continue
        told = tie.known
        at = points[number]
        off_m: tuple[float, float, float | None] | None = None
        if told is not None and surveyed:
            east, north, high = _in_survey(frame, now, at)
            off_m = (east - told.east_m, north - told.north_m, None if told.height_m is None else high - told.height_m)
        predicted = {name: camera.project(at)[0] for name, camera in cameras.items()}
        answers.append(
            TieAnswer(
                id=tie.id,
                position_m=_three(at),
                sigma_m=_three(sigma[number]),
                predicted={name: (float(x), float(y)) for name, (x, y) in predicted.items() if np.isfinite(x)},
                off_px={
                    name: (float(predicted[name][0] - x), float(predicted[name][1] - y))
                    for name, (x, y) in tie.seen.items()
                    if name in predicted and np.isfinite(predicted[name][0])
                },
                off_m=off_m,
            )
        )
    return answers


def _lengths(found: SiteSolution) -> list[SiteLengthAnswer]:
    index = {name: number for number, name in enumerate(found.ties)}
    answers = []
    for length in found.site.lengths:
        ends = [index.get(length.from_), index.get(length.to)]
        shown = [end is not None and bool(np.any(found.solved.joint.seen.tie == end)) for end in ends]
        if not all(shown):
            answers.append(SiteLengthAnswer(id=length.id))
            continue

        def metres(now: Figures, ends: list[int | None] = ends) -> Array:
            first, second = (now.points[end] for end in ends if end is not None)
            return np.array([np.linalg.norm(first - second)])

        sigma = float(np.sqrt(max(found.solved.spread(metres)[0, 0], 0)))
        told = float(metres(found.solved.figures)[0])
        answers.append(SiteLengthAnswer(id=length.id, metres=told, sigma_m=sigma))
    return answers


def way_in(
    first: Pinhole, pixel: tuple[float, float], second: Pinhole, *, on_ground: bool
) -> list[tuple[float, float]]:
    """Where a second picture shows what lies under a pixel of the first: a line, of what is on the ground a point.

    Returns
    -------
    Points [px] along the line, from near to far, those within the second picture and a margin about it.
    """
    if on_ground:
        points = first.ground_points([pixel])
        points = points[np.isfinite(points).all(1)]
    else:
        reach = np.geomspace(0.05, 2000, 40 * LINE_POINTS)
        points = first.position + reach[:, None] * first.rays([pixel])[0]
    seen = second.project(points) if len(points) else np.zeros((0, 2))
    size = np.array([second.width, second.height])
    inside = np.isfinite(seen).all(1) & (seen > -0.1 * size).all(1) & (seen < 1.1 * size).all(1)
    kept = seen[inside]
    if len(kept) > LINE_POINTS:
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(kept, axis=0), axis=1))])
        spaced = np.linspace(0, along[-1], LINE_POINTS)
        kept = np.column_stack([np.interp(spaced, along, kept[:, axis]) for axis in (0, 1)])
    return [(float(x), float(y)) for x, y in kept]
