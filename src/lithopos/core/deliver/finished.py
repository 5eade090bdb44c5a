"""A finished render, of which files are made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from lithopos.core.blend.lut import Luts
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.composite.passes import Names, Passes
from lithopos.core.deliver.matched import Matched
from lithopos.core.exchange.picture import Picture

__all__ = ["Finished"]


@dataclass(frozen=True)
class Finished:
    """A finished render: the photograph at its size, the picture, what it was put together from, what is in it.

    Attributes
    ----------
    passes : reads them, where layers are wanted.
    camera : of the picture at its size.
    names : of what the passes number.
    scene : builds the matched scene, with the whole photograph's camera; None where nothing can.
    luts : tables of colours that its grades name.
    exif : what the camera wrote into the photograph.
    """

    photograph: Picture
    picture: Picture
    passes: Callable[[], list[Passes]]
    camera: Pinhole
    names: Names
    exif: bytes | None
    scene: Callable[[], Matched] | None = None
    luts: Luts = field(default_factory=dict)
