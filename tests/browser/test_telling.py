"""What the photograph tells, asked with a real mouse: the sun by what was drawn, a colour by the ground beside it."""

from __future__ import annotations

import json
import unittest
from typing import Any

import numpy as np
from proving.screen import Screen, chromium, screen
from proving.server import sample_project
from proving.truth import SAMPLES

BLOCK = "Block"
STONE = "grey stone"  # of the bench
PAVING = [(360, 880), (640, 860)]  # lit ground before the bench [px]


class Telling(unittest.TestCase):
    """One session in the sample project's court."""

    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def photo_click(self, *points: Any) -> None:
        for point in points:
            x, y = self.page.photo(point)
            self.page.page.mouse.move(x, y)
            self.page.page.mouse.click(x, y)

    def undone(self) -> None:
        here = self.page.revision()
        self.page.press("Undo")
        self.page.until(f"window.lithopos.revision < {here}")

    def test_what_the_photograph_tells(self) -> None:
        with sample_project() as server, screen(server) as page:
            self.page = page
            page.until("window.lithopos?.derived?.sun")
            page.turn_to("court")
            page.press("Photo")
            self.drawn_things_tell_the_sun()
            self.a_colour_is_as_on_the_ground_beside_it()

    def drawn_things_tell_the_sun(self) -> None:
        """Without a gnomon, from the outline of the block's shadow alone, clicked where the true sun throws it."""
        page = self.page
        page.step("Light")
        truth = json.loads((SAMPLES / "mason-court.json").read_text())["sun"]
        (block,) = [one for one in self.page.told()["proxies"] if one["name"] == BLOCK]
        (solid,) = [one for one in self.page.told("derived")["proxies"] if one["id"] == block["id"]]
        corners = np.unique(np.round([corner for face in solid["faces"] for corner in face], 4), axis=0)
        tops = corners[corners[:, 2] > 0.1]
        fallen = tops - np.outer(tops[:, 2] / truth["direction"][2], truth["direction"])
        away = np.array(truth["direction"][:2]) @ fallen[:, :2].T
        first, second = fallen[np.argsort(away)[:2]]  # the edge that lies farthest from the sun
        page.unfold("Gnomons")
        self.page.after(lambda: page.page.get_by_role("button", name="Remove gnomon 1").click())
        page.until("!window.lithopos.derived.sun")
        page.unfold("Shadows of drawn things")
        row = page.page.locator("li", has_text=BLOCK)
        row.get_by_role("button", name="Mark its shadow").click()
        for t in (0.05, 0.5, 0.95):
            x, y = page.world(*(first + t * (second - first)))
            page.page.mouse.click(x, y)
        self.page.after(lambda: page.page.keyboard.press("Enter"))
        page.until("window.lithopos.derived.thrown.length === 1")
        self.assertEqual(self.page.told("derived")["thrown"], [block["id"]])
        while self.page.told()["gnomons"] == []:
            self.undone()
        self.assertEqual([one["shadow"] for one in self.page.told()["proxies"] if one["shadow"]], [])

    def a_colour_is_as_on_the_ground_beside_it(self) -> None:
        page = self.page
        page.step("Place")
        page.unfold("Surfaces")
        page.page.get_by_role("button", name=STONE).first.click()
        self.page.after(lambda: page.press("paint"))
        page.press("Take it from the photograph")
        page.press("as the ground beside it")
        self.photo_click(PAVING[0])
        self.page.after(lambda: self.photo_click(PAVING[1]))
        colour = self.page.told()["models"][0]["surfaces"][STONE]["colour"]
        ground = json.loads((SAMPLES / "mason-court.json").read_text())["ground_material"]
        self.assertEqual(ground, "pale stone")
        self.assertTrue(0.2 < colour[1] < 0.45, colour)
        self.assertGreater(colour[0], colour[2])
        # Of another kind, it is still of that colour.
        self.page.after(lambda: page.press("plastic"))
        told = self.page.told()["models"][0]["surfaces"][STONE]
        self.assertEqual((told["kind"], told["colour"]), ("plastic", colour))


if __name__ == "__main__":
    unittest.main()
