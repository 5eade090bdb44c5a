"""Photographs in, pictures out: codes are kept as they came, so an untouched pixel stays untouched."""

from __future__ import annotations

import errno
import io
import os
import struct
import tempfile
import warnings
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from lithopos.core.errors import InputError, NoRoom

MAX_PIXELS = 200_000_000
MIN_SIDE = 16
Codes = NDArray[np.uint8] | NDArray[np.uint16]

__all__ = ["MAX_PIXELS", "Codes", "Picture", "picture_size", "read_picture", "write_atomically", "write_png"]


@dataclass(frozen=True)
class Picture:
    """A photograph's codes, (H, W, 3) of 8 or 16 bits, upright, with its colour profile's bytes.

    `notes` are plain sentences on what could not be kept.
    """

    codes: Codes
    icc: bytes | None = None
    notes: tuple[str, ...] = ()

    @property
    def eight_bit(self) -> NDArray[np.uint8]:
        """The codes as 0..255."""
        return (self.codes >> 8 if self.codes.dtype == np.uint16 else self.codes).astype(np.uint8, copy=False)

    @property
    def encoded(self) -> NDArray[np.float32]:
        """The codes as 0..1."""
        return self.codes.astype(np.float32) / np.float32(np.iinfo(self.codes.dtype).max)


def picture_size(path: Path) -> tuple[int, int]:
    """Width and height, upright, without decoding.

    Raises
    ------
    InputError
        If it is no picture, too small, or larger than the limit.
    """
    if path.stat().st_size == 0:
        raise InputError("photograph", "the file is empty")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(path) as picture:
                width, height = picture.size
                if picture.getexif().get(0x0112, 1) in (5, 6, 7, 8):
                    width, height = height, width
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        if isinstance(error, Image.DecompressionBombError):
            raise InputError(
                "photograph", f"is larger than the limit of {MAX_PIXELS // 10**6} million pixels"
            ) from error
        raise InputError("photograph", "is not a picture that can be read (JPEG, PNG, TIFF and WebP are)") from error
    if width * height > MAX_PIXELS:
        raise InputError(
            "photograph",
            f"is {width} × {height}, larger than the limit of {MAX_PIXELS // 10**6} million pixels",
        )
    if min(width, height) < MIN_SIDE:
        raise InputError("photograph", f"is {width} × {height}; {MIN_SIDE} pixels a side are needed at least")
    return width, height


def read_picture(path: Path) -> Picture:
    """Read a photograph upright (EXIF orientation applied), 8 or 16 bits a channel.

    Raises
    ------
    InputError
        If it can't be read, is cut off, or is outside the limits of `picture_size`.
    """
    picture_size(path)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(path) as opened:
                deep = _sixteen_bits(path, opened)
                icc = opened.info.get("icc_profile")
                notes = _profile_notes(icc)
                if deep is not None:
                    return Picture(deep, icc, notes)
                upright = ImageOps.exif_transpose(opened)
                return Picture(np.ascontiguousarray(upright.convert("RGB"), np.uint8), icc, notes)
    except (OSError, ValueError, SyntaxError, struct.error) as error:
        raise InputError("photograph", "is cut off or damaged: it can't be read to its end") from error


def _sixteen_bits(path: Path, opened: Image.Image) -> NDArray[np.uint16] | None:
    """The codes of a 16-bit PNG or TIFF, which Pillow would silently cut to 8; None for others."""
    if opened.format not in ("PNG", "TIFF"):
        return None
    deep = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if deep is None or deep.dtype != np.uint16:
        return None
    if deep.ndim == 2:
        deep = np.repeat(deep[..., None], 3, axis=2)
    return np.ascontiguousarray(deep[..., 2::-1])


def _profile_notes(icc: bytes | None) -> tuple[str, ...]:
    if not icc:
        return ()
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip()
    except (ImageCms.PyCMSError, OSError):
        return ("Its colour profile can't be read; it is treated as sRGB.",)
    if "srgb" in name.lower():
        return ()
    return (f"Its colour profile {name!r} is kept, but colours are computed as if it were sRGB.",)


def write_png(picture: Picture, path: Path) -> None:
    """Write a PNG with its profile, whole or not at all.

    Raises
    ------
    NoRoom
        If the disk is full.
    """
    if picture.codes.dtype == np.uint16:
        done, data = cv2.imencode(".png", picture.codes[..., ::-1])
        if not done:
            raise OSError("the picture could not be encoded")
        encoded = data.tobytes()
        write_atomically(path, lambda file: file.write(encoded))
    else:
        image = Image.fromarray(picture.codes)
        write_atomically(path, lambda file: image.save(file, "PNG", icc_profile=picture.icc, compress_level=4))


def write_atomically(path: Path, write: Callable[[BinaryIO], object]) -> None:
    """Write a file beside its place and move it there when it is whole.

    Raises
    ------
    NoRoom
        If the disk is full; nothing is left behind.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=".", suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            write(file)
        Path(name).chmod(0o644)
        Path(name).replace(path)
    except OSError as error:
        Path(name).unlink(missing_ok=True)
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise NoRoom(
                "The disk is full. Make room and start the render again; what is done so far is kept."
            ) from error
        raise
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
