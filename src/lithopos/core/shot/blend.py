"""The Blend step: what makes the render look photographed, each by hand on top of what is measured, and the grades."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

from pydantic import AfterValidator, Field, FiniteFloat

from lithopos.core.light.patches import Colour
from lithopos.core.shot.parts import DocumentPart, FileName

__all__ = ["Blend", "Grade", "Haze", "OpenLens"]

Signed = Annotated[FiniteFloat, Field(ge=-1, le=1)]
Share = Annotated[FiniteFloat, Field(ge=0, le=1)]
Triple = tuple[Signed, Signed, Signed]


def _rising(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    if any(after[0] - before[0] < 1e-3 for before, after in pairwise(points)):
        raise ValueError("has points that do not lie further right than those before")
    return points


class Grade(DocumentPart):
    """Tones of a part of the picture, in the order in which they are applied; every zero changes nothing.

    Attributes
    ----------
    exposure_stops : of linear light.
    warmth, tint : stops of red over blue, and of magenta over green.
    contrast : -1 to 1, about middle grey.
    curve : what encoded values become, by points from 0 to 1, the first coordinates rising; black and white hold.
    saturation : 0 to 2; 1 as it is.
    lift, gamma, gain : of dark, middle and bright tones by channel.
    lut : a table of colours (.cube) through which all goes at last, by so much of its `lut_strength`.
    """

    exposure_stops: Annotated[FiniteFloat, Field(ge=-5, le=5)] = 0.0
    warmth: Signed = 0.0
    tint: Signed = 0.0
    contrast: Signed = 0.0
    curve: Annotated[list[tuple[Share, Share]], Field(max_length=16), AfterValidator(_rising)] = []
    saturation: Annotated[FiniteFloat, Field(ge=0, le=2)] = 1.0
    lift: Triple = (0.0, 0.0, 0.0)
    gamma: Triple = (0.0, 0.0, 0.0)
    gain: Triple = (0.0, 0.0, 0.0)
    lut: FileName | None = None
    lut_strength: Share = 1.0


class Haze(DocumentPart):
    """Air between the camera and what is far: half of a thing's contrast is left at `half_m`, the rest is `colour`."""

    half_m: Annotated[FiniteFloat, Field(gt=0.1, le=1e6)]
    colour: Colour


class OpenLens(DocumentPart):
    """A lens with a depth of field: sharp at `focus_m` along its axis, through an opening so wide across.

    `softness_px` is by how much what is sharp is spread besides; what is measured of the whole photograph holds edges
    that are out of focus as well.
    """

    focus_m: Annotated[FiniteFloat, Field(gt=0.05, le=1e5)]
    aperture_mm: Annotated[FiniteFloat, Field(ge=0, le=1000)]
    softness_px: Annotated[FiniteFloat, Field(ge=0, le=20)] = 0.0


class Blend(DocumentPart):
    """How the render is given what the photograph has.

    Attributes
    ----------
    grain : times the measured grain.
    softness_px : the deviation by which what is rendered is spread, in the photograph's pixels; null: as measured.
    fringes, halos : times the measured colour fringes, and the measured overshoot of edges.
    black : stray light of the lens, which lies under all that is rendered, linear.
    haze : the air before far things; null: none.
    lens : the depth of field that what is rendered is seen with; null: all is sharp.
    model, place, whole : grades of what is rendered, of what is photographed, and of the finished picture.
    """

    grain: Annotated[FiniteFloat, Field(ge=0, le=3)] = 1.0
    softness_px: Annotated[FiniteFloat, Field(ge=0, le=20)] | None = None
    fringes: Annotated[FiniteFloat, Field(ge=0, le=3)] = 1.0
    halos: Annotated[FiniteFloat, Field(ge=0, le=3)] = 1.0
    black: Annotated[FiniteFloat, Field(ge=0, le=0.2)] = 0.0
    haze: Haze | None = None
    lens: OpenLens | None = None
    model: Grade = Grade()
    place: Grade = Grade()
    whole: Grade = Grade()

    def luts(self) -> list[str]:
        """The tables that its grades name."""
        return [grade.lut for grade in (self.model, self.place, self.whole) if grade.lut]
