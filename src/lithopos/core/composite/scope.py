"""The tones of what was rendered and of what is around it, in figures to be drawn side by side."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from lithopos.core.arrays import Floats, Mask
from lithopos.core.exchange.picture import Codes

LEVELS, COLUMNS = 64, 48
AROUND = 0.6  # of the rendered things' width and height, that count as around them
LEAST_PX = 50

__all__ = ["Scope", "Tally", "scope_of"]


class Tally(BaseModel):
    """How often each code is there, by channel, from black to white in `LEVELS` steps.

    Attributes
    ----------
    histogram : (3, LEVELS) shares of all pixels.
    waveform : (3, COLUMNS, LEVELS) shares of a column's pixels, from left to right.
    clipped : the share of pixels that are at the top of the scale in some channel.
    low, middle, high : the 1st, 50th and 99th of a hundred by channel [codes of 255].
    """

    histogram: list[list[float]]
    waveform: list[list[list[float]]]
    clipped: float = 0.0
    low: tuple[float, float, float]
    middle: tuple[float, float, float]
    high: tuple[float, float, float]


class Scope(BaseModel):
    """Of what was rendered, and of the photograph around it; None where there is too little."""

    rendered: Tally | None = None
    around: Tally | None = None


def scope_of(codes: Codes, cover: Floats) -> Scope:
    """Tally a finished picture.

    Parameters
    ----------
    codes : (H, W, 3) of the picture.
    cover : (H, W) how much of each pixel is rendered.
    """
    inside = cover > 0.99
    rows, columns = np.nonzero(inside)
    if len(rows) < LEAST_PX:
        return Scope()
    box = (columns.min(), rows.min(), columns.max() + 1, rows.max() + 1)
    wide, high = AROUND * (box[2] - box[0]), AROUND * (box[3] - box[1])
    near = np.zeros_like(inside)
    near[max(0, int(box[1] - high)) : int(box[3] + high), max(0, int(box[0] - wide)) : int(box[2] + wide)] = True
    return Scope(rendered=_tally(codes, inside), around=_tally(codes, near & (cover == 0)))


def _tally(codes: Codes, mask: Mask) -> Tally | None:
    rows, columns = np.nonzero(mask)
    if len(rows) < LEAST_PX:
        return None
    top = int(np.iinfo(codes.dtype).max)
    values = codes[rows, columns].astype(np.float64) / top  # (N, 3)
    first, last = columns.min(), columns.max() + 1
    column = (columns - first) * COLUMNS // (last - first)
    level = np.minimum((values * LEVELS).astype(int), LEVELS - 1)
    counts = np.stack(
        [
            np.bincount(column * LEVELS + level[:, n], minlength=COLUMNS * LEVELS).reshape(COLUMNS, LEVELS)
            for n in range(3)
        ]
    ).astype(float)
    in_column = np.maximum(counts.sum(-1, keepdims=True), 1)
    low, middle, high = ((float(r), float(g), float(b)) for r, g, b in np.percentile(255 * values, (1, 50, 99), axis=0))
    return Tally(
        histogram=(counts.sum(1) / len(rows)).round(5).tolist(),
        waveform=(counts / in_column).round(3).tolist(),
        clipped=float((codes[rows, columns] == top).any(-1).mean()),
        low=low,
        middle=middle,
        high=high,
    )
