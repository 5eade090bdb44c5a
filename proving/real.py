"""Made-up places photographed twice: empty, and with the model really there; what is ours is held against that."""

from __future__ import annotations

import io
import tempfile
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from skimage.metrics import structural_similarity

from lithopos.core.colour import decode_srgb, delta_e_2000, linear_to_Lab
from lithopos.core.exchange.picture import Picture, codes_of
from lithopos.core.geometry.model import Model
from lithopos.core.reading.ask import read_model
from lithopos.core.readings import READ, Sources, with_readings
from lithopos.core.shot.change import changed
from lithopos.samples.models import PRODUCTS, write_glb
from lithopos.samples.photograph import Studio, View, develop, truth_of
from lithopos.samples.places import Place
from proving.truth import marked_shot_of, psnr

GRAIN_PX = 1.5  # over so much grain is all but gone
EDGE_PX = 9  # across the model's outline
CHANGED = 0.012  # of an encoded value: a pixel that the model truly changes
LEFT, LEFT_PX = 0.25 / 255, 6.0  # one that it leaves as it is: in the mean over so much

__all__ = ["Taken", "marked_document", "product", "scored", "scored_beyond_grain", "taken"]


@dataclass(frozen=True)
class Taken:
    """A scene as it was photographed: its truth in figures, the empty place, the model really there."""

    place: Place
    studio: Studio
    truth: dict[str, Any]
    empty: Picture
    real: Picture

    @property
    def view(self) -> View:
        """The true camera."""
        return self.studio.view

    @property
    def body(self) -> NDArray[np.bool_]:
        """Pixels that the model fills, or would but for what stands before it."""
        mask = np.zeros(self.empty.codes.shape[:2], np.uint8)
        for _, mesh, _ in PRODUCTS[self.place.model]().parts:
            stood = mesh.moved(self.place.model_at, self.place.model_turn_deg)
            pixels = self.view.project(stood.vertices) - 0.5
            for triangle in np.round(pixels[stood.faces] * 16).astype(np.int32):
                cv2.fillConvexPoly(mask, triangle, 1, shift=4)
        return mask.astype(bool)


def taken(mi: Any, place: Place, scale: float, samples: int) -> Taken:
    """Photograph a place, `scale` times its full size."""
    empty = Studio(mi, place, scale)
    daylight = empty.daylight()

    def photograph(studio: Studio) -> Picture:
        encoded = develop(studio.radiance(samples, seed=1), daylight, place.camera.exposure, seed=5)
        return Picture(np.asarray(Image.open(io.BytesIO(encoded))))

    real = photograph(Studio(mi, place, scale, with_model=True))
    return Taken(place, empty, truth_of(empty, "p"), photograph(empty), real)


@cache
def product(file: str) -> Model:
    """A product of the sample program as it comes in from its file."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / file
        write_glb(PRODUCTS[path.stem](), path)
        return read_model(path)


def marked_document(scene: Taken, noise_px: float) -> dict[str, Any]:
    """The document that somebody would make of a photograph from marks alone, refined as the program does."""
    document = marked_shot_of(scene.truth, noise_px).model_dump(mode="json", by_alias=True)
    drawn = {name: document[name] for name in READ}
    read = with_readings({**document, **{name: [] for name in READ}}, drawn, Sources(lambda _: scene.empty))
    return changed(document, read)


def structure_at_edges(scene: Taken, made: Picture) -> float:
    """Mean structural similarity about the model's outline, where grain and sharpness show: of grey codes, 1 is alike.

    Source: Wang et al. 2004 (DOI 10.1109/TIP.2003.819861), with its Gaussian window, by scikit-image.
    """
    ours, real = (
        cv2.cvtColor(np.ascontiguousarray(one.codes.astype(np.uint8)), cv2.COLOR_RGB2GRAY) for one in (made, scene.real)
    )
    _, alike = structural_similarity(
        ours, real, gaussian_weights=True, sigma=1.5, use_sample_covariance=False, data_range=255, full=True
    )
    body = scene.body.astype(np.uint8)
    wide = np.ones((EDGE_PX, EDGE_PX), np.uint8)
    return float(alike[(cv2.dilate(body, wide) > 0) & (cv2.erode(body, wide) == 0)].mean())


def scored_beyond_grain(scene: Taken, made: Picture) -> tuple[float, float]:
    """PSNR of the place's changed pixels [dB] and mean ΔE2000 of the model's, of means over a few pixels.

    No grain of its own can agree with the truth's pixel by pixel; tones, colours and shapes are seen over several.
    """

    def mean(picture: Picture) -> Picture:
        blurred = cv2.GaussianBlur(picture.encoded, (0, 0), GRAIN_PX)
        return replace(picture, codes=codes_of(blurred, np.dtype(np.uint16)))

    coarse = replace(scene, empty=mean(scene.empty), real=mean(scene.real))
    return scored(coarse, mean(made))[:2]


def scored(scene: Taken, made: Picture) -> tuple[float, float, int]:
    """PSNR of the place's changed pixels [dB], mean ΔE2000 of the model's, how many others are changed.

    Others are those that the model truly leaves as they are: both photographs have the same noise, so that in their
    mean over a neighbourhood a quarter of a code is seen.
    """
    differ = scene.real.encoded - scene.empty.encoded
    near = cv2.GaussianBlur(np.abs(differ).max(-1), (0, 0), 2.0) > CHANGED
    body = scene.body
    wider = cv2.dilate(body.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
    inner = cv2.erode(body.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    colours = [linear_to_Lab(decode_srgb(picture.encoded)[inner]) for picture in (made, scene.real)]
    left = (np.abs(cv2.GaussianBlur(differ, (0, 0), LEFT_PX)).max(-1) < LEFT) & ~wider
    left = cv2.erode(left.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
    astray = int(np.count_nonzero((made.codes != scene.empty.codes).any(-1) & left))
    return psnr(made, scene.real, near & ~wider), float(np.mean(delta_e_2000(*colours))), astray
