"""Where a texture of a real size lies on a part: by the six sides of a box, or along the model's own uv."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array
from lithopos.core.geometry.model import Part, Turn

# For each side of a box the two axes that u and v (which runs down) go along: seen from outside, u to the right.
_SIDES = np.array(
    [
        [[0, 1, 0], [0, 0, -1]],  # +x
        [[0, -1, 0], [0, 0, -1]],  # -x
        [[-1, 0, 0], [0, 0, -1]],  # +y
        [[1, 0, 0], [0, 0, -1]],  # -y
        [[1, 0, 0], [0, -1, 0]],  # +z
        [[1, 0, 0], [0, 1, 0]],  # -z
    ],
    float,
)

__all__ = ["in_metres", "in_repeats", "metres_a_unit", "turn_in_repeats"]


def in_metres(part: Part, lay: Literal["box", "uv"], upright: Array, scale: float) -> tuple[Part, NDArray[np.int64]]:
    """A part whose uv are metres on its surface, as it stands, and which of the old vertices each one was.

    Parameters
    ----------
    upright : (3, 3) what stands the model up; scale : what its lengths are multiplied by.
    """
    if lay == "uv" and float(np.ptp(part.uv, axis=0).min(initial=0)) > 0:
        return replace(part, uv=part.uv * (scale * metres_a_unit(part))), np.arange(len(part.vertices))
    points = part.vertices @ upright.T * scale
    side = _sides_of(points[part.faces])
    # A vertex at which two sides of the box meet is one on each.
    pairs, faces = np.unique(
        np.stack([part.faces, np.broadcast_to(side[:, None], part.faces.shape)], axis=-1).reshape(-1, 2),
        axis=0,
        return_inverse=True,
    )
    used, its_side = pairs.T
    uv = np.einsum("nij,nj->ni", _SIDES[its_side], points[used])
    laid = replace(
        part,
        vertices=part.vertices[used],
        normals=part.normals[used],
        uv=uv,
        faces=faces.reshape(-1, 3).astype(np.int64),
        colours=None if part.colours is None else part.colours[used],
    )
    return laid, used


def in_repeats(
    part: Part, repeat_mm: float, aspect: float, turn_deg: float, shift_mm: tuple[float, float], mirrored: bool = False
) -> Part:
    """A part whose uv are repeats of a texture, from one whose uv are metres; see `turn_in_repeats`."""
    turn = np.array(turn_in_repeats(1.0, repeat_mm, aspect, turn_deg, shift_mm, mirrored))
    return replace(part, uv=part.uv @ turn[:, :2].T + turn[:, 2])


def turn_in_repeats(
    metres: float, repeat_mm: float, aspect: float, turn_deg: float, shift_mm: tuple[float, float], mirrored: bool
) -> Turn:
    """From uv of which one unit is so many metres to repeats of a texture: shifted to the right and up, turned
    anticlockwise as it is seen, mirrored.

    Parameters
    ----------
    repeat_mm : how wide a repeat is; aspect : its height beside its width.
    """
    angle = np.radians(turn_deg)
    c, s = np.cos(angle), np.sin(angle)
    # v runs down: what turns anticlockwise on the surface turns the other way in uv.
    turn = np.array([[c, -s], [s, c]]) * metres
    offset = np.array([[c, -s], [s, c]]) @ (np.array(shift_mm) / 1000 * [-1, 1])
    size = np.array([-1.0 if mirrored else 1.0, aspect]) * repeat_mm / 1000
    whole = np.column_stack([turn, offset]) / size[:, None]
    (a, b, e), (d, f, g) = ((float(value) for value in row) for row in whole)
    return (a, b, e), (d, f, g)


def metres_a_unit(part: Part) -> float:
    """How many metres one unit of a part's uv is, over its whole area."""
    corners, flat = part.vertices[part.faces], part.uv[part.faces]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
    one, two = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    covered = np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]).sum()
    return float(np.sqrt(area / covered)) if covered > 1e-12 else 1.0


def _sides_of(triangles: Array) -> NDArray[np.int64]:
    """Which side of a box each triangle faces, (N,)."""
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    axis = np.abs(normal).argmax(1)
    behind = normal[np.arange(len(normal)), axis] < 0
    return np.asarray(2 * axis + behind, np.int64)
