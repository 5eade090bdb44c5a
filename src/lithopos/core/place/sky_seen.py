"""The sky that a photograph shows, as a measure of its light.

How a clear sky grows brighter and paler towards the horizon and the sun tells its haze; how bright it is then tells the
photograph's gain by channel, which nothing else does without a known tone. Away from the sun the haze matters little:
from a turbidity of 2 to one of 6 green changes by 7 per cent, red and blue by 13 (Hosek and Wilkie 2012). What grows
darker towards the corners beside that is the lens's own loss.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lithopos.core.arrays import Array, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import REC709, decode_srgb
from lithopos.core.exchange.picture import Picture
from lithopos.core.light.dome import dome_cells
from lithopos.core.place.daylight import Daylight, SkyShown
from lithopos.core.place.falloff import from_middle
from lithopos.core.shot import SkySpot

# Reading, from the photograph alone.
WIDE, BLOCK = 480, 8  # pixels
SMOOTH = 0.03  # relative spread within a block: foliage and most walls are rougher
CLIPPED, DARK = 0.97, 0.01  # encoded; linear
BLUE = 0.7  # times red, at least: cloud under any usual white balance
FEWEST, MOST = 6, 40
# Judging, with camera and sun.
LOW_DEG, LOW_PANORAMA_DEG, GLARE_DEG = 2.0, 9.0, 15.0
LIKE, LIKE_TINT = 0.25, 0.15  # natural logarithms: as far as spots may be from their median
AGREEING = 0.6  # of all spots
EVEN = 0.05  # natural logarithm: scatter that is nobody's fault
LIKELY_TINT = 0.6  # of the gain against neutral: other blue smooth things are walls
HAZES = (1.7, 2.0, 2.5, 3.0, 3.5, 4.0, 4.7, 5.5, 6.5, 7.5, 8.5, 9.5)
SIGMA_HAZE = 0.6  # of its natural logarithm, about the usual or the given one
LOSS, SIGMA_LOSS, MOST_LOSS = 0.1, 0.15, 0.5  # of light in a corner: usual lenses
SIGMA_EVEN, ALIKE = 0.04, 6  # scatter of a real sky's spots about its formula, and how many of them count by themselves
SIGMA, SIGMA_TINT = 0.12, 0.06  # of a real clear sky beside the formula
SIGMA_CLOUDED, SIGMA_CLOUDED_TINT = 0.3, 0.06
SIGMA_SAME = (0.06, 0.04)  # of the same sky in a panorama
CELLS_APART, CELLS_AGREE = 0.2, 0.3  # of a panorama's cells: how far those of the sky differ, and how many they are

__all__ = ["sky_shown", "sky_spots"]


@dataclass(frozen=True)
class _Blocks:
    """A photograph in blocks: linear means (H, W, 3), their relative spread (H, W), whether a pixel is clipped."""

    mean: Array
    spread: Array
    clipped: Mask


def sky_spots(photograph: Picture, width: int | None = None) -> list[SkySpot]:
    """Smooth, bluish or grey spots that hang together with the picture's upper border: sky, if there is one.

    Parameters
    ----------
    width : of the photograph in whose pixels they are told; by default this one's own.
    """
    blocks = _blocks(photograph)
    red, _, blue = np.moveaxis(blocks.mean, -1, 0)
    likely = (blocks.spread < SMOOTH) & ~blocks.clipped & (blue > BLUE * red) & (blocks.mean @ REC709 > DARK)
    _, parts = cv2.connectedComponents(likely.astype(np.uint8), connectivity=4)
    hanging = likely & np.isin(parts, np.unique(parts[0][likely[0]]))
    rows, columns = np.nonzero(hanging)
    if len(rows) < FEWEST:
        return []
    chosen = np.unique(np.linspace(0, len(rows) - 1, MOST).round().astype(int))
    size = np.array([photograph.codes.shape[1] / likely.shape[1], photograph.codes.shape[0] / likely.shape[0]])
    size *= (width or photograph.codes.shape[1]) / photograph.codes.shape[1]
    at = np.round((np.column_stack([columns, rows])[chosen] + 0.5) * size, 1).tolist()
    colours = np.round(blocks.mean[rows[chosen], columns[chosen]], 5).tolist()
    return [SkySpot(at=spot, colour=colour) for spot, colour in zip(at, colours, strict=True)]


def _blocks(photograph: Picture) -> _Blocks:
    height, width = photograph.codes.shape[:2]
    columns = max(1, min(width, WIDE) // BLOCK)
    rows = max(1, round(height * columns / width))
    size = (columns * BLOCK, rows * BLOCK)
    small = Picture(cv2.resize(photograph.codes, size, interpolation=cv2.INTER_AREA)).encoded
    shape = (rows, BLOCK, columns, BLOCK)
    linear = decode_srgb(small).reshape(*shape, 3)
    mean = linear.mean((1, 3))
    bright = linear @ REC709
    spread = bright.std((1, 3)) / np.maximum(bright.mean((1, 3)), 1e-6)
    return _Blocks(mean, spread, (small.max(-1) > CLIPPED).reshape(shape).any((1, 3)))


def sky_shown(spots: Sequence[SkySpot], camera: Pinhole, day: Daylight) -> SkyShown | None:
    """What the spots say of the sky's haze and strength; None where they are too few, or not as a sky is there.

    Hazes are weighed by how evenly the sky of each explains the spots, beside the day's own haze. Of a day that is lit
    by a panorama, photograph and panorama are both held against the clear day's sky, or that of a whole cover. In the
    same directions they need not show the same: each has walls and trees of its own before the sky.
    """
    return _by_panorama(spots, camera, day) if day.dome else _shown(spots, camera, day)


def _by_panorama(spots: Sequence[SkySpot], camera: Pinhole, day: Daylight) -> SkyShown | None:
    """What the spots say of a panorama's strength, by way of the sky that both of them show."""
    assert day.dome
    clear = replace(day, dome=None, cover=0.0 if day.sun is not None else 1.0)
    found = _shown(spots, camera, clear)
    told = dome_cells(day.dome)
    if found is None or told is None:
        return None
    ways, cells = told
    open_ = ways[:, 2] > np.sin(np.radians(LOW_PANORAMA_DEG))
    if day.sun is not None:
        open_ &= ways @ day.sun < np.cos(np.radians(GLARE_DEG))
    sky = replace(clear, turbidity=found.turbidity).sky_towards(ways[open_])
    ratio = np.log(np.maximum(cells[open_], 1e-9)) - np.log(np.maximum(sky, 1e-9))
    bright = np.sort(ratio @ REC709)
    # Where most cells agree there is sky; others are walls and trees.
    count = np.searchsorted(bright, bright + CELLS_APART, "right") - np.arange(len(bright))
    if not len(bright) or count.max() < CELLS_AGREE * len(bright):
        return None
    start = bright[int(count.argmax())]
    like = (ratio @ REC709 >= start) & (ratio @ REC709 <= start + CELLS_APART)
    units = np.median(ratio[like], axis=0)
    # Half of what a real sky is off the formula, both of them show.
    sigma, sigma_tint = np.hypot(SIGMA_SAME, [found.sigma / 2, found.sigma_tint / 2])
    return replace(
        found, strength=found.strength - units, sigma=float(sigma), sigma_tint=float(sigma_tint), units=np.exp(units)
    )


def _shown(spots: Sequence[SkySpot], camera: Pinhole, day: Daylight) -> SkyShown | None:
    if len(spots) < FEWEST:
        return None
    ways = camera.rays(np.array([spot.at for spot in spots], float))
    high = ways[:, 2] > np.sin(np.radians(LOW_DEG))
    sun = day.sun if day.sun is not None else day.behind
    if sun is not None:
        high &= ways @ sun < np.cos(np.radians(GLARE_DEG))
    if high.sum() < FEWEST:
        return None
    seen = np.log(np.maximum([spot.colour for spot in spots], 1e-6))[high]
    off_middle = from_middle(np.array([spot.at for spot in spots], float), camera)[high]
    hazes = [day.turbidity] if day.cover >= 1 else HAZES
    skies = [_compared(seen, ways[high], off_middle, replace(day, turbidity=haze), len(spots)) for haze in hazes]
    told = [(haze, *sky) for haze, sky in zip(hazes, skies, strict=True) if sky]
    if not told:
        return None
    haze = np.log([one[0] for one in told])
    strength, scatter = np.stack([one[1] for one in told]), np.array([one[2] for one in told])
    loss = np.array([one[3] for one in told])
    against = ALIKE * (scatter[:, 0] / SIGMA_EVEN) ** 2 + ((haze - np.log(day.turbidity)) / SIGMA_HAZE) ** 2
    against += ((loss - LOSS) / SIGMA_LOSS) ** 2
    weight = np.exp(-0.5 * (against - against.min()))
    weight /= weight.sum()
    mean = weight @ strength
    off = strength - mean
    best = scatter[weight.argmax()]
    own, tint = (SIGMA_CLOUDED, SIGMA_CLOUDED_TINT) if 0 < day.cover < 1 else (SIGMA, SIGMA_TINT)
    return SkyShown(
        float(np.exp(weight @ haze)),
        mean,
        float(np.sqrt(own**2 + best[0] ** 2 + weight @ (off @ REC709) ** 2)),
        float(np.sqrt(tint**2 + best[1] ** 2 + (weight @ _tint(off) ** 2).max())),
        float(weight @ loss),
    )


def _compared(
    seen: Array, ways: Array, off_middle: Array, day: Daylight, count: int
) -> tuple[Array, tuple[float, float], float] | None:
    """The strength (3,) of a day's sky by logarithms of colours (N, 3), how they scatter about it (luminance and tint),
    and what the lens loses in a corner.

    None where they are not like that sky.

    Parameters
    ----------
    off_middle : (N,) as of `falloff.from_middle`.
    """
    ratio = seen - np.log(np.maximum(np.pi * day.sky_towards(ways), 1e-9))
    loss = _lost(ratio @ REC709, off_middle) if day.lens is None else day.lens
    ratio -= np.log(1 - loss * off_middle)[:, None]
    told, scatter = _agreed(ratio, count)
    if told is None or np.abs(_tint(told)).max() > LIKELY_TINT:
        return None
    if scatter[0] > max(EVEN, float((seen @ REC709).std())):
        return None  # more even than a sky is: a wall
    return told, scatter, loss


def _lost(bright: Array, off_middle: Array) -> float:
    """What the lens loses in a corner by how logarithms of brightness (N,) fall, beside what is usual."""
    weight = ALIKE / len(bright) / SIGMA_EVEN**2
    apart = off_middle - off_middle.mean()
    slope = -weight * float(apart @ bright) + LOSS / SIGMA_LOSS**2
    return float(np.clip(slope / (weight * float(apart @ apart) + SIGMA_LOSS**-2), 0, MOST_LOSS))


def _agreed(ratio: Array, count: int) -> tuple[Array | None, tuple[float, float]]:
    """The median of most rows (N, 3), and how far they scatter about it: luminance and tint."""
    middle = np.median(ratio, axis=0)
    off = ratio - middle
    like = (np.abs(off @ REC709) < LIKE) & (np.abs(_tint(off)).max(-1) < LIKE_TINT)
    if like.sum() < max(FEWEST, AGREEING * count):
        return None, (0.0, 0.0)
    kept = ratio[like]
    return np.asarray(np.median(kept, axis=0)), (float((kept @ REC709).std()), float(_tint(kept).std(0).max()))


def _tint(values: Array) -> Array:
    return np.asarray(values - (values @ REC709)[..., None])
