"""Whether a model stands in something that stands there."""

from __future__ import annotations

import numpy as np

from lithopos.core.arrays import Array
from lithopos.core.geometry.model import Model
from lithopos.core.place.shading import Solids

MOST_EDGES = 4000  # of a model: each stands for those about it
LEAST_M = 0.003  # on both sides of what an edge goes through: nearer, they touch

__all__ = ["runs_into"]


def runs_into(model: Model, matrix: Array, solids: Solids) -> bool:
    """Whether an edge of a model, stood by a matrix (4, 4), goes through a solid's side."""
    for part in model.parts:
        placed = part.vertices @ matrix[:3, :3].T + matrix[:3, 3]
        step = max(1, 3 * len(part.faces) * len(model.parts) // MOST_EDGES)
        ends = np.concatenate([part.faces[:, [0, 1]], part.faces[:, [1, 2]], part.faces[:, [2, 0]]])[::step]
        starts, along = placed[ends[:, 0]], placed[ends[:, 1]] - placed[ends[:, 0]]
        length = np.linalg.norm(along, axis=1)
        long = length > 2 * LEAST_M
        ways = along[long] / length[long, None]
        reach, _ = solids.met(starts[long] + LEAST_M * ways, ways)
        if (reach < length[long] - 2 * LEAST_M).any():
            return True
    return False
