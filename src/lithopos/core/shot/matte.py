"""Mattes: what of the photograph stands in front of the models."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat, model_validator

from lithopos.core.camera.problem import Pixel
from lithopos.core.shot.parts import DocumentPart, Identity, Name

__all__ = ["Matte", "Stroke"]

Ring = Annotated[list[Pixel], Field(min_length=3, max_length=8000)]


class Stroke(DocumentPart):
    """A brush's stroke: a line through points of the photograph, and how wide the brush is [px]."""

    points: Annotated[list[Pixel], Field(min_length=1, max_length=4000)]
    radius_px: Annotated[FiniteFloat, Field(ge=0.3, le=2000)] = 10.0
    adds: bool = True


class Matte(DocumentPart):
    """A part of the photograph that hides what is behind it.

    An *outline* runs through `points`, straight or `curved`. A *smart* one is cut by colour from strokes: what they
    `add` is inside, the others outside; `found` are its outlines as they were cut, and the photograph's own colours
    soften its edge. A *brush*'s strokes are the matte itself, in turn added and taken away.

    `softness_px` is how wide its edge is, `choke_px` how far that is drawn in. Within `fringe_px` of its outline, on
    both sides, hair, leaves or bars are finer than any outline: how much of each pixel they fill, and in which colours,
    is told from the photograph. With `distance_m`, or `foot`, the point of the ground below it, things nearer to the
    camera pass before it; without, it hides them all.
    """

    id: Identity
    name: Name = ""
    kind: Literal["outline", "smart", "brush"] = "outline"
    points: Annotated[list[Pixel], Field(max_length=2000)] = []
    curved: bool = False
    strokes: Annotated[list[Stroke], Field(max_length=500)] = []
    found: Annotated[list[Ring], Field(max_length=400)] = []
    softness_px: Annotated[FiniteFloat, Field(ge=0, le=200)] = 1.0
    choke_px: Annotated[FiniteFloat, Field(ge=-100, le=100)] = 0.0
    fringe_px: Annotated[FiniteFloat, Field(ge=0, le=400)] = 0.0
    distance_m: Annotated[FiniteFloat, Field(gt=0, le=10_000)] | None = None
    foot: Pixel | None = None
    hidden: bool = False

    @model_validator(mode="after")
    def _is_drawn(self) -> Matte:
        if self.kind == "outline" and len(self.points) < 3:
            raise ValueError("an outline needs three points at least")
        if self.kind == "smart" and not any(stroke.adds for stroke in self.strokes):
            raise ValueError("a smart outline needs a stroke inside")
        if self.kind == "brush" and not self.strokes:
            raise ValueError("a brushed matte needs a stroke")
        return self
