"""The camera from edges, against cameras that were made up with other mathematics."""

from __future__ import annotations

import json
import re
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from lithopos.core.camera.advice import PLACES
from lithopos.core.camera.hand import pinhole_by_hand
from lithopos.core.camera.pinhole import focal_px_from_35mm, view_angles
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, HandCamera
from lithopos.core.camera.solve import pinhole_of, solve_camera
from lithopos.core.errors import InputError, NoAnswer
from tests.support import SAMPLES, TrueCamera


def solved(problem: dict[str, Any]) -> CameraAnswer:
    answer = solve_camera(CameraProblem.model_validate(problem))
    assert isinstance(answer, CameraAnswer), answer
    return answer


cameras = st.builds(
    TrueCamera,
    focal=st.floats(900, 3500),
    tilt=st.floats(-25, -3),
    roll=st.floats(-8, 8),
    heading=st.floats(25, 65),
    height=st.floats(0.8, 5),
)


class ExactEdges(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(camera=cameras, runs=st.sampled_from(["ab", "abp", "ap", "bp"]), seed=st.integers(0, 10**6))
    def test_the_truth_comes_back(self, camera: TrueCamera, runs: str, seed: int) -> None:
        origin = camera.see([[1.0, 4.0, 0.0]])[0] if camera.see([[1.0, 4.0, 0.0]])[0][1] > 0 else None
        ends = camera.see(np.array([camera.ground((500, 1200)), camera.ground((1400, 1100))]))
        metres = float(np.linalg.norm(camera.ground((500, 1200)) - camera.ground((1400, 1100))))
        scale = {"from": ends[0].tolist(), "to": ends[1].tolist(), "metres": metres}
        answer = solved(
            camera.problem(
                camera.edges(runs, seed=seed), origin=origin.tolist() if origin is not None else None, scale=scale
            )
        )
        self.assertAlmostEqual(answer.focal_px / camera.focal, 1, delta=1e-6)
        np.testing.assert_allclose(answer.rotation, camera.rotation, atol=1e-6)
        expected = camera.centre - ([1.0, 4.0, 0.0] if origin is not None else 0)
        np.testing.assert_allclose(answer.camera_position or [], expected, atol=1e-4)
        self.assertLess(answer.residual_px, 1e-5)

    def test_a_known_focal_length_needs_fewer_edges(self) -> None:
        camera = TrueCamera(heading=88)  # run A nearly along the picture: edges alone say little
        lines = camera.edges("ap", each=2)
        answer = solved(camera.problem(lines, focal_px=camera.focal))
        np.testing.assert_allclose(answer.rotation, camera.rotation, atol=1e-6)
        self.assertEqual(answer.sigma["focal_px"], 0)

    def test_order_and_direction_do_not_matter_and_size_scales(self) -> None:
        camera = TrueCamera()
        lines = camera.edges("abp")
        one = solved(camera.problem(lines))
        turned = [{**line, "points": line["points"][::-1]} for line in lines[::-1]]
        two = solved(camera.problem(turned))
        np.testing.assert_allclose(one.rotation, two.rotation, atol=1e-9)
        double = [{**line, "points": (2 * np.array(line["points"])).tolist()} for line in lines]
        big = TrueCamera(size=(3840, 2560))
        three = solved(big.problem(double))
        self.assertAlmostEqual(three.focal_35mm, one.focal_35mm, places=6)

    def test_a_line_of_many_points_is_one_edge(self) -> None:
        camera = TrueCamera()
        lines = camera.edges("ab")
        dense = [{**line, "points": np.linspace(line["points"][0], line["points"][1], 7).tolist()} for line in lines]
        self.assertAlmostEqual(solved(camera.problem(dense)).focal_px / camera.focal, 1, delta=1e-6)


class Conventions(unittest.TestCase):
    def test_pixels_axes_and_angles(self) -> None:
        hand = HandCamera(kind="hand", focal_35mm=28, height_m=2, tilt_deg=-10, roll_deg=3, heading_deg=90)
        camera = pinhole_by_hand(hand, 1920, 1280)
        tilt, roll, heading = np.degrees(view_angles(camera.rotation))
        np.testing.assert_allclose([tilt, roll, heading], [-10, 3, 90], atol=1e-9)
        np.testing.assert_allclose(np.linalg.det(camera.rotation), 1)
        level = pinhole_by_hand(hand.model_copy(update={"tilt_deg": 0.0, "roll_deg": 0.0}), 1920, 1280)
        centre, right, up = level.project([[0, 5, 2], [1, 5, 2], [0, 5, 3]])
        np.testing.assert_allclose(centre, [960, 640])
        self.assertGreater(right[0], 960)
        self.assertLess(up[1], 640)

    def test_35mm_equivalent_goes_by_the_diagonal(self) -> None:
        self.assertAlmostEqual(focal_px_from_35mm(43.266615305567875, 3000, 4000), 5000)

    def test_the_ground_comes_back_through_ray_and_homography(self) -> None:
        camera = TrueCamera()
        pinhole = pinhole_of(
            solved(camera.problem(camera.edges("abp"), scale={"from": [500, 1200], "to": [1400, 1100], "metres": 2}))
        )
        pixel = np.array([700.0, 1000.0])
        ground = pinhole.ground_points(pixel)[0]
        np.testing.assert_allclose(pinhole.project(ground)[0], pixel)
        seen = pinhole.ground_homography() @ [ground[0], ground[1], 1]
        np.testing.assert_allclose(seen[:2] / seen[2], pixel)

    def test_x_points_right_or_away_and_the_world_is_never_mirrored(self) -> None:
        for heading in range(0, 360, 15):
            camera = TrueCamera(heading=heading + 7)
            rotation = np.array(solved(camera.problem(camera.edges("abp"))).rotation)
            self.assertAlmostEqual(np.linalg.det(rotation), 1)
            self.assertLess(rotation[1, 2], 0, "z is up")
            right = np.array([rotation[2, 1], -rotation[2, 0]])
            self.assertGreater(right[0] + rotation[2, 0], 0, heading)


class Noise(unittest.TestCase):
    def test_samples_within_two_per_cent_and_honest(self) -> None:
        for name in ("cloister-yard", "sea-terrace"):
            truth = json.loads((SAMPLES / f"{name}.json").read_text())
            good, inside = 0, []
            for seed in range(100):
                rng = np.random.default_rng(seed)
                off = lambda p, rng=rng: (np.asarray(p) + rng.normal(scale=0.7, size=np.shape(p))).tolist()  # noqa: E731
                stick = truth["yardstick"]
                answer = solved(
                    {
                        "image": truth["image"],
                        "lines": [{"family": e["family"], "points": off(e["points"])} for e in truth["edges"]],
                        "scale": {"from": off(stick["from"]), "to": off(stick["to"]), "metres": stick["metres"]},
                    }
                )
                assert answer.camera_position
                focal, height = truth["camera"]["focal_px"], truth["camera"]["camera_position"][2]
                errors = np.array([answer.focal_px - focal, answer.camera_position[2] - height])
                good += bool((np.abs(errors / [focal, height]) < 0.02).all())
                inside.append(np.abs(errors) < 1.96 * np.array([answer.sigma["focal_px"], answer.sigma["height_m"]]))
            self.assertGreaterEqual(good, 95, name)
            self.assertGreaterEqual(np.mean(inside), 0.92, name)


lenses = st.builds(
    TrueCamera,
    focal=st.floats(1100, 2600),
    tilt=st.floats(-22, -6),
    roll=st.floats(-6, 6),
    heading=st.floats(28, 62),
    shift=st.tuples(st.floats(-150, 150), st.floats(-150, 150)),
    k1=st.floats(-0.2, 0.2),
)


class Lens(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(camera=lenses, seed=st.integers(0, 10**6))
    def test_exact_edges_give_principal_point_and_distortion(self, camera: TrueCamera, seed: int) -> None:
        lines = camera.wide_edges(each=6, points=5, seed=seed)
        answer = solved(camera.problem(lines, principal_point="free", distortion="solve"))
        self.assertAlmostEqual(answer.focal_px / camera.focal, 1, delta=1e-5)
        np.testing.assert_allclose(answer.principal_point, camera.axis, atol=0.02)
        self.assertAlmostEqual(answer.distortion_k1, camera.k1, delta=1e-5)
        np.testing.assert_allclose(answer.rotation, camera.rotation, atol=1e-5)

    def test_ignoring_the_lens_is_wrong_with_a_small_residual_and_solving_it_is_not(self) -> None:
        camera = TrueCamera(k1=-0.12, tilt=-15, heading=50)
        lines = camera.wide_edges(each=6, points=5)
        plain, solving = solved(camera.problem(lines)), solved(camera.problem(lines, distortion="solve"))
        self.assertGreater(abs(plain.focal_px / camera.focal - 1), 0.01)
        self.assertAlmostEqual(solving.focal_px / camera.focal, 1, delta=1e-5)

    def test_pixels_and_rays_agree_through_a_bent_lens(self) -> None:
        camera = TrueCamera(k1=-0.15, shift=(60, -40), tilt=-15, heading=50)
        answer = solved(camera.problem(camera.wide_edges(each=6, points=5), principal_point="free", distortion="solve"))
        pinhole = pinhole_of(answer)
        pixels = np.array([[20.0, 30.0], [960.0, 640.0], [1900.0, 1250.0]])
        far = pinhole.position + 7 * pinhole.rays(pixels)
        np.testing.assert_allclose(pinhole.project(far), pixels, atol=1e-6)

    def test_stated_uncertainty_holds(self) -> None:
        for noise, free in ((0.3, False), (1.0, True), (2.5, True)):
            inside = []
            for seed in range(60):
                camera = TrueCamera(k1=-0.08 if free else 0, shift=(40, -60) if free else (0, 0), tilt=-15, heading=50)
                lines = camera.wide_edges(each=6, points=5, noise=noise, seed=seed)
                more = {"principal_point": "free", "distortion": "solve"} if free else {}
                answer = solved(camera.problem(lines, **more))
                errors = {"focal_px": answer.focal_px - camera.focal}
                if free:
                    errors["principal_point_x_px"] = answer.principal_point[0] - camera.axis[0]
                    errors["distortion_k1"] = answer.distortion_k1 - camera.k1
                inside += [abs(error) < 1.96 * answer.sigma[name] for name, error in errors.items()]
            self.assertGreaterEqual(np.mean(inside), 0.92, noise)

    def test_in_the_middle_of_the_cases_it_reaches_the_bound(self) -> None:
        # The Cramér–Rao bound from the truth: derivatives of exact edges by numeric changes of the camera.
        camera, noise = TrueCamera(tilt=-15, heading=50), 1.0
        errors = [
            abs(solved(camera.problem(camera.wide_edges(each=4, noise=noise, seed=seed))).focal_px / camera.focal - 1)
            for seed in range(150)
        ]
        bounds = [focal_bound(camera, camera.wide_edges(each=4, seed=seed), noise) for seed in range(150)]
        self.assertLess(np.median(errors), 1.15 * 0.6745 * np.median(bounds))


def focal_bound(camera: TrueCamera, lines: list[dict[str, Any]], noise: float) -> float:
    """The least standard deviation of the relative focal length, edges' own angles being unknown too."""

    def misses(change: np.ndarray) -> np.ndarray:
        w = change[1:]
        turn = np.array([[1, -w[2], w[1]], [w[2], 1, -w[0]], [-w[1], w[0], 1]]) @ camera.rotation
        focal = camera.focal * np.exp(change[0])
        found = []
        for line in lines:
            p, q = np.array(line["points"][0]) - camera.axis, np.array(line["points"][-1]) - camera.axis
            axis = turn[:, ("a", "b", "plumb").index(line["family"])]
            v = np.array([focal * axis[0], focal * axis[1], axis[2]])
            to_p, to_q = v[:2] - v[2] * p, v[:2] - v[2] * q
            cross = v @ np.array([p[1] - q[1], q[0] - p[0], p[0] * q[1] - p[1] * q[0]])
            found.append(cross / np.sqrt(to_p @ to_p + to_q @ to_q))
        return np.array(found)

    slope = np.column_stack([(misses(1e-6 * axis) - misses(-1e-6 * axis)) / 2e-6 for axis in np.eye(4)])
    return float(np.sqrt(np.linalg.inv(slope.T @ slope)[0, 0]) * noise)


class NoCamera(unittest.TestCase):
    def refuse(self, problem: dict[str, Any], words: str) -> None:
        with self.assertRaisesRegex((InputError, ValidationError), words):
            solve_camera(CameraProblem.model_validate(problem))

    def test_bad_questions_name_field_and_cause(self) -> None:
        camera = TrueCamera()
        lines = camera.edges("ab")
        good = camera.problem(lines)
        cases: list[tuple[dict[str, Any], str]] = [
            (camera.problem(lines[:2]), "lines: too few edges"),
            (camera.problem([*lines[:3], {"family": "b", "points": lines[3]["points"]}][:3]), "two runs"),
            ({**good, "lines": [{"family": "a", "points": [[5, 5], [5, 5]]}]}, "no length"),
            ({**good, "lines": [{"family": "c", "points": [[5, 5], [9, 5]]}]}, "family"),
            ({**good, "lines": [{"family": "a", "points": [[5, 5], [float("nan"), 5]]}]}, "points"),
            ({**good, "origin": [960, 10]}, "origin: lies above the horizon"),
            ({**good, "scale": {"from": [3, 3], "to": [900, 900], "metres": 1}}, "scale: an end"),
            ({**good, "lines": lines[:2] + lines[3:5], "distortion": "solve"}, "distortion: 'solve' needs"),
            ({**good, "principal_point": "free"}, "principal_point: 'free' needs"),
            ({**good, "focal_px": 1500, "focal_35mm": 200}, "contradicts"),
            ({**good, "frobnicate": 1}, "frobnicate"),
        ]
        for problem, words in cases:
            with self.subTest(words):
                self.refuse(problem, words)

    def test_runs_that_give_no_camera_say_which_and_why(self) -> None:
        parallel = [{"family": f, "points": [[100, y], [1800, y]]} for f, y in (("a", 900), ("a", 1100))]
        parallel += [{"family": "b", "points": [[x, 300], [x, 1200]]} for x in (300, 1500)]
        same_side = [{"family": f, "points": p} for f, p in (
            ("a", [[100, 900], [1000, 700]]), ("a", [[100, 1200], [1000, 850]]),
            ("b", [[100, 1000], [900, 500]]), ("b", [[100, 1250], [900, 700]]),
        )]  # fmt: skip
        exact = TrueCamera().edges("ab", each=2)
        twice = [exact[0], exact[0], exact[2], exact[3]]
        for lines, words in (
            (parallel, "run A and run B show no vanishing"),
            (same_side, "same side|disagree"),
            (twice, "edges of run A all lie along one line"),
        ):
            with self.subTest(words):
                answer = solve_camera(CameraProblem.model_validate(TrueCamera().problem(lines)))
                assert isinstance(answer, NoAnswer)
                self.assertRegex(answer.reason, words)

    def test_nonsense_gives_an_answer_or_a_reason_and_never_a_crash_or_a_nan(self) -> None:
        kinds = set()
        for seed in range(60):
            rng = np.random.default_rng(seed)
            width, height = (int(side) for side in rng.choice([1, 16, 640, 1920, 100_000], 2))
            spot = lambda size=(width, height), rng=rng: (rng.uniform(-0.2, 1.2, 2) * size).round(2).tolist()  # noqa: E731
            lines = [
                {
                    "family": str(rng.choice(["a", "b", "plumb"])),
                    "points": [spot() for _ in range(rng.choice([2, 2, 3]))],
                }
                for _ in range(rng.integers(0, 14))
            ]
            problem = {
                "image": {"width": width, "height": height},
                "lines": lines + lines[:1],
                "robust": bool(rng.random() < 0.3),
                "principal_point": str(rng.choice(["centre", "free"])),
                "distortion": str(rng.choice(["none", "solve"])),
                "focal_px": float(10 ** rng.uniform(-3, 6)) if rng.random() < 0.4 else None,
                "origin": spot() if rng.random() < 0.3 else None,
                "lengths": [{"on": "wall_a", "from": spot(), "to": spot(), "metres": 1.0}]
                if rng.random() < 0.3
                else [],
            }
            with self.subTest(seed=seed):
                try:
                    answer = solve_camera(CameraProblem.model_validate(problem))
                except (InputError, ValidationError):
                    kinds.add("refused")
                    continue
                kinds.add(type(answer).__name__)
                if isinstance(answer, CameraAnswer):
                    json.dumps(answer.model_dump(mode="json"), allow_nan=False)
                    self.assertAlmostEqual(np.linalg.det(answer.rotation), 1, places=6)
        self.assertEqual(kinds, {"refused", "NoAnswer", "CameraAnswer"})

    def test_advice_comes_true(self) -> None:
        camera = TrueCamera(heading=70)
        lines = camera.edges("abp", each=2, length=0.6)
        before = solved(camera.problem(lines))
        self.assertTrue(before.warnings)
        told = re.fullmatch(
            r"Another edge (?:of |that is )(run A|run B|plumb), long, (.*), would bring the focal length"
            r" (?:from ± [\d.]+ % )?to ± ([\d.]+) %\.",
            before.advice[0],
        )
        assert told, before.advice
        # The edge that was asked for, drawn exactly: the uncertainty must become what was promised.
        axis = {"run A": 0, "run B": 1, "plumb": 2}[told[1]]
        middle = np.array(PLACES[told[2]]) * camera.size
        x, y, z = camera.rotation[:, axis]
        way = np.array([camera.focal * x, camera.focal * y]) + z * (camera.axis - middle)
        way *= 0.15 * np.hypot(*camera.size) / 2 / np.linalg.norm(way)
        family = ("a", "b", "plumb")[axis]
        lines.append({"family": family, "points": [(middle - way).tolist(), (middle + way).tolist()]})
        after = solved(camera.problem(lines))
        self.assertAlmostEqual(200 * after.sigma["focal_px"] / after.focal_px / float(told[3]), 1, delta=0.25)


if __name__ == "__main__":
    unittest.main()
