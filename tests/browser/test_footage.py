"""A take with a real mouse: dropped, cleaned, corrected by a stroke; a pane plays; a film fetched frame by frame."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from playwright.sync_api import expect
from proving.screen import LONG_MS, Screen, chromium, screen
from proving.server import running
from proving.truth import SAMPLES

from lithopos.core.exchange.film import take_notes
from lithopos.core.footage.frames import read_frames
from tests.core.takes import camera_of, made_take, write_take

SIZE, COUNT = (320, 200), 16
PANE = [[210, 18], [300, 18], [300, 62], [210, 62]]


class ATake(unittest.TestCase):
    """One session, from dropping a film to the film that is handed over."""

    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_from_the_drop_to_the_film(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.made = made_take(COUNT, SIZE)
        film = write_take(self.made.frames, Path(holder.name) / "walk.mkv", sound=True)
        with running() as server, screen(server) as page:
            self.page = page
            page.page.get_by_label("Name of the new project").fill("Walks")
            page.press("Make project")
            page.page.get_by_role("button", name="Choose a photograph").wait_for()
            page.page.get_by_text("Drop").first.wait_for()
            page.dropped(film)
            self.time_line = page.page.get_by_role("region", name="Time line")
            expect(self.time_line).to_be_visible(timeout=LONG_MS)
            page.until("window.lithopos?.revision === 1")
            self.the_clean_plate_becomes_the_photograph()
            self.it_is_matched_and_dressed()
            self.a_stroke_corrects_who_is_in_front()
            self.a_pane_plays_and_a_thing_is_turned()
            self.the_film_is_fetched_frame_by_frame(Path(holder.name))

    def the_clean_plate_becomes_the_photograph(self) -> None:
        page = self.page
        first = page.told()["photograph"]["file"]
        page.press("Make the clean plate")
        page.page.get_by_role("button", name="Make the clean plate again").wait_for()
        page.until(f"window.lithopos.shot.photograph.file !== '{first}'")
        told = page.told()
        self.assertEqual(told["take"]["plate"], told["photograph"]["file"])
        expect(page.page.locator("aside").first).to_contain_text("± 1.")

    def it_is_matched_and_dressed(self) -> None:
        """What other tests do by hand is put there at once: camera, sun, a thing, a pane with the film itself."""
        page, server = self.page, self.page.server
        with page.page.expect_response(lambda answer: answer.url.endswith("/files")):
            page.page.locator("input[type=file]").first.set_input_files(SAMPLES / "sill-planter.glb")
        page.until("window.lithopos.shot.models.length === 1")
        shot = page.page.url.rsplit("/", 1)[1]
        model = page.told()["models"][0]
        pane = {"id": "n1", "name": "Screen", "file": page.told()["take"]["file"], "corners": PANE, "width_m": 1.4}
        patch = {
            "camera": camera_of(*SIZE),
            "sun": {"kind": "hand", "azimuth_deg": 220.0, "elevation_deg": 45.0},
            "models": {model["id"]: {"position_m": [-0.4, 0.6, 0.0]}},
            "panes": {"n1": {**pane, "lit": "by itself"}},
            "output": {"samples": 4},
        }
        body = {"revision": page.revision(), "patch": patch, "label": "matched"}
        server.ask("PATCH", f"/shots/{shot}", body)
        page.page.reload()
        page.until("window.lithopos?.derived?.camera")

    def frame(self, number: int) -> None:
        """Go to a frame by the time line."""
        track = self.page.page.get_by_label("Frame on show")
        box = track.bounding_box()
        assert box
        self.page.page.mouse.click(box["x"] + box["width"] * number / (COUNT - 1), box["y"] + 15)
        expect(self.page.page.get_by_test_id("frame-number")).to_have_text(f"frame {number}")

    def reds(self) -> int:
        """How much of the frame on show is told as somebody."""
        address = self.page.page.get_by_test_id("made-frame").get_attribute("src")
        answer = self.page.page.request.get(self.page.server.address + str(address))
        picture = np.asarray(cv2.imdecode(np.frombuffer(answer.body(), np.uint8), cv2.IMREAD_UNCHANGED))
        return int(np.count_nonzero((picture[..., 3] > 150) & (picture[..., 2] > 200)))

    def a_stroke_corrects_who_is_in_front(self) -> None:
        page = self.page
        page.step("Contact")
        page.press("Tell who is in front")
        page.page.get_by_role("button", name="Tell anew who is in front").wait_for()
        self.time_line.get_by_role("radio", name="In front").click()
        self.frame(7)
        before = self.reds()
        self.assertGreater(before, 500)
        x, y = self.made.feet[7]
        page.press("the place")
        page.after(lambda: page.stroke_of_brush((x, y - 45), (x, y - 15)))
        page.press("the place")
        page.until("document.querySelector('[aria-label=\"Corrected in frame 7\"]')")
        old = page.page.get_by_test_id("made-frame").get_attribute("src")
        page.press("Tell anew who is in front")
        page.until(
            f"![undefined, {old!r}].includes(document.querySelector('[data-testid=made-frame]')?.getAttribute('src'))"
        )
        self.page.server.wait(lambda: self.reds() < before - 200, 30)
        page.press("Remove the stroke in frame 7")
        page.until("window.lithopos.shot.front_strokes.length === 0")

    def a_pane_plays_and_a_thing_is_turned(self) -> None:
        page = self.page
        page.step("Place")
        page.unfold("Panes")
        page.press("Screen")
        page.after(lambda: page.page.get_by_label("plays along with the take").click())
        self.assertEqual(page.told()["panes"][0]["plays"], {"offset_s": 0.0, "speed": 1.0, "loop": True})
        page.press(page.told()["models"][0]["name"])
        page.unfold("Over the take")
        self.frame(0)
        page.after(lambda: page.press("Set Turn here"))
        self.frame(15)
        turn = page.page.get_by_role("textbox", name="Turn", exact=True).last
        turn.fill("60")
        page.after(lambda: turn.press("Enter"))
        keys = {key["frame"]: key["value"] for key in page.told()["keys"]}
        self.assertEqual(keys, {0: 0, 15: 60})

    def the_film_is_fetched_frame_by_frame(self, folder: Path) -> None:
        page = self.page
        page.step("Deliver")
        page.after(lambda: page.press("Lossless film"))
        page.press("Make the film")
        link = page.page.get_by_role("link", name="film", exact=False).first
        link.wait_for(timeout=LONG_MS)
        with page.page.expect_download() as begun:
            link.click()
        out = folder / "fetched.mkv"
        begun.value.save_as(out)
        notes = take_notes(out)
        self.assertEqual((notes.frames, notes.rate, notes.sound), (COUNT, (25, 1), "opus"))
        made = list(read_frames(out, 0, COUNT - 1))
        corner = (slice(0, 14), slice(0, 100))
        for codes, wanted in zip(made, self.made.frames, strict=True):
            self.assertTrue((codes[corner] == wanted[corner]).all())
        inside = [codes[24:56, 220:290].astype(int) for codes in made]
        self.assertGreater(np.abs(inside[3] - inside[9]).mean(), 1.0)  # somebody walks on the pane as well
        self.time_line.get_by_role("radio", name="Finished").click()
        self.frame(9)
        address = str(page.page.get_by_test_id("made-frame").get_attribute("src"))
        shown: Any = page.page.request.get(page.server.address + address).body()
        picture = np.asarray(cv2.imdecode(np.frombuffer(shown, np.uint8), cv2.IMREAD_COLOR))
        self.assertTrue((picture[..., ::-1] == made[9]).all())
