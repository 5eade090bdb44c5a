"""What `lithopos camera` takes and gives (the contract of the command line), as plain data."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, FiniteFloat, model_validator

__all__ = [
    "CameraAnswer",
    "CameraProblem",
    "FocalPrior",
    "HandCamera",
    "Held",
    "ImageSize",
    "KnownCamera",
    "KnownHeight",
    "LengthAnswer",
    "LengthIn",
    "LengthMarks",
    "LineAnswer",
    "LineIn",
    "Pixel",
    "Run",
    "ScaleIn",
    "Surface",
    "Trust",
    "XAxis",
]

Run = Literal["a", "b", "plumb"]
XAxis = Literal["a", "b", "-a", "-b"]
Trust = Literal["good", "fair", "poor"]
Surface = Literal["ground", "wall_a", "wall_b", "plumb"]
MOST_POINTS = 1000  # of one line; more say nothing more and are thinned evenly
MOST_IN_ALL = 6000


def _refuse_text(value: Any) -> Any:
    """Numbers are numbers: neither texts that could be read as one nor true and false."""
    if isinstance(value, (str, bytes, bool)):
        raise ValueError(f"is a {type(value).__name__}, not a number")
    return value


Number = Annotated[FiniteFloat, BeforeValidator(_refuse_text)]
Coordinate = Annotated[Number, Field(ge=-1e6, le=1e6)]
Pixel = tuple[Coordinate, Coordinate]
Positive = Annotated[Number, Field(gt=0, le=1e7)]
Whole = Annotated[int, BeforeValidator(_refuse_text)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class ImageSize(_In):
    """The photograph's size [px]."""

    width: Annotated[Whole, Field(ge=1, le=100_000)]
    height: Annotated[Whole, Field(ge=1, le=100_000)]


def _thinned(points: list[Pixel], most: int = MOST_POINTS) -> list[Pixel]:
    """Points spread evenly over a line, both ends kept."""
    if len(points) <= most:
        return points
    step = (len(points) - 1) / (most - 1)
    return [points[round(number * step)] for number in range(most)]


class LineIn(_In):
    """An edge: two points or more along it [px]; neither order nor direction matters.

    `sigma_px` is how well its points are known across it, where that is not as a hand marks them.
    `confidence` is there so that what `edges` proposes can be handed on as it is; it does not weigh.
    """

    family: Run
    points: Annotated[list[Pixel], Field(min_length=2, max_length=100_000), AfterValidator(_thinned)]
    sigma_px: Annotated[FiniteFloat, Field(ge=0.05, le=20)] | None = None
    confidence: Annotated[FiniteFloat, Field(ge=0, le=1)] | None = None

    @model_validator(mode="after")
    def _has_length(self) -> LineIn:
        x, y = zip(*self.points, strict=True)
        if max(max(x) - min(x), max(y) - min(y)) < 1e-6:
            raise ValueError("the edge has no length: all its points are the same")
        return self


class ScaleIn(_In):
    """A yardstick on the ground: two points [px] and the distance between them [m]."""

    from_: Annotated[Pixel, Field(alias="from")]
    to: Pixel
    metres: Positive

    @model_validator(mode="after")
    def _has_length(self) -> ScaleIn:
        if self.from_ == self.to:
            raise ValueError("the yardstick has no length: both its ends are the same")
        return self


class LengthMarks(_In):
    """A length marked by its two ends [px]: a yardstick if its metres are known, else one to be measured.

    Attributes
    ----------
    on : the ground; a wall that runs along A or B; or the plumb line through the first end.
    foot : the point of the ground plumb below the first end, or anywhere along the foot of the wall;
        without one the first end itself stands on the ground.
    metres : the known length; `plus_minus_m` how far it can be trusted (95 %).
    """

    on: Surface = "ground"
    from_: Annotated[Pixel, Field(alias="from")]
    to: Pixel
    foot: Pixel | None = None
    metres: Positive | None = None
    plus_minus_m: Annotated[FiniteFloat, Field(ge=0, le=1000)] = 0.0

    @model_validator(mode="after")
    def _has_length(self) -> LengthMarks:
        if self.from_ == self.to:
            raise ValueError("has no length: both its ends are the same")
        return self


class LengthIn(LengthMarks):
    """The same on the ground proper or on a level `level_m` above it, which then stands in for the ground."""

    level_m: Annotated[FiniteFloat, Field(ge=-1000, le=1000)] = 0.0


class KnownHeight(_In):
    """The camera's height above the ground [m], and how far it can be trusted (95 %)."""

    metres: Positive
    plus_minus_m: Annotated[FiniteFloat, Field(ge=0, le=1000)] = 0.05


class FocalPrior(_In):
    """An expected focal length with a relative standard deviation; not a fact."""

    focal_35mm: Positive
    width: Annotated[FiniteFloat, Field(gt=0, le=1)] = 0.03


class CameraProblem(_In):
    """Marked edges of one photograph, and what else is known.

    Attributes
    ----------
    focal_35mm, focal_px : a given focal length is exact; `focal_prior` is one that is only expected.
    principal_point : the picture's centre, solved from three runs, or where it is known to be [px].
    robust : set aside edges that contradict all the others, and say so.
    scale : the one yardstick on the ground; `lengths` hold any number anywhere.
    x_along : the way of the world's x axis.
    """

    image: ImageSize
    focal_35mm: Positive | None = None
    focal_px: Positive | None = None
    focal_prior: FocalPrior | None = None
    principal_point: Literal["centre", "free"] | Pixel = "centre"
    distortion: Literal["none", "solve"] = "none"
    lines: Annotated[list[LineIn], Field(max_length=2000)] = []
    origin: Pixel | None = None
    scale: ScaleIn | None = None
    lengths: Annotated[list[LengthIn], Field(max_length=200)] = []
    camera_height: KnownHeight | None = None
    robust: bool = False
    x_along: XAxis = "a"

    @model_validator(mode="after")
    def _few_points_in_all(self) -> CameraProblem:
        most = max(2, MOST_IN_ALL // max(len(self.lines), 1))
        for line in self.lines:
            line.points = _thinned(line.points, most)
        return self

    @property
    def is_metric(self) -> bool:
        """Whether anything tells the scale."""
        known = any(length.metres is not None for length in self.lengths)
        return self.scale is not None or self.camera_height is not None or known


Held = Literal["focal length", "height", "horizon", "edges"]


class HandCamera(_In):
    """The camera is set by hand.

    Attributes
    ----------
    held : figures that dragging on the photograph does not change; `edges` are the marked edges, which
        it then obeys.
    """

    kind: Literal["hand"]
    focal_35mm: Positive
    height_m: Annotated[FiniteFloat, Field(gt=0, le=10_000)]
    tilt_deg: Annotated[FiniteFloat, Field(gt=-90, lt=90)] = 0.0
    roll_deg: Annotated[FiniteFloat, Field(ge=-180, le=180)] = 0.0
    heading_deg: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 90.0
    held: list[Held] = []


Row = tuple[FiniteFloat, FiniteFloat, FiniteFloat]


class KnownCamera(_In):
    """The camera is known from elsewhere, by the conventions of an answer: its figures hold as they are.

    Attributes
    ----------
    image : the picture's size that the figures are for; another size of the same shape will do.
    rotation : world to camera, rows x right, y down, z forward; `camera_position` in metres, z up from the ground.
    """

    kind: Literal["known"]
    name: Annotated[str, Field(max_length=200)] = ""
    image: ImageSize
    focal_px: Positive
    principal_point: Pixel | None = None
    rotation: tuple[Row, Row, Row]
    camera_position: Row
    distortion_k1: Annotated[FiniteFloat, Field(ge=-1, le=1)] = 0.0

    @model_validator(mode="after")
    def _is_a_camera(self) -> KnownCamera:
        turn = np.array(self.rotation)
        if np.abs(turn @ turn.T - np.eye(3)).max() > 1e-3 or np.linalg.det(turn) < 0:
            raise ValueError("rotation: is no rotation (three rows, square to each other, of length 1, right-handed)")
        if self.camera_position[2] <= 0:
            raise ValueError("camera_position: lies under the ground; z is up, and the ground is z = 0")
        return self


class LineAnswer(BaseModel):
    """One edge's own residual: root mean square distance of its points from the solved line [px].

    `aside` is true for an edge that the robust mode left out.
    """

    family: Run
    residual_px: float
    aside: bool = False


class LengthAnswer(BaseModel):
    """A marked length as the camera sees it; for a yardstick also how far it is off what was given.

    `metres` is null without any scale, or where an end does not meet its surface: then `reason` says so.
    `off_percent` compares the length given with the length seen when all other yardsticks set the scale;
    it is null for the only one.
    """

    metres: float | None
    sigma_m: float | None
    off_percent: float | None = None
    sigma_percent: float | None = None
    reason: str | None = None


class CameraAnswer(BaseModel):
    """A solved camera; the fields are those of docs/command-line.md.

    Attributes
    ----------
    horizon_sigma_px : standard deviation of the horizon's height at the left and right border.
    trust : how far the whole can be relied on, by its stated uncertainty; null for a camera set by hand.
    assumed : figures that were not measured but assumed.
    warnings_of_lengths : those of the warnings that speak of a yardstick.
    """

    image: ImageSize
    focal_px: float
    focal_35mm: float
    principal_point: tuple[float, float]
    rotation: list[list[float]]
    camera_position: list[float] | None
    camera_position_unit: list[float] | None
    tilt_deg: float
    roll_deg: float
    heading_deg: float
    horizon: list[list[float]] | None
    horizon_sigma_px: list[float] | None = None
    vanishing_points: dict[str, list[float] | None]
    distortion_k1: float
    residual_px: float
    sigma: dict[str, float]
    lines: list[LineAnswer]
    lengths: list[LengthAnswer] = []
    trust: Trust | None = None
    assumed: list[str] = []
    warnings: list[str]
    warnings_of_lengths: list[str] = []
    advice: list[str]
