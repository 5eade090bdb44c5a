"""Edges found by the program: the camera from them alone, and an honest word where there is nothing."""

from __future__ import annotations

import json
import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.camera.find import FoundEdges, find_edges
from lithopos.core.camera.problem import CameraAnswer, CameraProblem
from lithopos.core.camera.solve import solve_camera
from lithopos.core.exchange.decode import read_picture
from tests.support import SAMPLES, TrueCamera


def camera_of(found: FoundEdges) -> CameraAnswer:
    lines = [line.model_dump() for line in found.lines]
    answer = solve_camera(CameraProblem.model_validate({"image": found.image.model_dump(), "lines": lines}))
    assert isinstance(answer, CameraAnswer), answer
    return answer


def turned_deg(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Angle between two orientations, whichever level run is called A and whichever way the axes point."""
    quarters = [np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1))]
    cosines = [(np.trace(one @ quarter @ other.T) - 1) / 2 for quarter in quarters]
    return float(np.degrees(np.arccos(np.clip(max(cosines), -1, 1))))


def drawn(camera: TrueCamera, seed: int) -> NDArray[np.uint8]:
    """A grainy picture of plain boxes on the ground, drawn face by face through a known camera."""
    rng = np.random.default_rng(seed)
    picture = np.full((*camera.size[::-1], 3), 150, np.uint8)
    feet = sorted(rng.uniform([-5, 3], [6, 14], (14, 2)).tolist(), key=lambda foot: -np.hypot(*foot))
    for x, y in feet:
        w, d, h = rng.uniform(0.7, 2.2, 3)
        corners = np.array([[x + i * w, y + j * d, k * h] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
        if ((corners - camera.centre) @ camera.rotation[2]).min() < 0.5:
            continue
        seen = camera.see(corners)
        for face in ((0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (1, 3, 7, 5)):
            tone = tuple(int(v) for v in rng.integers(40, 230, 3))
            points = np.round(seen[list(face)] * 16 - 8).astype(np.int32)
            normal = np.cross(corners[face[1]] - corners[face[0]], corners[face[2]] - corners[face[0]])
            inside = corners.mean(0) - corners[face[0]]
            if np.sign(normal @ inside) == np.sign(normal @ (camera.centre - corners[face[0]])):
                continue  # seen from behind
            cv2.fillPoly(picture, [points], tone, cv2.LINE_AA, 4)
    grain = rng.normal(scale=4, size=picture.shape)
    return np.clip(picture + grain, 0, 255).astype(np.uint8)


class Finding(unittest.TestCase):
    def check(self, found: FoundEdges, focal: float, rotation: NDArray[np.float64]) -> None:
        self.assertTrue(found.sure, found.reason)
        answer = camera_of(found)
        self.assertAlmostEqual(answer.focal_px / focal, 1, delta=0.05)
        self.assertLess(turned_deg(np.array(answer.rotation), rotation), 1)

    def test_the_sample_photographs(self) -> None:
        for name in ("cloister-yard", "sea-terrace"):
            with self.subTest(name):
                truth = json.loads((SAMPLES / f"{name}.json").read_text())
                found = find_edges(read_picture(SAMPLES / f"{name}.jpg").eight_bit)
                self.check(found, truth["camera"]["focal_px"], np.array(truth["camera"]["rotation"]))

    def test_boxes_through_made_up_cameras_are_right_or_unsure(self) -> None:
        sure = 0
        for seed in range(8):
            rng = np.random.default_rng(seed)
            camera = TrueCamera(
                focal=rng.uniform(1100, 1900),
                tilt=rng.uniform(-18, -6),
                roll=rng.uniform(-4, 4),
                heading=rng.uniform(55, 115),
                height=2.2,
            )
            found = find_edges(drawn(camera, seed))
            sure += found.sure
            if found.sure:
                with self.subTest(seed=seed):
                    self.check(found, camera.focal, camera.rotation)
        self.assertGreaterEqual(sure, 5)

    def test_twice_the_size_gives_the_same_camera(self) -> None:
        camera = TrueCamera(focal=1400, tilt=-12, heading=68, height=2.2)
        picture = drawn(camera, 3)
        large = cv2.resize(picture, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC).astype(np.uint8)
        one, two = camera_of(find_edges(picture)), camera_of(find_edges(large))
        self.assertAlmostEqual(one.focal_35mm / two.focal_35mm, 1, delta=0.02)

    def test_a_picture_with_nothing_to_find_says_so(self) -> None:
        rng = np.random.default_rng(1)
        noise = rng.integers(0, 256, (700, 1000, 3)).astype(np.uint8)
        leaves = np.zeros((700, 1000, 3), np.uint8)
        for x, y in rng.integers(0, 1000, (4000, 2)).tolist():
            tone = tuple(int(v) for v in rng.integers(20, 200, 3))
            axes = (int(rng.integers(5, 20)), int(rng.integers(3, 8)))
            cv2.ellipse(leaves, (x, y), axes, float(rng.uniform(0, 360)), 0, 360, tone, -1, cv2.LINE_AA)
        stripes = np.repeat((np.arange(1000) // 40 % 2 * 255).astype(np.uint8)[None], 700, axis=0)
        for picture in (noise, leaves, stripes, np.full((16, 16), 90, np.uint8)):
            found = find_edges(picture)
            self.assertFalse(found.sure)
            self.assertFalse(found.lines)
            self.assertRegex(found.reason or "", "straight edges|square directions")


if __name__ == "__main__":
    unittest.main()
