"""Whether a shot can be rendered, decided once: what it lacks, as codes; the screen has its own words for them."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from lithopos.core.derive import Derived
from lithopos.core.shot import Shot

Code = Literal["no photograph", "no camera", "no scale", "no models", "no sun"]

__all__ = ["Code", "Lack", "missing"]


class Lack(BaseModel):
    """Something that a render needs and the shot has not: the code, and field and cause for a command line."""

    code: Code
    field: str
    cause: str


def missing(shot: Shot, facts: Derived) -> list[Lack]:
    """What a shot lacks to be rendered, in the order in which it would be mended; empty if nothing."""
    found: list[Lack] = []

    def lacks(code: Code, field: str, cause: str) -> None:
        found.append(Lack(code=code, field=field, cause=cause))

    if shot.photograph is None:
        lacks("no photograph", "photograph", "is missing: a shot begins with one")
    elif facts.camera is None:
        lacks("no camera", "camera", facts.camera_reason or "is not solved")
    elif not facts.metric:
        lacks("no scale", "lengths", "holds no yardstick: without a known length the model has no size in the picture")
    if all(model.hidden for model in shot.models) and all(pane.hidden for pane in shot.panes):
        cause = "is empty: nothing stands in the photograph yet" if not shot.models else "are all hidden"
        lacks("no models", "models", cause)
    no_sun_needed = shot.lit_by == "room" or (shot.lit_by == "day" and shot.sky.cover == 1)
    if facts.camera is not None and facts.sun_shown is None and not no_sun_needed:
        lacks("no sun", "sun", f"is not known: {facts.sun_reason}")
    return found
