"""`lithopos serve`: the web server and one worker as children, looked after and ended cleanly."""

from __future__ import annotations

import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from types import FrameType

from lithopos.cluster.address import Cluster
from lithopos.core.errors import InputError
from lithopos.core.reading.limits import end_with_parent
from lithopos.jobs.worker import fail_orphans
from lithopos.library.store import Library

__all__ = ["serve"]


def _free_port(port: int) -> int:
    """The port, or a free one for 0; InputError if it is in use."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as error:
            raise InputError("--port", f"{port} is in use; give another, or 0 for any free one") from error
        return int(probe.getsockname()[1])


def _start(*command: str) -> subprocess.Popen[bytes]:
    return subprocess.Popen([sys.executable, "-m", *command], preexec_fn=end_with_parent)


def _answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}/api/v1/health", timeout=1) as answer:
            return bool(answer.status == 200)
    except (urllib.error.URLError, OSError):
        return False


def serve(data: Path, port: int, path: str = "/", cluster: Cluster | None = None) -> int:
    """Run until SIGTERM or SIGINT; prints one line with the address when the server answers.

    A worker that dies is replaced, and what it was rendering is shown as failed with the reason.
    """
    port = _free_port(port)
    library = Library(data)
    fail_orphans(library)
    address = f"http://127.0.0.1:{port}"
    ending = False

    def end(_signal: int, _frame: FrameType | None) -> None:
        nonlocal ending
        ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    web_command = ("lithopos.web.serve", str(data), str(port))
    worker_command = ("lithopos.jobs.worker", str(data), *(cluster.words() if cluster else ()))
    web, worker = _start(*web_command), _start(*worker_command)
    told, status = False, 0
    try:
        while not ending:
            if not told and _answers(address):
                print(f"Lithopos is running at {address}{path}", flush=True)
                told = True
            if worker.poll() is not None:
                time.sleep(0.5)
                fail_orphans(library)
                worker = _start(*worker_command)
            if web.poll() is not None:
                if not told:
                    status = 1
                    break
                web = _start(*web_command)
            time.sleep(0.1 if not told else 0.25)
    finally:
        _end([web, worker])
        fail_orphans(library)
    return status


def _end(children: list[subprocess.Popen[bytes]]) -> None:
    for child in children:
        child.terminate()
    deadline = time.monotonic() + 8
    for child in children:
        try:
            child.wait(max(0.1, deadline - time.monotonic()))
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()
