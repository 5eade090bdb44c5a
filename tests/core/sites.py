"""Made-up sites with their truth, and the Cramér–Rao bound of each; the tests' own mathematics."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from lithopos.core.shot import Shot, load_shot
from lithopos.core.site import Site, load_site
from tests.core.cases import RUNS, _turned
from tests.support import TrueCamera

SIZE = (1920, 1280)
STEP = 1e-6
FREE = 7  # of a camera: focal length, turn, place

__all__ = ["MadeSite", "made_site"]


@dataclass(frozen=True)
class MadeSite:
    """Cameras round a square, what they see exactly, and how it is noted down.

    Attributes
    ----------
    ties : (T, 3) [m]; `grounded` (T,) of them known to lie on the ground; `shown` (V, T) which camera sees which.
    stick : (2, 3) a yardstick on the ground in the first picture.
    """

    cameras: list[TrueCamera]
    edges: list[list[dict[str, Any]]]
    ties: np.ndarray
    grounded: np.ndarray
    shown: np.ndarray
    stick: np.ndarray

    def noted(self, noise: float, seed: int, *, runs: bool = False) -> tuple[Site, dict[str, Shot]]:
        """The site's and the shots' documents with marks off by `noise` px."""
        rng = np.random.default_rng(seed)

        def marked(points: Any) -> Any:
            return (np.asarray(points) + rng.normal(size=np.shape(points)) * noise).tolist()

        shots = {}
        for number, (camera, lines) in enumerate(zip(self.cameras, self.edges, strict=True)):
            edges = [
                {"id": f"e{i}", "run": line["family"], "points": marked(line["points"])} for i, line in enumerate(lines)
            ]
            document = {
                "format": 4,
                "photograph": {"file": "sha256:" + f"{number:064x}", "width": SIZE[0], "height": SIZE[1]},
                "edges": edges,
            }
            if number == 0:
                from_, to = marked(camera.see(self.stick))
                metres = float(np.linalg.norm(self.stick[1] - self.stick[0]))
                document["lengths"] = [{"id": "l", "from": from_, "to": to, "metres": metres}]
            shots[f"s{number}"] = load_shot(document)
        ties = []
        for number, point in enumerate(self.ties):
            seen = {f"s{v}": marked(self.cameras[v].see(point))[0] for v in np.flatnonzero(self.shown[:, number])}
            ties.append({"id": f"t{number}", "seen": seen, "on_ground": bool(self.grounded[number])})
        members = [{"id": name, "runs": "a" if runs else "own"} for name in shots]
        return load_site({"members": members, "ties": ties}), shots

    def bound(self) -> tuple[np.ndarray, Any]:
        """The least covariance for marks off by 1 px, and what moves the cameras and ties by a change."""
        views, ties = len(self.cameras), len(self.ties)
        count = FREE * views + 3 * ties + 4
        free = np.ones(count, bool)
        free[4:6] = False  # the first camera's foot is where the frame hangs
        free[FREE * views : FREE * views + 3 * ties].reshape(ties, 3)[self.grounded, 2] = False

        def moved(change: np.ndarray) -> tuple[list[TrueCamera], np.ndarray, np.ndarray]:
            cameras = []
            for camera, part in zip(self.cameras, change[: FREE * views].reshape(views, FREE), strict=True):
                one = TrueCamera(size=SIZE)
                one.focal, one.axis, one.k1 = camera.focal * np.exp(part[0]), camera.axis, camera.k1
                one.rotation, one.centre = _turned(part[1:4]) @ camera.rotation, camera.centre + part[4:]
                cameras.append(one)
            points = self.ties + change[FREE * views : FREE * views + 3 * ties].reshape(ties, 3)
            stick = self.stick.copy()
            stick[:, :2] += change[-4:].reshape(2, 2)
            return cameras, points, stick

        def told(change: np.ndarray) -> np.ndarray:
            cameras, points, stick = moved(change)
            seen = [camera.see(points[shown]).ravel() for camera, shown in zip(cameras, self.shown, strict=True)]
            long = (np.linalg.norm(stick[1] - stick[0]) - np.linalg.norm(self.stick[1] - self.stick[0])) / 1e-6
            return np.concatenate([*seen, cameras[0].see(stick).ravel(), [long]])

        information = _square(told, count)
        for number, lines in enumerate(self.edges):
            at = slice(FREE * number, FREE * number + 4)
            information[at, at] += _of_edges(self.cameras[number], lines)
        covariance = np.zeros((count, count))
        which = np.flatnonzero(free)
        covariance[np.ix_(which, which)] = np.linalg.inv(information[np.ix_(which, which)])
        return covariance, moved


def _square(told: Any, count: int) -> np.ndarray:
    slope = np.column_stack([(told(STEP * e) - told(-STEP * e)) / (2 * STEP) for e in np.eye(count)])
    return np.asarray(slope.T @ slope)


def _of_edges(camera: TrueCamera, lines: list[dict[str, Any]]) -> np.ndarray:
    """What edges of two points tell of focal length and turn, their own planes and places being unknown."""
    information = np.zeros((4, 4))
    for line in lines:
        points, axis = np.array(line["points"]), RUNS.index(line["family"])
        rays = np.column_stack([(points - camera.axis) / camera.focal, np.ones(2)])
        along = camera.rotation[:, axis]
        normal = np.cross(along, rays[0])
        normal /= np.linalg.norm(normal)
        other = np.cross(normal, along)
        places = (rays @ along) / (rays @ other)

        def marks(change: np.ndarray) -> np.ndarray:
            side = np.cos(change[4]) * other + np.sin(change[4]) * normal  # noqa: B023
            seen = (side + (places + change[5:])[:, None] * along) @ _turned(change[1:4]).T  # noqa: B023
            return np.asarray(seen[:, :2] / seen[:, 2:] * camera.focal * np.exp(change[0])).ravel()

        full = _square(marks, 7)
        information += full[:4, :4] - full[:4, 4:] @ np.linalg.solve(full[4:, 4:], full[4:, :4])
    return information


def made_site(seed: int, views: int, ties: int = 8, edges: int = 10, grounded: int = 3) -> MadeSite:
    """A site as people photograph one: from several sides of a square, each tie in two pictures or more."""
    rng = np.random.default_rng(seed)
    middle = np.array([0.0, 9.0, 0.0])
    points = middle + rng.uniform([-3, -3, 0], [3, 3, 3.5], (ties, 3))
    ground = np.arange(ties) < grounded
    points[ground, 2] = 0
    cameras: list[TrueCamera] = []
    while len(cameras) < views:
        angle = rng.uniform(-65, 65) if cameras else 0.0
        away, up = rng.uniform(7, 12), rng.uniform(1.2, 2.4)
        toward = 90 + angle + rng.normal(scale=4)
        focal = rng.uniform(24, 45) / 43.267 * float(np.hypot(*SIZE))
        camera = TrueCamera(focal, rng.uniform(-9, 1), rng.normal(scale=2), toward, up, SIZE)
        foot = middle - away * np.array([np.cos(np.radians(90 + angle)), np.sin(np.radians(90 + angle)), 0])
        camera.centre = foot + [0, 0, up]
        cameras.append(camera)
    shift = np.array([*cameras[0].centre[:2], 0.0])  # the frame hangs at the first camera's foot
    points = points - shift
    for camera in cameras:
        camera.centre = camera.centre - shift
    shown = np.array([_inside(camera, points) for camera in cameras])
    twice = shown.sum(0) > 1
    points, ground, shown = points[twice], ground[twice], shown[:, twice]
    stick = np.array([cameras[0].ground((700.0, 1100.0)), cameras[0].ground((1300.0, 1000.0))])
    lines = [camera.wide_edges(edges, seed=seed * 10 + number) for number, camera in enumerate(cameras)]
    return MadeSite(cameras, lines, points, ground, shown, stick)


def _inside(camera: TrueCamera, points: np.ndarray) -> np.ndarray:
    depth = (points - camera.centre) @ camera.rotation[2]
    seen = camera.see(points)
    return np.asarray((depth > 1) & (seen > 20).all(1) & (seen < np.array(SIZE) - 20).all(1))
