"""What lies around a place, against a made-up world that was photographed by the tests' own camera."""

from __future__ import annotations

import unittest

import numpy as np

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.light.clear_sky import sky_irradiance, sun_irradiance
from lithopos.core.light.dome import directions, dome_irradiance, dome_of
from lithopos.core.place.surroundings import ROWS, light_on, surroundings_of
from lithopos.core.render.engine import load_renderer
from lithopos.core.render.scene import Environment, SunSky, Surroundings
from lithopos.core.render.translate.lights import with_sky
from tests.support import TrueCamera

TRUE = TrueCamera(focal=520, heading=90, tilt=-2, size=(640, 420))
CAMERA = Pinhole(520, TRUE.axis, TRUE.rotation, TRUE.centre, 640, 420)
UP = np.array([0.0, 0, 1])


def world(ways: np.ndarray) -> np.ndarray:
    """Radiance by direction: a banded wall up to 20°, brighter to the right, a blue sky above, dull ground below."""
    x, _, z = np.moveaxis(ways, -1, 0)
    wall = (0.4 + 0.2 * x)[..., None] * [1.2, 1.0, 0.8]
    sky, ground = np.array([0.4, 0.7, 1.4]), np.array([0.3, 0.25, 0.2])
    return np.where(z[..., None] < 0, ground, np.where(z[..., None] < 0.34, wall, sky))


def photographed(gain: np.ndarray) -> np.ndarray:
    columns, rows = np.meshgrid(np.arange(640) + 0.5, np.arange(420) + 0.5)
    seen = np.stack([(columns - TRUE.axis[0]) / 520, (rows - TRUE.axis[1]) / 520, np.ones_like(rows)], -1)
    ways = seen @ TRUE.rotation
    return np.asarray(world(ways / np.linalg.norm(ways, axis=-1, keepdims=True)) * gain, np.float32)


class Around(unittest.TestCase):
    def setUp(self) -> None:
        gain = np.array([0.5, 0.6, 0.8])
        around = surroundings_of(photographed(gain), CAMERA, gain)
        assert around is not None
        self.around = around

    def test_what_is_seen_lies_where_it_is_and_goes_on_beside_it(self) -> None:
        ways, _ = directions(ROWS)
        true = world(ways)
        away = np.degrees(np.arctan2(ways[..., 0], ways[..., 1]))
        height = np.degrees(np.arcsin(ways[..., 2]))
        seen = (np.abs(away) < 28) & (np.abs(height - 9) < 6)
        np.testing.assert_allclose(self.around[seen][:, :3], true[seen], rtol=0.05)
        np.testing.assert_array_equal(self.around[seen][:, 3], 1)
        # Behind the camera a wall of the same kind and height; high above the sky is left to its model.
        behind = (np.abs(away) > 120) & (np.abs(height - 8) < 4)
        np.testing.assert_allclose(self.around[behind][:, :3].mean(0), [0.48, 0.4, 0.32], rtol=0.15)
        self.assertLess(self.around[height > 50][:, 3].max(), 0.05)

    def test_its_light_on_level_ground_is_the_day_s(self) -> None:
        sun = np.array([0.6, -0.4, 0.69])
        day = SunSky(tuple(sun / np.linalg.norm(sun)), 1.0, 1.0, 0.6, 3.5, (3.0, 3.0, 3.0))
        light = with_sky(load_renderer(), Surroundings(day, self.around))
        assert isinstance(light, Environment)
        dome, way = dome_of(light.radiance), np.array(day.direction)
        np.testing.assert_allclose(dome.sun, sun_irradiance(way, 3.5, way), rtol=0.08)
        np.testing.assert_allclose(dome_irradiance(dome, UP), 3 * sky_irradiance(way, 3.5, UP), rtol=0.1)

    def test_its_light_on_a_wall_is_that_of_what_stands_about_and_of_the_sky_over_it(self) -> None:
        rng = np.random.default_rng(2)
        ways = rng.normal(size=(200_000, 3))
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        sky = np.broadcast_to([0.4, 0.7, 1.4], (ROWS, 2 * ROWS, 3))
        for normal in ([0.0, 1, 0], [0.0, -1, 0], [0.0, 0.6, 0.8]):
            with self.subTest(normal=normal):
                facing = np.maximum(ways @ normal, 0)[:, None]
                true = 4 * (world(ways) * facing).mean(0)  # of the whole sphere's 4 π, over π
                np.testing.assert_allclose(light_on(np.array(normal), self.around, sky), true, rtol=0.06)

    def test_a_camera_that_looks_down_sees_nothing_around(self) -> None:
        down = TrueCamera(focal=520, tilt=-60, size=(640, 420))
        camera = Pinhole(520, down.axis, down.rotation, down.centre, 640, 420)
        self.assertIsNone(surroundings_of(photographed(np.ones(3)), camera, np.ones(3)))


if __name__ == "__main__":
    unittest.main()
