"""Photographs decoded: every orientation, bit depth and profile into one working copy, upright codes of 8 or 16 bits.

One decoder a kind of file, in a table. Codes are kept as they came wherever that is possible; what had to be
converted (CMYK, floating point, raw) is said in the notes.
"""

from __future__ import annotations

import io
import struct
import warnings
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from lithopos.core.colour import encode_srgb
from lithopos.core.encoding import encoding_of
from lithopos.core.errors import InputError
from lithopos.core.exchange.kinds import file_kind
from lithopos.core.exchange.picture import Codes, Picture, seen_in_srgb

MAX_PIXELS = 200_000_000
MAX_SIDE = 65_500
MIN_SIDE = 16
_PILLOW = {"jpeg": "JPEG", "png": "PNG", "webp": "WEBP", "avif": "AVIF", "tiff": "TIFF", "heic": "HEIF"}
_WRONG = (OSError, ValueError, SyntaxError, TypeError, KeyError, IndexError, OverflowError, EOFError, struct.error)
_ORIENTATION = 0x0112
Image.MAX_IMAGE_PIXELS = None  # our own limit holds, before anything is decoded

__all__ = ["MAX_PIXELS", "read_picture"]


def read_picture(path: Path) -> Picture:
    """Read a photograph upright (EXIF orientation applied); one with a wider profile as sRGB, its own codes beside.

    Raises
    ------
    InputError
        If it is of no kind that is read, can't be read to its end, or is outside the limits.
    """
    if path.stat().st_size == 0:
        raise InputError("photograph", "the file is empty")
    kind = file_kind(path)
    if kind not in _DECODERS:
        raise InputError(
            "photograph", "is not a picture that can be read (JPEG, PNG, TIFF, WebP and AVIF are; HEIC and raw may be)"
        )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return seen_in_srgb(_DECODERS[kind](path))
    except UnidentifiedImageError as error:
        raise InputError("photograph", f"is named or begins like a {kind.upper()}, but can't be read as one") from error
    except (*_WRONG, zlib.error) as error:
        if isinstance(error, InputError):
            raise
        raise InputError("photograph", "is cut off or damaged: it can't be read to its end") from error


def _refuse_size(width: int, height: int) -> None:
    if width * height > MAX_PIXELS:
        raise InputError(
            "photograph", f"is {width} × {height}, larger than the limit of {MAX_PIXELS // 10**6} million pixels"
        )
    if max(width, height) > MAX_SIDE:
        raise InputError("photograph", f"is {width} × {height}; {MAX_SIDE} pixels a side are read at most")
    if min(width, height) < MIN_SIDE:
        raise InputError("photograph", f"is {width} × {height}; {MIN_SIDE} pixels a side are needed at least")


# With Pillow: JPEG, WebP, AVIF, HEIC, and PNG of 8 bits


def _with_pillow(path: Path, kind: str) -> Picture:
    with Image.open(path, formats=[_PILLOW[kind]]) as opened:
        _refuse_size(*opened.size)
        icc = opened.info.get("icc_profile")
        upright = ImageOps.exif_transpose(opened)
        image, icc, notes, converted = _as_rgb(upright, icc)
        return Picture(np.ascontiguousarray(image, np.uint8), icc, (*notes, *_profile_notes(icc)), converted)


def _as_rgb(image: Image.Image, icc: bytes | None) -> tuple[Image.Image, bytes | None, tuple[str, ...], bool]:
    """An image as RGB with the profile that then holds, what could not be kept, whether codes were converted."""
    if image.mode in ("CMYK", "LAB", "L", "LA") and icc:
        turned = _through_profile(image, icc)
        if turned is not None:
            kept = "grey" if image.mode in ("L", "LA") else image.mode
            return turned, None, (f"It is {kept} with a profile: its colours were converted to sRGB.",), True
    if image.mode == "CMYK":
        return image.convert("RGB"), None, ("It is CMYK without a profile: its colours are only near.",), True
    notes: tuple[str, ...] = ()
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        opaque = np.asarray(image.convert("RGBA"))[..., 3].min() == 255
        notes = () if opaque else ("Its transparency is left out.",)
    if image.mode in ("L", "LA", "1", "P") and icc and _profile_space(icc) == "GRAY":
        icc = None
    return image.convert("RGB"), icc, notes, False


def _through_profile(image: Image.Image, icc: bytes) -> Image.Image | None:
    """An image in sRGB through its own profile; None if the profile doesn't fit or can't be read."""
    try:
        source = image.convert("L") if image.mode == "LA" else image
        profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        return ImageCms.profileToProfile(source, profile, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (ImageCms.PyCMSError, OSError, ValueError):
        return None


def _profile_space(icc: bytes) -> str:
    return icc[16:20].decode("ascii", "replace").strip()


def _profile_notes(icc: bytes | None) -> tuple[str, ...]:
    if not icc:
        return ()
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip()
    except (ImageCms.PyCMSError, OSError):
        return ("Its colour profile can't be read; it is treated as sRGB.",)
    encoding = encoding_of(icc)
    if encoding is not None:
        return () if encoding.is_srgb else (f"Its colours are read by its profile {name[:60]!r}, and written back so.",)
    return (f"Its colour profile {name[:60]!r} is kept, but colours are computed as if it were sRGB.",)


# PNG: 16 bits by the package that keeps them


def _png(path: Path) -> Picture:
    with Image.open(path, formats=["PNG"]) as opened:
        _refuse_size(*opened.size)
        opened.load()  # reads on to notes that come after the pixels, and finds damage
        deep = path.read_bytes()[24] == 16
        orientation = opened.getexif().get(_ORIENTATION, 1)
        icc = opened.info.get("icc_profile")
    if not deep:
        return _with_pillow(path, "png")
    codes = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if codes is None or codes.dtype != np.uint16:
        raise InputError("photograph", "is cut off or damaged: it can't be read to its end")
    transparent = codes.ndim == 3 and codes.shape[2] in (2, 4) and int(codes[..., -1].min()) < 65535
    if codes.ndim == 2 or codes.shape[2] < 3:
        codes = np.repeat((codes if codes.ndim == 2 else codes[..., 0])[..., None], 3, axis=2)
        icc = None if icc and _profile_space(icc) == "GRAY" else icc
    else:
        codes = codes[..., 2::-1]
    notes = ("Its transparency is left out.",) if transparent else ()
    return Picture(_upright(codes, orientation), icc, (*notes, *_profile_notes(icc)))


def _upright(codes: Any, orientation: Any) -> Codes:
    """Codes turned and mirrored by EXIF's orientation (TIFF 6.0, tag 274)."""
    if orientation in (2, 3):
        codes = codes[:, ::-1]
    if orientation in (3, 4):
        codes = codes[::-1]
    if orientation in (5, 6, 7, 8):
        codes = codes.swapaxes(0, 1)
        if orientation in (6, 7):
            codes = codes[:, ::-1]
        if orientation in (7, 8):
            codes = codes[::-1]
    return np.ascontiguousarray(codes)


# TIFF: any depth


def _tiff(path: Path) -> Picture:
    import tifffile

    with tifffile.TiffFile(path) as file:
        page: Any = file.pages[0]
        height, width = int(page.imagelength), int(page.imagewidth)
        _refuse_size(width, height)
        samples, photometric = int(page.samplesperpixel), page.photometric.name
        tags = page.tags
        icc = tags[34675].value if 34675 in tags else None
        orientation = tags[_ORIENTATION].value if _ORIENTATION in tags else 1
        if photometric not in ("RGB", "MINISBLACK", "MINISWHITE"):
            return _with_pillow(path, "tiff")
        values = page.asarray()
        planar = values.ndim == 3 and int(page.planarconfig) == 2
    values = np.moveaxis(values, 0, -1) if planar else values
    if values.ndim == 2:
        values = values[..., None]
    if values.shape[:2] != (height, width) or values.shape[2] != samples:
        raise InputError("photograph", "is a TIFF of a layout that is not read")
    if photometric == "MINISWHITE":
        values = (1 - values) if values.dtype.kind == "f" else (np.iinfo(values.dtype).max - values)
    if samples < 3:
        values = np.repeat(values[..., :1], 3, axis=2)
        icc = None if icc and _profile_space(icc) == "GRAY" else icc
    codes, notes = _as_codes(values[..., :3])
    extra = ("Its transparency or further channels are left out.",) if samples not in (1, 3) else ()
    return Picture(_upright(codes, orientation), icc, (*extra, *notes, *_profile_notes(icc)), bool(notes))


def _as_codes(values: Any) -> tuple[Codes, tuple[str, ...]]:
    """Samples of any type as codes of 8 or 16 bits."""
    kind, size = values.dtype.kind, values.dtype.itemsize
    if values.dtype == np.uint8 or values.dtype == np.uint16:
        return values, ()
    if kind == "b":
        return values.astype(np.uint8) * np.uint8(255), ()
    if kind == "u" and size == 4:
        return (values >> 16).astype(np.uint16), ("Its 32 bits a channel are kept to 16.",)
    if kind == "f":
        finite = np.nan_to_num(values.astype(np.float32), nan=0.0, posinf=1.0, neginf=0.0)
        return (encode_srgb(finite) * np.float32(65535) + np.float32(0.5)).astype(np.uint16), (
            "It is floating point: taken as linear light with white at 1; what is brighter is cut.",
        )
    raise InputError("photograph", f"has samples of a type that is not read ({values.dtype.name})")


# Extras


def _heic(path: Path) -> Picture:
    try:
        import pillow_heif
    except ImportError as error:
        raise InputError("photograph", _missing("HEIC", "pillow-heif")) from error
    pillow_heif.register_heif_opener()
    return _with_pillow(path, "heic")


def _raw(path: Path) -> Picture:
    try:
        import rawpy
    except ImportError as error:
        raise InputError("photograph", _missing("camera raw", "rawpy")) from error
    try:
        with rawpy.imread(str(path)) as opened:
            _refuse_size(opened.sizes.width, opened.sizes.height)
            codes = opened.postprocess(use_camera_wb=True, output_bps=16, no_auto_bright=True)
    except rawpy.LibRawError as error:
        raise InputError("photograph", "can't be read as a camera's raw file") from error
    notes = ("It is a camera's raw file: developed plainly to sRGB, with the camera's white balance.",)
    return Picture(np.ascontiguousarray(codes), None, notes, True)


def _missing(what: str, package: str) -> str:
    return f"is {what}; reading it needs an extra that is not installed here: `.venv/bin/pip install {package}`"


_DECODERS: dict[str, Callable[[Path], Picture]] = {
    "jpeg": lambda path: _with_pillow(path, "jpeg"),
    "webp": lambda path: _with_pillow(path, "webp"),
    "avif": lambda path: _with_pillow(path, "avif"),
    "png": _png,
    "tiff": _tiff,
    "heic": _heic,
    "raw": _raw,
}
