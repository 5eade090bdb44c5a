"""The Place step: models and where they stand."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Metres, Name
from lithopos.core.shot.surface import Surface

__all__ = ["Placed"]


class Placed(DocumentPart):
    """A model and where it stands: its foot's middle [m], turned about the plumb line, sized.

    `level` names the level that it stands on, which takes its shadow; null for the ground. `unit` and `up` say what
    the file's numbers mean where the program has guessed wrong; null for what it read or guessed. `surfaces` are what
    its materials are made of instead, by their names in the file.
    """

    id: Identity
    file: FileName
    name: Name = ""
    position_m: tuple[Metres, Metres, Metres] = (0.0, 0.0, 0.0)
    turn_deg: Annotated[FiniteFloat, Field(ge=-3600, le=3600)] = 0.0
    level: Identity | None = None
    size: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 1.0
    unit: Literal["mm", "cm", "m", "inch", "foot"] | None = None
    up: Literal["y", "z"] | None = None
    surfaces: Annotated[dict[Name, Surface], Field(max_length=500)] = {}
