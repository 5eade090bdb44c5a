"""What a reader hands over, in a form that loads at once: plain arrays, no code of the file's format."""

from __future__ import annotations

import json
from dataclasses import fields
from pathlib import Path
from typing import Any, Literal, overload

import numpy as np

from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model, Part, PbrMaterial

FORM = 2  # raised when the form changes: what was kept in an older one is read anew from its file
PICTURE, MODEL = f"picture-{FORM}.npz", f"model-{FORM}.npz"

__all__ = ["load_model", "load_picture", "save_model", "save_picture"]


def save_picture(picture: Picture, folder: Path) -> None:
    """Keep a picture's working copy."""
    icc = np.frombuffer(picture.icc or b"", np.uint8)
    np.savez(folder / PICTURE, codes=picture.codes, icc=icc, notes=np.array(json.dumps(picture.notes)))


def save_model(model: Model, folder: Path) -> None:
    """Keep a model."""
    arrays: dict[str, Any] = {}
    for number, part in enumerate(model.parts):
        for name in ("vertices", "normals", "uv", "faces"):
            arrays[f"part{number}.{name}"] = getattr(part, name)
    materials, pictures = [], dict[int, str]()
    for material in model.materials:
        plain: dict[str, Any] = {}
        for item in fields(PbrMaterial):
            value = getattr(material, item.name)
            if isinstance(value, np.ndarray):
                # What materials share is kept once.
                name = pictures.setdefault(id(value), f"picture{len(pictures)}")
                arrays[name] = value
                plain[item.name] = {"array": name}
            else:
                plain[item.name] = value
        materials.append(plain)
    head = {
        "parts": [{"name": part.name, "material": part.material} for part in model.parts],
        "materials": materials,
        "lost": model.lost,
    }
    np.savez(folder / MODEL, head=np.array(json.dumps(head)), **arrays)


def load_picture(folder: Path) -> Picture:
    """A kept picture."""
    with np.load(folder / PICTURE, allow_pickle=False) as kept:
        return Picture(kept["codes"], kept["icc"].tobytes() or None, tuple(json.loads(str(kept["notes"]))))


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
    parts = [
        Part(
            told["name"],
            kept[f"part{number}.vertices"],
            kept[f"part{number}.normals"],
            kept[f"part{number}.uv"],
            kept[f"part{number}.faces"],
            told["material"],
        )
        for number, told in enumerate(head["parts"])
    ]
    materials = [
        PbrMaterial(**{name: kept[v["array"]] if isinstance(v, dict) else v for name, v in plain.items()})
        for plain in head["materials"]
    ]
    return Model(parts, materials, head["lost"])
