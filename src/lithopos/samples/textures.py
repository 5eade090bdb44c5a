"""Pictures for the sample surfaces: noise, stone, paving, plaster, timber, made from a seed."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.float32]


def noise(shape: tuple[int, int], cells: float, octaves: int, rng: np.random.Generator) -> Image:
    """Cloudy noise, about −1…1; the coarsest octave has `cells` cells along the longer side."""
    height, width = shape
    total = np.zeros(shape, np.float32)
    weight = 0.0
    for octave in range(octaves):
        count = cells * 2**octave / max(shape)
        size = (max(2, int(width * count) + 2), max(2, int(height * count) + 2))
        layer = rng.normal(size=size[::-1]).astype(np.float32)
        total += cv2.resize(layer, (width, height), interpolation=cv2.INTER_CUBIC) * 0.55**octave
        weight += 0.55**octave
    return np.asarray(total / weight, np.float32)


def stone(size: int, colour: Sequence[float], rng: np.random.Generator, grain: float = 0.10) -> Image:
    """A square of stone of mean linear `colour`, (size, size, 3)."""
    cloud = noise((size, size), 4, 7, rng)
    speck = rng.normal(size=(size, size)).astype(np.float32)
    tone = 1 + 0.22 * cloud + grain * cv2.GaussianBlur(speck, (0, 0), 0.8)
    hue = 1 + 0.05 * noise((size, size), 3, 4, rng)[..., None] * np.array([1.0, 0.0, -1.2], np.float32)
    return np.clip(tone[..., None] * hue * np.asarray(colour, np.float32), 0.01, 0.95).astype(np.float32)


def paving(
    slabs: Sequence[tuple[float, float, float, float]],
    extent: tuple[float, float, float, float],
    size: int,
    colour: Sequence[float],
    rng: np.random.Generator,
) -> Image:
    """The colour of a paved ground, seen from above.

    Parameters
    ----------
    slabs : (x0, y0, x1, y1) of each slab [m].
    extent : (x0, y0, x1, y1) covered by the picture [m]; y grows with the row.
    size : pixels along x.
    colour : mean linear colour.
    rng : the source of every choice.
    """
    x0, y0, x1, y1 = extent
    scale = size / (x1 - x0)
    height = round((y1 - y0) * scale)
    tone = np.full((height, size, 3), 0.35, np.float32) * np.asarray(colour, np.float32)
    inside = np.zeros((height, size), np.float32)
    for slab in slabs:
        c0, r0, c1, r1 = (round((value - low) * scale) for value, low in zip(slab, (x0, y0, x0, y0), strict=True))
        c0, r0 = max(c0, 0), max(r0, 0)
        if c1 <= c0 or r1 <= r0:
            continue
        shade = np.exp(rng.normal(scale=0.13)) * (1 + rng.normal(scale=(0.035, 0.015, 0.045)))
        tone[r0:r1, c0:c1] = np.asarray(colour) * shade
        inside[r0:r1, c0:c1] = 1
    shape = (height, size)
    cloud = noise(shape, 30, 7, rng)
    fine = noise(shape, 400, 3, rng)
    stains = np.clip(noise(shape, 9, 5, rng) - 0.35, 0, 1)
    dirt = 1 - cv2.GaussianBlur(inside, (0, 0), 0.025 * scale)
    dirt *= 0.7 + 0.8 * noise(shape, 40, 4, rng)
    factor = (1 + 0.16 * cloud + 0.12 * fine) * (1 - 0.45 * stains) * np.clip(1 - 0.75 * dirt, 0.25, 1.1)
    moss = np.clip(noise(shape, 14, 5, rng) - 0.1, 0, 1) * np.clip(dirt * 2.2, 0, 1)
    moss_colour = np.array([0.10, 0.12, 0.045], np.float32)
    result = tone * factor[..., None] * (1 - moss[..., None]) + moss_colour * moss[..., None]
    return np.clip(result, 0.01, 0.9).astype(np.float32)


def plaster(size: int, colour: Sequence[float], rng: np.random.Generator) -> Image:
    """A weathered lime-plastered wall, streaked downwards, darker at its foot (the last rows)."""
    cloud = noise((size, size), 5, 7, rng)
    streak = cv2.resize(noise((size // 16, size), 60, 4, rng), (size, size), interpolation=cv2.INTER_CUBIC)
    patch = np.clip(noise((size, size), 7, 5, rng) - 0.4, 0, 1)
    foot = np.clip(np.linspace(-4.2, 1, size, dtype=np.float32)[:, None] + 0.3 * cloud, 0, 1)
    tone = (1 + 0.1 * cloud + 0.08 * streak - 0.5 * patch) * (1 - 0.45 * foot)
    brown = np.array([0.0, -0.05, -0.13], np.float32) * (patch * 2 + foot)[..., None]
    return np.clip(np.asarray(colour, np.float32) * (tone[..., None] + brown), 0.02, 0.9).astype(np.float32)


def courses(size: int, metres: float, colour: Sequence[float], rng: np.random.Generator) -> Image:
    """A wall of squared stone in courses; the picture covers `metres` [m] a side."""
    scale = size / metres
    tone = np.ones((size, size, 3), np.float32) * np.asarray(colour, np.float32) * 0.45
    z = 0.0
    while z < metres:
        rise, x = rng.uniform(0.22, 0.38), -rng.uniform(0, 0.6)
        while x < metres:
            length = rng.uniform(0.4, 0.95)
            box = [int((v + 0.006) * scale) for v in (z, x)] + [
                int((z + rise - 0.006) * scale),
                int((x + length - 0.006) * scale),
            ]
            shade = np.exp(rng.normal(scale=0.12)) * (1 + rng.normal(scale=(0.03, 0.015, 0.035)))
            tone[max(box[0], 0) : box[2], max(box[1], 0) : box[3]] = np.asarray(colour) * shade
            x += length
        z += rise
    cloud = noise((size, size), 14, 7, rng)
    stains = np.clip(noise((size, size), 4, 5, rng) - 0.3, 0, 1)
    tone *= ((1 + 0.18 * cloud) * (1 - 0.4 * stains))[..., None]
    return np.clip(tone, 0.01, 0.9).astype(np.float32)


def timber(size: int, colour: Sequence[float], rng: np.random.Generator) -> Image:
    """Weathered boards, the grain along the rows' axis (v)."""
    grain = cv2.resize(noise((size // 24, size), 90, 5, rng), (size, size), interpolation=cv2.INTER_CUBIC)
    boards = np.repeat(np.exp(rng.normal(scale=0.12, size=8)), size // 8)
    tone = (1 + 0.25 * grain) * boards[None, :size]
    gap = np.abs((np.arange(size) % (size // 8)) - 1) < 3
    tone = np.where(gap[None, :], 0.25, tone)
    return np.clip(tone[..., None] * np.asarray(colour, np.float32), 0.01, 0.9).astype(np.float32)


def foliage(size: int, colour: Sequence[float], rng: np.random.Generator) -> Image:
    """Leaf colours: one leaf takes one point of the picture."""
    tone = np.exp(rng.normal(scale=0.3, size=(size, size, 1)))
    hue = 1 + rng.normal(scale=(0.16, 0.06, 0.14), size=(size, size, 3))
    return np.clip(tone * hue * np.asarray(colour), 0.01, 0.8).astype(np.float32)
