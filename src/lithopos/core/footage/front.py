"""Who passes in front of the place: how much of each pixel they fill, and where they darken it.

A frame differs from the clean plate by its noise, by shadows, or because somebody is there. A shadow keeps what is
under it: the plate's texture, with less light (Horprasert, Harwood & Davis 1999; Prati et al. 2003, DOI
10.1109/TPAMI.2003.1206520), of a colour that goes with how dark it is. What neither noise nor a shadow explains is
somebody. At their edges a pixel C shows α F + (1 − α) B with B known: α is told along F − B, as surely as both differ,
and in between by the matting Laplacian (Levin, Lischinski & Weiss 2008, DOI 10.1109/TPAMI.2007.1177).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from scipy.sparse import diags

from lithopos.core.arrays import Floats, Mask
from lithopos.core.blend.grain import Grain
from lithopos.core.colour import encode_srgb

MISSED_PX = 0.15  # how far an edge of the plate may lie off in a frame
WINDOWS = (7, 3)  # pixels across in which a shadow's ratio is told
SURELY, BORDER = 1.8, 1.2  # noise variances of what surely is a shadow; what a shadow's border counts as
SOMEBODY = 3.6  # what neither noise nor shadow explains, of noise variances a channel
# How far a shadow's red and blue may be off beside green, of natural logarithms, from and to: what is told is that of
# most of it, level ground under a blue sky; walls take light from the ground as well, which is warmer.
OFF_FROM, OFF_TO = np.array([-0.12, -0.01, -0.28], np.float32), np.array([0.2, 0.01, 0.12], np.float32)
LIGHTEST, LEAST_ABOUT = 1.06, 0.72
UNLIT = np.float32(0.99)  # light left in the deepest shadow where no sun is to be taken
USUAL_DEEPEST = (0.22, 0.25, 0.3)  # light left in a shadow, as long as nobody has looked
SMOOTH_PX = 1.1  # how far the verdicts of neighbours count
LEAST = 2.5e-4  # of all pixels: somebody fills so many
HOLE = 0.06  # of somebody: a smaller hole in them is none
SEEN_THROUGH, BARE = 16, 1.5  # but one of so many pixels that shows the place, to within so many noise variances
CHANGED, MARGIN_PX = 2.0, 24  # noise variances of a neighbourhood from which it is looked at; pixels about it
BAND_PX = 0.0032  # of the picture's width: how far from a verdict's border its edge is sought
SHADE_PX = 1.2  # how far a shade is smoothed
SURE = 30.0  # how much the known background counts in it beside the Laplacian

Part = tuple[slice, slice]

__all__ = ["USUAL_DEEPEST", "Front", "Part", "Verdict", "front_of_frame", "judged", "people_of", "shade_of"]


@dataclass(frozen=True)
class Verdict:
    """What a frame shows, before its edges are told.

    Attributes
    ----------
    somebody : (H, W) where somebody is.
    shade : (H, W, 3) which share of its light the place has left there.
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
    frame: Floats, plate: Floats, noise: Grain, deepest: Floats, bluer: float = 0.0, in_shade: Mask | None = None
) -> Verdict:
    """Where a frame shows somebody, and where a shadow.

    Parameters
    ----------
    frame, plate : (H, W, 3) linear, the plate as the frame would show it.
    deepest : which share (3,) of its light a place has left where no sun is.
    bluer : by how much bluer and less red a shadow may be than goes with that, as long as it is not known well.
    in_shade : (H, W) where no sun reaches the place itself, so that nobody can take it away.
    """
    seen, base = encode_srgb(np.clip(frame, 0, 1)), encode_srgb(np.clip(plate, 0, 1))
    sigma2 = _variance(base, noise)
    plain = np.asarray(((seen - base) ** 2 / sigma2).mean(-1), np.float32)
    changed = cv2.GaussianBlur(plain, (0, 0), 2.0) > CHANGED
    verdict, shade, dims = np.zeros(plain.shape, bool), np.ones_like(plate), np.full_like(plain, np.inf)
    for part in _parts(changed):
        least = deepest if in_shade is None else np.where(in_shade[part][..., None], UNLIT, deepest)
        dim, ratio = _shadowed(frame[part], plate[part], seen[part], sigma2[part], noise, least, bluer)
        unlike = np.minimum(np.minimum(plain[part], dim), 4 * SOMEBODY)
        verdict[part] |= cv2.GaussianBlur(np.asarray(unlike, np.float32), (0, 0), SMOOTH_PX) > SOMEBODY
        shade[part], dims[part] = np.minimum(ratio, LIGHTEST), dim
    somebody = _whole(verdict, np.minimum(plain, dims), LEAST * plain.size) if verdict.any() else verdict
    shaded = changed & (dims < SOMEBODY) & ~somebody
    return Verdict(somebody, np.asarray(np.where(shaded[..., None], shade, 1.0), np.float32))


def _parts(mask: Mask) -> list[Part]:
    """Parts of a picture, each with a margin, that hold all of a mask between them."""
    near = cv2.dilate(mask.astype(np.uint8), np.ones((MARGIN_PX + 1, MARGIN_PX + 1), np.uint8))
    labels, _ = ndimage.label(near)
    height, width = mask.shape
    half = MARGIN_PX // 2
    return [
        (
            slice(max(0, rows.start - half), min(height, rows.stop + half)),
            slice(max(0, columns.start - half), min(width, columns.stop + half)),
        )
        for rows, columns in ndimage.find_objects(labels)
    ]


def _variance(base: Floats, noise: Grain) -> Floats:
    """How much a pixel may differ from the plate by noise, and because the plate's edges lie a little off."""
    gx, gy = cv2.Sobel(base, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(base, cv2.CV_32F, 0, 1, scale=0.125)
    return np.asarray(noise.at(base) ** 2 + MISSED_PX**2 * (gx**2 + gy**2) + (0.6 / 255) ** 2, np.float32)


def _shadowed(
    frame: Floats, plate: Floats, seen: Floats, sigma2: Floats, noise: Grain, deepest: Floats, bluer: float
) -> tuple[Floats, Floats]:
    """How far (H, W) a frame is from the plate in a shadow, in noise variances a channel; the shadow's ratio (H, W, 3).

    The ratio is told in a window, and in a smaller one. A shadow's border runs through both: there, near what surely is
    a shadow, each pixel's own ratio may do, as long as it is like a shadow's.
    """
    dim, best = np.full(plate.shape[:2], np.inf, np.float32), np.ones_like(plate)
    for size in WINDOWS:
        ratio = _ratio(frame, plate, size)
        shadowed = encode_srgb(np.clip(plate * ratio, 0, 1))
        # In the dark the same light is fewer codes of noise, and the plate's own edges are as far off.
        told = ((seen - shadowed) ** 2 / (_variance(shadowed, noise) + 0.25 * sigma2)).mean(-1)
        better = _like_shadow(ratio, 0.0, deepest, bluer) & (told < dim)
        dim, best = np.where(better, told, dim), np.where(better[..., None], ratio, best)
    darker = best[..., 1] < 0.97
    surely = cv2.morphologyEx(((dim < SURELY) & darker).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    near = cv2.dilate(surely, np.ones((2 * WINDOWS[0] - 1, 2 * WINDOWS[0] - 1), np.uint8)) > 0
    own = _ratio(frame, plate, 1)
    # Noise of linear light beside it: encoded values go with its 1/2.2th power.
    doubt = 2.5 * 2.2 * noise.at(seen).mean(-1) / np.maximum(seen.mean(-1), 0.02)
    border = near & _like_shadow(own, doubt, deepest, bluer) & (dim > BORDER)
    return np.where(border, np.float32(BORDER), dim), np.where(border[..., None], own, best)


def _ratio(frame: Floats, plate: Floats, size: int) -> Floats:
    """Light left (H, W, 3), by least squares in a window."""
    both = cv2.blur(frame * plate, (size, size))
    return np.asarray(both / np.maximum(cv2.blur(plate * plate, (size, size)), 1e-7), np.float32)


def _like_shadow(ratio: Floats, doubt: Floats | float, deepest: Floats, bluer: float) -> Mask:
    """Where a ratio may be a shadow's: all that comes from about, A = `deepest`, and a share v of the sun's rest.

    A + (1 − A) v is a line of ratios; v is taken by their brightness, and colour has to follow. Close to who throws it
    less may come from about as well.

    Parameters
    ----------
    doubt : by how much colour may be off besides, of natural logarithms.
    """
    green = np.maximum(ratio[..., 1], 1e-4)
    sunny = np.clip((green - deepest[..., 1]) / (1 - deepest[..., 1]), 0, 1)[..., None]
    line = deepest + (1 - deepest) * sunny
    close = green / line[..., 1]
    off = np.log(np.maximum(ratio, 1e-4) / green[..., None]) - np.log(line / line[..., 1:2])
    more = np.asarray(doubt)[..., None]
    colour = ((off >= OFF_FROM - more - [bluer, 0, 0]) & (off <= OFF_TO + more + [0, 0, bluer])).all(-1)
    return np.asarray(colour & (close >= LEAST_ABOUT) & (close <= LIGHTEST * (1 + doubt)))


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
    filled = ndimage.binary_fill_holes(mask)
    holes, _ = ndimage.label(filled & (mask == 0))
    labels, _ = ndimage.label(filled)
    kept = mask > 0
    areas = np.bincount(labels.ravel())
    for number, box in enumerate(ndimage.find_objects(holes), 1):
        inside = holes[box] == number
        size = inside.sum()
        bare = size >= SEEN_THROUGH and unlike[box][inside].mean() < BARE
        if size <= HOLE * areas[labels[box][inside][0]] and not bare:
            kept[box] |= inside
    labels, _ = ndimage.label(kept)
    areas = np.bincount(labels.ravel())
    large = areas >= max(12, least)
    large[0] = False
    return np.asarray(large[labels])


def people_of(somebody: Mask) -> NDArray[np.int32]:
    """Each one's number (H, W), from 1."""
    joined = cv2.dilate(somebody.astype(np.uint8), np.ones((3, 3), np.uint8))
    labels, _ = ndimage.label(joined)
    return np.asarray(np.where(somebody, labels, 0), np.int32)


def front_of_frame(frame: Floats, plate: Floats, noise: Grain, verdict: Verdict, matters: Mask | None = None) -> Front:
    """Who is in front in a frame, with soft edges.

    Parameters
    ----------
    frame, plate : (H, W, 3) linear, the plate as the frame would show it.
    matters : (H, W) where edges are wanted: those of whoever is elsewhere stay hard; None: everywhere.
    """
    somebody, shade = verdict.somebody, verdict.shade.copy()
    touched = somebody | (shade != 1).any(-1)
    for part in _parts(touched):
        shade[part] = _under(np.ascontiguousarray(verdict.shade[part]), somebody[part])
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
        if matters is not None and not (near & matters[rows, columns]).any():
            continue
        here = np.ascontiguousarray(frame[rows, columns])
        behind = np.ascontiguousarray((plate * shade)[rows, columns])
        soft = _edge(encode_srgb(np.clip(here, 0, 1)), encode_srgb(np.clip(behind, 0, 1)), mine, band, noise)
        others = somebody[rows, columns] & ~mine
        alpha[rows, columns] = np.where(others, alpha[rows, columns], np.maximum(soft, alpha[rows, columns] * others))
    return Front(alpha, shade, np.where(labels > 0, labels, wide))


def _under(shade: Floats, somebody: Mask) -> Floats:
    """A shade smoothed, and gone on with under who hides it: as it is next to them, on the side that is nearest."""
    known = cv2.dilate(somebody.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0
    if not known.any():
        return np.ones_like(shade)
    share = cv2.GaussianBlur(known.astype(np.float32), (0, 0), SHADE_PX)
    told = cv2.GaussianBlur(np.log(np.maximum(shade, 1e-3)) * known[..., None], (0, 0), SHADE_PX)
    told /= np.maximum(share, 1e-4)[..., None]
    rows, columns = ndimage.distance_transform_edt(~known, return_distances=False, return_indices=True)
    return np.asarray(np.exp(np.minimum(told[rows, columns], 0.06)), np.float32)


def _edge(seen: Floats, behind: Floats, mine: Mask, band: int, noise: Grain) -> Floats:
    """How much of each pixel of a part one fills, (H, W); sure away from the border of `mine`.

    Parameters
    ----------
    seen, behind : (H, W, 3) encoded: the frame, and the place behind them.
    """
    from pymatting import cf_laplacian, cg, ichol

    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * band + 1, 2 * band + 1))
    inner = cv2.erode(mine.astype(np.uint8), kernel) > 0
    outer = cv2.dilate(mine.astype(np.uint8), kernel) == 0
    open_ = ~(inner | outer)
    if not open_.any():
        return mine.astype(np.float32)
    # Their colour goes on from within; thin limbs have no sure middle, so what is surely not the place counts too.
    surely = inner | (mine & (((seen - behind) ** 2).sum(-1) > 25 * (noise.at(behind) ** 2).sum(-1)) & _deep(mine))
    own = _carried(seen, surely if surely.any() else mine, band)
    way = own - behind
    length = (way**2).sum(-1)
    told = np.clip(((seen - behind) * way).sum(-1) / np.maximum(length, 1e-6), 0, 1)
    trust = SURE * length / (length + 16 * (noise.at(behind) ** 2).sum(-1) + 1e-3)
    known = inner | outer
    weight = np.where(known, 1000.0, trust).ravel()
    wanted = np.where(inner, 1.0, np.where(outer, 0.0, told)).ravel()
    laplacian = cf_laplacian(seen.astype(np.float64), epsilon=1e-5, radius=1, is_known=known)
    system = laplacian + diags(weight)
    preconditioner = ichol(system, discard_threshold=1e-4)
    solved = cg(system, weight * wanted, x0=wanted, M=preconditioner, rtol=1e-5, maxiter=200)
    made = np.clip(solved.reshape(mine.shape), 0, 1)
    made = np.where(inner, 1.0, np.where(outer, 0.0, made))
    return np.asarray(np.where(made < 0.02, 0, np.where(made > 0.98, 1, made)), np.float32)


def _deep(mine: Mask) -> Mask:
    """A pixel within the border."""
    return cv2.erode(mine.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def _carried(values: Floats, known: Mask, reach: int) -> Floats:
    """Values (H, W, 3) of the known pixels, carried to those beside them."""
    share = known.astype(np.float32)
    made, weight = np.zeros_like(values), np.zeros_like(share)
    for sigma in (0.8 * reach, 2.5 * reach, 8.0 * reach):
        told, close = cv2.GaussianBlur(values * share[..., None], (0, 0), sigma), cv2.GaussianBlur(share, (0, 0), sigma)
        here = np.clip(close * 20, 0, 1) * (1 - weight)
        made += here[..., None] * told / np.maximum(close, 1e-6)[..., None]
        weight += here
    rest = values[known].mean(0)
    return np.asarray(made + (1 - weight)[..., None] * rest, np.float32)


def shade_of(frame: Floats, plate: Floats) -> Floats:
    """The plain ratio of a frame to the plate, bounded: what a stroke takes as a shadow."""
    return np.asarray(np.clip(_ratio(frame, plate, WINDOWS[0]), 0.05, LIGHTEST), np.float32)
