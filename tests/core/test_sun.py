"""The sun from gnomons, against shadows that were thrown with other mathematics."""

from __future__ import annotations

import json
import unittest
from typing import Any

import numpy as np

from lithopos.core.camera.problem import CameraAnswer, CameraProblem
from lithopos.core.camera.solve import solve_camera
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.light.sun import SunAnswer, SunProblem, solve_sun
from tests.support import SAMPLES, TrueCamera

CAMERA = TrueCamera(heading=60)
FEET = ([1.2, 4.0], [2.6, 6.5], [3.2, 4.2])


def camera_answer() -> CameraAnswer:
    scale = {
        "from": [500, 1200],
        "to": [1400, 1100],
        "metres": float(np.linalg.norm(CAMERA.ground((500, 1200)) - CAMERA.ground((1400, 1100)))),
    }
    answer = solve_camera(CameraProblem.model_validate(CAMERA.problem(CAMERA.edges("abp", each=5), scale=scale)))
    assert isinstance(answer, CameraAnswer)
    return answer


def gnomon(
    foot: list[float], azimuth_deg: float, elevation_deg: float, height: float = 1.0, footless: bool = False
) -> dict[str, Any]:
    a, e = np.radians([azimuth_deg, elevation_deg])
    reach = height / np.tan(e)
    points = CAMERA.see([[*foot, 0], [*foot, height], [foot[0] - reach * np.cos(a), foot[1] - reach * np.sin(a), 0]])
    marks = dict(zip(("foot", "top", "tip"), points.tolist(), strict=True))
    if footless:
        del marks["foot"]
    return marks


def solve(gnomons: list[dict[str, Any]]) -> SunAnswer | NoAnswer:
    image = {"width": 1920, "height": 1280}
    return solve_sun(
        SunProblem.model_validate({"image": image, "camera": camera_answer().model_dump(), "gnomons": gnomons})
    )


class Sun(unittest.TestCase):
    def test_exact_shadows_give_the_sun_from_any_side(self) -> None:
        for azimuth in (10, 100, 200, 290, 345):
            for elevation in (15, 40, 70):
                for footless in (False, True):
                    with self.subTest(azimuth=azimuth, elevation=elevation, footless=footless):
                        marks = [gnomon(foot, azimuth, elevation, footless=footless) for foot in FEET]
                        answer = solve(marks)
                        assert isinstance(answer, SunAnswer), answer
                        self.assertAlmostEqual((answer.azimuth_deg - azimuth + 180) % 360 - 180, 0, places=3)
                        self.assertAlmostEqual(answer.elevation_deg, elevation, places=3)

    def test_samples_within_one_degree_from_noisy_marks(self) -> None:
        for name in ("cloister-yard", "sea-terrace"):
            truth = json.loads((SAMPLES / f"{name}.json").read_text())
            good = 0
            for seed in range(100):
                rng = np.random.default_rng(seed)
                off = lambda p, rng=rng: (np.asarray(p) + rng.normal(scale=0.7, size=np.shape(p))).tolist()  # noqa: E731
                lines = [{"family": e["family"], "points": off(e["points"])} for e in truth["edges"]]
                camera = solve_camera(CameraProblem.model_validate({"image": truth["image"], "lines": lines}))
                assert isinstance(camera, CameraAnswer)
                marks = [{name: off(p) for name, p in g.items()} for g in truth["gnomons"]]
                sun = solve_sun(
                    SunProblem.model_validate(
                        {"image": truth["image"], "camera": camera.model_dump(), "gnomons": marks}
                    )
                )
                assert isinstance(sun, SunAnswer)
                good += np.degrees(np.arccos(np.dot(sun.direction, truth["sun"]["direction"]))) < 1
            self.assertGreaterEqual(good, 95, name)

    def test_a_shadow_s_own_line_halves_the_azimuth_s_error_and_what_is_stated_holds(self) -> None:
        camera = camera_answer().model_dump()
        off: dict[bool, list[tuple[float, float]]] = {False: [], True: []}
        for seed in range(60):
            rng = np.random.default_rng(seed)
            azimuth, elevation = rng.uniform(150, 330), rng.uniform(20, 55)
            marks = [gnomon(foot, azimuth, elevation) for foot in FEET[:2]]
            for sharp in (False, True):
                drawn = []
                for mark in marks:
                    line = [(np.array(mark[end]) + rng.normal(scale=0.25, size=2)).tolist() for end in ("foot", "tip")]
                    hand = {name: (np.array(p) + rng.normal(scale=0.7, size=2)).tolist() for name, p in mark.items()}
                    drawn.append({**hand, "shadow": {"points": line, "sigma_px": 0.25} if sharp else None})
                told = solve_sun(
                    SunProblem.model_validate(
                        {"image": {"width": 1920, "height": 1280}, "camera": camera, "gnomons": drawn}
                    )
                )
                assert isinstance(told, SunAnswer)
                error = (told.azimuth_deg - azimuth + 180) % 360 - 180
                off[sharp].append((abs(error), told.sigma_deg["azimuth"]))
        by_hand, refined = np.array(off[False]), np.array(off[True])
        self.assertLess(float(np.median(refined[:, 0])), 0.5 * float(np.median(by_hand[:, 0])))
        self.assertGreater(float((refined[:, 0] < 1.96 * refined[:, 1]).mean()), 0.92)

    def test_impossible_gnomons_are_refused_and_doubtful_ones_answered_in_words(self) -> None:
        good = gnomon(FEET[0], 200, 40)
        cases = [
            ({**good, "top": (np.array(good["foot"]) + [0, 90]).tolist()}, "below the horizon"),
            ({**good, "tip": [900, 5]}, "above the horizon"),
            ({**good, "tip": good["top"]}, "same point"),
        ]
        for marks, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                solve([marks])
        alone = solve([gnomon(FEET[0], 200, 40, footless=True)])
        assert isinstance(alone, NoAnswer)
        self.assertIn("foot too, or a second shadow", alone.reason)


if __name__ == "__main__":
    unittest.main()
