"""`lithopos cluster`: a scheduler and workers on this machine, for trying a cluster out."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from types import FrameType

from lithopos.core.errors import InputError
from lithopos.core.reading.limits import end_with_parent

STARTED_S = 30.0

__all__ = ["run_cluster", "start_scheduler", "start_worker"]


def start_scheduler(port: int = 0) -> tuple[subprocess.Popen[bytes], str]:
    """A scheduler on this machine alone, and its address.

    Raises
    ------
    InputError
        If it does not start: its port is in use.
    """
    with tempfile.TemporaryDirectory() as name:
        told = Path(name) / "scheduler.json"
        options = ["--host", "127.0.0.1", "--port", str(port), "--scheduler-file", str(told)]
        options += ["--dashboard-address", "127.0.0.1:0"]
        child = _start("distributed.cli.dask_scheduler", *options)
        deadline = time.monotonic() + STARTED_S
        while time.monotonic() < deadline and child.poll() is None:
            if told.is_file() and (text := told.read_text()).strip().endswith("}"):
                return child, str(text.split('"address": "')[1].split('"')[0])
            time.sleep(0.1)
    child.kill()
    raise InputError("--port", f"{port} can't be listened at; give another, or 0 for any free one")


def start_worker(address: str, name: str, threads: int | None = None, **environment: str) -> subprocess.Popen[bytes]:
    """A worker, which traces with so many threads, or with all of the machine's."""
    told = {**os.environ, **environment} | ({"LITHOPOS_THREADS": str(threads)} if threads else {})
    options = [address, "--name", name, "--nthreads", "1", "--no-nanny", "--no-dashboard", "--memory-limit", "0"]
    return _start("distributed.cli.dask_worker", *options, environment=told)


def _start(module: str, *options: str, environment: dict[str, str] | None = None) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", module, *options],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        env=environment,
        preexec_fn=end_with_parent,
    )


def run_cluster(workers: int, port: int) -> int:
    """Run until SIGTERM or SIGINT; workers that die are replaced. Prints the address."""
    scheduler, address = start_scheduler(port)
    threads = max(1, (os.cpu_count() or 1) // workers)
    running = {f"here-{number}": start_worker(address, f"here-{number}", threads) for number in range(1, workers + 1)}
    ending = False

    def end(_signal: int, _frame: FrameType | None) -> None:
        nonlocal ending
        ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    print(f"A cluster of {workers} is at {address}: lithopos serve --cluster {address}", flush=True)
    try:
        while not ending and scheduler.poll() is None:
            for name, child in running.items():
                if child.poll() is not None:
                    running[name] = start_worker(address, name, threads)
            time.sleep(0.3)
    finally:
        for child in [*running.values(), scheduler]:
            child.terminate()
        for child in [*running.values(), scheduler]:
            try:
                child.wait(5)
            except subprocess.TimeoutExpired:
                child.kill()
    return 0 if ending else 1
