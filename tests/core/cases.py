"""Random camera questions with their truth, and the Cramér–Rao bound of each; the tests' own mathematics.

The bound treats everything unknown as unknown: besides the camera, each edge's own plane through the
camera and each marked point's place along it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from tests.support import TrueCamera

RUNS = ("a", "b", "plumb")


@dataclass(frozen=True)
class Case:
    """A camera with exact edges; `free` tells whether principal point and distortion are unknown too."""

    camera: TrueCamera
    lines: list[dict[str, Any]]
    free: bool

    def problem(self, noise: float, seed: int) -> dict[str, Any]:
        """The question with marks that are off by `noise` px."""
        rng = np.random.default_rng(seed)
        lines = [
            {**line, "points": (np.array(line["points"]) + rng.normal(size=np.shape(line["points"])) * noise).tolist()}
            for line in self.lines
        ]
        return self.camera.problem(lines, **({"principal_point": "free", "distortion": "solve"} if self.free else {}))


def random_case(seed: int, free: bool = False) -> Case:
    """A camera as people hold one, and edges of two or three runs as people mark them."""
    rng = np.random.default_rng(seed)
    size = [(1920, 1280), (3000, 4000), (1280, 720)][rng.integers(3)]
    diagonal = float(np.hypot(*size))
    camera = TrueCamera(
        focal=float(rng.uniform(20, 75)) / 43.267 * diagonal,
        tilt=float(rng.uniform(-28, 12)),
        roll=float(rng.normal(scale=3)),
        heading=float(rng.uniform(-180, 180)),
        height=1.6,
        size=size,
        shift=(float(rng.normal(scale=0.04 * size[0])), float(rng.normal(scale=0.04 * size[1]))) if free else (0, 0),
        k1=float(rng.uniform(-0.15, 0.1)) if free else 0,
    )
    runs = [0, 1, 2] if free else [[0, 1], [0, 1, 2], [0, 2], [1, 2]][rng.integers(4)]
    lines = []
    for run in runs:
        for _ in range(int(rng.integers(4, 8) if free else rng.integers(2, 6))):
            points = _edge(camera, run, int(rng.integers(3, 7)) if free else 2, rng)
            if points is not None:
                lines.append({"family": RUNS[run], "points": points.tolist()})
    return Case(camera, lines, free)


def _edge(camera: TrueCamera, run: int, points: int, rng: np.random.Generator) -> Any:
    for _ in range(400):
        pixel = rng.uniform(0.03, 0.97, 2) * camera.size
        way = np.array([*((pixel - camera.axis) / camera.focal), 1]) @ camera.rotation
        start = camera.centre + way * rng.uniform(3, 9)
        along = np.sort(np.r_[0, rng.uniform(0.15, 0.85, points - 2), 1])[:, None] * rng.uniform(0.6, 4)
        world = start + along * np.eye(3)[run]
        if ((world - camera.centre) @ camera.rotation[2]).min() < 0.5:
            continue
        seen = camera.see(world)
        if (
            (seen > 0).all()
            and (seen < camera.size).all()
            and np.linalg.norm(seen[-1] - seen[0]) > 0.1 * camera.size[0]
        ):
            return seen
    return None


def bounds(case: Case) -> dict[str, float]:
    """Least standard deviations for marks off by 1 px: relative focal length, angles [deg], centre [px], k1."""
    camera, size = case.camera, 7 if case.free else 4
    information = np.zeros((size, size))
    for line in case.lines:
        points = np.array(line["points"])
        axis, axes = RUNS.index(line["family"]), camera.rotation
        plane = (points - camera.axis) / camera.focal
        straight = _straightened(plane, camera.k1)
        rays = np.column_stack([straight, np.ones(len(points))])
        # A basis square to the run's axis: each ray is the axis, turned about it by one angle for all points.
        along = axes[:, axis]
        normal = np.cross(along, rays[0])
        normal /= np.linalg.norm(normal)
        other = np.cross(normal, along)
        places = (rays @ along) / (rays @ other)

        def marks(change: np.ndarray, angle: float = 0.0, shift: np.ndarray | float = 0.0) -> np.ndarray:
            turn = _turned(change[1:4])
            side = np.cos(angle) * other + np.sin(angle) * normal  # noqa: B023
            seen = (side + (places + shift)[:, None] * along) @ turn.T  # noqa: B023
            flat = seen[:, :2] / seen[:, 2:]
            k1 = camera.k1 + (change[6] if case.free else 0)
            flat = flat * (1 + k1 * (flat**2).sum(1, keepdims=True))
            centre = camera.axis + (change[4:6] if case.free else 0)
            return np.asarray(flat * camera.focal * np.exp(change[0]) + centre).ravel()

        step, still = 1e-6, np.zeros(size)
        wanted = [(marks(step * e) - marks(-step * e)) / (2 * step) for e in np.eye(size)]
        nuisance = [(marks(still, angle=step) - marks(still, angle=-step)) / (2 * step)]
        nuisance += [
            (marks(still, shift=step * e) - marks(still, shift=-step * e)) / (2 * step) for e in np.eye(len(points))
        ]
        by, beside = np.column_stack(wanted), np.column_stack(nuisance)
        q = np.linalg.qr(beside / np.linalg.norm(beside, axis=0))[0]
        left = by - q @ (q.T @ by)
        information += left.T @ left
    covariance = np.linalg.inv(information)
    told = {"focal": float(np.sqrt(covariance[0, 0]))}
    # The turn is about the camera's own axes; the shown angles change with it as their own figures do.
    slope = np.array(
        [(angles(_turned(1e-6 * e) @ camera.rotation) - angles(camera.rotation)) / 1e-6 for e in np.eye(3)]
    ).T
    for name, row in zip(("tilt", "roll", "heading"), slope, strict=True):
        told[name] = float(np.sqrt(row @ covariance[1:4, 1:4] @ row))
    if case.free:
        told |= {"cx": float(np.sqrt(covariance[4, 4])), "cy": float(np.sqrt(covariance[5, 5]))}
        told["k1"] = float(np.sqrt(covariance[6, 6]))
    return told


def angles(rotation: np.ndarray) -> np.ndarray:
    """Tilt, roll and heading [deg] of a world-to-camera rotation, from the world's plumb and x directions."""
    right, _, forward = rotation
    level = np.cross(forward, [0, 0, 1])
    level /= np.linalg.norm(level)
    down = np.cross(forward, level)
    roll = np.arctan2(right @ down, right @ level)
    return np.degrees([np.arcsin(forward[2]), roll, np.arctan2(forward[1], forward[0])])


def _turned(turn: np.ndarray) -> np.ndarray:
    x, y, z = turn
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(np.eye(3) + cross + cross @ cross / 2)


def _straightened(plane: np.ndarray, k1: float) -> np.ndarray:
    straight = plane.copy()
    for _ in range(60):
        straight = plane / (1 + k1 * (straight**2).sum(1, keepdims=True))
    return straight
