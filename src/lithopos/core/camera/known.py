"""A camera that was matched elsewhere."""

from __future__ import annotations

import numpy as np

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import KnownCamera

__all__ = ["pinhole_known"]


def pinhole_known(known: KnownCamera, width: int, height: int) -> Pinhole:
    """A camera that is known from elsewhere, for a picture of a size."""
    size = known.image
    point = known.principal_point or (size.width / 2, size.height / 2)
    # The nearest rotation: figures come rounded.
    left, _, right = np.linalg.svd(np.array(known.rotation))
    rotation, position = left @ right, np.array(known.camera_position)
    camera = Pinhole(known.focal_px, np.array(point), rotation, position, size.width, size.height, known.distortion_k1)
    return camera.sized(width, height)
