"""What the browser needs: of a photograph small pictures and a copy where it can't show the file itself; of a model
one GLB with few enough triangles, whatever it came as."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lithopos.core.colour import encode_srgb, luminance
from lithopos.core.exchange.graphic import Graphic
from lithopos.core.exchange.kinds import SHOWN_BY_BROWSERS
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture, in_srgb
from lithopos.core.geometry.decimate import decimated
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.geometry.model import Model

DISPLAY = "display.jpg"
LIVE = "live.glb"
LIVE_TRIANGLES = 16_000
LIVE_TEXTURE = 1024
SHOWN_GRAPHIC = 1024
TALLEST_THUMB = 4  # times its width

__all__ = [
    "DISPLAY",
    "LIVE",
    "save_for_screen",
    "save_graphic_for_screen",
    "save_live",
    "save_panorama_for_screen",
    "thumb_name",
]


def thumb_name(width: int) -> str:
    """The file of a small picture."""
    return f"thumb-{width}.jpg"


def save_for_screen(picture: Picture, kind: str, thumb_widths: tuple[int, ...], folder: Path) -> None:
    """Write small pictures, and a display copy of what browsers don't show as it is."""
    shown = in_srgb(picture)
    height, width = shown.shape[:2]
    for wide in thumb_widths:
        scale = min(wide / width, TALLEST_THUMB * wide / height, 1.0)
        size = (max(1, round(width * scale)), max(1, round(height * scale)))
        _save(cv2.resize(shown, size, interpolation=cv2.INTER_AREA), folder / thumb_name(wide), 88)
    if kind not in SHOWN_BY_BROWSERS or picture.codes.dtype == np.uint16 or picture.converted:
        _save(shown, folder / DISPLAY, 94)


def save_graphic_for_screen(graphic: Graphic, path: Path) -> None:
    """Write a graphic as the live view and the lists show it."""
    height, width = graphic.codes.shape[:2]
    share = min(1.0, SHOWN_GRAPHIC / max(height, width))
    size = (max(1, round(width * share)), max(1, round(height * share)))
    Image.fromarray(cv2.resize(graphic.codes, size, interpolation=cv2.INTER_AREA)).save(path, "PNG")


def save_panorama_for_screen(panorama: Panorama, thumb_widths: tuple[int, ...], folder: Path) -> None:
    """Small pictures of a panorama, exposed so that its middle is a mid-tone."""
    light = panorama.radiance
    shown = encode_srgb(light * np.float32(0.2 / max(float(np.median(luminance(light))), 1e-6)))
    codes = (shown * 255 + 0.5).astype(np.uint8)
    for wide in thumb_widths:
        small = cv2.resize(codes, (wide, max(1, wide // 2)), interpolation=cv2.INTER_AREA)
        _save(small, folder / thumb_name(wide), 88)


def save_live(model: Model, folder: Path) -> None:
    """Write the copy of a model that the live view draws."""
    (folder / LIVE).write_bytes(glb_of(decimated(model, LIVE_TRIANGLES), LIVE_TEXTURE))


def _save(codes: NDArray[np.uint8], path: Path, quality: int) -> None:
    Image.fromarray(np.ascontiguousarray(codes)).save(path, "JPEG", quality=quality, subsampling=0)
