"""Panes: flat pictures or films hung on four corners of the photograph."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from lithopos.core.camera.problem import Pixel
from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Metres, Name
from lithopos.core.shot.surface import Share
from lithopos.core.shot.take import Playing

__all__ = ["Pane", "Viewpoint"]

Corners = tuple[Pixel, Pixel, Pixel, Pixel]


class Pane(DocumentPart):
    """A picture on four corners: top left, top right, bottom right, bottom left, as it shall be seen.

    How far away it is follows from its true `width_m`, or from `foot`, the point of the ground plumb below its bottom
    left corner. `lit` says whether it shines itself, with `brightness` beside white paint in the place's full light or
    in cd/m², or is lit by the place like a poster. `free` ones stand before the place and cast a shadow; others hang
    on something that is there. Without a file it is plain white. A film shows its frame at `time_s`, or `plays` along
    with the take.
    """

    id: Identity
    name: Name = ""
    file: FileName | None = None
    time_s: Annotated[FiniteFloat, Field(ge=0, le=100_000)] = 0.0
    plays: Playing | None = None
    corners: Corners
    width_m: Annotated[FiniteFloat, Field(gt=0, le=1000)] | None = None
    foot: Pixel | None = None
    lit: Literal["by the place", "by itself"] = "by the place"
    brightness: Annotated[FiniteFloat, Field(ge=0, le=100_000)] = 1.0
    brightness_in: Literal["white", "cd/m2"] = "white"
    gloss: Share = 0.2
    glass: bool = False
    frame_mm: Annotated[FiniteFloat, Field(ge=0, le=2000)] = 0.0
    frame_colour: tuple[Share, Share, Share] = (0.03, 0.03, 0.03)
    thickness_mm: Annotated[FiniteFloat, Field(ge=0, le=5000)] = 0.0
    free: bool = False
    hidden: bool = False


class Viewpoint(DocumentPart):
    """A kept place to look round from: where the eye is and what it looks at [m]."""

    id: Identity
    name: Name = ""
    eye_m: tuple[Metres, Metres, Metres]
    aim_m: tuple[Metres, Metres, Metres]
