"""Where the empty place lies in shade of its own: nobody's shadow can be seen there."""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.derive import Derived, sharp_sun, walls_of
from lithopos.core.place.face import reach_to
from lithopos.core.place.seen import OFF_M, in_sight, sun_map
from lithopos.core.shot import Shot

WIDEST = 480  # pixels across in which it is told
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
    whole = (camera.width, camera.height)
    if camera.width > WIDEST:
        camera = camera.sized(WIDEST, max(1, round(WIDEST * camera.height / camera.width)))
    owner = in_sight(faces, camera, camera.width).pictured()
    height, width = owner.shape
    rows, columns = np.mgrid[:height, :width] + 0.5
    pixels, own = np.column_stack([columns.ravel(), rows.ravel()]), owner.ravel()
    places, normals = camera.ground_points(pixels), np.tile([0.0, 0.0, 1.0], (len(pixels), 1))
    for number in np.unique(own[own >= 0]):
        mine, face = own == number, faces[number]
        ways = camera.rays(pixels[mine])
        places[mine] = camera.position + reach_to(face, camera.position, ways)[:, None] * ways
        normals[mine] = face.normal
    known = np.isfinite(places).all(1)
    dark = np.zeros(len(pixels), bool)
    dark[known] = ~shades.lit(places[known] + OFF_M * normals[known]) | (normals[known] @ sun < 0)
    border = max(2, round(BORDER * width))
    near = np.ones((2 * border + 1, 2 * border + 1), np.uint8)
    surely = cv2.erode(dark.reshape(height, width).astype(np.uint8), near)
    return np.asarray(cv2.resize(surely, whole, interpolation=cv2.INTER_NEAREST) > 0)
