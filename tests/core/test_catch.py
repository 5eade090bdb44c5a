"""Putting traced layers into the photograph: what is kept, what changes, what is told from noise."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from proving.truth import score

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import decode_srgb
from lithopos.core.composite.borders import Sunlit, by_the_photograph, strip_px
from lithopos.core.composite.bump import bumped, relief
from lithopos.core.composite.catch import BRIGHTEST, catch, noise_of
from lithopos.core.composite.whites import whites_of
from lithopos.core.layers import Layers, Window
from lithopos.core.light.sun import sun_direction
from tests.core.rendering import together
from tests.support import TrueCamera

WIDE = 60
ONE = np.ones(3, np.float32)


def layers(ratio: Any = 1.0, cover: float = 0.0, samples: int = 4, noise: float = 0.0) -> Layers:
    """A place of light 1 with a model of light 0.3 covering part of each pixel."""
    shape = (40, WIDE, 2, 3)
    rng = np.random.default_rng(0)
    light = np.broadcast_to(np.asarray(ratio, np.float32).reshape(np.shape(ratio) + (1,) * (4 - np.ndim(ratio))), shape)
    light = light + noise * rng.normal(size=shape)
    seen = (light * (1 - cover) + 0.3 * cover).astype(np.float32)
    share = np.full(shape[:2], cover, np.float32)
    guide = np.repeat(share[..., None], 3, axis=2)
    sums = {"with": seen * samples, "without": np.full(shape, samples, np.float32)}
    if cover:
        sums |= {"coverage": share * 2 * samples, "albedo": guide * 2 * samples, "normal": guide * 2 * samples}
    return Layers(Window(0, 0, WIDE, 40), samples, sums)


def composed(codes: Any, traced: Layers, gain: Any = ONE) -> Any:
    return together(codes, catch(codes, traced, np.ones(codes.shape[:2], np.float32), gain, WIDE, "fast"))


def grey(code: int) -> Any:
    return np.full((40, WIDE, 3), code, np.uint8)


class Catching(unittest.TestCase):
    def test_no_influence_leaves_every_code(self) -> None:
        for kind in (np.uint8, np.uint16):
            codes = np.random.default_rng(1).integers(0, np.iinfo(kind).max, (40, WIDE, 3)).astype(kind)
            np.testing.assert_array_equal(composed(codes, layers()), codes)

    def test_half_the_light_is_half_the_linear_value(self) -> None:
        # Code 188 is half the light, code 137 a quarter.
        np.testing.assert_allclose(composed(grey(188), layers(0.5))[20, 30], 137, atol=1)

    def test_where_the_model_is_seen_it_has_its_own_radiance(self) -> None:
        gain = np.array([1.0, 2.0, 0.5], np.float32)
        # 0.3, 0.6 and 0.15 linear are codes 149, 203 and 108.
        np.testing.assert_allclose(composed(grey(90), layers(cover=1.0), gain)[20, 30], [149, 203, 108], atol=2)

    def test_towards_the_corners_it_is_dimmed_as_the_lens_dims_the_photograph(self) -> None:
        left = np.linspace(1.0, 0.5, WIDE, dtype=np.float32)[None, :, None] * np.ones((40, 1, 3), np.float32)
        made = decode_srgb(composed(grey(90), layers(cover=1.0), left)[20, :, 0] / np.float32(255))
        np.testing.assert_allclose(made[-4] / made[3], left[0, -4, 0] / left[0, 3, 0], rtol=0.04)

    def test_half_covered_pixels_mix_both_in_linear_light(self) -> None:
        # Half of 0.5 and half of 0.3 is 0.4: code 170.
        np.testing.assert_allclose(composed(grey(188), layers(cover=0.5))[20, 30], 170, atol=2)

    def test_what_takes_no_light_stays_as_photographed(self) -> None:
        half = layers(0.5)
        half.sums["withheld"] = np.zeros((40, WIDE), np.float32)
        half.sums["withheld"][:, 30:] = 2 * half.samples
        made = composed(grey(188), half)
        np.testing.assert_allclose(made[8:-8, 8:30], 137, atol=1)
        np.testing.assert_array_equal(made[:, 30:], 188)

    def test_a_stray_path_is_no_change_and_a_faint_real_one_is(self) -> None:
        stray = layers()
        stray.sums["with"][20, 30, 0] *= 9
        codes = grey(188)
        caught = catch(codes, stray, np.ones((40, WIDE), np.float32), ONE, WIDE, "fast")
        np.testing.assert_array_equal(together(codes, caught), codes)
        self.assertEqual(caught.cut, int(BRIGHTEST < 5))
        # 4 % less light is two codes and a half; per pixel the noise is as large.
        faint = composed(codes, layers(0.96, noise=0.04)).astype(int) - codes
        self.assertAlmostEqual(float(faint.mean()), -3.4, delta=0.6)
        # Half a code's worth moves nothing, however well it is known.
        np.testing.assert_array_equal(composed(codes, layers(0.995)), codes)

    def test_noise_alone_moves_next_to_nothing(self) -> None:
        made = composed(grey(188), layers(noise=0.05))
        self.assertLess(float((made != 188).mean()), 0.02)

    def test_coverage_of_an_open_lens_loses_its_noise_and_keeps_what_is_whole(self) -> None:
        """A wide outline from few samples: nearer to its true slope, and exactly none and all beside it."""
        true = np.clip((np.arange(WIDE) - 15) / 30, 0, 1)[None] * np.ones((40, 1))
        told = np.random.default_rng(2).binomial(16, true) / 16
        open_lens = layers(cover=0.5)
        for name, value in (("coverage", told), ("albedo", told[..., None]), ("normal", told[..., None])):
            open_lens.sums[name] = (value * 2 * open_lens.samples * np.ones_like(open_lens.sums[name])).astype(
                np.float32
            )
        light = np.broadcast_to((1 - told + 0.3 * told)[..., None, None], open_lens.sums["with"].shape)
        open_lens.sums["with"] = (light * open_lens.samples).astype(np.float32)
        fade = np.ones((40, WIDE), np.float32)
        raw, smooth = (catch(grey(188), open_lens, fade, ONE, WIDE, "high", opened=way) for way in (False, True))
        np.testing.assert_allclose(raw.cover, told, atol=1e-6)
        off = [float(np.sqrt(np.mean((one.cover - true)[5:-5, 18:42] ** 2))) for one in (raw, smooth)]
        self.assertLess(off[1], 0.5 * off[0])
        self.assertEqual((smooth.cover[:, :13].max(), smooth.cover[:, 48:].min()), (0, 1))
        # Light and coverage go together: the picture is as smooth as both.
        made = [together(grey(188), one).astype(float)[5:-5, 18:42, 1] for one in (raw, smooth)]
        slope = made[1].mean(0)
        self.assertLess(float((made[1] - slope).std()), 0.6 * float((made[0] - slope).std()))

    def test_noise_is_told_in_codes_of_what_is_shown(self) -> None:
        # Half of 0.5 linear is a quarter, where a code is 1 / 250.9 (the derivative of IEC 61966-2-1); both halves'
        # mean has 1/√2 of their noise.
        told = noise_of(grey(188), layers(0.5, noise=0.02), ONE)
        self.assertAlmostEqual(told, 0.02 / np.sqrt(2) * 0.5 * 1.055 / 2.4 * 0.25 ** (1 / 2.4 - 1) * 255, delta=0.05)
        self.assertEqual(noise_of(grey(188), layers(), ONE), 0)


class Uneven(unittest.TestCase):
    """A shadow's straight border on ground that is not quite even."""

    def setUp(self) -> None:
        true = TrueCamera(size=(480, 320), focal=500, heading=90, tilt=-30)
        self.camera = Pinhole(500.0, np.array(true.axis), true.rotation, true.centre, 480, 320, 0.0)
        self.sun = sun_direction(np.radians(180), np.radians(30))  # from the left: shadows fall to the right
        y, x = np.mgrid[:320, :480]
        self.ground = self.camera.ground_points(np.column_stack([x.ravel(), y.ravel()]) + 0.5).reshape(320, 480, 3)
        shaded = np.clip((self.ground[..., 0] - 0.1) / 0.004, 0, 1)  # its border lies at x = 0.1
        self.ratio = np.repeat(1 - 0.7 * shaded[..., None], 3, 2).astype(np.float32)

    def test_the_border_moves_by_the_height_and_the_suns_slope_and_not_beside_things(self) -> None:
        window, bare = Window(0, 0, 480, 320), np.ones((320, 480), bool)
        bare[250:, :] = False
        stripes = np.where(self.ground[..., 1] % 0.4 < 0.2, 0.02, -0.02).astype(np.float32)
        made = bumped(self.ratio, stripes, bare, window, self.camera, self.sun, 0.0)
        slope = 1 / np.tan(np.radians(30))
        for row in range(60, 240, 7):
            place = float(self.ground[row, 240, 1]) % 0.4
            if min(abs(place - edge) for edge in (0, 0.2, 0.4)) < 0.03:
                continue
            border = float(np.interp(-0.65, -made[row, :, 0], self.ground[row, :, 0]))
            # The ray through what lies higher meets the plane farther from the sun: there the shade begins sooner.
            self.assertAlmostEqual(border, 0.1 - slope * (0.02 if place < 0.2 else -0.02), delta=0.008)
        np.testing.assert_array_equal(made[252:], self.ratio[252:])
        even = bumped(self.ratio, 0 * stripes, bare, window, self.camera, self.sun, 0.0)
        np.testing.assert_allclose(even, self.ratio, atol=2e-3)

    def test_stones_lie_high_joints_low_and_smooth_ground_even(self) -> None:
        joint = np.mgrid[:200, :200][1] % 25 < 4
        codes = np.where(joint[..., None], 90, 150).astype(np.uint8).repeat(3, 2)
        told = relief(codes, 600)
        self.assertGreater(float(told[60:140, 60:140][~joint[60:140, 60:140]].mean()), 0.1)
        self.assertLess(float(told[60:140, 60:140][joint[60:140, 60:140]].mean()), -0.4)
        self.assertLess(float(np.abs(relief(np.full((200, 200, 3), 128, np.uint8), 600)).max()), 1e-3)


class Borders(unittest.TestCase):
    """Paving with joints, light 1 from elsewhere and 3 from the sun; from row 40 on a model takes the sun away."""

    WIDTH = 640
    LEFT = 60  # of it, shadow lies in the photograph up to here

    def setUp(self) -> None:
        rng = np.random.default_rng(5)
        stone = 0.15 * np.exp(rng.normal(scale=0.12, size=(90, 120))).astype(np.float32)
        stone[:, ::17] *= 0.5
        self.stone = np.repeat(stone[..., None], 3, axis=2)
        self.taken = np.where(np.arange(90) >= 40, 0, 1)[:, None]

    def light(self, upto: float) -> tuple[Any, Any]:
        """The light without and with the model where shadow lies up to a column."""
        lit = np.clip(np.arange(120) - upto + 0.5, 0, 1)[None]
        bare, shaded = (
            np.repeat((1 + 3 * share)[..., None], 3, 2) for share in (lit + 0 * self.taken, lit * self.taken)
        )
        return bare, shaded

    def put_right(self, off: float, contrast: bool = True) -> tuple[Any, Any, Any]:
        """The ratio as predicted, put right, and in truth, for a border that is predicted so far off [px]."""
        bare, shaded = self.light(self.LEFT)
        told, told_shaded = self.light(self.LEFT + off)
        share = np.clip(np.arange(120) - self.LEFT - off + 0.5, 0, 1)[None].repeat(90, 0)
        sunlit = Sunlit(share.astype(np.float32), np.ones((90, 120), np.int32))
        predicted = (told_shaded / told).astype(np.float32)
        base = np.asarray(self.stone * (bare if contrast else 1) / 2, np.float32)
        made = by_the_photograph(predicted, sunlit, np.ones((90, 120), bool), base, self.WIDTH)
        return predicted, made, shaded / bare

    def test_a_border_that_is_off_is_where_the_photograph_has_it(self) -> None:
        self.assertEqual(strip_px(self.WIDTH), 5)
        for off in (-3.5, -1.0, -0.4, 2.0, 4.0):
            with self.subTest(off=off):
                predicted, made, true = self.put_right(off)
                far = np.abs(np.arange(120) - self.LEFT) > 9
                np.testing.assert_array_equal(made[:, far], predicted[:, far])
                errors = [float(np.abs(values - true)[50:].mean()) for values in (predicted, made)]
                self.assertLess(errors[1], max(0.35 * errors[0], 1e-3))
                self.assertLess(np.abs(made - 1)[:36].max(), 1e-3)  # where no model's shadow falls

    def test_where_the_photograph_shows_no_border_the_prediction_stays(self) -> None:
        predicted, made, _ = self.put_right(2.0, contrast=False)
        np.testing.assert_array_equal(made, predicted)


class Truth(unittest.TestCase):
    def test_composites_from_noisy_marks_against_the_pictures_with_the_model_there(self) -> None:
        for name in ("cloister-yard", "sea-terrace"):
            with self.subTest(name):
                told, _ = score(name, samples=8)
                self.assertGreater(told.composite_db, told.bare_db + 8, told)
                self.assertLess(told.model_delta_e, 8, told)
                # With so few samples a handful of blue codes may move by one where the truth moves by a third.
                self.assertLess(told.untouched_differ, 100)


class TwoWhites(unittest.TestCase):
    """Patches painted by hand: coloured, glinting, clipped and in the sky are no whites."""

    def picture(self) -> tuple[Any, Any, Any]:
        codes = np.full((400, 640, 3), 90, np.uint8)
        codes[:100] = 245  # an even bright sky
        codes[150:200, 50:100] = (215, 212, 205)  # a white wall
        codes[150:200, 200:250] = (250, 120, 120)
        codes[250:300, 50:100] = 255
        codes[260, 300] = 248  # a glint
        codes[300:350, 400:450] = (198, 200, 204)  # what was placed
        cover = np.zeros((400, 640), np.float32)
        cover[290:360, 390:460] = 1
        below = np.zeros((400, 640), bool)
        below[120:] = True
        return codes, cover, below

    def test_the_lightest_neutral_patches_are_found_and_compared(self) -> None:
        codes, cover, below = self.picture()
        whites = whites_of(codes, cover, below)
        assert whites.rendered and whites.photographed and whites.delta_e
        for white, (x, y) in ((whites.rendered, (425, 325)), (whites.photographed, (75, 175))):
            self.assertLess(abs(white.at[0] * 640 - x), 26)
            self.assertLess(abs(white.at[1] * 400 - y), 26)
        # L* of a code by the definition of CIE 1976 for a neutral.
        self.assertAlmostEqual(whites.rendered.lab[0], 80.3, delta=0.3)
        self.assertLess(whites.rendered.lab[2], 0)
        self.assertGreater(whites.photographed.lab[2], 0)
        self.assertGreater(whites.delta_e, 3)

    def test_where_nothing_neutral_is_there_is_no_white(self) -> None:
        codes, cover, below = self.picture()
        codes[300:350, 400:450] = (250, 120, 120)
        codes[290:360, 390:460] = (250, 120, 120)
        whites = whites_of(codes, cover, below)
        self.assertIsNone(whites.rendered)
        self.assertIsNone(whites.delta_e)


if __name__ == "__main__":
    unittest.main()
