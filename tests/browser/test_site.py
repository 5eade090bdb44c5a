"""A site with a real mouse: ties, the line that helps, the sheet; and two people at one shot."""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
import unittest
import urllib.request
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect, sync_playwright
from proving.screen import FLAGS, Screen, chromium, screen
from proving.server import Server, running, sample_project

from lithopos.samples.demo import VIEWS
from lithopos.web.keys import add_key, remove_key
from tests.support import SAMPLES

NEW = "Band B1"


class Tied(unittest.TestCase):
    """One session on the yard that is seen from three sides."""

    server: Server
    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_ties_and_two_people(self) -> None:
        with sample_project() as server:
            self.server = server
            (found,) = [one for one in server.ask("GET", "/projects")["projects"] if one["name"] == VIEWS]
            self.project = found["id"]
            told = self.site()
            self.shots = [member["id"] for member in told["document"]["members"]]
            self.tie = next(tie for tie in told["document"]["ties"] if tie["name"] == NEW)
            body = {"revision": told["revision"], "patch": {"ties": {self.tie["id"]: None}}}
            server.ask("PATCH", f"/projects/{self.project}/site", body)
            with screen(server, f"/project/{self.project}/site") as page:
                self.page = page
                self.a_tie_is_made_in_two_pictures()
                self.it_is_dragged_and_that_undone()
                self.a_survey_is_pasted()
                self.the_sheet_is_fetched()
                self.a_bench_moved_in_one_picture_moves_in_the_other()
                self.two_people_see_each_other_and_conflicts_are_told()

    def site(self) -> Any:
        return self.server.ask("GET", f"/projects/{self.project}/site")

    def at(self, side: str, pixel: Any) -> tuple[float, float]:
        """Where the page shows a pixel of one of the two pictures."""
        box = self.page.page.get_by_test_id(f"picture-{side}").locator("img").bounding_box()
        told = self.site()
        shot = next(one for one in told["shots"] if one["id"] == self.shots[0 if side == "left" else 1])
        assert box
        return box["x"] + pixel[0] / shot["width"] * box["width"], box["y"] + pixel[1] / shot["height"] * box["height"]

    def a_tie_is_made_in_two_pictures(self) -> None:
        page = self.page.page
        expect(page.get_by_text("gives the frame")).to_be_visible()
        count = len(self.site()["document"]["ties"])
        self.page.press("New tie")
        page.mouse.click(*self.at("left", self.tie["seen"][self.shots[0]]))
        expect(page.get_by_test_id("way")).to_be_visible()
        expect(page.get_by_text("click the same thing in the other picture")).to_be_visible()
        page.mouse.click(*self.at("right", self.tie["seen"][self.shots[1]]))
        expect(page.get_by_role("button", name=f"Tie {count + 1}", exact=True)).to_be_visible()
        self.server.wait(lambda: len(self.site()["document"]["ties"][-1]["seen"]) == 2)
        page.keyboard.press("Escape")
        told = self.site()["answer"]["ties"][-1]
        truth = json.loads((SAMPLES / "cloister-yard.site.json").read_text())
        true = next(tie["position"] for tie in truth["ties"] if tie["name"] == NEW)
        self.assertLess(max(abs(a - b) for a, b in zip(told["position_m"], true, strict=True)), 0.3)

    def it_is_dragged_and_that_undone(self) -> None:
        page = self.page.page
        before = self.site()["document"]["ties"][-1]["seen"][self.shots[0]]
        start = self.at("left", before)
        with (
            page.expect_response(lambda answer: answer.request.method == "PATCH") as moved,
            page.expect_response("**/site/undo") as back,
        ):
            self.page.drag(start, (start[0] + 30, start[1] + 20))
            self.page.press("Undo")  # the change is still on its way
        at, then = (told.value.json()["document"]["ties"][-1]["seen"][self.shots[0]] for told in (moved, back))
        self.assertNotEqual(at, before)
        self.assertEqual(then, before)
        expect(page.get_by_role("group", name="Plan of the site").locator("circle")).to_have_count(
            len(self.site()["document"]["ties"]) + 3
        )

    def a_survey_is_pasted(self) -> None:
        page = self.page.page
        self.page.press("Paste a table")
        truth = json.loads((SAMPLES / "cloister-yard.site.json").read_text())
        told = {tie["name"]: tie["position"] for tie in truth["ties"]}
        names = ("Band B2", "Band C1", "Band C2", "Lamp 1, tip")
        rows = [f"{name};{431200 + x:.3f};{88200 + y:.3f};{40 + z:.3f}" for name in names for x, y, z in [told[name]]]
        page.get_by_label("Surveyed points", exact=True).fill("\n".join(rows))
        self.page.press("Take them")
        expect(page.get_by_role("cell", name="431202.600").first).to_be_visible()
        place = self.site()["answer"]["members"][0]["survey_position"]
        self.assertLess(max(abs(a - b) for a, b in zip(place, (431203.1, 88193.4, 41.62), strict=True)), 0.2)

    def the_sheet_is_fetched(self) -> None:
        with self.page.page.expect_download() as told:
            self.page.page.get_by_role("link", name="Verification sheet").click()
        if not shutil.which("pdftotext"):
            return
        text = subprocess.run(["pdftotext", told.value.path(), "-"], capture_output=True, text=True, check=True).stdout
        east = self.site()["answer"]["members"][1]["survey_position"][0]
        self.assertIn(f"{east:.3f} m", text)
        self.assertEqual(Path(told.value.suggested_filename).suffix, ".pdf")

    def a_bench_moved_in_one_picture_moves_in_the_other(self) -> None:
        first, second = (self.server.ask("GET", f"/shots/{name}") for name in self.shots[:2])
        self.assertEqual(first["document"]["models"], second["document"]["models"])
        patch = {"models": {"m1": {"position_m": [0.5, -1.0, 0.0]}}}
        self.server.ask("PATCH", f"/shots/{self.shots[1]}", {"revision": second["revision"], "patch": patch})
        now = self.server.ask("GET", f"/shots/{self.shots[0]}")
        self.assertEqual(now["document"]["models"][0]["position_m"], [0.5, -1.0, 0.0])

    def two_people_see_each_other_and_conflicts_are_told(self) -> None:
        address = f"{self.server.address}/project/{self.project}/shot/{self.shots[0]}"
        one, other = self.page, self.opened_by_another()
        for person in (one, other):
            person.page.goto(address)
            person.until("window.lithopos?.derived?.camera")
        one.step("Place")
        one.page.locator("aside button", has_text="Marl bench").first.click()
        field = one.page.get_by_label("Turned", exact=True).first
        field.fill("33")
        one.after(lambda: field.press("Enter"))
        other.until("window.lithopos.shot.models[0].turn_deg === 33")
        self.conflict(one, other)

    def conflict(self, one: Screen, other: Screen) -> None:
        """One holds the bench while the other turns it: what is let go of then is told, and nothing overwritten."""
        other.step("Place")
        box = other.page.get_by_test_id("plan-m1").bounding_box()
        assert box
        start = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        other.page.mouse.move(*start)
        other.page.mouse.down()
        other.page.mouse.move(start[0] + 10, start[1] + 5, steps=5)
        field = one.page.get_by_label("Turned", exact=True).first
        field.fill("71")
        one.after(lambda: field.press("Enter"))
        other.page.wait_for_timeout(1500)
        other.page.mouse.move(start[0] + 14, start[1] + 5, steps=3)
        other.page.mouse.up()
        expect(other.page.get_by_text("has changed since you saw it")).to_be_visible()
        other.until("window.lithopos.shot.models[0].turn_deg === 71")
        self.assertEqual(other.told()["models"][0]["position_m"], [0.5, -1.0, 0.0])

    def opened_by_another(self) -> Screen:
        browser = self.page.page.context.browser
        assert browser
        page: Page = browser.new_page(viewport={"width": 1280, "height": 800})
        return Screen(page, [], self.server)


class Keyed(unittest.TestCase):
    """A studio's server asks for a key; a client's key looks, and what it can't do is said."""

    def test_two_keys(self) -> None:
        chromium()
        with tempfile.TemporaryDirectory() as name:
            file = Path(name) / "keys.json"
            ines, client = add_key(file, "Ines", "change"), add_key(file, "Sill House", "look")
            options = ("--keys", str(file), "--host", "studio.test", "--behind-proxy")
            with running(Path(name) / "data", "serve", *options) as server, sync_playwright() as playwright:
                self.cookies_are_for_secured_connections_alone(server, client)
                browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
                one, other = (browser.new_context().new_page() for _ in range(2))
                one.goto(server.address)
                one.get_by_label("Your key").fill("guessed")
                one.get_by_role("button", name="Come in").click()
                expect(one.get_by_role("alert")).to_have_text("That is none of the keys.")
                self.come_in(one, ines)
                self.make_project(one, "Yard")
                expect(one.get_by_role("heading", name="Yard")).to_be_visible()
                other.goto(server.address)
                self.come_in(other, client)
                expect(other.get_by_role("button", name="Yard")).to_be_visible()
                self.make_project(other, "Another")
                expect(other.get_by_text("may look, not change")).to_be_visible()
                other.goto(f"{one.url}/site")
                expect(other.get_by_text("To look", exact=True)).to_be_visible()
                remove_key(file, "Ines")
                one.reload()
                expect(one.get_by_label("Your key")).to_be_visible()
                browser.close()

    def cookies_are_for_secured_connections_alone(self, server: Server, key: str) -> None:
        """As a proxy in front tells: its headers reach the application."""
        body = json.dumps({"key": key}).encode()
        told = {"X-Forwarded-Proto": "https", "X-Forwarded-Host": "studio.test", "Content-Type": "application/json"}
        asked = urllib.request.Request(f"{server.address}/api/v1/session", body, told)
        with urllib.request.urlopen(asked) as answer:
            self.assertIn("Secure", answer.headers["Set-Cookie"])

    @staticmethod
    def come_in(page: Page, key: str) -> None:
        page.get_by_label("Your key").fill(key)
        page.get_by_role("button", name="Come in").click()
        page.get_by_label("Name of the new project").wait_for()

    @staticmethod
    def make_project(page: Page, name: str) -> None:
        page.get_by_label("Name of the new project").fill(name)
        page.get_by_role("button", name="Make project").click()


if __name__ == "__main__":
    unittest.main()
