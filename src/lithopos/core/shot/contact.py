"""The Contact step: what the ground is made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, FiniteFloat, model_validator

from lithopos.core.grounds import GROUND_MATERIALS
from lithopos.core.shot.parts import DocumentPart

__all__ = ["Ground"]


class Ground(DocumentPart):
    """What the ground is made of: a name from the list, which sets the level of its reflectance."""

    material: str = "pale stone"
    reflectance: Annotated[FiniteFloat, Field(gt=0, le=0.95)] | None = None

    @model_validator(mode="after")
    def _is_known(self) -> Ground:
        if self.material not in GROUND_MATERIALS:
            raise ValueError(f"unknown material {self.material!r}; known: {', '.join(GROUND_MATERIALS)}")
        return self
