"""Where the sun stood, by published places of the sun; and how large it appeared, by shadows thrown point by point."""

from __future__ import annotations

import unittest
from datetime import UTC, date, datetime, timedelta, timezone

import cv2
import numpy as np

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import InputError
from lithopos.core.light.almanac import sun_position, times_of, zone_of
from lithopos.core.light.softness import Penumbra, solve_softness
from lithopos.core.marks.penumbra import soft_edge
from tests.support import TrueCamera


class Almanac(unittest.TestCase):
    def test_published_places_of_the_sun(self) -> None:
        # Reda & Andreas 2008, Solar position algorithm for solar radiation applications, table A5.1: seen at 820 hPa,
        # so its refraction of 0.016° is exchanged for that at 1010 hPa and 10 °C (0.0197°).
        azimuth, elevation = sun_position(
            datetime(2003, 10, 17, 12, 30, 30, tzinfo=timezone(timedelta(hours=-7))), 39.742476, -105.1786
        )
        self.assertAlmostEqual(azimuth, 194.34024, delta=0.02)
        self.assertAlmostEqual(elevation, 39.872046 + 0.0197, delta=0.02)
        # Meeus 1998, example 25.b: on 13 October 1992, 0 h TD, at declination -7.78382° and right ascension 198.37818°.
        # At the pole the declination is the height; at the equator the hour angle is the way from noon.
        at = datetime(1992, 10, 12, 23, 59, 1, tzinfo=UTC)
        self.assertAlmostEqual(sun_position(at, -90, 0)[1] - 0.1, 7.78382, delta=0.02)
        # Times of equinox and solstice (Astronomical Almanac, to the minute): the declination at the pole.
        for moment, declination in (
            (datetime(2024, 3, 20, 3, 6, tzinfo=UTC), 0.0),
            (datetime(2024, 6, 20, 20, 51, tzinfo=UTC), 23.4365),
            (datetime(2024, 9, 22, 12, 44, tzinfo=UTC), 0.0),
        ):
            lifted = 0.48 if declination == 0 else 0.04  # refraction there
            self.assertAlmostEqual(sun_position(moment, 90, 0)[1], declination + lifted, delta=0.02)

    def test_the_way_back_recovers_the_time_within_a_minute(self) -> None:
        zone, name = zone_of(None, 38.72, -9.14)
        self.assertEqual(name, "Europe/Lisbon")
        rng = np.random.default_rng(3)
        for _ in range(40):
            day = date(2025, 1, 1) + timedelta(days=int(rng.integers(365)))
            at = datetime(day.year, day.month, day.day, int(rng.choice([9, 10, 15, 16])), 17, 41, tzinfo=zone)
            azimuth, elevation = sun_position(at, 38.72, -9.14)
            times = times_of(elevation, day, zone, 38.72, -9.14)
            self.assertEqual(len(times), 2)
            best = min(times, key=lambda one: abs(one.at - at))
            self.assertLess(abs(best.at - at), timedelta(minutes=1))
            self.assertAlmostEqual(best.azimuth_deg, azimuth, delta=0.3)
        # A summer's night north of the polar circle: the sun never comes down to where it is asked for.
        self.assertEqual(times_of(-10, date(2025, 6, 21), UTC, 70, 20), [])
        with self.assertRaisesRegex(InputError, "no time zone"):
            zone_of("Osier/Quay", 0, 0)
        self.assertEqual(zone_of("+02:00", 0, 0)[0].utcoffset(None), timedelta(hours=2))


def photographed_edge(camera: TrueCamera, sun: np.ndarray, diameter_deg: float, height: float, seed: int) -> np.ndarray:
    """A beam along x at a height over the ground; the sun's disc by points, the lens's blur, noise and JPEG."""
    width, tall = camera.size
    columns, rows = np.meshgrid(np.arange(width) + 0.5, np.arange(tall) + 0.5)
    pixels = np.stack([(columns - width / 2) / camera.focal, (rows - tall / 2) / camera.focal, np.ones_like(rows)], -1)
    way = pixels @ camera.rotation
    reach = np.where(way[..., 2] < -1e-3, -camera.centre[2] / np.minimum(way[..., 2], -1e-3), np.nan)
    ground = camera.centre + reach[..., None] * way
    across = np.cross(sun, [1.0, 0, 0])
    across /= np.linalg.norm(across)
    up = np.cross(across, sun)
    n = np.arange(600) + 0.5
    radius, turn = np.sqrt(n / 600) * np.radians(diameter_deg / 2), n * 2.39996
    seen = np.zeros(ground.shape[:2])
    for r, t in zip(radius, turn, strict=True):
        ray = sun + r * np.cos(t) * across + r * np.sin(t) * up
        seen += ground[..., 1] + ray[1] / ray[2] * height > 4.5 + height * sun[1] / sun[2]  # a half-plane's shade
    light = 0.12 + 0.5 * seen / 600
    rng = np.random.default_rng(seed)
    linear = cv2.GaussianBlur(light, (0, 0), 0.7) + rng.normal(scale=0.004, size=light.shape)
    codes = np.clip(255 * np.clip(linear, 0, 1) ** (1 / 2.2), 0, 255).astype(np.uint8)
    done, data = cv2.imencode(".jpg", np.repeat(codes[..., None], 3, axis=-1), [cv2.IMWRITE_JPEG_QUALITY, 92])
    assert done
    return np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR))


class Softness(unittest.TestCase):
    def test_soft_edges_tell_the_sun_s_size_within_a_quarter(self) -> None:
        camera = TrueCamera(focal=700, heading=80, tilt=-12, size=(640, 420))
        known = Pinhole(700, camera.axis, camera.rotation, camera.centre, 640, 420)
        sun = np.array([0.5, 0.6, 0.62])
        sun /= np.linalg.norm(sun)
        for number, (diameter, height) in enumerate(((0.53, 3.0), (2.0, 1.5), (5.0, 1.0))):
            with self.subTest(diameter):
                picture = photographed_edge(camera, sun, diameter, height, number)
                marks = []
                soft = height * np.radians(diameter) / sun[2] ** 2
                for x in (0.2, 0.9):
                    ends = camera.see([[x - 0.1, 4.5 + 1.2 * soft, 0], [x, 4.5 - 1.2 * soft, 0]])
                    drawn = (float(ends[0, 0]), float(ends[0, 1])), (float(ends[1, 0]), float(ends[1, 1]))
                    top = camera.see([np.array([x, 4.5, 0]) + sun * height / sun[2]])[0].tolist()
                    found = soft_edge(picture, *drawn)
                    marks.append(Penumbra.model_validate({"across": drawn, "top": top, "soft": found}))
                answer = solve_softness(marks, known, sun)
                assert answer.diameter_deg and answer.sigma_deg, answer
                self.assertAlmostEqual(answer.diameter_deg / diameter, 1, delta=0.25)
                self.assertLess(abs(answer.diameter_deg - diameter), 2.5 * answer.sigma_deg)
        self.assertIsNone(soft_edge(picture, (300, 380), (340, 400)), "even ground has no edge")
        self.assertIn(
            "its height, or mark it",
            solve_softness([marks[0].model_copy(update={"top": None})], known, sun).penumbras[0].reason or "",
        )


if __name__ == "__main__":
    unittest.main()
