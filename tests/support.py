"""Made-up cameras for the tests; the mathematics here is the tests' own."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from proving.truth import SAMPLES, marked_shot

from lithopos.core.shot import Shot

ROOT = Path(__file__).parents[1]

__all__ = ["ROOT", "SAMPLES", "TrueCamera", "exact_shot"]


class TrueCamera:
    """A camera by its figures; world z up, x right and y away when the heading is 90°."""

    def __init__(
        self,
        focal: float = 1500,
        tilt: float = -8,
        roll: float = 0,
        heading: float = 70,
        height: float = 1.6,
        size: tuple[int, int] = (1920, 1280),
        shift: tuple[float, float] = (0, 0),
        k1: float = 0,
    ) -> None:
        t, r, h = np.radians([tilt, roll, heading])
        forward = np.array([np.cos(t) * np.cos(h), np.cos(t) * np.sin(h), np.sin(t)])
        level = np.array([np.sin(h), -np.cos(h), 0])
        down = np.cross(forward, level)
        self.rotation = np.stack([np.cos(r) * level + np.sin(r) * down, np.cos(r) * down - np.sin(r) * level, forward])
        self.focal, self.size, self.k1 = focal, size, k1
        self.axis = np.array(size) / 2 + shift
        self.centre = np.array([0.0, 0.0, height])

    def see(self, points: Any) -> np.ndarray:
        """Pixels of world points."""
        x, y, z = ((np.atleast_2d(points) - self.centre) @ self.rotation.T).T
        plane = np.column_stack([x / z, y / z])
        return np.asarray(plane * (1 + self.k1 * (plane**2).sum(1, keepdims=True)) * self.focal + self.axis)

    def ground(self, pixel: tuple[float, float]) -> np.ndarray:
        """The ground point under a pixel."""
        way = (
            np.array([(pixel[0] - self.size[0] / 2) / self.focal, (pixel[1] - self.size[1] / 2) / self.focal, 1])
            @ self.rotation
        )
        return np.asarray(self.centre - way * self.centre[2] / way[2])

    def wide_edges(self, each: int = 5, points: int = 2, noise: float = 0, seed: int = 0) -> list[dict[str, Any]]:
        """Long edges of all three runs, spread over the picture: on the ground, and plumb ones behind."""
        rng = np.random.default_rng(seed)
        lines: list[dict[str, Any]] = []
        for number in range(3 * each):
            run = number % 3
            for _ in range(1000):
                pixel = (rng.uniform(0.05, 0.95) * self.size[0], rng.uniform(0.05, 0.95) * self.size[1])
                way = np.array([*((pixel - self.axis) / self.focal), 1]) @ self.rotation
                start = self.centre + way * rng.uniform(3, 8)
                seen = self.see(start + np.linspace(0, rng.uniform(1, 3), points)[:, None] * np.eye(3)[run])
                inside = (seen > 0).all() and (seen < self.size).all()
                if inside and np.linalg.norm(seen[-1] - seen[0]) > 0.12 * self.size[0]:
                    break
            seen = seen + rng.normal(scale=noise, size=seen.shape) if noise else seen
            lines.append({"family": ("a", "b", "plumb")[run], "points": seen.tolist()})
        return lines

    def edges(self, runs: str = "ab", each: int = 3, seed: int = 0, length: float = 1.5) -> list[dict[str, Any]]:
        """Edges through random points of the ground's part of the picture, in the world's square directions."""
        rng = np.random.default_rng(seed)
        axes = {"a": np.eye(3)[0], "b": np.eye(3)[1], "p": np.eye(3)[2]}
        lines: list[dict[str, Any]] = []
        for run in runs:
            while sum(line["family"][0] == run for line in lines) < each:
                foot = self.ground((rng.uniform(0.1, 0.9) * self.size[0], rng.uniform(0.72, 0.95) * self.size[1]))
                ends = np.array([foot, foot + axes[run] * length * rng.uniform(0.7, 1.3)])
                if ((ends - self.centre) @ self.rotation[2]).min() > 0.4:
                    lines.append({"family": "plumb" if run == "p" else run, "points": self.see(ends).tolist()})
        return lines

    def problem(self, lines: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
        """The question of the command line."""
        return {"image": {"width": self.size[0], "height": self.size[1]}, "lines": lines, **more}


@cache
def exact_shot(name: str) -> Shot:
    """A sample's shot from exact marks."""
    return marked_shot(name, noise_px=0)
