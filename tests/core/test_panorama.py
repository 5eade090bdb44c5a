"""Panoramas: files written by other libraries, light by closed forms, and a place lit by one."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.panorama import Panorama, read_panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.clear_sky import UP
from lithopos.core.light.dome import directions, dome_irradiance, dome_of, dome_sun, dome_turned, ground_of
from lithopos.core.light.sun import SunAnswer
from lithopos.core.light.turning import rotation_of
from lithopos.core.place.around import (
    AroundAnswer,
    around_answer,
    beside_shadows,
    dome_in_force,
    radiance_in_force,
    seen_around,
)
from lithopos.core.place.balance import balance_of, balance_of_ground, proposed_patches
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.matched import Around, GroundTurn, Matched, ground_matched, turned_by_ground
from lithopos.core.reading.ask import inspect_file
from lithopos.core.readings import Sources, with_readings
from lithopos.core.render.scene import Environment, Scene, build_scene
from lithopos.core.render.session import sized
from lithopos.core.shot import Exposure, LightPatch, PanoramaLight, Pointing
from tests.core.rendering import SCALE, box, photograph, sample, tracer
from tests.core.test_render import STANDING, scene_of
from tests.support import TrueCamera

SUN_DEG = (63.0, 41.0)  # azimuth, elevation


def around(sun: float = 0.0, sky: Any = (1.0, 1.0, 1.0), ground: float = 0.0, rows: int = 128) -> Any:
    """A sky above, ground below, and a square sun of a degree and a half; painted by the file's own convention."""
    picture = np.empty((rows, 2 * rows, 3), np.float32)
    picture[: rows // 2], picture[rows // 2 :] = sky, ground
    column = round((0.5 - SUN_DEG[0] / 360) * 2 * rows)  # the middle is +x, longitude goes on to the left
    row = round((90 - SUN_DEG[1]) / 180 * rows)
    picture[row : row + 1, column : column + 1] += sun
    return picture


class Files(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def exr(self, name: str, channels: dict[str, Any]) -> Path:
        path = self.folder / name
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(header, channels) as file:
            file.write(str(path))
        return path

    def test_hdr_and_exr_come_in_as_they_were_written_and_large_ones_keep_their_light(self) -> None:
        picture = around(sun=3000.0, sky=(0.5, 0.8, 1.5), ground=0.2, rows=64)
        hdr = self.folder / "a.hdr"
        cv2.imwrite(str(hdr), picture[..., ::-1])
        np.testing.assert_allclose(read_panorama(hdr).radiance, picture, rtol=0.01, atol=0.01)
        exr = self.exr("b.exr", {c: np.ascontiguousarray(picture[..., n]) for n, c in enumerate("RGB")})
        np.testing.assert_array_equal(read_panorama(exr).radiance, picture)
        self.assertEqual(inspect_file(exr)["kind"], "panorama")
        wide = np.repeat(np.repeat(picture, 40, 0), 40, 1)
        large = read_panorama(self.exr("c.exr", {c: np.ascontiguousarray(wide[..., n]) for n, c in enumerate("RGB")}))
        self.assertEqual((large.width, large.radiance.shape[1]), (5120, 2048))
        np.testing.assert_allclose(
            large.radiance.mean((0, 1), dtype=float), picture.mean((0, 1), dtype=float), rtol=1e-3
        )

    def test_an_ordinary_picture_is_taken_with_a_warning(self) -> None:
        path = self.folder / "all-around.png"
        cv2.imwrite(str(path), np.full((100, 200, 3), 188, np.uint8))
        read = read_panorama(path)
        self.assertAlmostEqual(float(read.radiance.mean()), 0.503, delta=0.01)
        self.assertIn("ordinary picture", read.notes[0])

    def test_what_is_none_says_why(self) -> None:
        good = around(rows=32)
        planes = {c: np.ascontiguousarray(good[..., n]) for n, c in enumerate("RGB")}
        nan, dark, low = ({c: v.copy() for c, v in planes.items()} for _ in range(3))
        nan["R"][3, 3] = np.nan
        for values in dark.values():
            values[:] = 0
        low["G"][:20] = -1
        cases = {
            "twice as wide": self.exr("a.exr", {c: np.ascontiguousarray(v[:, :40]) for c, v in planes.items()}),
            "no numbers": self.exr("b.exr", nan),
            "black": self.exr("c.exr", dark),
            "negative": self.exr("d.exr", low),
            "no red, green and blue": self.exr("e.exr", {"Z": planes["R"]}),
        }
        whole = cases["black"].with_name("w.exr")
        noise = np.random.default_rng(1).random((32, 64), np.float32)
        data = self.exr("f.exr", dict.fromkeys("RGB", noise)).read_bytes()
        whole.write_bytes(data[: len(data) // 2])
        cases["damaged EXR"] = whole
        hdr = self.folder / "g.hdr"
        cv2.imwrite(str(hdr), good)
        hdr.write_bytes(hdr.read_bytes()[:300])
        cases["damaged or cut-off HDR"] = hdr
        for words, path in cases.items():
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                inspect_file(path)


def turned_about(axis: int, degrees: float) -> np.ndarray:
    """The tests' own rotation: columns are where x, y and z go."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    one, two = [(1, 2), (2, 0), (0, 1)][axis]
    turn = np.eye(3)
    turn[[one, one, two, two], [one, two, one, two]] = c, -s, s, c
    return turn


class Domes(unittest.TestCase):
    def test_irradiance_is_that_of_closed_forms_however_it_is_turned(self) -> None:
        """An even sky over black ground gives π (1 + n · up) / 2; a small sun of irradiance E gives E (n · d) more."""
        way = np.radians(SUN_DEG)
        sun = np.array([np.cos(way[1]) * np.cos(way[0]), np.cos(way[1]) * np.sin(way[0]), np.sin(way[1])])
        solid = np.cos(way[1]) * (np.pi / 128) ** 2
        dome, lit = dome_of(around()), dome_of(around(sun=4000.0))
        self.assertFalse(dome.sunny)
        self.assertTrue(lit.sunny)
        for turn, pitch, roll in ((0, 0, 0), (137, 0, 0), (-60, 24, -11)):
            rotation = turned_about(2, turn) @ turned_about(1, pitch) @ turned_about(0, roll)
            np.testing.assert_allclose(rotation_of(turn, pitch, roll), rotation, atol=1e-12)
            even, sunlit = dome_turned(dome, rotation), dome_turned(lit, rotation)
            # Its pixel's middle, half a pixel beside what was meant.
            self.assertGreater(float(dome_sun(sunlit) @ rotation @ sun), np.cos(np.radians(1.5)))
            for normal in np.array([[0.0, 0, 1], [1, 0, 0], [0, -1, 0], [0.6, 0, 0.8]]):
                given = dome_irradiance(even, normal)
                np.testing.assert_allclose(given, np.pi * (1 + rotation[:, 2] @ normal) / 2, rtol=0.02, atol=0.02)
                np.testing.assert_allclose(dome_irradiance(sunlit, normal), given, atol=0.03)
            np.testing.assert_allclose(sunlit.sun, 4000 * solid, rtol=0.02)

    def test_a_suns_place_is_told_far_finer_than_the_small_picture_that_tells_the_rest(self) -> None:
        """A disc of half a degree anywhere between the pixels, with haze that is brighter on one side of it."""
        rng = np.random.default_rng(8)
        for rows, within_deg in ((256, 0.2), (1024, 0.03)):
            ways, _ = directions(rows)
            for _ in range(4):
                azimuth, elevation = rng.uniform(-np.pi, np.pi), rng.uniform(0.2, 1.2)
                level = np.cos(elevation)
                sun = np.array([level * np.cos(azimuth), level * np.sin(azimuth), np.sin(elevation)])
                apart_deg = np.degrees(np.arccos(np.clip(ways @ sun, -1, 1)))
                share = np.clip((0.2668 - apart_deg) * rows / 180 + 0.5, 0, 1)  # of a pixel that the disc fills
                haze = 1 + 3 * np.exp(-apart_deg / 4) * (1 + ways @ [0, 0, 1])
                dome = dome_of((haze + 30_000 * share)[..., None].repeat(3, -1).astype(np.float32))
                self.assertTrue(dome.sunny)
                self.assertGreater(float(dome_sun(dome) @ sun), np.cos(np.radians(within_deg)))

    def test_a_new_sun_stands_where_sharp_shadows_have_it_and_a_panoramas_own_where_it_is(self) -> None:
        picture = around(sun=4000.0, rows=512)
        settings = PanoramaLight(file="a.hdr", dome=dome_of(picture), disc=True, turn_deg=25.0, pitch_deg=4.0)
        answer = around_answer(settings, [], scene_of().camera)
        own = answer.rotation() @ dome_sun(settings.dome or dome_of(picture))

        def lit(apart_deg: float, sigma_deg: float, disc: bool = True) -> tuple[Any, Any]:
            """The sun in force, and the brightest place of what a render is lit by, in the world."""
            told = turned_about(0, apart_deg) @ own
            measured = SunAnswer(
                direction=(float(told[0]), float(told[1]), float(told[2])),
                azimuth_deg=0.0,
                elevation_deg=0.0,
                sigma_deg={"azimuth": sigma_deg, "elevation": sigma_deg / 2},
                gnomons=[],
                warnings=[],
            )
            by = settings.model_copy(update={"disc": disc})
            shot = sample().model_copy(update={"panorama": by, "lit_by": "panorama"})
            dome = dome_in_force(shot, beside_shadows(by, answer, measured))
            assert dome
            shines = dome_of(radiance_in_force(picture, by, dome, (1.0, 1.0, 1.0), 0.53))
            return dome_sun(dome), answer.rotation() @ dome_sun(shines)

        for apart, sigma, disc, moves in (
            (2.0, 0.4, True, 1),
            (2.0, 0.4, False, 0),
            (2.0, 2.0, True, 0),
            (6.0, 0.4, True, 0),
        ):
            with self.subTest(apart=apart, sigma=sigma, disc=disc):
                for sun in lit(apart, sigma, disc):
                    self.assertGreater(float(sun @ turned_about(0, moves * apart) @ own), np.cos(np.radians(0.1)))

    def test_pointing_at_two_things_finds_all_three_angles_and_one_the_turn(self) -> None:
        rng = np.random.default_rng(5)
        camera = scene_of().camera
        for _ in range(50):
            turn, pitch, roll = rng.uniform(-180, 180), rng.uniform(-20, 20), rng.uniform(-20, 20)
            rotation = turned_about(2, turn) @ turned_about(1, pitch) @ turned_about(0, roll)
            pixels = np.array([[0.15, 0.3], [0.85, 0.5]]) * [camera.width, camera.height] + rng.normal(0, 1, (2, 2))
            rays = camera.rays(pixels)
            ways = rays @ rotation
            # A click on a panorama of 2,048 is good to a pixel, one on the photograph too.
            ways += np.radians(0.1) * rng.normal(size=ways.shape)
            named = [
                Pointing.model_validate({"id": f"p{n}", "way": way, "at": at})
                for n, (way, at) in enumerate(zip(ways.tolist(), pixels.tolist(), strict=True))
            ]
            light = PanoramaLight(file="a.hdr", pitch_deg=pitch, roll_deg=roll)
            found = around_answer(light, named, camera)
            for told, true in ((found.turn_deg, turn), (found.pitch_deg, pitch), (found.roll_deg, roll)):
                self.assertLess(abs((told - true + 180) % 360 - 180), 0.5)
            alone = around_answer(light, named[:1], camera)
            self.assertLess(abs((alone.turn_deg - turn + 180) % 360 - 180), 0.5)

    def test_patches_tell_its_sky_and_a_disc_in_place_of_its_sun(self) -> None:
        """Painted by the tests' own light: ground in the sun and in shade, a grey card, the panorama's sun clipped."""
        whole = around(sun=20_000.0, sky=(0.4, 0.6, 1.0), ground=0.1)
        clipped = np.minimum(whole, 60.0)
        camera = scene_of().camera
        around_it = PanoramaLight(file="a.hdr", dome=dome_of(clipped), disc=True)
        lit_by = sample(models=[]).model_copy(update={"lit_by": "panorama", "panorama": around_it})
        dome = dome_in_force(lit_by, around_answer(around_it, [], camera))
        assert dome and dome.sunny
        sun = dome_sun(dome)
        true_sun = np.array(dome_of(whole).sun)
        sky = np.pi * np.array([0.4, 0.6, 1.0])
        gain = 0.8 / (true_sun * sun[2] + sky).mean()
        lit, shade = true_sun * sun[2] + sky, 0.9 * sky
        patches = [
            LightPatch.model_validate(
                {"id": f"{name}{reached}", "at": (100, 900), "material": name, "light": reached, "tone": tone}
                | {"seen": {"colour": (tone * gain * light).tolist(), "spread": 0.0, "clipped": 0.0}}
            )
            for name, tone in (("ground", 0.3), ("card", 0.5))
            for reached, light in (("sun", lit), ("shade", shade))
        ]
        day = Daylight(sun, 3.5, 0.3, dome=dome)
        told = balance_of(patches, camera, day)
        picture = radiance_in_force(clipped, around_it, dome, told.sky, 0.6)
        # The light that the render will take, in the photograph's values, is the true one.
        again = dome_of(picture)
        level = np.array(told.gain) / np.pi * (np.array(again.sun) * dome_sun(again)[2])
        np.testing.assert_allclose(level, gain * true_sun * sun[2], rtol=0.12)
        np.testing.assert_allclose(np.array(told.gain) / np.pi * dome_irradiance(again, UP), gain * sky, rtol=0.15)

    def test_one_that_was_taken_here_tells_the_level_and_the_white_by_its_ground(self) -> None:
        """Ground of a known warm reflectance in it, under a sky and a sun: the camera's gain is found by channel."""
        stone, sky, sun_deg = np.array([0.26, 0.21, 0.15]), np.array([0.4, 0.6, 1.0]), SUN_DEG[1]
        bare = around(sun=20_000.0, sky=(0.4, 0.6, 1.0), ground=0.0)
        light = np.array(dome_of(bare).sun) * np.sin(np.radians(sun_deg)) + np.pi * sky
        picture = bare.copy()
        picture[len(picture) // 2 :] = stone * light / np.pi
        dome = dome_of(picture)
        shown_there = ground_of(dome)
        assert shown_there is not None
        np.testing.assert_allclose(shown_there, stone, rtol=0.04)
        gain = np.array([0.5, 0.45, 0.35])
        patch = {"id": "a", "at": (100, 900), "material": "ground", "light": "sun"}
        seen = {"colour": (gain * stone * light / np.pi).tolist(), "spread": 0.0, "clipped": 0.0}
        patches = [LightPatch.model_validate({**patch, "seen": seen})]
        camera = scene_of().camera
        told, named = (
            balance_of(patches, camera, Daylight(dome_sun(dome), 3.5, 0.34, dome=dome, ground_shown=shown))
            for shown in (shown_there, None)
        )
        self.assertEqual((told.white_from, named.white_from), ("the ground in the panorama", "the usual ground"))
        errors = [np.abs(np.log(np.array(one.gain) / gain)).max() for one in (told, named)]
        self.assertLess(errors[0], 0.12)
        self.assertLess(errors[0], 0.4 * errors[1])
        # What it is not likely to be is not believed: its sun is lost, or its ground is another.
        self.assertIsNone(ground_of(dome.model_copy(update={"sun": [0.0, 0, 0], "ground": [9.0, 9, 9]})))

    def test_one_that_was_taken_in_a_patch_of_sun_which_the_photograph_clips(self) -> None:
        """The rest of the ground lies in shade, and tells the level; the patch is as bright at least as it can show."""
        stone, sky = np.array([0.3, 0.24, 0.18]), np.array([0.4, 0.6, 1.0])
        bare = around(sun=100_000.0, sky=(0.4, 0.6, 1.0), ground=0.0)
        sun = np.array(dome_of(bare).sun) * np.sin(np.radians(SUN_DEG[1]))
        picture = bare.copy()
        picture[len(picture) // 2 :] = stone * (sun + np.pi * sky) / np.pi
        dome = dome_of(picture)
        camera = scene_of().camera
        columns, rows = np.meshgrid(np.arange(camera.width) + 0.5, np.arange(camera.height) + 0.5)
        floor = camera.ground_points(np.column_stack([columns.ravel(), rows.ravel()]))
        foot = camera.ground_points(np.array([[0.5 * camera.width, 0.85 * camera.height]]))[0]
        lit = (np.linalg.norm(floor - foot, axis=1) < 0.6).reshape(camera.height, camera.width, 1)
        noise = 1 + 0.02 * np.random.default_rng(1).normal(size=(*lit.shape[:2], 3))
        gain = np.array([2.0, 1.9, 1.7])
        linear = np.clip(gain / np.pi * stone * (np.pi * sky + lit * sun) * noise, 0, 1).astype(np.float32)
        self.assertEqual(float(linear[lit[..., 0]].min()), 1.0)
        encoded = np.asarray(encode_srgb(linear), np.float32)
        day = Daylight(dome_sun(dome), 3.5, 0.3, dome=dome, ground_shown=ground_of(dome), at=foot)
        told = balance_of_ground(encoded, linear, camera, 0.0, day, foot[None, :2])
        off = np.log(np.array(told.gain) / gain)
        self.assertLess(float(np.abs(off).max()), 0.25)
        self.assertLess(float(np.abs(off / told.white_sigma).max()), 2.0)
        # Somewhere else in the same picture nobody knows that the sun shines there: the shade is taken for lit.
        away = replace(day, at=foot + [1.5, 0, 0])
        other = balance_of_ground(encoded, linear, camera, 0.0, away, foot[None, :2])
        self.assertLess(float(np.log(np.array(other.gain) / gain).max()), -0.7)
        patches = proposed_patches(Picture((encoded * 255 + 0.5).astype(np.uint8)), camera, day)
        self.assertEqual({patch.light for patch in patches if patch.seen and patch.seen.clipped < 0.1}, {"shade"})
        by_patches = balance_of(patches, camera, day)
        self.assertLess(float(np.abs(np.log(np.array(by_patches.gain) / gain)).max()), 0.25)
        self.assertTrue(any(patch.least for patch in by_patches.patches))


class Here(unittest.TestCase):
    LENS, GAIN = np.array([0.3, 6.0, 0.9]), np.array([2.0, 1.7, 1.3])

    def floor(self, points: Any, seed: int = 0) -> Any:
        """Radiance of a floor of tiles, a patch of sun on it."""
        tones = np.random.default_rng(seed).uniform(0.05, 0.2, (64, 64))
        x, y = (np.nan_to_num(points[..., n], nan=99.0) for n in (0, 1))
        tile = tones[np.floor(x / 0.4).astype(int) % 64, np.floor(y / 0.4).astype(int) % 64]
        in_sun = np.hypot(x - self.LENS[0], y - self.LENS[1]) < 0.5
        return (tile * np.where(in_sun, 12.0, 1.0))[..., None] * [1.0, 0.8, 0.6]

    def camera(self) -> Pinhole:
        true = TrueCamera(size=(960, 640), focal=700, heading=90, tilt=-14)
        return Pinhole(700.0, np.array(true.axis), true.rotation, true.centre, 960, 640, 0.0)

    def below(self, floor: Any) -> Any:
        """A panorama over a floor."""
        ways, _ = directions(256)
        reach = -self.LENS[2] / np.minimum(ways[..., 2:], -1e-3)
        return np.where(ways[..., 2:] < 0, floor(self.LENS + ways * reach), 1).astype(np.float32)

    def shown(self, floor: Any = None) -> Any:
        """A floor as the photograph would show it, if it could."""
        columns, rows = np.meshgrid(np.arange(960) + 0.5, np.arange(640) + 0.5)
        points = self.camera().ground_points(np.column_stack([columns.ravel(), rows.ravel()])).reshape(640, 960, 3)
        return self.GAIN * (floor or self.floor)(points)

    def matched(self, told: Any, floor: Any) -> tuple[Matched | None, Any, Any]:
        """The panorama over the photograph; that without and with what clips."""
        shown = self.shown()
        noise = 1 + 0.02 * np.random.default_rng(3).normal(size=shown.shape)
        linear = np.clip(shown * noise, 0, 1).astype(np.float32)
        found = ground_matched(linear, Around(self.below(floor), np.eye(3), told), self.camera(), 0.0)
        return found, shown, found and found.restored(linear, linear.max(-1) >= 1, self.camera(), 0.0)

    def turned(self, floor: Any, turn_deg: float = 0.0, photographed: Any = None) -> GroundTurn:
        """How a panorama that was taken at a turn, and lies straight so far, is to be turned."""
        columns = round(turn_deg / 360 * 512)
        panorama = np.roll(self.below(floor), columns, axis=1)
        picture = Picture(np.round(255 * encode_srgb(np.clip(self.shown(photographed), 0, 1))).astype(np.uint8))
        light, lies = PanoramaLight(file="a.hdr"), self.lies(0.0, off_m=0.1)
        return turned_by_ground(picture, panorama, light, lies, self.camera(), lambda _: None)

    def lies(self, turn_deg: float, off_m: float = 0.0) -> AroundAnswer:
        x, y, z = (float(v) for v in self.LENS)
        return AroundAnswer(turn_deg=turn_deg, pitch_deg=0.0, roll_deg=0.0, lens_at_m=(x + off_m, y, z))

    def test_the_ground_in_both_tells_how_the_panorama_is_turned(self) -> None:
        for turn_deg in (67.5, -135.0):
            with self.subTest(turn_deg=turn_deg):
                found = self.turned(self.floor, turn_deg)
                self.assertIsNone(found.reason)
                self.assertAlmostEqual(found.turn_deg or 0.0, turn_deg, delta=0.75)
                # Laid over with that turn, its ground is the photograph's.
                panorama = np.roll(self.below(self.floor), round(turn_deg / 360 * 512), axis=1)
                laid = seen_around(panorama, self.lies(turn_deg), self.camera())
                there = self.shown() / self.GAIN
                off = np.abs(np.log(laid[450:560, 330:630] / there[450:560, 330:630]))
                self.assertLess(float(np.median(off)), 0.02)
        found = self.turned(lambda points: self.floor(points[..., [1, 0, 2]] * 1.7, seed=5))
        self.assertIn("in no turn", found.reason or "")

        def alike(points: Any) -> Any:
            """A floor that half a turn about the lens brings onto itself."""
            return self.floor(np.where(points[..., 1:2] < self.LENS[1], 2 * self.LENS - points, points))

        found = self.turned(alike, photographed=alike)
        self.assertIn("more than one turn", found.reason or "")
        even = Picture(np.full((640, 960, 3), 128, np.uint8))
        lies = self.lies(0.0)
        rest = self.below(self.floor), PanoramaLight(file="a.hdr")
        told = turned_by_ground(even, *rest, lies, self.camera(), lambda _: None)
        self.assertIn("too even", told.reason or "")
        with self.assertRaisesRegex(InputError, "where things stand"):
            turned_by_ground(even, *rest, lies.model_copy(update={"lens_at_m": None}), self.camera(), lambda _: None)

    def test_the_ground_in_both_tells_the_gain_and_what_the_photograph_clips(self) -> None:
        for off in ([0.0, 0, 0], [0.1, -0.2, 0.0]):
            with self.subTest(off=off):
                found, shown, restored = self.matched(self.LENS + off, self.floor)
                assert found
                np.testing.assert_allclose(found.gain, self.GAIN, rtol=0.04)
                clipped = (shown > 1.1).any(-1)
                self.assertGreater(float(np.median(shown[clipped].max(-1))), 1.5)
                off_by = np.abs(np.log(restored[clipped] / shown[clipped]))
                self.assertLess(float(np.median(off_by)), 0.05)
        # Another floor in it, an even one, or a place that is nowhere near: then it tells nothing.
        self.assertIsNone(self.matched(self.LENS, lambda points: self.floor(points[..., [1, 0, 2]], seed=5))[0])
        self.assertIsNone(self.matched(self.LENS, lambda points: np.full((*points.shape[:-1], 3), 0.2))[0])
        self.assertIsNone(self.matched(self.LENS + [0, 2.0, 0], self.floor)[0])

    def laid(self, scene: Scene, at: Any) -> float:
        """What is laid on the ground at a place, in red."""
        for patch in scene.receivers[0].patches:
            low, high = patch.vertices.min(0), patch.vertices.max(0)
            if len(patch.vertices) == 4 and (low[:2] <= at[:2]).all() and (at[:2] < high[:2]).all():
                texture = (
                    np.broadcast_to(patch.reflectance, (1, 1, 3)) if patch.reflectance.ndim == 1 else patch.reflectance
                )
                rows, columns = texture.shape[:2]
                x, y = (at[:2] - low[:2]) / (high[:2] - low[:2])
                return float(texture[int(y * rows), int(x * columns), 0])
        return float(scene.receivers[0].patches[-1].reflectance[0])

    def test_a_shadow_there_is_of_what_the_floor_was_before_it_was_clipped(self) -> None:
        stand = np.array([*STANDING["position_m"][:2], 0.0])
        middle = self.LENS * [1, 1, 0]
        shot = sample(models=[STANDING])
        facts = derive(shot)
        assert facts.camera and shot.photograph
        width, height = (round(SCALE * side) for side in (shot.photograph.width, shot.photograph.height))
        camera = pinhole_of(facts.camera).sized(width, height)
        columns, rows = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
        points = camera.ground_points(np.column_stack([columns.ravel(), rows.ravel()])).reshape(height, width, 3)
        shown = self.GAIN * self.floor(points - stand + middle)
        picture = Picture(np.round(255 * encode_srgb(np.clip(np.nan_to_num(shown, nan=1.0), 0, 1))).astype(np.uint8))
        panorama = Panorama(self.below(self.floor), 512, 256)
        light = PanoramaLight(file="a.hdr", here=True, lens_m=float(self.LENS[2]))
        engine = tracer()
        for here in (True, False):
            lit = shot.model_copy(update={"lit_by": "panorama", "panorama": light.model_copy(update={"here": here})})
            scene = build_scene(lit, picture, lambda _: box((0.3, 0.3, 0.3)), read_panorama=lambda _: panorama)
            self.assertEqual(scene.unclipped, here)
            # What lies before the picture's lower border no photograph shows: the panorama does.
            border = camera.ground_points([[width / 2, height]])[0]
            away = np.random.default_rng(2).uniform(0.05, 0.6, (60, 1)) * ((camera.position - border) * [1, 1, 0])
            about = np.log(self.floor(border + away - stand + middle)[:, 0])
            told_there = np.log([self.laid(scene, at) for at in border + away])
            self.assertEqual(bool(np.std(told_there) > 0 and np.corrcoef(about, told_there)[0, 1] > 0.8), here)
            if here:
                engine.show(scene)
                spots = camera.project(stand + np.array([[0.3, 0.1, 0], [-0.2, 0.25, 0]])).astype(np.int32)
                told = engine.radiance("without", spots, 0, 64, 1).sum(1) / 128 * scene.gain
                there = shown[spots[:, 1], spots[:, 0]]
                self.assertGreater(float(there.max()), 1.3)
                np.testing.assert_allclose(told, there, rtol=0.15)

    def test_what_was_read_before_panoramas_told_their_ground_is_read_anew(self) -> None:
        picture = around(sky=(0.4, 0.6, 1.0), ground=0.1)
        old = dome_of(picture).model_copy(update={"ground": None})
        shot = sample().model_copy(update={"panorama": PanoramaLight(file="a.hdr", dome=old)})
        document = shot.model_dump(mode="json", by_alias=True)
        reads = Sources(lambda _: photograph(), lambda _: Panorama(picture, 256, 128))
        said = with_readings(document, {"panorama": {"here": True}}, reads)
        np.testing.assert_allclose(said["panorama"]["dome"]["ground"], 0.1, rtol=1e-3)
        self.assertEqual(with_readings(document, {"panorama": {"strength": 2}}, reads), {"panorama": {"strength": 2}})


class Lit(unittest.TestCase):
    def lit(self, turn_deg: float) -> Any:
        light = PanoramaLight(file="all-around.hdr", turn_deg=turn_deg)
        return sample(models=[STANDING]).model_copy(update={"lit_by": "panorama", "panorama": light})

    def test_a_shot_lit_by_a_panorama_throws_its_shadow_away_from_the_panorama_s_sun(self) -> None:
        picture = around(sun=30_000.0, sky=(0.3, 0.4, 0.6), ground=0.2)
        panorama = Panorama(picture, picture.shape[1], picture.shape[0])
        model = box((0.4, 0.4, 1.2), grey=0.5)
        scene = build_scene(
            self.lit(20.0), sized(photograph(), SCALE), lambda _: model, read_panorama=lambda _: panorama
        )
        (light,) = scene.lights
        assert isinstance(light, Environment) and light.sun is not None
        azimuth = np.degrees(np.arctan2(light.sun[1], light.sun[0]))
        self.assertAlmostEqual(float(azimuth), SUN_DEG[0] + 20, delta=1.5)
        foot = np.array([*STANDING["position_m"][:2], 0.0])
        away = np.array([-light.sun[0], -light.sun[1], 0]) / np.hypot(*light.sun[:2])
        engine = tracer()
        engine.show(scene)
        spots = scene.camera.project(np.stack([foot + 0.7 * away, foot - 0.9 * away])).astype(np.int32)
        with_it, bare = (engine.radiance(place, spots, 0, 64, 1).sum((1, 2)) for place in ("with", "without"))
        self.assertLess(with_it[0], 0.6 * bare[0])
        self.assertGreater(with_it[1], 0.9 * bare[1])

    def test_floor_in_a_light_that_is_not_the_panoramas_shines_as_it_is_seen(self) -> None:
        """A window's sun on the floor of a room that a panorama lights: the place is as bright there as its picture."""
        shown = sized(photograph(), SCALE)
        linear = 0.15 * decode_srgb(shown.encoded)
        height, width = linear.shape[:2]
        bright = (slice(int(0.8 * height), int(0.86 * height)), slice(int(0.4 * width), int(0.5 * width)))
        linear[bright] = 0.8
        picture = Picture(np.round(255 * encode_srgb(linear)).astype(np.uint8))
        even = around(sun=0.0, sky=(0.5, 0.5, 0.5), ground=0.1)
        panorama = Panorama(even, even.shape[1], even.shape[0])
        thing = box((0.4, 0.4, 1.2), grey=0.5)
        engine, middle = tracer(), np.array([[0.45 * width, 0.83 * height]]).astype(np.int32)
        for stops in (0.0, 1.0):  # things brighter by hand, the place as it is
            shot = self.lit(0.0).model_copy(update={"exposure": Exposure(stops=stops)})
            scene = build_scene(shot, picture, lambda _: thing, read_panorama=lambda _: panorama)
            engine.show(scene)
            told = engine.radiance("without", middle, 0, 64, 1).sum(1)[0] / 128 * scene.gain / 2**stops
            np.testing.assert_allclose(told, 0.8, rtol=0.1)

    def test_a_panorama_that_is_not_handed_over_is_told(self) -> None:
        with self.assertRaisesRegex(InputError, "panorama"):
            build_scene(self.lit(0.0), sized(photograph(), SCALE), lambda _: box((1, 1, 1), grey=0.5))


if __name__ == "__main__":
    unittest.main()
