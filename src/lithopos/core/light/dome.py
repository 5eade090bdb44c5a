"""Light from all around, in a few figures: what it gives any surface, and where it is brightest.

The irradiance follows from its harmonics; see `harmonics`.
"""

from __future__ import annotations

from typing import Annotated

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import REC709
from lithopos.core.light.harmonics import WEIGHTS, harmonics

ROWS = 128
BRIGHT_DEG = 6.0  # about its brightest place: a sun and its glare
AROUND_DEG = 10.0  # what lies about that tells how bright it would be there without
DISC_ROWS = 1024  # of a panorama in which a disc is round
# How far down a panorama shows nothing but the ground about it, within two metres of its lens: sines of elevations;
# lower lies what it stood on.
BELOW = (-0.95, -0.6)
AS_LIT = 0.6  # of its brightest ground: more is taken to lie in the same light
LEAST_LIT = 0.15  # of the ground
LIKELY = (0.02, 0.75)  # reflectances of a ground: others tell that the panorama does not hold its own light
SUNNY = 0.2  # of the level irradiance from there: a sun shines
# What it shows above the horizon, in cells: of photographs little more is seen.
CELL_DEG, HIGHEST_DEG, CELLS_ROUND = 6.0, 54.0, 30
CELLS = round(HIGHEST_DEG / CELL_DEG) * CELLS_ROUND
Colour = Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)]

__all__ = [
    "Dome",
    "directions",
    "dome_above",
    "dome_cells",
    "dome_graded",
    "dome_irradiance",
    "dome_of",
    "dome_radiance",
    "dome_sun",
    "dome_turned",
    "graded",
    "ground_of",
    "parted",
]


class Dome(BaseModel):
    """What a panorama gives; of a file as it is turned in it (its middle towards +x).

    Attributes
    ----------
    harmonics : 18 colours, of all but the sun.
    azimuth_deg, elevation_deg : of its brightest place; `share` what that gives of what falls on level ground.
    sun : what the brightest place gives a surface that faces it, where a sun shines; else nothing.
    ground : how bright the ground about it is, where it is lit; None where that was not told.
    above : its mean radiance in cells from the horizon up to `HIGHEST_DEG`, and round from +x counter-clockwise; none
        where that was not told. Always as it is in the file, which `rotation` turns.
    """

    model_config = ConfigDict(extra="forbid")

    harmonics: Annotated[list[Colour], Field(min_length=18, max_length=18)]
    azimuth_deg: FiniteFloat
    elevation_deg: FiniteFloat
    share: Annotated[FiniteFloat, Field(ge=0, le=1)]
    sun: Colour = [0.0, 0.0, 0.0]
    ground: Colour | None = None
    above: Annotated[list[Colour], Field(max_length=CELLS)] = []
    rotation: Annotated[list[Colour], Field(min_length=3, max_length=3)] | None = None

    @property
    def sunny(self) -> bool:
        """Whether a sun shines in it."""
        return self.share > SUNNY and self.elevation_deg > 0 and max(self.sun) > 0


def dome_of(radiance: Floats) -> Dome:
    """The figures of a panorama (H, W, 3): longitude and latitude, its first row straight up, its middle towards +x."""
    small = cv2.resize(radiance, (2 * ROWS, ROWS), interpolation=cv2.INTER_AREA).astype(float)
    ways, solid = directions(ROWS)
    bright = small @ REC709
    # Of several bright places that which gives most with what is about it.
    about = cv2.blur(bright * solid, (5, 5), borderType=cv2.BORDER_REPLICATE)
    row, column = np.unravel_index(int(np.argmax(about)), about.shape)
    middle = _middle_of(bright, ways, solid, ways[row, column])
    near = ways @ middle > np.cos(np.radians(BRIGHT_DEG))
    if len(radiance) > ROWS:
        middle = _finer(radiance, middle)
    ground = _lit_ground(small, ways, solid)
    rise = np.maximum(ways[..., 2], 0) * bright * solid
    share = float(np.clip(rise[near].sum() / max(float(rise.sum()), 1e-12), 0, 1))
    sun = np.zeros(3)
    if share > SUNNY and middle[2] > 0:
        small, disc = parted(small, middle)
        sun = (disc * (solid * np.maximum(ways @ middle, 0))[..., None]).sum((0, 1))
    figures = np.einsum("hwk,hwc->kc", harmonics(ways), small * solid[..., None])
    return Dome(
        harmonics=figures.tolist(),
        azimuth_deg=float(np.degrees(np.arctan2(middle[1], middle[0]))),
        elevation_deg=float(np.degrees(np.arcsin(np.clip(middle[2], -1, 1)))),
        share=share,
        sun=sun.tolist(),
        ground=None if ground is None else ground.tolist(),
        above=_above(small, ways, solid),
    )


def _middle_of(bright: Array, ways: Array, solid: Array, about: Array) -> Array:
    """The unit vector (3,) to the middle of what is bright within `BRIGHT_DEG` of a direction.

    What lies around it is no part of it: glare and haze are seldom even about a sun.
    """
    towards = ways @ about
    near = towards > np.cos(np.radians(BRIGHT_DEG))
    ring = (towards > np.cos(np.radians(AROUND_DEG))) & ~near
    level = float(np.median(bright[ring])) if ring.any() else 0.0
    over = np.maximum(bright[near] - level, 0) * solid[near]
    middle = (over[:, None] * ways[near]).sum(0)
    length = float(np.linalg.norm(middle))
    return middle / length if length > 1e-12 else np.asarray(about, float)


def _finer(radiance: Floats, middle: Array) -> Array:
    """The middle of a panorama's sun by its own pixels: one of the small picture's is five times as wide as the sun."""
    rows = len(radiance)
    row = (0.5 - np.arcsin(np.clip(middle[2], -1, 1)) / np.pi) * rows
    reach = AROUND_DEG / 180 * rows
    band = slice(max(int(row - reach), 0), int(np.ceil(row + reach)) + 1)
    ways, solid = directions(rows, band)
    return _middle_of(radiance[band].astype(float) @ REC709, ways, solid, middle)


def _above(radiance: Array, ways: Array, solid: Array) -> list[list[float]]:
    row, column = _cells(ways)
    within = (ways[..., 2] > 0) & (row < HIGHEST_DEG / CELL_DEG)
    cell = (row.astype(int) * CELLS_ROUND + column.astype(int) % CELLS_ROUND)[within]
    whole = np.bincount(cell, solid[within], CELLS)
    found = [np.bincount(cell, (radiance[..., n] * solid)[within], CELLS) / whole for n in range(3)]
    return [[float(f"{value:.4g}") for value in colour] for colour in zip(*found, strict=True)]


def _cells(ways: Array) -> tuple[Array, Array]:
    """Row and column of cells, with fractions, that unit vectors (..., 3) in a panorama's own frame lie in."""
    elevation = np.degrees(np.arcsin(np.clip(ways[..., 2], -1, 1)))
    around = np.degrees(np.arctan2(ways[..., 1], ways[..., 0])) % 360
    return np.asarray(elevation / CELL_DEG), np.asarray(around / 360 * CELLS_ROUND)


def dome_cells(dome: Dome) -> tuple[Array, Array] | None:
    """The directions (N, 3) of the cells' middles and what they show, (N, 3); None where they were not told."""
    if len(dome.above) != CELLS:
        return None
    rows, columns = np.arange(0.5, HIGHEST_DEG / CELL_DEG), np.arange(0.5, CELLS_ROUND)
    elevation, around = np.meshgrid(np.radians(rows * CELL_DEG), columns * 2 * np.pi / CELLS_ROUND, indexing="ij")
    level = np.cos(elevation)
    ways = np.stack([level * np.cos(around), level * np.sin(around), np.sin(elevation)], -1).reshape(-1, 3)
    return ways if dome.rotation is None else ways @ np.array(dome.rotation).T, np.array(dome.above)


def dome_above(dome: Dome, ways: Array) -> Array | None:
    """What a dome shows towards unit vectors (N, 3) above the horizon, between its cells' middles, (N, 3).

    As in the lowest and the highest cells beyond them; None where it was not told.
    """
    if len(dome.above) != CELLS:
        return None
    row, column = _cells(ways if dome.rotation is None else ways @ np.array(dome.rotation))
    grid = np.array(dome.above).reshape(-1, CELLS_ROUND, 3)
    row, column = np.clip(row - 0.5, 0, len(grid) - 1.001), column - 0.5
    y, x = np.floor(row).astype(int), np.floor(column).astype(int)
    v, u = (row - y)[..., None], (column - x)[..., None]
    low, high = (grid[at, x % CELLS_ROUND] * (1 - u) + grid[at, (x + 1) % CELLS_ROUND] * u for at in (y, y + 1))
    return np.asarray(low * (1 - v) + high * v)


def _lit_ground(radiance: Array, ways: Array, solid: Array) -> Array | None:
    """How bright the lit part of the ground is that a panorama shows below it, (3,)."""
    below = (ways[..., 2] > BELOW[0]) & (ways[..., 2] < BELOW[1])
    bright = radiance @ REC709
    lit = below & (bright > AS_LIT * np.quantile(bright[below], 0.9))
    if (solid * lit).sum() < LEAST_LIT * (solid * below).sum():
        return None
    return np.asarray(np.median(radiance[lit], axis=0))


def ground_of(dome: Dome, mirrors: float = 0.0) -> Array | None:
    """What the ground in a panorama throws back of the light that the panorama gives it, (3,); None: it can't be told.

    It is lit as level ground is at the lens, in the sun if one shines.

    Parameters
    ----------
    mirrors : the share of what is overhead that it mirrors besides.
    """
    if dome.ground is None:
        return None
    up = np.array([0.0, 0, 1])
    light = dome_irradiance(dome, up)
    if dome.sunny:
        light = light + float(dome_sun(dome)[2]) * np.array(dome.sun)
    body = np.array(dome.ground) - mirrors * np.maximum(dome_radiance(dome, up), 0)
    found = np.pi * body / np.maximum(light, 1e-12)
    likely = LIKELY[0] < float(found @ REC709) < LIKELY[1] and found.min() > 0
    return np.asarray(found) if likely else None


def parted(radiance: Array, middle: Array) -> tuple[Array, Array]:
    """A panorama without its sun, as bright there as about it, and the sun alone, (H, W, 3) each.

    Parameters
    ----------
    middle : (3,) unit vector to the sun, in the panorama's own frame.
    """
    ways, _ = directions(len(radiance))
    towards = ways @ middle
    near = towards > np.cos(np.radians(BRIGHT_DEG))
    ring = (towards > np.cos(np.radians(AROUND_DEG))) & ~near
    level = np.median(radiance[ring], axis=0) if ring.any() else np.zeros(3)
    sun = np.zeros_like(radiance)
    sun[near] = np.maximum(radiance[near] - level, 0)
    return radiance - sun, sun


def dome_irradiance(dome: Dome, normal: Array) -> Array:
    """What all but the sun of a dome gives a surface of the unit normal (3,): (3,)."""
    light = (harmonics(normal) * WEIGHTS) @ np.array(dome.harmonics)
    return np.asarray(np.maximum(light, 0.0))


def dome_radiance(dome: Dome, ways: Array) -> Array:
    """All but the sun of a dome in broad strokes, as far as its harmonics go, for unit vectors (..., 3): (..., 3)."""
    return np.asarray(np.maximum(harmonics(ways) @ np.array(dome.harmonics), 0.0))


def dome_sun(dome: Dome) -> Array:
    """Unit vector (3,) to the brightest place."""
    azimuth, elevation = np.radians([dome.azimuth_deg, dome.elevation_deg])
    level = np.cos(elevation)
    return np.array([level * np.cos(azimuth), level * np.sin(azimuth), np.sin(elevation)])


def dome_turned(dome: Dome, rotation: Array) -> Dome:
    """A dome turned by (3, 3): the harmonics of each order among themselves, by their values all over the sphere."""
    ways, _ = directions(8)
    spread = ways.reshape(-1, 3)
    figures = np.linalg.lstsq(harmonics(spread), harmonics(spread @ rotation) @ np.array(dome.harmonics), rcond=None)[0]
    x, y, z = rotation @ dome_sun(dome)
    azimuth, elevation = np.degrees([np.arctan2(y, x), np.arcsin(np.clip(z, -1, 1))])
    place = {"azimuth_deg": float(azimuth), "elevation_deg": float(elevation)}
    turned = {"harmonics": figures.tolist(), "rotation": np.asarray(rotation).tolist()}
    return dome.model_copy(update={**turned, **place})


def graded(light: Array, saturation: float, warmth: float) -> Array:
    """Colours (..., 3) with their saturation and warmth by hand; both are linear in the light.

    Parameters
    ----------
    warmth : stops by which red is raised and blue lowered; the luminance of white stays.
    """
    gains = 2.0 ** (warmth * np.array([1.0, 0.0, -1.0]))
    warmed = light * (gains / (gains @ REC709))
    grey = (warmed @ REC709)[..., None]
    return np.asarray(grey + saturation * (warmed - grey))


def dome_graded(dome: Dome, saturation: float, warmth: float) -> Dome:
    """A dome whose light is graded."""
    figures, sun = (graded(np.array(light), saturation, warmth) for light in (dome.harmonics, dome.sun))
    ground = np.maximum(graded(np.array(dome.ground), saturation, warmth), 0).tolist() if dome.ground else None
    above = np.maximum(graded(np.array(dome.above), saturation, warmth), 0).tolist() if dome.above else []
    seen = {"ground": ground, "above": above}
    return dome.model_copy(update={"harmonics": figures.tolist(), "sun": np.maximum(sun, 0).tolist(), **seen})


def disc(rows: int, middle: Array, width_deg: float, facing: Array) -> Array:
    """A round, even sun (rows, 2 rows, 3) that gives a surface facing it `facing` (3,)."""
    ways, solid = directions(rows)
    apart = np.arccos(np.clip(ways @ middle, -1, 1))
    pixel = np.pi / rows
    cover = np.clip((np.radians(width_deg) / 2 - apart) / pixel + 0.5, 0, 1)
    given = float((cover * solid * np.cos(apart)).sum())
    return np.asarray(cover[..., None] * facing / max(given, 1e-12))


def directions(rows: int, band: slice = slice(None)) -> tuple[Array, Array]:
    """The middles of a panorama's pixels as unit vectors (H, 2H, 3), and their solid angles (H, 2H); of some rows."""
    elevation = np.pi / 2 - (np.arange(rows)[band] + 0.5) * np.pi / rows
    # From within, longitude grows to the right: clockwise as seen from above.
    azimuth = np.pi - (np.arange(2 * rows) + 0.5) * np.pi / rows
    height, around = np.meshgrid(elevation, azimuth, indexing="ij")
    level = np.cos(height)
    ways = np.stack([level * np.cos(around), level * np.sin(around), np.sin(height)], -1)
    return ways, level * (np.pi / rows) ** 2
