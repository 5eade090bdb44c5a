"""A running application and a small client for it."""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

from lithopos.library.store import Library
from lithopos.samples.demo import fill_demo


@contextlib.contextmanager
def running(data: Path | None = None, command: str = "serve", *options: str) -> Iterator[Server]:
    """`lithopos serve` with options on a free port, ended with SIGTERM."""
    with contextlib.ExitStack() as stack:
        folder = data or Path(stack.enter_context(tempfile.TemporaryDirectory()))
        server = Server(folder, command, *options)
        try:
            yield server
        finally:
            server.end()


@contextlib.contextmanager
def sample_project() -> Iterator[Server]:
    """The demonstration as it opens, but that none of its proofs is made."""
    with tempfile.TemporaryDirectory() as name:
        shutil.copytree(_filled(), name, dirs_exist_ok=True)
        with running(Path(name), "demo") as server:
            yield server


@cache
def _filled() -> Path:
    """The sample project's data with its proofs stopped, made once a process."""
    folder = Path(tempfile.mkdtemp(prefix="lithopos-filled-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    fill_demo(folder)
    library = Library(folder)
    for render in library.queued_renders():
        library.stop_render(render.id)
    library.engine.dispose()
    return folder


class Server:
    """A started application and a small client for it."""

    def __init__(self, data: Path, command: str = "serve", *options: str) -> None:
        self.data = data
        self.process = subprocess.Popen(
            [sys.executable, "-m", "lithopos.cli", command, "--port", "0", "--data", str(data), *options],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert self.process.stdout
        line = self.process.stdout.readline()
        assert line.startswith("Lithopos is running at "), line
        self.address, _, self.path = line.removeprefix("Lithopos is running at ").strip().partition("/project")
        self.address = self.address.rstrip("/")
        self.path = f"/project{self.path}" if self.path else "/"

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        """A JSON question; raises urllib's HTTPError for a refusal."""
        data = json.dumps(body).encode() if body is not None else None
        request = urllib.request.Request(
            f"{self.address}/api/v1{path}", data, {"Content-Type": "application/json"}, method=method
        )
        with urllib.request.urlopen(request, timeout=180) as answer:
            return json.loads(answer.read())

    def wait(self, ready: Callable[[], Any], seconds: float = 300) -> Any:
        """Ask until the answer is truthy."""
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            if answer := ready():
                return answer
            time.sleep(0.1)
        raise AssertionError("waited in vain")

    def child(self, module: str) -> int:
        """The process number of a child by its module."""
        children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        return next(int(pid) for pid in children if module in Path(f"/proc/{pid}/cmdline").read_text())

    def end(self, how: int = signal.SIGTERM) -> None:
        """End it, and see that nothing of it stays."""
        if self.process.poll() is None:
            os.kill(self.process.pid, how)
            self.process.wait(20)
        if self.process.stdout:
            self.process.stdout.close()
