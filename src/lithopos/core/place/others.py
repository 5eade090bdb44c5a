"""A place as other photographs of its site show it: what lies behind the camera, and the backs of what stands there.

How bright another photograph is beside this one is told by the ground that both of them show.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import REC709
from lithopos.core.place.face import Face
from lithopos.core.place.lookup import looked_up
from lithopos.core.place.seen import InSight, grown, in_sight

ACROSS = 96  # places along and across this photograph at which the two are compared
COMPARED_PX = 480  # width of the pictures in which they are: finer ones would ask for better cameras
FARTHEST_M = 40.0  # beyond which a pixel is metres of ground
DARKEST, BRIGHTEST = 0.004, 0.9  # linear: what is neither drowned nor clipped
ROW = 512
LEAST_SHARED = 60  # places
UNALIKE = 0.5  # deviation of the logarithm of what the one shows beside the other, at which they show two things

__all__ = ["Other", "View", "beside", "shown_by"]


@dataclass(frozen=True)
class View:
    """A photograph of the place.

    Attributes
    ----------
    linear : (H, W, 3) its linear values.
    camera : for its size, in the frame of the place.
    """

    linear: Floats
    camera: Pinhole


@dataclass(frozen=True)
class Other:
    """Another photograph of the place, its values as this photograph would have them.

    `sight` tells which of the place's sides it shows.
    """

    linear: Floats
    camera: Pinhole
    sight: InSight


def shown_by(others: Sequence[Other], values: Floats, known: Mask, points: Array, own: int = -1) -> tuple[Floats, Mask]:
    """What places show, with what others show of those that this photograph does not.

    Parameters
    ----------
    values, known : (rows, columns, 3) what this photograph shows, and where it does.
    points : (rows, columns, 3) the places [m], on a side of the number `own`, -1 on the ground.
    """
    for other in others:
        if known.all():
            break
        asked = points[~known]
        # In rows of a picture: a single row of all would be too long for the looking up.
        seen, there = looked_up(other.linear, other.camera, np.resize(asked, (-(-len(asked) // ROW), ROW, 3)))
        hidden = np.zeros(known.shape, np.uint8)
        hidden[~known] = other.sight.owners(asked) != own
        new = ~known & ~grown(hidden)
        new[~known] &= there.ravel()[: len(asked)]
        shown = np.zeros_like(values)
        shown[~known] = seen.reshape(-1, 3)[: len(asked)]
        values, known = np.where(new[..., None], shown, values), known | new
    return values, known


def beside(this: View, others: Iterable[View], faces: Sequence[Face]) -> list[Other | None]:
    """Other photographs, made as bright as this one; None for those that share too little ground to tell how bright.

    Parameters
    ----------
    faces : the sides of what stands there and hides ground.
    """
    at = _ground_of(this.camera)
    own = _shown_at(this, at, faces)
    return [_alike(own, other, at, faces) for other in others]


def _alike(own: tuple[Floats, Mask], other: View, at: Array, faces: Sequence[Face]) -> Other | None:
    values, shown = _shown_at(other, at, faces)
    both = shown & own[1]
    if np.count_nonzero(both) < LEAST_SHARED:
        return None
    ratio = np.log(own[0][both] / values[both])
    light = ratio @ REC709
    if 1.4826 * np.median(np.abs(light - np.median(light))) > UNALIKE:
        return None
    linear = np.asarray(other.linear * np.exp(np.median(ratio, axis=0)), np.float32)
    return Other(linear, other.camera, in_sight(faces, other.camera))


def _shown_at(view: View, at: Array, faces: Sequence[Face]) -> tuple[Floats, Mask]:
    """What a photograph shows at places (N, 3) of the ground, and where that can be compared."""
    small = _small(view)
    values, known = looked_up(small.linear, small.camera, at[None])
    usable = ((values[0] > DARKEST) & (values[0] < BRIGHTEST)).all(1)
    return values[0], known[0] & usable & (in_sight(faces, small.camera).owners(at) < 0)


def _ground_of(camera: Pinhole) -> Array:
    """Places (N, 3) of the ground that a photograph shows, evenly spread over it."""
    x = (np.arange(ACROSS) + 0.5) / ACROSS
    across, down = np.meshgrid(x * camera.width, x * camera.height)
    points = camera.ground_points(np.column_stack([across.ravel(), down.ravel()]))
    near = np.linalg.norm(points - camera.position, axis=1) < FARTHEST_M  # no for NaN
    return np.asarray(points[near])


def _small(view: View) -> View:
    scale = min(1.0, COMPARED_PX / view.camera.width)
    camera = view.camera.scaled(scale)
    size = (camera.width, camera.height)
    return View(np.asarray(cv2.resize(view.linear, size, interpolation=cv2.INTER_AREA), np.float32), camera)
