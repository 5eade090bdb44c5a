"""The running worker: a proof alone and beside a master, and how soon a master stops."""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from itertools import count
from pathlib import Path
from typing import Any

from proving.server import Server, running
from proving.truth import SAMPLES

from lithopos.library.store import Library
from lithopos.samples.demo import marks_of

__all__ = ["bench_queues"]

MASTER = {"scale": 1.5, "samples": 1024}  # 6.7 Mpx: several tiles, longer than all that is measured here


def bench_queues(times: int = 3) -> None:
    """Seconds from the question to the finished proof, and from the stop to the stopped master."""
    with tempfile.TemporaryDirectory() as folder:
        shot = _ready_shot(Path(folder))
        with running(Path(folder)) as server:
            places = count()
            _proof(server, shot, next(places))  # compiles
            alone = [_proof(server, shot, next(places)) for _ in range(times)]
            master = _begun_master(server, shot)
            _proof(server, shot, next(places))
            beside = [_proof(server, shot, next(places)) for _ in range(times)]
            stops = [_stopped(server, shot, master)]
            for _ in range(times - 1):
                server.ask("POST", f"/renders/{master}/restart")
                _until(server, shot, master, "running")
                time.sleep(2)
                stops.append(_stopped(server, shot, master))
    print("the worker [s: least, median, most]")
    print(f"  proof, its model moved, alone       {_three(alone)}")
    print(
        f"  the same while a master runs        {_three(beside)}  ratio of the medians "
        f"{statistics.median(beside) / statistics.median(alone):.2f}"
    )
    print(f"  a master stops after                {_three(stops)}")


def _three(seconds: list[float]) -> str:
    return f"{min(seconds):.2f} {statistics.median(seconds):.2f} {max(seconds):.2f}"


def _ready_shot(data: Path) -> str:
    library = Library(data)
    project = library.add_project("bench")
    photograph = library.import_file(project.id, SAMPLES / "cloister-yard.jpg")
    shot = library.add_shot(project.id, "Cloister", photograph.sha256)
    marks = marks_of(json.loads((SAMPLES / "cloister-yard.json").read_text()))
    model = library.import_file(project.id, SAMPLES / "marl-bench.glb")
    stood = {"id": "m1", "file": f"sha256:{model.sha256}", "position_m": [0.95, -1.75, 0], "turn_deg": 14}
    patch: dict[str, Any] = {name: marks[name] for name in ("edges", "origin", "lengths", "gnomons")}
    library.change(shot.id, 1, {**patch, "models": [stood], "output": MASTER}, "marks")
    library.engine.dispose()
    return shot.id


def _proof(server: Server, shot: str, place: int) -> float:
    """Seconds of a proof whose model has moved by a hand's breadth."""
    revision = server.ask("GET", f"/shots/{shot}")["revision"]
    moved = {"models": {"m1": {"position_m": [0.95 + 0.1 * place, -1.75, 0]}}}
    server.ask("PATCH", f"/shots/{shot}", {"revision": revision, "patch": moved})
    started = time.perf_counter()
    render = server.ask("POST", f"/shots/{shot}/renders", {"quality": "proof"})["id"]
    _until(server, shot, render, "done")
    return time.perf_counter() - started


def _begun_master(server: Server, shot: str) -> str:
    render: str = server.ask("POST", f"/shots/{shot}/renders", {"quality": "master"})["id"]
    server.wait(lambda: _told(server, shot, render)["passes_done"] > 0)
    return render


def _stopped(server: Server, shot: str, render: str) -> float:
    started = time.perf_counter()
    server.ask("POST", f"/renders/{render}/stop")
    _until(server, shot, render, "stopped")
    return time.perf_counter() - started


def _until(server: Server, shot: str, render: str, state: str) -> None:
    def reached() -> bool:
        told = _told(server, shot, render)
        if told["state"] == "failed":
            raise RuntimeError(told["reason"])
        return bool(told["state"] == state)

    server.wait(reached, 600)


def _told(server: Server, shot: str, render: str) -> Any:
    return next(one for one in server.ask("GET", f"/shots/{shot}/renders")["renders"] if one["id"] == render)
