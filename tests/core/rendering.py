"""Shots, models and a stand-in tracer that the rendering tests share."""

from __future__ import annotations

import json
from functools import cache
from typing import Any

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.composite.catch import Caught
from lithopos.core.composite.passes import Passes, put_together
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Material, Model, Part
from lithopos.core.layers import Window
from lithopos.core.reading.ask import read_model
from lithopos.core.render.scene import Scene
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.core.shot import Shot, load_shot
from tests.support import SAMPLES, exact_shot

SCALE = 0.25  # of the photograph, in which tests render


def box(size: tuple[float, float, float], grey: float = 0.5) -> Model:
    """A box standing on the ground about the origin, flat-sided."""
    corners = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (0, 1)]) * size
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    vertices, normals, faces = [], [], []
    for number, quad in enumerate(quads):
        p = corners[list(quad)]
        n = np.cross(p[1] - p[0], p[2] - p[0])
        n *= np.sign(n @ (p.mean(0) - [0, 0, size[2] / 2]))
        vertices.append(p)
        normals.append(np.tile(n / np.linalg.norm(n), (4, 1)))
        faces += [[4 * number, 4 * number + 1, 4 * number + 2], [4 * number, 4 * number + 2, 4 * number + 3]]
    part = Part("box", np.concatenate(vertices), np.concatenate(normals), np.zeros((24, 2)), np.array(faces), 0)
    return Model([part], [Material("grey", np.full(3, grey, np.float32), 1.0)])


@cache
def photograph() -> Picture:
    """The sample photograph at its full size."""
    return read_picture(SAMPLES / "cloister-yard.jpg")


@cache
def bench() -> Model:
    """The sample model."""
    return read_model(SAMPLES / "marl-bench.glb")


@cache
def tracer() -> MitsubaTracer:
    """One warm renderer for all tests of a process."""
    return MitsubaTracer()


def sample(**changes: Any) -> Shot:
    """The sample shot from exact marks, with changes."""
    return load_shot({**json.loads(exact_shot("cloister-yard").model_dump_json(by_alias=True)), **changes})


def together(codes: Any, caught: Caught, front: Any = None, light: Any = None) -> Any:
    """A window of codes (H, W, 3) put together with what was caught, and what stands in front (H, W) in its light."""
    none, dark = np.zeros(codes.shape[:2], np.float32), np.zeros(codes.shape, np.float32)
    parts = (caught.shadow, caught.added, caught.model, caught.cover)
    before = (none if front is None else front, dark if light is None else light)
    window, numbers = Window(0, 0, codes.shape[1], codes.shape[0]), none.astype(np.int32)
    return put_together(codes, Passes(window, *parts, *before, none, dark, dark, numbers, numbers, dark))


class Still:
    """A stand-in for the renderer: a dark field where the shadow would be, noise by pixel, half and seed."""

    def __init__(self, dark: tuple[int, int, int, int] = (200, 210, 260, 240)) -> None:
        self.dark, self.traced = dark, 0

    manner = "plain"

    def show(self, scene: Scene, fine: bool = False) -> None:
        """Nothing to load."""

    def lit_places(self) -> Array:
        """Nothing gathers light."""
        return np.zeros((0, 3))

    def batches(self, pixels: Any, _: int) -> list[Any]:
        """Portions of a thousand pixels."""
        return [pixels[start : start + 1000] for start in range(0, len(pixels), 1000)]

    def radiance(self, place: str, pixels: Any, first: int, count: int, seed: int) -> Floats:
        """Light of 1 all over, less of it in the dark field."""
        self.traced += len(pixels) * count
        x, y = pixels.T
        x0, y0, x1, y1 = self.dark
        inside = (x >= x0) & (x < x1) & (y >= y0) & (y < y1)
        noise = 0.01 * np.sin(x * 12.9898 + y * 78.233 + first + seed)[:, None] * [1, -1]
        light = np.where(inside & (place == "with"), 0.5, 1.0)[:, None] + np.where(inside[:, None], noise, 0)
        return np.repeat(light[..., None] * count, 3, axis=2).astype(np.float32)

    def first_hits(self, pixels: Any, _first: int, _count: int, _seed: int) -> dict[str, Floats]:
        """No model is seen."""
        nothing = np.zeros((len(pixels), 3), np.float32)
        return {"coverage": nothing[:, 0], "albedo": nothing, "normal": nothing, "depth": nothing[:, 0]}

    def things_at(self, pixels: Any) -> Any:
        """No model is seen."""
        return np.zeros((2, len(pixels)), np.int32)

    def sunlit(self, _pixels: Any) -> None:
        """No sun shines."""

    def irradiance(self) -> Floats:
        """White light."""
        return np.ones(3, np.float32)
