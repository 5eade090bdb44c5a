"""The Light step: gnomons, the sun and the sky, patches that tell their strengths."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from lithopos.core.camera.problem import Pixel
from lithopos.core.light.dome import Dome
from lithopos.core.light.patches import Facing, PatchSeen
from lithopos.core.light.shadows import Gnomon
from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Name

__all__ = ["Exposure", "LightPatch", "MarkedGnomon", "PanoramaLight", "Sky", "Sun"]


class MarkedGnomon(Gnomon):
    """A gnomon with its identity in the document; its refined shadow is not used where it is to stay `by_hand`."""

    id: Identity
    by_hand: bool = False


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


class PanoramaLight(DocumentPart):
    """A panorama as the light: its file, turned about the vertical (0: its middle towards +x), strength by hand.

    `dome` is what it gives in figures, read from the file.
    """

    file: FileName
    turn_deg: Annotated[FiniteFloat, Field(ge=-3600, le=3600)] = 0.0
    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    dome: Dome | None = None


class Exposure(DocumentPart):
    """How much brighter than measured things are taken up, in stops: a fine control by hand."""

    stops: Annotated[FiniteFloat, Field(ge=-4, le=4)] = 0.0


class LightPatch(DocumentPart):
    """A round patch of one material in the photograph, by which the strengths of the lights are told.

    Attributes
    ----------
    material : patches of the same name are of the same material; `ground` is the ground.
    light : whether the sun reaches it; `judge`: as its brightness says.
    tone : its reflectance, where it is known: white paint, a grey card.
    seen : what its pixels say; read when it is marked or moved.
    """

    id: Identity
    at: Pixel
    radius_px: Annotated[FiniteFloat, Field(ge=0.5, le=400)] = 8.0
    material: Annotated[Name, Field(min_length=1)] = "ground"
    facing: Facing = "level"
    light: Literal["sun", "shade", "judge"] = "judge"
    tone: Annotated[FiniteFloat, Field(ge=0.01, le=1)] | None = None
    seen: PatchSeen | None = None
