"""Contact: mattes by their closed forms, and pictures in which shadows meet walls and things stand in front."""

from __future__ import annotations

import unittest
from typing import Any

import cv2
import numpy as np
from PIL import Image, ImageDraw
from proving.real import marked_document, scored, taken

from lithopos.core.arrays import Floats
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.composite.catch import Caught
from lithopos.core.composite.mattes import coverage_of, cut_out, fringe_round, front_light, front_of
from lithopos.core.derive import daylight_of, derive, standing_heights
from lithopos.core.errors import InputError
from lithopos.core.layers import Window
from lithopos.core.place.balance import proposed_patches
from lithopos.core.render.influence import influence_of
from lithopos.core.render.render import render_shot
from lithopos.core.render.scene import build_scene
from lithopos.core.render.session import Session, sized
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.core.shot import Matte, Shot, load_shot
from lithopos.samples.court import court
from tests.core.rendering import SCALE, bench, box, photograph, sample, together, tracer

WINDOW = Window(0, 0, 200, 160)
PLAIN = np.full((160, 200, 3), 128, np.uint8)


def covered(scale: float = 1.0, window: Window = WINDOW, **told: Any) -> Floats:
    matte = Matte.model_validate({"id": "o", "softness_px": 0, **told})
    return coverage_of(matte, PLAIN[: window.height, : window.width], window, scale)


def hairy() -> tuple[Floats, Floats, Floats]:
    """How much of each pixel (200, 200, 1) a head with hair fills, its linear colours, and those of what is behind."""
    rng = np.random.default_rng(1)
    picture = Image.new("L", (800, 800))
    draw = ImageDraw.Draw(picture)
    draw.ellipse((220, 220, 580, 580), fill=255)
    for turn in rng.uniform(0, 2 * np.pi, 130):
        reach, bend = (
            np.linspace(170, 200 + rng.uniform(30, 120), 20),
            np.linspace(turn, turn + rng.normal(0, 0.35), 20),
        )
        line = [(400 + r * np.cos(b), 400 + r * np.sin(b)) for r, b in zip(reach, bend, strict=True)]
        draw.line(line, fill=255, width=int(rng.uniform(2, 6)))
    share = cv2.resize(np.asarray(picture, np.float32) / 255, (200, 200), interpolation=cv2.INTER_AREA)
    y, x = np.mgrid[:200, :200].astype(np.float32) / 200
    grain, rough = (
        np.exp(cv2.GaussianBlur(rng.normal(0, size, (200, 200)), (0, 0), blur)).astype(np.float32)[..., None]
        for size, blur in ((0.6, 2.0), (0.05, 1.0))
    )
    hair = np.stack([0.1 + 0.04 * y, 0.05 + 0.02 * x, 0.03 + 0 * x], -1) * grain
    wall = np.stack([0.35 + 0.2 * x, 0.45 - 0.15 * y, 0.6 + 0.2 * np.sin(6 * x)], -1) * rough
    return share[..., None], hair, wall


def laid_over(behind: Any, code: Any, front: Any, light: Any) -> Any:
    """A picture that models fill wholly with what stands in front of it."""
    full, dark = np.ones(code.shape[:2], np.float32), np.zeros(code.shape, np.float32)
    return together(code, Caught(dark + 1, dark, decode_srgb(behind / np.float32(255)), full), front, light)


class Mattes(unittest.TestCase):
    def test_an_outline_covers_its_area_at_any_scale_and_in_any_window(self) -> None:
        points = [[20.3, 15.2], [150.8, 30.1], [120.4, 130.9], [40.7, 110.5]]
        x, y = np.array(points).T
        area = abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))) / 2
        whole = covered(points=points)
        self.assertAlmostEqual(float(whole.sum()) / area, 1, delta=0.004)
        half = covered(0.5, Window(0, 0, 100, 80), points=points)
        self.assertAlmostEqual(4 * float(half.sum()) / area, 1, delta=0.01)
        part = covered(1.0, Window(60, 40, 160, 120), points=points)
        np.testing.assert_allclose(part, whole[40:120, 60:160], atol=0.1)

    def test_curves_brushes_soft_and_drawn_in_edges_are_as_wide_as_they_say(self) -> None:
        turn = np.linspace(0, 2 * np.pi, 10, endpoint=False)
        ring = (np.column_stack([np.cos(turn), np.sin(turn)]) * 50 + [100, 80]).tolist()
        self.assertAlmostEqual(float(covered(points=ring, curved=True).sum()) / (np.pi * 2500), 1, delta=0.01)
        drawn_in = covered(points=ring, curved=True, choke_px=6)
        self.assertAlmostEqual(float(drawn_in.sum()) / (np.pi * 44**2), 1, delta=0.02)
        soft = covered(points=[[-50, -50], [100, -50], [100, 300], [-50, 300]], softness_px=20)[80]
        np.testing.assert_allclose(soft[[85, 95, 99, 105, 115]], [1, 0.73, 0.53, 0.23, 0], atol=0.05)
        stroke = {"points": [[40, 80], [140, 80]], "radius_px": 9}
        line = covered(kind="brush", strokes=[stroke])
        self.assertAlmostEqual(float(line.sum()) / (18 * 100 + np.pi * 81), 1, delta=0.04)
        rubbed = covered(kind="brush", strokes=[stroke, {**stroke, "points": [[90, 40], [90, 120]], "adds": False}])
        self.assertEqual(float(rubbed[80, 90]), 0)
        self.assertEqual(float(rubbed[80, 50]), 1)

    def test_what_stands_in_front_keeps_its_codes_and_no_fringe_of_what_was_behind(self) -> None:
        share = np.clip((np.arange(200) - 90.5) / 8, 0, 1).astype(np.float32)[None].repeat(160, 0)
        mix = share[..., None] * [0.6, 0.02, 0.02] + (1 - share[..., None]) * [0.02, 0.6, 0.02]  # red before green
        code = (255 * np.where(mix < 0.0031308, 12.92 * mix, 1.055 * mix ** (1 / 2.4) - 0.055)).astype(np.uint8)
        blue = np.broadcast_to(np.array([10, 10, 230], np.uint8), code.shape).copy()
        full = np.ones(share.shape, np.float32)

        def laid(front: Any) -> Any:
            return laid_over(blue, code, front, front_light(code, front, full))

        made = laid(front_of([(share, None)], full, None))
        np.testing.assert_array_equal(made[:, 100:], code[:, 100:])
        np.testing.assert_array_equal(made[:, :90], blue[:, :90])
        self.assertLess(int(made[:, 88:101, 1].max()), 50)  # the photograph's edge has green of up to 190
        fronts = [front_of([(share, 5.0)], full, np.full(share.shape, away, np.float32)) for away in (4, 6)]
        near, far = (laid(front) for front in fronts)
        np.testing.assert_array_equal(near, blue)
        np.testing.assert_array_equal(far, made)

    def test_hair_is_told_from_the_photograph_and_laid_over_without_its_old_background(self) -> None:
        """A dark head with hair before a pale wall, put before something else: as it would be there."""
        share, hair, wall = hairy()
        code = np.round(encode_srgb(share * hair + (1 - share) * wall) * 255).astype(np.uint8)
        turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        ring = (np.column_stack([np.cos(turn), np.sin(turn)]) * 62 + 100).tolist()
        other = np.broadcast_to(np.array([150, 190, 120], np.uint8), code.shape).copy()
        true = encode_srgb(share * hair + (1 - share) * decode_srgb(other.astype(np.float32) / 255)) * 255
        band = (np.hypot(*np.mgrid[-99.5:100, -99.5:100]) > 50) & (np.hypot(*np.mgrid[-99.5:100, -99.5:100]) < 82)
        whole, errors = Window(0, 0, 200, 200), []
        for fringe_px in (0, 18):
            matte = Matte.model_validate({"id": "o", "points": ring, "fringe_px": fringe_px})
            found = fringe_round(matte, code, 1.0)
            fringes = [found.within(whole)] if found else []
            front = fringes[0].share if fringes else coverage_of(matte, code, whole, 1.0)
            light = front_light(code, front, np.ones((200, 200), np.float32), fringes)
            made = laid_over(other, code, front, light)
            errors.append(float(np.abs(made - true)[band].mean()))
        self.assertGreater(errors[0], 12)
        self.assertLess(errors[1], 1.5)

    def test_a_smart_outline_finds_what_was_marked_roughly(self) -> None:
        rng = np.random.default_rng(4)
        y, x = np.mgrid[0:240, 0:320]
        inside = np.hypot((x - 150) / 70, (y - 120) / 50) < 1
        twin = np.hypot(x - 290, y - 40) < 20  # of the same colours, apart from it
        colour = np.where((inside | twin)[..., None], [150, 90, 60], [90, 120, 130]) + rng.normal(0, 12, (240, 320, 3))
        codes = np.clip(colour, 0, 255).astype(np.uint8)
        strokes = [
            {"points": [[110, 120], [190, 120]], "radius_px": 6},
            {"points": [[40, 40], [240, 30]], "radius_px": 6, "adds": False},
            {"points": [[50, 200], [250, 210]], "radius_px": 6, "adds": False},
        ]
        matte = Matte.model_validate({"id": "o", "kind": "smart", "strokes": strokes})
        found = matte.model_copy(update={"found": cut_out(matte, codes)})
        share = coverage_of(found, codes, Window(0, 0, 320, 240), 1.0) > 0.5
        self.assertGreater(float((share & inside).sum() / (share | inside).sum()), 0.95)
        flat = Matte.model_validate({"id": "o", "kind": "smart", "strokes": strokes[:1]})
        with self.assertRaisesRegex(InputError, "strokes"):
            cut_out(flat, np.full_like(codes, 90)[:4, :4])


class OnTheSample(unittest.TestCase):
    """A box before an imaginary wall in the sample photograph; the sun throws its shadow to the right, half away."""

    wall_y, at = 1.6, (0.4, 0.2)

    def shot(self, **more: Any) -> Shot:
        facts = derive(sample())
        assert facts.camera
        camera = pinhole_of(facts.camera)
        foot = camera.project([[-2.5, self.wall_y, 0], [2.5, self.wall_y, 0]])
        wall = {"id": "w", "kind": "wall", "points": foot.tolist(), "height_m": 2.5}
        model = {"id": "m", "file": "b.glb", "position_m": [*self.at, 0]}
        sun = {"kind": "hand", "azimuth_deg": 225, "elevation_deg": 20}
        return sample(models=[model], proxies=[wall], sun=sun, **more)

    def made(self, shot: Shot) -> tuple[Any, Any, Any]:
        steps = render_shot(
            shot, photograph(), lambda _: box((0.6, 0.5, 1.2)), scale=SCALE, samples=16, session=Session(None, tracer())
        )
        picture = list(steps)[-1].picture
        facts = derive(shot)
        assert picture and facts.camera
        return picture.codes, sized(photograph(), SCALE).codes, pinhole_of(facts.camera).scaled(SCALE)

    def test_its_shadow_climbs_the_wall_where_the_sun_throws_it_and_ends_there(self) -> None:
        made, before, camera = self.made(self.shot())

        def left(*place: float) -> float:
            """How much of the codes is left about a place."""
            x, y = camera.project([place])[0].astype(int)
            part = slice(y - 2, y + 3), slice(x - 2, x + 3)
            return float(made[part].mean() / before[part].mean())

        x, y = self.at
        fall = np.sqrt(2) * np.tan(np.radians(20))  # for each metre towards the wall, and one to the right
        corner = np.array([x + 0.3, y + 0.25])  # of the box, nearest to the wall
        at = corner[0] + self.wall_y - corner[1]
        top = 1.2 - (self.wall_y - corner[1]) * fall
        self.assertLess(left(at, self.wall_y, top - 0.15), 0.85)
        self.assertGreater(left(at, self.wall_y, top + 0.2), 0.97)
        self.assertGreater(left(at - 0.9, self.wall_y, top - 0.15), 0.95)  # beside it
        self.assertLess(left(x + 0.8, y + 0.8, 0), 0.85)
        self.assertGreater(left(at + 0.2, self.wall_y + 0.2, 3.0), 0.999)  # nothing goes on behind the wall

    def test_the_wall_s_own_shadow_is_told_alike_by_every_renderer(self) -> None:
        """What a killed process has kept of a tile must fit what the next one makes."""
        low = {"kind": "hand", "azimuth_deg": 70, "elevation_deg": 35}  # from behind the wall
        shot = self.shot().model_copy(update={"sun": sample(sun=low).sun})
        scene = build_scene(shot, sized(photograph(), SCALE), lambda _: box((0.6, 0.5, 1.2)))
        x, y = np.meshgrid(
            np.arange(0, scene.camera.width, 3), np.arange(scene.camera.height // 2, scene.camera.height, 3)
        )
        pixels = np.column_stack([x.ravel(), y.ravel()]).astype(np.int32)
        told = []
        for engine in (tracer(), MitsubaTracer()):
            engine.show(scene)
            told.append(engine.sunlit(pixels))
        assert told[0] and told[1]
        np.testing.assert_array_equal(told[0][1], told[1][1])
        share, number = told[0]
        ground = (number > 0) & (number <= len(scene.receivers[0].patches))
        at, sun = scene.camera.ground_points(pixels[ground] + 0.5), scene.sun
        assert sun is not None
        far = (self.wall_y - at[:, 1]) / sun[1]
        shaded = (far > 0) & (np.abs(at[:, 0] + far * sun[0]) < 2.5) & (far * sun[2] < 2.5)
        self.assertGreater(int(shaded.sum()), 500)
        self.assertGreater(float(np.mean((share[ground] < 0.5) == shaded)), 0.97)
        # The wall's face that is seen is turned away from it.
        self.assertTrue(np.isnan(share[number > len(scene.receivers[0].patches)]).all())

    def test_what_only_hides_keeps_its_codes_and_a_matte_stands_before_the_model(self) -> None:
        shot = self.shot()
        facts = derive(shot)
        assert facts.camera
        camera = pinhole_of(facts.camera)
        x, y = self.at
        corners = camera.project([[x - 0.2, y - 0.8, 0], [x + 0.2, y - 0.8, 0], [x + 0.2, y - 0.6, 0]])
        screen = {"id": "s", "kind": "box", "points": corners.tolist(), "height_m": 0.6, "receives": False}
        rim = camera.project([[x - 0.3, y - 0.25, 0.9], [x + 0.3, y - 0.25, 0.9], [x, y - 0.25, 1.2]])
        matte = {"id": "o", "points": rim.tolist(), "softness_px": 0}
        proxies = [*shot.model_dump(mode="json")["proxies"], screen]
        made, before, small = self.made(
            load_shot({**shot.model_dump(mode="json", by_alias=True), "proxies": proxies, "mattes": [matte]})
        )
        for place, kept in (((x, y - 0.8, 0.3), True), ((x, y - 0.25, 0.98), True), ((x, y - 0.25, 0.8), False)):
            u, v = small.project([place])[0].astype(int)
            same = (made[v - 2 : v + 3, u - 2 : u + 3] == before[v - 2 : v + 3, u - 2 : u + 3]).all()
            self.assertEqual(bool(same), kept, place)

    def test_by_hand_no_shadow_is_left_and_what_is_missing_is_said(self) -> None:
        without, before, camera = self.made(self.shot(contact={"shadow": 0.0}))
        x, y = camera.project([[self.at[0] + 0.8, self.at[1] + 0.8, 0]])[0].astype(int)
        self.assertGreater(float(without[y, x].mean() / before[y, x].mean()), 0.99)
        lost = {"id": "l", "name": "Lost", "kind": "wall", "points": [[10, 5], [40, 5]], "height_m": 1}
        shot = load_shot({**self.shot().model_dump(mode="json", by_alias=True), "proxies": [lost]})
        scene = build_scene(shot, sized(photograph(), SCALE), lambda _: bench())
        self.assertRegex(" ".join(scene.notes), "Lost is left out: its foot must lie below the horizon")

    def test_a_document_by_hand_is_read_where_it_says_nothing_of_what_the_photograph_shows(self) -> None:
        strokes = [
            {"points": [[1700, 600], [1700, 760]], "radius_px": 8},
            {"points": [[1500, 500], [1500, 760]], "radius_px": 8, "adds": False},
        ]
        shot = self.shot(mattes=[{"id": "o", "kind": "smart", "strokes": strokes}])
        scene = build_scene(shot, sized(photograph(), SCALE), lambda _: bench())
        ring = np.concatenate([np.array(ring) for ring in scene.mattes[0][0].found])
        self.assertLess(abs(float(np.median(ring[:, 0])) - 1700), 150)
        wall = next(receiver for receiver in scene.receivers if receiver.name == "proxy w")
        self.assertTrue(any(patch.reflectance.ndim == 3 for patch in wall.patches))

    def test_what_stands_there_is_not_taken_for_ground(self) -> None:
        shot = sample()
        facts = derive(shot)
        assert facts.camera
        camera = pinhole_of(facts.camera)
        free = proposed_patches(photograph(), camera, daylight_of(shot, facts))
        x, y, _ = camera.ground_points(np.array([free[0].at]))[0]
        corners = camera.project([[x - 0.4, y - 0.4, 0], [x + 0.4, y - 0.4, 0], [x + 0.4, y + 0.4, 0]])
        crate = {"id": "c", "kind": "box", "points": corners.tolist(), "height_m": 0.5}
        shot = sample(proxies=[crate])
        day = daylight_of(shot, derive(shot))
        assert day.about
        self.assertIsNotNone(day.about.under(free[0].at, camera))
        for patch in proposed_patches(photograph(), camera, day):
            self.assertIsNone(day.about.under(patch.at, camera))

    def test_the_wall_is_traced_where_the_shadow_falls_and_no_farther(self) -> None:
        scene = build_scene(self.shot(), sized(photograph(), SCALE), lambda _: box((0.1, 0.1, 1.2)))
        influence = influence_of(scene)
        at = self.at[0] + self.wall_y - self.at[1]
        for place, reached in (((at, self.wall_y, 0.4), True), ((-2.3, self.wall_y, 2.4), False)):
            x, y = scene.camera.project([place])[0] / influence.cell
            self.assertEqual(bool(influence.changed[int(y), int(x)]), reached, place)

    def test_a_thing_on_a_blocks_top_throws_its_shadow_on_the_top_and_over_its_edge(self) -> None:
        facts = derive(sample())
        assert facts.camera
        camera = pinhole_of(facts.camera)
        x, y = self.at
        foot = camera.project([[x - 0.5, y - 0.4, 0], [x + 0.5, y - 0.4, 0], [x + 0.5, y + 0.4, 0]])
        block = {"id": "k", "kind": "box", "points": foot.tolist(), "height_m": 0.5}
        model = {"id": "m", "file": "b.glb", "position_m": [x + 0.2, y - 0.1, 0.5], "level": "k"}
        sun = {"kind": "hand", "azimuth_deg": 215, "elevation_deg": 30}
        shot = sample(models=[model], proxies=[block], sun=sun)
        self.assertAlmostEqual(standing_heights(derive(shot))["k"] or 0, 0.5, places=6)
        scene = build_scene(shot, sized(photograph(), SCALE), lambda _: box((0.3, 0.3, 0.6)))
        self.assertFalse([one.name for one in scene.receivers if one.name.startswith("level")])
        steps = render_shot(
            shot, photograph(), lambda _: box((0.3, 0.3, 0.6)), scale=SCALE, session=Session(None, tracer())
        )
        made = list(steps)[-1].picture
        assert made
        small, before = camera.scaled(SCALE), sized(photograph(), SCALE).codes
        for place in ((x + 0.43, y + 0.05, 0.5), (x + 1.6, y + 0.87, 0)):  # beyond the block’s own shadow
            u, v = small.project([place])[0].astype(int)
            self.assertLess(float(made.codes[v, u].mean() / before[v, u].mean()), 0.9, place)
        with self.assertRaisesRegex(InputError, "has no top"):
            sample(models=[{**model, "level": "w"}], proxies=self.shot().model_dump(mode="json")["proxies"])


class AgainstTheTruth(unittest.TestCase):
    """A small photograph of a court with a wall, taken by the tests' own renderer, with the bench really there."""

    def test_with_what_stands_there_it_comes_much_nearer_to_the_real_picture(self) -> None:
        scene = taken(tracer().mi, court("onto the wall"), 0.2, 16)
        document = marked_document(scene, 0.0)
        self.assertTrue(all(any(proxy["seen"]) for proxy in document["proxies"]))

        def score(told: dict[str, Any]) -> float:
            session = Session(None, tracer())
            made = list(render_shot(load_shot(told), scene.empty, lambda _: bench(), scale=1.0, session=session))
            picture = made[-1].picture
            assert picture
            return scored(scene, picture)[0]

        with_them = score(document)
        self.assertGreater(with_them, 32)
        self.assertGreater(with_them, score({**document, "proxies": [], "mattes": []}) + 3)


if __name__ == "__main__":
    unittest.main()
