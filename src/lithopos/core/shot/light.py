"""The Light step: shadows that tell the sun, the day, the sky, patches that tell the lights' strengths."""

from __future__ import annotations

from datetime import date, time
from typing import Annotated, Literal

from pydantic import Field, FiniteFloat, model_validator

from lithopos.core.camera.problem import Pixel
from lithopos.core.light.dome import Dome
from lithopos.core.light.patches import Facing, PatchSeen
from lithopos.core.light.shadows import DrawnEdge, Gnomon
from lithopos.core.light.softness import LEAST_DEG, MOST_DEG, Penumbra
from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Name

__all__ = [
    "USUAL_TURBIDITY",
    "Almanac",
    "Exposure",
    "LightPatch",
    "MarkedGnomon",
    "MarkedPenumbra",
    "MarkedShadowEdge",
    "PanoramaLight",
    "Pointing",
    "Sky",
    "Sun",
]


class MarkedGnomon(Gnomon):
    """A gnomon with its identity in the document; what was refined of it is not used where it stays `by_hand`."""

    id: Identity
    by_hand: bool = False


class MarkedShadowEdge(DrawnEdge):
    """An edge and its shadow in the document; `level` names the level on which the shadow lies, null for the ground."""

    id: Identity
    level: Identity | None = None
    by_hand: bool = False


class MarkedPenumbra(Penumbra):
    """A soft edge with its identity in the document."""

    id: Identity


class Sun(DocumentPart):
    """The sun: measured from shadows (`gnomons`: of all kinds), from date and place, or set by hand.

    Attributes
    ----------
    at : the sun itself, where it stands in the picture.
    softness_deg : its apparent diameter by hand; null: as the soft edges tell, else a clear day's own.
    """

    kind: Literal["gnomons", "almanac", "hand"] = "gnomons"
    azimuth_deg: Annotated[FiniteFloat, Field(ge=-360, le=720)] = 315.0
    elevation_deg: Annotated[FiniteFloat, Field(gt=0, le=90)] = 40.0
    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    softness_deg: Annotated[FiniteFloat, Field(ge=LEAST_DEG, le=MOST_DEG)] | None = None
    at: Pixel | None = None


class Almanac(DocumentPart):
    """When and where the photograph was taken, by which the sun's place is known.

    Attributes
    ----------
    zone : of the zones' database, or an offset; null: the zone of the place.
    bearing_deg : the compass bearing of the world's x axis, clockwise from north; null: as the camera wrote it.
    """

    date: Annotated[date, Field(ge=date(1900, 1, 1), le=date(2100, 12, 31))]
    time: time
    zone: Annotated[str, Field(min_length=1, max_length=60)] | None = None
    latitude_deg: Annotated[FiniteFloat, Field(ge=-90, le=90)]
    longitude_deg: Annotated[FiniteFloat, Field(ge=-180, le=180)]
    bearing_deg: Annotated[FiniteFloat, Field(ge=-360, le=720)] | None = None


USUAL_TURBIDITY = 3.5


class Sky(DocumentPart):
    """The sky's light beside the sun's; `turbidity` is the haze of the physical sky.

    Null is the haze that the photograph's sky tells, where one is seen, else the usual one. `cover` goes from the clear
    sky to an overcast one, which hides the sun.
    """

    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    turbidity: Annotated[FiniteFloat, Field(ge=1, le=10)] | None = None
    cover: Annotated[FiniteFloat, Field(ge=0, le=1)] = 0.0

    @property
    def haze(self) -> float:
        """The turbidity as far as nobody has looked at the photograph."""
        return USUAL_TURBIDITY if self.turbidity is None else self.turbidity


class Pointing(DocumentPart):
    """The same thing in a panorama and in the photograph: its direction in the panorama's own frame, its pixel."""

    id: Identity
    way: tuple[FiniteFloat, FiniteFloat, FiniteFloat]
    at: Pixel

    @model_validator(mode="after")
    def _is_a_direction(self) -> Pointing:
        if sum(value * value for value in self.way) < 1e-12:
            raise ValueError("way has no length")
        return self


class PanoramaLight(DocumentPart):
    """A panorama as the light: its file, how it is turned, and how it is graded.

    Attributes
    ----------
    turn_deg, pitch_deg, roll_deg : about z, y and x, the last first (0: its middle towards +x). The shot's pointings
        turn it instead: one about the vertical, two fix its tilt as well.
    strength, saturation, warmth : by hand, apart from the photograph; warmth in stops of red over blue.
    disc : its sun, which a picture seldom holds whole, is replaced by a disc as strong as the photograph asks for.
    here : it was taken where things stand, on that day: the ground that it shows is the photograph's.
    lens_m : how high over where things stand it was taken: from there what is drawn hides a part of it, and it shows
        the ground.
    dome : what it gives in figures, read from the file.
    """

    file: FileName
    turn_deg: Annotated[FiniteFloat, Field(ge=-3600, le=3600)] = 0.0
    pitch_deg: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 0.0
    roll_deg: Annotated[FiniteFloat, Field(ge=-180, le=180)] = 0.0
    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    saturation: Annotated[FiniteFloat, Field(ge=0, le=3)] = 1.0
    warmth: Annotated[FiniteFloat, Field(ge=-2, le=2)] = 0.0
    disc: bool = False
    here: bool = False
    lens_m: Annotated[FiniteFloat, Field(gt=0, le=100)] = 1.5
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
