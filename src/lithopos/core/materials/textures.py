"""Textures of a real size: those that ship with the program, and pictures of the user's own.

A shipped one is a colour and a relief, seamless both; its roughness goes with the relief, since what is worn or
hollow shines less. They are made by `samples.seamless` and described in `shipped/index.json`.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from lithopos.core.arrays import Floats
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.shot.surface import SHIPPED

FOLDER = Path(__file__).parent / "shipped"
USUAL_REPEAT_MM = 300.0

__all__ = ["Cloth", "Shipped", "normals_of", "read_cloth", "shipped"]


@dataclass(frozen=True)
class Shipped:
    """A texture that ships with the program.

    Attributes
    ----------
    title : in plain words; kinds : of surfaces that it suits.
    repeat_mm : how long one repeat is; relief_mm : from its lowest to its highest point.
    roughness : at middle height, and by how much it is more at the lowest.
    threads : of a weave, how many lie side by side in a repeat.
    """

    title: str
    kinds: tuple[str, ...]
    repeat_mm: float
    relief_mm: float
    roughness: float
    rougher_below: float
    threads: int = 0


@dataclass(frozen=True)
class Cloth:
    """What a texture lays on a surface: (H, W, 3) linear colour; with relief a normal map (H, W, 3) in 0..1 and a
    roughness (H, W) beside its mean; the length of a repeat, and its height beside its width."""

    colour: Floats
    repeat_mm: float
    aspect: float = 1.0
    normal: Floats | None = None
    roughness: Floats | None = None


@cache
def shipped() -> dict[str, Shipped]:
    """All that ship, by name."""
    told = json.loads((FOLDER / "index.json").read_text())
    return {name: Shipped(**{**one, "kinds": tuple(one["kinds"])}) for name, one in told.items()}


def read_cloth(name: str, read_graphic: ReadGraphic) -> Cloth:
    """A texture by the name that the document gives it.

    Raises
    ------
    InputError
        If no texture of that name ships with the program.
    """
    if name.startswith(SHIPPED):
        return _read_shipped(name.removeprefix(SHIPPED))
    graphic = read_graphic(name, 0.0)
    height, width = graphic.codes.shape[:2]
    return Cloth(graphic.linear[..., :3], USUAL_REPEAT_MM, height / width)


@cache
def _read_shipped(name: str) -> Cloth:
    one = shipped().get(name)
    if one is None:
        raise InputError("texture", f"{name!r} does not ship with this version; those that do: {', '.join(shipped())}")
    colour = cv2.imread(str(FOLDER / f"{name}.jpg"), cv2.IMREAD_COLOR)
    height = cv2.imread(str(FOLDER / f"{name}.png"), cv2.IMREAD_UNCHANGED)
    if colour is None or height is None:
        raise InputError("texture", f"{name!r} is damaged where the program is installed; install it anew")
    raised = height.astype(np.float32) / np.float32(65535)
    rough = np.clip(one.roughness + one.rougher_below * 2 * (0.5 - raised), 0.03, 1).astype(np.float32)
    return Cloth(
        decode_srgb(colour[..., ::-1].astype(np.float32) / np.float32(255)),
        one.repeat_mm,
        1.0,
        normals_of(raised * np.float32(one.relief_mm), one.repeat_mm),
        rough,
    )


def normals_of(height_mm: Floats, width_mm: float, wraps: bool = True) -> Floats:
    """A normal map of a relief: x along the rows, y up the picture, z out of it, (H, W, 3) in 0..1.

    Parameters
    ----------
    height_mm : (H, W) how far it stands out; width_mm : how wide the picture is; wraps : whether it is seamless.
    """
    texel = width_mm / height_mm.shape[1]
    padded = np.pad(height_mm, 1, mode="wrap" if wraps else "edge")
    along = (padded[1:-1, 2:] - padded[1:-1, :-2]) / (2 * texel)
    down = (padded[2:, 1:-1] - padded[:-2, 1:-1]) / (2 * texel)
    normal = np.stack([-along, down, np.ones_like(along)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return np.asarray(0.5 + 0.5 * normal, np.float32)
