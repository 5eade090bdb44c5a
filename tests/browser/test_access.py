"""Every main view for those who see or hear it otherwise: axe-core finds nothing serious."""

from __future__ import annotations

import unittest
from typing import Any

from proving.screen import Screen, chromium, screen
from proving.server import sample_project

from tests.support import ROOT

AXE = ROOT / "frontend/node_modules/axe-core/axe.min.js"
RUN = "axe.run(document, {resultTypes: ['violations'], runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'best-practice']})"


class Access(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def check(self, page: Screen, view: str) -> None:
        # The page's own policy lets no script in from outside: it is evaluated as the debugger's.
        page.page.evaluate(AXE.read_text() + "; 1")
        told: dict[str, Any] = page.page.evaluate(RUN)
        serious = [
            f"{rule['id']}: {node['html'][:160]}"
            for rule in told["violations"]
            if rule["impact"] in ("serious", "critical")
            for node in rule["nodes"]
        ]
        self.assertEqual(serious, [], view)

    def test_nothing_serious_on_any_main_view(self) -> None:
        with sample_project() as server, screen(server) as page:
            page.until("window.lithopos?.derived.sun")
            page.press("Photo")
            for step in ("Photo", "Perspective", "Ground", "Place", "Light", "Contact", "Deliver"):
                page.step(step)
                with self.subTest(step):
                    self.check(page, step)
            ways = {"a project": "Tidewater yard", "a site": "Site: tie the photographs", "all projects": "Lithopos"}
            for view, way in ways.items():
                page.press(way)
                page.page.wait_for_timeout(300)
                with self.subTest(view):
                    self.check(page, view)

    @staticmethod
    def middle_on_plan(page: Screen, thing: str) -> tuple[float, float]:
        """Where a thing is on the plan; its outline grows about it once its model is read."""
        box = page.page.get_by_test_id(f"plan-{thing}").bounding_box()
        assert box
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def test_the_plan_stays_while_a_model_is_slid_and_escape_leaves_no_ghost(self) -> None:
        with sample_project() as server, screen(server) as page:
            page.until("window.lithopos?.derived.sun")
            page.step("Place")
            page.press("Photo")
            before, start = page.revision(), page.page.evaluate("window.lithopos.shot.models[0].position_m")
            x, y = self.middle_on_plan(page, "m1")
            page.drag((x, y), (x + 12, y + 9))
            page.kept(before)
            moved_x, moved_y = self.middle_on_plan(page, "m1")
            self.assertAlmostEqual(moved_x - x, 12, delta=1.5)
            self.assertAlmostEqual(moved_y - y, 9, delta=1.5)
            self.assertNotEqual(page.page.evaluate("window.lithopos.shot.models[0].position_m"), start)
            page.page.keyboard.press("Control+z")
            page.until(f"window.lithopos.revision === {before}")
            # Escape in the middle of a stroke: nothing of it stays, and the rest of the gesture does nothing.
            page.step("Perspective")
            page.page.get_by_role("button", name="Run A").first.click()
            mouse = page.page.mouse
            mouse.move(*page.photo((400, 900)))
            mouse.down()
            mouse.move(*page.photo((900, 950)), steps=4)
            page.page.keyboard.press("Escape")
            mouse.move(*page.photo((1200, 980)), steps=3)
            mouse.up()
            mouse.click(*page.photo((1000, 700)))
            page.page.wait_for_timeout(300)
            self.assertEqual(page.revision(), before)
            # The millimetres that a field shows are what a bare number means, and undo works from a slider.
            page.step("Place")
            page.page.get_by_label("Off the ground").fill("20")
            page.page.get_by_label("Off the ground").press("Enter")
            page.kept(before)
            self.assertAlmostEqual(page.page.evaluate("window.lithopos.shot.models[0].position_m[2]"), 0.02)
            page.step("Light")
            now = page.revision()
            slider = page.page.get_by_role("slider", name="Haze")
            slider.press("ArrowRight")
            page.kept(now)
            slider.press("Control+z")
            page.until(f"window.lithopos.revision === {now}")


if __name__ == "__main__":
    unittest.main()
