"""Light from all around, in a few figures: what it gives any surface, and where it is brightest.

The irradiance follows from its harmonics; see `harmonics`.
"""

from __future__ import annotations

from typing import Annotated

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array, Floats
from lithopos.core.light.harmonics import WEIGHTS, harmonics

ROWS = 128
BRIGHT_DEG = 6.0  # about its brightest place: a sun and its glare
SUNNY = 0.2  # of the level irradiance from there: a sun shines
Colour = Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)]

__all__ = ["Dome", "dome_irradiance", "dome_of", "dome_sun"]


class Dome(BaseModel):
    """What a panorama gives, as it is turned in its file (its middle towards +x).

    Attributes
    ----------
    harmonics : 18 colours.
    azimuth_deg, elevation_deg : of its brightest place; `share` what that gives of what falls on level ground.
    """

    model_config = ConfigDict(extra="forbid")

    harmonics: Annotated[list[Colour], Field(min_length=18, max_length=18)]
    azimuth_deg: FiniteFloat
    elevation_deg: FiniteFloat
    share: Annotated[FiniteFloat, Field(ge=0, le=1)]

    @property
    def sunny(self) -> bool:
        """Whether a sun shines in it."""
        return self.share > SUNNY and self.elevation_deg > 0


def dome_of(radiance: Floats) -> Dome:
    """The figures of a panorama (H, W, 3): longitude and latitude, its first row straight up, its middle towards +x."""
    small = cv2.resize(radiance, (2 * ROWS, ROWS), interpolation=cv2.INTER_AREA).astype(float)
    ways, solid = _directions(ROWS)
    weighed = small * solid[..., None]
    figures = np.einsum("hwk,hwc->kc", harmonics(ways), weighed)
    bright = small @ [0.2126, 0.7152, 0.0722]
    # Of several bright places that which gives most with what is about it.
    about = cv2.blur(bright * solid, (5, 5), borderType=cv2.BORDER_REPLICATE)
    row, column = np.unravel_index(int(np.argmax(about)), about.shape)
    middle = ways[row, column]
    near = ways @ middle > np.cos(np.radians(BRIGHT_DEG))
    given = (bright * solid)[near]
    middle = (given[:, None] * ways[near]).sum(0)
    middle /= max(float(np.linalg.norm(middle)), 1e-12)
    rise = np.maximum(ways[..., 2], 0) * bright * solid
    return Dome(
        harmonics=figures.tolist(),
        azimuth_deg=float(np.degrees(np.arctan2(middle[1], middle[0]))),
        elevation_deg=float(np.degrees(np.arcsin(np.clip(middle[2], -1, 1)))),
        share=float(np.clip(rise[near].sum() / max(float(rise.sum()), 1e-12), 0, 1)),
    )


def dome_irradiance(dome: Dome, turn_deg: float, normal: Array) -> Array:
    """What a dome, turned about the z axis, gives a surface of the unit normal (3,): (3,)."""
    turn = np.radians(-turn_deg)
    c, s = np.cos(turn), np.sin(turn)
    own = np.array([c * normal[0] - s * normal[1], s * normal[0] + c * normal[1], normal[2]])
    light = (harmonics(own) * WEIGHTS) @ np.array(dome.harmonics)
    return np.asarray(np.maximum(light, 0.0))


def dome_sun(dome: Dome, turn_deg: float) -> Array:
    """Unit vector (3,) to the brightest place of a turned dome."""
    azimuth, elevation = np.radians([dome.azimuth_deg + turn_deg, dome.elevation_deg])
    level = np.cos(elevation)
    return np.array([level * np.cos(azimuth), level * np.sin(azimuth), np.sin(elevation)])


def _directions(rows: int) -> tuple[Array, Array]:
    """The middles of a panorama's pixels as unit vectors (H, 2H, 3), and their solid angles (H, 2H)."""
    elevation = np.pi / 2 - (np.arange(rows) + 0.5) * np.pi / rows
    # From within, longitude grows to the right: clockwise as seen from above.
    azimuth = np.pi - (np.arange(2 * rows) + 0.5) * np.pi / rows
    height, around = np.meshgrid(elevation, azimuth, indexing="ij")
    level = np.cos(height)
    ways = np.stack([level * np.cos(around), level * np.sin(around), np.sin(height)], -1)
    return ways, level * (np.pi / rows) ** 2
