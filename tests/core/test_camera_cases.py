"""Random cameras and edges: the truth comes back, the bound is reached, what is stated holds."""

from __future__ import annotations

import unittest
from collections import defaultdict
from typing import Any

import numpy as np

from lithopos.core.camera.problem import CameraAnswer, CameraProblem
from lithopos.core.camera.solve import solve_camera
from tests.core.cases import RUNS, Case, angles, bounds, random_case

SIGMAS = {"tilt": "tilt_deg", "roll": "roll_deg", "heading": "heading_deg", "k1": "distortion_k1"}
SIGMAS |= {"cx": "principal_point_x_px", "cy": "principal_point_y_px"}


def cases(count: int, free: bool, seed: int) -> list[tuple[Case, dict[str, float]]]:
    """Random cases with enough edges to tell the focal length at all."""
    found: list[tuple[Case, dict[str, float]]] = []
    while len(found) < count:
        seed += 1
        case = random_case(seed, free)
        runs = [line["family"] for line in case.lines]
        if min(sorted(runs.count(run) for run in RUNS)[1:] if not free else [runs.count(run) for run in RUNS]) < 2:
            continue
        bound = bounds(case)
        if bound["focal"] < 0.1:
            found.append((case, bound))
    return found


def answer_of(problem: dict[str, Any]) -> CameraAnswer:
    answer = solve_camera(CameraProblem.model_validate(problem))
    assert isinstance(answer, CameraAnswer), answer
    return answer


def errors(case: Case, answer: CameraAnswer) -> dict[str, float]:
    rotation, true = np.array(answer.rotation), case.camera.rotation
    if rotation[:, 0] @ true[:, 0] < 0:  # x the other way along the same run
        rotation = rotation * [-1, -1, 1]
    turned = (angles(rotation) - angles(true) + 180) % 360 - 180
    found = {
        "focal": answer.focal_px / case.camera.focal - 1,
        **dict(zip(("tilt", "roll", "heading"), turned, strict=True)),
    }
    if case.free:
        found["cx"], found["cy"] = np.array(answer.principal_point) - case.camera.axis
        found["k1"] = answer.distortion_k1 - case.camera.k1
    return {name: float(value) for name, value in found.items()}


class RandomCases(unittest.TestCase):
    def test_exact_edges_give_the_truth(self) -> None:
        for free, count in ((False, 60), (True, 25)):
            for case, _ in cases(count, free, seed=9000):
                off = errors(case, answer_of(case.problem(0, 0)))
                self.assertLess(max(abs(value) for value in off.values()), 1e-6, case.camera.__dict__)

    def test_the_bound_is_reached_and_what_is_stated_holds(self) -> None:
        for free, count, most in ((False, 110, 1.15), (True, 50, 1.3)):
            drawn = cases(count, free, seed=20_000)
            for noise in (0.3, 1.0, 2.5):
                ratios, inside = defaultdict(list), list[bool]()
                for number, (case, bound) in enumerate(drawn):
                    if bound["focal"] * noise > 0.1:
                        continue
                    answer = answer_of(case.problem(noise, number))
                    for name, off in errors(case, answer).items():
                        ratios[name].append(abs(off) / bound[name] / noise / 0.6745)
                        sigma = answer.sigma[SIGMAS.get(name, "focal_px")] / (answer.focal_px if name == "focal" else 1)
                        inside.append(abs(off) < 1.96 * sigma)
                with self.subTest(free=free, noise=noise):
                    self.assertGreaterEqual(np.mean(inside), 0.92)
                    # A median of so few has a spread of its own, about a tenth: that much is left to it.
                    for name, values in ratios.items():
                        self.assertLess(np.median(values), most * (1 + 1.25 / np.sqrt(len(values))), name)


if __name__ == "__main__":
    unittest.main()
