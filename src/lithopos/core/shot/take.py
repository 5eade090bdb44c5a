"""Footage: the take that a shot stands for, what is corrected in it by hand, and what changes while it runs."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat, JsonValue, field_validator, model_validator

from lithopos.core.camera.problem import Pixel
from lithopos.core.shot.parts import DocumentPart, FileName, Identity, Name

__all__ = ["KEYED", "FrontStroke", "Key", "Passing", "PlateStroke", "Playing", "Take"]

MOST_FRAMES = 20_000
Frame = Annotated[int, Field(ge=0, le=10_000_000)]
Points = Annotated[list[Pixel], Field(min_length=1, max_length=4000)]
Radius = Annotated[FiniteFloat, Field(ge=0.3, le=2000)]
# What a key can set, and how many numbers that is: of a model, of a lamp, of the light.
KEYED = {
    ("models", "position_m"): 3,
    ("models", "turn_deg"): 1,
    ("models", "fade"): 1,
    ("lamps", "strength"): 1,
    ("sun", "azimuth_deg"): 1,
    ("sun", "elevation_deg"): 1,
    ("sun", "strength"): 1,
    ("sky", "strength"): 1,
    ("exposure", "stops"): 1,
}


class Playing(DocumentPart):
    """How a film on a pane or a print runs while the take runs: from where [s], how fast, and whether over and over."""

    offset_s: Annotated[FiniteFloat, Field(ge=-100_000, le=100_000)] = 0.0
    speed: Annotated[FiniteFloat, Field(ge=-20, le=20)] = 1.0
    loop: bool = True


class Take(DocumentPart):
    """Footage from a camera that stands still; the shot's photograph is one of its frames, or its clean plate.

    Attributes
    ----------
    file : a film, or numbered pictures in a zip.
    frames : how many it has; `rate`: a second, as a fraction.
    first, last : the part that is made, both with it.
    reference : the frame on which everything is marked: the others are brought to it.
    plate : the clean plate's file, once it is made; the photograph's own then.
    steady : whether the camera's trembling is measured and given back.
    """

    file: FileName
    name: Name = ""
    frames: Annotated[int, Field(ge=2, le=10_000_000)]
    rate: tuple[Annotated[int, Field(ge=1, le=10_000_000)], Annotated[int, Field(ge=1, le=10_000_000)]] = (25, 1)
    first: Frame = 0
    last: Frame
    reference: Frame = 0
    plate: FileName | None = None
    steady: bool = True
    loop: bool = True

    @model_validator(mode="after")
    def _is_within(self) -> Take:
        if not self.first < self.last < self.frames:
            raise ValueError(f"runs from frame {self.first} to {self.last}, but has {self.frames}, from 0")
        if self.reference >= self.frames:
            raise ValueError(f"reference is frame {self.reference}, but it has {self.frames}, from 0")
        if self.last - self.first >= MOST_FRAMES:
            raise ValueError(f"more than {MOST_FRAMES} frames are to be made at once: set its first and last frame")
        return self

    @property
    def rate_hz(self) -> float:
        """Frames a second."""
        return self.rate[0] / self.rate[1]


class PlateStroke(DocumentPart):
    """A brush's stroke drawn on one frame, which shows the place there: what is under it goes into the clean plate."""

    id: Identity
    frame: Frame
    points: Points
    radius_px: Radius = 20.0


class FrontStroke(DocumentPart):
    """A brush's stroke on one frame that says what is under it, for `reach` frames before and after as well.

    `in`: it is somebody in front of the place; `out`: it is the place; `shadow`: it is the place, and what darkens it
    there is left out.
    """

    id: Identity
    frame: Frame
    says: Literal["in", "out", "shadow"] = "in"
    points: Points
    radius_px: Radius = 12.0
    reach: Annotated[int, Field(ge=0, le=1000)] = 4


class Passing(DocumentPart):
    """Somebody who passes the models before or behind them, whatever their feet say, from frame `first` to `last`.

    Attributes
    ----------
    at : a pixel of them in frame `frame`; they are followed from there.
    """

    id: Identity
    frame: Frame
    at: Pixel
    first: Frame
    last: Frame
    side: Literal["before", "behind"] = "before"

    @model_validator(mode="after")
    def _is_in_order(self) -> Passing:
        if not self.first <= self.frame <= self.last:
            raise ValueError(f"is told in frame {self.frame}, which is not from {self.first} to {self.last}")
        return self


class Key(DocumentPart):
    """What something is at a frame: between two keys of the same thing it goes from one to the other.

    Attributes
    ----------
    path : what is set, as options name it: `models/m1/position_m`, `sun/elevation_deg`.
    value : a number, or three.
    easing : how it leaves this key: evenly, softly (slow at both ends), or not before the next one.
    """

    id: Identity
    frame: Frame
    path: Annotated[str, Field(max_length=120)]
    value: JsonValue
    easing: Literal["even", "soft", "hold"] = "soft"

    @field_validator("path")
    @classmethod
    def _can_be_keyed(cls, path: str) -> str:
        parts = path.split("/")
        if (parts[0], parts[-1]) not in KEYED or len(parts) != (3 if parts[0] in ("models", "lamps") else 2):
            raise ValueError(f"{path[:60]!r} is nothing that can change while a take runs")
        return path

    @model_validator(mode="after")
    def _is_of_its_size(self) -> Key:
        parts = self.path.split("/")
        count = KEYED[parts[0], parts[-1]]
        values = self.value if isinstance(self.value, list) else [self.value]
        numbers = [float(one) for one in values if isinstance(one, int | float) and not isinstance(one, bool)]
        if len(values) != count or len(numbers) != count or any(abs(one) > 1e5 for one in numbers):
            raise ValueError(f"value of {self.path} is {count} number{'s' if count > 1 else ''}")
        if parts[-1] == "fade" and not 0 <= numbers[0] <= 1:
            raise ValueError("value of a fade is 0 (not there) to 1")
        return self
