"""Lengths anywhere in the picture, the scale from several, levels; bad edges set aside; what is only expected."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from lithopos.core.camera.problem import CameraAnswer, CameraProblem
from lithopos.core.camera.solve import solve_camera
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.shot import load_shot
from tests.support import TrueCamera

CAMERA = TrueCamera(tilt=-9, heading=55, height=1.7)
FOOT = np.array([1.5, 5.0, 0.0])


def solved(problem: dict[str, Any]) -> CameraAnswer:
    answer = solve_camera(CameraProblem.model_validate(problem))
    assert isinstance(answer, CameraAnswer), answer
    return answer


def length(start: Any, end: Any, **more: Any) -> dict[str, Any]:
    """A length between two world points as its pixels, exact."""
    ends = CAMERA.see([start, end])
    return {"from": ends[0].tolist(), "to": ends[1].tolist(), **more}


GROUND = length(FOOT, FOOT + [1.2, 0.5, 0], metres=1.3)
PLUMB = length(FOOT, FOOT + [0, 0, 2.1], on="plumb", metres=2.1)
WALL_A = length(
    FOOT + [0.2, 0, 0.4], FOOT + [1.4, 0, 1.3], on="wall_a", foot=CAMERA.see([FOOT])[0].tolist(), metres=1.5
)
WALL_B = length(
    FOOT + [0, 0.2, 0.5], FOOT + [0, 1.0, 1.1], on="wall_b", foot=CAMERA.see([FOOT])[0].tolist(), metres=1.0
)
TABLE = length(FOOT + [0, 0, 0.75], FOOT + [0.8, 0.6, 0.75], level_m=0.75, metres=1.0)
EXACT = {"ground": GROUND, "plumb": PLUMB, "wall_a": WALL_A, "wall_b": WALL_B, "on a table": TABLE}


class Lengths(unittest.TestCase):
    def problem(self, *lengths: dict[str, Any], noise: float = 0, seed: int = 0, **more: Any) -> dict[str, Any]:
        return CAMERA.problem(CAMERA.wide_edges(each=4, noise=noise, seed=seed), lengths=list(lengths), **more)

    def test_each_kind_of_yardstick_gives_the_height_of_the_camera(self) -> None:
        for name, stick in EXACT.items():
            with self.subTest(name):
                self.assertAlmostEqual((solved(self.problem(stick)).camera_position or [0])[-1], 1.7, places=6)

    def test_what_one_measures_the_others_tell(self) -> None:
        for name, stick in EXACT.items():
            with self.subTest(name):
                unknown = {key: value for key, value in stick.items() if key != "metres"}
                told = solved(self.problem(PLUMB if name != "plumb" else GROUND, unknown)).lengths[1]
                self.assertAlmostEqual(told.metres or 0, stick["metres"], places=6)

    def test_several_are_weighed_and_their_disagreement_is_shown(self) -> None:
        wrong = {**WALL_A, "metres": 1.5 * 1.08, "plus_minus_m": 0.01}
        answer = solved(self.problem(GROUND, PLUMB, wrong))
        off = [told.off_percent or 0 for told in answer.lengths]
        self.assertEqual(int(np.argmax(np.abs(off))), 2)
        self.assertAlmostEqual(off[2], 100 * np.log(1.08), delta=0.05)
        self.assertTrue(any("Yardstick 3 disagrees" in warning for warning in answer.warnings), answer.warnings)
        agreeing = solved(self.problem(GROUND, PLUMB, WALL_A))
        self.assertEqual(agreeing.warnings, [])
        # The truth stays within what is stated, which disagreement widens.
        height = (answer.camera_position or [0])[-1]
        self.assertLess(abs(height - 1.7), 2 * answer.sigma["height_m"])
        self.assertGreater(answer.sigma["height_m"], 1.5 * agreeing.sigma["height_m"])

    def test_a_known_height_of_the_camera_is_one_more(self) -> None:
        alone = solved(self.problem(camera_height={"metres": 1.9, "plus_minus_m": 0.02}))
        self.assertAlmostEqual((alone.camera_position or [0])[-1], 1.9)
        both = solved(self.problem(GROUND, camera_height={"metres": 1.9, "plus_minus_m": 5}))
        self.assertAlmostEqual((both.camera_position or [0])[-1], 1.7, delta=0.01)

    def test_the_stated_range_of_a_measured_length_holds(self) -> None:
        inside = []
        for seed in range(120):
            rng = np.random.default_rng(seed)

            def off(stick: dict[str, Any], rng: np.random.Generator = rng) -> dict[str, Any]:
                return {
                    k: (np.array(v) + rng.normal(size=2)).tolist() if isinstance(v, list) else v
                    for k, v in stick.items()
                }

            unknown = {key: value for key, value in off(WALL_B).items() if key != "metres"}
            told = solved(self.problem(off(PLUMB), unknown, noise=1, seed=seed)).lengths[1]
            assert told.metres and told.sigma_m
            inside.append(abs(told.metres - 1.0) < 1.96 * told.sigma_m)
        self.assertGreaterEqual(np.mean(inside), 0.92)

    def test_lengths_that_miss_their_surface_say_so(self) -> None:
        sky = {"from": [900, 5], "to": [1000, 5]}
        with self.assertRaisesRegex(InputError, r"lengths\[0\]: an end lies above the horizon"):
            solved(self.problem({**sky, "metres": 1}))
        told = solved(self.problem(GROUND, sky)).lengths[1]
        self.assertIsNone(told.metres)
        self.assertRegex(told.reason or "", "above the horizon")

    def test_a_level_is_measured_over_its_foot_and_carries_lengths(self) -> None:
        pixel = lambda point: CAMERA.see([point])[0].tolist()  # noqa: E731
        edges = [
            {"id": f"e{i}", "run": line["family"], "points": line["points"]}
            for i, line in enumerate(CAMERA.wide_edges(each=4))
        ]
        shot = {
            "photograph": {"file": "a.jpg", "width": 1920, "height": 1280},
            "edges": edges,
            "lengths": [
                {"id": "y", **GROUND},
                {"id": "t", "level": "table", "from": TABLE["from"], "to": TABLE["to"]},
            ],
            "levels": [
                {"id": "table", "foot": pixel(FOOT), "at": pixel(FOOT + [0, 0, 0.75])},
                {"id": "quay", "height_m": -0.4},
            ],
        }
        facts = derive(load_shot({"format": 2, **shot}))
        self.assertAlmostEqual(facts.levels[0].height_m or 0, 0.75, places=6)
        self.assertGreater(facts.levels[0].sigma_m or 0, 0.001)
        self.assertEqual(facts.levels[1].height_m, -0.4)
        self.assertAlmostEqual(facts.lengths[1].metres or 0, 1.0, places=6)


class Beliefs(unittest.TestCase):
    def test_a_badly_drawn_edge_is_found_and_left_out(self) -> None:
        found = 0
        for seed in range(12):
            lines = CAMERA.wide_edges(each=4, noise=0.7, seed=seed)
            start, end = np.array(lines[4]["points"])
            aside = np.array([start[1] - end[1], end[0] - start[0]])
            lines[4]["points"][1] = (end + 20 * aside / np.linalg.norm(aside)).tolist()
            plain, robust = solved(CAMERA.problem(lines)), solved(CAMERA.problem(lines, robust=True))
            found += [line.aside for line in robust.lines] == [i == 4 for i in range(12)]
            better = abs(robust.focal_px / CAMERA.focal - 1) <= abs(plain.focal_px / CAMERA.focal - 1) + 0.01
            self.assertTrue(better, seed)
        self.assertGreaterEqual(found, 10)
        good = solved(CAMERA.problem(CAMERA.wide_edges(each=4, noise=0.7), robust=True))
        self.assertFalse(any(line.aside for line in good.lines))

    def test_an_expected_focal_length_steadies_weak_edges_and_yields_to_strong_ones(self) -> None:
        equivalent = CAMERA.focal * 43.2666 / np.hypot(1920, 1280)
        frontal = TrueCamera(heading=88, tilt=-9)
        prior = {"focal_35mm": equivalent, "width": 0.03}
        weak = solved(frontal.problem(frontal.edges("ab", each=3), focal_prior=prior))
        self.assertLess(weak.sigma["focal_px"] / weak.focal_px, 0.031)
        self.assertIn("focal length", weak.assumed)
        strong = CAMERA.wide_edges(each=8)
        cropped = solved(CAMERA.problem(strong, focal_prior={"focal_35mm": 0.7 * equivalent, "width": 0.03}))
        self.assertAlmostEqual(cropped.focal_px / CAMERA.focal, 1, delta=0.03)
        self.assertTrue(any("was the picture cropped?" in warning for warning in cropped.warnings))

    def test_one_run_with_a_focal_length_gives_a_level_camera(self) -> None:
        level = TrueCamera(tilt=-9, heading=70, roll=0)
        lines = [line for line in level.wide_edges(each=4) if line["family"] == "b"]
        answer = solved(level.problem(lines, focal_px=level.focal))
        self.assertEqual(answer.assumed, ["roll"])
        np.testing.assert_allclose(answer.rotation, level.rotation, atol=0.002)
        self.assertGreater(answer.sigma["roll_deg"], 0.7)

    def test_x_along_any_run(self) -> None:
        lines = CAMERA.wide_edges(each=4)
        first = np.array(solved(CAMERA.problem(lines)).rotation)
        for way, axis in (("b", first[:, 1]), ("-a", -first[:, 0]), ("-b", -first[:, 1])):
            rotation = np.array(solved(CAMERA.problem(lines, x_along=way)).rotation)
            np.testing.assert_allclose(rotation[:, 0], axis, atol=1e-9)
            np.testing.assert_allclose(np.cross(rotation[:, 0], rotation[:, 1]), rotation[:, 2], atol=1e-9)


if __name__ == "__main__":
    unittest.main()
