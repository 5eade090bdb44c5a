"""Panes on four corners, against rectangles of the tests' own in the world."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.derive import derive
from lithopos.core.errors import NoAnswer
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.place.face import Face
from lithopos.core.place.pane import hung, pane_answer
from lithopos.core.readiness import missing
from lithopos.core.render.influence import influence_of
from lithopos.core.render.scene import build_scene
from lithopos.core.render.session import sized
from lithopos.core.shot import Pane
from tests.core.rendering import SCALE, bench, photograph, sample, tracer
from tests.support import TrueCamera


def rectangle(at: Any, across: Any, down: Any) -> Any:
    at, across, down = (np.asarray(v, float) for v in (at, across, down))
    return np.stack([at, at + across, at + across + down, at + down])


class Hanging(unittest.TestCase):
    def setUp(self) -> None:
        self.true = TrueCamera(size=(1920, 1280), k1=-0.08, heading=80)
        self.camera = Pinhole(
            1500.0, np.array(self.true.axis), self.true.rotation, self.true.centre, 1920, 1280, self.true.k1
        )

    def pane(self, corners: Any, **more: Any) -> Pane:
        pixels = self.true.see(corners)
        return Pane.model_validate({"id": "n", "corners": pixels.tolist(), **more})

    def test_its_corners_come_back_from_width_or_foot_however_it_is_turned(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(40):
            heading, tip = rng.uniform(-0.9, 0.9), rng.uniform(-0.5, 0.5)
            across = np.array([np.cos(heading), np.sin(heading), 0]) * rng.uniform(0.3, 2)
            side = np.array([-np.sin(heading), np.cos(heading), 0])
            down = (np.array([0, 0, -np.cos(tip)]) + np.sin(tip) * side) * rng.uniform(0.3, 1.5)
            corners = rectangle([rng.uniform(-1, 1), rng.uniform(4, 7), rng.uniform(1.2, 2.2)], across, down)
            foot = self.true.see([[*corners[3][:2], 0]])[0]
            for told in ({"width_m": float(np.linalg.norm(across))}, {"foot": foot.tolist()}):
                found = hung(self.pane(corners, **told), self.camera)
                assert not isinstance(found, NoAnswer)
                np.testing.assert_allclose(found.corners, corners, atol=1e-5)
                answer = pane_answer(self.pane(corners, **told), self.camera)
                self.assertAlmostEqual(answer.height_m or 0, float(np.linalg.norm(down)), places=5)
                self.assertAlmostEqual(answer.askew_deg or 0, 0, places=4)

    def test_on_a_wall_that_stands_there_it_lies_flat_and_needs_no_size(self) -> None:
        wall = Face(np.array([[-3.0, 6, 0], [3, 6, 0], [3, 6, 3], [-3, 6, 3]]))
        behind = Face(np.array([[-9.0, 9, 0], [9, 9, 0], [9, 9, 9], [-9, 9, 9]]))
        corners = rectangle([-0.5, 6, 2.1], [1.2, 0, 0], [0, 0, -0.8])
        for told, source in (({}, "wall"), ({"width_m": 1.25}, "width")):
            found = hung(self.pane(corners, **told), self.camera, [behind, wall])
            assert not isinstance(found, NoAnswer)
            np.testing.assert_allclose(found.corners, corners, atol=0.004)
            self.assertEqual((found.scale_from, found.on_wall), (source, True))
        free = hung(self.pane(corners, width_m=0.7), self.camera, [wall])  # stands far before it
        assert not isinstance(free, NoAnswer)
        self.assertFalse(free.on_wall)

    def test_corners_that_cross_or_lie_on_a_line_tell_so(self) -> None:
        good = rectangle([0, 5, 2], [1, 0, 0], [0, 0, -1])
        for order, words in (([0, 2, 1, 3], "go round"), ([0, 0, 2, 2], "line|go round")):
            answer = pane_answer(self.pane(good[order], width_m=1), self.camera)
            self.assertIsNone(answer.corners_m)
            self.assertRegex(answer.reason or "", words)


class Hung(unittest.TestCase):
    """In the sample photograph: what is seen of a pane, and what it changes about it."""

    def scene(self, **told: Any) -> Any:
        told = {"width_m": 1.0, **told}
        corners = [[900, 300], [1300, 310], [1300, 560], [900, 550]]
        pane = {"id": "n", "file": "g.png", "corners": corners, **told}
        red = Graphic(np.full((4, 4, 4), [255, 0, 0, 255], np.uint8))
        shot = sample(models=[], panes=[pane])
        return build_scene(shot, sized(photograph(), SCALE), lambda _: bench(), read_graphic=lambda *_: red)

    def test_one_that_shines_is_as_bright_as_told_wherever_it_hangs(self) -> None:
        made = self.scene(lit="by itself", brightness=2.0, gloss=0.0)
        engine = tracer()
        engine.show(made)
        scale = made.camera.width / 1920
        light = engine.radiance("with", np.array([[int(1100 * scale), int(430 * scale)]], np.int32), 0, 64, 1).sum(1)[0]
        white = engine.irradiance() / np.pi
        self.assertAlmostEqual(float(light[0] / 128 / white[0]), 2.0, delta=0.1)
        self.assertLess(float(light[1] / 128 / white[1]), 0.15)

    def test_one_that_hangs_casts_no_shadow_and_one_that_stands_free_does(self) -> None:
        hangs, free = (influence_of(self.scene(free=free)) for free in (False, True))
        self.assertLess(hangs.changed.sum(), free.changed.sum())
        self.assertTrue((free.changed | ~hangs.changed).all())
        self.assertEqual([r.name for r in self.scene().receivers if not r.receives], ["behind n"])
        self.assertFalse(any(not r.receives for r in self.scene(free=True).receivers))

    def test_beside_things_on_a_level_it_changes_nothing_of_what_receives(self) -> None:
        level = {"levels": [{"id": "l", "height_m": 0.4}]}
        thing = {"id": "m", "file": "m.glb", "position_m": [0.9, -1.7, 0.4], "level": "l"}
        corners = [[900, 300], [1300, 310], [1300, 560], [900, 550]]
        pane = {"id": "n", "corners": corners, "width_m": 1.0, "free": True}

        def heights(panes: list[Any]) -> list[float]:
            shot = sample(**level, models=[thing], panes=panes)
            made = build_scene(shot, sized(photograph(), SCALE), lambda _: bench())
            return [float(patch.vertices[0, 2]) for receiver in made.receivers for patch in receiver.patches]

        self.assertEqual(heights([pane]), heights([]))
        self.assertEqual(set(heights([])), {0.4})

    def test_a_shot_of_a_pane_alone_can_be_rendered(self) -> None:
        self.assertEqual(len(self.scene().models), 1)
        hidden = sample(models=[], panes=[{"id": "n", "corners": [[9, 9], [99, 9], [99, 99], [9, 99]], "hidden": True}])
        self.assertIn("no models", [lack.code for lack in missing(hidden, derive(hidden))])


if __name__ == "__main__":
    unittest.main()
