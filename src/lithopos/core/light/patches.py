"""Patches of the photograph: which way their surface faces, and what was read of their pixels."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from lithopos.core.arrays import Array
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel

Facing = Literal["level", "along run A", "along run B", "towards the camera"]
_Channel = Annotated[FiniteFloat, Field(ge=0, le=1)]
Colour = tuple[_Channel, _Channel, _Channel]
_Brighter = Annotated[FiniteFloat, Field(ge=0, le=10)]
Bright = tuple[_Brighter, _Brighter, _Brighter]  # linear, and above 1 where a photograph is clipped

__all__ = ["Bright", "Colour", "Facing", "PatchSeen", "facing_normal"]


class PatchSeen(BaseModel):
    """What a patch's pixels say.

    Attributes
    ----------
    colour : mean of its linear values, outliers left out.
    spread : how much its pixels differ among themselves, relative.
    clipped : the share of its pixels that are at the top of the scale.
    """

    model_config = ConfigDict(extra="forbid")

    colour: Colour
    spread: Annotated[FiniteFloat, Field(ge=0, le=100)]
    clipped: Annotated[FiniteFloat, Field(ge=0, le=1)]


def facing_normal(facing: Facing, at: Pixel, camera: Pinhole) -> Array:
    """The unit normal (3,) of a surface in the picture; of a wall's two that which looks at the camera."""
    if facing == "level":
        return np.array([0.0, 0, 1])
    ray = camera.rays(np.array([at], float))[0]
    if facing == "towards the camera":
        level = -ray * [1, 1, 0]
        return np.asarray(level / max(float(np.linalg.norm(level)), 1e-9))
    across = np.array([0.0, 1, 0]) if facing == "along run A" else np.array([1.0, 0, 0])
    return np.asarray(-across * np.sign(ray @ across))
