"""Pictures on models: of few formats, by content, of a bounded size."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from lithopos.core.arrays import Floats

FORMATS = ["PNG", "JPEG", "WEBP"]
MOST_PIXELS = 100_000_000

__all__ = ["read_texture"]


def read_texture(data: bytes) -> Floats | None:
    """Encoded values 0..1, (H, W, 4); None where it can't be read."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                return None
            return np.asarray(picture.convert("RGBA"), np.float32) / np.float32(255)
    except (OSError, SyntaxError, ValueError):
        return None
