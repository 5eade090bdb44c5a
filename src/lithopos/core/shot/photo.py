"""The Photo step: the background photograph and what the camera wrote into it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, NonNegativeFloat

from lithopos.core.camera.problem import Pixel
from lithopos.core.shot.parts import DocumentPart, FileName, Name

__all__ = ["CameraNotes", "Crop", "Photograph", "SkySpot"]


class CameraNotes(BaseModel):
    """What the camera wrote; null where it wrote nothing that can be used.

    Attributes
    ----------
    focal_35mm : 35 mm equivalent [mm]; `focal_mm` the lens's own.
    taken_at : local time without a zone, or with one where the camera wrote it.
    latitude_deg, longitude_deg : north and east are positive.
    bearing_deg : of the view, clockwise from north (true or magnetic, as `bearing_is` tells).
    cropped : why the picture seems cut from a larger one, so that the focal length does not count; else null.
    """

    model_config = ConfigDict(extra="forbid")

    focal_35mm: FiniteFloat | None = None
    focal_mm: NonNegativeFloat | None = None
    taken_at: datetime | None = None
    latitude_deg: FiniteFloat | None = None
    longitude_deg: FiniteFloat | None = None
    bearing_deg: FiniteFloat | None = None
    bearing_is: str | None = None
    cropped: str | None = None


Light = Annotated[FiniteFloat, Field(ge=0, le=1)]


class SkySpot(BaseModel):
    """A smooth spot of the photograph that may be sky: a pixel, and its linear colour."""

    model_config = ConfigDict(extra="forbid")

    at: Pixel
    colour: tuple[Light, Light, Light]


Side = Annotated[FiniteFloat, Field(ge=16, le=200_000)]
Place = Annotated[FiniteFloat, Field(ge=-200_000, le=200_000)]


class Crop(DocumentPart):
    """The part of the photograph that is delivered [px], straightened; it may reach beyond the photograph.

    Marks and the camera stay in the photograph's own pixels: nothing is marked again.

    Attributes
    ----------
    x, y : the left and upper border, before it is turned.
    turn_deg : by which it is turned about its middle, clockwise: the picture then turns the other way.
    aspect : width and height to which its shape is held while it is pulled; null: free.
    beyond : what fills it outside the photograph, which is invented: its mirror image, its border's mean, or tones that
        go on from the border with the mirror image's texture.
    """

    x: Place
    y: Place
    width: Side
    height: Side
    turn_deg: Annotated[FiniteFloat, Field(ge=-20, le=20)] = 0.0
    aspect: tuple[Annotated[int, Field(ge=1, le=100)], Annotated[int, Field(ge=1, le=100)]] | None = None
    beyond: Literal["mirrored", "plain", "filled"] = "mirrored"


class Photograph(DocumentPart):
    """The background photograph; its size is after EXIF orientation.

    Attributes
    ----------
    notes : what the camera wrote into the file, or null where it wrote nothing.
    mean : its mean linear colour without what is nearly clipped: in a room, about what comes from all about.
    sky : what may be sky in it; null where nobody has looked yet.
    falloff : which share of the light its lens loses in a corner, by hand; null: as its sky tells.
    """

    file: FileName
    name: Name = ""
    width: Annotated[int, Field(ge=1, le=100_000)]
    height: Annotated[int, Field(ge=1, le=100_000)]
    notes: CameraNotes | None = None
    mean: tuple[Light, Light, Light] | None = None
    sky: Annotated[list[SkySpot], Field(max_length=64)] | None = None
    falloff: Annotated[FiniteFloat, Field(ge=0, le=0.6)] | None = None
