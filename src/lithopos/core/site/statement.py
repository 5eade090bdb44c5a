"""What a verification sheet states of each photograph: a figure, how far to trust it, and how it was got."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lithopos.core.camera.problem import HandCamera, KnownCamera
from lithopos.core.derive import Derived
from lithopos.core.shot import Shot
from lithopos.core.site.answer import MemberAnswer, SiteAnswer

SURE = 1.96  # standard deviations of ± at 95 %

__all__ = ["SURE", "Stated", "stated"]


@dataclass(frozen=True)
class Stated:
    """A figure in words: its name, its value, its ± (empty: none), and how it was got."""

    name: str
    value: str
    within: str
    how: str


def stated(member: MemberAnswer, shot: Shot, facts: Derived, answer: SiteAnswer) -> list[Stated]:
    """Everything that a sheet states of one photograph."""
    if member.camera is None:
        return [Stated("Camera", "not known", "", member.reason or "")]
    found = [*_place(member), *_lens(member, shot), *_views(member), _scale(shot)]
    return [*found, *_taken(shot), *_sun(shot, facts), _ties(member, answer)]


def _within(sigma: float | None, unit: str, digits: int, times: float = 1.0) -> str:
    return "" if sigma is None else f"± {SURE * sigma * times:.{digits}f} {unit}".replace(" °", "°")


def _place(member: MemberAnswer) -> list[Stated]:
    assert member.camera is not None
    x, y, z = member.camera.camera_position
    sigma = member.sigma
    how = "all photographs of the site together"
    found = []
    if member.survey_position is not None and member.survey_sigma_m is not None:
        for name, value, spread in zip(("East", "North"), member.survey_position, member.survey_sigma_m, strict=False):
            found.append(Stated(name, f"{value:.3f} m", _within(spread, "m", 3), "surveyed points"))
        found.append(
            Stated(
                "Height in the survey",
                f"{member.survey_position[2]:.3f} m",
                _within(member.survey_sigma_m[2], "m", 3),
                "surveyed points",
            )
        )
    found.append(Stated("Place in the site", f"{x:.3f}, {y:.3f} m", _place_within(sigma), how))
    found.append(Stated("Height above the ground", f"{z:.3f} m", _within(sigma.get("height_m"), "m", 3), how))
    return found


def _place_within(sigma: dict[str, float]) -> str:
    known = [sigma[name] for name in ("x_m", "y_m") if name in sigma]
    return "± " + ", ".join(f"{SURE * one:.3f}" for one in known) + " m" if known else ""


def _lens(member: MemberAnswer, shot: Shot) -> list[Stated]:
    camera = member.camera
    assert camera is not None and member.focal_35mm is not None
    across = 2 * np.degrees(np.arctan(camera.image.width / 2 / camera.focal_px))
    how = "edges and ties, beside what the file says"
    if isinstance(shot.camera, HandCamera):
        how = "set by hand, and ties"
    elif isinstance(shot.camera, KnownCamera):
        how = "brought from elsewhere, and ties"
    elif shot.camera.focal_35mm is not None:
        how = "given"
    elif shot.camera.focal_prior is None:
        how = "edges and ties"
    return [
        Stated("Lens", f"{member.focal_35mm:.2f} mm at 35 mm", _within(member.sigma.get("focal_35mm"), "mm", 2), how),
        Stated("Field of view", f"{across:.2f}° across", "", "lens and picture"),
    ]


def _views(member: MemberAnswer) -> list[Stated]:
    sigma, how = member.sigma, "edges and ties"
    assert member.tilt_deg is not None and member.roll_deg is not None and member.heading_deg is not None
    within = _within(sigma.get("heading_deg"), "°", 2)
    if member.bearing_deg is not None:
        direction = Stated("Direction", f"{member.bearing_deg:.2f}° from north", within, "surveyed points")
    else:
        direction = Stated("Direction", f"{member.heading_deg:.2f}° from the x axis", within, how)
    return [
        direction,
        Stated("Tilt", f"{member.tilt_deg:.2f}°", _within(sigma.get("tilt_deg"), "°", 2), how),
        Stated("Roll", f"{member.roll_deg:.2f}°", _within(sigma.get("roll_deg"), "°", 2), how),
    ]


def _scale(shot: Shot) -> Stated:
    sticks = sum(length.metres is not None for length in shot.lengths)
    own = f"{sticks} known length{'s' if sticks > 1 else ''} in this photograph" if sticks else "no length of its own"
    return Stated("Scale", own, "", "all lengths and surveyed points of the site")


def _taken(shot: Shot) -> list[Stated]:
    notes = shot.photograph.notes if shot.photograph else None
    if shot.almanac is not None:
        return [Stated("Taken", f"{shot.almanac.date:%d %B %Y}, {shot.almanac.time:%H:%M}", "", "given")]
    if notes is not None and notes.taken_at is not None:
        return [Stated("Taken", f"{notes.taken_at:%d %B %Y, %H:%M}", "", "the photograph’s file")]
    return [Stated("Taken", "not known", "", "")]


def _sun(shot: Shot, facts: Derived) -> list[Stated]:
    if facts.sun is None:
        return []
    spread = facts.sun.sigma_deg
    within = ", ".join(f"{SURE * spread[name]:.2f}" for name in ("azimuth", "elevation") if name in spread)
    together = shot.site is not None and shot.site.sun is not None
    return [
        Stated(
            "Sun",
            f"{facts.sun.azimuth_deg:.2f}° from the x axis, {facts.sun.elevation_deg:.2f}° up",
            f"± {within}°" if within else "",
            "shadows in all photographs" if together else "shadows in this photograph",
        )
    ]


def _ties(member: MemberAnswer, answer: SiteAnswer) -> Stated:
    count = sum(member.id in tie.off_px for tie in answer.ties)
    off = f"{member.residual_px:.2f} px off on average" if member.residual_px is not None else ""
    return Stated("Ties", f"{count} seen here", "", off)
