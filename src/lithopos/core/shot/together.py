"""What a shot has from its site: its camera as solved together with the site's other photographs, and their sun."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, FiniteFloat, NonNegativeFloat

from lithopos.core.camera.problem import KnownCamera
from lithopos.core.shot.parts import DocumentPart, FileName

__all__ = ["AtSite", "OtherPhotograph", "SiteSun"]

Degrees = Annotated[FiniteFloat, Field(ge=-720, le=720)]


class SiteSun(DocumentPart):
    """The sun by the shadows of all the site's photographs, in the site's frame; standard deviations by name."""

    azimuth_deg: Degrees
    elevation_deg: Annotated[FiniteFloat, Field(ge=-90, le=90)]
    sigma_deg: dict[str, NonNegativeFloat] = {}


class OtherPhotograph(DocumentPart):
    """Another photograph of the site, with its camera in the site's frame."""

    file: FileName
    camera: KnownCamera


class AtSite(DocumentPart):
    """The camera in the site's frame; it holds in place of the one that the photograph gives alone.

    Attributes
    ----------
    runs_deg : which way this photograph's own run A heads in the site, anticlockwise from its x axis.
    sigma : standard deviations by the figures' names, as of a camera alone.
    sun : where all were taken at one time, and shadows are marked in any of them.
    others : of the same place, which fill in what this one does not show.
    """

    camera: KnownCamera
    runs_deg: Degrees = 0.0
    sigma: dict[str, NonNegativeFloat] = {}
    sun: SiteSun | None = None
    others: Annotated[list[OtherPhotograph], Field(max_length=40)] = []
