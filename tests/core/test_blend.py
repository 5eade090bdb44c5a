"""Blending: grain and sharpness measured on made-up pictures of known ones, and given; grades."""

from __future__ import annotations

import io
import unittest
from typing import Any

import cv2
import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter1d
from scipy.special import ndtr

from lithopos.core.blend.blend import Tones, grain_lacking, measured, softened, through_air
from lithopos.core.blend.grade import graded
from lithopos.core.blend.grain import Grain, grain_field, measured_grain
from lithopos.core.blend.lut import lut_text, read_lut, through
from lithopos.core.blend.sharpness import ACROSS, Sharpness, measured_sharpness, sharpening
from lithopos.core.colour import decode_srgb, encode_srgb, luminance
from lithopos.core.composite.scope import scope_of
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.layers import Window
from lithopos.core.render.render import render_shot
from lithopos.core.render.session import Session, sized
from lithopos.core.shot import Grade, Haze
from tests.core.rendering import SCALE, bench, photograph, sample, tracer


def clean(size: int = 640) -> Any:
    """Linear light (size, size, 3): smooth tones from dark to bright, a third of it textured."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:size, 0:size] / size
    light = 0.02 + 0.75 * x**2 + 0.05 * np.sin(7 * y) * x
    texture = sum(
        cv2.resize(rng.normal(size=(n, n)), (size, size), interpolation=cv2.INTER_CUBIC) / n**0.3
        for n in (40, 130, 400)
    )
    light = light * np.where(y < 0.33, 1 + 0.2 * texture, 1)
    return np.clip(light[..., None] * [1.05, 1.0, 0.9], 0.004, 0.9)


def noisy(light: Any, level: float, hangs: float = 0.0, jpeg: int | None = None) -> Any:
    """Codes with shot and read noise, `hangs` [px] of blur in it."""
    rng = np.random.default_rng(8)

    def draw() -> Any:
        field = rng.normal(size=light.shape)
        field = cv2.GaussianBlur(field, (0, 0), hangs) if hangs else field
        return field / field.std()

    shown = light + level * (draw() * np.sqrt(light / 9000) + draw() * 0.0009)
    codes = np.round(encode_srgb(shown) * 255).astype(np.uint8)
    if jpeg is None:
        return codes
    file = io.BytesIO()
    Image.fromarray(codes).save(file, "JPEG", quality=jpeg, subsampling=0)
    return np.asarray(Image.open(file))


def sharpened(values: Any, amount: float, mask_px: float) -> Any:
    """Encoded values or codes as a camera sharpens them."""
    whole = values.astype(np.float64)
    made = whole + amount * (whole - cv2.GaussianBlur(whole, (0, 0), mask_px))
    return np.round(np.clip(made, 0, 255)).astype(np.uint8) if values.dtype == np.uint8 else made


def deviation(codes: Any, light: Any, low: float, high: float) -> float:
    """Of green, in the smooth part, where it lies between two codes."""
    true = encode_srgb(light)[..., 1] * 255
    where = (true > low) & (true < high)
    where[: int(0.4 * len(where))] = False
    return float((codes[..., 1] - true)[where].std())


class GrainOfAPhotograph(unittest.TestCase):
    def test_its_deviation_by_brightness_and_how_it_hangs_together(self) -> None:
        light = clean()
        cases = [(level, 0.0, None) for level in (1, 2, 4, 7)]
        for level, hangs, jpeg in [*cases, (2, 0.7, None), (2, 0, 96), (4, 0, 92)]:
            codes = noisy(light, level, hangs, jpeg)
            found = measured_grain(codes)
            assert found
            for low in (70, 110, 150, 190):
                true = deviation(codes, light, low, low + 20)
                told = float(found.at(np.full((1, 1, 3), (low + 10) / 255, np.float32))[0, 0, 1]) * 255
                self.assertAlmostEqual(told / true, 1, delta=0.1, msg=f"{level} {hangs} {jpeg} {low}")
            rest = (codes[..., 1] - encode_srgb(light)[..., 1] * 255)[260:]
            beside = float((rest[:, 1:] * rest[:, :-1]).mean() / (rest**2).mean())
            self.assertAlmostEqual(float(found.hangs[1, 2, 3]), beside, delta=0.1)

    def test_a_small_picture_of_one_tone_tells_its_one_deviation(self) -> None:
        rng = np.random.default_rng(5)
        codes = np.round(128 + 3 * rng.normal(size=(200, 200, 3))).astype(np.uint8)
        found = measured_grain(codes)
        assert found
        self.assertAlmostEqual(float(found.at(np.full((1, 1, 3), 0.5, np.float32))[0, 0, 1]) * 255, 3, delta=0.4)

    def test_what_shows_nothing_flat_tells_none(self) -> None:
        self.assertIsNone(measured_grain(np.full((300, 300, 3), 255, np.uint8)))
        self.assertIsNone(measured_grain(np.zeros((20, 20, 3), np.uint8)))


class GrainGiven(unittest.TestCase):
    def setUp(self) -> None:
        found = measured_grain(noisy(clean(), 4, 0.6))
        assert found
        self.grain: Grain = found

    def test_the_field_has_its_deviation_and_correlation_wherever_a_window_begins(self) -> None:
        field = grain_field(self.grain, Window(0, 0, 400, 300), 5)
        np.testing.assert_allclose(field.std((0, 1)), 1, atol=0.03)
        self.assertAlmostEqual(
            float((field[:, 1:, 1] * field[:, :-1, 1]).mean()), float(self.grain.hangs[1, 2, 3]), delta=0.05
        )
        np.testing.assert_allclose(
            grain_field(self.grain, Window(130, 77, 230, 177), 5), field[77:177, 130:230], atol=1e-5
        )
        self.assertGreater(float(np.abs(grain_field(self.grain, Window(0, 0, 400, 300), 6) - field).mean()), 0.5)

    def test_what_is_rendered_gets_all_of_it_and_what_is_relit_what_it_lost(self) -> None:
        """A model's patch as noisy as the place beside it at the same tone; a shadowed one as a dark one would be."""
        shape = (200, 200, 3)
        for left, bright in ((0.0, 0.3), (0.4, 0.35)):
            light = np.full(shape, bright)
            rng = np.random.default_rng(1)
            base = encode_srgb(light) + self.grain.at(encode_srgb(light)) * rng.normal(size=shape)
            made = decode_srgb(base) * left if left else np.full(shape, bright)
            smooth = encode_srgb(light * (left or 1)).astype(np.float32)
            kept = np.full(shape, left, np.float32)
            everywhere, window = np.ones(shape[:2], bool), Window(0, 0, 200, 200)
            added = grain_lacking(self.grain, 1.0, base.astype(np.float32), smooth, kept, everywhere, window, 2)
            wanted = float(self.grain.at(smooth)[0, 0, 1])
            self.assertAlmostEqual(float((encode_srgb(made) + added)[..., 1].std()) / wanted, 1, delta=0.15)
            nowhere = grain_lacking(self.grain, 1.0, smooth, smooth, kept, ~everywhere, window, 2)
            self.assertFalse(nowhere.any())


class SharpnessOfAPhotograph(unittest.TestCase):
    @staticmethod
    def tilted(blur: float, red: float = 0.0, noise: float = 0.004) -> Any:
        """Codes of tilted squares over one another, 8 times finer, then seen through pixels; red drawn larger."""
        fine, size = 6, 420
        picture = np.full((size * fine, size * fine), 0.12, np.float32)
        rng = np.random.default_rng(2)
        for _ in range(26):
            middle, half = rng.uniform(40, size - 40, 2) * fine, rng.uniform(18, 55) * fine
            corners = cv2.boxPoints((tuple(middle), (2 * half, 2 * half), float(rng.uniform(5, 85))))
            cv2.fillConvexPoly(picture, corners.astype(np.int32), float(rng.uniform(0.05, 0.8)), lineType=cv2.LINE_AA)
        if blur:
            picture = cv2.GaussianBlur(picture, (0, 0), blur * fine)
        channels = []
        for by in (red, 0.0, 0.0):
            turn = np.array([[1 + by, 0, -by * size * fine / 2], [0, 1 + by, -by * size * fine / 2]])
            large = cv2.warpAffine(
                picture, turn, picture.shape, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
            )
            channels.append(cv2.resize(large, (size, size), interpolation=cv2.INTER_AREA))
        light = np.stack(channels, -1) + noise * rng.normal(size=(size, size, 3))
        return np.round(encode_srgb(light) * 255).astype(np.uint8)

    def test_edges_spread_as_far_as_they_were_blurred(self) -> None:
        for blur in (0.5, 0.9, 1.6):
            found = measured_sharpness(self.tilted(blur))
            assert found
            true = ACROSS * float(np.hypot(blur, 0.2887))
            self.assertAlmostEqual(found.across_px / true, 1, delta=0.15, msg=f"{blur}")
            self.assertEqual((found.red, found.blue), (0, 0))

    def test_sharpening_is_told_by_how_far_edges_overshoot(self) -> None:
        for blur, amount, mask_px in ((0.6, 1.0, 1.0), (0.9, 1.5, 1.5), (0.6, 0.8, 1.5)):
            found = measured_sharpness(sharpened(self.tilted(blur), amount, mask_px))
            assert found
            across = np.arange(-120, 121) / 10
            step = ndtr(across / np.hypot(blur, 0.2887))
            true = float((step + amount * (step - gaussian_filter1d(step, 10 * mask_px, mode="nearest"))).max()) - 1
            self.assertAlmostEqual(found.halo / true, 1, delta=0.25, msg=f"{blur} {amount} {mask_px}")
        plain = measured_sharpness(self.tilted(0.9))
        assert plain
        self.assertEqual((plain.sharpened, plain.halo), (0, 0))

    def test_a_model_and_its_shadow_are_sharpened_as_the_camera_would_have(self) -> None:
        rng = np.random.default_rng(5)
        place = cv2.GaussianBlur(rng.uniform(0.1, 0.9, (90, 120, 3)), (0, 0), 1.2)
        cover, shade = np.zeros((90, 120)), np.ones((90, 120))
        cover[30:60, 20:60], shade[50:70, 50:100] = 1, 0.35
        cover, shade = (cv2.GaussianBlur(one, (0, 0), 0.6)[..., None] for one in (cover, shade))
        model = cv2.GaussianBlur(rng.uniform(0.2, 0.8, (90, 120, 3)), (0, 0), 1.0)
        relit = encode_srgb(decode_srgb(place) * shade).astype(float)
        seen = relit * (1 - cover) + model * cover
        # The camera sees both places whole and sharpens what it sees; we have the empty one, sharpened.
        soft = Sharpness(0.6, 0.0, 0.0, 9, 0.9, 1.1)
        true, base = (sharpened(one, soft.sharpened, soft.mask_px) for one in (seen, place))
        lit = encode_srgb(decode_srgb(base) * shade).astype(float)
        made = lit * (1 - cover) + model * cover
        added = sharpening(soft, *(one.astype(np.float32) for one in (base, lit, lit, made, cover[..., 0])))
        reached = ((cover[..., 0] > 0) | (shade[..., 0] < 0.999)).astype(np.uint8)
        untouched = cv2.dilate(reached, np.ones((13, 13))) == 0
        self.assertLess(float(np.abs(added[untouched]).max()), 1e-6)
        before, after = (float(np.sqrt(np.mean((one - true)[~untouched] ** 2))) for one in (made, made + added))
        self.assertLess(after, 0.4 * before)

    def test_red_that_is_drawn_larger_is_told_and_given(self) -> None:
        found = measured_sharpness(self.tilted(0.7, red=0.0025))
        assert found
        self.assertAlmostEqual(found.red, 0.0025, delta=0.0006)
        self.assertEqual(found.blue, 0)
        row = np.zeros((60, 420, 3), np.float32)
        row[:, :400] = 1
        given = softened((1 - row, 0 * row, row, row[..., 0]), found, Window(0, 180, 420, 240), (420, 420))[2]
        ends = [float(np.interp(-0.5, -given[30, 380:, c], np.arange(380, 420))) for c in (0, 1)]
        self.assertAlmostEqual(ends[0] - ends[1], 190 * found.red, delta=0.1)

    def test_a_smaller_copy_is_as_sharp_as_its_own_pixels_let_it_be(self) -> None:
        codes = self.tilted(1.4)
        full, half = measured_sharpness(codes), measured_sharpness(sized(Picture(codes), 0.5).codes)
        assert full and half
        self.assertAlmostEqual(full.sized(0.5).across_px / half.across_px, 1, delta=0.12)

    def test_a_picture_without_edges_tells_none(self) -> None:
        self.assertIsNone(measured_sharpness(noisy(clean(300), 2)))

    def test_where_a_model_changes_nothing_it_goes_on_to_change_nothing(self) -> None:
        shadow, cover = np.ones((80, 90, 3), np.float32), np.zeros((80, 90), np.float32)
        shadow[30:50, 30:50], cover[40:60, 40:60] = 0.4, 1
        soft = Sharpness(1.3, 0.0, 0.0, 9)
        parts = (shadow, 0 * shadow, cover[..., None] * shadow, cover)
        given = softened(parts, soft, Window(0, 0, 90, 80), (90, 80))
        for made, there in ((given[0] != 1, (slice(22, 58),) * 2), (given[3] != 0, (slice(32, 68),) * 2)):
            self.assertTrue(made.any())
            made[there] = False
            self.assertFalse(made.any())


class Tone(unittest.TestCase):
    def test_each_control_does_what_its_name_says_and_zeros_do_nothing(self) -> None:
        light = np.random.default_rng(0).uniform(0.01, 0.45, (50, 3)).astype(np.float32)
        grey = np.full((1, 3), 0.2, np.float32)
        self.assertIs(graded(light, Grade()), light)
        np.testing.assert_allclose(graded(light, Grade(exposure_stops=1)), 2 * light, rtol=1e-5)
        warm = graded(grey, Grade(warmth=0.5))[0]
        self.assertAlmostEqual(float(np.log2(warm[0] / warm[2])), 0.5, places=4)
        self.assertAlmostEqual(float(luminance(warm)), 0.2, places=4)
        pink = graded(grey, Grade(tint=0.5))[0]
        self.assertAlmostEqual(float(np.log2(pink[0] / pink[1])), 0.5, places=4)
        flat = graded(light, Grade(saturation=0))
        np.testing.assert_allclose(flat, np.repeat(luminance(light)[:, None], 3, 1), rtol=1e-4)
        ramp = np.repeat(np.linspace(0, 1, 64, dtype=np.float32)[:, None], 3, 1)
        for contrast in (-0.7, 0.7):
            steep = encode_srgb(graded(decode_srgb(ramp), Grade(contrast=contrast)))[:, 0]
            self.assertTrue((np.diff(steep) >= 0).all())
            self.assertAlmostEqual(float(steep[-1]), 1, places=3)
            self.assertEqual(bool(steep[16] < ramp[16, 0]), contrast > 0)
        lifted = encode_srgb(graded(decode_srgb(ramp), Grade(lift=(0.2, 0, 0))))
        np.testing.assert_allclose(lifted[[0, -1]], np.array([[0.2, 0, 0], [1, 1, 1]]), atol=2e-3)

    def test_a_drawn_curve_goes_through_its_points_and_stays_monotone(self) -> None:
        points = [(0.25, 0.15), (0.5, 0.5), (0.8, 0.95)]
        ramp = np.linspace(0, 1, 101, dtype=np.float32)[:, None] * np.ones(3, np.float32)
        made = encode_srgb(graded(decode_srgb(ramp), Grade(curve=points)))[:, 0]
        for x, y in [*points, (0, 0), (1, 1)]:
            self.assertAlmostEqual(float(made[round(100 * x)]), y, delta=2e-4)
        self.assertTrue((np.diff(made) >= 0).all())
        with self.assertRaisesRegex(ValueError, "further right"):
            Grade(curve=[(0.5, 0.2), (0.5, 0.4)])

    def test_tables_of_colours_come_in_and_go_out(self) -> None:
        # Red and blue exchanged, by the eight corners of the cube with the red running fastest.
        corners = [(r, g, b) for b in (0, 1) for g in (0, 1) for r in (0, 1)]
        text = '# made by hand\nTITLE "x"\nLUT_3D_SIZE 2\n' + "".join(f"{b} {g} {r}\n" for r, g, b in corners)
        lut = read_lut(text.encode())
        values = np.random.default_rng(1).uniform(size=(40, 5, 3)).astype(np.float32)
        np.testing.assert_allclose(through(lut, values), values[..., ::-1], atol=1e-6)
        half = graded(decode_srgb(values), Grade(lut="x", lut_strength=0.5), {"x": lut})
        np.testing.assert_allclose(encode_srgb(half), (values + values[..., ::-1]) / 2, atol=1e-5)
        curve = read_lut(b"LUT_1D_SIZE 3\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n0 0 0\n0.5 1 0\n1 1 1\n")
        np.testing.assert_allclose(through(curve, np.array([[0.5, 0.5, 0.5]], np.float32)), [[0.25, 0.5, 0]], atol=1e-6)
        grade = Grade(exposure_stops=-0.4, warmth=0.3, saturation=0.8, curve=[(0.4, 0.35)])
        written = read_lut(lut_text(lambda e: encode_srgb(graded(decode_srgb(e), grade)), 'yard "1"'))
        values = 0.2 + 0.6 * values  # a table of 33 can’t follow what clips
        wanted = encode_srgb(graded(decode_srgb(values), grade))
        np.testing.assert_allclose(through(written, values), wanted, atol=2e-3)
        for data, words in (
            (b"v 0 0 0\n", "no line LUT_3D_SIZE"),
            (b"LUT_3D_SIZE 999\n", "a size that is not read"),
            (b"LUT_3D_SIZE 2\n0 0 0\n", "1 entries instead of 8"),
            (b"LUT_1D_SIZE 2\n0 0 0\n1 1 x\n", "not three numbers"),
            (b"LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\n0 0 0\n1 1 1\n", "has no width"),
        ):
            with self.assertRaisesRegex(InputError, words):
                read_lut(data)

    def test_tones_are_tallied_of_the_model_and_of_what_is_around_it(self) -> None:
        codes = np.full((200, 300, 3), (100, 120, 140), np.uint8)
        codes[80:120, 100:200] = np.linspace(20, 220, 100).astype(np.uint8)[None, :, None]
        cover = np.zeros((200, 300), np.float32)
        cover[80:120, 100:200] = 1
        scope = scope_of(codes, cover)
        assert scope.rendered and scope.around
        self.assertEqual([np.argmax(channel) for channel in scope.around.histogram], [25, 30, 35])  # of 64
        self.assertEqual(scope.around.middle, (100, 120, 140))
        wave = np.argmax(np.array(scope.rendered.waveform[0]), axis=-1)
        self.assertTrue((np.diff(wave) >= 0).all() and wave[0] < 8 and wave[-1] > 50)
        self.assertEqual(scope_of(codes, np.zeros_like(cover)).rendered, None)

    def test_the_photograph_keeps_its_codes_without_one_and_takes_the_grade_of_the_place(self) -> None:
        codes = np.random.default_rng(0).integers(0, 255, (20, 30, 3), np.uint8)
        self.assertIs(Tones().photograph(codes), codes)
        darker = Tones(place=Grade(exposure_stops=-1)).photograph(codes)
        np.testing.assert_allclose(decode_srgb(darker / 255), decode_srgb(codes / 255) / 2, atol=0.004)

    def test_haze_takes_half_at_its_distance(self) -> None:
        model = np.full((1, 2, 3), 0.2, np.float32)
        haze = Haze(half_m=100, colour=(0.6, 0.6, 0.8))
        seen = through_air(model, np.ones((1, 2), np.float32), np.array([[0.0, 100.0]], np.float32), haze)
        np.testing.assert_allclose(seen[0], [[0.2, 0.2, 0.2], [0.4, 0.4, 0.5]], atol=1e-5)

    def test_how_dark_a_photograph_gets_is_told(self) -> None:
        hazy = 0.05 + 0.95 * np.where(np.arange(300)[:, None, None] < 40, 0.0, clean(300))
        self.assertAlmostEqual(measured(noisy(hazy, 0.5), None).darkest, 0.05, delta=0.008)


class InARender(unittest.TestCase):
    def test_a_grade_of_the_model_leaves_the_place_and_the_blend_is_in_the_picture(self) -> None:
        session = Session(tracer=tracer())

        def made(**blend: Any) -> Any:
            shot = sample(blend={"grain": 0, **blend})
            told: dict[str, Any] = {"scale": SCALE, "samples": 8, "session": session, "photograph_key": "sample"}
            picture = list(render_shot(shot, photograph(), lambda _: bench(), **told))[-1].picture
            assert picture
            return picture.codes.astype(int)

        plain, dark = made(), made(model={"exposure_stops": -1})
        body = (dark != plain).all(-1)
        self.assertGreater(int(body.sum()), 300)
        only = cv2.dilate(body.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool)
        np.testing.assert_array_equal(dark[~only], plain[~only])
        grainy, soft = made(grain=3), made(softness_px=8)
        small = sized(photograph(), SCALE)
        inner = cv2.erode(body.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
        self.assertGreater(float((grainy - plain)[inner].std()), 1.0)
        touched = (plain != small.codes).any(-1).astype(np.uint8)
        untouched = ~cv2.dilate(touched, np.ones((9, 9), np.uint8)).astype(bool)
        np.testing.assert_array_equal(grainy[untouched], plain[untouched])
        edges = [float(np.abs(np.diff(one[..., 1], axis=1))[only[:, 1:]].max()) for one in (plain, soft)]
        self.assertLess(edges[1], 0.7 * edges[0])
