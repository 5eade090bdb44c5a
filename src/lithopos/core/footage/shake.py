"""How a camera on a stand trembles: each frame's shift, turn and breathing against the reference frame.

The alignment minimises squared differences of brightness over a similarity and a gain (Baker & Matthews 2004,
Lucas-Kanade 20 years on, DOI 10.1023/B:VISI.0000011205.11775.fd, sections 3.2 and 4), with Tukey's weights, so that
what moves by itself does not count.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.exchange.picture import Codes, encoded_of

STEADY, LEAST_STEADY_PX = 0.008, 6.0  # of the picture's diagonal: a camera that moves more stands on no stand
ROUNDS, ENOUGH = 12, 3e-3  # px
WIDEST = 1280  # pixels across in which it is told
MOST_ASKED = 12_000  # pixels by which it is told
TEXTURED = 0.7  # of all pixels, the least steep: they tell nothing
TUKEY = 4.685  # of a robust standard deviation (Huber 1981)

__all__ = ["Moved", "Reference", "brought_to", "farthest_px", "inverse", "most_px"]


@dataclass(frozen=True)
class Moved:
    """How a frame lies against the reference frame: what was at p is at c + s R (p − c) + t, c its middle.

    Attributes
    ----------
    x, y : t [px]; `turn`: of R, clockwise on the screen [rad]; `grown`: s − 1.
    """

    x: float = 0.0
    y: float = 0.0
    turn: float = 0.0
    grown: float = 0.0

    def matrix(self, width: int, height: int) -> Array:
        """(2, 3) from the reference frame's pixels to this one's, in pixels counted from the middle of the first."""
        cx, cy = (width - 1) / 2, (height - 1) / 2
        c, s = (1 + self.grown) * np.cos(self.turn), (1 + self.grown) * np.sin(self.turn)
        return np.array([[c, -s, cx - c * cx + s * cy + self.x], [s, c, cy - s * cx - c * cy + self.y]])

    def scaled(self, share: float) -> Moved:
        """The same in a picture of another size."""
        return Moved(self.x * share, self.y * share, self.turn, self.grown)


def inverse(matrix: Array) -> Array:
    """The way back of a (2, 3) matrix."""
    return np.asarray(cv2.invertAffineTransform(matrix))


def brought_to(
    picture: Floats, matrix: Array, part: tuple[slice, slice] | None = None, how: int = cv2.INTER_CUBIC
) -> Floats:
    """A picture moved by a matrix, or only a part of that; beyond its border it goes on as it ended."""
    rows, columns = part or (slice(0, picture.shape[0]), slice(0, picture.shape[1]))
    there = np.column_stack([matrix[:, :2], matrix[:, 2] - [columns.start, rows.start]])
    size = (columns.stop - columns.start, rows.stop - rows.start)
    made = cv2.warpAffine(picture, there, size, flags=how, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)


def most_px(width: int, height: int) -> float:
    """How far a camera on a stand may move."""
    return max(LEAST_STEADY_PX, STEADY * float(np.hypot(width, height)))


def farthest_px(moved: Moved, width: int, height: int) -> float:
    """How far the corner that moves most is from where it was."""
    corners = np.array([[0, 0, 1], [width, 0, 1], [0, height, 1], [width, height, 1]], float)
    return float(np.linalg.norm(corners @ moved.matrix(width, height).T - corners[:, :2], axis=1).max())


class Reference:
    """The frame to which others are brought."""

    def __init__(self, codes: Codes) -> None:
        self.height, self.width = codes.shape[:2]
        self.share = min(1.0, WIDEST / self.width)
        self.grey = self._grey(codes)
        height, width = self.grey.shape
        gx, gy = (cv2.Scharr(self.grey, cv2.CV_32F, *way) / 32 for way in ((1, 0), (0, 1)))
        steep = np.hypot(gx, gy)
        inside = np.zeros((height, width), bool)
        inside[8:-8, 8:-8] = True
        chosen = inside & (steep >= np.quantile(steep[8:-8, 8:-8], TEXTURED))
        each = max(1, int(chosen.sum()) // MOST_ASKED)
        y, x = (one[::each] for one in np.nonzero(chosen))
        self.places = np.stack([x, y, np.ones_like(x)]).astype(float)
        dx, dy = x - (width - 1) / 2, y - (height - 1) / 2
        gx, gy, told = gx[y, x], gy[y, x], self.grey[y, x]
        self.slopes = np.stack([gx, gy, dx * gy - dy * gx, dx * gx + dy * gy, told, np.ones_like(told)], 1).astype(
            float
        )
        self.told = told.astype(float)

    def _grey(self, codes: Codes) -> Floats:
        grey = cv2.cvtColor(encoded_of(codes), cv2.COLOR_RGB2GRAY)
        if self.share < 1:
            grey = cv2.resize(grey, None, fx=self.share, fy=self.share, interpolation=cv2.INTER_AREA)
        return np.asarray(cv2.GaussianBlur(grey, (0, 0), 1.0), np.float32)

    def moved(self, codes: Codes) -> Moved:
        """How a frame lies against this one, sought from a coarse look at the whole."""
        grey = self._grey(codes)
        height, width = grey.shape
        at = self._guessed(grey)
        found = np.array([at.x, at.y, at.turn, at.grown])
        for _ in range(ROUNDS):
            there = Moved(*map(float, found)).matrix(width, height)
            left = self._seen(grey, there) - self.told
            step = self._step(left)
            # Composed with the inverse of the small step (Baker & Matthews, 3.2).
            found -= step
            if np.hypot(step[0], step[1]) < ENOUGH and abs(step[2]) * width < ENOUGH:
                break
        return Moved(*map(float, found)).scaled(1 / self.share)

    def _seen(self, grey: Floats, there: Array) -> Array:
        """What a frame shows where the reference frame's pixels went."""
        x, y = (there @ self.places).astype(np.float32)
        return cv2.remap(grey, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE).ravel().astype(float)

    def _step(self, left: Array) -> Array:
        scale = max(1.4826 * float(np.median(np.abs(left - np.median(left)))), 1e-5)
        weights = np.ones_like(left)
        solved = np.zeros(6)
        for _ in range(3):
            slopes = self.slopes * weights[:, None]
            normal = self.slopes.T @ slopes
            solved = np.linalg.solve(normal + 1e-9 * np.trace(normal) * np.eye(6), slopes.T @ left)
            rest = left - self.slopes @ solved
            scale = max(1.4826 * float(np.median(np.abs(rest))), 1e-5)
            weights = np.clip(1 - (rest / (TUKEY * scale)) ** 2, 0, None) ** 2
        return np.asarray(solved[:4])

    def _guessed(self, grey: Floats) -> Moved:
        """By the phases of both, in a small copy (Kuglin & Hines 1975)."""
        few = min(1.0, 480 / grey.shape[1])
        small = [cv2.resize(one, None, fx=few, fy=few, interpolation=cv2.INTER_AREA) for one in (self.grey, grey)]
        slopes = [cv2.Laplacian(one, cv2.CV_32F) for one in small]
        window = cv2.createHanningWindow((slopes[0].shape[1], slopes[0].shape[0]), cv2.CV_32F)
        (x, y), _ = cv2.phaseCorrelate(slopes[0], slopes[1], window)
        return Moved(x / few, y / few)
