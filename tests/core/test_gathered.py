"""Light that models gather and throw onto the ground, against closed forms and paths traced the plain, slow way."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
import trimesh

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.geometry.model import Material, Model, Part
from lithopos.core.light.near import Ball, Beam, Shaft, Sheet
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.render.engine import FAST
from lithopos.core.render.influence import influence_of
from lithopos.core.render.scene import Scene, StoodModel, SunSky
from tests.core.rendering import tracer

WIDTH, HEIGHT = 240, 180
TINT = np.array([1, 0.6, 0.5], np.float32)
GLASS = Material("glass", TINT, 0.0, transmission=1.0, thickness_m=0.1)
EYE = np.array([0.2, -1.6, 0.9])


def ground(grey: float) -> Receiver:
    corners = np.array([[-5, -5, 0], [5, -5, 0], [5, 5, 0], [-5, 5, 0.0]])
    uv, faces = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]), np.array([[0, 1, 2], [0, 2, 3]])
    return Receiver("ground", (Patch(corners, uv, faces, np.full(3, grey, np.float32)),), Sheen(0, 0.5), level=True)


def swell() -> Receiver:
    """Ground that rises by 80 mm about the origin, in flat parts, within level ground."""
    x, y = np.meshgrid(np.linspace(-0.6, 0.6, 13), np.linspace(-0.6, 0.6, 13), indexing="ij")
    places = np.stack([x, y, 0.08 * np.maximum(1 - (x**2 + y**2) / 0.36, 0) ** 2], -1)
    uv, faces = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]), np.array([[0, 1, 2], [0, 2, 3]])
    patches = []
    for i in range(12):
        for j in range(12):
            corners = places[[i, i + 1, i + 1, i], [j, j, j + 1, j + 1]]
            normals = np.tile(np.cross(corners[1] - corners[0], corners[2] - corners[0]), (4, 1))
            normals /= np.linalg.norm(normals, axis=1, keepdims=True)
            patches.append(Patch(corners, uv, faces, np.full(3, 0.5, np.float32), normals))
    return Receiver("swell", tuple(patches), Sheen(0, 0.5))


def camera() -> Pinhole:
    forward = np.array([0.1, 0.1, 0.05]) - EYE
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0, 0, 1])
    right /= np.linalg.norm(right)
    rotation = np.stack([right, np.cross(forward, right), forward])
    return Pinhole(300.0, np.array([WIDTH / 2, HEIGHT / 2]), rotation, EYE, WIDTH, HEIGHT)


def scene(
    shape: trimesh.Trimesh,
    material: Material,
    height_m: float,
    sun: Any,
    width_deg: float,
    sky: float,
    grey: float = 0.5,
) -> Scene:
    smooth = len(shape.faces) > 100
    vertices = np.array(shape.vertices) if smooth else np.array(shape.triangles).reshape(-1, 3)
    normals = np.array(shape.vertex_normals) if smooth else np.repeat(shape.face_normals, 3, axis=0)
    faces = np.array(shape.faces) if smooth else np.arange(len(vertices)).reshape(-1, 3)
    part = Part("s", vertices, normals, np.zeros((len(vertices), 2)), faces, 0, closed=True)
    stood = np.eye(4)
    stood[2, 3] = height_m
    to_sun = np.array(sun, float) / np.linalg.norm(sun)
    day = SunSky((float(to_sun[0]), float(to_sun[1]), float(to_sun[2])), 1.0, sky, width_deg, 3.5)
    thing = StoodModel("thing", Model([part], [material]), stood)
    return Scene(camera(), (ground(grey),), (thing,), (day,), np.ones(3, np.float32))


def at(made: Scene, points: Any) -> Any:
    return np.floor(made.camera.project(np.array(points, float))).astype(np.int32)


@unittest.skipUnless(tracer().mi.variant() == FAST, "light is gathered in the fast variant alone")
class Gathered(unittest.TestCase):
    def light(self, pixels: Any, place: Any = "with", samples: int = 256) -> Any:
        return tracer().radiance(place, pixels, 0, samples, 1).sum(1) / (2 * samples)

    def test_under_a_slab_lies_what_fresnel_leaves_of_the_sun(self) -> None:
        # Of what falls on a slab square to it, all its mirrorings counted, (1 - R) / (1 + R) goes through.
        slab = trimesh.creation.box((0.5, 0.5, 0.02))
        made = scene(
            slab, GLASS, 0.3, [0, 0, 1], 0.53, sky=0.0, grey=0.05
        )  # of a dark ground the slab has little to mirror
        engine = tracer()
        engine.show(made, fine=True)
        spots = [[x, y, 0] for x in np.linspace(-0.1, 0.1, 6) for y in np.linspace(-0.1, 0.1, 6)]
        under, beside = self.light(at(made, spots)), self.light(at(made, [[0.5, 0, 0]]))
        mirrored = ((1.5 - 1) / (1.5 + 1)) ** 2
        through = (1 - mirrored) / (1 + mirrored) * TINT**2  # once in, once out
        np.testing.assert_allclose(under.mean(0) / beside[0], through, rtol=0.02)

    def test_what_a_window_lets_in_is_gathered_and_nothing_else(self) -> None:
        """Half of a slab lies in the sun of a window above it: under that half is what Fresnel leaves of it."""
        slab = trimesh.creation.box((0.5, 0.5, 0.02))
        outdoors = scene(slab, GLASS, 0.3, [0, 0, 1], 0.53, sky=0.0, grey=0.05)
        opening = np.array([[0.0, -1, 2], [2, -1, 2], [2, 1, 2], [0, 1, 2]])
        shaft = Shaft(np.array([0.0, 0, 1]), 0.53, opening[None], np.array([4, 3, 2], np.float32))
        made = replace(outdoors, lights=(shaft,))
        engine = tracer()
        engine.show(made, fine=True)
        spots = np.array([[x, y, 0] for x in np.linspace(0.03, 0.1, 6) for y in np.linspace(-0.1, 0.1, 6)])
        lit, dark = self.light(at(made, spots)), self.light(at(made, spots * [-1, 1, 1]))
        mirrored = ((1.5 - 1) / (1.5 + 1)) ** 2
        through = (1 - mirrored) / (1 + mirrored) * TINT**2
        np.testing.assert_allclose(lit.mean(0), 0.05 / np.pi * shaft.irradiance * through, rtol=0.03)
        self.assertLess(dark.max(), 0.02 * lit.mean())

    def test_what_a_body_takes_of_the_sun_grows_with_the_way_through_it(self) -> None:
        # Beer and Lambert: a colour that is left after 10 mm is left squared after 20, and to the sixth after 60.
        mirrored = ((1.5 - 1) / (1.5 + 1)) ** 2
        clear = replace(GLASS, base_colour=np.ones(3, np.float32))
        bottle = replace(clear, attenuation_colour=(0.95, 0.9, 0.7), attenuation_m=0.01)
        for thick in (0.02, 0.06):
            made = scene(trimesh.creation.box((0.5, 0.5, thick)), bottle, 0.3, [0, 0, 1], 0.53, sky=0.0, grey=0.05)
            tracer().show(made, fine=True)
            spots = [[x, y, 0] for x in np.linspace(-0.1, 0.1, 6) for y in np.linspace(-0.1, 0.1, 6)]
            under, beside = self.light(at(made, spots)), self.light(at(made, [[0.5, 0, 0]]))
            left = np.array(bottle.attenuation_colour) ** (thick / 0.01)
            through = (1 - mirrored) ** 2 * left / (1 - (mirrored * left) ** 2)
            with self.subTest(thick=thick):
                np.testing.assert_allclose(under.mean(0) / beside[0], through, rtol=0.03)

    def test_a_ball_gathers_and_a_mirror_throws_as_much_as_the_plain_way_finds(self) -> None:
        ball = trimesh.creation.icosphere(4, 0.15)
        metal = Material("metal", np.array([0.9, 0.7, 0.4], np.float32), 0.2, metallic=1.0)
        focus = [[x, y, 0] for x in (0.08, 0.11, 0.14, 0.2) for y in (0.03, 0.06, 0.09)]
        thrown = [[x, y, 0] for x in (-0.25, -0.2, -0.15, -0.1) for y in (-0.2, -0.15, -0.1)]
        mirrored = [[x, y, 0] for x in (0.04, 0.07, 0.1, 0.13) for y in (-0.7, -0.55, -0.4)]
        clear, bright = (scene(ball, stuff, 0.18, [-0.5, -0.3, 0.8], 6.0, sky=1.0) for stuff in (GLASS, metal))
        # A lamp where the sun stood, and a swell of the ground, which is many flat parts.
        lamp = Ball(np.array([-1.0, -0.6, 1.78]), 0.12, np.full(3, 60.0, np.float32))
        sky = Sheet(np.array([[-9.0, 9, 5], [9, 9, 5], [9, -9, 5], [-9, -9, 5]]), np.full(3, 0.4, np.float32))
        for name, made, places in (
            ("sun, glass", clear, focus),
            ("sun, metal", bright, thrown),
            (
                "sun, metal, wet ground",
                replace(bright, receivers=(replace(ground(0.2), sheen=Sheen(1, 0.25)),)),
                mirrored,
            ),
            ("lamp, glass", replace(clear, lights=(lamp, sky)), focus),
            ("lamp, metal", replace(bright, lights=(lamp, sky)), thrown),
            ("sun, glass, swell", replace(clear, receivers=(swell(),)), [[x, y, 0.04] for x, y, _ in focus]),
        ):
            with self.subTest(name):
                engine = tracer()
                engine.show(made, fine=True)
                self.assertTrue(len(engine.lit_places()), "nothing was traced from there")
                pixels = at(made, places)
                ours, bare = self.light(pixels, samples=1 << 13), self.light(pixels, "without", 1 << 13)
                engine._paths = {"with": engine._plain, "without": engine._plain}
                plain = np.mean([engine.radiance("with", pixels, n << 13, 1 << 13, 1).sum(1) for n in range(4)], 0) / (
                    1 << 14
                )
                gathered = np.abs(plain - bare).max()
                self.assertGreater(gathered, 0.02 * bare.mean())
                found, true = (light.reshape(4, 3, 3).mean(1) for light in (ours, plain))  # the plain way stays noisy
                np.testing.assert_allclose(found, true, atol=0.1 * gathered + 0.03 * bare.mean())
                self.assertAlmostEqual(float(ours.sum() / plain.sum()), 1, delta=0.03)

    def test_a_beam_passes_a_slab_as_fresnel_has_it(self) -> None:
        """No path from the camera ever meets its opening."""
        slab = trimesh.creation.box((0.5, 0.5, 0.02))
        under_sun = scene(slab, GLASS, 0.3, [0, 0, 1], 0.53, sky=0.0, grey=0.05)
        down = np.array([[1.0, 0, 0], [0, -1, 0], [0, 0, -1]])
        made = replace(under_sun, lights=(Beam(np.array([0.0, 0, 2]), 0.01, down, np.full((3, 3, 3), 5, np.float32)),))
        engine = tracer()
        engine.show(made, fine=True)
        spots = [[x, y, 0] for x in np.linspace(-0.1, 0.1, 6) for y in np.linspace(-0.1, 0.1, 6)]
        mirrored = ((1.5 - 1) / (1.5 + 1)) ** 2
        # The slab lifts the lamp by a third of its thickness towards the ground.
        through = (1 - mirrored) / (1 + mirrored) * TINT**2 * (2 / (2 - 0.02 / 3)) ** 2
        np.testing.assert_allclose(self.light(at(made, spots)).mean(0), 0.05 / np.pi * 5 / 4 * through, rtol=0.03)

    def test_what_is_lit_is_rendered_and_what_is_not_stays_exactly(self) -> None:
        ball = trimesh.creation.icosphere(3, 0.1)
        made = scene(ball, replace(GLASS, base_colour=np.ones(3, np.float32)), 0.5, [-0.8, 0.1, 0.5], 0.53, sky=1.0)
        engine = tracer()
        engine.show(made)
        places = engine.lit_places()
        focus = np.median(places, axis=0)
        np.testing.assert_allclose(focus[:2], [0.8, -0.1], atol=0.2)  # 0.5 m up, the sun 32° high
        seen = influence_of(made, places)
        pixel = at(made, [focus])[0]
        self.assertTrue(seen.changed[pixel[1] // seen.cell, pixel[0] // seen.cell])
        far = at(made, [[x, y, 0] for x in np.linspace(-1, -0.6, 8) for y in np.linspace(-0.4, 0.4, 8)])
        same = (self.light(far, "with", 8) == self.light(far, "without", 8)).all(1)
        self.assertGreater(same.mean(), 0.6)  # but for what the ball itself takes and mirrors


if __name__ == "__main__":
    unittest.main()
