"""The scene of a render as it is handed to other programs."""

from __future__ import annotations

from collections.abc import Callable

from lithopos.core.deliver.matched import Matched
from lithopos.core.exchange.graphic import ReadGraphic
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.render.scene import ReadPanorama, ReadPhotograph, build_scene
from lithopos.core.shot import Shot

__all__ = ["matched_scene"]


def matched_scene(
    shot: Shot,
    photograph: Picture,
    read_model: Callable[[str], Model],
    read_graphic: ReadGraphic | None,
    read_panorama: ReadPanorama | None,
    read_photograph: ReadPhotograph | None,
) -> Matched:
    """Camera, dressed models, receivers and sun of a shot, for the photograph at its size.

    Raises
    ------
    InputError
        If the shot lacks something.
    """
    scene = build_scene(shot, photograph, read_model, "", None, read_graphic, read_panorama, read_photograph)
    things = tuple((one.name, one.model, one.matrix) for one in scene.models)
    width = scene.days[0].sun_width_deg if scene.days else 0.53
    return Matched(scene.camera, things, scene.receivers, scene.sun, width)
