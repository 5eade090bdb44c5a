"""Reflectance picked from a picture that is painted by the tests' own rule of light."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from pydantic import ValidationError

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.about import about_of, sides_seen
from lithopos.core.place.balance import balance_of, balance_of_ground, place_of, proposed_patches, read_patches
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.reflectance import PickedReflectance, ReflectanceQuestion, picked_reflectance
from lithopos.core.place.solids import ProxyAnswer
from lithopos.core.shot import LightPatch, Proxy
from tests.support import TrueCamera

GROUND = 0.3
SUN = np.array([0.5, -0.5, 0.7071])
SHADE = np.array([0.18, 0.26, 0.4])  # of the light, by channel
DOOR = np.array([0.5, 0.2, 0.1])
CARD = 0.18
WHITE = np.array([0.62, 0.55, 0.49])  # white, level and lit: an exposure and a balance that nothing but a tone tells
WALL = [(-3.0, 9.0, 0.0), (3.0, 9.0, 0.0), (3.0, 9.0, 3.0), (-3.0, 9.0, 3.0)]  # across the view, towards the camera


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
        self.day = Daylight(self.sun, 3.5, GROUND)
        self.picture = self.painted(np.full(3, GROUND))

    def painted(self, ground: Any) -> Picture:
        light = np.where(np.arange(960)[None, :, None] < 480, 1.0, SHADE) * WHITE
        picture = np.broadcast_to(ground * light, (640, 960, 3)).copy()
        picture[:29] = SHADE * WHITE  # the sky, as bright as it lights the ground
        rng = np.random.default_rng(1)
        picture *= 1 + 0.03 * rng.normal(size=picture.shape)
        picture[580:620, 200:240] = CARD * light[:, 200:240]
        picture[500:540, 200:240] = DOOR * light[:, 200:240]
        picture[500:540, 700:740] = DOOR * light[:, 700:740]
        # A wall along run A that looks at the camera (towards -y): sun, half a sky, and the ground's bounce.
        wall = (1 - SHADE) * max(float(self.sun @ [0, -1, 0]), 0) / self.sun[2] + SHADE * 0.5 + 0.5 * GROUND
        picture[300:340, 300:340] = DOOR * wall * WHITE
        return Picture(encoded(picture).astype(np.uint8))

    def drawn(self, *walls: Any) -> tuple[int, int]:
        """Walls stand about, as drawn; where the photograph shows the first, below its middle."""
        drawn = {"kind": "wall", "points": [(0, 0), (1, 1)], "height_m": 3.0}
        told = [Proxy.model_validate({"id": f"w{n}", **drawn}) for n in range(len(walls))]
        answers = [ProxyAnswer(id=f"w{n}", faces=[wall]) for n, wall in enumerate(walls)]
        self.day = replace(
            self.day, about=about_of(told, answers, self.sun, None, self.day.sky_towards, self.day.light_on)
        )
        x, y = (int(value) for value in self.camera.project(np.array([[0.2, 9.0, 1.4]]))[0])
        return x, y

    def patches(self) -> list[LightPatch]:
        """The ground in sun and in shade, and a grey card in the sun."""
        spots: list[dict[str, Any]] = [
            {"at": (120, 420)},
            {"at": (400, 500)},
            {"at": (800, 500)},
            {"at": (620, 600)},
            {"at": (220, 600), "material": "card", "tone": CARD},
        ]
        marked = [LightPatch.model_validate({"id": f"p{n}", "radius_px": 10, **spot}) for n, spot in enumerate(spots)]
        return read_patches(marked, self.picture, 960)

    def pick(self, x: float, y: float, **more: Any) -> PickedReflectance:
        question = ReflectanceQuestion.model_validate({"at": (x, y), "radius_px": 8, **more})
        balance = balance_of(self.patches(), self.camera, self.day)
        return picked_reflectance(question, self.picture, self.camera, self.day, balance)

    def test_patches_give_white_and_what_is_left_in_the_shade_by_channel(self) -> None:
        told = balance_of(self.patches(), self.camera, self.day)
        np.testing.assert_allclose(told.white, WHITE, rtol=0.05)
        self.assertEqual([patch.in_sun for patch in told.patches], [True, True, False, False, True])
        sun, sky = self.day.irradiance(np.array([0.0, 0, 1]))
        np.testing.assert_allclose(told.sky * sky / (sun + told.sky * sky), SHADE, rtol=0.12)
        np.testing.assert_allclose(told.reflectances["ground"], GROUND, rtol=0.05)
        self.assertTrue(told.sky_measured)

    def test_without_a_known_tone_the_level_is_said_to_be_less_certain(self) -> None:
        known = balance_of(self.patches(), self.camera, self.day)
        ground = balance_of(self.patches()[:4], self.camera, self.day)
        self.assertGreater(np.mean(ground.white_sigma), 3 * np.mean(known.white_sigma))
        self.assertIn("usual", ground.white_from)
        off = np.abs(np.log(np.array(ground.white) / WHITE)) / ground.white_sigma
        self.assertLess(off.max(), 2.5)

    def test_a_patch_of_another_material_is_told_and_moves_little(self) -> None:
        wrong = LightPatch(id="w", at=(220, 520), radius_px=10, light="sun")
        told = balance_of(read_patches([*self.patches(), wrong], self.picture, 960), self.camera, self.day)
        self.assertEqual([patch.wrong for patch in told.patches], [False] * 5 + [True])
        np.testing.assert_allclose(told.white, WHITE, rtol=0.12)

    def test_what_can_t_be_used_is_left_out_with_its_reason(self) -> None:
        self.picture.codes[410:430, 110:130] = 255
        told = balance_of(self.patches(), self.camera, self.day)
        self.assertIn("clipped", told.patches[0].reason or "")
        self.assertIsNone(told.patches[0].residual)
        np.testing.assert_allclose(told.white, WHITE, rtol=0.05)

    def test_without_a_sun_and_without_a_patch_what_is_known_stays(self) -> None:
        even = balance_of([], self.camera, Daylight(None, 3.5, GROUND))
        np.testing.assert_allclose(even.white, 1.0, rtol=0.05)  # an exposure for white, its balance neutral
        np.testing.assert_array_equal(even.sky, 1.0)
        clear = balance_of([], self.camera, self.day)
        self.assertFalse(clear.sky_measured)

    def test_the_ground_itself_tells_where_nothing_is_marked(self) -> None:
        from lithopos.core.colour import decode_srgb

        codes = self.picture.encoded
        told = balance_of_ground(codes, decode_srgb(codes), self.camera, 0.0, self.day)
        proposed = proposed_patches(self.picture, self.camera, self.day)
        self.assertEqual({patch.light for patch in proposed}, {"sun", "shade"})
        for patch in proposed:
            self.assertEqual(patch.light == "sun", patch.at[0] < 480)
            self.assertTrue(15 < patch.at[0] < 945 and patch.at[1] < 628, "not at the picture's border")
        further = proposed_patches(self.picture, self.camera, self.day, proposed)
        for patch in further:
            self.assertTrue(all(np.hypot(*np.subtract(patch.at, other.at)) > 70 for other in proposed))
        marked = balance_of(proposed, self.camera, self.day)
        sun, sky = self.day.irradiance(np.array([0.0, 0, 1]))
        for balance in (told, marked):
            np.testing.assert_allclose(balance.sky * sky / (sun + balance.sky * sky), SHADE, rtol=0.15)

    def test_the_same_colour_comes_out_in_sun_and_shade_and_on_a_wall(self) -> None:
        for x, y, more, lit, off in (
            (220, 520, {}, True, 0.05),
            (720, 520, {"in_sun": False}, False, 0.12),
            (320, 320, {"facing": "along run A"}, True, 0.15),  # a clear sky is brighter about the sun than an even one
        ):
            with self.subTest(at=(x, y)):
                told = self.pick(x, y, **more)
                np.testing.assert_allclose(told.colour, DOOR, rtol=off)
                self.assertEqual(told.in_sun, lit)

    def test_a_wall_s_light_is_less_certain_where_nothing_is_drawn_about_it(self) -> None:
        """In a yard that isn't drawn, its share of sky is not the open land's: 13 to 28 % off in made-up ones."""
        level, wall = self.pick(220, 520), self.pick(320, 320, facing="along run A")
        self.assertGreater(wall.sigma, level.sigma + 0.1)
        self.assertTrue(any("draw what stands about it" in note for note in wall.notes))

    def test_a_wall_s_light_is_that_of_what_the_photograph_shows_around(self) -> None:
        """With something bright all round, the same pixels are of something darker; but not on level ground."""
        spots: list[tuple[float, float, dict[str, Any]]] = [(220, 520, {}), (320, 320, {"facing": "along run A"})]
        before = [self.pick(x, y, **more).colour for x, y, more in spots]
        self.picture.codes[40:290] = 230
        after = [self.pick(x, y, **more).colour for x, y, more in spots]
        np.testing.assert_allclose(after[0], before[0], rtol=0.02)
        self.assertTrue((np.array(after[1]) < 0.9 * np.array(before[1])).all(), (before, after))

    def test_what_lies_in_shade_is_less_certain(self) -> None:
        self.assertGreater(self.pick(720, 520, in_sun=False).sigma, 2 * self.pick(220, 520).sigma)

    def test_the_ground_beside_it_tells_a_shade_of_which_nobody_knows_how_open_it_is(self) -> None:
        # Under a roof: a quarter of the sky's light, and redder.
        dim = SHADE * [0.33, 0.25, 0.18] * WHITE
        under = self.picture.codes[300:420, 720:900]
        under[:] = encoded(GROUND * dim)
        under[30:70, 30:70] = encoded(DOOR * dim)
        alone = self.pick(770, 350, in_sun=False)
        beside = self.pick(770, 350, beside=(850, 380))
        np.testing.assert_allclose(beside.colour, DOOR, rtol=0.08)
        self.assertFalse(beside.in_sun)
        self.assertGreater(float(np.abs(np.log(np.array(alone.colour) / DOOR)).max()), 1.0)
        self.assertLess(beside.sigma, alone.sigma / 3)
        self.assertTrue(self.pick(220, 520, beside=(260, 520)).in_sun)
        for at, cause in (((480.0, 10.0), "no ground"), ((9999.0, 600.0), "outside")):
            with self.assertRaisesRegex(InputError, f"beside.*{cause}"):
                self.pick(770, 350, beside=at)

    def test_stuff_that_is_elsewhere_too_tells_a_shade_without_known_ground(self) -> None:
        # Under a roof on a floor of its own: red tiles, which also lie out in the sun.
        dim, tiles = SHADE * [0.33, 0.25, 0.18] * WHITE, np.array([0.35, 0.12, 0.07])
        under = self.picture.codes[300:420, 720:900]
        under[:] = encoded(tiles * dim)
        under[30:70, 30:70] = encoded(DOOR * dim)
        self.picture.codes[560:600, 300:340] = encoded(tiles * WHITE)
        told = self.pick(770, 350, beside=(850, 380), like=(320, 580))
        np.testing.assert_allclose(told.colour, DOOR, rtol=0.08)
        self.assertFalse(told.in_sun)
        self.assertLess(told.sigma, 0.25)
        with self.assertRaisesRegex(ValidationError, "like: needs a spot"):
            self.pick(770, 350, like=(320, 580))
        with self.assertRaisesRegex(InputError, "like.*outside"):
            self.pick(770, 350, beside=(850, 380), like=(9999.0, 580.0))

    def test_what_a_clipped_wall_throws_is_taken_for_more_and_less_surely(self) -> None:
        wall = [(0.0, 6.0, 0.0), (8.0, 6.0, 0.0), (8.0, 6.0, 4.0), (0.0, 6.0, 4.0)]
        answer = ProxyAnswer(id="w", faces=[wall])
        linear = np.full((640, 960, 3), 0.5, np.float32)
        told = {}
        for name, red in (("dull", 0.5), ("clipped", 1.0)):
            linear[..., 0] = red
            seen = sides_seen([answer], linear, self.camera)["w"]
            drawn = {"id": "w", "kind": "wall", "points": [(0, 0), (1, 1)], "height_m": 4.0}
            proxy = Proxy.model_validate({**drawn, "seen": seen.colours, "clipped": seen.clipped})
            about = about_of([proxy], [answer], self.sun, None, self.day.sky_towards, self.day.light_on)
            day = replace(self.day, about=about, at=np.array([4.0, 4.0, 0.0]))
            (told[name],) = (light.known for light in day.lights() if light.name == "about" and light.known)
        self.assertAlmostEqual(told["dull"].mean, -np.log(np.pi))
        self.assertGreater(told["clipped"].mean, told["dull"].mean)
        self.assertGreater(told["clipped"].tint[0], told["clipped"].tint[2])
        self.assertGreater(told["clipped"].sigma, 2 * told["dull"].sigma)

    def test_on_what_is_drawn_the_likelier_of_two_reflectances_tells_sun_from_shade(self) -> None:
        x, y = self.drawn(WALL)
        judged = set()
        for shown in np.geomspace(0.05, 0.4, 8):
            self.picture.codes[y - 9 : y + 10, x - 9 : x + 10] = encoded(shown * WHITE)
            lit, dark, found = (self.pick(x, y, in_sun=said) for said in (True, False, None))
            off = [abs(np.log(np.mean(one.colour) / GROUND)) for one in (lit, dark)]
            if abs(off[0] - off[1]) > 0.15 and max(dark.colour) < 0.9:
                self.assertEqual(found.in_sun, off[0] < off[1], shown)
                judged.add(found.in_sun)
        self.assertEqual(judged, {True, False})
        # What is not drawn itself is as unsure as where nothing is.
        undrawn, wall_there = (self.pick(*at, facing="along run A", in_sun=False) for at in ((320, 320), (x, y)))
        self.assertGreater(undrawn.sigma, 0.55)
        self.assertLess(wall_there.sigma, 0.4)
        self.assertTrue(any("How much sky" in note for note in undrawn.notes))

    def test_what_the_ground_throws_has_its_colour(self) -> None:
        shown, tiles, light = DOOR * SHADE * WHITE, np.array([0.5, 0.25, 0.1]), []
        for ground in (np.full(3, GROUND), tiles):
            self.picture = self.painted(ground)
            x, y = self.drawn(WALL)
            self.picture.codes[y - 9 : y + 10, x - 9 : x + 10] = encoded(shown)
            light.append(shown / self.pick(x, y, in_sun=False).colour)
        # Lit ground fills half of what a wall sees.
        np.testing.assert_allclose((light[1] - light[0]) / WHITE, (tiles - GROUND) / 2, atol=0.02)

    def test_walls_throw_what_the_photograph_shows_of_them_whatever_the_ground_asks_of_them(self) -> None:
        x, y = self.drawn(WALL, [(1.5, 6.0, 0.0), (1.5, 9.0, 0.0), (1.5, 9.0, 3.0), (1.5, 6.0, 3.0)])
        balance = balance_of(self.patches(), self.camera, self.day)
        brighter = [
            one.model_copy(update={"strength": tuple(2 * v for v in one.strength)}) if one.kind == "about" else one
            for one in balance.lights
        ]
        at = self.camera.project(np.array([[1.2, 8.5, 0.0]]))[0]
        told = []
        for lights in (balance.lights, brighter):
            asked = balance.model_copy(update={"lights": lights})
            spots = {"wall": (x, y), "ground": tuple(at)}
            questions = {name: ReflectanceQuestion(at=spot, in_sun=name == "ground") for name, spot in spots.items()}
            told.append(
                {
                    name: picked_reflectance(question, self.picture, self.camera, self.day, asked)
                    for name, question in questions.items()
                }
            )
        np.testing.assert_allclose(told[1]["wall"].colour, told[0]["wall"].colour, rtol=1e-6)
        self.assertLess(told[1]["ground"].colour[0], 0.99 * told[0]["ground"].colour[0])

    def test_what_is_said_to_face_otherwise_than_what_is_drawn_there_stands_before_it(self) -> None:
        at = self.drawn(WALL)
        said = (("level", False), ("along run A", False), ("towards the camera", False), ("along run B", True))
        for facing, turned in said:
            place, normal = place_of(at, facing, self.camera, self.day)  # type: ignore[arg-type]
            assert place is not None
            np.testing.assert_allclose(np.abs(normal), [1, 0, 0] if turned else [0, 1, 0], atol=1e-9)
            self.assertAlmostEqual(place[1], 8.98 if turned else 9.0)

    def test_outside_and_clipped_are_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "outside"):
            self.pick(2000, 10)
        self.picture.codes[500:540, 200:240] = 255
        with self.assertRaisesRegex(InputError, "clipped"):
            self.pick(220, 520)


if __name__ == "__main__":
    unittest.main()
