"""Reflectance picked from a picture that is painted by the tests' own rule of light."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.reflectance import PickedReflectance, ReflectanceQuestion, picked_reflectance, place_light
from tests.support import TrueCamera

GROUND = 0.3
SUN = np.array([0.5, -0.5, 0.7071])
SHADE = np.array([0.18, 0.26, 0.4])  # of the light, by channel
DOOR = np.array([0.5, 0.2, 0.1])


def encoded(linear: Any) -> Any:
    """sRGB as its standard has it, 8 bits."""
    linear = np.clip(linear, 0, 1)
    return np.round(255 * np.where(linear < 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055))


class Picked(unittest.TestCase):
    """A ground that is half in the sun and half in shade; on it things of a known colour."""

    def setUp(self) -> None:
        camera = TrueCamera(size=(960, 640), focal=800, tilt=-20)
        self.camera = Pinhole(800.0, np.array(camera.axis), camera.rotation, camera.centre, 960, 640, 0.0)
        self.sun = SUN / np.linalg.norm(SUN)
        white = 0.8
        light = np.where(np.arange(960)[None, :, None] < 480, 1.0, SHADE) * white
        picture = np.broadcast_to(GROUND * light, (640, 960, 3)).copy()
        picture[:80] = 0.7  # sky
        rng = np.random.default_rng(1)
        picture *= 1 + 0.03 * rng.normal(size=picture.shape)
        picture[500:540, 200:240] = DOOR * light[:, 200:240]
        picture[500:540, 700:740] = DOOR * light[:, 700:740]
        # A wall along run A that looks at the camera (towards -y): sun, half a sky, and the ground's bounce.
        wall = (1 - SHADE) * max(float(self.sun @ [0, -1, 0]), 0) / self.sun[2] + SHADE * 0.5 + 0.5 * GROUND
        picture[300:340, 300:340] = DOOR * wall * white
        self.picture = Picture(encoded(picture).astype(np.uint8))

    def pick(self, x: float, y: float, **more: Any) -> PickedReflectance:
        light = place_light(self.picture, self.camera, GROUND, self.sun)
        question = ReflectanceQuestion.model_validate({"at": (x, y), "radius_px": 8, **more})
        return picked_reflectance(question, self.picture, self.camera, light)

    def test_the_same_colour_comes_out_in_sun_and_shade_and_on_a_wall(self) -> None:
        for x, y, more, lit in (
            (220, 520, {}, True),
            (720, 520, {"in_sun": False}, False),
            (320, 320, {"facing": "along run A"}, True),
        ):
            with self.subTest(at=(x, y)):
                told = self.pick(x, y, **more)
                np.testing.assert_allclose(told.colour, DOOR, rtol=0.05)
                self.assertEqual(told.in_sun, lit)

    def test_what_lies_in_shade_is_less_certain(self) -> None:
        self.assertGreater(self.pick(720, 520, in_sun=False).sigma, 2 * self.pick(220, 520).sigma)

    def test_outside_and_clipped_are_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "outside"):
            self.pick(2000, 10)
        self.picture.codes[500:540, 200:240] = 255
        with self.assertRaisesRegex(InputError, "clipped"):
            self.pick(220, 520)


if __name__ == "__main__":
    unittest.main()
