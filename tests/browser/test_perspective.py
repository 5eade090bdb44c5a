"""The perspective step in a real browser: strokes, bends, found edges, walls, the hand, the keyboard."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from proving.screen import Screen, chromium, screen
from proving.server import running

from lithopos.core.camera.problem import CameraAnswer, CameraProblem
from lithopos.core.camera.solve import solve_camera
from tests.support import SAMPLES, TrueCamera

BENT = TrueCamera(focal=1300, tilt=-14, heading=52, k1=-0.12)
NAMES = {"a": "Run A", "b": "Run B", "plumb": "Plumb"}


@contextmanager
def opened(photograph: Path) -> Iterator[Screen]:
    """The perspective step of a new shot."""
    with running() as server, screen(server) as page:
        page.page.get_by_label("Name of the new project").fill("Slipway")
        page.press("Make project")
        page.page.get_by_role("button", name="Choose a photograph").wait_for()
        page.page.locator("input[type=file]").set_input_files(photograph)
        page.page.get_by_test_id("photograph").wait_for()
        page.until("window.lithopos?.revision === 1")
        page.step("Perspective")
        yield page


def plain_picture(folder: str) -> Path:
    path = Path(folder) / "plain.png"
    cv2.imwrite(str(path), np.full((1280, 1920, 3), 150, np.uint8))
    return path


def camera(page: Screen) -> Any:
    return page.page.evaluate("window.lithopos.derived.camera")


def grip(page: Screen, label: str) -> tuple[float, float]:
    """The middle of a handle on the page."""
    box = page.page.get_by_label(label, exact=True).bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def pull(page: Screen, label: str, to: Any) -> None:
    """Drag a handle to a pixel of the photograph; one revision."""
    before = page.revision()
    page.drag(grip(page, label), page.photo(to))
    page.kept(before)


class Marking(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_three_strokes_a_run_give_a_camera_and_all_can_be_undone(self) -> None:
        true = TrueCamera(focal=1450, tilt=-11, heading=55)
        with tempfile.TemporaryDirectory() as folder, opened(plain_picture(folder)) as page:
            for line in sorted(true.wide_edges(each=3), key=lambda line: line["family"]):
                button = page.page.get_by_role("button", name=NAMES[line["family"]]).first
                if button.get_attribute("aria-pressed") == "false":
                    button.click()
                page.stroke(*line["points"])
            page.page.keyboard.press("Escape")
            solved = camera(page)
            self.assertAlmostEqual(solved["focal_px"] / true.focal, 1, delta=0.01)
            self.assertEqual(solved["trust"], "good")
            page.page.get_by_text("The grid can be relied on.").wait_for()
            self.assertEqual(len(solved["lines"]), 9)
            start, end = np.array(page.page.evaluate("window.lithopos.shot.edges[0].points"))
            pull(page, "Run A edge 1, end 2", end + 0.15 * np.array([start[1] - end[1], end[0] - start[0]]))
            page.unfold("Edges")
            page.page.get_by_text("set aside, off by").wait_for()
            page.press("Undo")
            page.page.get_by_text("set aside, off by").wait_for(state="hidden")
            before = page.revision()
            for left in range(8, -1, -1):
                before = page.revision()
                page.page.keyboard.press("Control+z")
                page.until(f"window.lithopos.revision === {before - 1}")
                page.until(f"document.querySelectorAll('aside li').length === {left}")
            self.assertIsNone(camera(page))

    def test_a_bent_edge_tells_the_lens(self) -> None:
        with tempfile.TemporaryDirectory() as folder, opened(plain_picture(folder)) as page:
            counts = {"a": 0, "b": 0, "plumb": 0}
            for line in BENT.wide_edges(each=3, points=3, seed=2):
                run, (first, middle, last) = line["family"], line["points"]
                counts[run] += 1
                page.page.get_by_role("button", name=NAMES[run]).first.click()
                page.stroke(first, last)
                page.page.keyboard.press("Escape")
                page.page.get_by_role("button", name=f"{NAMES[run]} edge {counts[run]}, end 1").focus()
                page.unfold("Edges")
                page.page.locator(f"aside li >> text={NAMES[run]}").nth(counts[run] - 1).click()
                pull(page, f"Bend {NAMES[run]} edge {counts[run]} in span 1", middle)
            self.assertAlmostEqual(camera(page)["distortion_k1"], BENT.k1, delta=0.02)
            page.page.get_by_text("Lens bend k₁").wait_for()
            # A bend can be taken out again by the keyboard.
            before = page.revision()
            page.page.get_by_label("Run A edge 1, bend 1").focus()
            page.page.keyboard.press("Delete")
            page.kept(before)
            page.page.get_by_label("Run A edge 1, bend 1").wait_for(state="detached")
            page.page.keyboard.press("Control+z")
            page.page.get_by_label("Run A edge 1, bend 1").wait_for()

    def test_the_keyboard_alone_marks_edges(self) -> None:
        true = TrueCamera(focal=1450, tilt=-11, heading=55)
        with tempfile.TemporaryDirectory() as folder, opened(plain_picture(folder)) as page:
            keyboard = page.page.keyboard
            lines = [line for line in true.wide_edges(each=2) if line["family"] != "plumb"]
            for line in lines:
                line["points"] = (np.round(np.array(line["points"]) / 5) * 5).tolist()
                keyboard.press(line["family"])
                at = np.array([960, 640])
                before = page.revision()
                for end in np.array(line["points"]):
                    walk(page, end - at)
                    at = end
                    keyboard.press("Enter")
                page.kept(before)
                keyboard.press("Escape")
            expected = solve_camera(CameraProblem.model_validate(true.problem(lines)))
            assert isinstance(expected, CameraAnswer)
            self.assertAlmostEqual(camera(page)["focal_px"], expected.focal_px, places=3)
            before, point = page.revision(), page.page.evaluate("window.lithopos.shot.edges[0].points[0]")
            page.page.get_by_label("Run A edge 1, end 1").focus()
            keyboard.press("ArrowDown")
            page.kept(before)
            moved = page.page.evaluate("window.lithopos.shot.edges[0].points[0]")
            np.testing.assert_allclose(np.subtract(moved, point), [0, 0.1], atol=1e-9)

    def test_found_edges_are_proposed_chosen_and_taken(self) -> None:
        with opened(SAMPLES / "sea-terrace.jpg") as page:
            page.press("Find edges for me")
            page.page.get_by_role("checkbox").first.wait_for()
            every = page.page.get_by_role("checkbox", name="Proposed edge").count()
            page.page.get_by_role("checkbox", name="Proposed edge 1 of").press("Enter")
            page.page.get_by_role("button", name="Plumb ·", exact=False).click()
            taken = page.page.get_by_role("checkbox", name="Proposed edge", checked=True).count()
            self.assertLess(taken, every - 1)
            page.press(f"Take {taken} edges")
            page.kept(1)
            self.assertEqual(len(camera(page)["lines"]), taken)
            self.assertEqual(page.page.evaluate("window.lithopos.shot.edges.some((e) => e.run === 'plumb')"), False)
            self.check_clicking_onto(page)

    def check_clicking_onto(self, page: Screen) -> None:
        """A stroke beside a found edge clicks onto it; with Shift held it stays where it was drawn."""
        sha256 = page.page.evaluate("window.lithopos.shot.photograph.file.slice(7)")
        found = page.server.ask("GET", f"/files/{sha256}/edges")["segments"]
        start, end = np.array(max(found, key=lambda s: np.hypot(s[2] - s[0], s[3] - s[1]))).reshape(2, 2)
        way = (end - start) / np.linalg.norm(end - start)
        aside = np.array([-way[1], way[0]])
        page.page.get_by_role("button", name="Run A").first.click()
        for shares, held, off in (((0.15, 0.42), False, 0.0), ((0.58, 0.85), True, 2.0)):
            if held:
                page.page.keyboard.down("Shift")
            page.stroke(*[start + share * (end - start) + 2 * aside for share in shares])
            point = page.page.evaluate("window.lithopos.shot.edges.at(-1).points[0]")
            self.assertAlmostEqual(float((point - start) @ aside), off, delta=0.3)
        page.page.keyboard.up("Shift")


def walk(page: Screen, way: np.ndarray) -> None:
    """Arrow keys along x and y: fifty pixels with Shift, five without."""
    for steps, (minus, plus) in zip(way, (("ArrowLeft", "ArrowRight"), ("ArrowUp", "ArrowDown")), strict=True):
        key = plus if steps > 0 else minus
        for _ in range(abs(int(steps)) // 50):
            page.page.keyboard.press(f"Shift+{key}")
        for _ in range(abs(int(steps)) % 50 // 5):
            page.page.keyboard.press(key)


class Measuring(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_a_yardstick_on_a_wall_sets_the_scale_and_a_level_is_pointed_at(self) -> None:
        true = TrueCamera(focal=1450, tilt=-11, heading=55, height=1.7)
        foot = np.array([1.4, 4.6, 0.0])
        see = lambda *points: [true.see([foot + point])[0].tolist() for point in points]  # noqa: E731
        with tempfile.TemporaryDirectory() as folder, opened(plain_picture(folder)) as page:
            edges = [
                {"id": f"e{i}", "run": line["family"], "points": line["points"]}
                for i, line in enumerate(true.wide_edges(each=3))
            ]
            shot = page.page.url.rsplit("/", 1)[1]
            page.server.ask("PATCH", f"/shots/{shot}", {"revision": 1, "patch": {"edges": edges}})
            page.page.reload()
            page.until("window.lithopos?.derived.camera")
            page.step("Ground")
            page.press("On a wall along A")
            grab = grip(page, "Move the wall by its foot")
            page.drag(grab, page.photo(see([0, 0, 0])[0]))
            page.stroke(*see([0.2, 0, 0.5], [1.0, 0, 1.1]))
            before = page.revision()
            page.page.get_by_label("Its length").fill("100cm")
            page.page.get_by_label("Its length").press("Enter")
            page.kept(before)
            self.assertAlmostEqual(camera(page)["camera_position"][2], 1.7, delta=0.02)
            # Anything else is measured by it, also up a plumb line; a level by its edge.
            page.press("Plumb")
            page.stroke(*see([0.3, 0.3, 0], [0.3, 0.3, 2.1]))
            told = page.page.evaluate("window.lithopos.derived.lengths[1]")
            self.assertAlmostEqual(told["metres"], 2.1, delta=0.03)
            page.page.locator("aside").get_by_text("2.1", exact=False).first.wait_for()
            page.unfold("Levels")
            page.press("Point at a level")
            before = page.revision()
            for point in see([0.5, 0.2, 0], [0.5, 0.2, 0.75]):
                page.page.mouse.click(*page.photo(point))
            page.kept(before)
            self.assertAlmostEqual(page.page.evaluate("window.lithopos.derived.levels[0].height_m"), 0.75, delta=0.02)
            for _ in range(4):
                before = page.revision()
                page.press("Undo")
                page.until(f"window.lithopos.revision < {before}")
            self.assertEqual(page.page.evaluate("window.lithopos.shot.lengths"), [])

    def test_the_camera_by_hand_alone(self) -> None:
        with tempfile.TemporaryDirectory() as folder, opened(plain_picture(folder)) as page:
            page.press("Set the camera by hand instead")
            page.page.get_by_label("Horizon, whole").wait_for()
            pull(page, "Horizon, whole", (960, 400))
            ends = camera(page)["horizon"]
            self.assertAlmostEqual((ends[0][1] + ends[1][1]) / 2, 400, delta=1)
            before = page.revision()
            page.page.get_by_label("Focal length (35 mm eq.)").fill("35 mm")
            page.page.get_by_label("Focal length (35 mm eq.)").press("Enter")
            page.kept(before)
            self.assertAlmostEqual(camera(page)["focal_35mm"], 35, delta=0.01)
            self.assertAlmostEqual(np.mean(camera(page)["horizon"], axis=0)[1], 400, delta=1)
            heading = camera(page)["heading_deg"]
            x, y = grip(page, "Turn about the origin")
            before = page.revision()
            page.drag((x, y), (x + 40, y - 30))
            page.kept(before)
            self.assertGreater(abs(camera(page)["heading_deg"] - heading), 2)
            for held in ("Focal length", "Horizon"):
                before = page.revision()
                page.press(held)
                page.kept(before)
            x, y = grip(page, "Corner 3 of the slab")
            before = page.revision()
            page.drag((x, y), (x + 25, y - 12))
            page.kept(before)
            now = grip(page, "Corner 3 of the slab")
            np.testing.assert_allclose(now, (x + 25, y - 12), atol=3)
            self.assertAlmostEqual(camera(page)["focal_35mm"], 35, delta=0.01)
            self.assertAlmostEqual(np.mean(camera(page)["horizon"], axis=0)[1], 400, delta=1)
            page.step("Perspective")
            page.page.locator("aside h2 [aria-expanded=true]", has_text="35.0 mm").wait_for()


if __name__ == "__main__":
    unittest.main()
