"""The Light step: gnomons, the sun and the sky."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from lithopos.core.light.sun import Gnomon
from lithopos.core.shot.parts import DocumentPart, Identity

__all__ = ["MarkedGnomon", "Sky", "Sun"]


class MarkedGnomon(Gnomon):
    """A gnomon with its identity in the document."""

    id: Identity


class Sun(DocumentPart):
    """The sun: measured from the gnomons, or set by hand."""

    kind: Literal["gnomons", "hand"] = "gnomons"
    azimuth_deg: Annotated[FiniteFloat, Field(ge=-360, le=720)] = 315.0
    elevation_deg: Annotated[FiniteFloat, Field(gt=0, le=90)] = 40.0
    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    softness_deg: Annotated[FiniteFloat, Field(ge=0.1, le=30)] = 0.53


class Sky(DocumentPart):
    """The sky's light beside the sun's; `turbidity` is the haze of the physical sky."""

    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    turbidity: Annotated[FiniteFloat, Field(ge=1, le=10)] = 3.5
