"""Strengths of sun and sky: random scenes of the tests' own, and the table of the clear sky against the renderer."""

from __future__ import annotations

import unittest

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.light.clear_sky import (
    UP,
    overcast_irradiance,
    overcast_radiance,
    sky_irradiance,
    sky_radiance,
    sun_irradiance,
)
from lithopos.core.light.dome import directions
from lithopos.core.light.strengths import Known, LightIn, PatchIn, solve_strengths
from lithopos.core.light.sun import sun_direction
from lithopos.core.place.daylight import Daylight
from tests.core.rendering import tracer

SUN, SKY = np.array([0.63, 0.49, 0.32]), np.array([0.16, 0.23, 0.33])  # level irradiance at strength 1
DAY = np.stack([SUN, SKY])
LIGHTS = [LightIn("sun", SUN), LightIn("sky", SKY, Known("sun", 0.0, 0.35))]
WHITE_PAINT = 0.8


class ClearSky(unittest.TestCase):
    def test_the_table_agrees_with_the_renderer_s_own_sky(self) -> None:
        """Irradiance by the emitter's own sampling of directions, level and upright."""
        import drjit as dr

        mi = tracer().mi
        rng = np.random.default_rng(2)
        for elevation_deg, turbidity in ((12.0, 2.7), (33.0, 3.4), (61.0, 7.5)):
            sun = sun_direction(0.8, np.radians(elevation_deg))
            told = {"type": "sunsky", "sun_direction": sun.tolist(), "turbidity": turbidity, "albedo": 0.25}
            for normal in ([0.0, 0, 1], [np.cos(0.8), np.sin(0.8), 0], [-np.sin(0.8), np.cos(0.8), 0]):
                for without, ours in (("sun_scale", sky_irradiance), ("sky_scale", sun_irradiance)):
                    emitter = mi.load_dict({**told, without: 0.0})
                    sample = mi.Point2f(*rng.random((2, 1 << 16), np.float32))
                    way, weight = emitter.sample_direction(dr.zeros(mi.SurfaceInteraction3f), sample)
                    rise = np.maximum(np.array(way.d).T @ normal, 0)
                    true = (np.nan_to_num(np.array(weight).T) * rise[:, None]).mean(0)
                    np.testing.assert_allclose(ours(sun, turbidity, np.array(normal)), true, rtol=0.03, atol=2e-3)

    def test_it_is_as_bright_everywhere_as_the_renderer_s_own(self) -> None:
        """Away from the table's own heights and hazes."""
        import drjit as dr

        mi = tracer().mi
        rng = np.random.default_rng(3)
        ways = rng.normal(size=(2000, 3))
        ways[:, 2] = np.abs(ways[:, 2])
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        for elevation_deg, turbidity in ((9.3, 2.2), (23.0, 3.4), (47.0, 5.6), (71.0, 8.0)):
            sun = sun_direction(0.8, np.radians(elevation_deg))
            told = {"type": "sunsky", "sun_direction": sun.tolist(), "turbidity": turbidity, "albedo": 0.25}
            emitter, at = mi.load_dict({**told, "sun_scale": 0.0}), dr.zeros(mi.SurfaceInteraction3f, len(ways))
            at.wi = mi.Vector3f(*(-ways.T.astype(np.float32)))
            true = np.array(emitter.eval(at)).T
            off = sky_radiance(sun, turbidity, ways) / true - 1
            self.assertLess(float(np.sqrt((off**2).mean())), 0.03, (elevation_deg, turbidity))

    def test_an_overcast_sky_gives_walls_what_its_closed_form_says(self) -> None:
        """Of level ground's light a wall gets 3/14 + 4/(7π); the same from the radiance itself, and in a shot."""
        sun, wall = sun_direction(0.8, 0.7), np.array([0.6, -0.8, 0])
        level = overcast_irradiance(sun, 3.5, UP)
        np.testing.assert_allclose(overcast_irradiance(sun, 3.5, wall) / level, 3 / 14 + 4 / (7 * np.pi), rtol=2e-3)
        ways, solid = directions(256)
        radiance = overcast_radiance(sun, 3.5, ways)
        np.testing.assert_allclose(
            (radiance * (np.maximum(ways[..., 2], 0) * solid)[..., None]).sum((0, 1)), level, rtol=2e-3
        )
        self.assertAlmostEqual(float(radiance[0, 0, 0] / radiance[127, 0, 0]), 3, delta=0.05)
        half = Daylight(sun, 3.5, 0.0, cover=0.5)
        given = half.irradiance(UP)
        np.testing.assert_allclose(given[0], 0.5 * sun_irradiance(sun, 3.5, UP))
        np.testing.assert_allclose(given[1], 0.5 * sky_irradiance(sun, 3.5, UP) + 0.5 * level)


class Strengths(unittest.TestCase):
    def scene(self, rng: np.random.Generator, card: bool) -> tuple[Array, Array, Array, Array]:
        """How far white and the sky beside the sun are off, in logarithms, and what is stated of it, (3,) each."""
        white = np.exp(rng.normal(0, 0.12, 3) + rng.normal(0, 0.3))
        beside = np.exp(rng.normal(0, 0.35, 3))
        theta = white / (SUN + SKY * beside)
        opening = np.exp(rng.normal(-0.1, 0.25, 3))
        ground = 0.3 * np.exp(rng.normal(0, 0.25) + rng.normal(0, 0.15, 3))
        patches = []
        for number in range(6):
            lit = number < 3
            light = theta * SUN + theta * beside * SKY if lit else theta * beside * SKY * opening
            texture = np.exp(rng.normal(0, 0.05 if lit else 0.12) + rng.normal(0, 0.01, 3))
            given = np.stack([SUN if lit else np.zeros(3), SKY])
            patches.append(PatchIn(ground * light * texture, 0.0, "ground", lit, given))
        if card:
            patches.append(PatchIn(WHITE_PAINT * white * np.exp(rng.normal(0, 0.03)), 0.0, "card", True, DAY))
        told = solve_strengths(
            patches, LIGHTS, {"ground": np.full(3, 0.3)}, {"card": WHITE_PAINT} if card else {}, dimmed="sky"
        )
        return (
            np.log(told.white / white),
            told.white_sigma,
            np.log(told.lights["sky"].theta / told.lights["sun"].theta / beside),
            told.beside_sigma,
        )

    def test_stated_uncertainties_hold_over_random_scenes_and_a_card_tells_white(self) -> None:
        rng = np.random.default_rng(4)
        for card in (False, True):
            off_white, white_sigma, off_sky, sky_sigma = (
                np.array(part) for part in zip(*(self.scene(rng, card) for _ in range(45)), strict=True)
            )
            with self.subTest(card=card):
                self.assertGreater(float((np.abs(off_white) < 1.96 * white_sigma).mean()), 0.92)
                self.assertGreater(float((np.abs(off_sky) < 1.96 * sky_sigma).mean()), 0.9)
                if card:
                    self.assertLess(float(np.median(np.abs(off_white))), 0.05)

    def test_a_wrong_patch_is_told_and_moves_little(self) -> None:
        theta = 0.9 / (SUN + SKY)
        lit = [PatchIn(0.3 * theta * (SUN + SKY), 0.0, "ground", True, DAY) for _ in range(4)]
        shade = [PatchIn(0.3 * theta * SKY, 0.0, "ground", False, DAY * [[0], [1]]) for _ in range(2)]
        wrong = PatchIn(0.9 * theta * (SUN + SKY), 0.0, "ground", True, DAY)
        tones = {"ground": 0.3}
        clean = solve_strengths([*lit, *shade], LIGHTS, {}, tones, dimmed="sky")
        told = solve_strengths([*lit, *shade, wrong], LIGHTS, {}, tones, dimmed="sky")
        self.assertEqual(told.wrong, (False,) * 6 + (True,))
        self.assertGreater(told.residuals[-1], 0.5)
        np.testing.assert_allclose(told.white, clean.white, rtol=0.06)
        np.testing.assert_allclose(clean.white, 0.9, rtol=0.02)


if __name__ == "__main__":
    unittest.main()
