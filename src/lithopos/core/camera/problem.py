"""What `lithopos camera` takes and gives (the contract of the command line), as plain data."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

__all__ = ["CameraAnswer", "CameraProblem", "ImageSize", "LineAnswer", "LineIn", "Pixel", "Run", "ScaleIn"]

Run = Literal["a", "b", "plumb"]
Coordinate = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]
Pixel = tuple[Coordinate, Coordinate]
Positive = Annotated[FiniteFloat, Field(gt=0, le=1e7)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class ImageSize(_In):
    """The photograph's size [px]."""

    width: Annotated[int, Field(ge=1, le=100_000)]
    height: Annotated[int, Field(ge=1, le=100_000)]


class LineIn(_In):
    """An edge: two points or more along it [px]; neither order nor direction matters."""

    family: Run
    points: Annotated[list[Pixel], Field(min_length=2, max_length=1000)]

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


class CameraProblem(_In):
    """Marked edges of one photograph, and what else is known."""

    image: ImageSize
    focal_35mm: Positive | None = None
    focal_px: Positive | None = None
    principal_point: Literal["centre", "free"] = "centre"
    distortion: Literal["none", "solve"] = "none"
    lines: Annotated[list[LineIn], Field(max_length=2000)] = []
    origin: Pixel | None = None
    scale: ScaleIn | None = None


class LineAnswer(BaseModel):
    """One edge's own residual: root mean square distance of its points from the solved line [px]."""

    family: Run
    residual_px: float


class CameraAnswer(BaseModel):
    """A solved camera; see `headless.md` for the meaning of each field."""

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
    vanishing_points: dict[str, list[float] | None]
    distortion_k1: float
    residual_px: float
    sigma: dict[str, float]
    lines: list[LineAnswer]
    warnings: list[str]
    advice: list[str]
