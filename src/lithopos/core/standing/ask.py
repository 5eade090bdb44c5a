"""Questions about rest: let a thing settle, let it fall, lean it against another."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from scipy.spatial.transform import Rotation

from lithopos.core.arrays import Array
from lithopos.core.derive import derive
from lithopos.core.errors import InputError, NoAnswer
from lithopos.core.geometry.model import Model
from lithopos.core.shot import Placed, Shot
from lithopos.core.shot.parts import Identity
from lithopos.core.standing.placement import (
    carrier_frame,
    heading_deg,
    leant,
    placement,
    posed,
    root_of,
    stands,
    vertices_of,
)
from lithopos.core.standing.rest import (
    Body,
    Side,
    body_of,
    centre_of_mass,
    fall_m,
    is_held,
    lean_until_touch,
    meets,
    over,
    sides,
)

NEAR_ENOUGH_M = 0.0005

__all__ = ["RestAnswer", "RestQuestion", "SideTold", "rest"]


class RestQuestion(BaseModel):
    """What to do with a thing: let it `settle` on a side (the one nearest to how it lies, or one by number), let it
    `fall` as it lies (onto another one, if that is named, brought above it first), or lean it `against` another (the
    nearest where none is named)."""

    model_config = ConfigDict(extra="forbid")

    how: Literal["settle", "fall", "against"]
    thing: Identity
    side: int | None = Field(default=None, ge=0, le=50)
    other: Identity | None = None


class SideTold(BaseModel):
    """A side to lie on, in words, and its share of all falls."""

    name: str
    share: float


class RestAnswer(BaseModel):
    """What the thing's fields become; null values where there is no answer, with the reason.

    Attributes
    ----------
    values : fields of the thing.
    sides : the sides that it stays lying on; `side` is the one it lies on now.
    held : whether it stays as it is.
    """

    values: dict[str, Any] | None = None
    sides: list[SideTold] = []
    side: int | None = None
    held: bool = True
    gap_mm: float = 0.0
    reason: str | None = None


def rest(shot: Shot, question: RestQuestion, read: Callable[[str], Model]) -> RestAnswer:
    """Answer a question about rest.

    Raises
    ------
    InputError
        If the thing or the other one is not there.
    """
    things = {placed.id: placed for placed in shot.models}
    placed = things.get(question.thing)
    if placed is None:
        raise InputError("thing", f"{question.thing!r} is not among the models")
    if question.other is not None and question.other not in things:
        raise InputError("other", f"{question.other!r} is not among the models")
    others = _others(shot, placed, read)
    if question.how == "against":
        return _against(shot, placed, question.other, others, read)
    return _settled(shot, placed, question, others, read)


def _others(shot: Shot, placed: Placed, read: Callable[[str], Model]) -> list[tuple[Placed, Body]]:
    """Everything that is shown but the thing, its copies and what it carries."""
    carried = {placed.id}
    for _ in shot.models:
        carried |= {one.id for one in shot.models if one.on in carried}
    return [
        (stand.placed, body_of(read(stand.placed.file), stand.matrix))
        for stand in stands(shot.models, lambda one: read(one.file))
        if stand.placed.id not in carried
    ]


def _floor(shot: Shot, placed: Placed) -> float:
    """Height of the level, the proxy's top or the ground below all that carries a thing [m]."""
    return derive(shot).bases.get(root_of(placed, shot.models).id, 0.0)


def _settled(
    shot: Shot, placed: Placed, question: RestQuestion, others: list[tuple[Placed, Body]], read: Callable[[str], Model]
) -> RestAnswer:
    model = read(placed.file)
    told: list[Side] = []
    number: int | None = None
    lying = placed
    if question.how == "settle":
        upright = posed(placed.model_copy(update={"pose": None}), model)
        told = sides(vertices_of(model) @ upright.T, upright @ centre_of_mass(model))
        if not told:
            return RestAnswer(reason="it stays lying on none of its sides")
        number = _nearest(told, placed) if question.side is None else min(question.side, len(told) - 1)
        pose = None if told[number].name == "upright" else told[number].pose
        lying = placed.model_copy(update={"pose": pose, "lean_deg": 0.0})
    frame, floor = carrier_frame(placed, shot.models), _floor(shot, placed)
    matrix = frame @ placement(lying, model)
    onto = [body for one, body in others if one.id == question.other]
    moved = over(body_of(model, matrix), onto[0]) if onto else np.zeros(3)
    matrix[:3, 3] += moved
    thing = body_of(model, matrix)
    down = np.array([0, 0, -fall_m(thing, [body for _, body in others], floor)])
    landed = thing.vertices + down
    at = (frame @ [*placed.position_m, 1])[:3] + moved + down
    stays = abs(float(landed[:, 2].min()) - floor) < NEAR_ENOUGH_M
    on = None if stays else _carrier(thing, down, others)
    mass = matrix[:3, :3] @ centre_of_mass(model) + matrix[:3, 3]
    held = on is not None or is_held(landed, mass, [], floor)
    level = None if on else root_of(placed, shot.models).level
    return RestAnswer(
        values={"pose": lying.pose, "lean_deg": lying.lean_deg, **_within(shot, lying, at, on, level)},
        sides=[SideTold(name=one.name, share=one.share) for one in told],
        side=number,
        held=held,
    )


def _nearest(told: list[Side], placed: Placed) -> int:
    """The side that looks down most as a thing lies and leans now."""
    pose = Rotation.from_quat(placed.pose or (1.0, 0, 0, 0), scalar_first=True).as_matrix()
    down = (leant(placed.lean_deg, placed.lean_toward_deg) @ pose).T @ [0, 0, -1]
    below = [Rotation.from_quat(side.pose, scalar_first=True).inv().apply([0, 0, -1]) @ down for side in told]
    return int(np.argmax(below))


def _carrier(thing: Body, down: Array, others: list[tuple[Placed, Body]]) -> Placed | None:
    """Which thing a fallen one lies on: the one that a hair lower it would be in."""
    lower = down - [0, 0, 2 * NEAR_ENOUGH_M]
    return next((one for one, body in others if meets(thing, lower, body)), None)


def _within(shot: Shot, placed: Placed, at: Array, on: Placed | None, level: str | None) -> dict[str, Any]:
    """Place and turn of a thing that stands at a place of the world, counted from what carries it now."""
    before = carrier_frame(placed, shot.models)
    now = carrier_frame(placed.model_copy(update={"on": on.id if on else None}), shot.models)
    x, y, z = (round(float(part), 6) for part in (np.linalg.inv(now) @ [*at, 1])[:3])
    turn = placed.turn_deg + heading_deg(before) - heading_deg(now)
    return {"position_m": (x, y, z), "turn_deg": turn, "on": on.id if on else None, "level": level}


def _against(
    shot: Shot, placed: Placed, other: str | None, others: list[tuple[Placed, Body]], read: Callable[[str], Model]
) -> RestAnswer:
    # What carries it is stood on, not leant against.
    bodies = [body for one, body in others if one.id != placed.on and other in (None, one.id)]
    if not bodies:
        return RestAnswer(reason="there is nothing else to lean against")
    model = read(placed.file)
    upright = placed.model_copy(update={"lean_deg": 0.0})
    frame = carrier_frame(placed, shot.models)
    matrix = frame @ placement(upright, model)
    pivot = (frame @ [*placed.position_m, 1])[:3]
    turned_deg = placed.turn_deg + heading_deg(frame)
    toward_deg = _toward(bodies, pivot, turned_deg)
    heading = np.radians(toward_deg + turned_deg)
    toward = np.array([np.cos(heading), np.sin(heading), 0])
    mass = matrix[:3, :3] @ centre_of_mass(model) + matrix[:3, 3]
    answer = lean_until_touch(body_of(model, matrix), pivot, toward, bodies, mass, float(pivot[2]))
    if isinstance(answer, NoAnswer):
        return RestAnswer(reason=answer.reason)
    values = {"lean_deg": answer.lean_deg, "lean_toward_deg": toward_deg}
    return RestAnswer(values=values, held=answer.held, gap_mm=1000 * answer.gap_m)


def _toward(bodies: list[Body], pivot: Array, turn_deg: float) -> float:
    """Which of a thing's own four sides faces the nearest of the others, counted from its x axis [°]."""
    nearest = min((_nearest_on_box(body, pivot) for body in bodies), key=lambda at: float(np.linalg.norm(at - pivot)))
    away = nearest - pivot
    heading = np.degrees(np.arctan2(away[1], away[0])) - turn_deg
    return float(90 * round(heading / 90) % 360)


def _nearest_on_box(body: Body, at: Array) -> Array:
    return np.asarray(np.clip(at, body.vertices.min(0), body.vertices.max(0)))
