"""Questions about a shot that need its models: how one comes to rest, how one looks dressed.

They go to a child as a file: the shot, what is asked, and where the files lie that it names.
"""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.exchange.graphic import Graphic, read_graphic
from lithopos.core.geometry.decimate import decimated
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.geometry.model import Material, Model, Part
from lithopos.core.geometry.readers.table import read_model
from lithopos.core.materials.dress import dressed
from lithopos.core.materials.flat import flattened
from lithopos.core.reading.ask import ask_reader
from lithopos.core.reading.quick import load_model
from lithopos.core.reading.screen import LIVE_TEXTURE, LIVE_TRIANGLES
from lithopos.core.shot import Placed, Shot, load_shot
from lithopos.core.standing.ask import RestAnswer, RestQuestion, rest
from lithopos.core.standing.placement import scale_of, upright
from lithopos.core.standing.stand_in import sides_of

DRESSED = "dressed.glb"

# Where a file lies, and the folder in which its quick form may be kept.
Places = Callable[[str], tuple[Path, Path]]

__all__ = [
    "DRESSED",
    "answer_rest",
    "answer_sides",
    "ask_dressed",
    "ask_rest",
    "ask_sides",
    "ask_swatches",
    "write_dressed",
    "write_swatches",
]


def ask_rest(shot: Shot, question: RestQuestion, places: Places) -> RestAnswer:
    """How a thing comes to rest, asked of a child.

    Raises
    ------
    InputError
        As `standing.ask.rest`, or if a model can't be read.
    """
    asked = {"shot": shot.model_dump(mode="json", by_alias=True), "question": question.model_dump(mode="json")}
    files = [placed.file for placed in shot.models]
    return RestAnswer.model_validate(_asked("rest", asked, files, places, None))


def ask_sides(shot: Shot, thing: str, places: Places) -> list[Any]:
    """The sides of a thing as it stands, each a list of [x, y, z], asked of a child; see `standing.stand_in`."""
    asked = {"shot": shot.model_dump(mode="json", by_alias=True), "thing": thing}
    files = [placed.file for placed in shot.models]
    return list(_asked("sides", asked, files, places, None)["sides"])


def ask_dressed(placed: Placed, files: list[str], places: Places, out: Path) -> None:
    """Have a child write a thing as the live view draws it, with its surfaces and prints: `DRESSED` in a folder."""
    _asked("dress", {"placed": placed.model_dump(mode="json")}, files, places, out)


def ask_swatches(placed: Placed, files: list[str], places: Places, out: Path) -> None:
    """Have a child write a thing's surfaces as glTF materials: `DRESSED` in a folder."""
    _asked("swatches", {"placed": placed.model_dump(mode="json")}, files, places, out)


def _asked(task: str, asked: dict[str, Any], files: list[str], places: Places, out: Path | None) -> dict[str, Any]:
    where = {name: [str(place) for place in places(name)] for name in files}
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        path = Path(folder) / "question.json"
        path.write_text(json.dumps({**asked, "files": where}))
        return ask_reader(task, path, out)


def answer_rest(path: Path) -> dict[str, Any]:
    """Within the child: see `ask_rest`."""
    asked = json.loads(path.read_text())
    shot, question = load_shot(asked["shot"]), RestQuestion.model_validate(asked["question"])
    return rest(shot, question, _reader(asked["files"])).model_dump(mode="json")


def answer_sides(path: Path) -> dict[str, Any]:
    """Within the child: see `ask_sides`."""
    asked = json.loads(path.read_text())
    sides = sides_of(load_shot(asked["shot"]), asked["thing"], _reader(asked["files"]))
    return {"sides": [np.round(side, 5).tolist() for side in sides]}


def write_dressed(path: Path, out: Path) -> None:
    """Within the child: see `ask_dressed`."""
    asked = json.loads(path.read_text())
    placed, files = Placed.model_validate(asked["placed"]), asked["files"]
    model = _reader(files)(placed.file)
    light = decimated(model, LIVE_TRIANGLES)

    def graphic(name: str, time_s: float) -> Graphic:
        return read_graphic(Path(files[name][0]), time_s, LIVE_TEXTURE)

    made = dressed(light, placed, upright(placed, model), scale_of(placed, model), graphic, LIVE_TEXTURE)
    (out / DRESSED).write_bytes(glb_of(flattened(made), LIVE_TEXTURE))


def write_swatches(path: Path, out: Path) -> None:
    """Within the child: a thing's surfaces as materials of a GLB, each on a sheet of half a metre."""
    asked = json.loads(path.read_text())
    placed, files = Placed.model_validate(asked["placed"]), asked["files"]
    parts, materials = [], []
    for number, name in enumerate(placed.surfaces):
        parts.append(replace(_SHEET, name=name, vertices=_SHEET.vertices + [0.6 * number, 0, 0], material=number))
        materials.append(Material(name, np.full(3, 0.5, np.float32)))

    def graphic(file: str, time_s: float) -> Graphic:
        return read_graphic(Path(files[file][0]), time_s)

    bare = placed.model_copy(update={"prints": {}})
    made = dressed(Model(parts, materials), bare, np.eye(3), 1.0, graphic)
    (out / DRESSED).write_bytes(glb_of(made))


_SHEET = Part(
    "sheet",
    np.array([[0.0, 0, 0], [0.5, 0, 0], [0.5, 0, 0.5], [0, 0, 0.5]]),
    np.tile([0.0, -1, 0], (4, 1)),
    np.array([[0.0, 1], [1, 1], [1, 0], [0, 0]]),
    np.array([[0, 1, 2], [0, 2, 3]]),
    0,
)


def _reader(files: dict[str, list[str]]) -> Callable[[str], Model]:
    @cache
    def read(name: str) -> Model:
        path, made = files[name]
        return load_model(Path(made), must=False) or read_model(Path(path))

    return read
