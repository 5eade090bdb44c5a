"""Marks refined on pictures that are painted edge by edge, with noise and JPEG: their truth is the painter's."""

from __future__ import annotations

import io
import unittest
from typing import Any

import cv2
import numpy as np
from PIL import Image

from lithopos.core.camera.problem import CameraProblem
from lithopos.core.camera.solve import solve_camera
from lithopos.core.errors import NoAnswer
from lithopos.core.marks.point import sharp_end
from lithopos.core.marks.sharp import sharpened
from tests.support import TrueCamera

SIZE = (640, 480)
OVER = 8  # painted so many times as large, then made small: edges as a camera's pixels see them
HAND_PX = 0.7


def painted(rng: np.random.Generator, shapes: list[tuple[Any, float]]) -> Any:
    """Polygons in pixels with their tones, on textured ground, as a noisy JPEG."""
    wide, high = SIZE
    large = np.full((high * OVER, wide * OVER), 0.5, np.float32)
    for corners, tone in shapes:
        cv2.fillPoly(large, [np.round(np.asarray(corners) * OVER - 0.5).astype(np.int32)], tone)
    picture = cv2.resize(large, SIZE, interpolation=cv2.INTER_AREA)
    texture = cv2.GaussianBlur(rng.normal(size=(high, wide)).astype(np.float32), (0, 0), 2.0)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) * (1 + 0.15 * texture) + rng.normal(scale=0.01, size=(high, wide))
    codes = (np.clip(picture, 0, 1) * 255 + 0.5).astype(np.uint8)
    held = io.BytesIO()
    Image.fromarray(np.repeat(codes[..., None], 3, axis=2)).save(held, "JPEG", quality=90)
    return np.asarray(Image.open(held))


def drawn(rng: np.random.Generator, start: Any, end: Any) -> tuple[Any, Any]:
    """Both ends as a hand marks them."""
    a, b = (np.asarray(end, float) + rng.normal(scale=HAND_PX, size=2) for end in (start, end))
    return (float(a[0]), float(a[1])), (float(b[0]), float(b[1]))


class Sharpened(unittest.TestCase):
    def errors(self, stripe: bool) -> tuple[Any, Any, int]:
        """Distances of refined ends from the painted line, over what is stated, and how many strokes were lost."""
        rng = np.random.default_rng(5)
        off, stated, lost = [], [], 0
        for _ in range(40):
            angle = rng.uniform(0, np.pi)
            way = np.array([np.cos(angle), np.sin(angle)])
            across = np.array([-way[1], way[0]])
            middle = np.array([320.0, 240.0]) + rng.uniform(-40, 40, 2)
            half = rng.uniform(40, 110)
            far = 700 if not stripe else rng.uniform(1.5, 4)
            near = 0.0 if not stripe else -far
            corners = [middle + s * 900 * way + d * across for s, d in ((-1, near), (1, near), (1, far), (-1, far))]
            picture = painted(rng, [(corners, rng.uniform(0.15, 0.35))])
            a, b = middle - half * way, middle + half * way
            line = sharpened(picture, *drawn(rng, a, b), "stripe" if stripe else "edge")
            if line is None:
                lost += 1
                continue
            off += [abs(float((np.array(p) - middle) @ across)) for p in (line.points[0], line.points[-1])]
            stated += [line.sigma_px] * 2
        return np.array(off), np.array(stated), lost

    def test_edges_and_stripes_are_found_to_a_fifth_of_a_pixel_and_say_how_well(self) -> None:
        for stripe in (False, True):
            with self.subTest(stripe=stripe):
                off, stated, lost = self.errors(stripe)
                self.assertLess(lost, 6)
                self.assertLess(float(np.median(off)), 0.2)
                self.assertGreater(float((off < 1.96 * stated).mean()), 0.9)

    def test_where_no_edge_is_the_hand_s_stroke_stays(self) -> None:
        rng = np.random.default_rng(6)
        picture = painted(rng, [])
        for kind in ("edge", "stripe"):
            found = [sharpened(picture, *drawn(rng, (200, 100 + 20 * n), (420, 110 + 18 * n)), kind) for n in range(12)]
            self.assertLessEqual(sum(line is not None for line in found), 2)
        self.assertIsNone(sharpened(picture, (100.0, 100.0), (105.0, 103.0), "edge"))
        outside = sharpened(picture, (-300.0, -300.0), (-200.0, -280.0), "edge")
        self.assertIsNone(outside)

    def test_a_post_s_top_is_found_and_a_rival_edge_leaves_the_mark_to_the_hand(self) -> None:
        rng = np.random.default_rng(11)
        off, stated = list[float](), list[float]()
        for _ in range(20):
            top, lean = rng.uniform(90, 160), rng.uniform(-20, 20)
            post = [(317 + lean, top), (323 + lean, top), (323, 400), (317, 400)]
            picture = painted(rng, [(post, float(rng.uniform(0.1, 0.3)))])
            (foot, end) = drawn(rng, (320, 395), (320 + lean, top))
            stem = sharpened(picture, foot, end, "stripe")
            found = sharp_end(picture, stem, end) if stem else None
            if found:
                off.append(abs(found.at[1] - top))
                stated.append(found.sigma_px)
        self.assertGreater(len(off), 16)
        self.assertLess(float(np.median(off)), 0.2)
        self.assertGreater(float((np.array(off) < 1.96 * np.array(stated)).mean()), 0.9)
        assert stem
        self.assertIsNone(sharp_end(picture, stem, (320.0, 300.0)), "it goes on there")
        joint = [(100.0, 200.0), (500.0, 200.0), (500.0, 203.6), (100.0, 203.6)]
        middle = sharpened(painted(rng, [(joint, 0.25)]), (150.0, 201.1), (450.0, 202.3), "edge")
        assert middle
        for _, y in middle.points:
            self.assertAlmostEqual(y, 201.8, delta=0.25)
        far = [(x, y + 4 * (y > 202)) for x, y in joint]
        self.assertIsNone(sharpened(painted(rng, [(far, 0.25)]), (150.0, 203.8), (450.0, 203.8), "edge"))

    def test_of_a_narrow_face_s_two_edges_the_one_that_was_drawn_counts_though_the_other_is_clearer(self) -> None:
        rng = np.random.default_rng(12)
        off = []
        for n in range(20):
            width = rng.uniform(3.0, 4.0)
            face = [(320.0, -20.0), (320 + width, -20.0), (320 + width, 500.0), (320.0, 500.0)]
            beyond = [(320 + width, -20.0), (700.0, -20.0), (700.0, 500.0), (320 + width, 500.0)]
            picture = painted(rng, [(face, 0.72), (beyond, 0.34)])  # before ground of 0.5
            meant = 320.0 if n % 2 else 320 + width
            line = sharpened(picture, *drawn(rng, (meant, 180.0), (meant, 290.0)), "edge")
            off += [abs(x - meant) for x, _ in line.points] if line else []
        self.assertGreater(len(off), 30)
        self.assertGreater(float((np.array(off) < 0.6).mean()), 0.94)

    def test_a_bent_edge_is_told_by_more_points(self) -> None:
        rng = np.random.default_rng(7)
        x = np.linspace(-50, 700, 400)
        y = 240 + 3.0 * ((x - 320) / 200) ** 2
        shape = np.column_stack([np.append(x, [700, -50]), np.append(y, [900, 900])])
        picture = painted(rng, [(shape, 0.25)])
        line = sharpened(picture, (120.0, 243.0), (520.0, 243.0), "edge")
        assert line
        self.assertEqual(len(line.points), 5)
        for px, py in line.points:
            self.assertAlmostEqual(py, 240 + 3.0 * ((px - 320) / 200) ** 2, delta=0.3)

    def test_a_camera_from_refined_edges_is_at_least_twice_as_good(self) -> None:
        by_hand, refined = list[float](), list[float]()
        for seed in range(9):
            rng = np.random.default_rng(100 + seed)
            camera = TrueCamera(size=SIZE, focal=560, tilt=-8, heading=float(rng.uniform(25, 65)))
            strokes, sharp = list[dict[str, Any]](), list[dict[str, Any]]()
            for edge in camera.wide_edges(each=4, seed=seed):
                a, b = np.array(edge["points"])
                across = 300 * np.array([-(b - a)[1], (b - a)[0]]) / np.linalg.norm(b - a)
                corners = [2 * a - b, 2 * b - a, 2 * b - a + across, 2 * a - b + across]
                stroke = drawn(rng, a, b)
                line = sharpened(painted(rng, [(corners, float(rng.uniform(0.15, 0.35)))]), *stroke, "edge")
                strokes.append({**edge, "points": stroke})
                found = {"points": line.points, "sigma_px": line.sigma_px} if line else {"points": stroke}
                sharp.append({**edge, **found})
            for lines, told in ((strokes, by_hand), (sharp, refined)):
                problem = {"image": {"width": SIZE[0], "height": SIZE[1]}, "lines": lines}
                answer = solve_camera(CameraProblem.model_validate(problem))
                assert not isinstance(answer, NoAnswer)
                told.append(abs(answer.focal_px / 560 - 1))
        self.assertLess(float(np.median(refined)), 0.5 * float(np.median(by_hand)))


if __name__ == "__main__":
    unittest.main()
