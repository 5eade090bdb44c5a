"""Where a model comes to stand: from its own metres to the world's.

    file → upright (a quarter turn) → posed → sized → turned → leant → set down on its lowest point → moved
                                                                        → along with the thing that carries it

Before it is leant, the middle of the foot of its bounding box lies at its place; leaning turns it about that point.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from lithopos.core.arrays import Array
from lithopos.core.geometry.model import Y_TO_Z, Model
from lithopos.core.geometry.units import METRES
from lithopos.core.shot import Placed

__all__ = [
    "Stand",
    "carrier_frame",
    "heading_deg",
    "leant",
    "placement",
    "posed",
    "root_of",
    "rows_of",
    "scale_of",
    "stands",
    "upright",
    "vertices_of",
]


@dataclass(frozen=True)
class Stand:
    """One standing of a model: the thing, itself or as one of its row, and the (4, 4) matrix to the world."""

    placed: Placed
    matrix: Array


def stands(models: Sequence[Placed], read: Callable[[Placed], Model]) -> Iterator[Stand]:
    """Every model that is shown, its copies too, where it stands in the world.

    Parameters
    ----------
    read : gives a thing's model.
    """
    for placed in models:
        if placed.hidden:
            continue
        frame = carrier_frame(placed, models)
        model = read(placed)
        for one in rows_of(placed):
            yield Stand(placed, frame @ placement(one, model))


def rows_of(placed: Placed) -> list[Placed]:
    """A thing and its copies, each with a place and a turn of its own; copies are spread about the original's turn."""
    row = placed.row
    if row is None:
        return [placed]
    way = np.radians(row.direction_deg)
    x, y, z = placed.position_m
    found = [placed]
    for number in range(1, row.count):
        far = number * row.spacing_m
        at = (x + far * float(np.cos(way)), y + far * float(np.sin(way)), z)
        turn = placed.turn_deg + row.spread_deg * _spread_of(row.seed, number)
        found.append(placed.model_copy(update={"position_m": at, "turn_deg": turn}))
    return found


def _spread_of(seed: int, number: int) -> float:
    """A copy's share of the spread, -1..1: the fraction of seed and number that the golden ratio scatters.

    Additive recurrence (Roberts 2018): even, without a generator's state, so that the screen draws the same.
    """
    return 2 * ((seed * 0.7548776662466927 + number * 0.6180339887498949) % 1.0) - 1


def root_of(placed: Placed, models: Sequence[Placed]) -> Placed:
    """What carries a thing in the end: itself where nothing does."""
    things = {one.id: one for one in models}
    while placed.on is not None:
        placed = things[placed.on]
    return placed


def carrier_frame(placed: Placed, models: Sequence[Placed]) -> Array:
    """(4, 4) from the metres that a thing's place counts in to the world's."""
    things = {one.id: one for one in models}
    frame = np.eye(4)
    while placed.on is not None:
        placed = things[placed.on]
        own = np.eye(4)
        own[:3, :3], own[:3, 3] = _about_z(placed.turn_deg), placed.position_m
        frame = own @ frame
    return frame


def placement(placed: Placed, model: Model) -> Array:
    """(4, 4) matrix that stands a model, in the metres in which its place counts.

    A model's foot is the middle of its bounding box, at its lowest point, as it lies posed.
    """
    lying = posed(placed, model)
    corners = _box(vertices_of(model) @ lying.T) if placed.pose else model.bounds() @ lying.T
    low, high = corners.min(0), corners.max(0)  # a quarter turn keeps boxes boxes
    foot = np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    matrix = np.eye(4)
    whole = scale_of(placed, model) * _about_z(placed.turn_deg) @ leant(placed.lean_deg, placed.lean_toward_deg)
    matrix[:3, :3] = whole @ lying
    matrix[:3, 3] = np.array(placed.position_m) - whole @ foot
    if placed.lean_deg:
        lowest = float((vertices_of(model) @ matrix[2, :3]).min()) + matrix[2, 3]
        matrix[2, 3] += placed.position_m[2] - lowest
    return matrix


def scale_of(placed: Placed, model: Model) -> float:
    """What a length in the read model [m] is multiplied by as it stands."""
    return placed.size * (METRES[placed.unit] / model.unit.metres if placed.unit else 1.0)


def upright(placed: Placed, model: Model) -> Array:
    """(3, 3): the quarter turn about x that puts up what the shot says is up, where the reader took another axis."""
    if placed.up is None or placed.up == model.up:
        return np.eye(3)
    return Y_TO_Z if placed.up == "y" else Y_TO_Z.T


def posed(placed: Placed, model: Model) -> Array:
    """(3, 3): upright, then in its pose."""
    pose = np.eye(3) if placed.pose is None else Rotation.from_quat(placed.pose, scalar_first=True).as_matrix()
    return np.asarray(pose @ upright(placed, model))


def heading_deg(frame: Array) -> float:
    """How far a frame (4, 4) is turned about the plumb line [°]."""
    return float(np.degrees(np.arctan2(frame[1, 0], frame[0, 0])))


def leant(lean_deg: float, toward_deg: float) -> Array:
    """(3, 3): the turn about a level axis that brings the plumb line towards a direction."""
    toward = np.radians(toward_deg)
    axis = np.array([-np.sin(toward), np.cos(toward), 0])
    return np.asarray(Rotation.from_rotvec(np.radians(lean_deg) * axis).as_matrix())


def vertices_of(model: Model) -> Array:
    """All of a model's vertices, (N, 3) [m]."""
    return np.concatenate([part.vertices for part in model.parts])


def _about_z(turn_deg: float) -> Array:
    angle = np.radians(turn_deg)
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])


def _box(points: Array) -> Array:
    return np.stack([points.min(0), points.max(0)])
