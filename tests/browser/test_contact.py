"""Contact with a real mouse: what stands there is drawn, pulled and slid; what stands in front; a proof with both."""

from __future__ import annotations

import unittest

from proving.screen import LONG_MS, Screen, chromium, screen
from proving.server import sample_project

# Of the sea terrace: the flight of steps, a pier of the balustrade, the house's wall, in its own metres.
FLIGHT = [(-3.85, 0.05, 0), (-3.85, 2.15, 0), (-5.2, 2.15, 0), (-5.2, 2.15, 0.495)]
PIER = [(-1.01, 4.79, 0), (-0.59, 4.79, 0), (-0.59, 5.21, 0), (-1.01, 4.79, 1.0)]
WALL = [(-5.2, 2.4, 0), (-5.2, 4.4, 0)]
LAMP = [(3.28, 4.2, 0.02), (3.34, 4.2, 2.0), (3.26, 4.2, 2.5), (3.4, 4.2, 2.68), (3.54, 4.2, 2.5), (3.46, 4.2, 2.0)]


class Contact(unittest.TestCase):
    """One session on the sample project's terrace."""

    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def click(self, *places: tuple[float, float, float]) -> None:
        for place in places:
            x, y = self.page.world(*place)
            self.page.page.mouse.move(x, y)
            self.page.page.mouse.down()
            self.page.page.mouse.up()

    def take(self, tool: str) -> None:
        self.page.page.get_by_role("button", name=tool, exact=True).click()

    def test_contact(self) -> None:
        with sample_project() as server, screen(server) as page:
            self.page = page
            page.until("window.lithopos?.derived?.sun")
            page.turn_to("Sea terrace")
            page.step("Contact")
            page.press("Photo")
            begun = page.revision()
            self.drawn()
            self.pulled_and_slid()
            self.shade_comes_in_from_outside()
            self.the_ground_swells_and_sinks()
            self.a_model_stands_there_already()
            self.stands_in_front()
            self.stands_on_the_box_and_is_set_down()
            self.proof_keeps_what_stands_in_front()
            self.a_part_is_refined()
            self.a_master_is_stopped_and_goes_on()
            done = page.revision()
            for _ in range(done - begun + 3):
                if not (self.page.told()["proxies"] or self.page.told()["mattes"]):
                    break
                here = page.revision()
                page.press("Undo")
                page.until(f"window.lithopos.revision < {here}")
            self.assertEqual((self.page.told()["proxies"], self.page.told()["mattes"]), ([], []))

    def drawn(self) -> None:
        """A wall by one stroke along its foot, a box and steps by clicks: as large as they are."""
        page = self.page
        self.take("Wall")
        self.page.after(lambda: page.drag(page.world(*WALL[0]), page.world(*WALL[1])))
        self.take("Box")
        self.page.after(lambda: self.click(*PIER))
        self.take("Steps")
        self.page.after(lambda: self.click(*FLIGHT))
        page.until("window.lithopos.derived.proxies.filter((one) => one.size_m && one.height_m).length === 3")
        wall, pier, flight = self.page.told("derived.proxies")
        self.assertAlmostEqual(wall["size_m"][0], 2.0, delta=0.12)
        self.assertAlmostEqual(pier["size_m"][0], 0.42, delta=0.04)
        self.assertAlmostEqual(pier["height_m"], 1.0, delta=0.04)
        self.assertAlmostEqual(flight["size_m"][1], 1.35, delta=0.06)
        self.assertAlmostEqual(flight["height_m"], 0.495, delta=0.03)
        self.assertTrue(flight["shadow"])
        seen = [any(proxy["seen"]) for proxy in self.page.told()["proxies"]]
        self.assertEqual(seen, [True, True, True])

    def pulled_and_slid(self) -> None:
        """Its top pulled in the picture, a measure typed, its foot slid in the plan."""
        page = self.page
        page.page.get_by_role("button", name="Box 1", exact=True).click()
        top = page.page.get_by_role("button", name="Box 1, its top")
        box = top.bounding_box()
        assert box
        grip = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.after(lambda: page.drag(grip, (grip[0], grip[1] - 40)))
        page.until("window.lithopos.derived.proxies[1].height_m > 1.2")
        field = page.page.get_by_label("Tall")
        field.fill("95 cm")
        self.page.after(lambda: field.press("Enter"))
        page.until("Math.abs(window.lithopos.derived.proxies[1].height_m - 0.95) < 1e-6")
        foot = self.page.told("derived.proxies[2].foot")
        glyph = page.page.get_by_test_id(f"plan-{self.page.told()['proxies'][2]['id']}").bounding_box()
        assert glyph
        at = glyph["x"] + glyph["width"] / 2, glyph["y"] + glyph["height"] / 2
        self.page.after(lambda: page.drag(at, (at[0] + 6, at[1])))
        now = self.page.told("derived.proxies[2].foot")
        self.assertGreater(abs(now[0][0] - foot[0][0]) + abs(now[0][1] - foot[0][1]), 0.05)
        self.assertAlmostEqual(now[1][0] - now[0][0], foot[1][0] - foot[0][0], places=3)

    def shade_comes_in_from_outside(self) -> None:
        """A shadow's outline clicked along the picture's border: what throws it stands unseen."""
        page = self.page
        self.take("Shade")
        width, height = self.page.told("shot.photograph.width"), self.page.told("shot.photograph.height")
        corners = [(0.5, 0.99), (0.55, 0.9), (0.99, 0.9), (0.99, 0.99), (0.5, 0.99)]  # under the plan, too
        for x, y in corners[:-1]:
            page.page.mouse.click(*page.photo((x * width, y * height)))
        self.page.after(lambda: page.page.mouse.click(*page.photo((corners[-1][0] * width, corners[-1][1] * height))))
        page.until("window.lithopos.derived.proxies[3]?.height_m >= 2")
        self.assertIsNone(self.page.told("derived.proxies")[3]["reason"])
        self.page.after(lambda: page.page.get_by_role("button", name="Remove Shade 1").click())

    def the_ground_swells_and_sinks(self) -> None:
        """Pulled up by its stem, at a second place down by a figure, that point left out again."""
        page, rise = self.page, "window.lithopos.shot.proxies[3]"
        self.take("Rise or dip")
        self.page.after(lambda: self.click((0.2, -2.0, 0.0), (1.2, -2.0, 0.0)))
        page.until(f"Math.abs({rise}?.reach_m - 1) < 0.05")
        stem = page.page.get_by_role("button", name="how high it is at point 1").bounding_box()
        assert stem
        top = stem["x"] + stem["width"] / 2, stem["y"] + stem["height"] / 2
        was = self.page.told("shot.proxies[3].heights_m[0]")
        self.page.after(lambda: page.drag(top, (top[0], top[1] - 20)))
        self.assertGreater(self.page.told("shot.proxies[3].heights_m[0]"), was + 0.02)
        page.press("Pull at another place")
        self.page.after(lambda: self.click((-0.8, -2.2, 0.0)))
        field = page.page.get_by_label("Height at point 2")
        field.fill("-15 cm")
        self.page.after(lambda: field.press("Enter"))
        heights = "window.lithopos.derived.proxies[3].faces.flat().map((corner) => corner[2])"
        page.until(f"Math.min(...{heights}) < -0.1 && Math.max(...{heights}) > 0.1")
        point = page.page.get_by_role("button", name="point 2 of its pulls")
        point.focus()
        self.page.after(lambda: point.press("Delete"))
        page.until(f"{rise}.points.length === 1 && {rise}.heights_m.length === 1")
        self.page.after(lambda: page.page.get_by_role("button", name="Remove Rise or dip 1").click())

    def a_model_stands_there_already(self) -> None:
        """The fountain's own sides in its stead, until that is undone."""
        page = self.page
        page.step("Place")
        page.unfold("In the photograph already")
        self.page.after(lambda: page.press("Use it as what stands there"))
        page.until("window.lithopos.derived.proxies[3]?.faces.length > 20")
        self.assertTrue(self.page.told("shot.models")[0]["hidden"])
        here = page.revision()
        page.press("Undo")
        page.until(f"window.lithopos.revision < {here} && !window.lithopos.shot.models[0].hidden")
        page.step("Contact")
        page.press("Photo")

    def stands_in_front(self) -> None:
        """An outline clicked round a lamp post and closed; a tub cut out by colour from three strokes."""
        page = self.page
        page.unfold("What stands in front")
        self.take("Draw round it")
        self.page.after(lambda: self.click(*LAMP, LAMP[0]))
        page.until("window.lithopos.shot.mattes[0]?.points.length === 6")
        self.page.after(lambda: page.page.get_by_role("slider", name="Hair, leaves, bars").press("ArrowRight"))
        page.until("window.lithopos.shot.mattes[0].fringe_px === 2")
        page.page.get_by_test_id("fringe").wait_for(state="attached")
        self.take("Cut by colour")
        self.page.after(lambda: page.drag(page.world(-1.8, 4.1, 1.35), page.world(-1.8, 4.1, 0.25)))
        for x, foot in ((-2.7, -2.6), (-0.95, -1.0)):
            page.press("outside")
            self.page.after(lambda x=x, foot=foot: page.drag(page.world(x, 4.1, 1.6), page.world(foot, 4.1, 0.0)))
        page.page.keyboard.press("Escape")
        page.until("window.lithopos.shot.mattes[1]?.strokes.length === 3")
        ring = max(self.page.told()["mattes"][1]["found"], key=len)
        u, v = page.photo((sum(x for x, _ in ring) / len(ring), sum(y for _, y in ring) / len(ring)))
        x, y = page.world(-1.8, 4.1, 0.9)
        self.assertLess(abs(u - x) + abs(v - y), 40)

    def stands_on_the_box_and_is_set_down(self) -> None:
        """A thing onto a box's top in Place; lifted, Contact tells by how much, and sets it down; a wall by an edge."""
        page = self.page
        page.step("Place")
        page.page.locator("aside").get_by_role("button", name="Tern", exact=False).first.click()
        self.page.after(lambda: page.press("Box 1’s top"))
        thing = next(one for one in self.page.told()["models"] if one["level"])
        self.assertAlmostEqual(thing["position_m"][2], 0.95, places=5)
        lift = page.page.get_by_label("Off what it stands on")
        lift.fill("12")
        self.page.after(lambda: lift.press("Enter"))
        page.step("Contact")
        page.unfold("How things stand")
        page.page.get_by_text("floats 12 mm over Box 1’s top", exact=False).wait_for()
        self.page.after(lambda: page.press("Set it down"))
        page.page.get_by_text("all touch").wait_for()
        page.unfold("Along a marked edge")
        walls = len(self.page.told()["proxies"])
        self.page.after(lambda: page.press("Wall along A1"))
        page.until(f"window.lithopos.derived.proxies.length === {walls + 1}")
        page.press("Undo")
        page.until(f"window.lithopos.derived.proxies.length === {walls}")

    def a_part_is_refined(self) -> None:
        """A box dragged over the proof: only that is traced again."""
        page = self.page
        page.press("off")
        page.unfold("The proof")
        page.press("Refine a part")
        at = page.world(0, 0, 0.3)
        page.drag((at[0] - 40, at[1] - 30), (at[0] + 40, at[1] + 30))
        page.page.locator("footer").get_by_text("in the part", exact=False).wait_for(timeout=LONG_MS)

    def a_master_is_stopped_and_goes_on(self) -> None:
        """A small master: stopped, started again, finished; then made finer, and that stopped as well."""
        page = self.page
        page.step("Deliver")
        page.unfold("Size and fineness")
        for label, value in (("Of the photograph’s size", "12"), ("Samples a pixel, at most", "400")):
            field = page.page.get_by_label(label)
            field.fill(value)
            self.page.after(lambda field=field: field.press("Enter"))
        page.press("Make the master")
        footer = page.page.locator("footer")
        footer.get_by_text("part 1 of", exact=False).wait_for(timeout=LONG_MS)
        footer.get_by_role("button", name="Stop").click()
        footer.get_by_role("button", name="Start again").click(timeout=LONG_MS)
        page.page.locator("aside").get_by_text("400 samples a pixel, noise", exact=False).wait_for(timeout=LONG_MS)
        page.press("Make it finer")
        footer.get_by_role("button", name="Stop").click()
        footer.get_by_text("stopped; starting again", exact=False).wait_for(timeout=LONG_MS)

    def proof_keeps_what_stands_in_front(self) -> None:
        """The live view draws it over the model; a proof of all that is made."""
        page = self.page
        page.press("Live")
        page.until("window.lithopos.ready")
        self.assertEqual(page.page.locator("[data-testid=stage] mask[id^=matte-]").count(), 2)
        page.press("Make a proof")
        page.page.locator("footer").get_by_text("done ·", exact=False).wait_for(timeout=LONG_MS)
        page.unfold("Only what changes")
        page.press("3 ×")
        shown = page.page.locator("[data-testid=stage] img[src*='/changes?times=3']")
        shown.wait_for()
        self.assertTrue(shown.evaluate("img => img.decode().then(() => img.naturalWidth > 0)"))


if __name__ == "__main__":
    unittest.main()
