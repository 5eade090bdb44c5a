"""What a finished render is handed over with, put together for delivery."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from lithopos.core.blend.grade import luts_of
from lithopos.core.blend.lut import ReadLut
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.composite.passes import read_names, read_passes
from lithopos.core.deliver.finished import Finished
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.render.matched import matched_scene
from lithopos.core.render.scene import ReadPanorama, ReadPhotograph
from lithopos.core.render.session import sized
from lithopos.core.shot import Shot


@dataclass(frozen=True)
class Readers:
    """What reads a shot's files by their names."""

    model: Callable[[str], Model]
    graphic: ReadGraphic
    panorama: ReadPanorama
    lut: ReadLut
    photograph: ReadPhotograph  # of the site's other ones


__all__ = ["Readers", "finished"]


def finished(
    shot: Shot, photograph: Picture, picture: Picture, passes: Path, exif: bytes | None, readers: Readers
) -> Finished:
    """A finished render of a shot with all that files are made of; scene and passes are read when they are wanted.

    Parameters
    ----------
    photograph : at its own size.
    passes : the folder that the render wrote its passes to.

    Raises
    ------
    InputError
        If the shot's camera is not solved any more.
    """
    camera = derive(shot).camera
    if camera is None:
        raise InputError("camera", "is not solved any more")
    height, width = picture.codes.shape[:2]
    sized_alike = sized(photograph, width / photograph.codes.shape[1])
    return Finished(
        sized_alike.as_came,
        picture.as_came,
        cache(lambda: read_passes(passes)),
        pinhole_of(camera).sized(width, height),
        read_names(passes),
        exif,
        cache(
            lambda: matched_scene(
                shot, sized_alike, readers.model, readers.graphic, readers.panorama, readers.photograph
            )
        ),
        luts_of(shot.blend, readers.lut),
    )
