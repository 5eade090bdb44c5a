"""`python -m lithopos.samples.seamless`: the textures that ship with the program, seamless, made from a seed.

Noise is made in the frequency domain, where it repeats by itself. Lengths are in shares of the repeat.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lithopos.samples.models import encode_srgb
from lithopos.samples.textures import Image

FOLDER = Path(__file__).parents[1] / "core/materials/shipped"
SIZE = 1024
RELIEF_SIZE = 512

__all__ = ["make_all"]


@dataclass(frozen=True)
class _Made:
    """Linear colour (H, W, 3) and height (H, W) in 0..1."""

    colour: Image
    height: Image


def _noise(rng: np.random.Generator, slope: float, along: float = 1.0, least: float = 1.0, most: float = 1e9) -> Image:
    """Seamless noise of mean 0 and deviation 1.

    Parameters
    ----------
    slope : its spectrum falls with so high a power of the frequency.
    along : drawn out by so much downwards.
    least, most : waves a repeat.
    """
    fy, fx = np.fft.fftfreq(SIZE, 1 / SIZE)[:, None] * along, np.fft.rfftfreq(SIZE, 1 / SIZE)[None]
    waves = np.hypot(fx, fy)
    power = np.where((waves >= least) & (waves <= most), np.maximum(waves, 1e-9) ** -slope, 0)
    spectrum = power * np.exp(2j * np.pi * rng.random(waves.shape)) * rng.normal(size=waves.shape)
    field = np.fft.irfft2(spectrum, s=(SIZE, SIZE))
    return np.asarray((field - field.mean()) / field.std(), np.float32)


def _cells(rng: np.random.Generator, count: int) -> tuple[Image, Image, Image]:
    """Seamless cells about random points: which one, the nearest point's distance, and how much farther the next is."""
    from scipy.spatial import cKDTree

    tree = cKDTree(rng.random((count, 2)), boxsize=np.ones(2))
    at = (np.stack(np.meshgrid(np.arange(SIZE), np.arange(SIZE)), -1).reshape(-1, 2) + 0.5) / SIZE
    away, which = (np.asarray(one) for one in tree.query(at, k=2))
    shape = (SIZE, SIZE)
    return (
        which[:, 0].reshape(shape).astype(np.float32),
        away[:, 0].reshape(shape).astype(np.float32),
        (away[:, 1] - away[:, 0]).reshape(shape).astype(np.float32),
    )


def _unit(values: Image) -> Image:
    low, high = np.percentile(values, [0.2, 99.8])
    return np.asarray(np.clip((values - low) / (high - low), 0, 1), np.float32)


def _toned(colour: tuple[float, float, float], tone: Image, hue: Image | None = None, warm: float = 0.0) -> Image:
    tint = 1.0 if hue is None else 1 + warm * hue[..., None] * np.array([1.0, 0.1, -1.0], np.float32)
    return np.asarray(np.clip(np.array(colour, np.float32) * tone[..., None] * tint, 0.004, 0.92), np.float32)


def _timber(colour: tuple[float, float, float], rings: float, contrast: float, pores: float) -> Callable[..., _Made]:
    def make(rng: np.random.Generator) -> _Made:
        # Boards cut along the trunk: rings drawn out, a little wavy, denser here and there.
        bend = _noise(rng, 2.2, along=9.0, most=40)
        x = np.arange(SIZE, dtype=np.float32)[None] / SIZE
        phase = rings * x + 0.9 * bend
        ring = np.mod(phase, 1.0)
        late = np.clip((ring - 0.55) / 0.45, 0, 1) ** 2 * (ring < 0.97)
        fibre = _noise(rng, 0.55, along=34.0, least=20)
        pore = np.clip(_noise(rng, 0.2, along=26.0, least=60) - 1.6, 0, 1.6)
        tone = 1 - contrast * late + 0.07 * fibre - pores * pore
        height = 0.6 - 0.25 * late + 0.05 * fibre - 0.5 * pores * pore
        return _Made(_toned(colour, tone, _noise(rng, 1.8, along=3.0, most=30), 0.012), _unit(height))

    return make


def _weathered(rng: np.random.Generator) -> _Made:
    made = _timber((0.30, 0.285, 0.265), 11, 0.3, 0.25)(rng)
    crack = np.clip(_noise(rng, 0.7, along=40.0, least=6) - 1.9, 0, 1)
    return _Made(np.asarray(made.colour * (1 - 0.6 * crack[..., None])), _unit(made.height - 0.8 * crack))


def _weave(
    over: tuple[int, ...], threads: int, warp: tuple[float, ...], weft: tuple[float, ...]
) -> Callable[..., _Made]:
    """A weave in which row n of the pattern goes over the threads where the shifted pattern says so."""

    def make(rng: np.random.Generator) -> _Made:
        wander = 0.06 * _noise(rng, 1.2, most=60)
        y, x = np.meshgrid(np.arange(SIZE) / SIZE, np.arange(SIZE) / SIZE, indexing="ij")
        u, v = x * threads + wander, y * threads + wander.T
        column, row = np.floor(u).astype(int) % threads, np.floor(v).astype(int) % threads
        is_over = np.array(over)[(column - row) % len(over)] > 0
        across = np.where(is_over, u - np.floor(u), v - np.floor(v)) - 0.5
        along = np.where(is_over, v - np.floor(v), u - np.floor(u)) - 0.5
        round_ = np.sqrt(np.clip(1 - (across / 0.52) ** 2, 0, 1)) * (0.75 + 0.25 * np.cos(np.pi * along))
        twist = 0.5 + 0.5 * np.sin(2 * np.pi * (along * 3 + across * 2.5))
        shade_warp, shade_weft = np.exp(rng.normal(scale=0.07, size=(2, threads)))
        thick = np.where(is_over, shade_warp[column], shade_weft[row])
        tone = thick * (0.45 + 0.55 * round_) * (0.9 + 0.1 * twist) * (1 + 0.05 * _noise(rng, 0.4, least=60))
        base = np.where(is_over[..., None], np.array(warp), np.array(weft))
        return _Made(
            np.asarray(np.clip(base * tone[..., None], 0.004, 0.9), np.float32),
            _unit((round_ + 0.12 * twist).astype(np.float32)),
        )

    return make


def _limestone(rng: np.random.Generator) -> _Made:
    cloud, fine = _noise(rng, 1.6, most=200), _noise(rng, 0.3, least=90)
    which, _, gap = _cells(rng, 900)
    shell = (rng.random(900)[which.astype(int)] > 0.86) * np.clip(gap * 60, 0, 1)
    pit = np.clip(_noise(rng, 0.6, least=30) - 2.1, 0, 1)
    tone = 1 + 0.06 * cloud + 0.05 * fine + 0.10 * shell - 0.5 * pit
    return _Made(
        _toned((0.50, 0.46, 0.375), tone, cloud, 0.012), _unit(0.05 * cloud + 0.10 * fine + 0.2 * shell - 1.2 * pit)
    )


def _slate(rng: np.random.Generator) -> _Made:
    leaf = _noise(rng, 1.9, along=0.45, most=120)
    steps = np.round(leaf * 1.6) / 1.6 + 0.12 * leaf
    fine = _noise(rng, 0.35, least=60)
    tone = 1 + 0.05 * leaf + 0.09 * fine
    return _Made(_toned((0.085, 0.095, 0.105), tone, _noise(rng, 1.8, most=12), 0.015), _unit(steps + 0.06 * fine))


def _granite(rng: np.random.Generator) -> _Made:
    count = 5200
    which, _, gap = _cells(rng, count)
    kinds = rng.choice(4, count, p=[0.42, 0.30, 0.18, 0.10])
    colours = np.array([[0.46, 0.44, 0.42], [0.55, 0.52, 0.48], [0.20, 0.19, 0.19], [0.035, 0.035, 0.038]], np.float32)
    grain = colours[kinds] * np.exp(rng.normal(scale=0.13, size=(count, 1)))
    colour = grain[which.astype(int)] * (1 + 0.05 * _noise(rng, 0.3, least=80)[..., None])
    edge = np.clip(gap * 160, 0, 1)
    return _Made(np.asarray(np.clip(colour, 0.01, 0.9), np.float32), _unit(edge + 0.3 * _noise(rng, 0.4, least=60)))


def _terrazzo(rng: np.random.Generator) -> _Made:
    count = 520
    which, _, gap = _cells(rng, count)
    size = rng.uniform(0.004, 0.02, count)[which.astype(int)]
    chip = np.clip((gap - size) * 700, 0, 1)
    colours = np.array(
        [[0.62, 0.58, 0.5], [0.30, 0.12, 0.075], [0.10, 0.13, 0.11], [0.44, 0.42, 0.4], [0.05, 0.05, 0.05]], np.float32
    )
    mine = (
        colours[rng.choice(5, count, p=[0.34, 0.2, 0.16, 0.22, 0.08])] * np.exp(rng.normal(scale=0.1, size=(count, 1)))
    )[which.astype(int)]
    cement = np.array([0.52, 0.5, 0.46], np.float32) * (1 + 0.05 * _noise(rng, 0.9, least=10)[..., None])
    colour = cement + (mine * (1 + 0.05 * _noise(rng, 1.0, least=20)[..., None]) - cement) * chip[..., None]
    return _Made(np.asarray(np.clip(colour, 0.01, 0.9), np.float32), _unit(chip + 0.05 * _noise(rng, 0.5, least=60)))


def _plaster(rng: np.random.Generator) -> _Made:
    stroke = _noise(rng, 1.5, along=0.5, most=90) + 0.6 * _noise(rng, 1.5, along=2.2, most=90)
    fine = _noise(rng, 0.25, least=90)
    tone = 1 + 0.035 * stroke + 0.02 * fine
    return _Made(_toned((0.66, 0.63, 0.57), tone, _noise(rng, 2, most=9), 0.006), _unit(stroke + 0.25 * fine))


def _boarded(rng: np.random.Generator) -> _Made:
    boards = 6
    x = np.arange(SIZE)[None] / SIZE * boards
    number = np.floor(x).astype(int) % boards
    offset = rng.normal(scale=0.25, size=boards)[number]
    joint = np.exp(-(((x - np.floor(x + 0.5)) * 26) ** 2))
    grain = _noise(rng, 0.7, along=26.0, least=16)
    hole = np.clip(_noise(rng, 0.8, least=18, most=90) - 2.5, 0, 1)
    tone = (1 + 0.05 * offset + 0.04 * grain + 0.05 * _noise(rng, 1.6, most=60)) * (1 - 0.12 * joint) - 0.45 * hole
    return _Made(
        _toned((0.36, 0.355, 0.335), np.asarray(tone, np.float32)),
        _unit(offset + 0.22 * grain + 0.9 * joint - 2.2 * hole),
    )


def _rusted(rng: np.random.Generator) -> _Made:
    cloud, fine = _noise(rng, 1.35, most=400), _noise(rng, 0.5, least=30)
    share = _unit(cloud + 0.35 * fine)[..., None]
    dark, mid, pale = (
        np.array(c, np.float32) for c in ((0.055, 0.022, 0.014), (0.20, 0.066, 0.026), (0.40, 0.155, 0.055))
    )
    low = dark + (mid - dark) * np.clip(share * 2, 0, 1)
    colour = low + (pale - low) * np.clip(share * 2 - 1, 0, 1)
    return _Made(
        np.asarray(colour * (1 + 0.08 * fine[..., None]), np.float32).clip(0.01, 0.9), _unit(cloud + 0.6 * fine)
    )


def _hide(rng: np.random.Generator) -> _Made:
    which, _, gap = _cells(rng, 3600)
    crease = np.exp(-gap * 140) + 0.4 * np.clip(_noise(rng, 1.4, along=1.6, least=4, most=50) - 1.2, 0, 1)
    lift = rng.normal(scale=0.07, size=3600)[which.astype(int)]
    tone = 1 - 0.35 * crease + 0.05 * _noise(rng, 1.4, most=80) + lift * 0.4
    return _Made(
        _toned((0.17, 0.085, 0.046), np.asarray(tone, np.float32)), _unit(np.asarray(lift - crease, np.float32))
    )


def _told(
    title: str,
    kinds: tuple[str, ...],
    repeat_mm: float,
    relief_mm: float,
    roughness: float,
    rougher_below: float,
    threads: int = 0,
) -> dict[str, Any]:
    """A texture's description, as the program reads it."""
    return {
        "title": title,
        "kinds": kinds,
        "repeat_mm": repeat_mm,
        "relief_mm": relief_mm,
        "roughness": roughness,
        "rougher_below": rougher_below,
        "threads": threads,
    }


_TEXTURES: dict[str, tuple[dict[str, Any], Callable[[np.random.Generator], _Made]]] = {
    "oak": (_told("Oak", ("wood",), 420, 0.35, 0.6, 0.15), _timber((0.42, 0.27, 0.135), 15, 0.34, 0.3)),
    "walnut": (_told("Walnut", ("wood",), 420, 0.3, 0.55, 0.15), _timber((0.14, 0.078, 0.043), 12, 0.42, 0.25)),
    "silver-larch": (_told("Weathered larch", ("wood",), 380, 1.4, 0.85, 0.1), _weathered),
    "linen": (
        _told("Linen", ("cloth",), 48, 0.5, 0.9, 0.05, 32),
        _weave((1, 0), 32, (0.56, 0.5, 0.4), (0.5, 0.44, 0.34)),
    ),
    "twill": (
        _told("Blue twill", ("cloth",), 48, 0.6, 0.9, 0.05, 32),
        _weave((1, 1, 0, 0), 32, (0.05, 0.075, 0.12), (0.17, 0.2, 0.25)),
    ),
    "limestone": (_told("Limestone", ("stone",), 500, 0.9, 0.8, 0.1), _limestone),
    "slate": (_told("Slate", ("stone",), 600, 3.0, 0.6, 0.15), _slate),
    "granite": (_told("Granite", ("stone",), 220, 0.25, 0.5, 0.15), _granite),
    "terrazzo": (_told("Terrazzo", ("stone", "concrete"), 400, 0.08, 0.35, 0.2), _terrazzo),
    "plaster": (_told("Lime plaster", ("matte", "concrete"), 800, 1.2, 0.9, 0.05), _plaster),
    "boarded-concrete": (_told("Board-marked concrete", ("concrete",), 900, 3.0, 0.75, 0.15), _boarded),
    "rusted-steel": (_told("Rusted steel", ("metal", "matte"), 500, 0.6, 0.85, 0.1), _rusted),
    "hide": (_told("Leather", ("leather",), 160, 0.35, 0.5, 0.25), _hide),
}


def make_all(folder: Path = FOLDER) -> None:
    """Write all textures and their description."""
    folder.mkdir(parents=True, exist_ok=True)
    for number, (name, (_, make)) in enumerate(_TEXTURES.items()):
        made = make(np.random.default_rng(7000 + number))
        colour = np.round(encode_srgb(made.colour) * 255).astype(np.uint8)
        cv2.imwrite(str(folder / f"{name}.jpg"), colour[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 86])
        small = cv2.resize(made.height, (RELIEF_SIZE, RELIEF_SIZE), interpolation=cv2.INTER_AREA)
        # The lowest bits are noise that no render shows and no packing makes smaller.
        codes = (np.round(small * 4095).astype(np.uint16)) << 4
        cv2.imwrite(str(folder / f"{name}.png"), codes, [cv2.IMWRITE_PNG_COMPRESSION, 9])
    told = {name: one for name, (one, _) in _TEXTURES.items()}
    (folder / "index.json").write_text(json.dumps(told, indent=1) + "\n")


if __name__ == "__main__":
    make_all()
