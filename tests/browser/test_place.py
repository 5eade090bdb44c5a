"""The Place step with a real mouse: models as they come, set right, taken back."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from proving.screen import chromium, screen
from proving.server import sample_project

from tests.core.test_models import obj, stl


class Bringing(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_an_stl_is_brought_in_and_set_right(self) -> None:
        with tempfile.TemporaryDirectory() as name, sample_project() as server, screen(server) as page:
            folder = Path(name)
            (folder / "sill-planter.stl").write_bytes(stl(60))
            (folder / "crate.obj").write_bytes(b"mtllib c.mtl\nusemtl oak\n" + obj(1))
            (folder / "c.mtl").write_bytes(b"newmtl oak\nKd 0.5 0.3 0.1\nmap_Kd oak.png\n")
            page.until("window.lithopos?.derived?.camera")
            page.step("Place")
            before = page.revision()
            bring = page.page.locator("aside input[type=file]").first
            bring.set_input_files([folder / "sill-planter.stl"])
            page.kept(before)
            # 60 units are more likely a thing of 60 cm than one of 60 m or of 60 mm; it says that it guessed.
            page.page.get_by_text("The file tells no unit").wait_for()
            page.page.get_by_label("Wide").wait_for()
            page.shows("Wide", "600 mm")
            here = page.revision()
            page.press("mm")
            page.kept(here)
            page.shows("Wide", "60 mm")
            here = page.revision()
            page.page.get_by_label("Tall").fill("450")
            page.page.get_by_label("Tall").press("Enter")
            page.kept(here)
            page.shows("Deep", "450 mm")
            here = page.revision()
            page.press("y")
            page.kept(here)
            self.assertEqual(page.page.evaluate("window.lithopos.shot.models[1].up"), "y")
            # It stands beside the bench, not in it.
            first, second = page.page.evaluate("window.lithopos.shot.models.map((m) => m.position_m)")
            self.assertGreater(((first[0] - second[0]) ** 2 + (first[1] - second[1]) ** 2) ** 0.5, 1.0)
            for _ in range(4):
                here = page.revision()
                page.page.get_by_role("button", name="Undo").click()
                page.until(f"window.lithopos.revision < {here}")
            self.assertEqual(page.page.evaluate("window.lithopos.shot.models.length"), 1)
            # The several files of one model together; what is missing of it is said.
            here = page.revision()
            bring.set_input_files([folder / "crate.obj", folder / "c.mtl"])
            page.kept(here)
            page.page.get_by_text("material 'oak' lacks oak.png").first.wait_for()
            # Another surface on one of its materials, its gloss by keyboard, both taken back.
            page.unfold("Surfaces")
            page.page.get_by_role("button", name="oak").first.click()
            here = page.revision()
            page.press("paint")
            page.kept(here)
            made = page.revision()
            page.page.get_by_role("slider", name="Gloss").press("End")
            page.kept(made)
            surfaces = page.page.evaluate("window.lithopos.shot.models[1].surfaces")
            self.assertEqual(surfaces["oak"]["parameters"], {"gloss": 1})
            page.page.keyboard.press("Control+z")
            page.page.keyboard.press("Control+z")
            page.until(f"window.lithopos.revision === {here}")
            self.assertEqual(page.page.evaluate("window.lithopos.shot.models[1].surfaces"), {})


if __name__ == "__main__":
    unittest.main()
