"""A light card: check pieces in the photograph, in the light that a shot has, where its things stand.

What is wrong with a light shows on a thing of known colour beside photographed ones: its shade is too dark or too blue,
its white is greyer than the white beside it, its shadow is longer.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from pydantic import BaseModel, ConfigDict

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.check import CheckPiece, check_piece
from lithopos.core.layers import Window
from lithopos.core.render.render import render_shot
from lithopos.core.render.scene import ReadPanorama, ReadPhotograph
from lithopos.core.render.session import Session
from lithopos.core.shot import Blend, Output, Placed, Shot

# The pieces from left to right, and how far they stand from the middle [m], each turned against the camera [deg].
ROW: tuple[tuple[CheckPiece, float, float], ...] = (
    ("grey ball", -0.74, 0.0),
    ("mirror ball", -0.32, 0.0),
    ("white cube", 0.14, 30.0),
    ("colour chart", 0.68, 0.0),
)
HALF_M, TALL_M = 1.0, 0.32  # of the row, with what lies beside it
ACROSS = 0.3  # of the picture's width, that the row takes
WIDTH_PX, SAMPLES = 560, 48
BEFORE, ABOVE = 0.5, 0.8  # of the row's height in the picture, shown before and above it

__all__ = ["CardQuestion", "card_picture", "card_question"]


class CardQuestion(BaseModel):
    """The shot whose light is to be shown: without what the card does not show, so that this asks for no other one."""

    model_config = ConfigDict(extra="forbid")

    shot: Shot


def card_question(shot: Shot) -> CardQuestion:
    """What to ask for a shot's card: its light, and where its first thing stands."""
    first = next((one for one in shot.models if not one.hidden and one.on is None), None)
    stood = [Placed(id="card", file="card.glb", position_m=first.position_m, level=first.level)] if first else []
    bare = {
        "models": stood,
        "panes": [],
        "mattes": [],
        "viewpoints": [],
        "output": Output(),
        "name": "",
        "blend": Blend(),
    }
    return CardQuestion(shot=shot.model_copy(update=bare))


def card_picture(
    question: CardQuestion,
    photograph: Callable[[], Picture],
    session: Session,
    photograph_key: str = "",
    read_graphic: ReadGraphic | None = None,
    read_panorama: ReadPanorama | None = None,
    read_photograph: ReadPhotograph | None = None,
) -> Picture:
    """The part of the photograph in which the pieces stand.

    Parameters
    ----------
    photograph : reads it, where the session has it no longer.

    Raises
    ------
    InputError
        If the shot lacks something that a render needs, or shows no ground for the pieces.
    """
    facts = derive(question.shot)
    if question.shot.photograph is None or facts.camera is None or not facts.metric:
        raise InputError("camera", "must be solved, with a known length, before a light card can be made")
    camera = pinhole_of(facts.camera)
    pieces, seen = _stood(question.shot, camera)
    scale = min(1.0, WIDTH_PX / seen.width)
    steps = render_shot(
        question.shot.model_copy(update={"models": pieces}),
        photograph,
        lambda name: check_piece(_piece_of(name)),
        quality="proof",
        scale=scale,
        samples=SAMPLES,
        session=session,
        photograph_key=photograph_key,
        read_graphic=read_graphic,
        read_panorama=read_panorama,
        read_photograph=read_photograph,
        part=seen,
    )
    made = list(steps)[-1].picture
    assert made
    x0, y0, x1, y1 = (round(value * scale) for value in seen)
    return Picture(made.codes[y0:y1, x0:x1].copy(), made.icc)


def _piece_of(file: str) -> CheckPiece:
    return next(piece for piece, _, _ in ROW if file == f"{piece}.glb")


def _stood(shot: Shot, camera: Pinhole) -> tuple[list[Placed], Window]:
    """The pieces side by side as the camera sees them, and the part of the photograph that shows them."""
    if shot.models:
        middle, level = np.array(shot.models[0].position_m), shot.models[0].level
    else:
        middle, level = camera.ground_points(np.array([[camera.width / 2, 0.75 * camera.height]]))[0], None
    away = float(camera.rotation[2] @ (middle - camera.position))
    if not np.isfinite(middle).all() or away <= 0:
        raise InputError("models", "stand where the camera does not see them")
    size = ACROSS * camera.width * away / camera.focal_px / (2 * HALF_M)
    right = camera.rotation[0] * [1, 1, 0]
    right /= np.linalg.norm(right)
    ahead_deg = float(np.degrees(np.arctan2(right[0], -right[1])))  # the way from the camera to them
    pieces = []
    for number, (piece, aside, turn) in enumerate(ROW):
        x, y, z = middle + aside * size * right
        pieces.append(
            Placed(
                id=f"card{number}",
                file=f"{piece}.glb",
                position_m=(float(x), float(y), float(z)),
                turn_deg=(ahead_deg - 90 + turn) % 360,
                level=level,
                size=float(np.clip(size, 1e-3, 1e4)),
            )
        )
    feet = [middle + side * HALF_M * size * right for side in (-1, 1)]
    return pieces, _part(camera, np.array([foot + [0, 0, up] for foot in feet for up in (0, TALL_M * size)]))


def _part(camera: Pinhole, ends: Array) -> Window:
    """The part of the photograph about the row's corners (N, 3)."""
    pixels = camera.project(ends)
    low, high = pixels.min(0), pixels.max(0)
    tall = high[1] - low[1]
    x0, x1 = max(low[0], 0), min(high[0], camera.width)
    y0, y1 = max(low[1] - ABOVE * tall, 0), min(high[1] + BEFORE * tall, camera.height)
    if not (np.isfinite(pixels).all() and x1 - x0 > 8 and y1 - y0 > 8):
        raise InputError("models", "stand where the photograph does not show them")
    return Window(round(x0), round(y0), round(x1), round(y1))
