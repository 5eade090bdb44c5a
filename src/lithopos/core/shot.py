"""The shot document: one photograph and everything decided about it, as plain data.

Units are in the names; pixels and axes follow the conventions in docs/shot.md. Files are named by a
path relative to the document, or by content hash (`sha256:…`) where the library keeps them.
"""

from __future__ import annotations

import json
import re
from pathlib import PurePosixPath
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    FiniteFloat,
    ValidationError,
    model_validator,
)

from lithopos.core.camera.hand import HandCamera
from lithopos.core.camera.problem import (
    CameraProblem,
    FocalPrior,
    ImageSize,
    KnownHeight,
    LengthIn,
    LengthMarks,
    LineIn,
    Pixel,
    Positive,
    Run,
    XAxis,
)
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.exchange.exif import CameraNotes
from lithopos.core.light.sun import Gnomon
from lithopos.core.materials import GROUND_MATERIALS

FORMAT = 2

__all__ = [
    "FORMAT",
    "Edge",
    "Ground",
    "HandCamera",
    "Length",
    "Level",
    "MarkedGnomon",
    "Output",
    "Photograph",
    "Placed",
    "Shot",
    "Sky",
    "SolvedCamera",
    "Sun",
    "camera_problem_of",
    "load_shot",
    "new_shot",
    "shot_schema",
    "upgraded",
]


def _safe_name(name: str) -> str:
    if re.fullmatch(r"sha256:[0-9a-f]{64}", name):
        return name
    path = PurePosixPath(name)
    if not name or "\\" in name or "\0" in name or path.is_absolute() or ".." in path.parts:
        raise ValueError("leads outside the shot's folder; name files by a path below it")
    return name


FileName = Annotated[str, Field(max_length=400), AfterValidator(_safe_name)]
Identity = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Metres = Annotated[FiniteFloat, Field(ge=-10_000, le=10_000)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class Photograph(_Part):
    """The background photograph; its size is after EXIF orientation.

    Attributes
    ----------
    notes : what the camera wrote into the file, or null where it wrote nothing.
    """

    file: FileName
    name: Annotated[str, Field(max_length=200)] = ""
    width: Annotated[int, Field(ge=1, le=100_000)]
    height: Annotated[int, Field(ge=1, le=100_000)]
    notes: CameraNotes | None = None


class Edge(_Part):
    """A straight thing marked in the photograph, two points or more along it [px]."""

    id: Identity
    run: Run
    points: Annotated[list[Pixel], Field(min_length=2, max_length=1000)]


class SolvedCamera(_Part):
    """The camera follows from the edges.

    Attributes
    ----------
    focal_35mm : a known focal length, held as it is; `focal_prior` is one that is only expected.
    principal_point : the picture's centre, or solved for as soon as the edges can bear it (a cropped picture).
    distortion : solved for as soon as the edges can bear it, where asked for.
    robust : set aside edges that contradict all the others.
    height : the camera's known height above the ground.
    x_along : which way along which run the world's x axis points.
    """

    kind: Literal["solved"] = "solved"
    focal_35mm: Positive | None = None
    focal_prior: FocalPrior | None = None
    principal_point: Literal["centre", "free"] = "centre"
    distortion: Literal["none", "solve"] = "none"
    robust: bool = True
    height: KnownHeight | None = None
    x_along: XAxis = "a"


class Length(LengthMarks):
    """A marked length with its identity; `level` names the level that it, or its foot, lies on."""

    id: Identity
    level: Identity | None = None


class Level(_Part):
    """A level plane above or below the ground: a table, a step, a quay.

    Its height is known, or measured plumb from a point on the ground (`foot`) to the level's edge (`at`);
    where both are given, the height is a yardstick for the whole picture.
    """

    id: Identity
    name: Annotated[str, Field(max_length=200)] = ""
    height_m: Metres | None = None
    foot: Pixel | None = None
    at: Pixel | None = None

    @model_validator(mode="after")
    def _has_height(self) -> Level:
        if (self.foot is None) != (self.at is None):
            raise ValueError("needs both its foot on the ground and the point of its edge above, or neither")
        if self.height_m is None and self.foot is None:
            raise ValueError("needs its height, or its foot on the ground and the point of its edge above")
        if self.foot is not None and self.foot == self.at:
            raise ValueError("has no height: its foot and the point of its edge are the same")
        return self


class Placed(_Part):
    """A model and where it stands: its foot's middle [m], turned about the plumb line, sized."""

    id: Identity
    file: FileName
    name: Annotated[str, Field(max_length=200)] = ""
    position_m: tuple[Metres, Metres, Metres] = (0.0, 0.0, 0.0)
    turn_deg: Annotated[FiniteFloat, Field(ge=-3600, le=3600)] = 0.0
    size: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 1.0


class MarkedGnomon(Gnomon):
    """A gnomon with its identity in the document."""

    id: Identity


class Sun(_Part):
    """The sun: measured from the gnomons, or set by hand."""

    kind: Literal["gnomons", "hand"] = "gnomons"
    azimuth_deg: Annotated[FiniteFloat, Field(ge=-360, le=720)] = 315.0
    elevation_deg: Annotated[FiniteFloat, Field(gt=0, le=90)] = 40.0
    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    softness_deg: Annotated[FiniteFloat, Field(ge=0.1, le=30)] = 0.53


class Sky(_Part):
    """The sky's light beside the sun's; `turbidity` is the haze of the physical sky."""

    strength: Annotated[FiniteFloat, Field(ge=0, le=20)] = 1.0
    turbidity: Annotated[FiniteFloat, Field(ge=1, le=10)] = 3.5


class Ground(_Part):
    """What the ground is made of: a name from the list, which sets the level of its reflectance."""

    material: str = "pale stone"
    reflectance: Annotated[FiniteFloat, Field(gt=0, le=0.95)] | None = None

    @model_validator(mode="after")
    def _is_known(self) -> Ground:
        if self.material not in GROUND_MATERIALS:
            raise ValueError(f"unknown material {self.material!r}; known: {', '.join(GROUND_MATERIALS)}")
        return self


class Output(_Part):
    """The delivered picture; `scale` 1 is the photograph's own size."""

    scale: Annotated[FiniteFloat, Field(gt=0, le=4)] = 1.0
    samples: Annotated[int, Field(ge=1, le=65_536)] = 128


class Shot(_Part):
    """One photograph with everything decided about it."""

    format: Literal[2] = 2
    name: Annotated[str, Field(max_length=200)] = ""
    photograph: Photograph | None = None
    edges: Annotated[list[Edge], Field(max_length=2000)] = []
    lengths: Annotated[list[Length], Field(max_length=200)] = []
    levels: Annotated[list[Level], Field(max_length=50)] = []
    origin: Pixel | None = None
    camera: Annotated[SolvedCamera | HandCamera, Field(discriminator="kind")] = SolvedCamera()
    models: Annotated[list[Placed], Field(max_length=500)] = []
    gnomons: Annotated[list[MarkedGnomon], Field(max_length=200)] = []
    sun: Sun = Sun()
    sky: Sky = Sky()
    ground: Ground = Ground()
    output: Output = Output()

    @model_validator(mode="after")
    def _identities_differ(self) -> Shot:
        for things in (self.edges, self.lengths, self.levels, self.models, self.gnomons):
            names = [thing.id for thing in things]
            if len(set(names)) < len(names):
                raise ValueError("two things have the same id")
        return self

    @model_validator(mode="after")
    def _levels_are_known(self) -> Shot:
        heights = {level.id: level.height_m for level in self.levels}
        for length in self.lengths:
            if length.level is None:
                continue
            if length.level not in heights:
                raise ValueError(f"length {length.id!r} lies on a level that is not there")
            if length.metres is not None and heights[length.level] is None:
                raise ValueError(
                    f"yardstick {length.id!r} lies on a level whose height is itself measured; give that height"
                )
        return self

    def files(self) -> list[str]:
        """Every file that the document names."""
        photograph = [self.photograph.file] if self.photograph else []
        return list(dict.fromkeys(photograph + [model.file for model in self.models]))


def new_shot(name: str, file: str, told: dict[str, Any]) -> Shot:
    """The beginning of a shot: its photograph, and the focal length to expect if the camera wrote one.

    Parameters
    ----------
    told : what `inspect_file` told of the photograph.
    """
    notes = CameraNotes.model_validate(told["notes_of_camera"]) if told.get("notes_of_camera") else None
    expected = notes.focal_35mm if notes and not notes.cropped else None
    return Shot(
        name=name,
        photograph=Photograph(file=file, name=name, width=told["width"], height=told["height"], notes=notes),
        camera=SolvedCamera(focal_prior=FocalPrior(focal_35mm=expected) if expected else None),
    )


def load_shot(data: Any) -> Shot:
    """A shot from decoded JSON, older formats brought up to date.

    Raises
    ------
    InputError
        Naming the first wrong field.
    """
    if not isinstance(data, dict):
        raise InputError("", "a shot document is a JSON object")
    try:
        return Shot.model_validate(upgraded(data))
    except ValidationError as error:
        raise input_error_from(error) from error


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    """Format 1 knew one yardstick, on the ground."""
    rest = {name: value for name, value in data.items() if name != "yardstick"}
    stick = data.get("yardstick")
    if isinstance(stick, dict):
        rest["lengths"] = [*rest.get("lengths", []), {"id": "y1", **stick}]
    return {**rest, "format": 2}


_UPGRADES: dict[int, Any] = {1: _from_1}  # from format n to n + 1: a function of the document


def upgraded(data: dict[str, Any]) -> dict[str, Any]:
    """A document of any format as one of this format, not yet checked."""
    number = data.get("format", 1)
    if not isinstance(number, int) or number < 1 or number > FORMAT:
        raise InputError("format", f"is {json.dumps(number)}; this version reads 1 to {FORMAT}")
    while number < FORMAT:
        data = _UPGRADES[number](data)
        number += 1
    return data


def shot_schema() -> dict[str, Any]:
    """The JSON Schema of the shot document."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **Shot.model_json_schema(by_alias=True),
    }


def camera_problem_of(shot: Shot, level_heights: dict[str, float] | None = None) -> CameraProblem:
    """The camera question that a shot asks: `lengths` first, then one plumb length for each level with a foot.

    Parameters
    ----------
    level_heights : heights [m] of levels that are themselves measured, where they are known by now.

    Raises
    ------
    InputError
        If the shot has no photograph, or an edge has no length.
    """
    if shot.photograph is None:
        raise InputError("photograph", "is missing")
    lines = []
    for number, edge in enumerate(shot.edges):
        try:
            lines.append(LineIn(family=edge.run, points=edge.points))
        except ValidationError as error:
            raise InputError(f"edges[{number}]", input_error_from(error).cause) from error
    solved = shot.camera if isinstance(shot.camera, SolvedCamera) else SolvedCamera()
    return CameraProblem(
        image=ImageSize(width=shot.photograph.width, height=shot.photograph.height),
        focal_35mm=solved.focal_35mm,
        focal_prior=None if solved.focal_35mm else solved.focal_prior,
        principal_point=solved.principal_point,
        distortion=solved.distortion,
        robust=solved.robust,
        x_along=solved.x_along,
        camera_height=solved.height,
        lines=lines,
        origin=shot.origin,
        lengths=_lengths_of(shot, level_heights or {}),
    )


def _lengths_of(shot: Shot, level_heights: dict[str, float]) -> list[LengthIn]:
    heights = {level.id: level.height_m for level in shot.levels}
    found = []
    for length in shot.lengths:
        height = 0.0 if length.level is None else heights[length.level]
        values = length.model_dump(by_alias=True, exclude={"id", "level"})
        values["level_m"] = height if height is not None else level_heights.get(length.level or "", 0.0)
        found.append(LengthIn.model_validate(values))
    for level in shot.levels:
        if level.foot is not None:
            known = abs(level.height_m) if level.height_m else None
            found.append(
                LengthIn.model_validate(
                    {"on": "plumb", "from": level.foot, "to": level.at, "foot": level.foot, "metres": known}
                )
            )
    return found
