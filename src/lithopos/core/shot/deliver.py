"""The Deliver step: the size and fineness of the delivered picture."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, FiniteFloat

from lithopos.core.shot.parts import DocumentPart

__all__ = ["Output"]


class Output(DocumentPart):
    """The delivered picture; `scale` 1 is the photograph's own size.

    It is made with `samples` a pixel, or fewer where its noise, before it is smoothed, is down to `noise` codes of 255;
    null: always with all.
    """

    scale: Annotated[FiniteFloat, Field(gt=0, le=4)] = 1.0
    samples: Annotated[int, Field(ge=1, le=65_536)] = 128
    noise: Annotated[FiniteFloat, Field(gt=0, le=50)] | None = None
