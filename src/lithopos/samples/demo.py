"""The sample project, open and finished: both photographs with their marks, models and light."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.jobs.queue import Queue
from lithopos.library.store import Library
from lithopos.samples.make import DATA

PROJECT = "Tidewater yard"

__all__ = ["fill_demo", "marks_of"]


def marks_of(truth: dict[str, Any], noise_px: float = 0.5, seed: int = 3, edges_a_run: int = 4) -> dict[str, Any]:
    """A hand's marks of a sample photograph, as a patch for a shot: the longest edges, a little off."""
    rng = np.random.default_rng(seed)

    def off(points: Any) -> Any:
        return np.round(np.asarray(points, float) + rng.normal(scale=noise_px, size=np.shape(points)), 2).tolist()

    def length(edge: dict[str, Any]) -> float:
        return float(np.linalg.norm(np.subtract(*edge["points"])))

    edges = []
    for run in ("a", "b", "plumb"):
        mine = sorted((e for e in truth["edges"] if e["family"] == run), key=length, reverse=True)
        apart = _well_apart([e["points"] for e in mine], 0.05 * truth["image"]["width"])[:edges_a_run]
        edges += [{"id": f"{run}{i + 1}", "run": run, "points": off(points)} for i, points in enumerate(apart)]
    yardstick = truth["yardstick"]
    return {
        "name": truth["name"],
        "edges": edges,
        "origin": off(truth["origin"]),
        "lengths": [
            {
                "id": "y1",
                "from": off(yardstick["from"]),
                "to": off(yardstick["to"]),
                "metres": round(yardstick["metres"], 3),
            }
        ],
        "gnomons": [{"id": f"g{i + 1}", **{k: off(v) for k, v in g.items()}} for i, g in enumerate(truth["gnomons"])],
        "ground": {"material": truth["ground_material"]},
    }


def _well_apart(edges: list[Any], least_px: float) -> list[Any]:
    """Edges whose middles lie apart, the first ones kept: a hand would not mark both sides of a joint."""
    kept: list[Any] = []
    for points in edges:
        middle = np.mean(points, axis=0)
        if all(np.linalg.norm(middle - np.mean(other, axis=0)) > least_px for other in kept):
            kept.append(points)
    return kept


def fill_demo(data: Path, fresh: bool = False) -> str:
    """Fill a data folder with the sample project, if it is not there; returns the path to open.

    Both shots are asked to be proved, so that the pictures stand soon after the start.
    """
    library = Library(data)
    if fresh:
        library.wipe()
        library = Library(data)
    for project in library.projects():
        if project.name == PROJECT and library.shots(project.id):
            return f"/project/{project.id}/shot/{library.shots(project.id)[0].id}"
    project = library.add_project(PROJECT)
    queue = Queue(data)
    for place in ("cloister-yard", "sea-terrace"):
        truth = json.loads((DATA / f"{place}.json").read_text())
        photograph = library.import_file(project.id, DATA / truth["photograph"])
        model = library.import_file(project.id, DATA / truth["model"]["file"])
        state = library.add_shot(project.id, truth["name"], photograph.sha256)
        marks = marks_of(truth)
        for field, label in (
            ("edges", "edges"),
            ("origin", "origin"),
            ("lengths", "yardstick"),
            ("gnomons", "gnomons"),
            ("ground", "ground"),
        ):
            state = library.change(state.id, state.revision, {field: marks[field]}, label)
        stood = {
            "id": "m1",
            "file": f"sha256:{model.sha256}",
            "name": truth["model"]["file"].removesuffix(".glb").replace("-", " ").capitalize(),
            "position_m": truth["model"]["position"],
            "turn_deg": truth["model"]["turn_deg"],
        }
        state = library.change(state.id, state.revision, {"models": [stood]}, f"stand the {stood['name']}")
        queue.put(library.add_render(state.id, "proof").id, "proof")
    return fill_demo(data)
