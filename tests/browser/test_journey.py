"""From an empty project to the delivered picture, by mouse and keyboard, in a real browser."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from proving.screen import LONG_MS, Screen, begin, chromium, screen
from proving.server import running
from proving.truth import model_mask, psnr

from lithopos.core.exchange.decode import read_picture
from lithopos.samples.demo import marks_of
from tests.support import SAMPLES

TRUTH = json.loads((SAMPLES / "cloister-yard.json").read_text())
MARKS = marks_of(TRUTH, noise_px=0)


def mark_edges(page: Screen, runs: str = "ab") -> None:
    page.step("Perspective")
    for run, name in (("a", "Run A"), ("b", "Run B"), ("plumb", "Plumb")):
        if run[0] not in runs:
            continue
        page.page.get_by_role("button", name=name).first.click()
        for edge in MARKS["edges"]:
            if edge["run"] == run:
                page.stroke(*edge["points"])
    page.page.keyboard.press("Escape")


class Journey(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_from_an_empty_project_to_the_downloaded_picture(self) -> None:
        with running() as server, screen(server) as page:
            begin(page)
            mark_edges(page, "abp")
            derived = page.page.evaluate("window.lithopos.derived")
            self.assertAlmostEqual(derived["camera"]["focal_35mm"], TRUTH["camera"]["focal_35mm"], delta=0.8)
            page.page.get_by_test_id("grid").wait_for()
            self.ground(page)
            self.place(page)
            self.light(page)
            self.prove(page)
            self.check_picture(self.deliver(page))

    def ground(self, page: Screen) -> None:
        page.step("Ground")
        page.unfold("Origin")
        page.press("Click on the ground")
        before = page.revision()
        page.page.mouse.click(*page.photo(MARKS["origin"]))
        page.kept(before)
        page.press("On the ground")
        page.stroke(MARKS["lengths"][0]["from"], MARKS["lengths"][0]["to"])
        before = page.revision()
        page.page.get_by_label("Its length").fill(f"{MARKS['lengths'][0]['metres'] * 100:.1f} cm")
        page.page.get_by_label("Its length").press("Enter")
        page.kept(before)
        height = page.page.evaluate("window.lithopos.derived.camera.camera_position[2]")
        self.assertAlmostEqual(height, TRUTH["camera"]["camera_position"][2], delta=0.05)

    def place(self, page: Screen) -> None:
        page.step("Place")
        before = page.revision()
        page.page.locator("aside input[type=file]").set_input_files(SAMPLES / "marl-bench.glb")
        page.kept(before)
        page.until("window.lithopos.ready")
        x, y, _ = TRUTH["model"]["position"]
        before = page.revision()
        puck = page.page.get_by_label("Slide the Marl bench").bounding_box()
        assert puck
        page.drag((puck["x"] + puck["width"] / 2, puck["y"] + puck["height"] / 2), page.world(x, y))
        page.kept(before)
        before = page.revision()
        page.page.get_by_label("Turned").fill(f"{TRUTH['model']['turn_deg']}°")
        page.page.get_by_label("Turned").press("Enter")
        page.kept(before)
        self.assertAlmostEqual(page.page.evaluate("window.lithopos.shot.models[0].position_m[0]"), x, delta=0.04)

    def light(self, page: Screen) -> None:
        page.step("Light")
        for gnomon in MARKS["gnomons"]:
            page.press("Mark a gnomon")
            before = page.revision()
            for mark in ("foot", "top", "tip"):
                page.page.mouse.click(*page.photo(gnomon[mark]))
            page.kept(before)
        sun = page.page.evaluate("window.lithopos.derived.sun")
        self.assertAlmostEqual(sun["elevation_deg"], TRUTH["sun"]["elevation_deg"], delta=1.2)

    def prove(self, page: Screen) -> None:
        page.press("Make a proof")
        page.page.get_by_text("growing finer").wait_for()
        page.page.get_by_text("done · 32 samples a pixel", exact=False).wait_for()
        page.press("Seam")
        seam = page.page.get_by_role("slider", name="Seam between Proof and Photo")
        box = seam.bounding_box()
        assert box
        page.drag((box["x"] + 12, 300), (500, 300))
        self.assertLess(float(seam.get_attribute("aria-valuenow") or 100), 25)
        page.page.evaluate("document.activeElement.blur()")
        page.page.keyboard.down(" ")
        seam.wait_for(state="detached")
        page.page.keyboard.up(" ")
        seam.wait_for()

    def deliver(self, page: Screen) -> Path:
        page.step("Deliver")
        page.unfold("Size and fineness")
        before = page.revision()
        page.page.get_by_label("Samples a pixel").fill("16")
        page.page.get_by_label("Samples a pixel").press("Enter")
        page.kept(before)
        page.press("Make the master")
        link = page.page.locator("li", has_text="Master of revision").get_by_role("link", name="Download PNG")
        link.wait_for(timeout=LONG_MS)
        with page.page.expect_download() as waiting:
            link.click()
        self.assertRegex(waiting.value.suggested_filename, r"^cloister-yard-master-r\d+\.png$")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        target = Path(folder.name) / "master.png"
        waiting.value.save_as(target)
        return target

    def check_picture(self, path: Path) -> None:
        made, photograph = read_picture(path), read_picture(SAMPLES / "cloister-yard.jpg")
        truth = read_picture(SAMPLES / "cloister-yard.truth.jpg")
        body = (
            cv2.dilate(model_mask("cloister-yard", photograph, truth).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        )
        darker = photograph.encoded.mean(-1) - truth.encoded.mean(-1)
        shadow = (cv2.GaussianBlur(darker, (0, 0), 3) > 0.12) & ~body
        self.assertGreater(np.count_nonzero(shadow), 5000)
        own = photograph.encoded.mean(-1) - made.encoded.mean(-1)
        self.assertGreater(np.mean(own[shadow] > 0.08), 0.85, "the shadow falls where the truth has it")
        changed = (np.abs(darker) > 0.02) & ~body
        self.assertGreater(psnr(made, truth, changed & shadow), psnr(photograph, truth, changed & shadow) + 6)
        np.testing.assert_array_equal(made.codes[:500], photograph.codes[:500])


class Editing(unittest.TestCase):
    def test_drag_nudge_undo_strike_out_and_reload(self) -> None:
        with running() as server, screen(server) as page:
            begin(page)
            mark_edges(page)
            revision = page.revision()
            focal = page.page.evaluate("window.lithopos.derived.camera.focal_35mm")
            handle = page.page.get_by_label("Run B edge 1, end 1")
            box = handle.bounding_box()
            assert box
            start = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
            page.page.mouse.move(*start)
            page.page.mouse.down()
            # Farther than the edge is sought in the picture: from there on it is as it is drawn.
            page.page.mouse.move(start[0] + 4, start[1] + 9, steps=4)
            page.until(f"Math.abs(window.lithopos.derived.camera?.focal_35mm - {focal}) > 0.004")
            self.assertEqual(page.revision(), revision, "a drag under way is not a revision")
            self.assertEqual(page.page.locator("canvas").count(), 1, "the loupe is there")
            page.page.mouse.up()
            page.kept(revision)
            self.assertEqual(page.revision(), revision + 1, "a drag is one revision")
            for _ in range(3):  # a held key is one revision
                page.page.keyboard.down("ArrowRight")
            page.page.keyboard.up("ArrowRight")
            page.kept(revision + 1)
            self.assertEqual(page.revision(), revision + 2)
            page.page.keyboard.press("Control+z")
            page.until(f"window.lithopos.revision === {revision + 1}")
            page.page.keyboard.press("Control+z")
            page.until(f"Math.abs(window.lithopos.derived.camera.focal_35mm - {focal}) < 1e-9")
            page.page.get_by_role("button", name="Redo").click()
            page.until(f"window.lithopos.revision === {revision + 1}")
            page.unfold("Edges")
            page.press("Strike out B1")
            page.kept(revision + 2)
            page.page.reload()
            page.until(f"window.lithopos?.revision === {revision + 3}")
            self.assertEqual(page.page.locator("aside h2 [aria-expanded=true]").inner_text().split()[0], "Perspective")

    def test_refusals_are_said_on_the_screen(self) -> None:
        with running() as server, screen(server) as page:
            begin(page)
            page.press("Make a proof")
            page.page.get_by_text("The perspective is not solved yet", exact=False).wait_for()
            page.step("Place")
            with tempfile.TemporaryDirectory() as name:
                broken = Path(name) / "broken.glb"
                broken.write_bytes((SAMPLES / "marl-bench.glb").read_bytes()[:900])
                page.page.locator("aside input[type=file]").set_input_files(broken)
                page.page.get_by_text("is cut off", exact=False).wait_for()
            self.assertEqual(page.revision(), 1)
            # Refusals are answers with a status; the browser's console tells of them, and of nothing else.
            told = [error for error in page.errors if "status of 422" not in error]
            page.errors.clear()
            self.assertEqual(told, [])

    def test_the_demo_opens_finished(self) -> None:
        with running(command="demo") as server, screen(server) as page:
            page.until("window.lithopos?.derived.sun?.elevation_deg > 20")
            page.press("Live")
            page.until("window.lithopos.ready")
            page.press("Proof")
            page.page.get_by_alt_text("Proof of revision", exact=False).wait_for()


if __name__ == "__main__":
    unittest.main()
