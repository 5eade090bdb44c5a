"""Uneven ground: pulled points go through, the border is level, shadows lie where a ray of the tests' own says."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lithopos.core.camera.solve import pinhole_of
from lithopos.core.critique.look import Seen, last_look
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.place.rise import bounds_of, heights_at, laid_out
from lithopos.core.render.render import render_shot
from lithopos.core.render.scene import build_scene
from lithopos.core.render.session import Session, sized
from lithopos.core.shot import Shot, load_shot
from tests.core.rendering import SCALE, box, photograph, sample, tracer

pulled = st.tuples(st.integers(-10, 10), st.integers(-10, 10), st.floats(-2, 2))


class Laid(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(pulled, min_size=1, max_size=6, unique_by=lambda one: one[:2]), st.floats(1.4, 4))
    def test_it_goes_through_every_point_and_is_level_at_its_border(self, told: Any, reach: float) -> None:
        points, heights = np.array(told, float)[:, :2] / 5, np.array(told, float)[:, 2]
        np.testing.assert_allclose(heights_at(points, points, heights, reach), heights, atol=1e-6)
        x0, y0, x1, y1 = bounds_of(points, reach)
        border = np.array([[x0, (y0 + y1) / 2], [x1, y0], [(x0 + x1) / 2, y1], [x0 - 1, y0 - 1]])
        np.testing.assert_allclose(heights_at(border, points, heights, reach), 0, atol=1e-12)
        faces = laid_out(points, heights, reach, 0.5)
        area = sum(float(np.prod(np.ptp(face.corners[:, :2], axis=0))) for face in faces)
        self.assertAlmostEqual(area, (x1 - x0) * (y1 - y0), places=6)
        self.assertTrue(all(float(face.normal[2]) > 0 for face in faces))

    def test_a_single_point_sinks_or_rises_alike_all_round(self) -> None:
        ring = 0.4 * np.column_stack([np.cos(np.arange(8)), np.sin(np.arange(8))])
        at = heights_at(ring + [2, 3], np.array([[2.0, 3]]), np.array([-0.3]), 1.0)
        np.testing.assert_allclose(at, -0.3 * 0.6**4 * 2.6)  # (1 - r)^4 (4 r + 1) at r = 0.4

    def test_points_that_are_one_or_too_far_apart_are_said(self) -> None:
        for points, words in (([[0, 0], [0, 0]], "are the same"), ([[0, 0], [9, 0]], "too far apart")):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                laid_out(np.array(points, float), np.array([0.1, 0.2]), 1.0, 0.0)

    def test_a_rise_needs_a_height_for_each_point(self) -> None:
        rise = {"id": "r", "kind": "rise", "points": [[900, 900]], "heights_m": [], "reach_m": 1}
        with self.assertRaisesRegex(InputError, "a height for each of its points"):
            sample(proxies=[rise])


class UnderAShadow(unittest.TestCase):
    """A box whose shadow falls onto a swell, and into a hollow, that nobody sees in the photograph of flat paving."""

    at, swell, hollow, reach = np.array([0.2, 0.2]), np.array([1.05, 1.05]), np.array([1.5, 0.1]), 1.0
    heights = np.array([0.32, -0.2])
    size = (0.5, 0.5, 1.0)

    def shot(self, drawn: bool = True) -> Shot:
        facts = derive(sample())
        assert facts.camera
        feet = pinhole_of(facts.camera).project([[*self.swell, 0], [*self.hollow, 0]])
        rise = {"id": "r", "kind": "rise", "points": feet.tolist(), "heights_m": self.heights.tolist()}
        rise |= {"reach_m": self.reach, "material": "pale stone"}
        model = {"id": "m", "file": "b.glb", "position_m": [*self.at, 0]}
        sun = {"kind": "hand", "azimuth_deg": 235, "elevation_deg": 36}
        return sample(models=[model], proxies=[rise] if drawn else [], sun=sun)

    def surface(self, flat: Any) -> Any:
        z = heights_at(flat, np.stack([self.swell, self.hollow]), self.heights, self.reach)
        return np.column_stack([flat, z])

    def behind_the_box(self, places: Any, way: Any) -> Any:
        """Whether the box stands on the way (3,) or (N, 3) from places (N, 3): by the slabs of its sides."""
        low = np.array([*(self.at - 0.25), 0.0])
        one, two = (low - places) / way, (low + self.size - places) / way
        into, out = np.minimum(one, two).max(1), np.maximum(one, two).min(1)
        return (into < out) & (out > 0)

    def seen(self, places: Any, eye: Any) -> Any:
        """Whether neither the box nor the ground itself hides places (N, 3)."""
        free = ~self.behind_the_box(places, eye - places)
        for share in np.linspace(0.01, 0.4, 60):
            between = places + share * (eye - places)
            free &= between[:, 2] > self.surface(between[:, :2])[:, 2] - 0.002
        return free

    def test_a_shadow_follows_the_swell_and_the_hollow(self) -> None:
        shot = self.shot()
        facts = derive(shot)
        assert facts.camera and facts.sun_shown
        sun, camera = np.array(facts.sun_shown), pinhole_of(facts.camera).scaled(SCALE)
        flat = np.random.default_rng(2).uniform([0.5, -0.2], [2.4, 2.2], (3000, 2))
        places = self.surface(flat)
        about = [
            self.behind_the_box(self.surface(flat + off), sun)
            for off in 0.06 * np.array([[1, 0], [-1, 0], [0, 1], [0, -1]])
        ]
        truth = self.behind_the_box(places, sun)
        sharp = np.all([one == truth for one in about], axis=0) & self.seen(places, camera.position)
        pixels = camera.project(places).astype(int)

        def agreement(shot: Shot) -> float:
            *_, last = render_shot(
                shot, photograph(), lambda _: box(self.size), scale=SCALE, samples=16, session=Session(None, tracer())
            )
            assert last.picture
            left = last.picture.codes.mean(-1) / np.maximum(sized(photograph(), SCALE).codes.mean(-1), 1)
            return float(np.mean((left[pixels[:, 1], pixels[:, 0]] < 0.85)[sharp] == truth[sharp]))

        self.assertGreater(agreement(shot), 0.99)
        self.assertLess(agreement(self.shot(drawn=False)), 0.96)

    def test_what_stands_on_it_touches_the_ground_under_its_middle(self) -> None:
        def stood(at: Any, z: float) -> Shot:
            model = {"id": "m", "file": "b.glb", "position_m": [*at, z]}
            return load_shot({**self.shot().model_dump(mode="json", by_alias=True), "models": [model]})

        def said(shot: Shot) -> bool:
            return any(line.code == "contact" for line in last_look(shot, derive(shot), Seen()))

        for at in (self.swell, self.hollow, np.array([-1.5, -2.0])):
            true = float(self.surface(at[None])[0, 2])
            base = derive(stood(at, 0.0)).bases["m"]
            self.assertAlmostEqual(base, true, delta=0.025)  # the grid is flat between its corners
            self.assertFalse(said(stood(at, base)))
            self.assertEqual(said(stood(at, 0.0)), true != 0)

    def test_the_ground_is_cut_out_beneath_and_the_rest_of_the_light_is_as_well_known_as_before(self) -> None:
        shot = self.shot()
        made = build_scene(shot, sized(photograph(), SCALE), lambda _: box(self.size))
        x0, y0, x1, y1 = bounds_of(np.stack([self.swell, self.hollow]), self.reach)
        ground = next(receiver for receiver in made.receivers if receiver.name == "ground")
        for patch in ground.patches:
            middles = patch.vertices[patch.faces].mean(1)
            inside = (middles[:, 0] > x0) & (middles[:, 0] < x1) & (middles[:, 1] > y0) & (middles[:, 1] < y1)
            self.assertFalse(inside.any())
        self.assertFalse(any("runs into" in note for note in made.notes), made.notes)


if __name__ == "__main__":
    unittest.main()
