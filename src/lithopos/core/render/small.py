"""A shot as a small picture, as it would be delivered: for a strip of options side by side."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from lithopos.core.deliver.framed import framed_picture
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.render.finished import Readers
from lithopos.core.render.render import AFTERWARDS, render_shot
from lithopos.core.render.session import Session
from lithopos.core.shot import Shot

WIDTH_PX, SAMPLES = 320, 16

__all__ = ["SmallQuestion", "small_picture", "small_question"]


class SmallQuestion(BaseModel):
    """The shot to be shown, without what changes no pixel, so that this asks for no other picture."""

    model_config = ConfigDict(extra="forbid")

    shot: Shot
    width_px: Annotated[int, Field(ge=16, le=1024)]


def small_question(shot: Shot) -> SmallQuestion:
    """What to ask for a shot's small picture."""
    plain = Shot()
    bare = {name: getattr(plain, name) for name in AFTERWARDS}
    return SmallQuestion(shot=shot.model_copy(update=bare), width_px=WIDTH_PX)


def small_picture(
    question: SmallQuestion,
    photograph: Callable[[], Picture],
    session: Session,
    readers: Readers,
) -> Picture:
    """The shot in its frame, some pixels wide.

    Parameters
    ----------
    photograph : reads it, where the session has it no longer.

    Raises
    ------
    InputError
        If the shot lacks something that a render needs.
    """
    shot = question.shot
    if shot.photograph is None:
        raise InputError("photograph", "is missing: a shot begins with one")
    scale = min(1.0, question.width_px / (shot.frame or shot.photograph).width)
    steps = render_shot(
        shot,
        photograph,
        readers.model,
        scale=scale,
        samples=SAMPLES,
        session=session,
        photograph_key=shot.photograph.file,
        read_graphic=readers.graphic,
        read_panorama=readers.panorama,
        read_lut=readers.lut,
        read_photograph=readers.photograph,
    )
    made = list(steps)[-1].picture
    assert made
    return framed_picture(made, shot)
