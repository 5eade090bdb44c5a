"""The Light step with a real mouse: patches to strengths, a known tone, sharp marks, and all of it taken back."""

from __future__ import annotations

import json
import tempfile
import unittest
from typing import Any

import cv2
import numpy as np
from proving.screen import Screen, chromium, screen
from proving.server import sample_project
from proving.truth import SAMPLES

LIT, SHADE = (405.0, 1150.0), (1754.0, 760.0)


class Lighting(unittest.TestCase):
    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_patches_tones_and_sharp_marks(self) -> None:
        with sample_project() as server, screen(server) as page:
            self.page = page
            page.until("window.lithopos?.derived.sun")
            page.step("Light")
            page.press("Photo")
            begun = page.revision()
            self.patches_give_strengths()
            self.a_known_tone_makes_white_sure()
            self.the_lens_is_pulled_and_given_back()
            self.found_patches_lie_in_light_and_shade()
            self.the_shadow_is_sharp_until_it_is_not()
            self.a_panorama_is_turned_to_the_sun()
            self.shadows_of_other_kinds_tell_the_sun()
            self.date_and_place_tell_it_too()
            self.windows_and_lamps_light_a_room()
            self.a_check_piece_stands()
            page.step("Light")
            self.an_edge_is_refined()
            for _ in range(page.revision() - begun):
                here = page.revision()
                page.page.get_by_role("button", name="Undo").click()
                page.until(f"window.lithopos.revision < {here}")
            self.assertEqual(self.page.told("shot.patches"), [])
            self.assertFalse(self.page.told("shot.gnomons[0].by_hand"))

    def the_lens_is_pulled_and_given_back(self) -> None:
        """What the lens loses is told by the sky, then by the hand, and by the sky again."""
        page = self.page
        self.assertAlmostEqual(page.told("derived.falloff"), 0.16, delta=0.04)
        page.unfold("By hand")
        slider = page.page.get_by_role("slider", name="Lens darkens the corners")
        slider.scroll_into_view_if_needed()
        box = slider.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.after(lambda: page.drag((x, y), (x + 60, y)))
        self.assertGreater(page.told("shot.photograph.falloff"), 0.2)
        self.assertEqual(page.told("derived.falloff"), page.told("shot.photograph.falloff"))
        page.after(lambda: slider.dblclick())
        self.assertIsNone(page.told("shot.photograph.falloff"))
        self.assertTrue(page.told("derived.falloff_measured"))

    def mark(self, at: tuple[float, float]) -> None:
        self.page.press("Mark a patch")
        self.page.after(lambda: self.page.page.mouse.click(*self.page.photo(at)))

    def patches_give_strengths(self) -> None:
        page = self.page
        self.mark(LIT)
        self.assertFalse(self.page.told("derived.balance.sky_measured"))
        self.mark(SHADE)
        told = self.page.told("derived.balance")
        self.assertEqual([patch["in_sun"] for patch in told["patches"]], [True, False])
        share = np.array(told["shade"]) / told["white"]
        self.assertTrue((share > 0.1).all() and (share < 0.6).all() and share[2] > share[0], share)
        # Dragged out of the shade it is lit, and the sky is a clear day's again.
        self.page.after(lambda: page.drag(page.photo(SHADE), page.photo((1400.0, 1100.0))))
        page.until("window.lithopos.derived.balance.patches[1].in_sun")
        np.testing.assert_allclose(self.page.told("shot.patches[1].at"), (1400, 1100), atol=2)
        self.assertFalse(self.page.told("derived.balance.sky_measured"))

    def a_known_tone_makes_white_sure(self) -> None:
        before = np.mean(self.page.told("derived.balance.white_sigma"))
        self.page.after(lambda: self.page.press("light concrete"))
        told = self.page.told("derived.balance")
        self.assertLess(np.mean(told["white_sigma"]), 0.5 * before)
        self.assertIn("known tone", told["white_from"])

    def found_patches_lie_in_light_and_shade(self) -> None:
        self.page.after(lambda: self.page.press("Find patches"))
        lights = {patch["light"] for patch in self.page.told("shot.patches")}
        self.assertGreaterEqual(lights, {"sun", "shade"})
        self.assertTrue(self.page.told("derived.balance.sky_measured"))

    def the_shadow_is_sharp_until_it_is_not(self) -> None:
        sharp = self.page.told("derived.sun.sigma_deg.azimuth")
        self.assertGreater(self.page.told("shot.gnomons[0].shadow.width_px"), 1)
        self.page.after(lambda: self.page.page.get_by_role("button", name="sharp").first.click())
        self.assertGreater(self.page.told("derived.sun.sigma_deg.azimuth"), sharp)

    def a_panorama_is_turned_to_the_sun(self) -> None:
        page = self.page
        sky = np.full((64, 128, 3), 0.5, np.float32)
        sky[20, 30] = 5000  # 90° - 20.5 · 180° / 64 up, to the left of its middle, which is +x
        with tempfile.TemporaryDirectory() as folder:
            path = f"{folder}/all-around.hdr"
            cv2.imwrite(path, sky)
            self.page.after(lambda: page.press("a panorama"))
            self.page.after(lambda: page.page.locator("input[accept*='.hdr']").set_input_files(path))
        self.assertEqual(self.page.told("shot.lit_by"), "panorama")
        self.assertAlmostEqual(self.page.told("shot.panorama.dome.azimuth_deg"), 180 - 30.5 * 360 / 128, delta=1)
        self.page.after(lambda: page.press("Turn its brightest place to the measured sun"))
        shown = self.page.told("derived.sun_shown")
        azimuth = np.degrees(np.arctan2(shown[1], shown[0])) % 360
        self.assertAlmostEqual(float(azimuth), self.page.told("derived.sun.azimuth_deg"), delta=0.5)
        self.it_is_pulled_onto_the_photograph()
        self.one_that_was_taken_here_lies_on_the_ground()
        self.page.after(lambda: page.press("the day"))

    def it_is_pulled_onto_the_photograph(self) -> None:
        page = self.page
        before = self.page.told("derived.around.turn_deg")
        page.press("Lay it over the photograph")
        page.press("Point at a thing")
        width, focal = self.page.told("shot.photograph.width"), self.page.told("derived.camera.focal_px")
        middle = width / 2
        self.page.after(lambda: page.stroke((middle, 300.0), (middle + 150, 300.0)))
        turned = (before - self.page.told("derived.around.turn_deg") + 180) % 360 - 180
        # To the right is clockwise; the camera looks about level.
        self.assertAlmostEqual(turned, np.degrees(np.arctan(150 / focal)), delta=1)
        self.page.after(lambda: page.stroke((middle - 500, 500.0), (middle - 350, 520.0)))
        self.assertIsNotNone(self.page.told("derived.around.off_deg"))
        self.assertNotEqual(self.page.told("derived.around.pitch_deg"), 0)
        self.page.after(lambda: page.press("Let them go"))
        self.assertEqual(self.page.told("shot.pointings"), [])
        page.after(lambda: page.press("Level again"))
        self.assertEqual(self.page.told("derived.around.pitch_deg"), 0)
        page.press("Hide the panorama")

    def one_that_was_taken_here_lies_on_the_ground(self) -> None:
        page = self.page
        place = SAMPLES / "cloister-yard.hdr"
        page.after(lambda: page.page.locator("input[accept*='.hdr']").set_input_files(place))
        page.unfold("Its light")
        page.after(lambda: page.page.get_by_text("Taken where things stand").click())
        page.press("Lay it over the photograph")
        page.press("Point at a thing")
        x, y, _ = self.page.told("derived.around.lens_at_m")
        before = self.page.told("derived.around.turn_deg")
        # A quarter of a circle about where its lens stood.
        page.after(lambda: page.drag(page.world(x + 0.8, y), page.world(x, y + 0.8)))
        turned = self.page.told("derived.around.turn_deg") - before
        self.assertAlmostEqual((turned + 180) % 360 - 180, 90, delta=1)
        page.after(lambda: page.press("Turn it as the ground lies"))
        self.assertAlmostEqual(self.page.told("derived.around.turn_deg"), 0, delta=2)  # as it was taken
        page.press("Hide the panorama")

    def clicks(self, tool: str, *points: Any) -> None:
        self.page.press(tool)
        for point in points[:-1]:
            self.page.page.mouse.click(*self.page.photo(point))
        self.page.after(lambda: self.page.page.mouse.click(*self.page.photo(points[-1])))

    def shadows_of_other_kinds_tell_the_sun(self) -> None:
        page = self.page
        truth = json.loads((SAMPLES / "cloister-yard.json").read_text())
        (foot, top, tip), (_, other, end) = (
            [np.array(gnomon[name]) for name in ("foot", "top", "tip")] for gnomon in truth["gnomons"][:2]
        )
        for _ in truth["gnomons"]:
            self.page.after(lambda: page.press("Remove gnomon 1"))
        page.unfold("Shadows’ edges")
        self.clicks(
            "A plumb edge", foot + 0.1 * (top - foot), foot + 0.8 * (top - foot), foot + 0.15 * (tip - foot), tip
        )
        page.page.get_by_text("but not its height").first.wait_for()
        self.clicks("A point and its shadow", other, end)
        sun = self.page.told("derived.sun")
        self.assertLess(float(np.degrees(np.arccos(np.dot(sun["direction"], truth["sun"]["direction"])))), 1)
        page.unfold("Softness")
        across = foot + 0.5 * (tip - foot)
        self.clicks("Mark a soft edge", across + [0, -16], across, foot + 0.5 * (top - foot))
        self.assertEqual(len(self.page.told("derived.softness.penumbras")), 1)
        before = self.page.told("derived.softness_deg")
        self.page.after(lambda: page.page.get_by_role("slider", name="By hand").press("End"))
        self.assertGreater(self.page.told("derived.softness_deg"), before)

    def date_and_place_tell_it_too(self) -> None:
        page = self.page
        self.page.after(lambda: page.press("date"))
        page.page.get_by_text("how run A lies to north is not known").wait_for()
        for label, value in (("Date", "2026-04-18"), ("Latitude, north", "41.2"), ("Longitude, east", "-8.3")):
            field = page.page.get_by_label(label)
            before = page.revision()
            field.fill(value)
            field.press("Enter") if label != "Date" else field.blur()
            page.kept(before)
        times = self.page.told("derived.almanac.times")
        self.assertEqual(len(times), 2)
        self.assertEqual(self.page.told("derived.almanac.zone"), "Europe/Lisbon")
        self.page.after(lambda: page.press(times[1]["time"], exact=False))
        shown, measured = self.page.told("derived.sun_shown"), self.page.told("derived.sun.direction")
        self.assertLess(float(np.degrees(np.arccos(np.dot(shown, measured)))), 0.5)
        self.page.after(lambda: page.press("shadows"))

    def windows_and_lamps_light_a_room(self) -> None:
        page = self.page
        self.page.after(lambda: page.press("lamps"))
        self.assertIsNone(self.page.told("derived.sun_shown"))
        page.unfold("Windows")
        self.clicks("Mark a window", (820, 400), (960, 400), (960, 600), (820, 600), (820, 760))
        page.until("window.lithopos.derived.windows[0]?.corners_m")
        self.assertEqual(self.page.told("derived.windows[0].scale_from"), "foot")
        self.assertGreater(sum(self.page.told("shot.windows[0].seen.colour")), 0.05)
        self.the_sun_shines_in_by_the_window()
        page.unfold("Lamps")
        self.clicks("Mark a lamp", (1300, 350), (1300, 900))
        page.until("window.lithopos.derived.lamps[0]?.white")
        x, y, up = self.page.told("derived.lamps[0].position_m")
        self.assertGreater(up, 1)
        # Pulled up it hangs higher over the same place; a new one is no part of the photograph's light.
        self.page.after(lambda: page.drag(page.photo((1300, 350)), page.photo((1300, 250))))
        page.until(f"window.lithopos.derived.lamps[0].position_m[2] > {up} + 0.2")
        np.testing.assert_allclose(self.page.told("derived.lamps[0].position_m")[:2], (x, y), atol=1e-6)
        self.clicks("Hang a new one", (1000, 950), (1000, 500))
        page.until("window.lithopos.derived.lamps[1]?.position_m")
        lights = [(light["kind"], light["id"]) for light in self.page.told("derived.balance.lights")]
        marked = [("window", self.page.told("shot.windows[0].id")), ("lamp", self.page.told("shot.lamps[0].id"))]
        self.assertEqual(lights, [("room", None), *marked])
        self.page.after(lambda: page.page.get_by_role("button", name="Remove Lamp 1", exact=True).click())
        self.assertEqual(len(self.page.told("shot.lamps")), 1)
        self.page.after(lambda: page.press("the day"))

    def the_sun_shines_in_by_the_window(self) -> None:
        """Where it stands is asked for again; it is a light beside the room's."""
        page, shines = self.page, self.page.page.get_by_text("the sun shines in", exact=True)
        page.after(shines.click)
        self.assertTrue(page.told("shot.windows[0].sunny"))
        page.until("window.lithopos.derived.sun_shown")
        self.assertIn("sun", [light["kind"] for light in page.told("derived.balance.lights")])
        page.after(shines.click)
        self.assertIsNone(page.told("derived.sun_shown"))

    def a_check_piece_stands(self) -> None:
        page = self.page
        page.unfold("Check pieces")
        count = self.page.told("shot.models.length")
        self.page.after(lambda: page.press("Grey ball"))
        self.assertEqual(self.page.told("shot.models.length"), count + 1)

    def an_edge_is_refined(self) -> None:
        page = self.page
        page.step("Perspective")
        count = self.page.told("shot.edges.length")
        page.page.keyboard.press("p")
        # The side of a window, drawn two pixels beside it.
        self.page.after(lambda: page.stroke((368.5, 380.0), (375.0, 540.0)))
        edge = self.page.told(f"shot.edges[{count}]")
        self.assertIsNotNone(edge["sharp"])
        self.assertLess(edge["sharp"]["sigma_px"], 0.3)
        self.assertNotEqual(edge["sharp"]["points"][0], edge["points"][0])


if __name__ == "__main__":
    unittest.main()
