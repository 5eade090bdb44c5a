"""A finished frame as a file: its picture, the models alone with alpha, or all of it in OpenEXR."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import numpy as np
import OpenEXR

from lithopos.core.arrays import Floats, on_channels
from lithopos.core.colour import encode_srgb, linear_of
from lithopos.core.deliver.framed import framed_picture
from lithopos.core.exchange.picture import Picture, whole_or_not, write_pass, write_png
from lithopos.core.footage.compose import Composed
from lithopos.core.shot import Shot

Wanted = Literal["picture", "model", "exr"]
SUFFIX: dict[Wanted, str] = {"picture": ".png", "model": "-model.png", "exr": ".exr"}

__all__ = ["SUFFIX", "Wanted", "write_frame"]


def write_frame(wanted: Wanted, made: Composed, shot: Shot, path: Path) -> None:
    """Write a frame in the shot's frame, whole or not at all; NoRoom if the disk is full.

    Passes in OpenEXR are of the take's whole frame: what is cut off can be had back there.
    """
    if wanted == "picture":
        write_png(framed_picture(Picture(made.codes), shot), path, quickly=True)
    elif wanted == "model":
        own = encode_srgb(np.clip(made.model / np.maximum(made.cover, 1e-3)[..., None], 0, 1))
        rgba = np.concatenate([own, np.clip(made.cover, 0, 1)[..., None]], axis=2)
        write_pass(np.round(rgba * 65535).astype(np.uint16), path)
    else:
        with whole_or_not(path) as beside:
            OpenEXR.File(_parts(made)).write(str(beside))


def _parts(made: Composed) -> list[OpenEXR.Part]:
    return [
        _part("picture", linear_of(made.codes)),
        _part("model", made.model, made.cover),
        _part("shadow", made.shadow),
        _part("people", on_channels(made.people)),
    ]


def _part(name: str, values: Floats, alpha: Floats | None = None) -> OpenEXR.Part:
    channels = {letter: np.ascontiguousarray(values[..., i], np.float32) for i, letter in enumerate("RGB")}
    if alpha is not None:
        channels["A"] = np.ascontiguousarray(alpha, np.float32)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    return OpenEXR.Part(header, channels, name)
