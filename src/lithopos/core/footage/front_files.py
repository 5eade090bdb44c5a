"""Who is in front in a frame, as a file: packed, and only the pixels of which anything is told."""

from __future__ import annotations

import zlib
from pathlib import Path
from typing import IO

import numpy as np

from lithopos.core.arrays import largest_channel
from lithopos.core.exchange.picture import codes_of
from lithopos.core.footage.front import Front

__all__ = ["keep_front", "kept_front"]


def keep_front(front: Front, file: IO[bytes]) -> None:
    """Keep what a front tells, at the pixels where it tells anything."""
    where = (front.labels > 0) | largest_channel(front.shade != 1)
    index = np.flatnonzero(where)
    shade = np.take(front.shade.reshape(-1, 3), index, axis=0)
    shade = (np.clip(shade, 0, 1.27) * np.float32(200) + np.float32(0.5)).astype(np.uint8)
    alpha = codes_of(np.take(front.alpha, index), np.dtype(np.uint8))
    labels = np.take(front.labels, index).astype(np.uint16)
    # Like beside like packs better, and faster.
    parts = (np.packbits(where), alpha, *shade.T, labels)
    packed = zlib.compress(b"".join(one.tobytes() for one in parts), 1)
    np.savez(file, shape=where.shape, packed=np.frombuffer(packed, np.uint8))


def kept_front(path: Path) -> Front:
    """A front that was kept, to within half a code."""
    with np.load(path, allow_pickle=False) as kept:
        height, width = kept["shape"].tolist()
        data = np.frombuffer(zlib.decompress(kept["packed"].tobytes()), np.uint8)
    packed = -(-height * width // 8)
    index = np.flatnonzero(np.unpackbits(data[:packed], count=height * width))
    rest = data[packed:]
    alpha, labels = np.zeros((height, width), np.float32), np.zeros((height, width), np.int32)
    shade = np.ones((height, width, 3), np.float32)
    codes = rest[: 4 * len(index)].reshape(4, -1)
    alpha.ravel()[index] = codes[0] / np.float32(255)
    shade.reshape(-1, 3)[index] = codes[1:].T / np.float32(200)
    labels.ravel()[index] = np.frombuffer(rest[4 * len(index) :].tobytes(), np.uint16)
    return Front(alpha, shade, labels)
