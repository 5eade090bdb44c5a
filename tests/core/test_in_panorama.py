"""Windows and lamps that a panorama taken in the place shows: painted by the tests' own rays, found in their places."""

from __future__ import annotations

import unittest
from typing import Any

import cv2
import numpy as np

from lithopos.core.exchange.panorama import Panorama
from lithopos.core.light.dome import directions
from lithopos.core.light.near import Ball, Beam, Near, Sheet, near_irradiance
from lithopos.core.light.strengths import Known
from lithopos.core.light.turning import rotation_of
from lithopos.core.place.daylight import SKY, NearLight
from lithopos.core.place.in_panorama import lights_in
from lithopos.core.render.scene import Environment, build_scene
from lithopos.core.render.session import sized
from lithopos.core.shot import PanoramaLight
from tests.core.rendering import SCALE, box, photograph, sample
from tests.core.test_render import STANDING

WALL = np.array([0.2, 0.18, 0.15])
LENS = np.array([0.4, -0.3, 1.5])
LAMP, LAMP_SHINES = Ball(np.array([1.6, 0.9, 2.1]), 0.1, np.ones(3, np.float32)), np.array([60.0, 45, 30])
# Looks towards -x; its right half is twice as bright as its left.
WINDOW = Sheet(np.array([[3.0, 0.5, 2.2], [3.0, -1.5, 2.2], [3.0, -1.5, 0.9], [3.0, 0.5, 0.9]]), np.ones(3, np.float32))
WINDOW_SHINES = np.array([4.0, 5, 6])
UNKNOWN = Known(None, 0.0, 1.0)


def painted(rotation: Any, lens: Any, lamp: Ball, rows: int = 512) -> Any:
    """What a panorama at a lens shows of the walls, the lamp and the window, four rays a pixel's side."""
    ways = directions(4 * rows)[0] @ rotation.T
    shown = np.tile(WALL, (*ways.shape[:2], 1))
    reach = (WINDOW.corners[0][0] - lens[0]) / np.where(np.abs(ways[..., 0]) < 1e-9, 1e-9, ways[..., 0])
    y, z = (lens[n] + reach * ways[..., n] for n in (1, 2))
    inside = (reach > 0) & (y > -1.5) & (y < 0.5) & (z > 0.9) & (z < 2.2)
    shown[inside] = WINDOW_SHINES * np.where(y[inside] < -0.5, 4 / 3, 2 / 3)[:, None]
    off = lamp.middle - lens
    half = np.arcsin(lamp.radius_m / np.linalg.norm(off))
    shown[ways @ (off / np.linalg.norm(off)) > np.cos(half)] = LAMP_SHINES
    return cv2.resize(shown, (2 * rows, rows), interpolation=cv2.INTER_AREA).astype(np.float32)


class InPanorama(unittest.TestCase):
    def test_what_is_marked_shines_from_its_place_and_no_more_from_afar(self) -> None:
        rotation = rotation_of(70.0, 4.0, -3.0)
        panorama = painted(rotation, LENS, LAMP)
        marked = Ball(LAMP.middle + [0.02, -0.03, 0.02], 0.1, np.ones(3, np.float32))
        dark = Ball(np.array([-1.0, 1.5, 2.0]), 0.1, np.ones(3, np.float32))
        from_behind = Sheet(WINDOW.corners[::-1], np.ones(3, np.float32))
        upward = np.zeros((3, 3, 3), np.float32)
        upward[2] = 1
        away = Beam(LAMP.middle + [0, 0.6, 0], 0.02, np.eye(3), upward)
        lights: tuple[Near, ...] = (marked, WINDOW, dark, from_behind, away)
        every = [NearLight(f"light {n}", one, UNKNOWN) for n, one in enumerate(lights)]
        rest, found = lights_in(panorama, rotation, LENS, every)
        lamp, window, *left = found
        self.assertEqual([lamp.known.beside, window.known.beside], [SKY, SKY])
        self.assertEqual(left, every[2:])
        assert isinstance(lamp.light, Ball) and isinstance(window.light, Sheet)
        np.testing.assert_allclose(lamp.light.radiance, LAMP_SHINES, rtol=0.05)  # it is marked 40 mm off
        np.testing.assert_allclose(window.light.radiance, WINDOW_SHINES, rtol=0.02)
        # A place beside the lens, which the lamp is nearer to: what it gives there, not at the lens.
        at, up = np.array([1.4, 0.6, 0.8]), np.array([0.0, 0, 1])
        off = LAMP.middle - at
        true = np.pi * LAMP_SHINES * (0.1 / np.linalg.norm(off)) ** 2 * off[2] / np.linalg.norm(off)
        np.testing.assert_allclose(near_irradiance(lamp.light, at, up), true, rtol=0.1)
        self.assertLess(float((rest / WALL).max()), 1.2)
        self.assertGreater(float((rest / WALL).min()), 0.8)

    def test_a_lens_that_stood_a_hand_aside_loses_no_lamp(self) -> None:
        panorama = painted(np.eye(3), LENS, LAMP)
        for aside in ([0.12, -0.1, 0.0], [-0.1, 0.05, 0.1]):
            lamps = [NearLight("lamp", LAMP, UNKNOWN), NearLight("window", WINDOW, UNKNOWN)]
            rest, (lamp, _) = lights_in(panorama, np.eye(3), LENS + aside, lamps)
            assert isinstance(lamp.light, Ball)
            np.testing.assert_allclose(lamp.light.radiance, LAMP_SHINES, rtol=0.25)
            self.assertLess(float(rest[..., 0].max()), 0.2 * LAMP_SHINES[0])

    def test_a_lamp_that_is_off_takes_neither_the_sun_nor_what_is_a_little_brighter(self) -> None:
        off = LAMP.middle - LENS
        sun = off / np.linalg.norm(off)  # what shines there is the sun
        dark = Ball(LENS + 2 * (sun + [0.05, 0, 0]), 0.05, np.ones(3, np.float32))
        panorama = painted(np.eye(3), LENS, LAMP)
        uneven = painted(np.eye(3), LENS, LAMP) * np.where(np.indices((512, 1024)).sum(0) // 8 % 2, 1.3, 1.0)[..., None]
        elsewhere = Ball(LENS + np.array([-1.5, 1, 0.5]), 0.05, np.ones(3, np.float32))
        for picture, lamp in ((panorama, dark), (uneven.astype(np.float32), elsewhere)):
            near = NearLight("lamp", lamp, UNKNOWN)
            rest, found = lights_in(picture, np.eye(3), LENS, [near], sun)
            self.assertEqual(found, (near,))
            np.testing.assert_array_equal(rest, picture)

    def test_a_beam_is_as_strong_as_it_looks_from_the_lens(self) -> None:
        """Its opening looks down; the table says half as much towards the side as straight down."""
        down = np.array([[1.0, 0, 0], [0, -1, 0], [0, 0, -1]])
        table = np.array([2.0, 1, 0], np.float32)[:, None, None] * np.ones((3, 3, 3), np.float32)
        spot = Beam(LAMP.middle, LAMP.radius_m, down, table)
        panorama = painted(np.eye(3), LENS, LAMP)
        _, (found,) = lights_in(panorama, np.eye(3), LENS, [NearLight("spot", spot, UNKNOWN)])
        off = LENS - LAMP.middle
        away = float(np.linalg.norm(off))
        given = np.pi * LAMP_SHINES * (LAMP.radius_m / away) ** 2
        np.testing.assert_allclose(near_irradiance(found.light, LENS, -off / away), given, rtol=0.05)

    def test_a_scene_has_them_where_they_stand_if_the_panorama_was_taken_there(self) -> None:
        stands = np.array([*STANDING["position_m"][:2], 0.0])
        lens = np.append(np.round(4 * stands[:2]) / 4, 1.5)
        lamp = Ball(stands + [0.9, 0.5, 2.0], 0.1, np.ones(3, np.float32))
        picture = painted(np.eye(3), lens, lamp)
        panorama = Panorama(picture, picture.shape[1], picture.shape[0])
        marked = {"id": "l", "position_m": lamp.middle.tolist(), "size_mm": 200.0, "photographed": True}
        for here, out in ((True, False), (True, True), (False, False)):
            light = PanoramaLight(file="a.hdr", here=here, lens_m=1.5)
            shot = sample(models=[STANDING], lamps=[marked | {"hidden": out}])
            shot = shot.model_copy(update={"lit_by": "panorama", "panorama": light})
            scene = build_scene(
                shot, sized(photograph(), SCALE), lambda _: box((0.3, 0.3, 0.3)), read_panorama=lambda _: panorama
            )
            far = next(one for one in scene.lights if isinstance(one, Environment))
            near = [one for one in scene.lights if isinstance(one, Ball)]
            with self.subTest(here=here, out=out):
                self.assertEqual(float(far.radiance.max()) > 20, not here)
                self.assertEqual(len(near), 0 if out else 1)
                if here and near:
                    beside = near[0].radiance / far.radiance[len(far.radiance) // 3, 5]
                    np.testing.assert_allclose(beside, LAMP_SHINES / WALL, rtol=0.15)


if __name__ == "__main__":
    unittest.main()
