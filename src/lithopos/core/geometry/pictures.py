"""Pictures on models: of few formats, by content, of a bounded size."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from lithopos.core.arrays import Floats

FORMATS = ["PNG", "JPEG", "WEBP"]
MOST_PIXELS = 100_000_000

__all__ = ["FORMATS", "MOST_PIXELS", "is_texture", "read_texture"]


def is_texture(data: bytes) -> bool:
    """Whether some bytes begin as a picture that is read, of a size that is read."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            return picture.width * picture.height <= MOST_PIXELS
    except (OSError, SyntaxError, ValueError):
        return False


def read_texture(data: bytes) -> Floats | None:
    """Encoded values 0..1, (H, W, 4); None where it can't be read."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                return None
            return np.asarray(picture.convert("RGBA"), np.float32) / np.float32(255)
    except (OSError, SyntaxError, ValueError):
        return None
