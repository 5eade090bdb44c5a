"""How strongly the ground mirrors, and how blurred, from a mirror image that the photograph shows.

Where something bright is seen, and its mirror image on the ground, the ground shows there what it shows beside, and F c
times what the bright thing has over what lies beside it: F is Fresnel's reflectance of a dielectric of the index 1.5 at
the angle under which the ground is seen (Born and Wolf, section 1.5.2), c the strength of its coat.
"""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import Pixel
from lithopos.core.colour import luminance
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.place.balance import read_patch
from lithopos.core.place.blurred import blurred
from lithopos.core.place.mirrored import fresnel

ASIDE_DEG = 3.0  # as far as a mirror image may lie beside the plane of its thing
LEAST_APART = 0.05  # linear, of full: what is fainter mirrors nothing that could be measured
MOST_CLIPPED = 0.1
MOST_COAT = 1.0  # a whole dielectric's

__all__ = ["GleamAnswer", "GleamQuestion", "gleam_of"]


class GleamQuestion(BaseModel):
    """Pixels of a bright thing and of what lies beside it; of its mirror image and of the ground beside that."""

    model_config = ConfigDict(extra="forbid")

    thing: Pixel
    behind: Pixel
    image: Pixel
    beside: Pixel
    radius_px: float = Field(default=3.0, ge=0.5, le=100)


class GleamAnswer(BaseModel):
    """The coat's strength beside a whole dielectric's, its standard deviation; how much the ground mirrors there.

    `roughness` is how blurred that is, with its deviation; None where it was not clicked across an upright edge.
    """

    coat: float
    sigma: float
    mirrors: float
    roughness: float | None = None
    roughness_sigma: float | None = None


def gleam_of(question: GleamQuestion, photograph: Picture, camera: Pinhole) -> GleamAnswer:
    """The strength of the ground's coat.

    Parameters
    ----------
    camera : for the photograph's size.

    Raises
    ------
    InputError
        If a spot is clipped, if the mirror image can't be that thing's, or if nothing is mirrored that could be told.
    """
    thing, image = camera.rays(np.array([question.thing, question.image], float))
    if image[2] >= 0:
        raise InputError("image", "lies above the horizon: the ground mirrors below it")
    aside = np.degrees(np.arctan2(thing[0] * image[1] - thing[1] * image[0], thing[:2] @ image[:2]))
    if abs(aside) > ASIDE_DEG:
        raise InputError("image", "can't be that thing's: level ground mirrors plumb below it")
    if thing[2] <= image[2]:
        raise InputError("image", "can't be that thing's: it lies above it")
    spots = {
        name: read_patch(photograph, getattr(question, name), question.radius_px)
        for name in ("thing", "behind", "image", "beside")
    }
    for name, spot in spots.items():
        if spot.clipped > MOST_CLIPPED:
            raise InputError(name, "is clipped in the photograph: take something that is less bright")
    bright = {name: float(luminance(np.array(spot.colour))) for name, spot in spots.items()}
    over = bright["thing"] - bright["behind"]
    if over < LEAST_APART:
        raise InputError("thing", "is hardly brighter than what lies beside it")
    mirrors = (bright["image"] - bright["beside"]) / over
    noise = np.hypot(spots["image"].spread * bright["image"], spots["beside"].spread * bright["beside"]) / over
    there = float(fresnel(-image[2]))
    if mirrors < -noise:
        raise InputError("image", "is darker than the ground beside it: that is no mirror image")
    pixels = (np.array(getattr(question, name), float) for name in spots)
    edge = blurred(photograph, camera, *pixels)
    return GleamAnswer(
        coat=float(np.clip(mirrors / there, 0, MOST_COAT)),
        sigma=float(noise / there),
        mirrors=float(max(mirrors, 0)),
        roughness=edge.roughness if edge else None,
        roughness_sigma=edge.sigma if edge else None,
    )
