"""Place in full with a real mouse: rows, surfaces, prints, textures, panes, things on things, looking round."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from PIL import Image
from proving.screen import Screen, chromium, screen
from proving.server import sample_project
from proving.truth import SAMPLES

MARK = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 100">
<rect width="300" height="100" fill="#b3402c"/><circle cx="50" cy="50" r="40" fill="#f3eee2"/></svg>"""


class Dressing(unittest.TestCase):
    """One session on the sample project: what each gesture made, and all of it taken back."""

    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def models(self) -> Any:
        return self.page.page.evaluate("window.lithopos.shot.models")

    def bring(self, button: str, file: Path) -> None:
        with self.page.page.expect_file_chooser() as chooser:
            self.page.press(button)
        chooser.value.set_files(file)

    def test_place_in_full(self) -> None:
        with tempfile.TemporaryDirectory() as name, sample_project() as server, screen(server) as page:
            self.page, folder = page, Path(name)
            (folder / "mark.svg").write_text(MARK)
            cup = trimesh.creation.cylinder(0.04, 0.1)
            (folder / "cup.glb").write_bytes(bytes(cup.export(file_type="glb")))
            page.until("window.lithopos?.derived?.camera")
            page.step("Place")
            page.until("window.lithopos.ready")
            begun = page.revision()
            self.row_of_three()
            self.surface_on_all_and_its_repeat()
            self.print_placed_mirrored_and_sized(folder / "mark.svg")
            self.pane_on_the_sign()
            self.cup_on_a_bench_on_a_level(folder / "cup.glb")
            self.round_and_back()
            done = page.revision()
            for _ in range(done - begun + 5):
                if page.revision() == begun:
                    break
                here = page.revision()
                page.page.get_by_role("button", name="Undo").click()
                page.until(f"window.lithopos.revision < {here}")
            shot = page.page.evaluate("window.lithopos.shot")
            self.assertEqual((len(shot["models"]), shot["panes"], shot["models"][0]["prints"]), (1, [], {}))
            self.assertIsNone(shot["models"][0]["row"])

    def row_of_three(self) -> None:
        page = self.page
        page.unfold("Copies in a row")
        self.page.after(lambda: page.press("Along run A"))
        bench = self.models()[0]
        self.assertEqual(bench["row"]["count"], 3)
        # Its end pulled in the picture: towards run B, 1.5 m apart.
        x, y, _ = bench["position_m"]
        way = np.radians(bench["row"]["direction_deg"])
        away = 2 * bench["row"]["spacing_m"]
        end = page.world(x + away * np.cos(way), y + away * np.sin(way))
        self.page.after(lambda: page.drag(end, page.world(x, y + 3.0), steps=10))
        row = self.models()[0]["row"]
        self.assertEqual(row["direction_deg"], 90)  # near to the run it clicks onto it
        self.assertAlmostEqual(row["spacing_m"], 1.5, delta=0.05)
        # Along a line drawn in the picture: the bench to its beginning, the copies as near as before.
        page.press("Draw its line")
        page.page.mouse.click(*page.world(x + 0.5, y))
        self.page.after(lambda: page.page.mouse.click(*page.world(x + 0.5, y + 3.0)))
        bench = self.models()[0]
        np.testing.assert_allclose(bench["position_m"][:2], (x + 0.5, y), atol=0.02)
        np.testing.assert_allclose((bench["row"]["direction_deg"], bench["row"]["spacing_m"]), (90, 1.5), atol=0.5)
        self.assertEqual(bench["row"]["count"], 3)
        done = page.revision()
        page.press("Undo")
        page.until(f"window.lithopos.revision < {done}")

    def surface_on_all_and_its_repeat(self) -> None:
        page = self.page
        page.unfold("Surfaces")
        page.page.get_by_role("button", name="pale stone").first.click()
        self.page.after(lambda: page.press("wood"))
        surface = self.models()[0]["surfaces"]["pale stone"]
        self.assertEqual((surface["kind"], surface["texture"]["file"]), ("wood", "shipped:oak"))
        handle = page.page.get_by_role("button", name="Repeat of the texture of pale stone")
        foot = page.page.get_by_role("button", name="Shift the texture of pale stone")
        start, middle = _centre(handle), _centre(foot)
        twice = (middle[0] + 2 * (start[0] - middle[0]), middle[1] + 2 * (start[1] - middle[1]))
        self.page.after(lambda: page.drag(start, twice))
        repeat = self.models()[0]["surfaces"]["pale stone"]["texture"]["repeat_mm"]
        # Twice as long on the screen, a little more or less in the world by perspective.
        self.assertTrue(700 < repeat < 1000, repeat)

    def print_placed_mirrored_and_sized(self, mark: Path) -> None:
        page = self.page
        page.unfold("Prints")
        self.bring("Bring a picture, drawing or film", mark)
        page.page.get_by_text("Now click on the thing where it shall lie").wait_for()
        x, y, _ = self.models()[0]["position_m"]
        spot = page.world(x, y, 0.45)
        self.page.after(lambda: page.page.mouse.click(*spot))
        bench = self.models()[0]
        ((_, one),) = bench["prints"].items()
        self.assertAlmostEqual(float(np.linalg.norm(one["facing"])), 1, places=3)
        self.page.after(lambda: page.page.get_by_text("mirrored").click())
        width = page.page.get_by_role("textbox", name="Wide").last
        width.fill("320")
        self.page.after(lambda: width.press("Enter"))
        handle = page.page.get_by_role("button", name="Slide the print mark")
        a, b = _centre(handle), _centre(page.page.get_by_role("button", name="Size and turn the print mark"))
        self.page.after(lambda: page.drag(b, (a[0] + 1.5 * (b[0] - a[0]), a[1] + 1.5 * (b[1] - a[1]))))
        ((_, one),) = self.models()[0]["prints"].items()
        self.assertTrue(one["mirrored"])
        self.assertTrue(430 < one["width_mm"] < 530, one["width_mm"])

    def pane_on_the_sign(self) -> None:
        """Over the empty board in the photograph, 0.9 m wide: its true height must come out."""
        page = self.page
        page.unfold("Panes")
        page.page.get_by_role("button", name="Hang mark.svg").last.click()
        (sign,) = json.loads((SAMPLES / "cloister-yard.json").read_text())["signs"]
        *first, last = [page.photo(corner) for corner in sign["corners"]]
        for spot in first:
            page.page.mouse.click(*spot)
        self.page.after(lambda: page.page.mouse.click(*last))
        width = page.page.get_by_role("textbox", name="Wide").last
        width.fill(f"{sign['width_m']:.3f} m")
        self.page.after(lambda: width.press("Enter"))
        (pane,) = page.page.evaluate("window.lithopos.derived.panes")
        self.assertAlmostEqual(pane["height_m"], 1.35, delta=0.05)
        self.assertLess(abs(pane["askew_deg"]), 5)
        self.page.after(lambda: page.press("by itself"))

    def cup_on_a_bench_on_a_level(self, cup: Path) -> None:
        page = self.page
        page.step("Ground")
        page.unfold("Levels")
        self.page.after(lambda: page.press("By its height"))
        page.step("Place")
        page.page.locator("aside button", has_text="Marl bench").first.click()
        self.page.after(lambda: page.press("Level 1"))
        self.page.after(lambda: self.bring("Bring a model", cup))
        page.page.get_by_role("button", name="Cup", exact=True).wait_for()
        page.until("window.lithopos.ready")
        self.page.after(self._stand_on_bench)
        bench, cup_model = self.models()
        self.assertEqual(cup_model["on"], bench["id"])
        self.assertTrue(0.3 < cup_model["position_m"][2] < 0.7, cup_model)
        # The bench slid along: the cup's own place on it stays.
        before = cup_model["position_m"]
        page.page.locator("aside button", has_text="Marl bench").first.click()
        along = page.page.get_by_label("Along x")
        still = self.drawn()
        along.fill("1.2")
        self.page.after(lambda: along.press("Enter"))
        # And it is drawn where it stands now.
        page.page.wait_for_timeout(1500)
        self.assertGreater(float(np.abs(self.drawn() - still).max(-1).mean()), 1.0)
        self.assertEqual(self.models()[1]["position_m"], before)

    def drawn(self) -> Any:
        """The middle of the live view as it is drawn, handles hidden."""
        hide = "for (const one of document.querySelectorAll('[data-testid=stage] svg')) one.style.visibility = "
        self.page.page.evaluate(hide + "'hidden'")
        shot = self.page.page.get_by_test_id("live").locator("canvas").screenshot()
        self.page.page.evaluate(hide + "''")
        return np.asarray(Image.open(io.BytesIO(shot)).convert("RGB"), float)[200:600]

    def _stand_on_bench(self) -> None:
        self.page.page.locator("aside h3 button", has_text="Distances").wait_for()  # below it nothing moves any more
        group = self.page.page.locator("[aria-label='What the Cup stands on']")
        group.get_by_text("Marl bench").click()

    def round_and_back(self) -> None:
        page = self.page
        camera = page.page.evaluate("window.lithopos.derived.camera")
        page.press("Look round")
        page.page.get_by_test_id("round").wait_for()
        page.drag((800, 350), (950, 380))
        page.page.get_by_label("Name of the viewpoint").fill("from the well")
        self.page.after(lambda: page.press("Keep"))
        page.page.get_by_role("button", name="from the well", exact=True).wait_for()
        page.page.keyboard.press("r")
        page.page.get_by_test_id("round").wait_for(state="detached")
        self.assertEqual(page.page.evaluate("window.lithopos.derived.camera"), camera)


def _centre(locator: Any) -> tuple[float, float]:
    box = locator.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


if __name__ == "__main__":
    unittest.main()
