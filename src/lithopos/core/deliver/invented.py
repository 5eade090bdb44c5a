"""What lies beyond a photograph, made up: tones that go on from its border, with texture from its mirror image.

The tones are inpainted (Telea 2004, DOI 10.1080/10867651.2004.10487596, as OpenCV has it) in a small copy: far from the
border nothing is known but the large. Texture and grain are those of the mirror image, without its own tones.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from lithopos.core.arrays import Mask
from lithopos.core.exchange.picture import Codes

SMALL_PX, RADIUS_PX = 640, 4  # the small copy's longer side, and how far about a pixel is looked
FINE = 2.0  # small pixels: what is finer is texture

__all__ = ["filled_beyond"]


def filled_beyond(mirrored: Codes, outside: Mask) -> Codes:
    """A picture (H, W, 3) whose outside holds its mirror image so far, with that made up instead."""
    if not outside.any():
        return mirrored
    height, width = outside.shape
    scale = min(1.0, SMALL_PX / max(width, height))
    size = max(8, round(width * scale)), max(8, round(height * scale))
    top = float(np.iinfo(mirrored.dtype).max)
    small = cv2.resize(mirrored, size, interpolation=cv2.INTER_AREA).astype(np.float32) * (255 / top)
    # A pixel that is partly outside is made up as well.
    unknown = cv2.resize(outside.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.01
    made: Any = cv2.inpaint(small.round().astype(np.uint8), unknown.astype(np.uint8), RADIUS_PX, cv2.INPAINT_TELEA)
    tones = np.where(unknown[..., None], made.astype(np.float32), small)
    # What the tones are to be instead of, as coarse: the difference is smooth, and leaves texture and grain alone.
    moved = cv2.GaussianBlur(tones, (0, 0), FINE) - cv2.GaussianBlur(small, (0, 0), FINE)
    moved = cv2.resize(np.where(unknown[..., None], moved, 0), (width, height), interpolation=cv2.INTER_LINEAR)
    new = np.clip(mirrored + moved * np.float32(top / 255), 0, top)
    return np.where(outside[..., None], np.round(new).astype(mirrored.dtype), mirrored)
