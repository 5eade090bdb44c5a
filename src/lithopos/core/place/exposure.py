"""The ground in the photograph, lit and in shade: what the light's balance rests on where nothing is marked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np

from lithopos.core.arrays import Array, Floats, Mask
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import luminance
from lithopos.core.errors import InputError

NEAR = (8.0, 25.0, 80.0)  # how far the ground is looked at, in heights of the camera above it
NEAR_INDOORS = (2.5, 4.0, 8.0)  # where walls stand
ABOUT_M = 2.0  # how far the ground about a place reaches in the sun, and without one, where light changes sooner
ABOUT_INDOORS_M = (0.7, 1.2, 2.0)
LEAST_ABOUT, BEHIND_M = 60, 0.1  # pixels; how far behind it still counts
AT_FOOT_M, LEAST_AT_FOOT = 0.3, 12  # where a panorama's sun shines, for it was taken there; pixels
CLIPPED = 0.985  # of the largest code
LEAST_PIXELS = 200
LEAST_RANGE, CLEARLY_APART = 0.7, 0.6  # of the ground, and of light and shade: natural logarithms
UNSURE_SHARE = 0.2
LEAST_LIT = 0.08  # of the ground, to be called lit
PATCH_SHARE = 1 / 160  # of the picture's width: how wide a spot is looked at
MOST_UNEVEN = 0.3  # within such a spot, relative
APART, APART_INDOORS, BORDER = 0.08, 0.15, 0.02  # of the picture's width: between proposed patches, and beside them
MOST_SHADE, LEAST_SHADE = 0.5, 0.06  # of the light: brighter is no shade, darker a gap or a thing
LEAST_BLUER = 1.2  # what the sun leaves out is bluer than what it lights; paving of two tones is not
MOST_GREEN = 1.1  # beside the middle of red and blue: daylight of any kind is not green, a lawn beside paving is
LEAST_SHADED = 0.004  # of the ground

__all__ = ["CLIPPED", "GroundLight", "ground_light", "ground_places"]


@dataclass(frozen=True)
class GroundLight:
    """The near ground as the photograph shows it.

    Attributes
    ----------
    lit : (3,) linear; where no sun shines its middle.
    clipped : it is brighter than the photograph can show.
    shade : (3,) linear, where light and shade lie side by side; else None.
    notes : plain sentences on what is doubtful.
    lit_at, shade_at : (N, 2) the pixels by which they are told.
    """

    lit: Floats
    shade: Floats | None = None
    clipped: bool = False
    notes: tuple[str, ...] = ()
    lit_at: Array = field(default_factory=lambda: np.zeros((0, 2)))
    shade_at: Array = field(default_factory=lambda: np.zeros((0, 2)))


@dataclass(frozen=True)
class _Ground:
    """What of the near ground tells something.

    Attributes
    ----------
    pixels : (N, 2); `values` (N, 3) their linear values, `means` (N, 3) those of patches about them.
    uneven : (N,) how much such a patch differs within itself, relative.
    lit, shade : (N,) which lie in the light, and which in the sky's light alone.
    clipped : what is lit is clipped.
    """

    pixels: Array
    values: Floats
    means: Floats
    uneven: Floats
    lit: Mask
    shade: Mask
    clipped: bool
    notes: tuple[str, ...]


def ground_light(
    encoded: Floats,
    linear: Floats,
    camera: Pinhole,
    height_m: float,
    has_sun: bool,
    about: Array | None = None,
    *,
    surely_lit: Array | None = None,
    indoors: bool = False,
    covered: Mask | None = None,
) -> GroundLight:
    """The brighter part of the near ground where light and shade part clearly, else its middle; and the shade.

    Clipped pixels, and those beside them, are left out: they are highlights, or too bright to tell. Light and
    shade are parted where the spread between them is largest (Otsu 1979, DOI 10.1109/TSMC.1979.4310076), on a
    logarithmic scale. Without a sun nothing is sunlit: what is bright then is a reflection or a lamp. Where little of
    the ground lies in shade, shade is even spots that are much darker and bluer than the light.

    Parameters
    ----------
    encoded, linear : (H, W, 3) the photograph, 0..1.
    height_m : of the plane that is looked at.
    about : places (N, 2) [m] round which the ground is looked at, if it is seen there; None: all that is near.
    surely_lit : places (N, 2) [m] where the sun is known to shine: where that is clipped, what is clearly darker lies
        in shade.
    indoors : walls stand about: only what is quite near is taken for ground.
    covered : (H, W) where something stands before the ground.

    Raises
    ------
    InputError
        If the photograph shows no such ground.
    """
    ground = _ground(encoded, linear, camera, height_m, has_sun, about, surely_lit, indoors, covered)
    shade = _middle(ground.means[ground.shade]) if ground.shade.any() else None
    lit_at, shade_at = ground.pixels[ground.lit], ground.pixels[ground.shade]
    return GroundLight(_middle(ground.values[ground.lit]), shade, ground.clipped, ground.notes, lit_at, shade_at)


def ground_places(
    encoded: Floats,
    linear: Floats,
    camera: Pinhole,
    height_m: float,
    has_sun: bool,
    besides: Sequence[Pixel] = (),
    count: int = 3,
    *,
    surely_lit: Array | None = None,
    indoors: bool = False,
    covered: Mask | None = None,
) -> tuple[list[Pixel], list[Pixel]]:
    """Where patches of the ground would tell most: up to `count` even places in the light, and as many in shade.

    Parameters
    ----------
    besides : places that are marked already.
    surely_lit : as of `ground_light`.
    indoors, covered : as of `ground_light`.
    """
    ground = _ground(encoded, linear, camera, height_m, has_sun, None, surely_lit, indoors, covered)
    height, width = linear.shape[:2]
    apart, border = (APART_INDOORS if indoors else APART) * width, BORDER * width
    x, y = ground.pixels.T
    inner = (x > border) & (x < width - border) & (y > border) & (y < height - border)

    def chosen(which: Mask) -> list[Pixel]:
        if not which.any():
            return []
        among, bright = ground.pixels[which], np.log(np.maximum(luminance(ground.means[which]), 1e-5))
        cost = ground.uneven[which] + np.abs(bright - np.median(bright))
        found: list[Pixel] = []
        for at in np.argsort(cost):
            x, y = (float(v) + 0.5 for v in among[at])
            if all(np.hypot(x - a, y - b) > apart for a, b in [*besides, *found]):
                found.append((x, y))
            if len(found) == count or cost[at] > MOST_UNEVEN:
                break
        return found

    return chosen(ground.lit & inner), chosen(ground.shade & inner)


def _ground(
    encoded: Floats,
    linear: Floats,
    camera: Pinhole,
    height_m: float,
    has_sun: bool,
    about: Array | None,
    surely_lit: Array | None,
    indoors: bool,
    covered: Mask | None,
) -> _Ground:
    reaches = NEAR_INDOORS if indoors and about is None else NEAR
    pixels = _near_pixels(camera, height_m, linear.shape[1], linear.shape[0], reaches, covered)
    if about is not None and len(about):
        places = camera.ground_points(pixels + 0.5, height_m)[:, :2]
        apart = np.linalg.norm(places[:, None] - about, axis=-1)
        away = apart.min(1)
        if not has_sun:
            # Behind what stands there a wall may stand as well.
            foot = camera.position[:2]
            behind = np.linalg.norm(places - foot, axis=1) - np.linalg.norm(about - foot, axis=1)[apart.argmin(1)]
            away = np.where(behind > BEHIND_M, np.inf, away)
        around = (ABOUT_M,) if has_sun else ABOUT_INDOORS_M
        least = LEAST_PIXELS if has_sun else LEAST_ABOUT
        enough = [reach for reach in around if np.count_nonzero(away < reach) >= least]
        pixels = pixels[away < enough[0]] if enough else pixels
    column, row = pixels.T
    good = ~_clipped(encoded)[row, column]
    if has_sun and surely_lit is not None:
        places = camera.ground_points(pixels + 0.5, height_m)[:, :2]
        at_foot = np.linalg.norm(places[:, None] - surely_lit, axis=-1).min(1) < AT_FOOT_M
        bright = np.count_nonzero(at_foot) >= LEAST_AT_FOOT and good[at_foot].mean() < 0.5
        if bright and (parted := _beside_clipped(linear, pixels, good)):
            return parted
    notes: list[str] = []
    if np.count_nonzero(good) < 0.2 * len(good):
        notes.append("Most of the ground is clipped in the photograph: how bright it is can only be guessed.")
        good = np.ones(len(good), bool)
    pixels, column, row = pixels[good], column[good], row[good]
    means, uneven = _patches(linear, row, column)
    values = linear[row, column]
    lit, share = _parted(values, has_sun)
    if share < UNSURE_SHARE:
        notes.append(
            "Only a small part of the ground is bright: it is taken for sunlit. Is it a reflection, "
            "set the strength of the sun to 0."
        )
    shade = np.zeros(len(pixels), bool)
    if has_sun:
        beside = means / np.maximum(_middle(values[lit]), np.float32(1e-5))
        dark = (luminance(beside) < MOST_SHADE) & (luminance(beside) > LEAST_SHADE)
        bluer = beside[:, 2] > LEAST_BLUER * beside[:, 0]
        plain = beside[:, 1] < MOST_GREEN * np.sqrt(beside[:, 0] * beside[:, 2])
        shade = dark & bluer & plain & (uneven < MOST_UNEVEN)
        if np.count_nonzero(shade) < LEAST_SHADED * len(shade):
            shade[:] = False
    return _Ground(pixels, values, means, uneven, lit, shade, False, tuple(notes))


def _beside_clipped(linear: Floats, pixels: Array, good: Mask) -> _Ground | None:
    """Ground that is clipped where the sun is known to shine: the rest lies in shade, if it is clearly darker.

    Parameters
    ----------
    good : (N,) which of the pixels (N, 2) are not clipped.
    """
    if not good.any():
        return None
    column, row = pixels.T
    values = linear[row, column]
    means, uneven = _patches(linear, row, column)
    bright = luminance(means) / float(np.median(luminance(values[~good])))
    if float(np.median(bright[good])) > MOST_SHADE:
        return None
    shade = good & (bright < MOST_SHADE) & (bright > LEAST_SHADE) & (uneven < MOST_UNEVEN)
    return _Ground(pixels, values, means, uneven, ~good, shade, True, ()) if shade.any() else None


def _patches(linear: Floats, row: Array, column: Array) -> tuple[Floats, Floats]:
    """Means (N, 3) of small squares about pixels, and how much they differ within themselves (N,), relative."""
    wide = max(3, round(PATCH_SHARE * linear.shape[1])) | 1
    bright = luminance(linear)
    mean = cv2.blur(linear, (wide, wide))
    middle = luminance(mean)
    spread = np.sqrt(np.maximum(cv2.blur(bright**2, (wide, wide)) - middle**2, 0)) / np.maximum(middle, 1e-5)
    return mean[row, column], np.asarray(spread[row, column], np.float32)


def _parted(values: Floats, has_sun: bool) -> tuple[Mask, float]:
    """Which pixels are lit (N,), and their share; all where light and shade don't part clearly."""
    every = np.ones(len(values), bool)
    bright = np.log(np.maximum(luminance(values), 1e-4))
    low, high = np.percentile(bright, [2, 98])
    if not has_sun or high - low < LEAST_RANGE:
        return every, 1.0
    scaled = np.clip((bright - low) / (high - low) * 255, 0, 255).astype(np.uint8)
    cut, _ = cv2.threshold(scaled[None], 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    lit = np.asarray(scaled > cut)
    share = float(lit.mean())
    apart = share > LEAST_LIT and float(np.median(bright[lit]) - np.median(bright[~lit])) > CLEARLY_APART
    return (lit, share) if apart else (every, 1.0)


def _middle(values: Floats) -> Floats:
    """The median colour (3,), at the median luminance."""
    colour = np.median(values, axis=0)
    bright = np.exp(np.median(np.log(np.maximum(luminance(values), 1e-4))))
    return np.asarray(colour * bright / max(float(luminance(colour)), 1e-6), np.float32)


def _near_pixels(
    camera: Pinhole, height_m: float, width: int, height: int, reaches: tuple[float, ...], covered: Mask | None
) -> Array:
    """Pixels (N, 2) that show near ground, some ten thousand at most."""
    step = max(1, int(np.sqrt(width * height / 40_000)))
    x, y = np.meshgrid(np.arange(step // 2, width, step), np.arange(step // 2, height, step))
    pixels = np.column_stack([x.ravel(), y.ravel()])
    if covered is not None:
        pixels = pixels[~covered[pixels[:, 1], pixels[:, 0]]]
    above = abs(float(camera.position[2]) - height_m)
    away = np.linalg.norm(camera.ground_points(pixels + 0.5, height_m)[:, :2] - camera.position[:2], axis=1)
    for reach in reaches:
        near = pixels[np.nan_to_num(away, nan=np.inf) < reach * above]
        if len(near) >= min(LEAST_PIXELS, 0.02 * len(pixels)):
            return near
    raise InputError("ground", "is not seen in the photograph: nothing tells how bright it is")


def _clipped(encoded: Floats) -> Mask:
    """Pixels at the top of the scale in any channel, and their neighbours (glare spreads)."""
    top = (encoded.max(-1) >= CLIPPED).astype(np.uint8)
    reach = max(3, encoded.shape[1] // 300) | 1
    return np.asarray(cv2.dilate(top, np.ones((reach, reach), np.uint8)) > 0)
