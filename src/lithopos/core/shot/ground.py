"""The Ground step: known and measured lengths, and levels beside the ground."""

from __future__ import annotations

from pydantic import model_validator

from lithopos.core.camera.problem import LengthMarks, Pixel
from lithopos.core.shot.parts import DocumentPart, Identity, Metres, Name

__all__ = ["Length", "Level"]


class Length(LengthMarks):
    """A marked length with its identity; `level` names the level that it, or its foot, lies on."""

    id: Identity
    level: Identity | None = None


class Level(DocumentPart):
    """A level plane above or below the ground: a table, a step, a quay.

    Its height is known, or measured plumb from a point on the ground (`foot`) to the level's edge (`at`);
    where both are given, the height is a yardstick for the whole picture.
    """

    id: Identity
    name: Name = ""
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
