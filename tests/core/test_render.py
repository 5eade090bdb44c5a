"""Scenes, tracing and renders: what is traced, what is kept, and what must not change in the picture."""

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

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.composite.mattes import fringe_round
from lithopos.core.composite.passes import pass_picture, put_together, read_passes
from lithopos.core.errors import Cancelled, InputError
from lithopos.core.geometry.model import Model
from lithopos.core.layers import Window
from lithopos.core.light.near import Ball
from lithopos.core.light.turning import rotation_of
from lithopos.core.place.planes import plane_receiver
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.render import tiles
from lithopos.core.render.card import card_picture, card_question
from lithopos.core.render.engine import FAST, SLOW, choose_variant
from lithopos.core.render.influence import influence_of
from lithopos.core.render.render import Step, portions, refuse_too_large, render_shot
from lithopos.core.render.scene import Environment, Light, Scene, StoodModel, build_scene
from lithopos.core.render.session import Session, sized
from lithopos.core.shot import Exposure, Placed, Shot, Surface
from lithopos.core.standing.placement import placement
from tests.core.rendering import SCALE, Still, bench, box, photograph, sample, tracer
from tests.support import ROOT

STANDING: dict[str, Any] = {"id": "m", "file": "marl-bench.glb", "position_m": [0.95, -1.75, 0.0], "turn_deg": 14.0}


def scene_of(model: Model | None = None, **changes: Any) -> Scene:
    return build_scene(sample(**changes), sized(photograph(), SCALE), lambda _: model or bench())


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

    def test_a_copy_of_any_size_has_a_camera_of_just_that_size(self) -> None:
        told = sample().photograph
        assert told
        shot = sample(photograph={**told.model_dump(mode="json"), "falloff": 0.2})
        small = sized(photograph(), 0.32)  # whose sides are rounded apart
        camera = build_scene(shot, small, lambda _: box((0.5, 0.5, 0.5))).camera
        self.assertEqual((camera.height, camera.width), small.codes.shape[:2])

    def test_what_is_missing_is_named(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            ({"edges": []}, "camera: too few edges"),
            ({"lengths": []}, "lengths: holds no yardstick"),
            ({"gnomons": []}, "sun: is not known"),
            ({"models": []}, "models: is empty"),
            ({"models": [{**STANDING, "position_m": [9000, 0, 0]}]}, "models: m stands 9.0 km away"),
        ]
        for change, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                scene_of(**change)

    def test_the_receivers_do_not_depend_on_where_models_stand(self) -> None:
        one, two = scene_of(), scene_of(models=[{**STANDING, "position_m": [0.3, -1.0, 0.0], "turn_deg": 80}])
        self.assertEqual(len(one.receivers[0].patches), len(two.receivers[0].patches))
        for a, b in zip(one.receivers[0].patches, two.receivers[0].patches, strict=True):
            np.testing.assert_array_equal(a.reflectance, b.reflectance)
        np.testing.assert_array_equal(one.gain, two.gain)

    def test_things_far_apart_are_each_influenced_on_their_own(self) -> None:
        at = [[0.95, -1.75, 0.0], [8.0, 22.0, 0.0]]
        far = influence_of(scene_of(models=[{**STANDING, "id": f"m{i}", "position_m": p} for i, p in enumerate(at)]))
        near = influence_of(scene_of())
        bounds = far.bounds()
        assert bounds
        box_share = bounds.width * bounds.height / (far.width * far.height)
        self.assertLess(far.changed.mean(), 0.9 * box_share)
        self.assertTrue((far.changed >= near.changed).all())
        camera = scene_of().camera
        x, y = (camera.project([0.95, -1.75, 0.3])[0] // near.cell).astype(int)
        self.assertTrue(near.changed[y, x] and near.covered[y, x])


def screened(hides: bool, receives: bool) -> Scene:
    """A black box with a low white screen between it and the camera."""
    scene = scene_of(box((0.6, 0.6, 1.6), grey=0.0), models=[STANDING])
    foot = scene.models[0].matrix[:3, 3]
    towards = (scene.camera.position - foot) * [1, 1, 0]
    towards /= np.linalg.norm(towards)
    aside, middle = np.cross(towards, [0, 0, 1]), foot + 0.8 * towards
    corners = np.array([middle + aside * x + np.array([0, 0, z]) for x, z in ((-2, 0), (2, 0), (2, 0.5), (-2, 0.5))])
    patch = Patch(corners, np.zeros((4, 2)), np.array([[0, 1, 2], [0, 2, 3]]), np.full(3, 0.9, np.float32))
    screen = Receiver("screen", (patch,), Sheen(0.0, 1.0), receives, hides)
    return replace(scene, receivers=(*scene.receivers, screen), place_key="")


class Tracing(unittest.TestCase):
    """The renderer package against geometry and closed forms of the tests' own."""

    def pixels(self, *points: Any) -> Any:
        return np.floor(np.array(points)).astype(np.int32).reshape(-1, 2)

    def test_the_traced_box_lies_where_the_camera_projects_it_and_its_shadow_where_the_sun_throws_it(self) -> None:
        cube = box((0.6, 0.6, 0.6))
        scene = scene_of(cube, models=[{**STANDING, "turn_deg": 20.0}])
        # A bent lens with its axis aside: the photograph stays, what is traced is bent to match.
        bent = replace(scene.camera, k1=-0.16, principal_point=scene.camera.principal_point + [9, -6])
        for camera in (scene.camera, bent):
            with self.subTest(k1=camera.k1):
                self.check_box(replace(scene, camera=camera), cube)

    def check_box(self, scene: Scene, cube: Model) -> None:
        engine = tracer()
        engine.show(scene)
        matrix, sun = scene.models[0].matrix, scene.sun
        assert sun is not None
        corners = scene.camera.project(cube.parts[0].vertices @ matrix[:3, :3].T + matrix[:3, 3])
        low, high = np.floor(corners.min(0)).astype(int) - 6, np.ceil(corners.max(0)).astype(int) + 6
        x, y = np.meshgrid(np.arange(low[0], high[0]), np.arange(low[1], high[1]))
        pixels = np.column_stack([x.ravel(), y.ravel()]).astype(np.int32)
        cover = engine.first_hits(pixels, 0, 4, 1)["coverage"] / 8
        seen = pixels[cover > 0.5]
        np.testing.assert_allclose(seen.min(0), corners.min(0), atol=1.5)
        np.testing.assert_allclose(seen.max(0) + 1, corners.max(0), atol=1.5)
        self.assertLessEqual(float(cover.max()), 1 + 1e-5)
        top = matrix[:3, 3] + [0, 0, 0.6]
        inside = top - sun * (0.55 / sun[2])
        beside = inside + np.cross(sun, [0, 0, 1]) * 1.2
        places = self.pixels(*scene.camera.project(np.stack([inside, beside]) * [1, 1, 0]))
        light, bare = (engine.radiance(place, places, 0, 8, 1).sum((1, 2)) for place in ("with", "without"))
        self.assertLess(light[0] / bare[0], 0.6)
        self.assertAlmostEqual(light[1] / bare[1], 1, delta=0.1)

    def test_a_screen_before_a_box_hides_it_or_not_and_takes_its_light_or_not(self) -> None:
        for hides, receives in ((True, True), (True, False), (False, True)):
            with self.subTest(hides=hides, receives=receives):
                scene = screened(hides, receives)
                engine = tracer()
                engine.show(scene)
                points = [scene.models[0].matrix[:3, 3] + [0, 0, z] for z in (0.2, 1.2)]
                pixels = self.pixels(*scene.camera.project(points))
                hits = engine.first_hits(pixels, 0, 8, 1)
                np.testing.assert_allclose(hits["coverage"] / 16, [not hides, 1], atol=0.01)
                self.assertEqual("withheld" in hits, not receives)
                if not receives:
                    np.testing.assert_allclose(hits["withheld"] / 16, [1, 0], atol=0.01)
                light = engine.radiance("with", pixels, 0, 8, 1).mean((1, 2)) / 8
                bare = engine.radiance("without", pixels, 0, 8, 1).mean((1, 2)) / 8
                # The screen is white, the box black: what is seen is what fills the pixel.
                self.assertEqual(light[0] < 0.05 * bare[0], not hides)

    def test_a_sample_depends_on_its_pixel_number_and_seed_alone(self) -> None:
        engine, scene = tracer(), scene_of()
        engine.show(scene)
        some = self.pixels([100, 200], [101, 200], [300, 250], [310, 280], [90, 300])
        whole = engine.radiance("with", some, 0, 4, 3)
        parts = engine.radiance("with", some[[3, 1]], 0, 2, 3) + engine.radiance("with", some[[3, 1]], 2, 2, 3)
        np.testing.assert_allclose(parts, whole[[3, 1]], rtol=1e-5)
        self.assertFalse(np.allclose(engine.radiance("with", some, 0, 4, 4), whole))

    def lit(self, *lights: Light, coat: float = 0.0, model: Model | None = None) -> Scene:
        """A grey plane of reflectance 0.5 seen from 3 m above, a model at the origin."""
        down = np.array([[1.0, 0, 0], [0, -1, 0], [0, 0, -1]])
        camera = Pinhole(200.0, np.array([100.0, 100.0]), down, np.array([0.0, 0.0, 3.0]), 200, 200)
        plane = plane_receiver(
            "ground",
            np.full((200, 200, 3), 0.4, np.float32),
            camera,
            height_m=0.0,
            mean=0.5,
            white=np.full(3, 0.8, np.float32),
            sheen=Sheen(coat, 0.6),
        )
        thing = StoodModel("box", model or box((1.2, 0.3, 0.8), grey=0.0), np.eye(4))
        return Scene(camera, (plane,), (thing,), lights, np.ones(3, np.float32))

    def test_a_white_sky_gives_pi_and_a_wall_takes_its_form_factor(self) -> None:
        engine, sky = tracer(), Environment(np.ones((8, 16, 3), np.float32))
        scene = self.lit(sky)
        engine.show(scene)
        np.testing.assert_allclose(engine.irradiance(), np.pi, rtol=0.01)
        # A point in front of the middle of a wall of half width a and height h: Howell, configuration B-4.
        a, h = 0.6, 0.8
        for d in (0.4, 1.0):
            far = np.hypot(d, h)
            factor = (np.arctan(a / d) - d / far * np.arctan(a / far)) / np.pi
            pixel = self.pixels(scene.camera.project([0, -0.15 - d, 0])[0])
            bare = engine.radiance("without", pixel, 0, 2048, 0).mean() / 2048
            seen = engine.radiance("with", pixel, 0, 2048, 0).mean() / 2048
            self.assertAlmostEqual(bare, 0.5, delta=0.005)
            # The black wall has the sheen of its own coat, which gives a little back.
            self.assertAlmostEqual(seen / bare, 1 - factor, delta=0.02)

    def test_a_panorama_stands_upright_with_its_middle_towards_x(self) -> None:
        engine = tracer()
        for azimuth in (0, 90):
            sky = np.zeros((64, 128, 3), np.float32)
            sky[20:28, 60:68] = 40.0  # at an elevation of some 22°, in the middle of the panorama
            engine.show(self.lit(Environment(sky, rotation_of(azimuth, 0, 0))))
            way = np.array([np.cos(np.radians(azimuth)), np.sin(np.radians(azimuth))])
            towards, behind = (
                engine.radiance("with", self.pixels(engine.scene.camera.project([*(s * 0.9 * way), 0])[0]), 0, 64, 0)
                for s in (1, -1)
            )
            self.assertGreater(towards.mean(), 3 * behind.mean(), azimuth)

    def test_the_ground_shows_the_photograph_where_the_camera_sees_it(self) -> None:
        # Under an even white sky the traced ground is its reflectance: the photograph's own light and dark.
        scene = replace(scene_of(), lights=(Environment(np.ones((8, 16, 3), np.float32)),), models=(), place_key="")
        linear = decode_srgb(sized(photograph(), SCALE).encoded)
        camera, rng = scene.camera, np.random.default_rng(3)
        points = np.column_stack([rng.uniform(-2, 2, 400), rng.uniform(-3, 1, 400), np.zeros(400)])
        pixels = np.floor(camera.project(points)).astype(np.int32)
        seen = pixels[(pixels > 4).all(1) & (pixels < [camera.width - 4, camera.height - 4]).all(1)]
        engine = tracer()
        engine.show(scene)
        light = engine.radiance("without", seen, 0, 32, 1).sum(1).mean(1)
        wanted = linear[seen[:, 1], seen[:, 0]].mean(1)
        self.assertGreater(float(np.corrcoef(light, wanted)[0, 1]), 0.85)

    def test_a_lamp_lights_by_the_inverse_square_and_the_sheen_mirrors(self) -> None:
        engine = tracer()
        lamp = Ball(np.array([0.0, 0.0, 2.0]), 0.05, np.full(3, 100, np.float32))
        tiny = box((0.01, 0.01, 0.01))
        engine.show(self.lit(lamp, model=tiny))
        pixel = self.pixels(engine.scene.camera.project([0.9, 0.0, 0])[0])
        found = engine.radiance("without", pixel, 0, 512, 0).mean() / 512
        # Radiance L of a ball of radius r at distance d gives E = π L r²/d² · cos θ; a grey plane throws back 0.5 E/π.
        d = np.hypot(2.0, 0.9)
        self.assertAlmostEqual(found, 0.5 * 100 * 0.05**2 / d**2 * 2.0 / d, delta=0.001)
        glossy = self.lit(lamp, coat=1.0, model=tiny)
        engine.show(glossy)
        mirrored = self.pixels(glossy.camera.project([0.02, 0.0, 0])[0])
        self.assertGreater(engine.radiance("without", mirrored, 0, 512, 0).mean() / 512, 1.02 * 0.5 * 100 * 0.05**2 / 4)

    def test_cutting_long_paths_takes_nothing_that_is_seen(self) -> None:
        engine = tracer()
        engine.show(self.lit(Environment(np.ones((8, 16, 3), np.float32)), model=box((1.2, 0.3, 0.8), grey=0.95)))
        pixels = self.pixels(*[[x, 110] for x in range(60, 140)])
        short = engine.radiance("with", pixels, 0, 256, 0).mean()
        patient = engine.mi.load_dict({"type": "path", "max_depth": 64, "rr_depth": 64})
        with mock.patch.dict(engine._paths, {"with": patient}):
            whole = engine.radiance("with", pixels, 0, 256, 0).mean()
        self.assertAlmostEqual(short / whole, 1, delta=0.002)


class Renders(unittest.TestCase):
    def steps(self, keep: Path | None = None, session: Session | None = None, **more: Any) -> list[Step]:
        session = session or Session(tracer=Still())
        told: dict[str, Any] = {"scale": SCALE, "samples": 32, "photograph_key": "cloister"} | more
        return list(render_shot(sample(), photograph(), lambda _: bench(), keep=keep, session=session, **told))

    def test_hair_is_told_once_and_said_where_it_can_t_be(self) -> None:
        ring = [[700, 820], [1000, 820], [1000, 980], [700, 980]]
        hairy = sample(mattes=[{"id": "o", "name": "Bush", "points": ring, "fringe_px": 30}])
        band = {"id": "o", "name": "Bush", "points": ring, "fringe_px": 400}
        session = Session(tracer=Still())
        told: dict[str, Any] = {"scale": SCALE, "samples": 32, "photograph_key": "cloister", "session": session}
        with mock.patch("lithopos.core.render.session.fringe_round", wraps=fringe_round) as tell:
            for shot in (hairy, hairy, hairy.model_copy(update={"exposure": Exposure(stops=0.5)})):
                last = list(render_shot(shot, photograph(), lambda _: bench(), **told))[-1]
                self.assertEqual(last.notes, ())
        self.assertEqual(tell.call_count, 1)
        last = list(render_shot(sample(mattes=[band]), photograph(), lambda _: bench(), **told))[-1]
        self.assertRegex(" ".join(last.notes), "Bush: its hair can’t be told")

    def test_what_is_given_afterwards_needs_no_tracing_and_gives_the_same_picture(self) -> None:
        warm = Session(tracer=tracer())

        def made(session: Session, shot: Shot) -> tuple[Any, int]:
            """Codes, and how often something was traced for them."""
            told: dict[str, Any] = {"scale": SCALE, "samples": 8, "photograph_key": "cloister", "session": session}
            engine = session.tracer
            with mock.patch.object(engine, "radiance", wraps=engine.radiance) as traced:
                picture = list(render_shot(shot, photograph(), lambda _: bench(), **told))[-1].picture
            assert picture
            return picture.codes, traced.call_count

        made(warm, sample())
        tones = {"grain": 2.0, "model": {"exposure_stops": 0.5}, "place": {"contrast": 0.2}, "black": 0.02}
        for changes in ({"blend": tones}, {"contact": {"shadow": 0.6, "uneven_mm": 5}}, {"exposure": {"stops": 0.4}}):
            follows, anew = made(warm, sample(**changes)), made(Session(tracer=tracer()), sample(**changes))
            self.assertEqual((follows[1], anew[1] > 0), (0, True), changes)
            np.testing.assert_array_equal(follows[0], anew[0])
        self.assertGreater(made(warm, sample(blend={"lens": {"focus_m": 4.0, "aperture_mm": 30.0}}))[1], 0)

    def begun(self, keep: Path, engine: Still, **more: Any) -> Any:
        told: dict[str, Any] = {"scale": SCALE, "samples": 32, "photograph_key": "cloister", **more}
        return render_shot(sample(), photograph(), lambda _: bench(), keep=keep, session=Session(tracer=engine), **told)

    def test_a_proof_begins_with_little_and_a_master_with_more(self) -> None:
        self.assertEqual(portions(32, "proof"), [(0, 4), (4, 12)])
        self.assertEqual(portions(64, "master"), [(0, 8), (8, 24)])
        self.assertEqual(portions(1, "master"), [(0, 1)])

    def test_a_stopped_render_goes_on_to_the_same_picture(self) -> None:
        whole = self.steps()
        self.assertEqual([step.samples for step in whole], [2, 8, 32])
        stop = [False]
        with tempfile.TemporaryDirectory() as name, mock.patch("lithopos.core.render.checkpoint.RARELY_S", 0.0):
            keep, again = Path(name) / "so-far", Still()
            steps = self.begun(keep, Still(), between=lambda: stop[0])
            next(steps)  # the glance
            next(steps)
            stop[0] = True
            with self.assertRaises(Cancelled):
                next(steps)
            rest = list(self.begun(keep, again))
            self.assertFalse(keep.exists(), "a finished render leaves no checkpoints")
        self.assertEqual([step.samples for step in rest], [32])
        assert rest[-1].picture and whole[-1].picture
        np.testing.assert_array_equal(rest[-1].picture.codes, whole[-1].picture.codes)

    def test_one_that_ended_before_its_picture_still_makes_it(self) -> None:
        whole = self.steps()[-1].picture
        with tempfile.TemporaryDirectory() as name, mock.patch("lithopos.core.render.checkpoint.RARELY_S", 0.0):
            keep = Path(name) / "so-far"
            full = [None, None, OSError("no room")]
            with (
                mock.patch("lithopos.core.render.render._Job._compose", side_effect=full),
                self.assertRaises(OSError),
            ):
                list(self.begun(keep, Still()))
            again = Still()
            rest = list(self.begun(keep, again))
        self.assertEqual((again.traced, len(rest)), (0, 1))
        assert whole and rest[0].picture
        np.testing.assert_array_equal(rest[0].picture.codes, whole.codes)

    def test_tiles_make_the_same_picture_as_one_piece(self) -> None:
        engine = tracer()
        one = self.steps(session=Session(tracer=engine), samples=16)[-1].picture
        with mock.patch.object(tiles, "ONE_PIECE", 0), mock.patch.object(tiles, "TILE_PX", 160):
            steps = self.steps(session=Session(tracer=engine), samples=16)
            self.assertGreater(steps[-1].of, 5)
            parts = steps[-1].picture
        assert one and parts
        # The denoiser sees other surroundings, which shows as noise on the model; no line stands out from it.
        difference = np.abs(parts.codes.astype(int) - one.codes).max(-1)
        changed = (one.codes != photograph_codes()).any(-1)
        influence = influence_of(scene_of())
        model = influence.pixels(influence.covered, Window(0, 0, influence.width, influence.height))
        self.assertLess(float(difference[changed & ~model].mean()), 0.7)
        self.assertLess(float((difference[~changed] > 1).mean()), 1e-4)
        for seam in (160, 320):
            at = changed[:, seam - 2 : seam + 2]
            beside = float(difference[changed].mean())
            self.assertLess(float(difference[:, seam - 2 : seam + 2][at].mean() if at.any() else 0), 2 * beside + 0.3)

    def test_tiles_between_things_that_stand_far_apart_stay(self) -> None:
        # Under pixels at the lower left and at the right: between them nothing is changed.
        at = scene_of().camera.ground_points([[40, 300], [440, 200]])
        ends = [{**STANDING, "id": f"m{i}", "position_m": [*point[:2], 0.0]} for i, point in enumerate(at.tolist())]
        with (
            mock.patch.object(tiles, "ONE_PIECE", 0),
            mock.patch.object(tiles, "TILE_PX", 24),
            mock.patch("lithopos.core.render.render.halo_px", return_value=4),
        ):
            steps = list(
                render_shot(
                    sample(models=ends),
                    photograph(),
                    lambda _: box((0.1, 0.1, 0.1)),
                    scale=SCALE,
                    samples=2,
                    session=Session(tracer=Still()),
                )
            )
        assert steps[-1].picture
        np.testing.assert_array_equal(steps[-1].picture.codes[:100], photograph_codes()[:100])

    def test_a_killed_tiled_render_traces_no_finished_tile_again(self) -> None:
        with (
            mock.patch.object(tiles, "ONE_PIECE", 0),
            mock.patch.object(tiles, "TILE_PX", 160),
            tempfile.TemporaryDirectory() as name,
        ):
            keep, first, second = Path(name) / "so-far", Still(), Still()
            total = Still()
            whole = self.steps(session=Session(tracer=total))[-1].picture
            steps = self.begun(keep, first)
            while next(steps).done < 6:
                pass
            steps.close()
            rest = self.steps(keep, Session(tracer=second))[-1].picture
            self.assertLess(second.traced, 0.8 * total.traced)
        assert rest and whole
        np.testing.assert_array_equal(rest.codes, whole.codes)

    def test_a_finished_master_is_made_finer_to_the_picture_of_one_that_was_asked_for_at_once(self) -> None:
        for size in (10**9, 0):
            with (
                self.subTest(tiled=size == 0),
                mock.patch.object(tiles, "ONE_PIECE", size),
                mock.patch.object(tiles, "TILE_PX", 160),
                mock.patch("lithopos.core.render.checkpoint.RARELY_S", 0.0),
                tempfile.TemporaryDirectory() as name,
            ):
                direct, first, second = Still(), Still(), Still()
                told: dict[str, Any] = {"quality": "master", "made": 40}
                at_once = self.steps(session=Session(tracer=direct), **told, samples=160)[-1].picture
                keep = Path(name) / "so-far"
                self.steps(keep, Session(tracer=first), quality="master", samples=40)
                finer = self.steps(keep, Session(tracer=second), **told, samples=160)
                self.assertEqual(first.traced + second.traced, direct.traced)
                self.assertEqual(finer[-1].samples, 160)
                assert at_once and finer[-1].picture
                np.testing.assert_array_equal(finer[-1].picture.codes, at_once.codes)

    def test_a_master_stops_where_it_is_fine_enough(self) -> None:
        told: dict[str, Any] = {"quality": "master", "scale": SCALE, "photograph_key": "cloister"}

        def render(noise: float | None) -> Step:
            shot = sample(output={"samples": 512, "noise": noise})
            return list(render_shot(shot, photograph(), lambda _: bench(), session=Session(tracer=Still()), **told))[-1]

        whole = render(None)
        self.assertEqual((whole.samples, whole.done), (512, whole.of))
        assert whole.noise
        coarse, fine = render(3 * whole.noise), render(whole.noise / 3)
        self.assertEqual((coarse.samples, coarse.done, fine.samples), (16, coarse.of, 512))

    def test_a_part_is_refined_over_the_picture_that_is_there(self) -> None:
        under = self.steps()[-1].picture
        assert under
        width, height = 240, 60
        part = Window(*(round(v / SCALE) for v in (150, 200, 150 + width, 200 + height)))
        engine = Still()
        made = self.steps(session=Session(tracer=engine), samples=128, part=part, over=under)[-1].picture
        assert made
        differs = (made.codes != under.codes).any(-1)
        self.assertTrue(differs[200:260, 150:390].any())
        differs[200:260, 150:390] = False
        self.assertFalse(differs.any())
        self.assertLess(engine.traced, 2 * 64 * width * height + 1)
        with self.assertRaisesRegex(InputError, "part"):
            self.steps(part=Window(90_000, 0, 90_100, 50))

    def test_the_picture_is_put_together_from_its_passes_and_nothing_else(self) -> None:
        shot = sample(mattes=[{"id": "o", "kind": "outline", "points": [[700, 800], [1000, 760], [900, 1100]]}])
        with (
            mock.patch.object(tiles, "ONE_PIECE", 0),
            mock.patch.object(tiles, "TILE_PX", 160),
            tempfile.TemporaryDirectory() as name,
        ):
            told: dict[str, Any] = {"scale": SCALE, "samples": 8, "session": Session(tracer=tracer())}
            steps = render_shot(shot, photograph(), lambda _: bench(), passes=Path(name), **told)
            made = list(steps)[-1].picture
            passes = read_passes(Path(name))
        codes = photograph_codes().copy()
        for part in passes:
            codes[part.window.slices] = put_together(codes[part.window.slices], part)
        assert made
        np.testing.assert_array_equal(codes, made.codes)
        numbers = pass_picture("objects", passes, codes.shape[:2])[..., 0]
        shown = pass_picture("model", passes, codes.shape[:2])[..., 3]
        self.assertEqual(set(np.unique(numbers)), {0, 1})
        self.assertGreater(float(((numbers == 1) == (shown > 32768)).mean()), 0.995)
        self.assertEqual(len(np.unique(pass_picture("materials", passes, codes.shape[:2]))), 4)  # and none
        depth = np.concatenate([part.depth[part.objects == 1] for part in passes])
        away = float(np.linalg.norm(scene_of().camera.position - [0.5, -1.0, 0.3]))
        self.assertAlmostEqual(float(np.median(depth)), away, delta=1.0)

    def test_pixels_without_influence_stay(self) -> None:
        made = self.steps()[-1].picture
        assert made
        x0, y0, x1, y1 = Still().dark
        changed = (made.codes != photograph_codes()).any(-1)
        self.assertTrue(changed[y0:y1, x0:x1].mean() > 0.9)
        changed[max(y0 - 12, 0) : y1 + 12, x0 - 12 : x1 + 12] = False
        self.assertEqual(int(changed.sum()), 0)

    def test_a_moved_model_leaves_the_empty_place_and_a_changed_light_does_not(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            session = Session(Path(name), Still())
            self.steps(session=session)
            traced = session.counts["traced"]
            moved = sample(models=[{**STANDING, "position_m": [1.0, -1.7, 0.0]}])
            lit = sample(sun={"kind": "gnomons", "strength": 0.5})

            def render(shot: Any, session: Session) -> int:
                before = session.counts["traced"]
                told: dict[str, Any] = {"scale": SCALE, "samples": 32, "photograph_key": "cloister"}
                list(render_shot(shot, photograph(), lambda _: bench(), session=session, **told))
                return session.counts["traced"] - before

            self.assertLess(render(moved, session), 0.1 * traced)
            self.assertEqual(render(moved, Session(Path(name), Still())), 0, "kept on the disk, too")
            self.assertGreater(render(lit, session), 0.9 * traced)

    def test_the_renderer_moves_models_in_place_and_loads_only_what_changed(self) -> None:
        engine = tracer()
        engine.show(replace(scene_of(), place_key="here", things_key="bench"))
        before = dict(engine.loaded)
        engine.show(replace(scene_of(models=[{**STANDING, "turn_deg": 60}]), place_key="here", things_key="bench"))
        self.assertEqual(
            {name: engine.loaded[name] - before[name] for name in before}, {"places": 0, "things": 0, "moved": 1}
        )
        fresh = scene_of(models=[{**STANDING, "turn_deg": 60}])
        pixels = np.column_stack([np.arange(150, 350, 4), np.full(50, 225)]).astype(np.int32)
        moved = engine.radiance("with", pixels, 0, 4, 1)
        engine.show(fresh)
        np.testing.assert_allclose(engine.radiance("with", pixels, 0, 4, 1), moved, rtol=1e-3, atol=1e-4)

    def test_what_is_too_large_or_nowhere_is_said_before_anything_starts(self) -> None:
        with self.assertRaisesRegex(InputError, r"output\.scale: asks for a picture of 46000 × 34800.*GB"):
            refuse_too_large(11_500, 8_700, 4.0)
        refuse_too_large(6000, 4000, 1.0)
        behind = sample(models=[{**STANDING, "position_m": [0.0, -40.0, 0.0]}])
        with self.assertRaisesRegex(InputError, "outside the picture"):
            list(render_shot(behind, photograph(), lambda _: box((0.2, 0.2, 0.2)), scale=SCALE, session=Session()))

    def test_tiles_cover_the_bounds_once(self) -> None:
        parts = tiles.tiles_of(Window(900, 100, 3000, 2500), 6000, 4000)
        covered = np.zeros((4000, 6000), np.uint8)
        for part in parts:
            covered[part.slices] += 1
        self.assertTrue((covered[100:2500, 900:3000] == 1).all())
        self.assertLessEqual(max(part.width * part.height for part in parts), 2_000_000)


def photograph_codes() -> Any:
    return sized(photograph(), SCALE).codes


class Levels(unittest.TestCase):
    def test_a_model_on_a_table_throws_its_shadow_on_the_table(self) -> None:
        level = {"id": "t", "name": "Table", "height_m": 0.8}
        standing = {**STANDING, "position_m": [0.95, -1.75, 0.8]}
        for models in (
            [{**standing, "level": "t"}],
            [standing],  # without a name, its height tells
            [{**standing, "level": "t"}, {**STANDING, "id": "n", "position_m": [-1.5, 0.5, 0.0]}],
        ):
            scene = scene_of(box((0.3, 0.3, 0.3)), levels=[level], models=models)
            self.assertEqual(scene.models[0].stands_at_m, 0.8)
            engine = tracer()
            engine.show(scene)
            sun = scene.sun
            assert sun is not None
            for drop, dark in ((0.25, True), (0.8 + 0.25, False)):
                point = np.array([0.95, -1.75, 0.8 + 0.25]) - sun * (drop / sun[2])
                pixel = np.floor(scene.camera.project(point)).astype(np.int32)
                light, bare = (engine.radiance(place, pixel, 0, 16, 0).mean() for place in ("with", "without"))
                self.assertEqual(light / bare < 0.7, dark, (drop, light / bare))

    def test_a_level_below_the_ground_is_seen_through_it(self) -> None:
        level = {"id": "q", "name": "Quay", "height_m": -0.6}
        models = [
            {**STANDING, "position_m": [0.95, -1.0, -0.6], "level": "q"},
            {**STANDING, "id": "n", "position_m": [-2.5, 1.5, 0.0]},
        ]
        scene = scene_of(box((0.5, 0.5, 0.5)), levels=[level], models=models)
        engine = tracer()
        engine.show(scene)
        pixel = np.floor(scene.camera.project([0.95, -1.0, -0.3])).astype(np.int32)
        self.assertGreater(engine.first_hits(pixel, 0, 8, 0)["coverage"][0] / 16, 0.9)


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
            "from tests.core.test_render import *;"
            "steps = list(render_shot(sample(), photograph(), lambda _: bench(), scale=0.125, samples=16));"
            "codes = steps[-1].picture.codes; print(codes[codes.shape[0] // 2 :].mean((0, 1)).tolist());"
            "scene = screened(True, False); engine = tracer(); engine.show(scene);"
            "points = [scene.models[0].matrix[:3, 3] + [0, 0, z] for z in (0.2, 1.2)];"
            "hits = engine.first_hits(np.floor(scene.camera.project(points)).astype(np.int32), 0, 8, 1);"
            "print([hits['coverage'].tolist(), hits['withheld'].tolist()])"
        )
        means, filled = [], []
        for variant in (FAST, SLOW):
            environment = {**os.environ, "LITHOPOS_VARIANT": variant if choose_variant() == FAST else SLOW}
            told = subprocess.run(
                [sys.executable, "-c", script], env=environment, cwd=ROOT, capture_output=True, text=True, check=True
            )
            mean, fill = told.stdout.strip().splitlines()
            means.append(json.loads(mean))
            filled.append(json.loads(fill))
        np.testing.assert_allclose(means[0], means[1], atol=0.3)
        np.testing.assert_allclose(filled[0], filled[1], atol=0.5)


class SunAndSky(unittest.TestCase):
    def test_both_errors_of_what_is_kept_under_sun_and_cloud(self) -> None:
        for name, sun in (("sun", 1.0), ("cloud", 0.0)):
            with self.subTest(name):
                wrong, lost, traced = kept_errors({"kind": "gnomons", "strength": sun})
                self.assertLess(wrong, 0.002, "changed where the truth is not")
                self.assertLess(lost, 0.05, "true changes of two codes and more that are lost")
                self.assertGreater(traced, 500)


class Card(unittest.TestCase):
    """Check pieces in the sample photograph's light."""

    def picture(self, shot: Shot) -> Any:
        return card_picture(card_question(shot), photograph, Session(None, tracer())).encoded

    def test_it_shows_white_grey_and_hues_as_bright_as_they_are_where_the_model_stands(self) -> None:
        shown = decode_srgb(self.picture(sample()))
        height, width = shown.shape[:2]
        self.assertEqual(width, 560)
        # By where the row has them: the grey ball's middle, and the field of the chart's last grey.
        ball = shown[int(0.5 * height) : int(0.6 * height), int(0.11 * width) : int(0.15 * width)].reshape(-1, 3)
        right = shown[:, int(0.7 * width) :].reshape(-1, 3)
        vivid = right[(right.max(1) > 4 * right.min(1)) & (right.max(1) > 0.15)]
        self.assertLess(float((ball.max(1) / ball.min(1)).mean()), 1.4)
        self.assertGreater(len(vivid), 500)
        white = np.quantile(shown[:, int(0.45 * width) : int(0.7 * width)].mean(-1), 0.9)
        self.assertTrue(0.05 < float(ball.mean()) / float(white) < 0.6)

    def test_it_is_asked_anew_for_another_light_or_place_alone_and_says_what_is_missing(self) -> None:
        shot = sample()
        first = card_question(shot).model_dump_json()
        dressed = shot.models[0].model_copy(update={"surfaces": {"timber": Surface(kind="metal")}, "turn_deg": 20.0})
        self.assertEqual(card_question(shot.model_copy(update={"models": [dressed]})).model_dump_json(), first)
        moved = shot.models[0].model_copy(update={"position_m": (0.3, 0.0, 0.0)})
        self.assertNotEqual(card_question(shot.model_copy(update={"models": [moved]})).model_dump_json(), first)
        self.assertNotEqual(card_question(sample(sky={"turbidity": 6.0})).model_dump_json(), first)
        behind = shot.models[0].model_copy(update={"position_m": (0.0, -500.0, 0.0)})
        for missing, words in (
            (sample(lengths=[]), "with a known length"),
            (shot.model_copy(update={"models": [behind]}), "camera does not see|does not show"),
        ):
            with self.assertRaisesRegex(InputError, words):
                self.picture(missing)


def kept_errors(sun: dict[str, Any], samples: int = 64) -> tuple[float, float, int]:
    """Shares of pixels changed wrongly, and of true changes lost, beside the model; the truth from many samples."""
    engine, shot = tracer(), sample(sun=sun)
    scene = build_scene(shot, sized(photograph(), SCALE), lambda _: bench())
    engine.show(scene)
    height, width = photograph_codes().shape[:2]
    y, x = np.mgrid[height // 3 : height : 2, 0:width:2]
    pixels = np.column_stack([x.ravel(), y.ravel()]).astype(np.int32)
    sums = [
        np.concatenate([engine.radiance(place, batch, 0, 256, 99) for batch in engine.batches(pixels, 256)]).sum(1)
        for place in ("with", "without")
    ]
    codes = photograph_codes()[y, x].reshape(-1, 3)
    light = decode_srgb(codes / np.float32(255)) * (sums[0] / np.maximum(sums[1], 1e-9))
    true = encode_srgb(light) * 255 - codes
    cover = np.concatenate([engine.first_hits(b, 0, 16, 0)["coverage"] for b in engine.batches(pixels, 16)]) > 0
    picture = list(
        render_shot(shot, photograph(), lambda _: bench(), scale=SCALE, samples=samples, session=Session(tracer=engine))
    )[-1].picture
    assert picture
    own = (picture.codes[y, x].reshape(-1, 3).astype(int) - codes).astype(int)
    unchanged = (np.abs(true).max(1) < 0.5) & ~cover
    changed = (np.abs(true).mean(1) >= 2) & ~cover
    wrong = float((np.abs(own[unchanged]).max(1) > 0).mean())
    lost = float((np.abs(own[changed]).max(1) == 0).mean())
    return wrong, lost, int(changed.sum())


if __name__ == "__main__":
    unittest.main()
