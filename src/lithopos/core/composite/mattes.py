"""Mattes as coverage, and what stands in front laid over a composed picture.

Where a matte covers a pixel wholly, the photograph's own code stays. At its edge the photograph shows both what stands
in front and what was behind it: the colour of the former is taken from within, so that nothing of the old background
is left beside a model.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import cv2
import numpy as np
from PIL import Image, ImageDraw

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import linear_of
from lithopos.core.composite.fringe import Fringe, fringe_of
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Codes
from lithopos.core.filling import filled
from lithopos.core.layers import Window
from lithopos.core.shot import Matte

FINER, LESS_FINE, MOST_FINE = 4, 2, 24_000_000  # in which edges are told; where that would be so many pixels, less
CURVE_STEPS = 12  # straight pieces between two points of a curved outline
WHOLE = 0.98  # of a pixel: so much covered it shows nothing else
CUT_WIDTH = 900  # pixels across in which a smart outline is cut
CUT_ROUNDS = 4
MARGIN = 0.6  # about the strokes, in their own extent, that is looked at
LEAST_RING = 40  # pixels of the cut picture that a part of a smart outline holds
SIMPLER = 0.6  # how far a found outline may be off its pixels [px of the cut picture]
GUIDED, EPSILON = 3, 1e-4  # of the photograph's pixels, and of its values: how an edge follows the colours
FRINGED_MARGIN = 12  # pixels, and as much as a fringe, beyond it: of what is surely not in front
PASSING_M = 0.05  # within which a thing goes from behind a matte to before it

__all__ = [
    "WHOLE",
    "coverage_of",
    "cut_out",
    "distance_of",
    "fringe_round",
    "front_light",
    "front_of",
    "outline_of",
    "painted",
    "with_rings",
]


def outline_of(matte: Matte) -> list[Array]:
    """A matte's outlines in the photograph's pixels, (N, 2) each; none of a brushed one."""
    if matte.kind == "smart":
        return [np.array(ring, float) for ring in matte.found]
    if matte.kind != "outline":
        return []
    points = np.array(matte.points, float)
    return [_curve(points) if matte.curved else points]


def _curve(points: Array) -> Array:
    """A closed curve through points: Catmull and Rom 1974, A class of local interpolating splines."""
    t = np.linspace(0, 1, CURVE_STEPS, endpoint=False)[:, None]
    before, here, after, beyond = (np.roll(points, shift, axis=0)[:, None] for shift in (1, 0, -1, -2))
    found = 0.5 * (
        2 * here
        + (after - before) * t
        + (2 * before - 5 * here + 4 * after - beyond) * t**2
        + (3 * here - before - 3 * after + beyond) * t**3
    )
    return np.asarray(found.reshape(-1, 2))


def coverage_of(matte: Matte, codes: Codes, window: Window, scale: float) -> Floats:
    """How much of each pixel of a window a matte covers, (H, W).

    Parameters
    ----------
    codes : (H, W, 3) of the window.
    scale : of the picture against the photograph in which the matte is drawn.
    """
    margin = int(np.ceil(3 + GUIDED + scale * (matte.softness_px + abs(matte.choke_px))))
    share = np.zeros((window.height, window.width), np.float32)
    part = _reached(matte, scale, margin).common(window)
    if part is not None:
        share[part.within(window)] = _coverage(matte, codes[part.within(window)], part, scale, margin)
    return share


def _reached(matte: Matte, scale: float, margin: int) -> Window:
    """The window round what a matte covers, at a scale, with a margin [px]."""
    every = [*outline_of(matte), np.full((1, 2), np.nan)]
    for stroke in matte.strokes if matte.kind == "brush" else []:
        points = np.array(stroke.points, float)
        every += [points - stroke.radius_px, points + stroke.radius_px]
    points = np.concatenate(every) * scale
    if np.isnan(points).all():
        return Window(0, 0, 0, 0)
    low, high = np.nanmin(points, axis=0) - margin, np.nanmax(points, axis=0) + margin
    return Window(*np.floor(low).astype(int).tolist(), *np.ceil(high).astype(int).tolist())


def _coverage(matte: Matte, codes: Codes, window: Window, scale: float, margin: int) -> Floats:
    """The same for a window that is not much larger than what is covered."""
    high, wide = window.height + 2 * margin, window.width + 2 * margin
    finer = FINER if high * wide * FINER**2 <= MOST_FINE else LESS_FINE
    corner = np.array([window.x0, window.y0]) - margin
    inside = _inside(matte, corner, scale, finer, (high * finer, wide * finer))
    share = _shaped(inside, matte.softness_px * scale, matte.choke_px * scale, finer)
    share = share[margin : margin + window.height, margin : margin + window.width]
    return _led_by_colours(share, codes) if matte.kind == "smart" else share


def _inside(matte: Matte, corner: Array, scale: float, finer: int, size: tuple[int, int]) -> Mask:
    """What is within a matte, in a picture that begins at a corner [px] and is so many times as fine."""

    def placed(points: Array) -> Array:
        """Points of the photograph in the finer picture."""
        return (points * scale - corner) * finer - 0.5

    inside = np.zeros(size, bool)
    for ring in outline_of(matte):
        inside ^= _filled(placed(ring), size)  # a ring within another is a hole
    for stroke in matte.strokes if matte.kind == "brush" else []:
        under = painted(placed(np.array(stroke.points, float)), stroke.radius_px * scale * finer, size)
        inside = inside | under if stroke.adds else inside & ~under
    return inside


def fringe_round(matte: Matte, codes: Codes, scale: float) -> Fringe | None:
    """What is told of a matte that ends in hair, leaves or bars; None of others.

    Strokes by which a matte was cut are sure.

    Parameters
    ----------
    codes : (H, W, 3) of the whole picture.
    scale : of the picture against the photograph in which the matte is drawn.
    """
    width = matte.fringe_px * scale
    if width <= 0:
        return None
    whole = Window(0, 0, codes.shape[1], codes.shape[0])
    window = _reached(matte, scale, int(np.ceil(2 * width + FRINGED_MARGIN))).common(whole)
    if window is None:
        return None
    corner, size = np.array([window.x0, window.y0]), (window.height, window.width)
    inside = _inside(matte, corner, scale, 1, size)
    away = [cv2.distanceTransform(part.astype(np.uint8), cv2.DIST_L2, 5) for part in (inside, ~inside)]
    # A pixel short of it: one mixed pixel that is called sure spoils all about it.
    within, without = away[0] > width + 1, away[1] > width + 1
    for stroke in matte.strokes if matte.kind == "smart" else []:
        under = painted(np.array(stroke.points, float) * scale - corner - 0.5, stroke.radius_px * scale, size)
        within = within | under if stroke.adds else within & ~under
        without = without & ~under if stroke.adds else without | under
    return fringe_of(codes[window.slices], window, within, without)


def _filled(ring: Array, size: tuple[int, int]) -> Mask:
    """What lies within a ring of points (N, 2)."""
    picture = Image.new("1", size[::-1])
    ImageDraw.Draw(picture).polygon([(float(x), float(y)) for x, y in ring], fill=1)
    return np.asarray(picture)


def painted(line: Array, radius: float, size: tuple[int, int]) -> Mask:
    """What a round brush paints along points (N, 2)."""
    picture = Image.new("1", size[::-1])
    draw = ImageDraw.Draw(picture)
    for x, y in line:
        draw.ellipse((x - radius, y - radius, x + radius, y + radius), fill=1)
    for a, b in itertools.pairwise(line):
        way = b - a
        aside = np.array([-way[1], way[0]]) * radius / max(float(np.hypot(*way)), 1e-9)
        draw.polygon([(float(x), float(y)) for x, y in (a + aside, b + aside, b - aside, a - aside)], fill=1)
    return np.asarray(picture)


def _shaped(inside: Mask, softness: float, choke: float, finer: int) -> Floats:
    """An edge that is so soft and drawn in so far [px], by the distance to it; `inside` is so many times as fine."""
    within = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
    without = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, 5)
    # The package counts pixels that an outline touches as within: half a fine pixel too much.
    half = np.float32(0.5)
    distance = (np.where(inside, within - half, half - without) - half) / np.float32(finer)
    small = cv2.resize(distance, None, fx=1 / finer, fy=1 / finer, interpolation=cv2.INTER_AREA)
    return np.clip(0.5 + (small - choke) / max(softness, 1.0), 0, 1).astype(np.float32)


def _led_by_colours(share: Floats, codes: Codes) -> Floats:
    """An edge that follows the photograph's: He, Sun & Tang 2010, Guided image filtering, equations 5 and 6."""
    near = cv2.dilate((share > 0).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    if not near.any() or (share[near] > 0.99).all():
        return share
    guide = codes.astype(np.float32).mean(-1) / np.float32(np.iinfo(codes.dtype).max)
    size = (2 * GUIDED + 1, 2 * GUIDED + 1)

    def mean(values: Floats) -> Floats:
        return np.asarray(cv2.boxFilter(values, -1, size), np.float32)

    middle, part = mean(guide), mean(share)
    slope = (mean(guide * share) - middle * part) / (mean(guide * guide) - middle**2 + EPSILON)
    led = mean(slope) * guide + mean(part - slope * middle)
    # Only where the cut says that an edge is.
    edge = cv2.blur((share > 0.5).astype(np.float32), size)
    return np.where((edge > 0.02) & (edge < 0.98), np.clip(led, 0, 1), share).astype(np.float32)


def distance_of(matte: Matte, camera: Pinhole) -> float | None:
    """How far away a matte's thing is [m]; None: nobody says.

    Parameters
    ----------
    camera : for the photograph's own size.
    """
    if matte.distance_m is not None or matte.foot is None:
        return matte.distance_m
    at = camera.ground_points(np.array([matte.foot], float))[0]
    return float(np.linalg.norm(at - camera.position)) if np.isfinite(at).all() else None


def front_of(mattes: Sequence[tuple[Floats, float | None]], cover: Floats, depth: Floats | None) -> Floats:
    """How far a window is hidden by what stands in front, (H, W).

    Parameters
    ----------
    mattes : coverages (H, W), each with its distance from the camera [m], if that is known.
    cover : (H, W) how much of a pixel models fill.
    depth : (H, W) their distance [m], where they do.
    """
    whole = np.zeros(cover.shape, np.float32)
    for share, away in mattes:
        hides = share
        if away is not None and depth is not None:
            behind = np.clip((depth - away) / PASSING_M + 0.5, 0, 1)
            # What models do to the place is before nothing that stands there.
            hides = share * np.where(cover > 0, behind, 1)
        whole = np.maximum(whole, hides)
    return whole


def front_light(photograph: Codes, front: Floats, cover: Floats, fringes: Sequence[Fringe] = ()) -> Floats:
    """The linear colours (H, W, 3) of what stands in front, freed of what the photograph shows behind it.

    Where no model is, the photograph's own mixture is right already but for what falls on the place.

    Parameters
    ----------
    fringes : of the same window, where what stands in front is finer than an outline.
    """
    before = linear_of(photograph)
    whole, mixed = front >= WHOLE, (front > 0) & (front < WHOLE)
    own = filled(before, whole) if whole.any() and mixed.any() else before
    for fringe in fringes:
        own = np.where(((fringe.share > 0) & (fringe.share < WHOLE))[..., None], fringe.light, own)
    beside = cover[..., None]
    return np.asarray(beside * own + (1 - beside) * before, np.float32)


def cut_out(matte: Matte, codes: Codes) -> list[list[tuple[float, float]]]:
    """A smart outline's rings: what is cut from the photograph by the colours under its strokes.

    Rother, Kolmogorov & Blake 2004, GrabCut, DOI 10.1145/1015706.1015720.

    Parameters
    ----------
    codes : (H, W, 3) of the photograph in which the strokes are drawn.

    Raises
    ------
    InputError
        If nothing can be told from what is beside it.
    """
    height, width = codes.shape[:2]
    every = np.concatenate([np.array(stroke.points, float) for stroke in matte.strokes])
    reach = max(float(np.ptp(every, axis=0).max()) * MARGIN, max(stroke.radius_px for stroke in matte.strokes) * 6, 20)
    low = np.clip(np.floor(every.min(0) - reach).astype(int), 0, [width - 2, height - 2])
    high = np.clip(np.ceil(every.max(0) + reach).astype(int), low + 2, [width, height])
    part = codes[low[1] : high[1], low[0] : high[0]]
    scale = min(1.0, CUT_WIDTH / max(part.shape[:2]))
    size = max(2, round(part.shape[1] * scale)), max(2, round(part.shape[0] * scale))
    top = np.float32(np.iinfo(codes.dtype).max)
    small = cv2.resize((part.astype(np.float32) / top * 255).astype(np.uint8), size, interpolation=cv2.INTER_AREA)
    told = np.full(small.shape[:2], cv2.GC_PR_BGD, np.uint8)
    for stroke in matte.strokes:
        line = np.round((np.array(stroke.points) - low) * scale * 16).astype(np.int32)
        value = cv2.GC_FGD if stroke.adds else cv2.GC_BGD
        for a, b in zip(line, [*line[1:], line[-1]], strict=True):
            cv2.line(told, a.tolist(), b.tolist(), value, max(1, round(2 * stroke.radius_px * scale)), shift=4)
    if not any(not stroke.adds for stroke in matte.strokes):
        told[0], told[-1], told[:, 0], told[:, -1] = (cv2.GC_BGD,) * 4
    told = _spread(told)
    cv2.setRNGSeed(1)
    try:
        cv2.grabCut(small, told, None, np.zeros((1, 65)), np.zeros((1, 65)), CUT_ROUNDS, cv2.GC_INIT_WITH_MASK)
    except cv2.error as error:
        raise InputError("strokes", "tell too little: draw one inside what stands in front, and one outside") from error
    inside = ((told == cv2.GC_FGD) | (told == cv2.GC_PR_FGD)).astype(np.uint8)
    # Only what hangs together with a stroke: the same colours elsewhere are another thing's.
    _, parts = cv2.connectedComponents(inside)
    inside = (np.isin(parts, np.unique(parts[told == cv2.GC_FGD])) & (parts > 0)).astype(np.uint8)
    rings, _ = cv2.findContours(inside, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    kept = [cv2.approxPolyDP(ring, SIMPLER, True)[:, 0] for ring in rings if cv2.contourArea(ring) >= LEAST_RING]
    kept = [ring for ring in kept if len(ring) >= 3][:400]
    if not kept:
        raise InputError("strokes", "hold nothing that differs from what is beside it")
    return [[(float(x), float(y)) for x, y in (ring + 0.5) / scale + low] for ring in kept]


def with_rings(matte: Matte, codes: Codes, width: int) -> Matte:
    """A smart matte with what is cut out by its strokes, where that is not in it yet; others as they are.

    Parameters
    ----------
    codes : of the photograph at any size; `width` is that in which the strokes are drawn [px].
    """
    if matte.kind != "smart" or matte.found:
        return matte
    scale = codes.shape[1] / width
    strokes = [
        stroke.model_copy(
            update={"points": [(x * scale, y * scale) for x, y in stroke.points], "radius_px": stroke.radius_px * scale}
        )
        for stroke in matte.strokes
    ]
    rings = cut_out(matte.model_copy(update={"strokes": strokes}), codes)
    return matte.model_copy(update={"found": [[(x / scale, y / scale) for x, y in ring] for ring in rings]})


def _spread(told: Codes) -> Codes:
    """Probably inside is what lies nearer to a stroke inside than to one outside; the colours decide."""
    to_inside = cv2.distanceTransform((told != cv2.GC_FGD).astype(np.uint8), cv2.DIST_L2, 5)
    to_outside = cv2.distanceTransform((told != cv2.GC_BGD).astype(np.uint8), cv2.DIST_L2, 5)
    nearer = (told == cv2.GC_PR_BGD) & (to_inside < to_outside)
    return np.where(nearer, cv2.GC_PR_FGD, told).astype(np.uint8)
