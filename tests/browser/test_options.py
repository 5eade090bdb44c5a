"""Options with a real mouse: made, changed apart, multiplied, rendered together, compared, answered by the client."""

from __future__ import annotations

import re
import tempfile
import unittest
import urllib.request
from pathlib import Path

from playwright.sync_api import expect
from proving.screen import LONG_MS, Screen, chromium, screen
from proving.server import sample_project


class Options(unittest.TestCase):
    """One session on the sample project's yard."""

    page: Screen

    @classmethod
    def setUpClass(cls) -> None:
        chromium()

    def test_options(self) -> None:
        with sample_project() as server, screen(server) as page:
            self.page = page
            page.until("window.lithopos?.derived?.sun")
            self.base = page.page.evaluate("location.pathname.split('/')[4]")
            output = {"scale": 0.15, "samples": 8, "names": "{option}-{n}"}
            patch = {"output": output, "deliverables": {"d1": {"kind": "page"}}}
            server.ask("PATCH", f"/shots/{self.base}", {"revision": page.revision(), "patch": patch})
            page.page.reload()
            page.until("window.lithopos?.shot?.deliverables?.length")
            self.two_are_made_and_changed_each_by_itself()
            self.a_change_of_the_shot_reaches_what_they_did_not_change()
            self.a_matrix_is_made_and_rendered()
            self.four_are_compared()
            self.the_client_says_yes_to_one()

    def new_option(self) -> None:
        here = self.page.page.evaluate("location.pathname")
        self.page.press("New option")
        self.page.until(f"location.pathname !== '{here}' && location.pathname.includes('~')")
        self.page.until("window.lithopos?.derived?.sun")

    def typed(self, label: str, value: str) -> None:
        field = self.page.page.get_by_label(label, exact=True)
        field.fill(value)
        self.page.after(lambda: field.press("Enter"))

    def choose_the_bench(self) -> None:
        self.page.step("Place")
        self.page.page.locator("aside button", has_text="Marl bench").first.click()

    def two_are_made_and_changed_each_by_itself(self) -> None:
        page = self.page
        self.turned = page.told()["models"][0]["turn_deg"]
        self.new_option()
        self.choose_the_bench()
        self.typed("Turned", "77")
        expect(page.page.locator("aside").first).to_contain_text("Option 1: Marl bench turned by")
        page.press("The shot")
        page.until("!location.pathname.includes('~') && window.lithopos?.derived?.sun")
        self.assertEqual(page.told()["models"][0]["turn_deg"], self.turned)
        self.new_option()
        self.choose_the_bench()
        at = page.told()["models"][0]["position_m"]
        self.typed("Along x", f"{at[0] - 0.4:.3f}")
        self.moved = page.told()["models"][0]["position_m"]

    def a_change_of_the_shot_reaches_what_they_did_not_change(self) -> None:
        page = self.page
        page.press("The shot")
        page.until("!location.pathname.includes('~') && window.lithopos?.derived?.sun")
        self.choose_the_bench()
        self.typed("Turned", "12")
        page.press("Option 2")
        page.until("location.pathname.includes('~') && window.lithopos?.shot?.models[0].turn_deg === 12")
        self.assertEqual(page.told()["models"][0]["position_m"], self.moved)
        page.press("Option 1")
        page.until("window.lithopos?.shot?.models[0].turn_deg === 77")

    def a_matrix_is_made_and_rendered(self) -> None:
        page = self.page
        page.press("All options")
        sheet = page.page.get_by_role("dialog")
        names = sheet.get_by_label("Name", exact=True)
        names.nth(0).fill("Turned round")
        names.nth(0).press("Enter")
        matrix = sheet.get_by_label("Matrix")
        expect(matrix.get_by_role("button", name="Turned round").first).to_be_visible()
        matrix.get_by_role("button", name="Turned round").first.click()
        matrix.get_by_role("button", name="Option 2").last.click()
        matrix.get_by_role("button", name="Make 1 options").click()
        both = sheet.get_by_role("listitem", name="Turned round · Option 2", exact=True)
        expect(both).to_contain_text("Marl bench turned by 65°")
        expect(both).to_contain_text("Marl bench moved 0.40 m")
        sheet.get_by_role("button", name="Masters of all").click()
        expect(sheet.get_by_label("Masters of all options")).to_be_visible()
        expect(sheet.get_by_text(re.compile("^master(, proof.*)?$"))).to_have_count(4, timeout=LONG_MS)

    def four_are_compared(self) -> None:
        page = self.page
        sheet = page.page.get_by_role("dialog")
        for box in sheet.get_by_role("checkbox").all():
            box.check()
        page.press("Compare 4")
        pictures = page.page.get_by_test_id("compared").locator("img")
        expect(pictures).to_have_count(4)
        page.until("[...document.querySelectorAll('[data-testid=compared] img')].every((one) => one.naturalWidth > 0)")
        sources = {str(one.get_attribute("src")) for one in pictures.all()}
        self.assertEqual(len(sources), 4)
        data = set()
        for source in sources:
            with urllib.request.urlopen(page.server.address + source) as answer:
                data.add(answer.read())
        self.assertEqual(len(data), 4, "all look different")
        page.press("By turns")
        expect(page.page.get_by_role("button", name="Turn to The shot")).to_be_visible()
        page.press("Difference")
        expect(pictures).to_have_count(2)
        page.press("Back to the photograph")

    def the_client_says_yes_to_one(self) -> None:
        page = self.page
        page.step("Deliver")

        def pages() -> list[tuple[str, str]]:
            renders = page.server.ask("GET", f"/shots/{self.base}/options/renders")["renders"]
            return [(one["id"], file["name"]) for one in renders for file in one["files"]]

        ((render, name),) = page.server.wait(pages)  # one for all of them, made with the last
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "page.html"
            with urllib.request.urlopen(f"{page.server.address}/api/v1/renders/{render}/files/{name}") as answer:
                place.write_bytes(answer.read())
            with page.client(place) as client:
                options = client.get_by_label("Options").get_by_role("button")
                expect(options).to_have_count(4)
                options.nth(1).click()
                client.get_by_role("button", name="Yes").click()
                options.nth(2).click()
                client.get_by_role("button", name="No", exact=True).click()
                client.get_by_label("Beside").select_option("Turned round")
                expect(client.locator("#right")).to_have_text("Turned round")
                client.get_by_label("Your name").fill("Ines, Sill House")
                with client.expect_download() as told:
                    client.get_by_role("button", name="Save the reply").click()
                reply = Path(folder) / told.value.suggested_filename
                told.value.save_as(reply)
            page.after(lambda: page.dropped(reply))
        # An option is on the screen: only what was said of it shows.
        expect(page.page.get_by_text("Yes, as it should be")).to_be_visible()
        expect(page.page.get_by_text("No, not yet")).to_have_count(0)
        page.press("Option 2")
        expect(page.page.get_by_text("No, not yet")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
