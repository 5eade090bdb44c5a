"""Scenes, tracing, catching and passes: the picture that comes out, and what must not change in it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from bench.truth import marked_shot, score

from lithopos.core.composite.catch import compose, model_gain
from lithopos.core.errors import Cancelled, InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model, Part, PbrMaterial
from lithopos.core.reading.ask import read_model
from lithopos.core.render.engine import FAST, SLOW, choose_variant
from lithopos.core.render.passes import Pass, pass_plan, render_shot, sized
from lithopos.core.render.scene import Scene, StoodModel, build_scene, placement
from lithopos.core.render.tracer import Layers, MitsubaTracer
from lithopos.core.shot import Placed, Shot
from tests.support import ROOT, SAMPLES


def box(size: tuple[float, float, float]) -> Model:
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
    return Model([part], [PbrMaterial("grey", np.array([0.5, 0.5, 0.5], np.float32), 0.9)])


class Still:
    """A stand-in for the renderer: a dark square where the shadow would be, noise by the seed."""

    def __init__(self, scene: Scene) -> None:
        x0, y0, x1, y1 = scene.region
        self.shape = (y1 - y0, x1 - x0)

    def trace(self, samples: int, seed: int) -> Layers:
        rng = np.random.default_rng(seed)
        ones, cover = np.ones((*self.shape, 3), np.float32), np.zeros(self.shape, np.float32)
        shaded = ones.copy()
        shaded[20:40, 20:60] = 0.5 + 0.01 * rng.random()
        return Layers(
            shaded * samples, ones * samples, cover * samples, 0 * ones, 0 * ones, 0 * ones, 0 * ones, samples
        )

    def level_irradiance(self) -> np.ndarray:
        return np.ones(3, np.float32)


def sample(scale: float = 0.25) -> tuple[Shot, Picture]:
    return marked_shot("cloister-yard", noise_px=0), sized(read_picture(SAMPLES / "cloister-yard.jpg"), scale)


def bench_model(_: str) -> Model:
    model: Model = read_model(SAMPLES / "marl-bench.glb")
    return model


class Catching(unittest.TestCase):
    def layers(self, ratio: float = 1.0, cover: float = 0.0) -> Layers:
        ones = np.ones((40, 60, 3), np.float32)
        covered = np.full((40, 60), cover, np.float32)
        with_models = ones * ratio * (1 - cover) + ones * 0.3 * cover
        return Layers(with_models, ones, covered, ones * cover, ones * cover, 0 * ones, 0 * ones, 1)

    def photograph(self) -> Picture:
        return Picture(np.random.default_rng(1).integers(0, 256, (40, 60, 3)).astype(np.uint8))

    def test_no_influence_leaves_every_code(self) -> None:
        photograph = self.photograph()
        made = compose(photograph, (0, 0, 60, 40), self.layers(), np.ones(3, np.float32), "fast")
        np.testing.assert_array_equal(made.codes, photograph.codes)

    def test_half_the_light_is_half_the_linear_value(self) -> None:
        grey = Picture(np.full((40, 60, 3), 188, np.uint8))  # code 188 is half the light
        made = compose(grey, (0, 0, 60, 40), self.layers(ratio=0.5), np.ones(3, np.float32), "fast")
        np.testing.assert_allclose(made.codes[20, 30], 137, atol=1)  # code 137 is a quarter

    def test_where_the_model_is_seen_it_has_its_own_radiance(self) -> None:
        gain = np.array([1.0, 2.0, 0.5], np.float32)
        made = compose(self.photograph(), (0, 0, 60, 40), self.layers(cover=1.0), gain, "fast")
        # 0.3, 0.6 and 0.15 linear are codes 149, 203 and 108.
        np.testing.assert_allclose(made.codes[20, 30], [149, 203, 108], atol=2)

    def test_the_gain_makes_a_sunlit_white_ground_white(self) -> None:
        gain = model_gain(0.8, np.array([2.0, 4.0, 1.0], np.float32))
        np.testing.assert_allclose(np.array([2.0, 4.0, 1.0]) / np.pi * gain, 0.8, rtol=1e-6)


class Scenes(unittest.TestCase):
    def test_a_model_stands_on_the_middle_of_its_foot(self) -> None:
        placed = Placed(id="m", file="x.glb", position_m=(1, 2, 0.5), turn_deg=90, size=2)
        off_centre = box((1, 2, 3))
        part = off_centre.parts[0]
        moved = Model([replace(part, vertices=part.vertices + [5, 6, 7])], off_centre.materials)
        matrix = placement(placed, moved)
        stood = part.vertices @ matrix[:3, :3].T + matrix @ [5, 6, 7, 1] @ np.eye(4)[:, :3]
        np.testing.assert_allclose(stood.min(0), [1 - 2, 2 - 1, 0.5], atol=1e-9)
        np.testing.assert_allclose(stood.max(0), [1 + 2, 2 + 1, 6.5], atol=1e-9)

    def test_what_is_missing_is_named(self) -> None:
        shot, picture = sample()
        cases: list[tuple[dict[str, Any], str]] = [
            ({"edges": []}, "camera: too few edges"),
            ({"lengths": []}, "lengths: holds no yardstick"),
            ({"gnomons": []}, "sun: is not known"),
            ({"models": []}, "models: is empty"),
        ]
        for change, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                build_scene(shot.model_copy(update=change), picture, bench_model)

    def test_the_traced_box_lies_where_the_camera_projects_it_and_its_shadow_where_the_sun_throws_it(self) -> None:
        shot, picture = sample()
        cube = box((0.6, 0.6, 0.6))
        shot.models[0] = shot.models[0].model_copy(update={"turn_deg": 20.0})
        scene = build_scene(shot, picture, lambda _: cube)
        whole = (0, 0, picture.codes.shape[1], picture.codes.shape[0])
        # A bent lens with its axis aside: the photograph stays, what is traced is bent to match.
        bent = replace(scene.camera, k1=-0.16, principal_point=scene.camera.principal_point + [9, -6])
        for traced in (scene, replace(scene, camera=bent, region=whole)):
            with self.subTest(k1=traced.camera.k1):
                self.check_box(traced, cube)

    def check_box(self, scene: Scene, cube: Model) -> None:
        layers = MitsubaTracer(scene).trace(8, 1)
        x0, y0, *_ = scene.region
        matrix = scene.models[0].matrix
        corners = scene.camera.project(cube.parts[0].vertices @ matrix[:3, :3].T + matrix[:3, 3])
        rows, columns = np.nonzero(layers.coverage / layers.samples > 0.5)
        np.testing.assert_allclose([columns.min() + x0, rows.min() + y0], corners.min(0), atol=1.5)
        np.testing.assert_allclose([columns.max() + x0 + 1, rows.max() + y0 + 1], corners.max(0), atol=1.5)
        top = matrix[:3, 3] + [0, 0, 0.6]
        inside_shadow = top - scene.sun * (0.55 / scene.sun[2])
        beside = inside_shadow + np.cross(scene.sun, [0, 0, 1]) * 1.2
        for point, dark in ((inside_shadow, True), (beside, False)):
            column, row = np.floor(scene.camera.project([*point[:2], 0])[0]).astype(int) - [x0, y0]
            ratio = float(layers.with_models[row, column].sum() / layers.without[row, column].sum())
            self.assertEqual(ratio < 0.6, dark, ratio)

    def test_region_holds_model_and_shadow(self) -> None:
        shot, picture = sample()
        scene = build_scene(shot, picture, bench_model)
        self.assertLess(
            (scene.region[2] - scene.region[0]) * (scene.region[3] - scene.region[1]),
            picture.codes.shape[0] * picture.codes.shape[1],
        )
        self.assertIsInstance(scene.models[0], StoodModel)


class Passes(unittest.TestCase):
    def steps(self, keep: Path | None, **more: object) -> list[Pass]:
        shot, picture = sample()
        return list(render_shot(shot, picture, bench_model, scale=1.0, samples=8, keep=keep, tracer_of=Still, **more))  # type: ignore[arg-type]

    def test_a_proof_doubles_and_a_master_goes_evenly(self) -> None:
        self.assertEqual(pass_plan(32, "proof"), [2, 2, 4, 8, 16])
        self.assertEqual(pass_plan(40, "master"), [16, 16, 8])

    def test_a_stopped_render_goes_on_to_the_same_picture(self) -> None:
        whole = self.steps(None)
        self.assertEqual([step.samples for step in whole], [2, 4, 8])
        with tempfile.TemporaryDirectory() as name:
            keep, asked = Path(name) / "sums.npz", iter([False, False, True])
            with self.assertRaises(Cancelled):
                self.steps(keep, stopped=lambda: next(asked))
            rest = self.steps(keep)
        self.assertEqual([step.number for step in rest], [3])
        np.testing.assert_array_equal(rest[-1].picture.codes, whole[-1].picture.codes)

    def test_pixels_outside_the_region_stay(self) -> None:
        shot, picture = sample()
        x0, y0, x1, y1 = build_scene(shot, picture, bench_model).region
        made = self.steps(None)[-1].picture.codes.copy()
        self.assertTrue((made != picture.codes).any())
        made[y0:y1, x0:x1] = picture.codes[y0:y1, x0:x1]
        np.testing.assert_array_equal(made, picture.codes)


class Engine(unittest.TestCase):
    def test_a_bad_llvm_is_found_out_in_a_child_process_and_remembered(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            bad = Path(name) / "libLLVM.so.19"
            bad.write_text("not a library")
            with mock.patch.dict(os.environ, {"DRJIT_LIBLLVM_PATH": str(bad), "LITHOPOS_VARIANT": ""}):
                self.assertEqual(choose_variant(Path(name)), SLOW)
                with mock.patch("subprocess.run", side_effect=AssertionError("tried again")):
                    self.assertEqual(choose_variant(Path(name)), SLOW)

    def test_the_slow_variant_makes_the_same_picture(self) -> None:
        # The variant is fixed for a process, so the other one is asked in its own.
        script = (
            "from tests.core.test_render import *; shot, picture = sample(0.125);"
            "steps = render_shot(shot, picture, bench_model, scale=1.0, samples=16);"
            "print(list(steps)[-1].picture.codes.mean((0, 1)).tolist())"
        )
        means = []
        for variant in (FAST, SLOW):
            environment = {**os.environ, "LITHOPOS_VARIANT": variant if choose_variant() == FAST else SLOW}
            told = subprocess.run(
                [sys.executable, "-c", script], env=environment, cwd=ROOT, capture_output=True, text=True, check=True
            )
            means.append(json.loads(told.stdout))
        np.testing.assert_allclose(means[0], means[1], atol=0.2)


class Truth(unittest.TestCase):
    def test_composites_from_noisy_marks_against_the_pictures_with_the_model_there(self) -> None:
        for name in ("cloister-yard", "sea-terrace"):
            with self.subTest(name):
                told, _ = score(name, samples=8)
                self.assertGreater(told.composite_db, told.bare_db + 6, told)
                self.assertLess(told.model_delta_e, 8, told)


if __name__ == "__main__":
    unittest.main()
