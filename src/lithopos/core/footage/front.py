"""Who passes in front of the place: how much of each pixel they fill, and where they darken it.

A frame differs from the clean plate by its noise, by shadows, or because somebody is there. What neither noise nor a
shadow explains is somebody; once their colours are learnt, these decide where it could be either, the frames before and
after with them (`over_time.py`). Then their edges are told (`edges.py`), and how dark the place is under them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lithopos.core.arrays import Floats, Mask, largest_channel, on_channels
from lithopos.core.colour import encode_srgb
from lithopos.core.composite.parts import extent
from lithopos.core.footage.colours import MOST_ODDS, SURE_ODDS, Colours, guided, log_odds
from lithopos.core.footage.edges import soft_edge
from lithopos.core.footage.shadows import LIGHTEST, UNLIT, Looks, shadowed

SOMEBODY = 3.6  # what neither noise nor shadow explains, of noise variances a channel
SMOOTH_PX = 1.1  # how far the verdicts of neighbours count
LEAST = 2.5e-4  # of all pixels: somebody fills so many
HOLE = 0.06  # of somebody: a smaller hole in them is none
SEEN_THROUGH, BARE = 16, 1.5  # but one of so many pixels that shows the place, to within so many noise variances
MARGIN_PX = 24  # about what is looked at
BAND_PX = 0.0021  # of the picture's width: how far from a verdict's border its edge is sought
SHADE_PX = 1.2  # how far a shade is smoothed

Part = tuple[slice, slice]

__all__ = ["Front", "Part", "Verdict", "front_of_frame", "judged", "odds_alone", "people_of"]


@dataclass(frozen=True)
class Verdict:
    """What a frame shows, before its edges are told.

    Attributes
    ----------
    somebody : (H, W) where somebody is.
    shade : (H, W, 3) which share of its light the place has left there; 0 where that can't be told.
    """

    somebody: Mask
    shade: Floats


@dataclass(frozen=True)
class Front:
    """Who is in front in one frame.

    Attributes
    ----------
    alpha : (H, W) how much of each pixel they fill.
    shade : (H, W, 3) which share of its light the place has left there, under them too.
    labels : (H, W) number of the one who is there or next to there, from 1; 0: nobody.
    """

    alpha: Floats
    shade: Floats
    labels: NDArray[np.int32]

    def within(self, part: Part) -> Front:
        """A part of it, by rows and columns."""
        return Front(self.alpha[part], self.shade[part], self.labels[part])


def judged(
    looks: Looks,
    deepest: Floats,
    *,
    bluer: float = 0.0,
    in_shade: Mask | None = None,
    odds: Floats | None = None,
) -> Verdict:
    """Where a frame shows somebody, and where a shadow.

    Parameters
    ----------
    looks : of the whole frame.
    deepest : which share (3,) of its light a place has left where no sun is.
    bluer : by how much bluer and less red a shadow may be than goes with that, as long as it is not known well.
    in_shade : (H, W) where no sun reaches the place itself, so that nobody can take it away.
    odds : (H, W) as of `odds_alone`, or of frames together: all else is in them; None as long as nobody's colours are
        learnt.
    """
    if odds is None:
        least = deepest if in_shade is None else np.where(on_channels(in_shade), UNLIT, deepest)
        verdict, unlike, shade = _at_first(looks, least, bluer)
    else:
        verdict, unlike, shade = _by_colour(looks, odds)
    somebody = np.zeros_like(verdict)
    part = extent(verdict, MARGIN_PX)
    if verdict.any():
        somebody[part] = _whole(verdict[part], unlike[part], LEAST * verdict.size)
    return Verdict(somebody, _only_where(shade, looks.changed & ~somebody))


def odds_alone(looks: Looks, colours: Colours, deepest: Floats, in_shade: Mask | None = None) -> Floats:
    """How much likelier somebody is at each pixel than the place, (H, W), by a frame alone; see `judged`."""
    changed = looks.changed
    least = deepest if in_shade is None else np.where(on_channels(in_shade[changed]), UNLIT, deepest)
    odds = np.full(changed.shape, -MOST_ODDS, np.float32)
    odds[changed] = log_odds(colours, looks, changed, least)
    return odds


def _only_where(shade: Floats, where: Mask, other: float = 1) -> Floats:
    """A shade (H, W, 3) where it is asked for, else another."""
    return np.asarray(cv2.copyTo(shade, where.astype(np.uint8), np.full_like(shade, other)))


def _at_first(looks: Looks, deepest: Floats, bluer: float) -> tuple[Mask, Floats, Floats]:
    """Where (H, W) somebody seems to be, by how many noise variances it is unlike the place, (H, W), and its shade."""
    verdict, shade, unlike = np.zeros_like(looks.changed), np.ones_like(looks.plate), looks.plain.copy()
    for part in _parts(looks.changed):
        dim, ratio = shadowed(looks.at(part), deepest[part] if deepest.ndim > 1 else deepest, bluer)
        off = np.minimum(np.minimum(looks.plain[part], dim), 4 * SOMEBODY)
        verdict[part] |= cv2.GaussianBlur(np.asarray(off, np.float32), (0, 0), SMOOTH_PX) > SOMEBODY
        unlike[part] = off
        shade[part] = np.where(on_channels(dim < SOMEBODY), np.minimum(ratio, LIGHTEST), 1)
    return verdict, unlike, shade


def _by_colour(looks: Looks, odds: Floats) -> tuple[Mask, Floats, Floats]:
    """As `_at_first`, once colours are learnt."""
    verdict = looks.changed & (guided(looks.seen, odds, looks.noise.variance) > 0)
    unlike = np.where(odds < -SURE_ODDS, np.float32(0), np.float32(SOMEBODY))
    # Around somebody pixels have their colours mixed in.
    shade = np.minimum(looks.ratio, LIGHTEST)
    shade[odds > SURE_ODDS] = 0
    return verdict, unlike, shade


def _parts(mask: Mask) -> list[Part]:
    """Parts of a picture, each with a margin, that hold all of a mask between them."""
    near = cv2.dilate(mask.astype(np.uint8), np.ones((MARGIN_PX + 1, MARGIN_PX + 1), np.uint8))
    height, width = mask.shape
    half, made = MARGIN_PX // 2, list[Part]()
    _, boxes, _ = _pieces(near)
    for rows, columns in sorted(boxes, key=lambda box: box[0].start - box[0].stop):
        wide = (
            slice(max(0, rows.start - half), min(height, rows.stop + half)),
            slice(max(0, columns.start - half), min(width, columns.stop + half)),
        )
        if not any(_inside(wide, other) for other in made):
            made.append(wide)
    return made


def _pieces(mask: NDArray[Any]) -> tuple[NDArray[np.int32], list[Part], NDArray[np.int32]]:
    """Pieces of a mask (H, W), joined by their sides: each one's number (H, W), from 1; their boxes; their areas."""
    _, labels, told, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=4)
    boxes = [(slice(y, y + height), slice(x, x + width)) for x, y, width, height, _ in told[1:].tolist()]
    return np.asarray(labels, np.int32), boxes, np.asarray(told[1:, cv2.CC_STAT_AREA], np.int32)


def _inside(part: Part, other: Part) -> bool:
    return all(one.start >= all_.start and one.stop <= all_.stop for one, all_ in zip(part, other, strict=True))


def _whole(verdict: Mask, unlike: Floats, least: float) -> Mask:
    """Somebody is in one piece, without small holes; specks of fewer than so many pixels are nobody.

    Parameters
    ----------
    unlike : (H, W) noise variances by which each pixel is off the place, bare or in shadow. Between somebody's legs it
        is the place itself that shows, whatever the hole's size.
    """
    near = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5))
    mask = cv2.morphologyEx(verdict.astype(np.uint8), cv2.MORPH_CLOSE, near)
    mask = cv2.morphologyEx(mask, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3)))
    holes = _holes(mask)
    labels, _, areas = _pieces(mask | _covered(holes, mask.shape))
    kept = mask > 0
    for box, inside in holes:
        size = inside.sum()
        bare = size >= SEEN_THROUGH and unlike[box][inside].mean() < BARE
        if size <= HOLE * areas[labels[box][inside][0] - 1] and not bare:
            kept[box] |= inside
    labels, _, areas = _pieces(kept)
    large = np.concatenate([[False], areas >= max(12, least)])
    return np.asarray(large[labels])


def _holes(mask: NDArray[np.uint8]) -> list[tuple[Part, Mask]]:
    """Holes of a mask (H, W): the box of each, and where in it the hole is."""
    height, width = mask.shape
    labels, boxes, _ = _pieces(mask == 0)
    return [
        ((rows, columns), labels[rows, columns] == number)
        for number, (rows, columns) in enumerate(boxes, 1)
        if rows.start > 0 and columns.start > 0 and rows.stop < height and columns.stop < width
    ]


def _covered(holes: list[tuple[Part, Mask]], shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """Where (H, W) holes are."""
    made = np.zeros(shape, np.uint8)
    for box, inside in holes:
        made[box] |= inside
    return made


def people_of(somebody: Mask) -> NDArray[np.int32]:
    """Each one's number (H, W), from 1."""
    labels, _, _ = _pieces(cv2.dilate(somebody.astype(np.uint8), np.ones((3, 3), np.uint8)))
    return np.asarray(np.where(somebody, labels, 0), np.int32)


def front_of_frame(looks: Looks, verdict: Verdict, matters: Mask | None = None) -> Front:
    """Who is in front in a frame, with soft edges.

    Parameters
    ----------
    looks : of the whole frame.
    matters : (H, W) where more is wanted than who is where: elsewhere edges stay hard, and no shade is told; None:
        everywhere.
    """
    somebody, shade = verdict.somebody, verdict.shade.copy()
    if matters is None:
        matters = np.ones_like(somebody)
    touched = (somebody | largest_channel(shade != 1)) & matters
    part = extent(touched, MARGIN_PX)
    if touched.any():
        shade[part] = _under(np.ascontiguousarray(shade[part]), somebody[part])
    alpha = somebody.astype(np.float32)
    labels = people_of(somebody)
    band = max(2, round(BAND_PX * somebody.shape[1]))
    wide = np.zeros_like(labels)
    boxes: list[Any] = ndimage.find_objects(labels)  # None for a number that is not there
    for number, box in enumerate(boxes, 1):
        if box is None:
            continue
        rows, columns = (slice(max(0, part.start - 3 * band), part.stop + 3 * band) for part in box)
        mine = labels[rows, columns] == number
        near = cv2.dilate(mine.astype(np.uint8), np.ones((2 * band + 3, 2 * band + 3), np.uint8)) > 0
        wide[rows, columns] = np.where(near & (wide[rows, columns] == 0), number, wide[rows, columns])
        sought = near & matters[rows, columns]
        if sought.any():
            inner = extent(sought, 3 * band)
            sought, mine = sought[inner], mine[inner]
            here = tuple(
                slice(whole.start + one.start, whole.start + one.start + size)
                for whole, one, size in zip((rows, columns), inner, mine.shape, strict=True)
            )
            seen = np.ascontiguousarray(looks.seen[here])
            behind = encode_srgb(looks.plate[here] * shade[here])
            soft = soft_edge(seen, behind, mine, band, looks.noise)
            alpha[here] = np.where(sought & (mine | ~somebody[here]), soft, alpha[here])
    return Front(alpha, _only_where(shade, matters), np.where(labels > 0, labels, wide))


def _under(shade: Floats, somebody: Mask) -> Floats:
    """A shade smoothed, and gone on with under who hides it: as it is next to them, on the side that is nearest."""
    known = (cv2.dilate(somebody.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0) & (shade[..., 1] > 0)
    if not known.any():
        return np.ones_like(shade)
    share = cv2.GaussianBlur(known.astype(np.float32), (0, 0), SHADE_PX)
    told = cv2.GaussianBlur(_only_where(shade, known, 0), (0, 0), SHADE_PX)
    told /= on_channels(np.maximum(share, np.float32(1e-4)))
    # Each unknown pixel takes what the known one has that is nearest to it.
    _, numbers = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    nearest = np.zeros(int(numbers.max()) + 1, np.intp)
    nearest[numbers[known]] = np.flatnonzero(known)
    unknown = np.flatnonzero(~known)
    flat = told.reshape(-1, 3)
    flat[unknown] = flat[nearest[numbers.ravel()[unknown]]]
    return np.asarray(np.minimum(told, LIGHTEST), np.float32)
