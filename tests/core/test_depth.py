"""Depth of field and haze: told from constructed photographs of known ones, and given."""

from __future__ import annotations

import unittest
from typing import Any

import cv2
import numpy as np

from lithopos.core.camera.depth import Lens, axis_depth
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import encode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.focus import FocusQuestion, focus_of
from lithopos.core.place.hazy import HazeQuestion, haze_of
from lithopos.core.render.render import render_shot
from lithopos.core.render.scene import build_scene
from lithopos.core.render.session import Session, sized
from tests.core.rendering import SCALE, bench, photograph, sample, tracer

WIDTH, HEIGHT, HORIZON = 1200, 800, 200.0


def level_camera(focal: float = 1100.0, height_m: float = 1.6) -> Pinhole:
    """A camera that looks level along +y, its horizon high in the picture."""
    rotation = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
    return Pinhole(focal, np.array([WIDTH / 2, HORIZON]), rotation, np.array([0, 0, height_m]), WIDTH, HEIGHT)


def depth_of_rows(camera: Pinhole) -> Any:
    """How far the ground is in each row of the picture [m]; far above the horizon's."""
    rows = np.arange(HEIGHT) + 0.5
    return np.where(rows > HORIZON + 4, camera.focal_px * camera.position[2] / np.maximum(rows - HORIZON, 1e-9), 1e4)


def stones(seed: int) -> Any:
    """Linear light (HEIGHT, WIDTH): flat stones with clean borders at any angle."""
    rng = np.random.default_rng(seed)
    light = np.full((HEIGHT, WIDTH), 0.3, np.float32)
    for _ in range(1500):
        middle, size = rng.uniform((0, 0), (WIDTH, HEIGHT)), rng.uniform(14, 45)
        corners = middle + size * rng.normal(size=(4, 2))
        cv2.fillConvexPoly(light, cv2.convexHull(np.float32(corners)).astype(np.int32), float(rng.uniform(0.08, 0.6)))
    return light


def disc(radius_px: float) -> Any:
    """A disc's kernel, its border by shares of pixels."""
    reach, fine = int(np.ceil(radius_px)) + 1, 9
    steps = (np.arange((2 * reach + 1) * fine) + 0.5) / fine - reach - 0.5
    inside = (np.hypot(*np.meshgrid(steps, steps)) <= radius_px).astype(float)
    kernel = inside.reshape(2 * reach + 1, fine, 2 * reach + 1, fine).mean((1, 3))
    return kernel / kernel.sum()


def photographed(light: Any, noise: float, seed: int) -> Picture:
    """Codes of linear light, with noise [codes]."""
    grey = light if light.ndim == 3 else np.repeat(light[..., None], 3, -1)
    codes = 255 * encode_srgb(grey.astype(np.float32)) + np.random.default_rng(seed).normal(0, noise, grey.shape)
    return Picture(np.clip(codes + 0.5, 0, 255).astype(np.uint8))


class LensTold(unittest.TestCase):
    def test_focus_and_opening_follow_from_a_sharp_and_a_soft_spot(self) -> None:
        camera = level_camera()
        depths = depth_of_rows(camera)
        for lens, sharp_row, soft_row in (
            (Lens(0.02, 4.0), 640, 360),
            (Lens(0.012, 9.0), 395, 700),
            (Lens(0.03, 6.0), 493, 330),
        ):
            wanted = lens.disc_px(camera, depths)
            sharp = cv2.GaussianBlur(stones(2), (0, 0), 0.5)
            seen = sharp.copy()
            for radius in np.arange(0.25, 14, 0.25):
                rows = np.abs(wanted - radius) <= 0.125
                if rows.any():
                    seen[rows] = cv2.filter2D(sharp, -1, disc(radius))[rows]
            question = FocusQuestion(sharp=(600, sharp_row), soft=(600, soft_row))
            told = focus_of(question, photographed(seen, 1.0, 3), camera)
            self.assertAlmostEqual(told.focus_m / lens.focus_m, 1, delta=0.02)
            self.assertAlmostEqual(told.aperture_mm / (2000 * lens.radius_m), 1, delta=0.15)
            self.assertAlmostEqual(told.softness_px, 0.5, delta=0.15)
            self.assertAlmostEqual(told.disc_px / wanted[soft_row], 1, delta=0.15)

    def test_spots_that_tell_nothing_are_said(self) -> None:
        camera, plain = level_camera(), photographed(np.full((HEIGHT, WIDTH), 0.4, np.float32), 0.5, 1)
        sharp = photographed(cv2.GaussianBlur(stones(3), (0, 0), 0.5), 0.5, 1)
        for picture, question, words in (
            (sharp, FocusQuestion(sharp=(600, 640), soft=(600, 100)), "must lie on the ground"),
            (sharp, FocusQuestion(sharp=(600, 640), soft=(200, 641)), "as far away"),
            (sharp, FocusQuestion(sharp=(600, 640), soft=(600, 360)), "not softer"),
            (plain, FocusQuestion(sharp=(600, 640), soft=(600, 360)), "no edges"),
        ):
            with self.assertRaisesRegex(InputError, words):
                focus_of(question, picture, camera)


class LensGiven(unittest.TestCase):
    def test_an_edge_of_a_model_is_spread_over_the_disc_of_its_distance(self) -> None:
        small = sized(photograph(), SCALE)
        spreads = {}
        for aperture_mm in (0.0, 60.0):
            shot = sample(blend={"lens": {"focus_m": 2.0, "aperture_mm": aperture_mm}})
            scene = build_scene(shot, small, lambda _: bench())
            tracer().show(scene)
            corners = scene.models[0].corners()
            column, row = scene.camera.project(corners.mean(0)[None])[0]
            top = scene.camera.project(corners)[:, 1].min()
            # Down through the upper edge of the seat, sharp as it is.
            pixels = np.array([[int(column), y] for y in range(int(top) - 40, int(row))], np.int32)
            cover = tracer().first_hits(pixels, 0, 512, 1)["coverage"] / 1024
            steps = np.maximum(np.diff(cover[: int(np.argmax(cover > 0.999)) + 1]), 0)
            at = np.arange(len(steps))
            middle = (steps * at).sum() / steps.sum()
            spreads[aperture_mm] = float(np.sqrt((steps * (at - middle) ** 2).sum() / steps.sum()))
            depth = float(axis_depth(scene.camera, corners).min())
        wanted = Lens(0.03, 2.0).disc_px(scene.camera, depth) / 2
        self.assertLess(spreads[0.0], 0.7)
        self.assertAlmostEqual(spreads[60.0] / wanted, 1, delta=0.2)


class InARender(unittest.TestCase):
    def test_what_is_out_of_focus_is_soft_and_the_place_far_from_it_untouched(self) -> None:
        session, codes = Session(tracer=tracer()), sized(photograph(), SCALE).codes.astype(int)

        def made(lens: dict[str, float] | None) -> Any:
            shot = sample(blend={"grain": 0, "softness_px": 0, "lens": lens})
            told: dict[str, Any] = {"scale": SCALE, "samples": 16, "session": session, "photograph_key": "sample"}
            picture = list(render_shot(shot, photograph(), lambda _: bench(), **told))[-1].picture
            assert picture
            return picture.codes.astype(int)

        sharp, soft = made(None), made({"focus_m": 1.5, "aperture_mm": 80})
        changed = [cv2.dilate((one != codes).any(-1).astype(np.uint8), np.ones((3, 3))) > 0 for one in (sharp, soft)]
        far = ~cv2.dilate(changed[0].astype(np.uint8), np.ones((61, 61))).astype(bool)
        np.testing.assert_array_equal(soft[far], codes[far])
        steps = [np.abs(np.diff(one[..., 1], axis=0))[changed[0][1:]] for one in (sharp, soft)]
        self.assertLess(float(np.quantile(steps[1], 0.995)), 0.7 * float(np.quantile(steps[0], 0.995)))
        self.assertLess(abs(float((soft - sharp)[changed[0]].mean())), 4, "as bright as before")


class HazeTold(unittest.TestCase):
    def test_half_its_distance_within_a_tenth(self) -> None:
        camera, air = level_camera(), np.array([0.55, 0.62, 0.7])
        distance = np.hypot(depth_of_rows(camera), camera.position[2])
        for half_m, seed in ((20.0, 1), (60.0, 2), (200.0, 3)):
            left = 0.5 ** (distance / half_m)[:, None, None]
            own = np.array([0.12, 0.1, 0.08]) * np.ones((HEIGHT, WIDTH, 1))
            picture = photographed(own * left + (1 - left) * air, 1.0, seed)
            told = haze_of(HazeQuestion(near=(600, 600), far=(600, 235), haze=(600, 150)), picture, camera)
            self.assertAlmostEqual(told.half_m / half_m, 1, delta=0.1)
            np.testing.assert_allclose(told.colour, air, atol=0.01)
        with self.assertRaisesRegex(InputError, "no mixture"):
            clear = photographed(np.where(np.arange(HEIGHT)[:, None, None] < HORIZON, air, own), 0.5, 4)
            haze_of(HazeQuestion(near=(600, 600), far=(600, 235), haze=(600, 150)), clear, camera)
