"""The sample projects: photographs with their marks, models and light, one of them dressed for a day, a take; and one
place seen from three sides."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lithopos.core.exchange.picture import Picture
from lithopos.core.reading.ask import read_picture_kept
from lithopos.core.readings import Sources, with_readings
from lithopos.jobs.queue import Queue
from lithopos.jobs.takes import begin_take
from lithopos.library.shots import ShotState
from lithopos.library.sites import change_site
from lithopos.library.store import Library
from lithopos.samples.make import DATA, TAKE

PROJECT, VIEWS = "Tidewater yard", "Tidewater yard from three sides"
FILES = (
    *("cloister-yard.jpg", "cloister-yard.hdr", "sea-terrace.jpg", "sea-terrace.hdr", "mason-court.jpg"),
    *("marl-bench.glb", "sill-planter.glb", "tern-fountain.glb", "tidewater-mark.svg", "osier-poster.svg"),
)

__all__ = ["drawn_proxies", "fill_demo", "marks_of"]


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

    All shots are asked to be proved, so that the pictures stand soon after the start.
    """
    library = Library(data)
    if fresh:
        library.wipe()
        library = Library(data)
    for project in library.projects():
        if project.name == PROJECT and library.shots(project.id):
            return f"/project/{project.id}/shot/{library.shots(project.id)[0].id}"
    _views(library)
    project = library.add_project(PROJECT)
    with ThreadPoolExecutor(2) as pool:  # each is read in a child of its own
        kept = pool.map(lambda name: f"sha256:{library.import_file(project.id, DATA / name).sha256}", FILES)
        names = dict(zip(FILES, kept, strict=True))
    queue = Queue(data)
    for place in ("cloister-yard", "sea-terrace"):
        truth = json.loads((DATA / f"{place}.json").read_text())
        state = _marked_shot(library, project.id, truth, names)
        stood = {
            "id": "m1",
            "file": names[truth["model"]["file"]],
            "name": truth["model"]["file"].removesuffix(".glb").replace("-", " ").capitalize(),
            "position_m": truth["model"]["position"],
            "turn_deg": truth["model"]["turn_deg"],
        }
        state = library.change(state.id, state.revision, {"models": [stood]}, f"stand the {stood['name']}")
        queue.put(library.add_render(state.id, "proof").id, "proof")
    queue.put(library.add_render(_opening_day(library, project.id, names).id, "proof").id, "proof")
    _court(library, project.id, names)
    queue.put(library.add_render(_walk(library, project.id).id, "plate").id, "plate")
    return fill_demo(data)


def _marked_shot(library: Library, project_id: str, truth: dict[str, Any], names: dict[str, str]) -> ShotState:
    """A shot of a sample photograph with a hand's marks; `names` are what the samples are called in the library."""
    state = library.add_shot(project_id, truth["name"], names[truth["photograph"]].removeprefix("sha256:"))
    marks = marks_of(truth)
    for field, label in (
        ("edges", "edges"),
        ("origin", "origin"),
        ("lengths", "yardstick"),
        ("gnomons", "gnomons"),
        ("ground", "ground"),
    ):
        patch = with_readings(library.document(state.id), {field: marks[field]}, Sources(partial(_read, library)))
        state = library.change(state.id, state.revision, patch, label)
    return state


@lru_cache(maxsize=1)
def _read(library: Library, name: str) -> Picture:
    return read_picture_kept(library.file_path(name), library.made_folder(name))


def _court(library: Library, project_id: str, names: dict[str, str]) -> ShotState:
    """A court in which the shadow climbs what stands there; its proof is left to whoever opens it."""
    truth = json.loads((DATA / "mason-court.json").read_text())
    state = _marked_shot(library, project_id, truth, names)
    proxies = drawn_proxies(truth)
    mattes = [
        {"id": f"o{i + 1}", "name": f"Lantern {i + 1}", **told, "points": _as_clicked(told["points"])}
        for i, told in enumerate(truth["mattes"])
    ]
    stood = {
        "id": "m1",
        "file": names[truth["model"]["file"]],
        "name": "Marl bench",
        "position_m": truth["model"]["position"],
        "turn_deg": truth["model"]["turn_deg"],
    }
    patch = {"models": [stood], "proxies": proxies, "mattes": mattes}
    read = with_readings(library.document(state.id), patch, Sources(partial(_read, library)))
    return library.change(state.id, state.revision, read, "a bench, and what stands about it")


def drawn_proxies(truth: dict[str, Any]) -> list[dict[str, Any]]:
    """What stands there, as a hand would draw it."""
    called = {"wall": "Wall", "steps": "Steps", "box": "Block", "cylinder": "Bollard"}
    return [
        {"id": f"x{i + 1}", "name": called[told["kind"]], **told, "points": np.round(told["points"], 1).tolist()}
        for i, told in enumerate(truth["proxies"])
    ]


def _walk(library: Library, project_id: str) -> ShotState:
    """A take of the court, through which two people walk, with a bench where the way is free."""
    truth = json.loads((DATA / f"{TAKE}.json").read_text())
    film = library.import_file(project_id, DATA / truth["photograph"])
    state = begin_take(library, project_id, truth["name"], film.sha256)
    bench = library.import_file(project_id, DATA / truth["model"]["file"])
    stood = {
        "id": "m1",
        "file": f"sha256:{bench.sha256}",
        "name": "Marl bench",
        "position_m": truth["model"]["position"],
        "turn_deg": truth["model"]["turn_deg"],
    }
    patch = {**marks_of(truth), "models": [stood], "proxies": drawn_proxies(truth)}
    read = with_readings(library.document(state.id), patch, Sources(partial(_read, library)))
    return library.change(state.id, state.revision, read, "marks, and a bench")


def _views(library: Library) -> None:
    """The yard from three sides: a site, with the bench standing in all of its photographs."""
    told = json.loads((DATA / "cloister-yard.site.json").read_text())
    project = library.add_project(VIEWS)
    shots = {}
    for photograph in told["photographs"]:
        truth = json.loads((DATA / f"{photograph}.json").read_text())
        name = f"sha256:{library.import_file(project.id, DATA / truth['photograph']).sha256}"
        shots[photograph] = _marked_shot(library, project.id, truth, {truth["photograph"]: name})
    truth = json.loads((DATA / "cloister-yard.json").read_text())
    bench = library.import_file(project.id, DATA / truth["model"]["file"])
    stood = {"id": "m1", "file": f"sha256:{bench.sha256}", "name": "Marl bench", "turn_deg": truth["model"]["turn_deg"]}
    first = shots[told["photographs"][0]]
    at = {"position_m": truth["model"]["position"]}
    library.change(first.id, first.revision, {"models": [stood | at]}, "stand the bench")
    rng = np.random.default_rng(11)

    def off(seen: dict[str, Any]) -> dict[str, Any]:
        return {shots[name].id: np.round(np.add(at, rng.normal(scale=0.5, size=2)), 2) for name, at in seen.items()}

    ties = [
        {"id": f"t{i + 1}", "name": tie["name"], "on_ground": tie["on_ground"]}
        | {"seen": {name: at.tolist() for name, at in off(tie["seen"]).items()}}
        for i, tie in enumerate(told["ties"])
    ]
    patch = {"members": [{"id": state.id} for state in shots.values()], "ties": ties}
    change_site(library, project.id, 0, patch, "ties")


def _as_clicked(outline: list[list[float]]) -> list[list[float]]:
    """An outline by as few points as a hand would click."""
    few = cv2.approxPolyDP(np.array(outline, np.float32), 2.0, True)[:, 0]
    return [[round(float(x), 1), round(float(y), 1)] for x, y in few]


def _opening_day(library: Library, project_id: str, names: dict[str, str]) -> ShotState:
    """The yard again, for the opening of the Osier pavilion: dressed things, one on another, prints, a poster."""
    truth = json.loads((DATA / "cloister-yard.json").read_text())
    state = _marked_shot(library, project_id, truth, names)
    (sign,) = truth["signs"]
    oak = {"kind": "wood", "parameters": {"varnish": 0.3}, "texture": {"file": "shipped:oak", "turn_deg": 90}}
    mark = {"file": names["tidewater-mark.svg"], "name": "Mark", "at": [0.35, -0.23, 0.415], "facing": [0, -1, 0]}
    models = [
        {
            "id": "m1",
            "file": names["marl-bench.glb"],
            "name": "Marl bench",
            "position_m": (0.95, -1.75, 0.0),
            "turn_deg": 14.0,
            "surfaces": {"pale stone": oak},
            "prints": {"p1": {**mark, "width_mm": 260}},
        },
        {
            "id": "m2",
            "file": names["sill-planter.glb"],
            "name": "Sill planter",
            "on": "m1",
            "position_m": (-0.42, 0.0, 0.4725),
            "turn_deg": -8.0,
            "surfaces": {"zinc": {"kind": "paint", "colour": [0.012, 0.09, 0.088], "parameters": {"gloss": 0.7}}},
        },
        {
            "id": "m3",
            "file": names["tern-fountain.glb"],
            "name": "Tern drinking fountain",
            "position_m": (2.75, -0.9, 0.0),
            "turn_deg": -70.0,
            "surfaces": {"pale stone": {"kind": "stone", "texture": {"file": "shipped:terrazzo", "repeat_mm": 300}}},
        },
    ]
    poster = {
        "id": "n1",
        "name": "Poster",
        "file": names["osier-poster.svg"],
        "corners": np.round(sign["corners"], 2).tolist(),
        "width_m": sign["width_m"],
        "glass": True,
    }
    changes = {"name": "Osier pavilion, opening day", "models": models, "panes": [poster]}
    return library.change(state.id, state.revision, changes, "things and a poster")
