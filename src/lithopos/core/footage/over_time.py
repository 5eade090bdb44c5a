"""What the frames before and after tell of who is there, carried along as the picture moves.

A dark leg before dark ground is doubtful in one frame and sure in the next. How things move is told by dense inverse
search (Kroeger, Timofte, Dai & Van Gool 2016, DOI 10.1007/978-3-319-46493-0_29); what is carried counts as far as it
looks like what is there, and as a frame is in doubt itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Floats, largest_channel
from lithopos.core.exchange.picture import Codes
from lithopos.core.footage.colours import MOST_ODDS

ALIKE, ALIKE_NOISE = 9.0, 3.0  # codes, and standard deviations of noise, by which what is carried may look otherwise
IN_DOUBT = 2.0  # times as much as its own word counts that of each frame beside one that can't tell at all
NEAR = 3  # pixels across by which it is told

__all__ = ["Noted", "agreed"]


@dataclass(frozen=True)
class Noted:
    """A frame, and how much likelier somebody is at its pixels than the place, by it alone.

    Attributes
    ----------
    codes : (H, W, 3) of 8 or 16 bits.
    odds : (H, W) natural logarithms.
    """

    codes: Codes
    odds: Floats


def agreed(own: Noted, beside: Sequence[Noted], sigma: float) -> Floats:
    """Log odds (H, W) of a frame and of those beside it in time.

    Parameters
    ----------
    sigma : standard deviation of noise, of encoded values 0..1.
    """
    here = _of_8_bits(own.codes)
    grey = cv2.cvtColor(here, cv2.COLOR_RGB2GRAY)
    y, x = np.mgrid[: grey.shape[0], : grey.shape[1]].astype(np.float32)
    sums, counts = own.odds.copy(), np.ones_like(own.odds)
    alike = ALIKE + ALIKE_NOISE * 255 * sigma
    open_to = IN_DOUBT * (1 - np.minimum(np.abs(own.odds) / np.float32(MOST_ODDS), 1))
    for other in beside:
        there = _of_8_bits(other.codes)
        # One for each: it holds what it works with.
        search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
        dx, dy = cv2.split(search.calc(grey, cv2.cvtColor(there, cv2.COLOR_RGB2GRAY), None))
        way = (x + dx, y + dy, cv2.INTER_LINEAR)
        off = largest_channel(cv2.absdiff(cv2.remap(there, *way, borderMode=cv2.BORDER_REPLICATE), here))
        off = cv2.blur(off.astype(np.float32), (NEAR, NEAR)) / np.float32(alike)
        share = open_to * np.exp(-(off**2))
        sums += share * cv2.remap(other.odds, *way, borderMode=cv2.BORDER_REPLICATE)
        counts += share
    return sums / counts


def _of_8_bits(codes: Codes) -> Codes:
    return (codes >> 8).astype(np.uint8) if codes.dtype == np.uint16 else codes
