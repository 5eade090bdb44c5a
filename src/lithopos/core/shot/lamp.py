"""Lights that stand in the place: windows in the photograph, lamps in it and lamps that are added to it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat, model_validator

from lithopos.core.camera.problem import Pixel
from lithopos.core.light.blackbody import COOLEST_K, WARMEST_K
from lithopos.core.light.patches import PatchSeen
from lithopos.core.light.photometry import Photometry
from lithopos.core.shot.pane import Corners
from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Metres, Name

__all__ = ["Lamp", "LitWindow"]

By = Annotated[FiniteFloat, Field(ge=0, le=1000)]


class LitWindow(DocumentPart):
    """A window in the photograph by which light comes in: top left, top right, bottom right, bottom left.

    Attributes
    ----------
    width_m, foot : as a pane's: its true width, or the point of the ground plumb below its bottom left corner.
    strength : by hand, beside what was measured.
    held : it is as bright as it looks: nothing measures it otherwise.
    sunny : in a room, the sun shines in through it.
    seen : what its pixels say; read when it is marked or moved.
    """

    id: Identity
    name: Name = ""
    corners: Corners
    width_m: Annotated[FiniteFloat, Field(gt=0, le=1000)] | None = None
    foot: Pixel | None = None
    strength: By = 1.0
    held: bool = False
    hidden: bool = False
    sunny: bool = False
    seen: PatchSeen | None = None


class Lamp(DocumentPart):
    """A lamp: in the photograph, or added to it.

    Attributes
    ----------
    photographed : its light is in the photograph already; else it is new and lights the place as well.
    at, foot : where it is seen, and the point of the ground plumb below it; or `position_m`.
    kind : a ball or a panel shines evenly, a spot within its beam, `measured` as its photometry says.
    size_mm : a ball's diameter, a panel's width, the width of what a spot shines out of; `deep_mm` a panel's depth.
    azimuth_deg, tilt_deg : where it looks, from the x axis anticlockwise, and down from level (90: straight down).
    output, output_in : what it gives; of a measured one null is what its file says.
    strength : by hand, beside what was measured or stated.
    held : it gives what is stated: nothing measures it otherwise.
    photometry : read from the `file`.
    """

    id: Identity
    name: Name = ""
    photographed: bool = True
    at: Pixel | None = None
    foot: Pixel | None = None
    position_m: tuple[Metres, Metres, Metres] | None = None
    kind: Literal["ball", "panel", "spot", "measured"] = "ball"
    size_mm: Annotated[FiniteFloat, Field(ge=1, le=20_000)] = 120.0
    deep_mm: Annotated[FiniteFloat, Field(ge=1, le=20_000)] = 120.0
    azimuth_deg: Annotated[FiniteFloat, Field(ge=-720, le=720)] = 0.0
    tilt_deg: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 90.0
    beam_deg: Annotated[FiniteFloat, Field(ge=2, le=120)] = 40.0
    output: Annotated[FiniteFloat, Field(ge=0, le=1e9)] | None = 800.0
    output_in: Literal["lm", "cd/m2"] = "lm"
    temperature_k: Annotated[FiniteFloat, Field(ge=WARMEST_K, le=COOLEST_K)] = 2700.0
    file: FileName | None = None
    photometry: Photometry | None = None
    strength: By = 1.0
    held: bool = False
    hidden: bool = False

    @model_validator(mode="after")
    def _is_somewhere(self) -> Lamp:
        if self.position_m is None and (self.at is None or self.foot is None):
            raise ValueError("is nowhere: give position_m, or where it is seen (at) and the ground below it (foot)")
        if self.kind == "measured" and self.file is None:
            raise ValueError("is measured, but names no file of its photometry")
        return self
