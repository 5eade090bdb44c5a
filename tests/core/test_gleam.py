"""How much the ground mirrors, from a lamp and its mirror image in a picture of the tests' own."""

from __future__ import annotations

import unittest
from typing import Any

import cv2
import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import encode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Material, Model, Part
from lithopos.core.light.dome import directions, dome_of, ground_of
from lithopos.core.light.near import Ball
from lithopos.core.place.balance import balance_of_ground, body_of
from lithopos.core.place.blurred import blurred
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.gleam import GleamQuestion, gleam_of
from lithopos.core.place.mirrored import fresnel, mirrored_about
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.render.scene import Environment, Scene, StoodModel
from tests.core.rendering import tracer
from tests.support import TrueCamera

SIZE = (960, 640)
TRUE = TrueCamera(size=SIZE, focal=700, heading=90, tilt=-6)
CAMERA = Pinhole(700.0, np.array(TRUE.axis), TRUE.rotation, TRUE.centre, *SIZE, 0.0)
LOOKING_DOWN = TrueCamera(size=SIZE, focal=700, heading=90, tilt=-20)
LAMP = np.array([0.4, 9.0, 2.2])
WALL, GROUND, BRIGHT = 0.1, 0.12, 0.8


class Mirrored(unittest.TestCase):
    """A gleaming floor before a bright window, its panorama and its photograph both drawn here."""

    BODY, GAIN = 0.25, np.array([0.05, 0.045, 0.04])

    def light(self, ways: Any) -> Any:
        """Radiance from above: an even room, and ahead a window six times as bright."""
        ahead = np.abs(np.arctan2(ways[..., 0], ways[..., 1])) < np.radians(40)
        high = np.abs(np.degrees(np.arcsin(ways[..., 2])) - 22) < 17
        return np.where(ahead & high, 6.0, 1.0)[..., None] * np.ones(3)

    def test_what_the_floor_mirrors_is_not_taken_for_its_own_brightness(self) -> None:
        camera = Pinhole(700.0, np.array(TRUE.axis), LOOKING_DOWN.rotation, LOOKING_DOWN.centre, *SIZE, 0.0)
        ways, solid = directions(128)
        above = self.light(ways)
        level = (above * (np.maximum(ways[..., 2:], 0) * solid[..., None])).sum((0, 1))
        body = self.BODY * level / np.pi
        panorama = np.where(ways[..., 2:] > 0, above, body + 0.04)  # what is overhead is 1
        dome = dome_of(panorama.astype(np.float32))
        columns, rows = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
        seen = camera.rays(np.column_stack([columns.ravel(), rows.ravel()]))
        share = fresnel(np.linspace(0.01, 1, 400))
        strength = np.interp(-seen[:, 2], np.linspace(0.01, 1, 400), share)[:, None]
        shown = np.where(seen[:, 2:] < 0, body + strength * self.light(seen * [1, 1, -1]), self.light(seen))
        linear = (self.GAIN * shown).reshape(*SIZE[::-1], 3).astype(np.float32)
        encoded = np.asarray(encode_srgb(linear), np.float32)
        off = {}
        for gleam in (None, (1.0, 0.05)):
            ground = ground_of(dome, 0.04 if gleam else 0.0)
            day = Daylight(None, 3.5, 0.3, dome=dome, ground_shown=ground, gleam=gleam)
            told = balance_of_ground(encoded, linear, camera, 0.0, day)
            off[gleam] = float(np.abs(np.array(told.gain) / self.GAIN - 1).max())
        # So it is taken off the floor itself, which mirrors once more where it is traced.
        floor, true = seen.reshape(*linear.shape)[..., 2] < -0.05, self.GAIN * body
        shows, own = (np.abs(values[floor] / true - 1).mean() for values in (linear, body_of(linear, camera, day)))
        self.assertGreater(shows, 0.3)
        self.assertLess(own, 0.3 * shows)
        # Taken for the floor's own it makes the gain more than twice as high; a window's edge is told to a cell only.
        self.assertGreater(off[None], 1.0)
        self.assertLess(off[1.0, 0.05], 0.3)


class Traced(unittest.TestCase):
    """A shining panel before a gleaming floor, traced by the renderer."""

    EYE, EDGE, BESIDE = np.array([0.0, 0, 1.6]), np.array([0.25, 8, 1.25]), np.array([0.75, 8, 1.25])
    LAMP = Ball(np.array([1.2, 5.0, 1.7]), 0.1, np.full(3, 30.0, np.float32))

    def traced(self, roughness: float, body: float = 0.1, lamps: tuple[Ball, ...] = ()) -> tuple[Floats, Pinhole]:
        tilt = np.radians(-12)
        forward, right = np.array([0, np.cos(tilt), np.sin(tilt)]), np.array([1.0, 0, 0])
        camera = Pinhole(
            420.0, np.array([180, 150]), np.stack([right, np.cross(forward, right), forward]), self.EYE, 360, 300
        )
        corners = np.array([[-60.0, -60, 0], [60, -60, 0], [60, 60, 0], [-60, 60, 0]])
        uv, faces = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]), np.array([[0, 1, 2], [0, 2, 3]])
        floor = Patch(corners, uv, faces, np.full(3, body, np.float32))
        standing = np.array([[-1.5, 8, 0.3], [0.5, 8, 0.3], [0.5, 8, 2.2], [-1.5, 8, 2.2]])
        panel = Part("panel", standing, np.tile([0, -1.0, 0], (4, 1)), np.zeros((4, 2)), faces, 0)
        shining = Material("m", np.zeros(3, np.float32), emission=np.full(3, 3.0, np.float32))
        made = Scene(
            camera,
            (Receiver("ground", (floor,), Sheen(1.0, roughness), level=True),),
            (StoodModel("panel", Model([panel], [shining]), np.eye(4)),),
            (Environment(np.full((16, 32, 3), 0.25, np.float32)), *lamps),
            np.ones(3, np.float32),
        )
        engine = tracer()
        engine.show(made)
        columns, rows = np.meshgrid(np.arange(camera.width), np.arange(camera.height))
        pixels = np.column_stack([columns.ravel(), rows.ravel()]).astype(np.int32)
        light = [engine.radiance("with", part, 0, 32, 1).sum(1) / 64 for part in engine.batches(pixels, 32)]
        return np.concatenate(light).reshape(camera.height, camera.width, 3), camera

    def seen(self, places: Any, ways: Any) -> Any:
        """What places see of the panel and about it; see `mirrored.About`."""
        reach = (8 - places[:, 1]) / ways[:, 1]
        x, _, z = (places + reach[:, None] * ways).T
        met = (reach > 0) & (x > -1.5) & (x < 0.5) & (z > 0.3) & (z < 2.2)
        return np.where(met, 3 * 0.25, 0.25)[:, None] * np.ones(3)  # a model shines beside white

    def lamps(self, places: Any) -> Any:
        """The lamp's ways, and what it makes of white that faces it."""
        off = self.LAMP.middle - places
        away = np.linalg.norm(off, axis=1, keepdims=True)
        return [(off / away, self.LAMP.radiance * (self.LAMP.radius_m / away) ** 2)]

    def test_what_lies_about_is_mirrored_as_it_is_traced(self) -> None:
        for roughness in (0.2, 0.4):
            linear, camera = self.traced(roughness, 0.0, (self.LAMP,))
            told = mirrored_about(camera, 0.0, 1.0, roughness, self)
            columns, rows = np.meshgrid(np.arange(camera.width) + 0.5, np.arange(camera.height) + 0.5)
            ways = camera.rays(np.column_stack([columns.ravel(), rows.ravel()])).reshape(*linear.shape)
            floor = ways[..., 2] < -0.22  # before the panel
            traced, found = (cv2.blur(one, (7, 7))[floor, 1] for one in (linear, told))
            off = np.abs(found / traced - 1)
            with self.subTest(roughness=roughness):
                self.assertLess(np.median(off), 0.05)
                self.assertLess(np.quantile(off, 0.95), 0.2)
                self.assertAlmostEqual(float(found.max() / traced.max()), 1, delta=0.15)

    def test_the_roughness_of_a_traced_floor_comes_back_from_an_upright_edge(self) -> None:
        mirrored = [1, 1, -1]
        for roughness in (0.12, 0.25):
            linear, camera = self.traced(roughness)
            picture = Picture(np.round(65535 * np.clip(encode_srgb(0.8 * linear), 0, 1)).astype(np.uint16))
            spots = camera.project(np.stack([self.EDGE, self.BESIDE, self.EDGE * mirrored, self.BESIDE * mirrored]))
            told = blurred(picture, camera, *spots)
            assert told
            with self.subTest(roughness=roughness):
                self.assertAlmostEqual(told.roughness, roughness, delta=0.1 * roughness)
                self.assertLess(told.sigma, 0.1 * roughness)
        # Across a level edge, or not across the same one, nothing is said.
        self.assertIsNone(blurred(picture, camera, spots[0], spots[0] - [0, 30], spots[2], spots[2] + [0, 30]))
        self.assertIsNone(blurred(picture, camera, spots[1], spots[0], spots[2], spots[3]))


class Gleam(unittest.TestCase):
    def spots(self) -> dict[str, Any]:
        """The lamp and its mirror image, as the camera sees a lamp below a level mirror, and what lies beside both."""
        lamp, image = TRUE.see(np.array([LAMP, LAMP * [1, 1, -1]], float))
        return {"thing": lamp, "behind": lamp + [24, 0], "image": image, "beside": image + [24, 0]}

    def picture(self, coat: float, lamp: float = BRIGHT) -> Picture:
        spots = self.spots()
        rows = np.arange(SIZE[1])[:, None, None]
        linear = np.where(rows < spots["image"][1] - 60, WALL, GROUND) * np.ones((*SIZE[::-1], 3))
        ray = CAMERA.rays(np.array([spots["image"]]))[0]
        # Fresnel's equations by the angle of refraction (Born and Wolf, section 1.5.2, eq. 33).
        a = np.arccos(-ray[2])
        b = np.arcsin(np.sin(a) / 1.5)
        share = ((np.sin(a - b) / np.sin(a + b)) ** 2 + (np.tan(a - b) / np.tan(a + b)) ** 2) / 2
        for name, value in (("thing", lamp), ("image", GROUND + coat * share * (lamp - WALL))):
            x, y = (round(float(v)) for v in spots[name])
            linear[y - 8 : y + 9, x - 8 : x + 9] = value
        encoded = np.where(linear < 0.0031308, 12.92 * linear, 1.055 * np.clip(linear, 0, 1) ** (1 / 2.4) - 0.055)
        return Picture(np.round(65535 * np.clip(encoded, 0, 1)).astype(np.uint16))

    def test_the_coat_comes_back(self) -> None:
        for coat in (0.2, 0.5, 1.0):
            told = gleam_of(GleamQuestion(**self.spots()), self.picture(coat), CAMERA)
            self.assertAlmostEqual(told.coat, coat, delta=0.02)
            # A perfect mirror lies within what is stated of its blur.
            assert told.roughness and told.roughness_sigma
            self.assertLessEqual(told.roughness, 2.0001 * told.roughness_sigma)
            self.assertLess(told.roughness, 0.06)

    def test_at_right_angles_a_dielectric_mirrors_four_per_cent(self) -> None:
        self.assertAlmostEqual(float(fresnel(1.0)), 0.04, places=6)
        self.assertAlmostEqual(float(fresnel(1e-6)), 1.0, places=3)

    def test_what_can_t_be_a_mirror_image_is_refused_by_name(self) -> None:
        spots = self.spots()
        cases: list[tuple[dict[str, Any], str]] = [
            ({"image": spots["image"] + [90, 0]}, "image: can't be that thing's"),
            ({"image": spots["thing"] - [0, 40]}, "image: lies above the horizon"),
            ({"thing": spots["behind"], "behind": spots["behind"]}, "thing: is hardly brighter"),
        ]
        for change, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                gleam_of(GleamQuestion(**{**spots, **change}), self.picture(0.5), CAMERA)
        with self.assertRaisesRegex(InputError, "thing: is clipped"):
            gleam_of(GleamQuestion(**spots), self.picture(0.5, lamp=1.2), CAMERA)


if __name__ == "__main__":
    unittest.main()
