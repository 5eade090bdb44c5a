"""`python tools/screenshots.py [states | SHOT ...]`: the pictures in docs/screenshots, from the demonstration's data.

*states* are the steps on the screen, a word of a shot's name its finished picture; by default all of them.
"""

from __future__ import annotations

import io
import sys
import urllib.request
from pathlib import Path
from typing import Any

from PIL import Image

sys.path.insert(0, str(Path(__file__).parents[1]))

from proving.screen import Screen, screen
from proving.server import Server, running

from lithopos.samples.demo import VIEWS

WIDEST, FINISHED_PX = 1280, 960
OUT = Path(__file__).parents[1] / "docs/screenshots"


def take(page: Screen, name: str) -> None:
    """Keep what is on the screen."""
    page.page.mouse.move(700, 20)
    page.page.wait_for_timeout(700)
    keep(page.page.screenshot(), name)


def keep(png: bytes, name: str) -> None:
    """Keep a picture in a palette of 256: every refresh stays in the history for ever."""
    shot = Image.open(io.BytesIO(png)).convert("RGB")
    shot.thumbnail((WIDEST, WIDEST))
    shot.quantize(256, method=Image.Quantize.MEDIANCUT, dither=Image.Dither.FLOYDSTEINBERG).save(
        OUT / f"{name}.png", optimize=True
    )


def finished(server: Server, words: list[str]) -> None:
    """Masters of the sample project's shots that are named by a word, or of all, as a client gets them."""
    for shot in server.ask("GET", f"/projects/{server.path.split('/')[2]}")["shots"]:
        told = server.ask("GET", f"/shots/{shot['id']}")
        left_out = ("Osier", "court")  # the yard once more; what its steps show
        if told["document"]["take"] or any(word in told["document"]["name"] for word in left_out):
            continue
        if words and not any(word.lower() in told["document"]["name"].lower() for word in words):
            continue
        scale = FINISHED_PX / told["document"]["photograph"]["width"]
        patch = {"output": {"scale": scale, "samples": 256, "noise": None}}
        server.ask("PATCH", f"/shots/{shot['id']}", {"revision": told["revision"], "patch": patch})
        render = server.ask("POST", f"/shots/{shot['id']}/renders", {"quality": "master"})["id"]

        def made(shot: str = shot["id"], render: str = render) -> bool:
            known = server.ask("GET", f"/shots/{shot}/renders")["renders"]
            return any(one["id"] == render and one["state"] == "done" for one in known)

        server.wait(made, 900)
        with urllib.request.urlopen(f"{server.address}/api/v1/renders/{render}/picture?download=true") as answer:
            name = told["document"]["name"].split(",")[0].replace("’", "").lower().replace(" ", "-")
            keep(answer.read(), f"finished-{name}")


def live(page: Screen) -> None:
    """The live view, drawn."""
    page.press("Live")
    page.until("window.lithopos.ready")
    page.page.wait_for_timeout(2500)


def done(page: Screen, word: str) -> None:
    """Wait until the newest render is done."""
    page.page.locator("footer").get_by_text(f"{word} ·", exact=False).wait_for()
    page.page.locator("footer").get_by_text("done ·", exact=False).wait_for(timeout=180_000)


def contact_states(page: Screen) -> None:
    """The court: what stands there, drawn."""
    page.turn_to("court")
    page.step("Contact")
    page.press("Photo")
    page.page.get_by_role("button", name="Steps", exact=True).first.click()
    take(page, "contact")
    page.page.keyboard.press("Escape")
    page.page.locator("footer button").first.click()


def blend_and_deliver(page: Screen) -> None:
    """How it was photographed; a list of files that were made; the page that the client gets."""
    page.press("Proof")
    page.step("Blend")
    page.page.get_by_text("grain by brightness").wait_for()
    page.unfold("Tones")
    take(page, "blend")
    page.step("Photo")
    page.after(lambda: page.press("16 : 9"))
    page.step("Deliver")
    page.unfold("Size and fineness")
    samples = page.page.get_by_label("Samples a pixel, at most")
    samples.fill("64")
    page.after(lambda: samples.press("Enter"))
    page.page.locator("aside h3 button", has_text="Size and fineness").click()
    for name in ("Full size", "For the web", "For retouching", "For the client"):
        page.after(lambda name=name: page.press(name))
    page.page.get_by_role("button", name="Make the master and", exact=False).click()
    links = page.page.locator("a[aria-label^=Download]")
    page.until("document.querySelectorAll('a[aria-label^=Download]').length >= 4", 400)
    page.press("Master")
    page.page.locator("aside").evaluate("aside => aside.scrollTo(0, aside.scrollHeight)")
    take(page, "deliver")
    with page.page.expect_download() as told:
        links.nth(3).click()
    browser = page.page.context.browser
    assert browser
    client = browser.new_page(viewport={"width": 1280, "height": 800})
    client.goto(Path(told.value.path()).rename(Path(told.value.path()).with_suffix(".html")).as_uri())
    client.wait_for_timeout(800)
    keep(client.screenshot(), "hand-over")
    client.close()


def options(page: Screen) -> None:
    """Colours and places of the bench, told in words, each as it stands."""
    server, base = page.server, page.page.evaluate("location.pathname.split('/')[4]")
    (bench,) = server.ask("GET", f"/shots/{base}")["document"]["models"]
    x, y, z = bench["position_m"]

    def surfaces(kind: str, colour: list[float]) -> dict[str, Any]:
        return {"surfaces": {"pale stone": {"kind": kind, "colour": colour}}}

    wanted = {
        "Red lacquer": surfaces("paint", [0.5, 0.03, 0.02]),
        "Bronze": surfaces("metal", [0.55, 0.32, 0.12]),
        "Nearer the well": {"position_m": [x - 0.6, y + 0.5, z]},
    }
    for name, change in wanted.items():
        made = server.ask("POST", f"/shots/{base}/options", {"options": [{"name": name}]})
        patch = {"revision": made["revision"], "patch": {"models": {bench["id"]: change}}}
        server.ask("PATCH", f"/shots/{made['options'][-1]['shot']}", patch)
    told = server.ask("GET", f"/shots/{base}")
    ids = [one["id"] for one in told["options"]]
    pairs = [{"of": [ids[0], ids[2]]}, {"of": [ids[1], ids[2]]}]
    server.ask("POST", f"/shots/{base}/options", {"options": pairs})
    page.page.reload()
    page.until("window.lithopos?.derived.sun")
    page.press("All options")
    page.until("document.querySelectorAll('[role=dialog] img:not([data-waits])').length >= 6", 300)
    take(page, "options")


def footage(page: Screen) -> None:
    """The take of the court: who is in front of the bench in a frame."""
    page.turn_to("Court, a walk")
    page.until("window.lithopos.shot.take?.plate", 240)
    page.step("Contact")
    page.press("Tell who is in front")
    page.page.get_by_role("button", name="Tell anew who is in front").wait_for(timeout=240_000)
    live(page)
    page.page.get_by_role("radio", name="In front").click()
    track = page.page.get_by_label("Frame on show").bounding_box()
    assert track
    page.page.mouse.click(track["x"] + 0.55 * track["width"], track["y"] + 15)
    page.page.get_by_test_id("made-frame").wait_for()
    take(page, "footage")


def site(page: Screen) -> None:
    """The yard's three photographs, with a tie chosen."""
    projects = page.server.ask("GET", "/projects")["projects"]
    (found,) = [one["id"] for one in projects if one["name"] == VIEWS]
    page.page.goto(f"{page.server.address}/project/{found}/site")
    page.page.get_by_role("button", name="Band B2", exact=True).first.click()
    page.page.get_by_test_id("picture-right").locator("img").wait_for()
    take(page, "site")


def main() -> None:
    """Take what is asked for."""
    words = [word for word in sys.argv[1:] if word != "states"]
    if words or len(sys.argv) == 1:
        with running(command="demo") as server:
            finished(server, words)
    if words and "states" not in sys.argv:
        return
    with running(command="demo") as server, screen(server) as page:
        page.until("window.lithopos?.derived.sun")
        done(page, "Proof")
        page.press("Photo")
        page.step("Perspective")
        take(page, "perspective")
        perspective_states(page)
        page.step("Ground")
        take(page, "ground")
        page.step("Place")
        live(page)
        page.unfold("Surfaces")
        page.page.get_by_role("button", name="grey stone").click()
        page.press("paint")
        page.until("window.lithopos.shot.models[0].surfaces['grey stone']")
        page.until("document.querySelectorAll('[role=radio] img').length >= 15", 240)
        page.page.get_by_role("radio", name="leather").scroll_into_view_if_needed()
        take(page, "place-live")
        page.press("Undo")
        page.step("Light")
        page.press("Find patches")
        page.until("window.lithopos.derived.balance?.sky_measured")
        page.unfold("Light card")
        card = page.page.get_by_alt_text("A grey ball, a mirror ball")
        card.wait_for(timeout=180_000)
        card.scroll_into_view_if_needed()
        take(page, "light")
        page.step("Contact")
        page.press("Proof")
        page.press("Seam")
        take(page, "contact-proof-seam")
        page.press("Seam")
        contact_states(page)
        blend_and_deliver(page)
        page.page.locator("footer button", has_text="Osier pavilion").first.click()
        dressed(page)
        footage(page)
        site(page)
        page.press("Tidewater yard")
        take(page, "project")
        page.page.locator("footer button").first.click()
        page.until("window.lithopos?.derived.sun")
        options(page)


def dressed(page: Screen) -> None:
    """Place with dressed things: a print in hand, and looking round."""
    page.until("window.lithopos?.shot.models.length === 3")
    page.step("Place")
    live(page)
    page.page.wait_for_timeout(6000)
    page.page.locator("aside button", has_text="Marl bench").first.click()
    page.unfold("Prints")
    page.page.get_by_role("button", name="Mark", exact=True).click()
    take(page, "place-dressed")
    page.press("Look round")
    page.page.get_by_test_id("round").wait_for()
    page.page.wait_for_timeout(3000)
    take(page, "place-round")
    page.page.keyboard.press("r")


def perspective_states(page: Screen) -> None:
    """Found edges, and the camera by hand; the shot is left as it was."""
    start = page.revision()
    page.press("Find edges for me")
    page.page.get_by_role("checkbox", name="Proposed edge 1 of").wait_for()
    take(page, "perspective-found")
    page.press("None of them")
    page.press("Set the camera by hand instead")
    page.page.get_by_label("Horizon, whole").wait_for()
    take(page, "perspective-by-hand")
    page.press("Undo")
    page.until(f"window.lithopos.revision === {start}")


if __name__ == "__main__":
    main()
