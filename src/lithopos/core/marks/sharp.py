"""A drawn stroke refined on the picture: the straight or gently bent edge, or stripe, that lies under it.

Profiles are taken across the stroke at every pixel along it, smoothed along it, and the steepest place of one
dominant sign is found in each to a fraction of a pixel (a parabola through the gradient: Devernay 1995, A
non-maxima suppression method for edge detection with sub-pixel accuracy). A line is fitted to those by reweighted
least squares (Tukey's biweight: Holland & Welsch 1977, DOI 10.1080/03610927708827533). Its own scatter tells
whether an edge is there at all: where it is not, the hand's stroke stays as it was drawn.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array, Floats
from lithopos.core.camera.problem import Pixel

STEP = 0.5  # between samples of a profile [px]
ALONG = 2.5  # how far profiles are smoothed along the stroke, standard deviation [px]
REACHES = (4.5, 2.0)  # how far from the stroke the edge is sought, at first and once it is found [px]
STRIPE_REACH = 9.0
# Of the stroke is left out at each end: there other things cross it; a thing's foot is wider, its shadow's tip soft.
ENDS: dict[str, float] = {"edge": 0.05, "stripe": 0.15}
SHORTEST = 14.0  # [px]
MOST_SCATTER = 0.35  # [px]
LEAST_INLIERS = 0.55
MOST_MOVED, MOST_TILT = 3.5, 2.0  # at an end, by the tilt alone [px]
BENT = 0.25  # how far its middle must lie off the chord to be told as bent [px]…
SURELY_BENT = 4.0  # … and so many deviations of that
MOST_BENT = 0.15  # half the picture's diagonal over its radius: lenses and what is built bend no more
HAND_PX = 0.8  # how far a hand is off, in a stroke's middle and by its tilt
FAINT = 0.35  # beside the clearest edge within reach: what nobody means
SIGNS = (-1, 1)
BESIDE, RIVAL = 1.8, 0.5  # so far from the line [px] no other edge may be so likely…
PAIRED = 0.8  # … but as the other side of a joint
JOINT, ALIKE = 6.0, 0.25  # no wider [px], and what lies beside it no more different than so much of its depth
LEAST_SIGMA = 0.16  # what no fit on a picture is better than [px]
INDEPENDENT = 8.0  # neighbouring places this far apart err on their own [px]: a JPEG errs by blocks of eight
LEAST_CONTRAST = 2.0 / 255
CODE = 0.5 / 255  # by which all of a faint edge may be off together: codes are whole, and a JPEG's rounded further

What = Literal["edge", "stripe", "pale stripe"]
Codes = NDArray[np.uint8] | NDArray[np.uint16]

__all__ = ["SharpLine", "sharpened"]


class SharpLine(BaseModel):
    """A refined stroke: two points, or five where it is bent, and how well each is known across it [px].

    `width_px` is a stripe's, 0 for an edge.
    """

    model_config = ConfigDict(extra="forbid")

    points: Annotated[list[Pixel], Field(min_length=2, max_length=9)]
    sigma_px: Annotated[FiniteFloat, Field(gt=0, le=10)]
    width_px: Annotated[FiniteFloat, Field(ge=0, le=100)] = 0.0


@dataclass(frozen=True)
class _Traced:
    """Offsets across the stroke at places t in -1..1 along it: a + b t + c (t² - 1/3), their scatter, the share of the
    places that agree, and how steep it is there [1/px].
    """

    figures: Array
    scatter: float
    inliers: float
    steepness: float


@dataclass(frozen=True)
class _Meant:
    """An edge near a stroke: its offset in the middle and how much more at the end [px], its sign across.

    `rival` is how likely the likeliest other edge is beside it, `paired` how clear the clearest other.
    """

    offset: float
    tilt: float
    sign: int
    rival: float
    paired: float


def sharpened(picture: Codes, start: Pixel, end: Pixel, what: What) -> SharpLine | None:
    """Refine a stroke on a picture (H, W, 3); None where the picture has no edge, or stripe, there."""
    p, q = np.array(start, float), np.array(end, float)
    length = float(np.linalg.norm(q - p))
    if length < SHORTEST:
        return None
    if what != "edge":
        return _stripe(picture, p, q, (-1, 1) if what == "stripe" else (1, -1))
    meant = _meant(picture, p, q)
    figures = np.array([meant.offset, meant.tilt, 0.0])
    traced: _Traced | None = None
    for _ in range(2):
        profiles, offsets = _profiles(picture, p, q, figures, REACHES[1], ENDS["edge"])
        traced = _fitted(_slope(profiles), offsets, figures, meant.sign, ENDS["edge"])
        if traced is None or traced.inliers < LEAST_INLIERS:
            return None
        figures = traced.figures
    if traced is None or _bend(traced, length) * np.hypot(*picture.shape[:2]) / 2 > MOST_BENT:
        return None
    if meant.paired > PAIRED and (joint := _joint(picture, p, q)):
        return joint
    return None if meant.rival > RIVAL else _told(p, q, traced, 0.0)


def _meant(picture: Codes, p: Array, q: Array) -> _Meant:
    """The edge within a hand's reach that was meant: the clearer, and the nearer to the stroke, the rather."""
    profiles, offsets = _profiles(picture, p, q, np.zeros(3), REACHES[0], ENDS["edge"])
    slope = _slope(profiles)
    places = np.arange(len(slope))
    t = np.linspace(-1 + 2 * ENDS["edge"], 1 - 2 * ENDS["edge"], len(slope))
    offset, tilt = (np.arange(-most, most + STEP / 2, STEP) for most in (MOST_MOVED, MOST_TILT))
    offset, tilt = np.meshgrid(offset, tilt, indexing="ij")
    lines = offset[..., None] + tilt[..., None] * t
    sample = np.clip(np.rint((lines - offsets[0]) / STEP).astype(int), 0, len(offsets) - 1)
    along = slope[places, sample]
    strength = np.stack([np.median(np.maximum(sign * along, 0), axis=-1) for sign in SIGNS])
    strength = np.where(strength < FAINT * strength.max(), 0, strength)
    likely = strength * np.exp(-(offset**2 + tilt**2) / (2 * HAND_PX**2))
    n, i, j = np.unravel_index(int(np.argmax(likely)), likely.shape)
    away = np.abs(offset - offset[i, j]) > BESIDE
    other = np.stack([away | (sign != SIGNS[n]) for sign in SIGNS])
    top = max(float(likely[n, i, j]), 1e-12)
    return _Meant(
        float(offset[i, j]),
        float(tilt[i, j]),
        SIGNS[n],
        float(np.where(other, likely, 0).max()) / top,
        float(np.where(other, strength, 0).max()) / max(float(strength[n, i, j]), 1e-12),
    )


def _joint(picture: Codes, p: Array, q: Array) -> SharpLine | None:
    """The middle of a joint, whose two sides are as strong as one another; None where they are no such pair.

    A narrow face between two edges is none: beside a joint lies the same on both sides.
    """
    level = np.median(_profiles(picture, p, q, np.zeros(3), STRIPE_REACH, ENDS["stripe"])[0], axis=0)
    one, two = float(level[:4].mean()), float(level[-4:].mean())
    depth = max(max(one, two) - float(level.min()), float(level.max()) - min(one, two))
    if abs(one - two) > ALIKE * depth:
        return None
    for signs in ((-1, 1), (1, -1)):
        found = _stripe(picture, p, q, signs)
        if found and found.width_px < JOINT and len(found.points) == 2:
            return found.model_copy(update={"width_px": 0.0})
    return None


def _bend(traced: _Traced, length: float) -> float:
    """One over the radius of a line [1/px]."""
    return 8 * abs(float(traced.figures[2])) / length**2


def _stripe(picture: Codes, p: Array, q: Array, signs: tuple[int, int]) -> SharpLine | None:
    """A stripe's middle: its two sides, each fitted by itself; a dark one's first side falls, its second rises."""
    sides: list[_Traced] = []
    for number, sign in enumerate(signs):
        figures = np.zeros(3)
        traced: _Traced | None = None
        for reach in (STRIPE_REACH, REACHES[1]):
            profiles, offsets = _profiles(picture, p, q, figures, reach, ENDS["stripe"])
            slope = _slope(profiles)
            if reach == STRIPE_REACH:  # the first side lies before the second
                slope = np.where((offsets < 0) if number == 0 else (offsets > 0), slope, 0)
            traced = _fitted(slope, offsets, figures, sign, ENDS["stripe"])
            if traced is None or traced.inliers < LEAST_INLIERS:
                return None
            figures = traced.figures
        if traced is None:
            return None
        sides.append(traced)
    one, two = sides
    width = two.figures - one.figures
    if width[0] - abs(width[1]) < 0.5:
        return None  # the sides cross: that is no stripe
    scatter = float(np.hypot(one.scatter, two.scatter)) / 2
    steepness = min(one.steepness, two.steepness)
    middle = _Traced((one.figures + two.figures) / 2, scatter, min(one.inliers, two.inliers), steepness)
    return _told(p, q, middle, float(width[0]))


def _told(p: Array, q: Array, traced: _Traced, width_px: float) -> SharpLine | None:
    a, b, c = traced.figures
    length = float(np.linalg.norm(q - p))
    moved = max(abs(a - b + c * 2 / 3), abs(a + b + c * 2 / 3))
    if traced.scatter > MOST_SCATTER or moved > MOST_MOVED + width_px / 2:
        return None
    bent = abs(c) > BENT
    places = np.linspace(-1, 1, 5 if bent else 2)
    off = a + b * places + (c * (places**2 - 1 / 3) if bent else 0)
    way = (q - p) / length
    points = (p + q) / 2 + np.outer(places * length / 2, way) + np.outer(off, [-way[1], way[0]])
    independent = max(length * traced.inliers / INDEPENDENT, 3.0)
    # At an end a straight line fitted to n places is known to twice their deviation over √n.
    faint = CODE / traced.steepness
    sigma = np.linalg.norm([2 * traced.scatter / np.sqrt(independent), LEAST_SIGMA, faint]) * np.sqrt(len(places) / 2)
    return SharpLine(points=[(float(x), float(y)) for x, y in points], sigma_px=float(sigma), width_px=width_px)


def _profiles(picture: Codes, p: Array, q: Array, figures: Array, reach: float, ends: float) -> tuple[Floats, Array]:
    """Brightness (places, samples) across a line, 0..1, and the samples' offsets from the stroke's own [px]."""
    length = float(np.linalg.norm(q - p))
    way = (q - p) / length
    t = np.linspace(-1 + 2 * ends, 1 - 2 * ends, max(int(length), 8))
    across = np.arange(-reach - 1, reach + 1 + STEP / 2, STEP)
    centre = (p + q) / 2 + np.outer(t * length / 2, way)
    middle = figures[0] + figures[1] * t + figures[2] * (t**2 - 1 / 3)
    offsets = middle[:, None] + across[None]
    x = centre[:, :1] + offsets * -way[1] - 0.5
    y = centre[:, 1:] + offsets * way[0] - 0.5
    x0, y0 = max(int(x.min()) - 2, 0), max(int(y.min()) - 2, 0)
    x1, y1 = min(int(x.max()) + 3, picture.shape[1]), min(int(y.max()) + 3, picture.shape[0])
    if x1 - x0 < 3 or y1 - y0 < 3:
        return np.zeros((len(t), len(across)), np.float32), across
    # Looked up in the codes themselves: of a long stroke the part of the picture about it is large.
    seen = cv2.remap(
        np.ascontiguousarray(picture[y0:y1, x0:x1]),
        (x - x0).astype(np.float32),
        (y - y0).astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    grey = seen @ (np.array([0.299, 0.587, 0.114], np.float32) / np.float32(np.iinfo(picture.dtype).max))
    smooth = cv2.GaussianBlur(grey, (1, 2 * round(4 * ALONG) + 1), sigmaX=0.1, sigmaY=ALONG)
    return np.asarray(smooth, np.float32), across


def _slope(profiles: Floats) -> Floats:
    """The gradient across, (places, samples)."""
    return np.asarray(cv2.GaussianBlur(np.gradient(profiles, STEP, axis=1).astype(np.float32), (5, 1), 1.0), np.float32)


def _fitted(slope: Floats, across: Array, figures: Array, sign: int, ends: float) -> _Traced | None:
    """A line through the steepest places of one sign."""
    signed = np.maximum(sign * slope[:, 1:-1], 0)
    at = np.argmax(signed, axis=1)
    rows = np.arange(len(signed))
    height = signed[rows, at]
    good = (at > 0) & (at < signed.shape[1] - 1) & (height > LEAST_CONTRAST)
    if np.count_nonzero(good) < 8:
        return None
    left, right = signed[rows[good], at[good] - 1], signed[rows[good], at[good] + 1]
    bow = left - 2 * height[good] + right
    shift = np.where(np.abs(bow) > 1e-9, 0.5 * (left - right) / np.where(np.abs(bow) > 1e-9, bow, 1), 0)
    t = np.linspace(-1 + 2 * ends, 1 - 2 * ends, len(signed))[good]
    start = figures[0] + figures[1] * t + figures[2] * (t**2 - 1 / 3)
    offset = start + across[1:-1][at[good]] + np.clip(shift, -1, 1) * STEP
    basis = np.column_stack([np.ones_like(t), t, t**2 - 1 / 3])
    weight = height[good] / height[good].max()
    keep = np.ones(len(t))
    straight: _Traced | None = None
    for number in range(12):
        use = basis[:, :2] if number < 6 else basis
        w = np.sqrt(weight * keep)
        found = np.linalg.lstsq(use * w[:, None], offset * w, rcond=None)[0]
        solved = np.concatenate([found, np.zeros(3 - len(found))])
        off = np.abs(offset - basis @ solved)
        scatter = max(1.4826 * float(np.median(off)), 0.02)
        limit = 4.0 * max(scatter, 0.1)
        keep = np.where(off < limit, (1 - (off / limit) ** 2) ** 2, 0)
        if keep.sum() < 6:
            return straight
        if number in (5, 11):
            used = off < 3 * max(scatter, 0.1)
            told = float(np.sqrt(np.mean(off[used] ** 2))) if used.any() else np.inf
            steepness = float(np.median(height[good][used])) if used.any() else LEAST_CONTRAST
            traced = _Traced(solved, told, float(used.sum()) / len(signed), steepness)
            if number == 5:
                straight = traced
    # A middle off the chord by c is known to 3.4 deviations over √n.
    independent = max(len(signed) * traced.inliers / INDEPENDENT, 3.0)
    bent = abs(traced.figures[2]) > SURELY_BENT * 3.4 * traced.scatter / np.sqrt(independent)
    return traced if bent or straight is None else straight
