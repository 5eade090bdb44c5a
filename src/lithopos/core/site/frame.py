"""The site's frame as people have it: the first photograph's own, with its origin and the way of its x axis."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.site.joint import Figures, Joint
from lithopos.core.site.solve import SiteSolution
from lithopos.core.site.turning import about_plumb

__all__ = ["Frame", "frame_of"]


@dataclass(frozen=True)
class Frame:
    """From the solver's frame, which hangs at the first camera's foot, to the first photograph's own."""

    joint: Joint

    def _moved(self, now: Figures) -> tuple[Array, Array]:
        """The new axes as rows (3, 3) in the solver's frame, and its place (3,) of the new origin."""
        first = self.joint.views[0]
        c, s = (round(part) for part in (np.cos(first.quarters * np.pi / 2), np.sin(first.quarters * np.pi / 2)))
        axes = np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
        if first.origin is None:
            return axes, np.zeros(3) if first.runs.any() else axes.T @ np.array([*-first.alone.position[:2], 0.0])
        foot = self.joint.pinhole(now, 0).ground_points([first.origin])[0]
        return axes, foot if np.isfinite(foot).all() else np.zeros(3)

    def pinhole(self, now: Figures, number: int) -> Pinhole:
        """A view's camera."""
        camera = self.joint.pinhole(now, number)
        axes, origin = self._moved(now)
        return replace(camera, rotation=camera.rotation @ axes.T, position=axes @ (camera.position - origin))

    def points(self, now: Figures) -> Array:
        """The ties (T, 3) [m]."""
        axes, origin = self._moved(now)
        return np.asarray((now.points - origin) @ axes.T)

    def runs(self, now: Figures, number: int) -> float:
        """Which way a view's run A heads [rad]."""
        quarters = self.joint.views[0].quarters * np.pi / 2
        return float((now.heading[number] - quarters + np.pi) % (2 * np.pi) - np.pi)

    def to_survey(self, now: Figures) -> Array:
        """Heading [rad] and shift [m] (4,) to the surveyor's frame."""
        axes, origin = self._moved(now)
        turn, shift = about_plumb(now.to_survey[0]), now.to_survey[1:]
        whole = turn @ axes.T
        return np.array([np.arctan2(whole[1, 0], whole[0, 0]), *(turn @ origin + shift)])


def frame_of(found: SiteSolution) -> Frame:
    """The frame of a solution."""
    return Frame(found.solved.joint)
