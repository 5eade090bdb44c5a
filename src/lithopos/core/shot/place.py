"""The Place step: models, how they stand, what is hung on them; panes; kept viewpoints."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, FiniteFloat

from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Metres, Name
from lithopos.core.shot.surface import Print, Surface

Turn = Annotated[FiniteFloat, Field(ge=-3600, le=3600)]
Quaternion = tuple[FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat]

__all__ = ["Placed", "Row"]


def _of_length_one(pose: Quaternion) -> Quaternion:
    length = sum(part * part for part in pose) ** 0.5
    if not 0.5 < length < 2:
        raise ValueError("is not a turn: four numbers w, x, y, z of length 1")
    w, x, y, z = (part / length for part in pose)
    return w, x, y, z


class Row(DocumentPart):
    """Copies of a thing in a line, linked to it: how many stand there in all, how far apart [m], which way.

    Each copy is turned by up to `spread_deg` either way, at random but always the same for a `seed`.
    """

    count: Annotated[int, Field(ge=2, le=200)]
    spacing_m: Annotated[FiniteFloat, Field(gt=0, le=1000)]
    direction_deg: Turn = 0.0
    spread_deg: Annotated[FiniteFloat, Field(ge=0, le=180)] = 0.0
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = 1


class Placed(DocumentPart):
    """A model and where it stands: its foot's middle [m], turned about the plumb line, sized.

    `level` names the level that it stands on, or the box, cylinder, outline or steps on whose top, which takes its
    shadow; null for the ground. `on` names the thing that
    carries it: place and turn then count from that thing's foot, so that it goes along with it. `pose` is how it lies
    before it is turned (w, x, y, z, from upright); then it is leant by `lean_deg` towards `lean_toward_deg`, counted
    from its own x axis, and set down on its lowest point.

    `unit` and `up` say what the file's numbers mean where the program has guessed wrong; null for what it read or
    guessed. `surfaces` are what its materials are made of instead, by their names in the file; `prints` are laid on
    them, in order.
    """

    id: Identity
    file: FileName
    name: Name = ""
    position_m: tuple[Metres, Metres, Metres] = (0.0, 0.0, 0.0)
    turn_deg: Turn = 0.0
    level: Identity | None = None
    on: Identity | None = None
    pose: Annotated[Quaternion, AfterValidator(_of_length_one)] | None = None
    lean_deg: Annotated[FiniteFloat, Field(ge=0, le=180)] = 0.0
    lean_toward_deg: Turn = 0.0
    size: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 1.0
    unit: Literal["mm", "cm", "m", "inch", "foot"] | None = None
    up: Literal["y", "z"] | None = None
    row: Row | None = None
    hidden: bool = False
    locked: bool = False
    surfaces: Annotated[dict[Name, Surface], Field(max_length=500)] = {}
    prints: Annotated[dict[Annotated[str, Field(max_length=40)], Print], Field(max_length=100)] = {}
