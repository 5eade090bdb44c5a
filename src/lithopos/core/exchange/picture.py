"""Photographs in, pictures out: codes are kept as they came, so an untouched pixel stays untouched."""

from __future__ import annotations

import errno
import io
import os
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

from lithopos.core.encoding import SRGB, Encoding, encoding_of
from lithopos.core.errors import NoRoom

Codes = NDArray[np.uint8] | NDArray[np.uint16]
ROWS = 256  # that are recoded at a time
QUICKLY = [
    cv2.IMWRITE_PNG_COMPRESSION,
    2,
    cv2.IMWRITE_PNG_STRATEGY,
    0,
    cv2.IMWRITE_PNG_FILTER,
    cv2.IMWRITE_PNG_FILTER_UP,
]

__all__ = [
    "Codes",
    "Picture",
    "codes_of",
    "encoded_of",
    "in_srgb",
    "png_of",
    "recoded",
    "seen_in_srgb",
    "whole_or_not",
    "write_atomically",
    "write_pass",
    "write_png",
]


@dataclass(frozen=True)
class Picture:
    """A photograph's codes, (H, W, 3) of 8 or 16 bits, upright, with its colour profile's bytes.

    Attributes
    ----------
    notes : plain sentences on what could not be kept.
    converted : the codes are not those of the file.
    own : the same by the file's own codes and profile, where that is wider than sRGB and `codes` were brought there.
    """

    codes: Codes
    icc: bytes | None = None
    notes: tuple[str, ...] = ()
    converted: bool = False
    own: Picture | None = None

    @property
    def as_came(self) -> Picture:
        """The picture by its file's own codes and profile: what is composed into, and written."""
        return self.own or self

    @property
    def encoding(self) -> Encoding:
        """How its codes stand for light; as sRGB's where its profile does not tell."""
        return encoding_of(self.icc) or SRGB

    @property
    def eight_bit(self) -> NDArray[np.uint8]:
        """The codes as 0..255."""
        return (self.codes >> 8 if self.codes.dtype == np.uint16 else self.codes).astype(np.uint8, copy=False)

    @property
    def encoded(self) -> NDArray[np.float32]:
        """The codes as 0..1."""
        return encoded_of(self.codes)

    def at_most(self, pixels: int) -> Picture:
        """The same with at most so many pixels."""
        height, width = self.codes.shape[:2]
        scale = min(1.0, (pixels / (width * height)) ** 0.5)
        if scale == 1:
            return self
        size = (round(width * scale), round(height * scale))
        return Picture(cv2.resize(self.codes, size, interpolation=cv2.INTER_AREA))


def seen_in_srgb(picture: Picture) -> Picture:
    """A picture as sRGB's codes of the same depth, for all that is measured on it, with its own ones kept beside.

    As it is where its codes are sRGB's, or its profile does not tell how they stand for light.
    """
    encoding = picture.encoding
    if encoding.is_srgb:
        return picture
    return Picture(recoded(picture.codes, encoding, SRGB), None, picture.notes, picture.converted, picture)


def recoded(codes: Codes, own: Encoding, wanted: Encoding) -> Codes:
    """Codes (H, W, 3) that stand for the same light in another way; a few rows at a time, as light takes room."""
    made = np.empty_like(codes)
    for row in range(0, len(codes), ROWS):
        rows = slice(row, row + ROWS)
        made[rows] = codes_of(wanted.encoded(own.light(codes[rows])), codes.dtype)
    return made


def encoded_of(codes: Codes) -> NDArray[np.float32]:
    """Codes as 0..1."""
    return codes.astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)


def codes_of(encoded: NDArray[np.floating], kind: np.dtype[Any]) -> Codes:
    """Encoded values 0..1 as codes of a kind, rounded."""
    values = np.clip(encoded, 0, 1) * np.float32(np.iinfo(kind).max) + np.float32(0.5)
    return values.astype(np.uint16) if kind == np.uint16 else values.astype(np.uint8)


def write_png(picture: Picture, path: Path, *, quickly: bool = False) -> None:
    """Write a PNG with its profile, whole or not at all; quickly it takes a third of the time and a tenth more room.

    Raises
    ------
    NoRoom
        If the disk is full.
    """
    write_atomically(path, lambda file: _put_png(picture, file, quickly))


def png_of(picture: Picture) -> bytes:
    """A picture as the bytes of a PNG with its profile."""
    encoded = io.BytesIO()
    _put_png(picture, encoded)
    return encoded.getvalue()


def _put_png(picture: Picture, file: BinaryIO, quickly: bool = False) -> None:
    if picture.codes.dtype == np.uint16 or quickly:
        kinds = [cv2.IMAGE_METADATA_ICCP] if picture.icc else []
        profiles = [np.frombuffer(picture.icc, np.uint8)] if picture.icc else []
        bgr, how = cv2.cvtColor(picture.codes, cv2.COLOR_RGB2BGR), QUICKLY if quickly else []
        done, data = cv2.imencodeWithMetadata(".png", bgr, kinds, profiles, how)
        if not done:
            raise OSError("the picture could not be encoded")
        file.write(data.tobytes())
    else:
        Image.fromarray(picture.codes).save(file, "PNG", icc_profile=picture.icc, compress_level=4)


def write_pass(codes: NDArray[np.uint16], path: Path) -> None:
    """Write (H, W) by 1, 3 or 4 channels as a 16-bit PNG, whole or not at all; NoRoom if the disk is full."""
    order = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}[codes.shape[2]]
    done, data = cv2.imencode(".png", np.ascontiguousarray(codes[..., order]))
    if not done:
        raise OSError("the pass could not be encoded")
    write_atomically(path, lambda file: file.write(data.tobytes()))


def write_atomically(path: Path, write: Callable[[BinaryIO], object]) -> None:
    """Write a file beside its place and move it there when it is whole.

    Raises
    ------
    NoRoom
        If the disk is full; nothing is left behind.
    """
    with whole_or_not(path) as beside, beside.open("wb") as file:
        write(file)


@contextmanager
def whole_or_not(path: Path) -> Iterator[Path]:
    """A place beside a file's own to write it to; moved there in the end, or taken away. NoRoom if the disk is full."""
    name: str | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".", suffix=".part")
        os.close(handle)
        yield Path(name)
        Path(name).chmod(0o644)
        Path(name).replace(path)
    except BaseException as error:
        if name:
            Path(name).unlink(missing_ok=True)
        if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise NoRoom(
                "The disk is full. Make room and start the render again; what is done so far is kept."
            ) from error
        raise


def in_srgb(picture: Picture) -> NDArray[np.uint8]:
    """The codes as 8-bit sRGB, through the picture's own profile."""
    codes = picture.eight_bit
    if picture.icc is None:
        return codes
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.icc))
        turned = ImageCms.profileToProfile(Image.fromarray(codes), profile, ImageCms.createProfile("sRGB"))
    except (ImageCms.PyCMSError, OSError):
        return codes
    return np.asarray(turned, np.uint8) if turned is not None else codes
