"""What stays warm between renders: the loaded scene, its kernels, the sized photograph, the empty place."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from lithopos.core.blend.blend import Measured, measured
from lithopos.core.blend.sharpness import Sharpness, measured_sharpness
from lithopos.core.composite.fringe import Fringe
from lithopos.core.composite.mattes import fringe_round
from lithopos.core.exchange.graphic import Graphic, ReadGraphic
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.geometry.model import Model
from lithopos.core.layers import Layers, Window
from lithopos.core.render.empties import Empties
from lithopos.core.render.scene import KnownPlace, ReadPanorama, ReadPhotograph, Scene, build_scene
from lithopos.core.render.tracer import MitsubaTracer, Tracer
from lithopos.core.shot import Matte, Shot

MODELS_HELD = 32
GRAPHICS_HELD = 16
FRINGES_HELD = 8

__all__ = ["Session", "sized"]


def sized(photograph: Picture, scale: float) -> Picture:
    """A copy of the photograph at another size; the photograph itself at scale 1."""
    if scale == 1:
        return photograph
    height, width = photograph.codes.shape[:2]
    size = (max(16, round(width * scale)), max(16, round(height * scale)))
    way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    codes = np.ascontiguousarray(cv2.resize(photograph.codes, size, interpolation=way))
    return Picture(codes, photograph.icc, photograph.notes, own=photograph.own and sized(photograph.own, scale))


class Session:
    """Warm for whatever was rendered last; a changed shot loads only what changed.

    Parameters
    ----------
    empties : the folder of traced empty places, or None to keep them in memory alone.
    tracer : the renderer; made at the first render if none is given.

    Attributes
    ----------
    counts : pixels of the empty place that were `traced` and that were `kept`, over all renders.
    """

    def __init__(self, empties: Path | None = None, tracer: Tracer | None = None) -> None:
        self.empties = Empties(empties)
        self.counts = {"traced": 0, "kept": 0}
        self._tracer = tracer
        self._photograph: tuple[str, float, Picture] | None = None
        self._fringes: dict[str, Fringe | None] = {}
        self._measured: Measured | None = None
        self._sharpness: tuple[str, Sharpness | None] | None = None
        self._read: Callable[[], Picture] | None = None
        self._models: dict[str, Model] = {}
        self._graphics: dict[tuple[str, float], Graphic] = {}
        self._panorama: tuple[str, Panorama] | None = None
        self._place = KnownPlace()
        self._traced: tuple[str, Layers] | None = None

    @property
    def tracer(self) -> Tracer:
        """The renderer."""
        if self._tracer is None:
            self._tracer = MitsubaTracer()
        return self._tracer

    def photograph(self, key: str, read: Callable[[], Picture], scale: float) -> Picture:
        """The photograph at a size, decoded once as long as it stays the same."""
        if self._photograph is None or self._photograph[:2] != (key, scale) or not key:
            self._photograph, self._fringes, self._measured = (key, scale, sized(read(), scale)), {}, None
            self._read = read
        return self._photograph[2]

    @property
    def is_measured(self) -> bool:
        """Whether the photograph at hand is told already."""
        return self._measured is not None

    def measured(self) -> Measured:
        """How the photograph at hand was taken, told once: its grain at the size at hand, its sharpness at its own."""
        if self._measured is None:
            assert self._photograph and self._read
            key, scale, picture = self._photograph
            if self._sharpness is None or self._sharpness[0] != key or not key:
                self._sharpness = (key, measured_sharpness((picture if scale == 1 else self._read()).codes))
            told = self._sharpness[1]
            self._measured = measured(picture.codes, told and told.sized(scale))
        return self._measured

    def traced(self, by: str, tile: Window) -> Layers | None:
        """What the last proof has traced of a tile, if that was `by` the same; perhaps only its tones are changed."""
        if self._traced is None or not by or self._traced[0] != by or self._traced[1].window != tile:
            return None
        return self._traced[1]

    def keep_traced(self, by: str, layers: Layers) -> None:
        """Keep what a proof has traced for the next one."""
        self._traced = by, layers

    def fringe(self, matte: Matte, picture: Picture, scale: float) -> Fringe | None:
        """What is told of a matte's hair, leaves or bars in the photograph at hand, once."""
        about = matte.model_dump_json(include={"kind", "points", "curved", "strokes", "found", "fringe_px"})
        if about not in self._fringes:
            while len(self._fringes) >= FRINGES_HELD:
                self._fringes.pop(next(iter(self._fringes)))
            self._fringes[about] = fringe_round(matte, picture.codes, scale)
        return self._fringes[about]

    def scene(
        self,
        shot: Shot,
        photograph: Picture,
        key: str,
        read_model: Callable[[str], Model],
        read_graphic: ReadGraphic | None = None,
        read_panorama: ReadPanorama | None = None,
        read_photograph: ReadPhotograph | None = None,
        fine: bool = False,
    ) -> Scene:
        """The scene of a shot, shown to the tracer; `fine` for a master."""

        def model(name: str) -> Model:
            # Without a key names of files say nothing about their content.
            if not key:
                return read_model(name)
            if name not in self._models:
                while len(self._models) >= MODELS_HELD:
                    self._models.pop(next(iter(self._models)))
                self._models[name] = read_model(name)
            return self._models[name]

        def graphic(name: str, time_s: float) -> Graphic:
            if (name, time_s) not in self._graphics:
                while len(self._graphics) >= GRAPHICS_HELD:
                    self._graphics.pop(next(iter(self._graphics)))
                assert read_graphic
                self._graphics[name, time_s] = read_graphic(name, time_s)
            return self._graphics[name, time_s]

        def panorama(name: str) -> Panorama:
            if self._panorama is None or self._panorama[0] != name or not key:
                assert read_panorama
                self._panorama = (name, read_panorama(name))
            return self._panorama[1]

        scene = build_scene(
            shot,
            photograph,
            model,
            key,
            self._place,
            (graphic if key else read_graphic) if read_graphic else None,
            panorama if read_panorama else None,
            read_photograph,
        )
        self.tracer.show(scene, fine)
        return scene
