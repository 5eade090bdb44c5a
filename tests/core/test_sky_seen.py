"""The sky in a photograph as a measure of its light: the renderer's skies, photographed with gains of our own."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.derive import daylight_of, derive
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.clear_sky import UP, sky_radiance
from lithopos.core.light.dome import directions, dome_cells, dome_of, dome_turned
from lithopos.core.light.sun import sun_direction
from lithopos.core.place.daylight import Daylight, SkyShown
from lithopos.core.place.sky_seen import sky_shown, sky_spots
from lithopos.core.render.scene import SunSky, build_scene
from tests.core.rendering import bench, photograph, sample, tracer
from tests.support import TrueCamera

SIZE = (480, 320)
TRUE = TrueCamera(size=SIZE, focal=400, heading=90, tilt=-4)
CAMERA = Pinhole(400.0, np.array(TRUE.axis), TRUE.rotation, TRUE.centre, *SIZE, 0.0)
SUN = sun_direction(np.radians(200), np.radians(35))
GAIN = np.array([3.4, 2.7, 2.1])


def ways() -> Array:
    """The direction that each pixel shows, (H, W, 3)."""
    columns, rows = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    found: Array = CAMERA.rays(np.column_stack([columns.ravel(), rows.ravel()])).reshape(*SIZE[::-1], 3)
    return found


def clear(turbidity: float) -> Array:
    """The renderer's own clear sky as the camera sees it, linear, (H, W, 3)."""
    import drjit as dr

    told = {"type": "sunsky", "sun_direction": SUN.tolist(), "turbidity": turbidity, "albedo": 0.25, "sun_scale": 0.0}
    at = dr.zeros(tracer().mi.SurfaceInteraction3f, SIZE[0] * SIZE[1])
    at.wi = tracer().mi.Vector3f(*(-ways().reshape(-1, 3).T.astype(np.float32)))
    return np.asarray(np.array(tracer().mi.load_dict(told).eval(at)).T.reshape(*SIZE[::-1], 3), float)


def taken(sky: Array) -> Picture:
    """A photograph of a sky over a rough yellow wall and ground."""
    rng = np.random.default_rng(4)
    below = np.array([0.4, 0.3, 0.2]) * (1 + 0.2 * rng.normal(size=(*SIZE[::-1], 1)))
    linear = np.clip(np.where(ways()[..., 2:] > np.sin(np.radians(4)), sky, below), 0, 1)
    encoded = np.where(linear < 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return Picture(np.clip(255 * encoded + rng.normal(0, 1, linear.shape), 0, 255).round().astype(np.uint8))


def told(sky: Array, day: Daylight) -> SkyShown | None:
    return sky_shown(sky_spots(taken(sky)), CAMERA, day)


@cache
def with_sky() -> dict[str, Any]:
    """The sample's photograph with its sky read."""
    told = sample().model_dump(mode="json", by_alias=True)["photograph"]
    return {"photograph": {**told, "sky": [spot.model_dump(mode="json") for spot in sky_spots(photograph())]}}


class Seen(unittest.TestCase):
    def test_a_clear_sky_tells_haze_and_gain(self) -> None:
        for turbidity in (2.2, 3.5, 5.5, 8.0):
            with self.subTest(turbidity=turbidity):
                found = told(clear(turbidity) * GAIN, Daylight(SUN, 3.5, 0.3))
                assert found
                np.testing.assert_allclose(np.pi * np.exp(found.strength), GAIN, rtol=0.08)
                self.assertAlmostEqual(found.turbidity / turbidity, 1, delta=0.2)

    def test_what_the_lens_loses_towards_the_corners_is_told_beside_the_haze(self) -> None:
        y, x = np.mgrid[: SIZE[1], : SIZE[0]] + 0.5
        off = ((x - SIZE[0] / 2) ** 2 + (y - SIZE[1] / 2) ** 2) / (SIZE[0] ** 2 + SIZE[1] ** 2) * 4
        for lost in (0.0, 0.16, 0.3):
            found = told(clear(3.5) * GAIN * (1 - lost * off)[..., None], Daylight(SUN, 3.5, 0.3))
            assert found
            self.assertAlmostEqual(found.falloff, lost, delta=0.04)
            np.testing.assert_allclose(np.pi * np.exp(found.strength), GAIN, rtol=0.05)

    def test_a_panorama_of_the_same_sky_gets_its_strength_from_what_the_photograph_shows(self) -> None:
        units = np.array([0.02, 0.025, 0.03])
        turn = np.radians(70)
        level = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        lens, _ = directions(128)
        world = lens @ level.T
        sky = np.maximum(sky_radiance(SUN, 3.5, world), 0) * units
        wall = (world[..., 1] < -0.3) & (world[..., 2] < 0.6)
        for name, seen in (("open", sky), ("by a wall", np.where(wall[..., None], 0.3 * units, sky))):
            with self.subTest(name):
                dome = dome_of(np.where(world[..., 2:] > 0, seen, 0.1 * units).astype(np.float32))
                day = Daylight(SUN, 3.5, 0.3, dome=dome_turned(dome, level))
                found = told(clear(3.5) * GAIN, day)
                assert found and found.units is not None
                np.testing.assert_allclose(found.units, units, rtol=0.08)
                np.testing.assert_allclose(np.pi * np.exp(found.strength) * units, GAIN, rtol=0.08)
        cells = dome_cells(dome_turned(dome_of(sky.astype(np.float32)), level))
        assert cells is not None
        high = (cells[0][:, 2] > 0.3) & (cells[0] @ SUN < 0.8)
        np.testing.assert_allclose(cells[1][high], (sky_radiance(SUN, 3.5, cells[0]) * units)[high], rtol=0.08)
        self.assertIsNone(told(clear(3.5) * GAIN, replace(day, dome=dome.model_copy(update={"above": []}))))

    def test_under_a_whole_cover_too_and_what_stands_before_one_of_them_does_not_matter(self) -> None:
        units, cloud, gain = np.array([0.02, 0.025, 0.03]), np.full(3, 0.1), np.array([2.8, 2.7, 2.4])
        world, _ = directions(128)
        sky = cloud * (1 + 2 * np.maximum(world[..., 2:], 0)) * units
        # Where the photograph shows sky the panorama shows a wall, which stands nearer to it.
        wall = (world[..., 1] > 0.3) & (world[..., 2] < 0.5)
        shown = np.where(wall[..., None], np.array([0.2, 0.15, 0.1]) * units, sky)
        dome = dome_of(np.where(world[..., 2:] > 0, shown, 0.05 * units).astype(np.float32))
        found = told(cloud * (1 + 2 * np.maximum(ways()[..., 2:], 0)) * gain, Daylight(None, 3.5, 0.3, dome=dome))
        assert found and found.units is not None
        # The gain is what takes the panorama's measure to the photograph's.
        np.testing.assert_allclose(np.pi * np.exp(found.strength), gain / units, rtol=0.08)

    def test_a_haze_that_is_given_stays_and_none_is_measured(self) -> None:
        seen = with_sky()
        free = derive(sample(**seen, sky={"turbidity": None}))
        self.assertTrue(free.haze_measured)
        self.assertAlmostEqual(free.haze, 3.4, delta=0.5)  # the sample program's own
        self.assertTrue(free.falloff_measured)
        self.assertAlmostEqual(free.falloff, 0.16, delta=0.04)  # and its lens's
        by_hand = {"photograph": {**seen["photograph"], "falloff": 0.3}}
        held = derive(sample(**by_hand, sky={"turbidity": 6.0}))
        self.assertEqual((held.haze, held.haze_measured), (6.0, False))
        self.assertEqual((held.falloff, held.falloff_measured), (0.3, False))

    def test_where_it_is_seen_is_told_in_the_photograph_s_own_pixels(self) -> None:
        spots = sky_spots(taken(clear(3.5) * GAIN), 2 * SIZE[0])
        heights = CAMERA.rays(np.array([spot.at for spot in spots]) / 2)[:, 2]
        self.assertGreater(np.degrees(np.arcsin(heights.min())), 3.5)
        self.assertGreater(np.degrees(np.arcsin(heights.max())), 15)

    def test_what_is_no_clear_sky_tells_nothing(self) -> None:
        rng = np.random.default_rng(5)
        flat = np.ones((*SIZE[::-1], 3)) * [0.35, 0.4, 0.6]
        clouds: Array = np.kron(rng.uniform(0.3, 0.9, (16, 24, 1)), np.ones((20, 20, 3))).astype(float)
        skies: dict[str, Array] = {"a blue wall": flat, "clouds": clouds, "clipped": np.ones_like(flat)}
        for name, sky in skies.items():
            with self.subTest(name):
                self.assertIsNone(told(sky, Daylight(SUN, 3.5, 0.3)))
        cover = 0.3 * (1 + 2 * ways()[..., 2:]) * np.ones(3)
        self.assertIsNotNone(told(cover, Daylight(None, 3.5, 0.3, cover=1.0)))

    def test_renders_get_just_the_light_that_the_level_was_told_from(self) -> None:
        """Also under cloud and without the sun's own rays: then the sky must not be that of another sun."""
        changes: list[dict[str, Any]] = [{"cover": 0.0}, {"cover": 0.5}, {"cover": 1.0}, {"cover": 0.0, "sun": 0.0}]
        plain = sample().model_dump(mode="json", by_alias=True)
        for change in changes:
            with self.subTest(**change):
                sun = {**plain["sun"], "strength": change.get("sun", 1.0)}
                shot = sample(**with_sky(), sky={**plain["sky"], "cover": change["cover"]}, sun=sun)
                scene = build_scene(shot, photograph(), lambda _: bench())
                tracer().show(scene)
                light = next(
                    day for day in (getattr(one, "day", one) for one in scene.lights) if isinstance(day, SunSky)
                )
                sun_level, sky_level = daylight_of(shot, derive(shot)).irradiance(UP)
                wanted = sun_level * (light.sun_strength > 0)
                wanted = wanted + np.array(light.sky_tint) * light.sky_strength * sky_level
                np.testing.assert_allclose(tracer().irradiance(), wanted, rtol=0.06)


if __name__ == "__main__":
    unittest.main()
