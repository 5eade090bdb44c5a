"""The camera by hand: what a drag asks for comes true, what is held stays."""

from __future__ import annotations

import unittest

import numpy as np

from lithopos.core.camera.hand import CornerTo, FocalLength, HorizonTo, Turn, hand_fit, pinhole_by_hand
from lithopos.core.camera.problem import HandCamera, ImageSize, Pixel
from lithopos.core.camera.vanishing import Marks
from lithopos.core.errors import InputError
from tests.support import TrueCamera

SIZE = ImageSize(width=1920, height=1280)
ORIGIN: Pixel = (960.0, 1000.0)
HAND = HandCamera(kind="hand", focal_35mm=28, height_m=1.6, tilt_deg=-5, roll_deg=1, heading_deg=60)
SQUARE = 2.0 * np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])


def horizon_at(camera: HandCamera, x: float) -> float:
    ends = pinhole_by_hand(camera, 1920, 1280).horizon()
    assert ends
    return ends[0][1] + x / 1920 * (ends[1][1] - ends[0][1])


class Drags(unittest.TestCase):
    def test_the_horizon_goes_where_it_is_put_and_the_rest_stays(self) -> None:
        moved, origin = hand_fit(HAND, ORIGIN, HorizonTo(kind="horizon", ends=((200, 480), (1700, 530))), SIZE)
        self.assertAlmostEqual(horizon_at(moved, 200), 480, places=6)
        self.assertAlmostEqual(horizon_at(moved, 1700), 530, places=6)
        self.assertEqual(origin, ORIGIN)
        self.assertAlmostEqual(moved.focal_35mm, HAND.focal_35mm)
        self.assertAlmostEqual(moved.heading_deg, HAND.heading_deg, places=9)

    def test_another_focal_length_keeps_the_horizon(self) -> None:
        moved, _ = hand_fit(HAND, ORIGIN, FocalLength(kind="focal", focal_35mm=50), SIZE)
        self.assertAlmostEqual(moved.focal_35mm, 50)
        for x in (0, 1920):
            self.assertAlmostEqual(horizon_at(moved, x), horizon_at(HAND, x), places=6)

    def test_a_turn_brings_the_ground_along(self) -> None:
        before = pinhole_by_hand(HAND, 1920, 1280, ORIGIN)
        point = before.project([[1.5, 0, 0]])[0]
        to = point + [-140, 60]
        moved, _ = hand_fit(
            HAND, ORIGIN, Turn.model_validate({"kind": "turn", "from": tuple(point), "to": tuple(to)}), SIZE
        )
        after = pinhole_by_hand(moved, 1920, 1280, ORIGIN)
        arm, seen = after.ground_points([point, to])[:, :2]
        self.assertAlmostEqual(np.arctan2(seen[1], seen[0]), 0, places=6)
        self.assertAlmostEqual(moved.tilt_deg, HAND.tilt_deg, places=9)
        self.assertGreater(abs(np.arctan2(arm[1], arm[0])), 0.05)

    def test_a_corner_follows_and_what_is_held_stays(self) -> None:
        before = pinhole_by_hand(HAND, 1920, 1280, ORIGIN)
        to = before.project(SQUARE)[2] + [40, -25]
        held = HAND.model_copy(update={"held": ["focal length", "horizon"]})
        for hand in (HAND, held):
            gesture = CornerTo(kind="corner", corner=2, side_m=2, to=(float(to[0]), float(to[1])))
            moved, origin = hand_fit(hand, ORIGIN, gesture, SIZE)
            seen = pinhole_by_hand(moved, 1920, 1280, origin).project(SQUARE)
            self.assertLess(np.linalg.norm(seen[2] - to), 3)
            self.assertLess(np.abs(seen - before.project(SQUARE)).max(), 60)
        self.assertAlmostEqual(moved.focal_35mm, 28)
        self.assertAlmostEqual(horizon_at(moved, 400), horizon_at(HAND, 400), places=6)

    def test_four_corners_of_a_real_square_give_its_camera(self) -> None:
        true = TrueCamera(focal=1600, tilt=-14, roll=0.5, heading=63, height=1.6)
        true.centre = np.array([-1.0, -4.2, 1.6])
        corners = true.see(SQUARE)
        hand = HAND.model_copy(update={"tilt_deg": -12.0, "focal_35mm": 31.0})
        origin: Pixel | None = ORIGIN
        for _ in range(25):  # a patient user goes round
            for corner in range(4):
                to = (float(corners[corner][0]), float(corners[corner][1]))
                hand, origin = hand_fit(hand, origin, CornerTo(kind="corner", corner=corner, side_m=2, to=to), SIZE)
        seen = pinhole_by_hand(hand, 1920, 1280, origin).project(SQUARE)
        self.assertLess(np.abs(seen - corners).max(), 4)

    def test_marked_edges_are_obeyed(self) -> None:
        true = TrueCamera(focal=1493, tilt=-11, roll=2, heading=64)
        lines = [line for line in true.wide_edges(each=4) if line["family"] == "plumb"]
        edges = Marks(
            np.array([p for line in lines for p in line["points"]]), np.full(len(lines), 2), np.full(len(lines), 2)
        )
        hand = HAND.model_copy(
            update={"held": ["edges", "focal length"], "focal_35mm": 1493 * 43.26661 / np.hypot(1920, 1280)}
        )
        moved, _ = hand_fit(
            hand, ORIGIN, Turn.model_validate({"kind": "turn", "from": (1200, 1050), "to": (1180, 1080)}), SIZE, edges
        )
        self.assertAlmostEqual(moved.tilt_deg, -11, delta=0.1)
        self.assertAlmostEqual(moved.roll_deg, 2, delta=0.1)

    def test_what_no_camera_shows_is_refused(self) -> None:
        for gesture, words in (
            (HorizonTo(kind="horizon", ends=((9, 9), (9, 9))), "same point"),
            (HorizonTo(kind="horizon", ends=((0, 1270), (1920, 1270))), "origin above the horizon"),
            (Turn.model_validate({"kind": "turn", "from": (900, 1100), "to": (900, 10)}), "above the horizon"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                hand_fit(HAND, ORIGIN, gesture, SIZE)


if __name__ == "__main__":
    unittest.main()
