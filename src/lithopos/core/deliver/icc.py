"""Display P3 as an ICC profile of our own making, and pictures from one profile to another.

A matrix and a curve (ICC.1:2010, sections 8.3.3 and 10.16): DCI-P3's primaries under D65, brought to the profile
connection space's D50 by Bradford's matrix, with sRGB's curve (IEC 61966-2-1).
"""

from __future__ import annotations

import io
import struct
from functools import cache
from typing import Any

import numpy as np
from PIL import Image, ImageCms

from lithopos.core.encoding import SRGB, Encoding, encoding_of
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture, recoded

P3 = ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))
D65 = (0.3127, 0.3290)
D50 = np.array([0.9642, 1.0, 0.8249])
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])

__all__ = ["display_p3", "in_colours", "matrix_profile"]


def in_colours(picture: Picture, colours: str) -> Picture:
    """A picture in another profile: relative colorimetric, black held to black.

    Of 8 bits a channel by the colour library; of 16, which that does not take, by the profiles' own matrices and
    curves, whose black is black. Where those do not tell, by the library in 8.

    Raises
    ------
    InputError
        If its own profile is broken.
    """
    if colours == "photograph":
        return picture
    known = encoding_of(picture.icc)
    if picture.codes.dtype == np.uint16 and known is not None:
        return _deep(picture, known, colours)
    wanted: Any = ImageCms.createProfile("sRGB") if colours == "sRGB" else _opened(display_p3())
    own: Any = _opened(picture.icc) if picture.icc else ImageCms.createProfile("sRGB")
    try:
        turned = ImageCms.profileToProfile(
            Image.fromarray(picture.eight_bit),
            own,
            wanted,
            renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
            flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
        )
    except (ImageCms.PyCMSError, OSError) as error:
        raise InputError("photograph", "has a colour profile that can’t be converted from") from error
    assert turned is not None
    icc = display_p3() if colours == "Display P3" else ImageCms.ImageCmsProfile(wanted).tobytes()
    return Picture(np.asarray(turned, np.uint8), icc, picture.notes)


def _deep(picture: Picture, known: Encoding, colours: str) -> Picture:
    wanted = SRGB if colours == "sRGB" else encoding_of(display_p3())
    assert wanted
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    icc = display_p3() if colours == "Display P3" else srgb
    alike = known is wanted or (known.is_srgb and wanted.is_srgb)
    return Picture(picture.codes if alike else recoded(picture.codes, known, wanted), icc, picture.notes)


def _opened(icc: bytes) -> Any:
    try:
        return ImageCms.ImageCmsProfile(io.BytesIO(icc))
    except (ImageCms.PyCMSError, OSError) as error:
        raise InputError("photograph", "has a colour profile that is broken") from error


@cache
def display_p3() -> bytes:
    """The profile's bytes."""
    return matrix_profile("Display P3", P3, _curve())


def matrix_profile(called: str, primaries: Any, curve: bytes) -> bytes:
    """The bytes of a profile of three primaries (3, 2) [CIE xy] under D65, with one curve's tag for all."""
    tags = {
        b"desc": _text(called),
        b"cprt": _text("No rights reserved"),
        b"wtpt": _xyz(D50),
        **dict(zip((b"rXYZ", b"gXYZ", b"bXYZ"), (_xyz(one) for one in _columns(primaries).T), strict=True)),
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    place = 128 + 4 + 12 * len(tags)
    table, body, known = struct.pack(">I", len(tags)), b"", dict[bytes, int]()
    for name, data in tags.items():
        padded = data + b"\0" * (-len(data) % 4)
        if data not in known:
            known[data] = place + len(body)
            body += padded
        table += name + struct.pack(">II", known[data], len(data))
    head = struct.pack(">II", place + len(body), 0) + struct.pack(">I", 0x04300000) + b"mntrRGB XYZ "
    head += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + b"\0" * 28 + _fixed(*D50)
    return head.ljust(128, b"\0") + table + body


def _columns(primaries: Any) -> Any:
    """The columns: red, green and blue in the connection space."""

    def xyz(x: float, y: float) -> Any:
        return np.array([x / y, 1, (1 - x - y) / y])

    columns = np.column_stack([xyz(*one) for one in primaries])
    white = xyz(*D65)
    own = columns * np.linalg.solve(columns, white)
    cone = np.diag((BRADFORD @ D50) / (BRADFORD @ white))
    return np.linalg.inv(BRADFORD) @ cone @ BRADFORD @ own


def _fixed(*values: float) -> bytes:
    return struct.pack(f">{len(values)}i", *(round(float(value) * 65536) for value in values))


def _xyz(value: Any) -> bytes:
    return b"XYZ \0\0\0\0" + _fixed(*value)


def _text(words: str) -> bytes:
    encoded = words.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(encoded), 28) + encoded


def _curve() -> bytes:
    return b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + _fixed(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
