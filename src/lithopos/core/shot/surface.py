"""What a part of a model is made of, in place of what it came with."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from lithopos.core.shot.parts import DocumentPart

Share = Annotated[FiniteFloat, Field(ge=0, le=1)]

__all__ = ["Surface"]


class Surface(DocumentPart):
    """A kind with its colour (linear red, green, blue) and its parameters by name; see `core.surfaces`."""

    kind: Literal["matte", "paint", "metallic paint", "metal", "plastic", "rubber", "cloth", "glass"]
    colour: tuple[Share, Share, Share] | None = None
    parameters: Annotated[
        dict[Annotated[str, Field(max_length=40)], Annotated[FiniteFloat, Field(ge=-1000, le=1000)]],
        Field(max_length=12),
    ] = {}
