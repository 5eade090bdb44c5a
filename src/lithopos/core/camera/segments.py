"""Straight line segments of a photograph, for edges to be found among and drawn onto.

Source of the detector: Grompone von Gioi et al. 2012 (DOI 10.5201/ipol.2012.gjmr-lsd), as OpenCV has it.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array

DETECT_SIDE = 1280  # longer side at which segments are sought [px]
MOST_SEGMENTS = 420
_MOST_JOINED = 1200

__all__ = ["DETECT_SIDE", "detect_segments"]


def detect_segments(picture: NDArray[np.uint8]) -> Array:
    """Straight segments (N, 2, 2) [px], the longest first."""
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY) if picture.ndim == 3 else picture
    height, width = grey.shape
    shrink = min(DETECT_SIDE / max(height, width), 1.0)
    small = cv2.resize(grey, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA) if shrink < 1 else grey
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(small)[0]
    if found is None:
        return np.zeros((0, 2, 2))
    ends = (found.reshape(-1, 2, 2).astype(float) + 0.5) * [width / small.shape[1], height / small.shape[0]]
    ends = _joined(ends, 1.2 / shrink)
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    order = np.argsort(-length)
    shortest = 0.014 * np.hypot(width, height)
    return np.asarray(ends[order][length[order] > shortest][:MOST_SEGMENTS])


def _joined(ends: Array, apart: float) -> Array:
    """Segments with pieces of one line, close behind one another, made one.

    Parameters
    ----------
    apart : how far a piece may lie off the longer one's line [px].
    """
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    order = np.argsort(-length)[: np.count_nonzero(length > 6 * apart)][:_MOST_JOINED]
    x1, y1, x2, y2 = ends[order].reshape(-1, 4).T
    gone = np.zeros(len(order), bool)
    joined = []
    for i in range(len(order)):
        if gone[i]:
            continue
        reach = np.hypot(x2[i] - x1[i], y2[i] - y1[i])
        wx, wy = (x2[i] - x1[i]) / reach, (y2[i] - y1[i]) / reach
        dx1, dy1, dx2, dy2 = x1[i:] - x1[i], y1[i:] - y1[i], x2[i:] - x1[i], y2[i:] - y1[i]
        on_line = (np.abs(dx1 * wy - dy1 * wx) < apart) & (np.abs(dx2 * wy - dy2 * wx) < apart) & ~gone[i:]
        low, high = 0.0, float(reach)
        pieces = np.flatnonzero(on_line)[1:]
        spans = np.sort(np.column_stack([dx1 * wx + dy1 * wy, dx2 * wx + dy2 * wy])[pieces], axis=1)
        for j in np.argsort(np.abs(spans.mean(1) - high / 2)):
            a, b = spans[j]
            if a - high < 0.35 * (b - a) and low - b < 0.35 * (b - a):
                low, high = min(low, float(a)), max(high, float(b))
                gone[i + pieces[j]] = True
        joined.append([[x1[i] + low * wx, y1[i] + low * wy], [x1[i] + high * wx, y1[i] + high * wy]])
    return np.array(joined).reshape(-1, 2, 2)
