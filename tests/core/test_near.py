"""Lights that stand in the place: closed forms against the renderer and tables, and their strengths from patches."""

from __future__ import annotations

import io
import unittest
from dataclasses import replace

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import InputError
from lithopos.core.layers import Window
from lithopos.core.light.blackbody import chromaticity, glow
from lithopos.core.light.dome import directions
from lithopos.core.light.near import Ball, Beam, Near, Shaft, Sheet, near_irradiance
from lithopos.core.light.patches import PatchSeen
from lithopos.core.light.photometry import intensity_of, lumen_of, read_photometry, spot_intensity
from lithopos.core.place.balance import balance_of
from lithopos.core.place.daylight import Daylight
from lithopos.core.place.gleaming import balance_beside_gleam
from lithopos.core.place.mirrored import mirrored_at
from lithopos.core.place.near_lights import UNIT, SunIn, lamp_light, near_lights
from lithopos.core.place.receiver import Patch, Receiver, Sheen
from lithopos.core.place.surroundings import room_around, surroundings_of
from lithopos.core.render.influence import influence_of
from lithopos.core.render.scene import KnownPlace, Scene, build_scene
from lithopos.core.render.session import sized
from lithopos.core.shot import Lamp, LightPatch, LitWindow, Shot, load_shot
from tests.core.rendering import SCALE, box, photograph, sample, tracer

UP = np.array([0.0, 0, 1])
# A lamp with two maxima square to one another, as a maker of lamps would write it.
IES = """IESNA:LM-63-2002
[TEST] written by hand
[MANUFAC] nobody
TILT=NONE
1 1000 2 5 3 1 2 0.1 0.1 0
1.0 1.0 20
0 22.5 45 67.5 90
0 45 90
100 90 60 20 0
100 80 50 10 0
100 70 30 5 0
"""


def window(wide: float = 1.2, high: float = 1.4, x: float = -2.0, sill: float = 0.9) -> Array:
    """The corners of a window in a wall at x that looks along +x."""
    return np.array(
        [[x, -wide / 2, sill + high], [x, wide / 2, sill + high], [x, wide / 2, sill], [x, -wide / 2, sill]]
    )


def looking(position: tuple[float, float, float], target: tuple[float, float, float]) -> Pinhole:
    """A camera of 640 by 480 pixels that looks at something."""
    stood = np.array(position)
    forward = (np.array(target) - stood) / np.linalg.norm(np.array(target) - stood)
    right = np.cross(forward, UP) / np.linalg.norm(np.cross(forward, UP))
    rotation = np.stack([right, np.cross(forward, right), forward])
    return Pinhole(420.0, np.array([320.0, 240.0]), rotation, stood, 640, 480)


class ClosedForms(unittest.TestCase):
    def test_a_disc_s_and_a_half_space_s_known_values(self) -> None:
        """A sheet that fills the sky gives π; a far one cos cos A / d²; what lies below the horizon gives nothing."""
        huge = Sheet(np.array([[-1e4, 1e4, 1], [-1e4, -1e4, 1], [1e4, -1e4, 1], [1e4, 1e4, 1]]), np.ones(3, np.float32))
        self.assertAlmostEqual(near_irradiance(huge, np.zeros(3), UP)[0], np.pi, delta=1e-3)
        self.assertEqual(near_irradiance(huge, np.array([0, 0, 2.0]), UP)[0], 0.0)  # behind it
        far = Sheet(window(0.2, 0.2, -10.0, 0.0), np.ones(3, np.float32))
        facing = near_irradiance(far, np.zeros(3), np.array([-1.0, 0, 0]))[0]
        self.assertAlmostEqual(facing, 0.04 / 100, delta=4e-6)
        halved = Sheet(window(2.0, 3.0, -2.0, -1.5), np.ones(3, np.float32))
        upper = Sheet(window(2.0, 1.5, -2.0, 0.0), np.ones(3, np.float32))
        given = [near_irradiance(one, np.zeros(3), UP) for one in (halved, upper)]
        np.testing.assert_allclose(given[0], given[1], rtol=1e-6)

    def test_every_kind_gives_what_the_renderer_traces(self) -> None:
        rng = np.random.default_rng(3)
        shown = np.asarray(rng.uniform(0.5, 4.0, (16, 16, 3)), np.float32)
        table = np.asarray(intensity_of(read_photometry(IES.encode()))[..., None] * [1.0, 0.8, 0.6], np.float32)
        axes = np.array([[0.0, 1, 0], [-0.8, 0, -0.6], [-0.6, 0, 0.8]]) * [[1], [1], [-1]]
        axes[1] = np.cross(axes[2], axes[0])
        lights: list[Near] = [
            Sheet(window(), shown),
            Ball(np.array([0.4, 0.2, 1.7]), 0.15, np.array([30, 20, 10], np.float32)),
            Beam(np.array([0.3, -0.4, 2.0]), 0.04, axes, table),
            Beam(
                np.array([0, 0, 2.5]),
                0.02,
                np.diag([1.0, -1, -1]),
                spot_intensity(50)[..., None] * np.ones(3, np.float32),
            ),
        ]
        for light in lights:
            with self.subTest(light=type(light).__name__):
                self.assertLess(self.apart(light), 0.03)

    def test_the_sun_comes_in_by_openings_alone(self) -> None:
        """On the floor lies a window's image along the sun's way; at its border the sun is half seen."""
        sun = np.array([-0.6, 0.0, 0.8])
        light = Shaft(sun, 0.53, np.stack([window(), window() + [0, 3, 0]]), np.array([5, 4, 3], np.float32))
        # From sill and lintel of x = -2 the way goes on by 0.75 m for each metre of height.
        near, far = -2 + 0.75 * 0.9, -2 + 0.75 * 2.3
        inside = np.array([[near + 0.05, 0.0, 0], [far - 0.05, -0.55, 0], [far - 0.5, 3.2, 0]])
        outside = np.array([[near - 0.05, 0.0, 0], [far + 0.05, 0, 0], [far - 0.5, 0.65, 0], [far - 0.5, 1.5, 0]])
        for at in inside:
            np.testing.assert_allclose(near_irradiance(light, at, UP), 0.8 * light.irradiance, rtol=1e-6)
        for at in outside:
            self.assertEqual(near_irradiance(light, at, UP).sum(), 0.0)
        made, _ = self.made(light, np.concatenate([inside, outside]))
        lit = np.tile(0.8 * 0.5 / np.pi * light.irradiance, (3, 1))
        np.testing.assert_allclose(made, np.concatenate([lit, np.zeros((4, 3))]), rtol=0.01, atol=1e-6)
        # The sun's image is 9 mm wide for each metre of way: half of it comes by past the lintel.
        border, _ = self.made(replace(light, width_deg=8.0), np.array([[far, 0.0, 0]]))
        np.testing.assert_allclose(border[0] / lit[0], 0.5, atol=0.06)

    def apart(self, light: Near) -> float:
        """The largest relative difference to the light on a grey plane, at five places."""
        places = np.array([[0.0, 0, 0], [0.5, 0.3, 0], [-0.6, 0.2, 0], [0.2, -0.5, 0], [-0.4, -0.3, 0]])
        made, seen = self.made(light, places)
        true = np.stack([0.5 / np.pi * near_irradiance(light, at, UP) for at in seen])
        return float(np.abs(made / true - 1).max())

    def made(self, light: Near, places: Array) -> tuple[Array, Array]:
        """The radiance (N, 3) of a grey plane that the renderer makes about places, and where it looked, (N, 3)."""
        camera = looking((0.0, -3.0, 3.9), (0.0, 0.0, 0.0))
        corners = np.array([[-9.0, -9, 0], [9, -9, 0], [9, 9, 0], [-9, 9, 0]])
        plane = Patch(corners, np.zeros((4, 2)), np.array([[0, 1, 2], [0, 2, 3]]), np.full(3, 0.5, np.float32))
        ground = Receiver("ground", (plane,), Sheen(0.0, 1.0))
        engine = tracer()
        engine.show(Scene(camera, (ground,), (), (light,), np.ones(3, np.float32)))
        pixels = np.floor(camera.project(places)).astype(np.int32)
        seen = camera.ground_points(pixels + 0.5)
        return engine.radiance("without", pixels, 0, 4096, 1).sum(1) / 8192, seen


class Measures(unittest.TestCase):
    def test_the_colour_of_a_glowing_body(self) -> None:
        """Illuminant A, and two more of the published locus (CIE 15:2004)."""
        for temperature, x, y in ((2855.5, 0.4476, 0.4074), (4000.0, 0.3805, 0.3768), (6500.0, 0.3135, 0.3237)):
            np.testing.assert_allclose(chromaticity(temperature), (x, y), atol=3e-3)
        warm, cold = glow(2700), glow(9000)
        self.assertGreater(warm[0], 2 * warm[2])
        self.assertGreater(cold[2], cold[0])
        self.assertAlmostEqual(float(warm @ [0.2126, 0.7152, 0.0722]), 1.0, delta=2e-3)

    def test_lamps_give_the_lumen_that_are_stated(self) -> None:
        """All that passes a sphere about the lamp, by its closed form, is its luminous flux."""
        rng = np.random.default_rng(1)
        ways = rng.normal(size=(4000, 3))
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        file = read_photometry(IES.encode())
        for kind, more in (("ball", {}), ("panel", {"deep_mm": 60.0}), ("spot", {"beam_deg": 60}), ("measured", {})):
            told = {"photometry": file, "file": "l.ies"} if kind == "measured" else {}
            lamp = Lamp.model_validate(
                {
                    "id": "l",
                    "position_m": (0, 0, 0),
                    "kind": kind,
                    "output": 500,
                    "azimuth_deg": 30,
                    "tilt_deg": 20,
                    **more,
                    **told,
                }
            )
            light = lamp_light(lamp, np.zeros(3))
            assert light is not None
            around = np.array([near_irradiance(light, 3 * way, -way) for way in ways])
            lumen = float((around @ [0.2126, 0.7152, 0.0722]).mean()) * 4 * np.pi * 9 / UNIT
            self.assertAlmostEqual(lumen, 500, delta=25, msg=kind)

    def test_a_file_of_photometry(self) -> None:
        told = intensity_of(read_photometry(IES.encode()))
        at = {row: told[round(row / 2.5)] for row in (0, 45, 90, 120)}
        np.testing.assert_allclose(at[0], 200)
        np.testing.assert_allclose(at[45][[0, 3, 6, 12, 18, 24]], [120, 100, 60, 120, 60, 120])  # every 15°
        np.testing.assert_allclose([at[90].max(), at[120].max()], 0)
        even = "TILT=NONE\n1 -1 1 2 1 1 1 0 0 0 1 1 10\n0 180\n0\n100 100\n"
        self.assertAlmostEqual(lumen_of(intensity_of(read_photometry(even.encode()))), 400 * np.pi, delta=1e-6)

    def test_a_damaged_file_is_refused_by_one_plain_line(self) -> None:
        wrong = {
            "TILT": IES.replace("TILT=NONE", ""),
            "numbers are missing": IES[:-12],
            "type C": IES.replace("1000 2 5 3 1 2", "1000 2 5 3 2 2"),
            "no light": IES.replace("1000 2", "1000 0"),
            "rise": IES.replace("22.5 45", "45 22.5"),
            "names another file": IES.replace("NONE", "other.tlt"),
            "something else": IES.replace("100 90", "100 x"),
            "below nothing": IES.replace("100 90", "100 -90"),
        }
        for words, text in wrong.items():
            with self.subTest(words=words), self.assertRaisesRegex(InputError, words):
                read_photometry(text.encode())
        with self.assertRaises(InputError):
            read_photometry(io.BytesIO(bytes(range(256)) * 40).getvalue())


class Strengths(unittest.TestCase):
    """A room of the tests' own: two windows, a lamp, what comes from all about, and a floor of one material."""

    camera = looking((0.0, -3.0, 1.6), (0.0, 1.0, 0.5))

    def setUp(self) -> None:
        corners = window(1.2, 1.4, -2.0, 0.9)
        self.windows = [self.marked("w1", corners + [0, 0.2, 0]), self.marked("w2", corners + [0, 2.4, 0])]
        self.lamp = Lamp(id="l1", position_m=(1.2, 1.0, 2.2), size_mm=200)

    def marked(self, name: str, corners: Array) -> LitWindow:
        seen = {"colour": (0.8, 0.85, 0.9), "spread": 0.1, "clipped": 0.0}
        marks = self.camera.project(corners).tolist()
        return LitWindow.model_validate({"id": name, "corners": marks, "width_m": 1.2, "seen": seen})

    def patches(
        self, day: Daylight, theta: dict[str, Array], rng: np.random.Generator, count: int = 14
    ) -> list[LightPatch]:
        made = []
        for number in range(count):
            at = np.array([rng.uniform(-1.5, 1.8), rng.uniform(-0.8, 2.6), 0.0])
            given = day.given(UP, at, True)
            light = sum(theta[one.name] * e for one, e in zip(day.lights(), given, strict=True))
            colour = np.clip(0.3 * light * np.exp(rng.normal(0, 0.04)), 0, 1)
            pixel = self.camera.project(at[None])[0]
            seen = {"colour": colour.tolist(), "spread": 0.0, "clipped": 0.0}
            made.append(LightPatch.model_validate({"id": f"p{number}", "at": pixel.tolist(), "seen": seen}))
        return made

    def test_patches_part_windows_lamp_and_what_is_about(self) -> None:
        rng, off, honest = np.random.default_rng(8), [], []
        for _ in range(12):
            day = Daylight(
                None,
                3.5,
                0.3,
                room=True,
                at=np.array([0.3, 0.8, 0]),
                near=near_lights(self.windows, [self.lamp], self.camera, None),
            )
            theta = {
                "sky": np.exp(rng.normal(np.log(0.15 / np.pi), 0.3) + rng.normal(0, 0.1, 3)),
                "window w1": np.exp(rng.normal(0, 0.1, 3)) / np.pi,
                "window w2": np.exp(rng.normal(0, 0.1, 3)) / np.pi,
                "lamp l1": np.exp(rng.normal(0, 0.5) + rng.normal(0, 0.2, 3)) * 0.8 / (300 * UNIT),
            }
            told = balance_of(self.patches(day, theta, rng), self.camera, day)
            for light in told.lights:
                name = "sky" if light.kind == "room" else f"{light.kind} {light.id}"
                error = np.log(np.array(light.strength) / (np.pi * theta[name] / np.array(told.gain))).mean()
                honest.append(abs(error) < 1.96 * light.sigma + 0.02)
                if name.startswith("lamp"):
                    off.append(abs(error))
        self.assertGreater(np.mean(honest), 0.9)
        self.assertLess(np.median(off), 0.25)

    def test_a_gleaming_floor_s_patches_tell_lights_without_what_it_mirrors(self) -> None:
        """The same room, its floor polished: what it mirrors of windows and walls is drawn here and added."""
        self.camera = looking((2.0, 1.3, 1.3), (-1.0, 1.3, 0.2))
        self.setUp()
        shown = (0.8, 0.85, 0.9)
        clipped = {"seen": PatchSeen(colour=shown, spread=0.0, clipped=1.0)}
        windows = [one.model_copy(update=clipped) for one in self.windows]
        near = near_lights(windows, [], self.camera, None)
        day = Daylight(None, 3.5, 0.3, room=True, at=np.array([0.3, 0.8, 0]), near=near)
        theta = {name: np.full(3, value) for name, value in (("sky", 0.04), ("window w1", 0.4), ("window w2", 0.6))}

        class About:
            def seen(self, places: Array, ways: Array) -> Array:
                reach = (-2.0 - places[:, 0]) / ways[:, 0]
                _, y, z = (places + reach[:, None] * ways).T
                found = np.full(places.shape, np.pi * 0.04)
                for number, one in enumerate(day.near):
                    assert isinstance(one.light, Sheet)
                    low, high = one.light.corners.min(0), one.light.corners.max(0)
                    met = (reach > 0) & (y > low[1]) & (y < high[1]) & (z > low[2]) & (z < high[2])
                    found[met] = np.pi * (0.4, 0.6)[number] * np.array(shown)
                return found

            def lamps(self, _: Array) -> list[tuple[Array, Array]]:
                return []

        patches, dull = [], self.patches(day, theta, np.random.default_rng(8))
        for patch in dull:
            assert patch.seen
            at = self.camera.ground_points(np.array([patch.at]))
            ways = (at - self.camera.position) / np.linalg.norm(at - self.camera.position)
            colour = np.array(patch.seen.colour) + mirrored_at(at, ways, 1.0, 0.2, About())[0]
            patches.append(patch.model_copy(update={"seen": PatchSeen(colour=tuple(colour), spread=0.0, clipped=0.0)}))
        true, shows, own = (
            np.array([np.array(light.strength) * told.gain for light in told.lights])
            for told in (
                balance_of(dull, self.camera, day),
                balance_of(patches, self.camera, day),
                balance_beside_gleam(patches, self.camera, day, (1.0, 0.2)),
            )
        )
        # Patches that mirror more than they throw back are left out, so that the nearer window is told less surely.
        self.assertGreater(np.abs(shows / true - 1).max(), 0.5)
        self.assertLess(np.abs(own / true - 1).max(), 0.25)

    def test_sun_that_comes_in_is_told_by_floor_that_it_clips(self) -> None:
        """By the channel that is not clipped; where all are, as at least so strong, and with more doubt."""
        windows = [one.model_copy(update={"sunny": True}) for one in self.windows]
        sun = SunIn(np.array([-0.6, 0.0, 0.8]), 0.53, 3.5)
        at = np.array([0.3, 2.6, 0])  # between the windows' light on the floor
        day = Daylight(None, 3.5, 0.3, room=True, at=at, near=near_lights(windows, [], self.camera, None, (), sun))
        assert day.let_in
        theta = {"sky": np.full(3, 0.05), "window w1": np.full(3, 0.3), "window w2": np.full(3, 0.3)}
        told = dict[str, tuple[Array, float]]()
        for name, strong in (("one", np.array([6.0, 4.5, 3.0])), ("all", np.array([12.0, 9.0, 6.0]))):
            rng = np.random.default_rng(4)
            patches = self.patches(day, theta | {"sun": strong}, rng, 30)
            clipped = [max(patch.seen.colour) == 1 for patch in patches if patch.seen]
            seen = [
                patch.model_copy(update={"seen": patch.seen.model_copy(update={"clipped": float(lost)})})
                for patch, lost in zip(patches, clipped, strict=True)
                if patch.seen
            ]
            answer = balance_of(seen, self.camera, day)
            self.assertEqual([patch.least for patch in answer.patches], clipped)
            light = next(one for one in answer.lights if one.kind == "sun")
            told[name] = np.array(light.strength) * answer.gain / np.pi / strong, light.sigma
        np.testing.assert_allclose(told["one"][0], 1, atol=0.25)
        self.assertTrue(0.4 < told["all"][0].mean() < 1.1, told)
        self.assertGreater(told["all"][1], 1.3 * told["one"][1])

    def test_lights_that_patches_cannot_part_are_told(self) -> None:
        """All patches about one place: two clipped windows side by side give it the same light."""
        rng = np.random.default_rng(2)
        seen = {"colour": (1.0, 1.0, 1.0), "spread": 0.0, "clipped": 1.0}
        windows = [one.model_copy(update={"seen": PatchSeen.model_validate(seen)}) for one in self.windows]
        day = Daylight(None, 3.5, 0.3, room=True, near=near_lights(windows, [], self.camera, None))
        theta = {"sky": np.full(3, 0.03), "window w1": np.full(3, 0.9), "window w2": np.full(3, 0.9)}
        told = balance_of(self.patches(day, theta, rng, 3), self.camera, day)
        self.assertTrue(any("alike" in note for note in told.notes), told.notes)
        trusted = [windows[0].model_copy(update={"held": True}), windows[1]]
        held = Daylight(None, 3.5, 0.3, room=True, near=near_lights(trusted, [], self.camera, None))
        answer = balance_of(self.patches(held, theta, rng, 3), self.camera, held)
        first = next(light for light in answer.lights if light.id == "w1")
        np.testing.assert_allclose(np.array(first.strength) * np.array(answer.gain), 1, rtol=0.1)

    def test_a_wall_s_patch_is_left_out_where_its_distance_counts(self) -> None:
        day = Daylight(None, 3.5, 0.3, room=True, near=near_lights(self.windows, [], self.camera, None))
        patch = self.patches(
            day,
            {"sky": np.ones(3) * 0.05, "window w1": np.ones(3), "window w2": np.ones(3)},
            np.random.default_rng(1),
            1,
        )[0]
        told = balance_of([patch.model_copy(update={"facing": "along run A"})], self.camera, day)
        self.assertIn("windows and lamps", told.patches[0].reason or "")


class Rendered(unittest.TestCase):
    def test_an_added_lamp_brightens_the_ground_by_what_it_gives(self) -> None:
        """In the place with the models alone, and as much as its closed form says."""
        at = [1.6, -0.4, 2.0]
        new = {"id": "n", "photographed": False, "position_m": at, "kind": "spot", "beam_deg": 60, "output": 2e5}
        dull = {"material": "pale stone", "coat": 0.0}  # what ground mirrors of the sky is no light on it
        shot = sample(lamps=[new], ground=dull)
        built = build_scene(shot, sized(photograph(), SCALE), lambda _: box((0.2, 0.2, 0.2)))
        self.assertEqual((len(built.lights), len(built.added)), (1, 1))
        assert built.white is not None
        place = np.array([1.5, -0.2, 0.0])
        pixel = np.floor(built.camera.project(place[None])).astype(np.int32)
        reached = influence_of(built)
        window = Window(0, 0, built.camera.width, built.camera.height)
        self.assertTrue(reached.pixels(reached.changed, window)[pixel[0, 1], pixel[0, 0]])
        engine = tracer()
        light = []
        for scene in (built, replace(built, added=(), things_key="dark")):
            engine.show(scene)
            light.append(engine.radiance("with", pixel, 0, 4096, 1).sum((0, 1)))
        given = near_irradiance(built.added[0], built.camera.ground_points(pixel + 0.5)[0], UP)
        np.testing.assert_allclose(light[0] / light[1] - 1, given / (np.pi * built.white), rtol=0.05, atol=0.004)

    def test_a_room_s_own_light_is_as_strong_as_was_found_and_its_windows_are_no_part_of_it(self) -> None:
        """However bright what is seen of it: level ground gets π of its strength."""
        camera = looking((0.0, -3.0, 1.6), (0.0, 1.0, 1.5))
        linear = np.full((480, 640, 3), 0.2, np.float32)
        linear[150:250, 100:200] = 1.0
        apart = np.zeros((480, 640), bool)
        apart[145:255, 95:205] = True
        strength = np.array([0.3, 0.2, 0.1])
        up = {}
        for name, hidden in (("whole", None), ("without", apart)):
            seen = surroundings_of(linear, camera, np.ones(3), hidden)
            assert seen is not None
            around = room_around(seen, strength)
            ways, solid = directions(len(around))
            level = (around * (np.maximum(ways[..., 2], 0) * solid)[..., None]).sum((0, 1))
            np.testing.assert_allclose(level, np.pi * strength, rtol=1e-3)
            up[name] = float(seen[..., 0].max())
        self.assertGreater(up["whole"], 0.9)
        self.assertLess(up["without"], 0.25)

    def test_what_is_known_of_a_room_does_not_outlive_a_change_of_its_sun(self) -> None:
        """A worker holds the place from one render to the next: a sun that moved, or is stronger, makes another."""
        corners = [[820, 400], [960, 400], [960, 600], [820, 600]]
        window = {"id": "w", "corners": corners, "foot": [820, 760], "sunny": True}
        known, made = KnownPlace(), list[Scene]()
        for azimuth_deg, strength in ((30, 1), (30, 1), (50, 1), (50, 2)):
            sun = {"kind": "hand", "azimuth_deg": azimuth_deg, "elevation_deg": 35, "strength": strength}
            shot = sample(lit_by="room", windows=[window], sun=sun)
            small = sized(photograph(), SCALE)
            made.append(build_scene(shot, small, lambda _: box((0.2, 0.2, 0.2)), "the photograph", known))
        shafts = [scene.let_in for scene in made]
        turned = [float(np.degrees(np.arctan2(one.sun[1], one.sun[0]))) for one in shafts if one]
        np.testing.assert_allclose(turned, [30, 30, 50, 50], atol=1e-6)
        self.assertEqual(len({scene.place_key for scene in made}), 3)
        assert shafts[2] and shafts[3]
        np.testing.assert_allclose(shafts[3].irradiance, 2 * shafts[2].irradiance, rtol=1e-6)


class Documents(unittest.TestCase):
    def test_a_lamp_is_somewhere_and_measured_ones_name_their_file(self) -> None:
        for lamp, words in (
            ({"id": "a", "at": (1, 1)}, "is nowhere"),
            ({"id": "a", "position_m": (0, 0, 2), "kind": "measured"}, "names no file"),
            (
                {"id": "a", "position_m": (0, 0, 2), "photometry": {"candela": [[1.0]] * 72 + [[1.0, 2.0]]}},
                "in every row",
            ),
        ):
            with self.assertRaisesRegex(InputError, words):
                load_shot({"lamps": [lamp]})
        self.assertEqual(Shot().lit_by, "day")


if __name__ == "__main__":
    unittest.main()
