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

from lithopos.core.camera.problem import CameraProblem, ImageSize, LineIn, Pixel, Positive, Run, ScaleIn
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.light.sun import Gnomon
from lithopos.core.materials import GROUND_MATERIALS

FORMAT = 1

__all__ = [
    "FORMAT",
    "Edge",
    "Ground",
    "HandCamera",
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
    "shot_schema",
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
    """The background photograph; its size is after EXIF orientation."""

    file: FileName
    name: Annotated[str, Field(max_length=200)] = ""
    width: Annotated[int, Field(ge=1, le=100_000)]
    height: Annotated[int, Field(ge=1, le=100_000)]


class Edge(_Part):
    """A straight thing marked in the photograph, two points or more along it [px]."""

    id: Identity
    run: Run
    points: Annotated[list[Pixel], Field(min_length=2, max_length=1000)]


class SolvedCamera(_Part):
    """The camera follows from the edges; a known focal length is held as it is."""

    kind: Literal["solved"] = "solved"
    focal_35mm: Positive | None = None


class HandCamera(_Part):
    """The camera is set by hand."""

    kind: Literal["hand"]
    focal_35mm: Positive
    height_m: Annotated[FiniteFloat, Field(gt=0, le=10_000)]
    tilt_deg: Annotated[FiniteFloat, Field(gt=-90, lt=90)] = 0.0
    roll_deg: Annotated[FiniteFloat, Field(ge=-180, le=180)] = 0.0
    heading_deg: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 90.0


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

    format: Literal[1] = 1
    name: Annotated[str, Field(max_length=200)] = ""
    photograph: Photograph | None = None
    edges: Annotated[list[Edge], Field(max_length=2000)] = []
    yardstick: ScaleIn | None = None
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
        for things in (self.edges, self.models, self.gnomons):
            names = [thing.id for thing in things]
            if len(set(names)) < len(names):
                raise ValueError("two things have the same id")
        return self

    def files(self) -> list[str]:
        """Every file that the document names."""
        photograph = [self.photograph.file] if self.photograph else []
        return list(dict.fromkeys(photograph + [model.file for model in self.models]))


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
        return Shot.model_validate(_upgraded(data))
    except ValidationError as error:
        raise input_error_from(error) from error


_UPGRADES: dict[int, Any] = {}  # from format n to n + 1: a function of the document


def _upgraded(data: dict[str, Any]) -> dict[str, Any]:
    number = data.get("format", FORMAT)
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


def camera_problem_of(shot: Shot) -> CameraProblem:
    """The camera question that a shot's edges ask.

    Raises
    ------
    InputError
        If the shot has no photograph, or an edge has no length.
    """
    if shot.photograph is None:
        raise InputError("photograph", "is missing")
    known = shot.camera.focal_35mm if isinstance(shot.camera, SolvedCamera) else None
    lines = []
    for number, edge in enumerate(shot.edges):
        try:
            lines.append(LineIn(family=edge.run, points=edge.points))
        except ValidationError as error:
            raise InputError(f"edges[{number}]", input_error_from(error).cause) from error
    return CameraProblem(
        image=ImageSize(width=shot.photograph.width, height=shot.photograph.height),
        focal_35mm=known,
        lines=lines,
        origin=shot.origin,
        scale=shot.yardstick,
    )
