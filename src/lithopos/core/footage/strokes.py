"""Strokes on single frames that say who is in front, carried to the neighbours with whoever they are on."""

from __future__ import annotations

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.footage.front import Verdict
from lithopos.core.footage.shadows import shade_of
from lithopos.core.footage.study import stroke_mask
from lithopos.core.shot import FrontStroke

CARRIED_PX = 0.06  # of the picture's width: somebody so near takes a stroke along

__all__ = ["Carried"]


class Carried:
    """Strokes on single frames, carried to the neighbours with whoever they are on."""

    def __init__(self, strokes: list[FrontStroke], scale: float) -> None:
        self.strokes, self.scale = strokes, scale
        # By frame: everybody's box (left, upper, wide, high) and middle.
        self.known: dict[int, tuple[Array, Array]] = {}
        self.shapes: tuple[int, int] = (0, 0)

    def note(self, number: int, somebody: Mask) -> None:
        """Remember where everybody is in a frame."""
        self.shapes = (somebody.shape[0], somebody.shape[1])
        count, _, told, middles = cv2.connectedComponentsWithStats(somebody.astype(np.uint8))
        self.known[number] = np.asarray(told[1:count, :4], float), np.asarray(middles[1:count])

    def corrected(self, number: int, verdict: Verdict, frame: Floats, plate: Floats) -> Verdict:
        """A frame's verdict with all strokes that reach it, in their order."""
        somebody, shade = verdict.somebody.copy(), verdict.shade.copy()
        height, width = somebody.shape
        for stroke in self.strokes:
            if abs(stroke.frame - number) > stroke.reach:
                continue
            points = np.asarray(stroke.points, float) * self.scale
            points = points + self._way(points.mean(0), stroke.frame, number)
            under = stroke_mask(points, stroke.radius_px * self.scale, height, width) > 0.5
            if stroke.says == "in":
                somebody |= under
                shade[under] = 1.0
            else:
                somebody &= ~under
                shade[under] = 1.0 if stroke.says == "shadow" else shade_of(frame, plate)[under]
        return Verdict(somebody, shade)

    def _way(self, at: Array, from_frame: int, to_frame: int) -> Array:
        """How whoever is nearest has moved between two frames, step by step; nobody near: nothing."""
        boxes, middles = self.known.get(from_frame, (np.zeros((0, 4)), np.zeros((0, 2))))
        if not len(boxes):
            return np.zeros(2)
        beside = np.maximum(np.maximum(boxes[:, :2] - at, at - boxes[:, :2] - boxes[:, 2:]), 0)
        away, near = np.linalg.norm(beside, axis=1), CARRIED_PX * self.shapes[1]
        if away.min() > near:
            return np.zeros(2)
        begin = middle = middles[int(away.argmin())]
        step = 1 if to_frame > from_frame else -1
        for number in range(from_frame + step, to_frame + step, step):
            _, middles = self.known.get(number, (boxes, np.zeros((0, 2))))
            away = np.linalg.norm(middles - middle, axis=1)
            if not len(away) or away.min() > 4 * near:
                break
            middle = middles[int(away.argmin())]
        return np.asarray(middle - begin)
