"""Proxies: what was drawn as solids, what they hide, shade and throw, against cameras and rules of the tests' own."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.geometry.check import check_piece
from lithopos.core.geometry.model import Model
from lithopos.core.light.dome import directions
from lithopos.core.light.sun import sun_direction
from lithopos.core.place.about import About, about_of, sides_seen
from lithopos.core.place.around import covered_by, kept_out
from lithopos.core.place.crossing import runs_into
from lithopos.core.place.face import Face, triangles_of
from lithopos.core.place.far_side import FarSides
from lithopos.core.place.restored import restored
from lithopos.core.place.seen import in_sight, sun_map
from lithopos.core.place.shading import Solids, openness, solids_of
from lithopos.core.place.solids import Solid, proxy_answer, solid_of
from lithopos.core.place.spots import Spots, spots_of
from lithopos.core.shot import Proxy, load_shot
from lithopos.core.standing.stand_in import sides_of
from tests.core.rendering import box
from tests.support import TrueCamera

TRUE = TrueCamera(tilt=-14, k1=-0.06, heading=78)
CAMERA = Pinhole(TRUE.focal, np.array(TRUE.axis), TRUE.rotation, TRUE.centre, *TRUE.size, TRUE.k1)


def drawn(kind: str, around: Any, top: Any = None, **more: Any) -> Proxy:
    """A proxy as it would be drawn of a thing whose points are known."""
    told = {"id": "p", "kind": kind, "points": TRUE.see(around).tolist(), **more}
    if top is not None:
        told["top"] = TRUE.see([top])[0].tolist()
    return Proxy.model_validate(told)


def stood(proxy: Proxy, base_m: float | None = 0.0, sun: Array | None = None) -> Solid:
    solid = solid_of(proxy, CAMERA, base_m, sun)
    assert isinstance(solid, Solid), solid
    return solid


def whole(solid: Solid) -> Array:
    return np.concatenate([face.corners for face in solid.faces])


def volume(solid: Solid) -> float:
    """Of a closed body, by the divergence theorem; what lies on the ground adds nothing."""
    total = 0.0
    for face in solid.faces:
        for triangle in triangles_of(face):
            a, b, c = face.corners[triangle]
            total += float(a @ np.cross(b, c)) / 6
    return total


class Outside(unittest.TestCase):
    """A house behind the camera, of which the photograph shows the shadow alone."""

    SUN = sun_direction(*np.radians([250, 35]))
    LEFT, RIGHT, FRONT, TALL = -25.0, -3.0, -6.0, 8.0

    def house(self) -> Solids:
        sides = box((self.RIGHT - self.LEFT, 9.0, self.TALL)).parts[0].vertices.reshape(6, 4, 3)
        middle = [(self.LEFT + self.RIGHT) / 2, self.FRONT - 4.5, 0]
        return solids_of([Face(side + middle) for side in sides], self.SUN)

    def outline(self) -> list[list[float]]:
        """The shadow of the front eaves and of those on its right, as far as the picture shows it."""
        fall = self.SUN * (self.TALL / self.SUN[2])
        corner = np.array([self.RIGHT, self.FRONT, self.TALL]) - fall
        lines = [corner - np.linspace(0, 12, 4000)[:, None] * way for way in ([1.0, 0, 0], [0, 1.0, 0])]
        ends = []
        for line in lines:
            pixels = TRUE.see(line)
            inside = ((pixels > 1) & (pixels < np.array(TRUE.size) - 1)).all(1)
            ends.append(pixels[inside.argmin() - 1].tolist())
        return [TRUE.see([corner])[0].tolist(), ends[0], [1.0, TRUE.size[1] - 1.0], ends[1]]

    def shade(self, **more: Any) -> Proxy:
        return Proxy.model_validate({"id": "p", "kind": "shade", "points": self.outline(), **more})

    def test_what_throws_it_shades_what_the_house_did_and_is_not_seen(self) -> None:
        for typed in (None, 5.0, 20.0):
            solid = stood(self.shade(height_m=typed), sun=self.SUN)
            told = solids_of(solid.faces, self.SUN)
            x, y = np.meshgrid(np.linspace(5, 1915, 40), np.linspace(600, 1275, 30))
            ground = CAMERA.ground_points(np.column_stack([x.ravel(), y.ravel()]))
            truth = self.house()
            for height in (0.0, 1.5):
                places = ground[np.linalg.norm(ground, axis=1) < 12] + [0, 0, height]
                true = truth.lit(places)
                sure = np.all([truth.lit(places + [dx, dy, 0]) == true for dx in (-0.1, 0.1) for dy in (-0.1, 0.1)], 0)
                self.assertGreater((~true & sure).sum(), 50)
                np.testing.assert_array_equal(told.lit(places)[sure], true[sure])
            ways = CAMERA.rays(np.column_stack([x.ravel(), 1.9 * (y.ravel() - 600)]))
            self.assertFalse(np.isfinite(told.met(np.broadcast_to(CAMERA.position, ways.shape), ways)[0]).any())
            if typed is not None:
                self.assertEqual(solid.height_m, typed)

    def test_what_cant_be_outside_says_why(self) -> None:
        from_ahead = sun_direction(*np.radians([78, 12]))
        for proxy, sun, words in (
            (self.shade(), None, "sun stands is not known"),
            (self.shade(height_m=1.0), from_ahead, "stand in the picture"),
            (self.shade(), sun_direction(1.0, 0.001), "too low"),
        ):
            answer = solid_of(proxy, CAMERA, 0.0, sun)
            self.assertRegex(answer.reason if isinstance(answer, NoAnswer) else "", words)


class ModelsThere(unittest.TestCase):
    """Models of what the photograph shows already."""

    def sides(self, model: Model, **placed: Any) -> list[Array]:
        shot = load_shot({"models": [{"id": "m", "file": "m.glb", **placed}]})
        return sides_of(shot, "m", lambda _: model)

    def test_a_box_stands_there_as_its_own_six_sides_where_the_model_stood(self) -> None:
        for turn, size in ((0.0, 1.0), (25.0, 2.0)):
            sides = self.sides(box((1.0, 0.6, 0.4)), position_m=(0.5, 5.0, 0.2), turn_deg=turn, size=size)
            self.assertEqual([len(side) for side in sides], [4] * 6)
            proxy = Proxy.model_validate(
                {"id": "p", "kind": "mesh", "points": [], "sides": [s.tolist() for s in sides]}
            )
            solid = stood(proxy)
            self.assertAlmostEqual(volume(solid), 0.24 * size**3, places=5)  # all its sides look outwards
            np.testing.assert_allclose(whole(solid).min(0)[2], 0.2, atol=1e-9)
            np.testing.assert_allclose(whole(solid).mean(0)[:2], [0.5, 5.0], atol=1e-6)
            self.assertAlmostEqual(solid.height_m, 0.4 * size)

    def test_a_round_one_is_simplified_and_copies_come_along(self) -> None:
        ball = self.sides(check_piece("grey ball"), size=4.0)
        self.assertLess(len(ball), 300)
        self.assertAlmostEqual(float(np.linalg.norm(np.concatenate(ball) - [0, 0, 0.6], axis=1).max()), 0.6, delta=0.02)
        row = {"count": 3, "spacing_m": 2.0, "direction_deg": 0.0, "spread_deg": 0.0}
        three = self.sides(box((1.0, 1.0, 1.0)), row=row)
        self.assertEqual(len(three), 18)
        self.assertAlmostEqual(float(np.concatenate(three)[:, 0].max()), 4.5)
        with self.assertRaisesRegex(InputError, "not in the picture"):
            self.sides(box((1.0, 1.0, 1.0)), hidden=True)


class Drawing(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(
        st.floats(-1, 1), st.floats(4, 7), st.floats(0.2, 2), st.floats(0.2, 2), st.floats(0.1, 1.3), st.floats(-3, 3)
    )
    def test_a_box_comes_back_as_it_stands_however_it_is_turned(
        self, x: float, y: float, wide: float, deep: float, tall: float, turn: float
    ) -> None:
        along = np.array([np.cos(turn), np.sin(turn), 0])
        back = np.array([-along[1], along[0], 0])
        a = np.array([x, y, 0.0])
        solid = stood(drawn("box", [a, a + wide * along, a + wide * along + deep * back], a + [0, 0, tall]))
        np.testing.assert_allclose(sorted(solid.size_m), sorted((wide, deep)), atol=1e-5)
        self.assertAlmostEqual(solid.height_m, tall, places=5)
        self.assertAlmostEqual(volume(solid), wide * deep * tall, places=4)  # all its sides look outwards

    def test_each_kind_stands_as_it_was_drawn(self) -> None:
        a, b, c = np.array([[-0.6, 5, 0], [0.9, 5, 0], [0.9, 6.2, 0]])
        steps = stood(drawn("steps", [a, b, c], c + [0, 0, 0.6], count=3))
        self.assertAlmostEqual(volume(steps), 1.5 * 1.2 * 0.6 * 2 / 3, places=5)  # a third, two thirds, all of it
        treads = [face.corners[0, 2] for face in steps.faces if face.normal[2] > 0.99]
        np.testing.assert_allclose(treads, [0.2, 0.4, 0.6], atol=1e-6)
        self.assertAlmostEqual(volume(stood(drawn("ramp", [a, b, c], c + [0, 0, 0.6]))), 1.5 * 1.2 * 0.6 / 2, places=5)
        angles = np.radians([200, 260, 330])
        rim = np.column_stack([0.4 * np.cos(angles), 5 + 0.4 * np.sin(angles), 0 * angles])
        round_ = stood(drawn("cylinder", rim, rim[0] + [0, 0, 0.9]))
        self.assertAlmostEqual(round_.size_m[0], 0.8, places=5)
        self.assertAlmostEqual(volume(round_) / (np.pi * 0.16 * 0.9), 1, delta=0.006)
        bent = [[-1, 5, 0], [1, 5, 0], [1, 7, 0], [0.2, 7, 0], [0.2, 5.6, 0], [-1, 5.6, 0]]
        self.assertAlmostEqual(
            volume(stood(drawn("outline", bent, [-1, 5, 1.1]))), 1.1 * (2 * 0.6 + 0.8 * 1.4), places=4
        )
        wall = stood(drawn("wall", [[-1, 6, 0], [1, 6, 0]], None, height_m=2.4, past_m=[3, 0.5]))
        self.assertAlmostEqual(wall.size_m[0], 5.5, places=5)
        np.testing.assert_allclose(whole(wall).min(0), [-4, 6, 0], atol=1e-6)
        self.assertGreater(float(wall.faces[0].normal @ (TRUE.centre - wall.faces[0].corners[0])), 0)
        roof = [[-1, 6, 2.6], [1, 6, 2.6], [1, 5, 2.2], [-1, 5, 2.2]]
        told = drawn("quad", roof, foot=TRUE.see([[-1, 5, 0]])[0].tolist())
        np.testing.assert_allclose(sorted(whole(stood(told)).round(5).tolist()), sorted(roof), atol=1e-4)

    def test_a_level_carries_it_and_typed_measures_win(self) -> None:
        a, b, c = np.array([[-0.3, 5, 0.75], [0.3, 5, 0.75], [0.3, 5.4, 0.75]])
        box = stood(drawn("box", [a, b, c], None, height_m=0.3, depth_m=0.25), 0.75)
        np.testing.assert_allclose(whole(box).min(0)[2], 0.75, atol=1e-9)
        np.testing.assert_allclose(box.size_m, (0.6, 0.25), atol=1e-6)
        behind = stood(drawn("box", [a, b], None, height_m=0.3, depth_m=0.25), 0.75)
        self.assertGreater(whole(behind)[:, 1].max(), 5.2)  # of a front alone the depth goes away from the camera

    def test_what_cant_stand_says_why(self) -> None:
        a, b, c = np.array([[-0.6, 5, 0], [0.9, 5, 0], [0.9, 6.2, 0]])
        far = {"points": [[900, 20], [1000, 20], [1000, 10]]}
        cases = [
            (drawn("box", [a, b, c], a + [0, 0, 1]).model_copy(update=far), "below the horizon"),
            (drawn("box", [a, a, c], a + [0, 0, 1]), "no width"),
            (drawn("box", [a, b, b], a + [0, 0, 1]), "no depth"),
            (drawn("box", [a, b, c], a - [0, 0, 0.5]), "above its foot"),
            (drawn("cylinder", [a, (a + b) / 2, b], a + [0, 0, 1]), "on one line"),
            (drawn("outline", [a, c, b, [-0.6, 6.2, 0]], a + [0, 0, 1]), "crosses itself"),
            (drawn("wall", [a, a], None, height_m=2), "the same"),
        ]
        for proxy, words in cases:
            answer = proxy_answer(proxy, solid_of(proxy, CAMERA, 0.0, None), None)
            self.assertRegex(answer.reason or "", words)
            self.assertFalse(answer.faces)
        unknown = solid_of(drawn("box", [a, b, c], a + [0, 0, 1]), CAMERA, None, None)
        self.assertRegex(unknown.reason if isinstance(unknown, NoAnswer) else "", "no height yet")

    def test_a_document_refuses_half_drawn_ones_by_name(self) -> None:
        for told, words in (
            ({"kind": "box", "points": [[1, 1]]}, "points"),
            ({"kind": "box", "points": [[1, 1], [2, 2]], "height_m": 1}, "its depth"),
            ({"kind": "wall", "points": [[1, 1], [2, 2]]}, "its height"),
            ({"kind": "cylinder", "points": [[1, 1], [2, 2]], "height_m": 1}, "3 points"),
            ({"kind": "wall", "points": [[1, 1], [2, 2]], "height_m": -1}, "greater than"),
            ({"kind": "wall", "points": [[1, 1], [2, 2]], "height_m": 1, "level": "x"}, "not there"),
            ({"kind": "wall", "points": [[1, 1], [2, 2]], "height_m": 1, "material": "cheese"}, "cheese"),
            ({"kind": "wall", "points": [[1, 1], [2, 2]], "height_m": 1, "receives": False, "hides": False}, "neither"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                load_shot({"format": 4, "proxies": [{"id": "p", **told}]})


class Seeing(unittest.TestCase):
    """The depth buffers against rays, one by one."""

    def setUp(self) -> None:
        box = stood(drawn("box", [[-0.6, 5, 0], [0.9, 5, 0], [0.9, 6.2, 0]], [-0.6, 5, 0.8]))
        wall = stood(drawn("wall", [[-2, 7, 0], [2, 7, 0]], None, height_m=2.4, past_m=[9, 9]))
        near = Face(np.array([[-3.0, -2, 0], [-3, 9, 0], [-3, 9, 2], [-3, -2, 2]]))  # passes behind the camera
        self.faces = [*box.faces, *wall.faces, near]
        self.solids = solids_of(self.faces, None)

    def test_the_camera_sees_what_its_rays_meet(self) -> None:
        sight = in_sight(self.faces, CAMERA, 500)
        rng = np.random.default_rng(5)
        height, width = sight.owner.shape
        pixels = np.column_stack([rng.integers(0, width, 3000), rng.integers(0, height, 3000)])
        _, number = self.solids.met(np.broadcast_to(CAMERA.position, (3000, 3)), sight.camera.rays(pixels + 0.5))
        found = sight.owner[pixels[:, 1], pixels[:, 0]]
        self.assertGreater(float((found == number).mean()), 0.985)  # all but pixels on an edge
        bent = replace(CAMERA, k1=TRUE.k1).scaled(width / CAMERA.width)
        _, number = self.solids.met(np.broadcast_to(CAMERA.position, (3000, 3)), bent.rays(pixels + 0.5))
        pictured = sight.pictured()[pixels[:, 1], pixels[:, 0]]
        # But where a bent picture shows more than a straight one of the same size.
        inner = np.abs(pixels - [width / 2, height / 2]).max(1) < 0.4 * height
        self.assertGreater(float((pictured == number)[inner].mean()), 0.985)
        places, owners = sight.places()
        off = [
            abs(float(self.faces[n].normal @ (p - self.faces[n].corners[0])))
            for p, n in zip(places, owners, strict=True)
        ]
        self.assertLess(max(off), 1e-3)

    def test_the_sun_reaches_what_no_side_hides_from_it(self) -> None:
        rng = np.random.default_rng(6)
        points = np.column_stack([rng.uniform(-2.5, 3, 2000), rng.uniform(3, 7, 2000), np.zeros(2000)])
        for way in ([0.3, 0.4, 0.5], [-0.5, 0.2, 0.3], [0.05, 0.02, 1.0]):
            sun = np.array(way) / np.linalg.norm(way)
            shaded = sun_map(self.faces, sun)
            assert shaded
            reach, _ = self.solids.met(points + [0, 0, 1e-6], np.broadcast_to(sun, points.shape))
            self.assertGreater(float((shaded.lit(points) == ~np.isfinite(reach)).mean()), 0.97)

    def test_corners_in_a_row_are_met_by_nothing(self) -> None:
        """The corners of steps lie on a line, and a triangle of those has no area."""
        rng = np.random.default_rng(2)
        for _ in range(40):
            row = rng.uniform(-3, 3, 3) + np.outer([0, 1 / 3, 1], rng.uniform(-1, 1, 3))
            at, ways = rng.uniform(-4, 6, (500, 3)), rng.normal(size=(500, 3))
            reach, _ = solids_of([Face(row)], None).met(at, ways / np.linalg.norm(ways, axis=1, keepdims=True))
            self.assertFalse(np.isfinite(reach).any())

    def test_a_long_wall_takes_and_gives_as_the_closed_form_says(self) -> None:
        height, away = 2.0, 1.5
        wall = Face(np.array([[-500.0, 0, 0], [500, 0, 0], [500, 0, height], [-500, 0, height]]))
        solids = solids_of([wall], None)
        seen = openness(
            np.array([[0.0, -away, 0]]),
            np.array([[0.0, 0, 1]]),
            solids,
            lambda places, *_: np.full((len(places), 3), 0.5, np.float32),
            lambda ways: (ways[..., 2:] > 0) * np.ones(3),
            rays=4096,
        )
        taken = (1 - away / np.hypot(away, height)) / 2  # of level ground's view, by an endless wall
        np.testing.assert_allclose(seen.sky[0], 1 - taken, atol=0.01)
        np.testing.assert_allclose(seen.thrown[0], 0.5 * taken, atol=0.005)

    def test_the_far_side_of_a_wall_is_as_bright_as_its_own_light(self) -> None:
        """In front of a sunlit wall it throws what the photograph shows; behind it as much less as it gets of light."""
        height, away, shade = 2.0, 1.5, np.array([0.1, 0.2, 0.3])
        wall = Face(np.array([[-500.0, 0, 0], [500, 0, 0], [500, 0, height], [-500, 0, height]]))
        solids = solids_of([wall], (wall.normal + [0, 0, 1]) / np.sqrt(2))
        sky = np.ones_like
        far = FarSides(solids, sky, lambda _at, _normal, lit, seen: np.ones(3) if lit else shade * seen.sky[0])
        about = About(solids, np.full((1, 3), 0.5), np.zeros((1, 3)), far, sky)
        taken = (1 - away / np.hypot(away, height)) / 2
        before, behind = (about.at(away * side * wall.normal, np.array([0.0, 0, 1])) for side in (1, -1))
        np.testing.assert_allclose(before.thrown[0], 0.5 * taken, rtol=0.15)
        np.testing.assert_allclose(behind.thrown[0], shade * before.thrown[0], rtol=0.2)  # 128 rays
        # Close behind it another wall: its far side hardly sees the sky.
        both = solids_of([wall, Face(wall.corners - 0.1 * wall.normal)], solids.sun)
        far = replace(far, solids=both)
        np.testing.assert_array_less(far.beside_near(wall.normal[None], np.array([0])), 0.2 * shade[None])
        np.testing.assert_array_equal(far.beside_near(-wall.normal[None], np.array([0])), 1)

    def test_a_side_that_is_not_seen_shows_its_stuff_in_its_own_light(self) -> None:
        """A box with the sun on its front: no photograph shows its back, which lies in shade."""
        shade = np.array([0.1, 0.2, 0.3])
        block = stood(drawn("box", [[-0.6, 5, 0], [0.9, 5, 0], [0.9, 6.2, 0]], [-0.6, 5, 0.8]))
        sun = np.array([0.0, -1.0, 1.0]) / np.sqrt(2)
        front = int(np.argmin([face.corners[:, 1].mean() for face in block.faces]))
        back = int(np.argmax([face.corners[:, 1].mean() for face in block.faces]))
        colour = (0.4, 0.3, 0.2)
        seen = [colour if n == front else None for n in range(len(block.faces))]
        told = drawn("box", [[-0.6, 5, 0], [0.9, 5, 0], [0.9, 6.2, 0]], [-0.6, 5, 0.8], seen=seen)
        answer = proxy_answer(told, block, sun)

        def shown(in_sun: float) -> Array:
            about = about_of(
                [told],
                [answer],
                sun,
                None,
                lambda ways: (ways[..., 2:] > 0) * np.ones(3),
                lambda _at, _normal, lit, _seen: np.full(3, in_sun) if lit else shade,
            )
            assert about
            return about.shown

        np.testing.assert_allclose(shown(1.0)[front], colour)
        np.testing.assert_allclose(shown(1.0)[back], shade * colour, rtol=1e-6)
        self.assertLess(shown(0.0)[back].max(), 3)  # light that is told as none divides nothing

    def test_a_side_that_looks_away_is_not_read_from_what_lies_beside_it(self) -> None:
        slab = stood(drawn("box", [[-1, 5, 2.2], [1, 5, 2.2], [1, 7, 2.2]], [-1, 5, 2.6]), 2.2)
        answer = proxy_answer(drawn("box", [[-1, 5, 2.2], [1, 5, 2.2], [1, 7, 2.2]], [-1, 5, 2.6]), slab, None)
        linear = np.full((CAMERA.height, CAMERA.width, 3), 0.3, np.float32)
        told = sides_seen([answer], linear, CAMERA)["p"].colours
        towards = [float(face.normal @ (TRUE.centre - face.corners[0])) > 0 for face in slab.faces]
        self.assertEqual([colour is not None for colour in told], towards)
        self.assertTrue(towards[-1])  # the camera stands lower than its bottom

    def test_light_does_not_come_through_what_stands_on_a_level(self) -> None:
        """Under a slab at 2 m, as under an arcade's upper wall: closed below, so no sky is seen through it."""
        slab = stood(drawn("box", [[-1, 5, 2], [1, 5, 2], [1, 7, 2]], [-1, 5, 2.4]), 2.0)
        self.assertEqual(len(slab.faces), 6)
        self.assertAlmostEqual(volume(slab), 2 * 2 * 0.4, places=6)
        solids = solids_of(slab.faces, None)
        ways = np.array([[0.0, 0, 1], [0.3, 0.1, 1]])
        reach, number = solids.met(np.array([[0.0, 6, 0], [0.2, 6, 0]]), ways)
        np.testing.assert_allclose(reach, 2.0, rtol=1e-6)
        np.testing.assert_array_less(np.einsum("ij,ij->i", ways, solids.normals[number]), 0)  # its outside

    @given(st.tuples(*[st.floats(0.3, 1.0)] * 3), st.integers(0, 99))
    @settings(max_examples=30, deadline=None)
    def test_what_is_clipped_in_some_channels_is_told_by_the_others(self, tint: Any, seed: int) -> None:
        """Stones of one colour, some darker, some up to twice too bright for the brightest channel."""
        rng = np.random.default_rng(seed)
        true = rng.uniform(0.4, 2.0, (600, 1)) * np.array(tint) / max(tint)
        shown = np.minimum(true, 1)
        found, unsure = restored(shown)
        clipped = shown >= 0.97
        hopeless = clipped.all(1)
        np.testing.assert_array_equal(found[~clipped], shown[~clipped])
        np.testing.assert_allclose(found[~hopeless], true[~hopeless], rtol=0.05)
        np.testing.assert_array_equal(unsure[hopeless], 1)
        np.testing.assert_array_less(unsure[~hopeless & clipped.any(1)], 0.5)
        few, lost = restored(shown[clipped.any(1)])  # nothing is in the same light and not clipped
        np.testing.assert_array_equal(few, shown[clipped.any(1)])
        np.testing.assert_array_equal(lost, clipped[clipped.any(1)])

    def test_a_side_throws_what_the_photograph_shows_of_each_spot_of_it(self) -> None:
        """A plinth before a deep roof's edge: half of its top in the sun, half in shade, and dull where it is."""
        top = [(-3.0, 4.0, 0.0), (3.0, 4.0, 0.0), (3.0, 7.0, 0.0), (-3.0, 7.0, 0.0)]
        roof = [(-3.2, 5.5, 2.5), (3.2, 5.5, 2.5), (3.2, 9.0, 2.5), (-3.2, 9.0, 2.5)]
        small = CAMERA.scaled(0.5)
        rows, columns = np.mgrid[: small.height, : small.width] + 0.5
        there = small.ground_points(np.column_stack([columns.ravel(), rows.ravel()]))
        lit = (there[:, 1] < 5.6).reshape(rows.shape)[..., None]  # the roof is drawn 10 cm too far out
        linear = np.where(lit, [0.6, 0.5, 0.4], [0.06, 0.08, 0.1]).astype(np.float32)
        solids = solids_of([Face(np.array(top)), Face(np.array(roof))], np.array([0.0, 0, 1]))
        spots, means = spots_of(solids, linear, small), np.full((2, 3), 0.3)
        places = np.array([[0.3, 4.3, 0], [0.3, 6.7, 0], [-2.9, 6.9, 0]])
        told = spots.at(places, np.zeros(3, int), means)
        np.testing.assert_allclose(told[0], [0.6, 0.5, 0.4], rtol=0.05)
        np.testing.assert_allclose(told[1], [0.06, 0.08, 0.1], rtol=0.05)
        # Where nothing is seen of it, it is as the nearest spot in the same light, not as the nearest.
        far = (spots.places[:, 1] < 5) | (spots.places[:, 1] > 6.7)
        few = Spots(solids, spots.places[far], spots.numbers[far], spots.colours[far], spots.lit[far])
        np.testing.assert_allclose(few.at(np.array([[0.3, 5.6, 0]]), np.zeros(1, int), means)[0], told[1], rtol=0.05)
        none = Spots(solids, np.zeros((0, 3)), np.zeros(0, int), np.zeros((0, 3)), np.zeros(0, bool))
        np.testing.assert_array_equal(none.at(places, np.zeros(3, int), means), 0.3)

    def test_a_model_that_stands_in_something_is_told_and_one_that_touches_is_not(self) -> None:
        block = stood(drawn("box", [[-0.6, 5, 0], [0.9, 5, 0], [0.9, 6.2, 0]], [-0.6, 5, 0.8]))
        front = block.foot[:, 1].min()
        solids = solids_of(block.faces, None)
        matrix = np.eye(4)
        for place, told in (
            ((0.0, front - 0.251, 0.0), False),  # half a metre deep, a hair before its front
            ((0.0, front - 0.2, 0.0), True),
            ((0.0, 5.6, block.height_m), False),  # on its top
            ((0.0, 5.6, block.height_m - 0.02), True),
            ((0.1, 5.0, 0.0), True),
        ):
            with self.subTest(place=place):
                matrix[:3, 3] = place
                self.assertEqual(runs_into(box((0.5, 0.5, 0.5)), matrix, solids), told)

    def test_light_of_a_panorama_that_a_wall_keeps_out_is_told(self) -> None:
        wall = Face(np.array([[-4.0, 3, 0], [4, 3, 0], [4, 3, 3], [-4, 3, 3]]))
        lens = np.array([0, 0, 1.5])
        rows = 64
        ways = directions(rows)[0]
        with np.errstate(divide="ignore", invalid="ignore"):
            meets = np.where(ways[..., 1:2] > 0, lens + ways * (3 - lens[1]) / ways[..., 1:2], np.nan)
        window = (np.abs(meets[..., 0]) < 1) & (meets[..., 2] > 1) & (meets[..., 2] < 2.5)
        room = np.full((rows, 2 * rows, 3), 0.1, np.float32)
        room[window] = 8.0
        shine, angle = directions(rows)[1][window].sum() * 8.0, directions(rows)[1][~window].sum() * 0.1
        found = kept_out(room, covered_by(rows, np.eye(3), lens, solids_of([wall], None)), np.eye(3), None)
        self.assertAlmostEqual(found, shine / (shine + angle), delta=0.02)
        elsewhere = replace(wall, corners=wall.corners * [1, -1, 1])
        beside = covered_by(rows, np.eye(3), lens, solids_of([elsewhere], None))
        self.assertEqual(kept_out(room, beside, np.eye(3), None), 0)


if __name__ == "__main__":
    unittest.main()
