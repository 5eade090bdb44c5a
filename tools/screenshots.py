"""`python tools/screenshots.py`: the pictures in docs/screenshots, from the demonstration's data."""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from proving.screen import Screen, screen
from proving.server import running
from tests.support import ROOT, SAMPLES

OUT = ROOT / "docs/screenshots"


def take(page: Screen, name: str) -> None:
    """Keep what is on the screen."""
    page.page.mouse.move(700, 20)
    page.page.wait_for_timeout(700)
    page.page.screenshot(path=OUT / f"{name}.png")


def live(page: Screen) -> None:
    """The live view, drawn."""
    page.press("Live")
    page.until("window.lithopos.ready")
    page.page.wait_for_timeout(2500)


def done(page: Screen, word: str) -> None:
    """Wait until the newest render is done."""
    page.page.locator("footer").get_by_text(f"{word} ·", exact=False).wait_for()
    page.page.locator("footer").get_by_text("done ·", exact=False).wait_for(timeout=180_000)


def main() -> None:
    """Take them all."""
    with running(command="demo") as server, screen(server) as page:
        page.until("window.lithopos?.derived.sun")
        done(page, "Proof")
        page.press("Photo")
        page.step("Perspective")
        take(page, "perspective")
        loupe(page)
        perspective_states(page)
        page.step("Ground")
        take(page, "ground")
        page.step("Place")
        live(page)
        take(page, "place-live")
        page.step("Light")
        take(page, "light")
        page.step("Contact")
        page.press("Proof")
        page.press("Seam")
        take(page, "contact-proof-seam")
        page.press("Seam")
        page.step("Deliver")
        page.page.get_by_label("Samples a pixel").fill("48")
        page.page.get_by_label("Samples a pixel").press("Enter")
        page.until("window.lithopos.shot.output.samples === 48")
        page.press("Make the master")
        page.page.locator("footer").get_by_text("pass 2 of", exact=False).wait_for(timeout=120_000)
        take(page, "deliver-under-way")
        page.page.get_by_role("button", name="Sea terrace", exact=False).click()
        page.until("window.lithopos?.derived.sun?.elevation_deg < 24")
        done(page, "Proof")
        page.step("Contact")
        page.press("Proof")
        page.press("fold")
        take(page, "sea-terrace-proof")
        page.press("Tidewater yard")
        take(page, "project")
        page.press("All projects")
        take(page, "projects")
        page.page.get_by_label("Name of the new project").fill("Harbour steps")
        page.press("Make project")
        page.page.get_by_text("Drop the photograph", exact=False).wait_for()
        page.page.locator("input[type=file]").set_input_files(SAMPLES / "sea-terrace.jpg")
        page.page.get_by_test_id("photograph").wait_for()
        page.step("Perspective")
        take(page, "perspective-empty")


def perspective_states(page: Screen) -> None:
    """Found edges, checks, too few edges, and the camera by hand; the shot is left as it was."""
    page.press("fold")
    page.press("Find edges for me")
    page.page.get_by_role("checkbox", name="Proposed edge 1 of").wait_for()
    take(page, "perspective-found")
    page.press("None of them")
    checks = ("Wall along B", "Staff", "Test box", "Plumb line")
    for check in checks:
        page.press(check)
    take(page, "perspective-checks")
    for check in checks:
        page.press(check)
    start = page.revision()
    for edge in ("A1", "A2", "B1", "B2", "P3", "P2", "P1"):
        before = page.revision()
        page.press(f"Strike out {edge}")
        page.kept(before)
    page.page.locator("aside").evaluate("aside => { aside.scrollTop = 0; }")
    take(page, "perspective-unsure")
    while page.revision() > start:
        before = page.revision()
        page.press("Undo")
        page.until(f"window.lithopos.revision < {before}")
    page.press("Set the camera by hand instead")
    page.page.get_by_label("Horizon, whole").wait_for()
    take(page, "perspective-by-hand")
    page.press("Undo")
    page.until(f"window.lithopos.revision === {start}")
    page.press("unfold")


def loupe(page: Screen) -> None:
    """An edge's end under the loupe, in the middle of a drag."""
    box = page.page.get_by_label("Run A edge 2, end 1").bounding_box()
    assert box
    page.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.page.mouse.down()
    page.page.mouse.move(box["x"] + box["width"] / 2 + 3, box["y"] + box["height"] / 2 + 2, steps=3)
    page.page.wait_for_timeout(500)
    page.page.screenshot(path=OUT / "perspective-loupe.png")
    before = page.revision()
    page.page.mouse.up()
    page.kept(before)
    page.press("Undo")
    page.until(f"window.lithopos.revision === {before}")


if __name__ == "__main__":
    main()
