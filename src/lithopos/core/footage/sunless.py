"""Where the empty place lies in shade of its own: nobody's shadow can be seen there."""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.derive import Derived, sharp_sun, walls_of
from lithopos.core.place.seen import in_sight, sun_map
from lithopos.core.shot import Shot

OFF_M = 0.05  # off the surface: a shadow map is not finer
BORDER = 1 / 160  # of the picture's width: a drawn shadow's border is never quite where it is seen

__all__ = ["sunless"]


def sunless(shot: Shot, facts: Derived, camera: Pinhole) -> Mask | None:
    """Where (H, W) what is drawn, and the ground, surely get no sun; None where that is not known anywhere.

    Parameters
    ----------
    camera : for the frames' size.
    """
    sun, faces = sharp_sun(shot, facts), walls_of(shot, facts)
    shades = sun_map(faces, sun) if sun is not None else None
    if sun is None or shades is None:
        return None
    sight = in_sight(faces, camera, camera.width)
    height, width = sight.owner.shape
    rows, columns = np.mgrid[:height, :width] + 0.5
    pixels = np.column_stack([columns.ravel(), rows.ravel()])
    places, normals = sight.camera.ground_points(pixels), np.tile([0.0, 0.0, 1.0], (height * width, 1))
    seen = np.flatnonzero(sight.owner.ravel() >= 0)
    places[seen], numbers = sight.places()
    normals[seen] = np.array([face.normal for face in faces])[numbers]
    known = np.isfinite(places).all(1)
    dark = np.zeros(height * width, bool)
    dark[known] = ~shades.lit(places[known] + OFF_M * normals[known]) | (normals[known] @ sun < 0)
    reach = max(2, round(BORDER * width))
    near = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    return cv2.erode(dark.reshape(height, width).astype(np.uint8), near) > 0
