"""Who is in front in a frame, as a file: packed, and only the part in which anything is told."""

from __future__ import annotations

import zlib
from pathlib import Path
from typing import IO

import numpy as np

from lithopos.core.arrays import largest_channel
from lithopos.core.composite.parts import extent
from lithopos.core.exchange.picture import codes_of
from lithopos.core.footage.front import Front

__all__ = ["keep_front", "kept_front"]


def keep_front(front: Front, file: IO[bytes]) -> None:
    """Keep the part of a front where it tells anything."""
    rows, columns = extent((front.labels > 0) | largest_channel(front.shade != 1), 0)
    part = front.within((rows, columns))
    shade = (np.clip(part.shade, 0, 1.27) * np.float32(200) + np.float32(0.5)).astype(np.uint8)
    # Like beside like packs better, and faster.
    codes = np.stack([codes_of(part.alpha, np.dtype(np.uint8)), *np.moveaxis(shade, 2, 0)])
    packed = zlib.compress(codes.tobytes() + part.labels.astype(np.uint16).tobytes(), 1)
    box = (*front.alpha.shape, rows.start, rows.stop, columns.start, columns.stop)
    np.savez(file, box=box, packed=np.frombuffer(packed, np.uint8))


def kept_front(path: Path) -> Front:
    """A front that was kept, to within half a code."""
    with np.load(path, allow_pickle=False) as kept:
        height, width, *box = kept["box"].tolist()
        data = zlib.decompress(kept["packed"].tobytes())
    part = slice(*box[:2]), slice(*box[2:])
    shape = (box[1] - box[0], box[3] - box[2])
    codes = np.frombuffer(data, np.uint8, 4 * shape[0] * shape[1]).reshape(4, *shape)
    alpha, labels = np.zeros((height, width), np.float32), np.zeros((height, width), np.int32)
    shade = np.ones((height, width, 3), np.float32)
    alpha[part] = codes[0] / np.float32(255)
    shade[part] = np.moveaxis(codes[1:], 0, 2) / np.float32(200)
    labels[part] = np.frombuffer(data, np.uint16, offset=codes.size).reshape(shape)
    return Front(alpha, shade, labels)
