"""`lithopos serve`: the web server and one worker as children, looked after and ended cleanly."""

from __future__ import annotations

import errno
import json
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from dataclasses import asdict, dataclass
from pathlib import Path
from types import FrameType

from lithopos.cluster.address import Cluster
from lithopos.core.errors import InputError
from lithopos.core.reading.limits import end_with_parent
from lithopos.jobs.worker import fail_orphans, put_back_orphans
from lithopos.library.store import Library

__all__ = ["Reached", "refuse_open", "serve"]


def _free_port(port: int, listen: str) -> int:
    """The port, or a free one for 0; InputError if it is in use."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((listen, port))
        except OSError as error:
            if error.errno != errno.EADDRINUSE:
                raise InputError("--listen", f"{listen} is no address of this machine: {error.strerror}") from error
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


@dataclass(frozen=True)
class Reached:
    """How the application is reached: at an address, with keys, by names, behind a proxy."""

    listen: str = "127.0.0.1"
    keys: str | None = None
    hosts: tuple[str, ...] = ()
    behind_proxy: bool = False

    @property
    def is_local(self) -> bool:
        """Whether nobody but this machine can reach it."""
        return self.listen in ("127.0.0.1", "localhost", "::1")


def refuse_open(reached: Reached) -> None:
    """Refuse to be reached from outside without keys.

    Raises
    ------
    InputError
        Naming what is missing.
    """
    if reached.keys is not None and not Path(reached.keys).is_file():
        raise InputError("--keys", f"{reached.keys} is no file; make one with lithopos keys add")
    if reached.keys is None and not (reached.is_local and not reached.hosts and not reached.behind_proxy):
        raise InputError("--listen", "others could reach it: give a file of keys (--keys); see docs/studio.md")


def serve(
    data: Path, port: int, path: str = "/", cluster: Cluster | None = None, reached: Reached | None = None
) -> int:
    """Run until SIGTERM or SIGINT; prints one line with the address when the server answers.

    A worker that dies is replaced, and what it was rendering is shown as failed with the reason.
    """
    reached = reached or Reached()
    refuse_open(reached)
    port = _free_port(port, reached.listen)
    library = Library(data)
    fail_orphans(library)
    host = "127.0.0.1" if reached.listen in ("0.0.0.0", "localhost") else reached.listen
    address = f"http://{host}:{port}"
    ending = False

    def end(_signal: int, _frame: FrameType | None) -> None:
        nonlocal ending
        ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    hosts = (*reached.hosts, *(() if reached.is_local else (host,)))
    told = json.dumps({**asdict(reached), "hosts": hosts})
    web_command = ("lithopos.web.serve", str(data), str(port), told)
    worker_command = ("lithopos.jobs.worker", str(data), *(cluster.words() if cluster else ()))
    web, worker = _start(*web_command), _start(*worker_command)
    said, status = False, 0
    try:
        while not ending:
            if not said and _answers(address):
                print(f"Lithopos is running at {address}{path}", flush=True)
                said = True
            if worker.poll() is not None:
                time.sleep(0.5)
                fail_orphans(library)
                worker = _start(*worker_command)
            if web.poll() is not None:
                if not said:
                    status = 1
                    break
                web = _start(*web_command)
            time.sleep(0.1 if not said else 0.25)
    finally:
        _end([web, worker])
        if ending:  # a worker that is slow to end, on a machine that has much to do, failed in nothing
            put_back_orphans(library)
        else:
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
