"""What a reader hands over, in a form that loads at once: plain arrays, no code of the file's format."""

from __future__ import annotations

import json
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any, Literal, overload

import numpy as np
from numpy.typing import NDArray

from lithopos.core.exchange.graphic import Graphic
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Material, Model, Part, Texture, Unit

FORM = 5  # raised when the form changes: what was kept in an older one is read anew from its file
PICTURE, MODEL, GRAPHIC, PANORAMA = (f"{what}-{FORM}.npz" for what in ("picture", "model", "graphic", "panorama"))

__all__ = [
    "has_picture",
    "load_graphic",
    "load_model",
    "load_panorama",
    "load_picture",
    "save_graphic",
    "save_model",
    "save_panorama",
    "save_picture",
]


def save_picture(picture: Picture, folder: Path) -> None:
    """Keep a picture's working copy."""
    own: dict[str, Any] = {}
    if picture.own:
        own = {"own": picture.own.codes, "own_icc": _bytes(picture.own.icc)}
    notes = np.array(json.dumps(picture.notes))
    np.savez(folder / PICTURE, codes=picture.codes, icc=_bytes(picture.icc), notes=notes, **own)


def _bytes(icc: bytes | None) -> NDArray[np.uint8]:
    return np.frombuffer(icc or b"", np.uint8)


def save_model(model: Model, folder: Path) -> None:
    """Keep a model, in single precision."""
    arrays: dict[str, Any] = {}
    for number, part in enumerate(model.parts):
        for name in ("vertices", "normals", "uv", "colours"):
            values = getattr(part, name)
            if values is not None:
                arrays[f"part{number}.{name}"] = np.asarray(values, np.float32)
        arrays[f"part{number}.faces"] = np.asarray(part.faces, np.int32)
    pictures: dict[int, str] = {}  # what materials share is kept once

    def plain(value: Any) -> Any:
        if isinstance(value, Texture):
            return {"texture": plain(value.values), "turn": value.turn, "wrap": value.wrap, "smooth": value.smooth}
        if isinstance(value, np.ndarray):
            name = pictures.setdefault(id(value), f"picture{len(pictures)}")
            arrays[name] = value
            return {"array": name}
        return value

    head = {
        "parts": [{"name": part.name, "material": part.material, "closed": part.closed} for part in model.parts],
        "materials": [
            {item.name: plain(getattr(material, item.name)) for item in fields(Material)}
            for material in model.materials
        ],
        "lost": model.lost,
        "mended": model.mended,
        "unit": asdict(model.unit),
        "up": model.up,
    }
    np.savez(folder / MODEL, head=np.array(json.dumps(head)), **arrays)


def load_picture(folder: Path) -> Picture:
    """A kept picture."""
    with np.load(folder / PICTURE, allow_pickle=False) as kept:
        notes = tuple(json.loads(str(kept["notes"])))
        own = Picture(kept["own"], kept["own_icc"].tobytes(), notes) if "own" in kept else None
        return Picture(kept["codes"], kept["icc"].tobytes() or None, notes, own=own)


def save_graphic(graphic: Graphic, folder: Path) -> None:
    """Hand over a graphic."""
    np.savez(folder / GRAPHIC, codes=graphic.codes)


def load_graphic(folder: Path) -> Graphic:
    """A graphic that was handed over."""
    with np.load(folder / GRAPHIC, allow_pickle=False) as kept:
        return Graphic(kept["codes"])


def save_panorama(panorama: Panorama, folder: Path) -> None:
    """Keep a panorama."""
    size = np.array([panorama.width, panorama.height])
    np.savez(folder / PANORAMA, radiance=panorama.radiance, size=size, notes=np.array(json.dumps(panorama.notes)))


def load_panorama(folder: Path) -> Panorama | None:
    """A kept panorama; None where there is none."""
    if not (folder / PANORAMA).is_file():
        return None
    with np.load(folder / PANORAMA, allow_pickle=False) as kept:
        width, height = (int(v) for v in kept["size"])
        return Panorama(kept["radiance"], width, height, tuple(json.loads(str(kept["notes"]))))


def has_picture(folder: Path) -> bool:
    """Whether a working copy is kept here."""
    return (folder / PICTURE).is_file()


@overload
def load_model(folder: Path, must: Literal[True] = ...) -> Model: ...
@overload
def load_model(folder: Path, must: bool) -> Model | None: ...
def load_model(folder: Path, must: bool = True) -> Model | None:
    """A kept model; None where there is none and none must be."""
    if not must and not (folder / MODEL).is_file():
        return None
    with np.load(folder / MODEL, allow_pickle=False) as opened:
        kept = {name: opened[name] for name in opened.files}
    head = json.loads(str(kept["head"]))

    def value(told: Any) -> Any:
        if isinstance(told, dict) and "texture" in told:
            turn = tuple(tuple(row) for row in told["turn"])
            return Texture(value(told["texture"]), turn, told["wrap"], told["smooth"])  # type: ignore[arg-type]
        if isinstance(told, dict):
            return kept[told["array"]]
        return tuple(told) if isinstance(told, list) else told

    parts = [
        Part(
            told["name"],
            kept[f"part{number}.vertices"],
            kept[f"part{number}.normals"],
            kept[f"part{number}.uv"],
            kept[f"part{number}.faces"],
            told["material"],
            kept.get(f"part{number}.colours"),
            told["closed"],
        )
        for number, told in enumerate(head["parts"])
    ]
    materials = [Material(**{name: value(told) for name, told in plain.items()}) for plain in head["materials"]]
    return Model(parts, materials, head["lost"], Unit(**head["unit"]), head["up"], head["mended"])
