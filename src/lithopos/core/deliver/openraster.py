"""OpenRaster (the freedesktop.org draft, version 0.0.5): layers with names, groups and blend modes in a zip."""

from __future__ import annotations

import zipfile
from itertools import groupby
from typing import BinaryIO
from xml.etree import ElementTree

import cv2
import numpy as np

from lithopos.core.deliver.layers import Layer
from lithopos.core.exchange.picture import Picture

MODES = {"over": "svg:src-over", "multiply": "svg:multiply", "plus": "svg:plus", "hard light": "svg:hard-light"}
THUMBNAIL = 256

__all__ = ["write_openraster"]


def write_openraster(layers: list[Layer], finished: Picture, file: BinaryIO) -> None:
    """Write layers, the lowest first, and the finished picture for those who read no layers."""
    height, width = finished.codes.shape[:2]
    image = ElementTree.Element("image", version="0.0.5", w=str(width), h=str(height))
    stack = ElementTree.SubElement(image, "stack")
    with zipfile.ZipFile(file, "w") as package:
        package.writestr("mimetype", "image/openraster", zipfile.ZIP_STORED)
        names = {id(layer): f"data/layer{number}.png" for number, layer in enumerate(layers)}
        for group, members in groupby(reversed(layers), key=lambda layer: layer.group):
            inner = ElementTree.SubElement(stack, "stack", name=group, isolation="auto")
            for layer in members:
                told = {"name": layer.name, "src": names[id(layer)], "composite-op": MODES[layer.mode]}
                ElementTree.SubElement(inner, "layer", {**told, "opacity": "1.0", "x": "0", "y": "0"})
        for layer in layers:
            package.writestr(names[id(layer)], _png(layer.codes))
        package.writestr("stack.xml", ElementTree.tostring(image, "utf-8", xml_declaration=True))
        package.writestr("mergedimage.png", _png(finished.codes))
        share = THUMBNAIL / max(width, height)
        size = (max(1, round(width * share)), max(1, round(height * share)))
        package.writestr(
            "Thumbnails/thumbnail.png", _png(cv2.resize(finished.eight_bit, size, interpolation=cv2.INTER_AREA))
        )


def _png(codes: np.ndarray[tuple[int, ...], np.dtype[np.uint8 | np.uint16]]) -> bytes:
    order = [2, 1, 0, 3][: codes.shape[2]]
    done, data = cv2.imencode(".png", np.ascontiguousarray(codes[..., order]), [cv2.IMWRITE_PNG_COMPRESSION, 3])
    if not done:
        raise OSError("a layer could not be encoded")
    return data.tobytes()
