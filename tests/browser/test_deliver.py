"""Blending and delivering with a real mouse: tones of the model, files by a list; what is fetched is what is seen."""

from __future__ import annotations

import io
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image
from playwright.sync_api import expect
from proving.screen import LONG_MS, Screen, chromium, screen
from proving.server import sample_project

SMALL = "25 %"


class Delivering(unittest.TestCase):
    """One session on the sample project's yard."""

    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_blend_and_deliver(self) -> None:
        with sample_project() as server, screen(server) as page:
            self.page = page
            page.until("window.lithopos?.derived?.sun")
            begun = page.revision()
            self.camera = page.told("derived")["camera"]
            self.how_it_was_photographed_is_told()
            self.a_frame_is_chosen_pulled_and_undone()
            self.a_list_of_files_is_made()
            self.the_client_replies_from_a_page_without_a_server()
            self.tones_of_the_model_leave_the_place()
            while page.revision() > begun:
                here = page.revision()
                page.press("Undo")
                page.until(f"window.lithopos.revision < {here}")
            self.assertEqual(page.told()["deliverables"], [])

    def how_it_was_photographed_is_told(self) -> None:
        page = self.page
        page.step("Blend")
        expect(page.page.get_by_text("grain by brightness")).to_be_visible(timeout=LONG_MS)
        aside = page.page.locator("aside").first
        expect(aside).to_contain_text("10 to 90 %")
        self.assertRegex(aside.inner_text(), r"Grain\s+[01]\.\d codes")

    def field(self, label: str, value: str) -> None:
        field = self.page.page.get_by_label(label)
        field.fill(value)
        self.page.after(lambda: field.press("Enter"))

    def a_list_of_files_is_made(self) -> None:
        page = self.page
        page.step("Deliver")
        page.unfold("Size and fineness")
        self.field("Of the photograph’s size", SMALL)
        self.field("Samples a pixel, at most", "16")
        for name in ("Full size", "For the web", "For retouching", "For the client"):
            page.after(lambda name=name: page.press(name))
        expect(page.page.get_by_text("Larger than the master.")).to_have_count(0)  # as it begins it fits
        page.page.get_by_role("button", name="JPEG", exact=False).first.click()
        self.field("Longer side", "400 px")
        expect(page.page.get_by_text("Larger than the master.")).to_be_visible()
        self.field("Longer side", "200 px")
        expect(page.page.get_by_text("Larger than the master.")).to_have_count(0)
        self.first = self.made(4)
        self.assertEqual(sorted(path.rsplit(".", 1)[1] for path in self.first), ["html", "jpg", "ora", "png"])
        jpeg = next(name for name in self.first if name.endswith("jpg"))
        with Image.open(io.BytesIO(self.first[jpeg])) as opened:
            self.assertEqual(opened.size, (200, 200))
        ora = next(name for name in self.first if name.endswith("ora"))
        with zipfile.ZipFile(io.BytesIO(self.first[ora])) as package:
            merged = cv2.imdecode(np.frombuffer(package.read("mergedimage.png"), np.uint8), cv2.IMREAD_COLOR)
        np.testing.assert_array_equal(np.asarray(merged)[..., ::-1], self.png(self.first))
        np.testing.assert_array_equal(self.on_the_screen()[:, 80:400], self.png(self.first))

    def made(self, count: int) -> dict[str, bytes]:
        """Make the master and its files, and fetch all of them."""
        page = self.page.page
        before = page.locator("a[aria-label^=Download]").count()
        page.get_by_role("button", name="Make the master and", exact=False).click()
        links = page.locator("a[aria-label^=Download]")
        try:
            expect(links).to_have_count(before + count, timeout=LONG_MS)
        except AssertionError as error:
            raise AssertionError(f"{error}\n{self.asked('renders')}") from error
        page.get_by_role("button", name="Make the master and", exact=False).wait_for(timeout=LONG_MS)
        found = {}
        for number in range(count):
            with page.expect_download() as told:
                links.nth(number).click()
            found[told.value.suggested_filename] = Path(told.value.path()).read_bytes()
        return found

    @staticmethod
    def png(files: dict[str, bytes]) -> Any:
        data = next(data for name, data in files.items() if name.endswith("png"))
        return np.asarray(Image.open(io.BytesIO(data)))

    def on_the_screen(self) -> Any:
        """The pixels of the master that is on show."""
        page = self.page.page
        self.page.press("Master")
        self.page.until("document.querySelector('img[src*=\"/picture\"]')?.complete")
        data = page.evaluate(
            """async () => Array.from(new Uint8Array(await (await
                fetch(document.querySelector('img[src*="/picture"]').src)).arrayBuffer()))"""
        )
        return np.asarray(Image.open(io.BytesIO(bytes(data))))

    def a_frame_is_chosen_pulled_and_undone(self) -> None:
        page = self.page
        page.step("Photo")
        page.after(lambda: page.press("1 : 1"))
        frame = page.told()["frame"]
        self.assertEqual([frame[name] for name in ("x", "y", "width", "height")], [320, 0, 1280, 1280])
        before = page.revision()
        page.stroke((1600, 1280), (1220, 900))
        self.assertAlmostEqual(page.told()["frame"]["width"], page.told()["frame"]["height"], delta=1)
        self.assertAlmostEqual(page.told()["frame"]["width"], 900, delta=12)
        self.assertEqual(page.told()["frame"]["x"], 320)
        page.press("Undo")
        page.until(f"window.lithopos.revision <= {before} && window.lithopos.shot.frame.width === 1280")
        camera = page.told("derived")["camera"]
        self.assertEqual(camera["focal_px"], self.camera["focal_px"])  # nothing was marked anew

    def the_client_replies_from_a_page_without_a_server(self) -> None:
        page = self.page
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        place = Path(folder.name) / "page.html"
        place.write_bytes(next(data for name, data in self.first.items() if name.endswith("html")))
        with page.client(place) as client:
            stage = client.locator("#stage").bounding_box()
            assert stage
            client.get_by_role("button", name="Pin a remark").click()
            client.mouse.click(stage["x"] + stage["width"] / 2, stage["y"] + stage["height"] * 0.75)
            client.keyboard.type("A little more to the left")
            client.get_by_role("button", name="Yes").click()
            save = client.get_by_role("button", name="Save the reply")
            expect(save).to_be_disabled()
            client.get_by_label("Your name").fill("Ines, Sill House")
            with client.expect_download() as told:
                save.click()
            reply = Path(folder.name) / told.value.suggested_filename
            told.value.save_as(reply)
        page.after(lambda: page.dropped(reply))
        (kept,) = page.told()["replies"]
        self.assertEqual((kept["by"], kept["verdict"]), ("Ines, Sill House", "yes"))
        np.testing.assert_allclose(kept["pins"][0]["at"], [0.5, 0.75], atol=0.01)
        expect(page.page.get_by_text("A little more to the left").first).to_be_visible()
        expect(page.page.get_by_text("Yes, as it should be")).to_be_visible()
        expect(page.page.get_by_text("master ready")).to_be_visible()  # a reply makes nothing out of date

    def asked(self, what: str) -> Any:
        """What the server tells of the shot on the screen."""
        shot = self.page.page.url.split("/shot/")[1].split("/")[0].split("?")[0]
        return self.page.server.ask("GET", f"/shots/{shot}/{what}")

    def proof_of(self, revision: int) -> dict[str, Any]:
        """The newest proof, once it is done and shows a revision."""

        def done() -> Any:
            renders = self.asked("renders")["renders"]
            newest = next((one for one in renders if one["quality"] == "proof"), None)
            return newest if newest and (newest["state"], newest["revision"]) == ("done", revision) else None

        found: dict[str, Any] = self.page.server.wait(done)
        return found

    def tones_of_the_model_leave_the_place(self) -> None:
        page = self.page
        page.step("Blend")
        page.press("Live")
        page.page.locator("aside").first.get_by_role("button", name="Make a proof").click()
        before, lasts = self.proof_of(page.revision()), self.asked("plan")["master_seconds"]
        page.unfold("Tones")
        thumb = page.page.get_by_role("slider", name="Exposure")
        for _ in range(10):
            page.after(lambda: thumb.press("ArrowLeft"))
        self.assertAlmostEqual(page.told()["blend"]["model"]["exposure_stops"], -0.5, places=5)
        after = self.proof_of(page.revision())  # it follows of itself, in its own place
        self.assertEqual(after["id"], before["id"])
        self.assertEqual(self.asked("plan")["master_seconds"], lasts)  # which is told by what was traced
        page.step("Deliver")
        second = self.made(4)
        self.assertFalse(set(second) & set(self.first))  # nothing is overwritten
        plain, dark = (self.png(files).astype(int) for files in (self.first, second))
        self.assertEqual(dark.shape, (320, 320, 3))
        body = (dark < plain - 3).all(-1)
        self.assertGreater(int(body.sum()), 500)
        about = cv2.dilate(body.astype(np.uint8), np.ones((15, 15), np.uint8)).astype(bool)
        np.testing.assert_array_equal(dark[~about], plain[~about])


if __name__ == "__main__":
    unittest.main()
