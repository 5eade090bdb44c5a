"""A headless Chromium on a running application; any console error fails the test."""

from __future__ import annotations

import base64
import contextlib
import shutil
import time
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect, sync_playwright

from proving.server import Server
from proving.truth import SAMPLES

FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
WAIT_MS, LONG_MS = 120_000, 600_000  # for what shows at once, and for what is rendered, on a machine that is busy


def chromium() -> str:
    """Path of Chromium; skips the test where it or the built front end is missing."""
    path = shutil.which("chromium")
    if path is None:
        raise unittest.SkipTest("Chromium is not on this machine")
    if not (SAMPLES.parents[1] / "web/static/app/index.html").is_file():
        raise unittest.SkipTest("the front end is not built: make setup")
    return path


class Screen:
    """The page with gestures in the photograph's own pixels."""

    def __init__(self, page: Page, errors: list[str], server: Server) -> None:
        self.page, self.errors, self.server = page, errors, server
        page.set_default_timeout(WAIT_MS)
        expect.set_options(timeout=WAIT_MS)

    def until(self, expression: str, seconds: float = 180) -> Any:
        """Wait until a script's value is truthy."""
        deadline, looked, said = time.monotonic() + seconds, 0.0, list[str]()
        while time.monotonic() < deadline:
            if value := self.page.evaluate(expression):
                return value
            if time.monotonic() > looked + 2:  # what is said on the screen goes away again
                looked = time.monotonic()
                said += [text for text in self.page.locator("[role=status]").all_inner_texts() if text not in said]
            self.page.wait_for_timeout(60)
        raise AssertionError(f"waited in vain for {expression}; on the screen: {' | '.join(filter(None, said))}")

    def revision(self) -> int:
        """The revision on the screen."""
        return int(self.page.evaluate("window.lithopos?.revision ?? 0"))

    def kept(self, before: int) -> None:
        """Wait until a change after revision `before` is accepted."""
        self.until(f"window.lithopos.revision > {before}")

    def after(self, act: Any) -> None:
        """Do something, and wait until it is a revision."""
        before = self.revision()
        act()
        self.kept(before)

    def told(self, what: str = "shot") -> Any:
        """What the page knows: its document, or what was derived of it."""
        return self.page.evaluate(f"window.lithopos.{what}")

    def shows(self, label: str, value: str) -> None:
        """Wait until a field holds a value: what a change brings is drawn after the change is kept."""
        expect(self.page.get_by_label(label)).to_have_value(value)

    def photo(self, point: Any) -> tuple[float, float]:
        """Page pixels of a pixel of the photograph."""
        x, y = self.page.evaluate(f"window.lithopos.photo({point[0]}, {point[1]})")
        return x, y

    def world(self, x: float, y: float, z: float = 0) -> tuple[float, float]:
        """Page pixels of a world point."""
        px, py = self.page.evaluate(f"window.lithopos.project({x}, {y}, {z})")
        return px, py

    def drag(self, start: tuple[float, float], end: tuple[float, float], steps: int = 6) -> None:
        """Press, move in steps, let go."""
        mouse = self.page.mouse
        mouse.move(*start)
        mouse.down()
        for step in range(1, steps + 1):
            t = step / steps
            mouse.move(start[0] + t * (end[0] - start[0]), start[1] + t * (end[1] - start[1]))
        mouse.up()

    def stroke(self, start: Any, end: Any) -> None:
        """A drag between two pixels of the photograph that makes a revision."""
        before = self.revision()
        self.drag(self.photo(start), self.photo(end))
        self.kept(before)

    def stroke_of_brush(self, start: Any, end: Any) -> None:
        """Paint from one point of the photograph to another."""
        self.drag(self.photo(start), self.photo(end))

    def step(self, name: str) -> None:
        """Open a step of the ledger; again where what is above it grew just as it was clicked."""
        row = self.page.locator(f"aside button[data-step={name.lower()}]")
        deadline = time.monotonic() + WAIT_MS / 1000
        while row.get_attribute("aria-expanded") == "false":
            row.click()
            with contextlib.suppress(AssertionError):
                expect(row).to_have_attribute("aria-expanded", "true", timeout=3000)
            if time.monotonic() > deadline:
                raise AssertionError(f"the step {name} does not open")

    def turn_to(self, shot: str) -> None:
        """Open a shot of the strip by a word of its name, and wait until its sun is known."""
        self.page.locator("footer button", has_text=shot).first.click()
        self.until(f"window.lithopos?.shot?.name?.includes('{shot}') && window.lithopos.derived.sun")

    def press(self, name: str, exact: bool = True) -> None:
        """Press a button, or choose one of several, by its name."""
        button = self.page.get_by_role("button", name=name, exact=exact)
        button.or_(self.page.get_by_role("radio", name=name, exact=exact)).first.click()

    def dropped(self, file: Path) -> None:
        """Let a file fall onto the page."""
        self.page.evaluate(
            """([name, coded]) => {
                const bytes = Uint8Array.from(atob(coded), (letter) => letter.charCodeAt(0));
                const data = new DataTransfer();
                data.items.add(new File([bytes], name));
                window.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true }));
            }""",
            [file.name, base64.b64encode(file.read_bytes()).decode()],
        )

    @contextlib.contextmanager
    def client(self, page: Path) -> Iterator[Page]:
        """A hand-over page opened from the file system, as a client does; it asks for nothing from outside."""
        browser = self.page.context.browser
        assert browser
        client = browser.new_page(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        client.on("pageerror", lambda error: self.errors.append(str(error)))
        client.on("console", lambda told: self.errors.append(told.text) if told.type == "error" else None)
        client.on("request", lambda asked: self._refuse_outside(asked.url))
        client.goto(page.as_uri())
        yield client
        client.close()

    def _refuse_outside(self, address: str) -> None:
        if address.split(":")[0] not in ("file", "data", "blob"):
            self.errors.append(f"a hand-over page asked for {address}")

    def unfold(self, title: str) -> None:
        """Unfold a section of the open step."""
        head = self.page.locator("aside h3 button", has_text=title).first
        if head.get_attribute("aria-expanded") == "false":
            head.click()


@contextlib.contextmanager
def screen(server: Server, path: str | None = None) -> Iterator[Screen]:
    """A page on the server; fails if the console told of an error."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        errors: list[str] = []
        page.on("console", lambda message: errors.append(message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: errors.append(str(error)))
        page.goto(server.address + (path or server.path))
        yield Screen(page, errors, server)
        browser.close()
        if errors:
            raise AssertionError("the console told of: " + " | ".join(errors))


def begin(page: Screen) -> None:
    """A new project with the sample photograph in it."""
    page.page.get_by_label("Name of the new project").fill("Tidewater yard")
    page.press("Make project")
    page.page.get_by_role("button", name="Choose a photograph").wait_for()
    page.page.locator("input[type=file]").set_input_files(SAMPLES / "cloister-yard.jpg")
    page.page.get_by_test_id("photograph").wait_for()
    page.until("window.lithopos?.revision === 1")
