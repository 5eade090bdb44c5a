"""What a composite does to its photograph, shown by itself."""

from __future__ import annotations

import numpy as np

from lithopos.core.exchange.picture import Codes

GREY = 128

__all__ = ["changes_of"]


def changes_of(made: Codes, photograph: Codes, times: float) -> Codes:
    """The difference of a composite and its photograph on middle grey, so many times as strong, (H, W, 3) in 8 bits.

    A pixel that nothing touches is exactly the grey; darker is taken away, brighter is added.
    """
    depth = [255 / np.iinfo(codes.dtype).max for codes in (made, photograph)]
    change = made.astype(np.float32) * np.float32(depth[0]) - photograph.astype(np.float32) * np.float32(depth[1])
    return np.clip(GREY + times * change + 0.5, 0, 255).astype(np.uint8)
