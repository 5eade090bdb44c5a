"""Flat pictures in the usual formats: sized, in their colours, with what the camera wrote and a line of provenance."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import cv2
import numpy as np
import tifffile
from PIL import Image, PngImagePlugin

from lithopos.core.arrays import Floats
from lithopos.core.deliver.icc import in_colours
from lithopos.core.deliver.names import Planned
from lithopos.core.encoding import SRGB, Encoding
from lithopos.core.exchange.picture import Codes, Picture, codes_of, whole_or_not, write_atomically

COMPOSITE = "http://cv.iptc.org/newscodes/digitalsourcetype/compositeSynthetic"
ICC_TAG, XMP_TAG = 34675, 700

__all__ = ["ICC_TAG", "provenance", "sized_to", "write_flat"]


def provenance(shot: str, photograph: str) -> bytes:
    """A packet of XMP (ISO 16684-1): what made the picture, from what, and that it is a composite."""
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/" '
        'xmlns:dc="http://purl.org/dc/elements/1.1/" '
        'xmlns:Iptc4xmpExt="http://iptc.org/std/Iptc4xmpExt/2008-02-29/">'
        "<xmp:CreatorTool>Lithopos</xmp:CreatorTool>"
        f"<dc:source>{escape(photograph)}</dc:source>"
        f'<dc:title><rdf:Alt><rdf:li xml:lang="x-default">{escape(shot)}</rdf:li></rdf:Alt></dc:title>'
        f"<Iptc4xmpExt:DigitalSourceType>{COMPOSITE}</Iptc4xmpExt:DigitalSourceType>"
        "</rdf:Description></rdf:RDF></x:xmpmeta>"
        '<?xpacket end="w"?>'
    ).encode()


def sized_to(codes: Codes, width: int, height: int, bleed: int = 0, encoding: Encoding = SRGB) -> Codes:
    """A picture at another size: smaller by the mean of linear light, larger by Lanczos; its border mirrored beyond."""
    made = codes
    if codes.shape[1::-1] != (width, height):
        made = _smaller(codes, width, height, encoding) if width < codes.shape[1] else _larger(codes, width, height)
    if bleed:
        wide = cv2.copyMakeBorder(made, bleed, bleed, bleed, bleed, cv2.BORDER_REFLECT_101)
        return np.asarray(wide, np.uint16) if codes.dtype == np.uint16 else np.asarray(wide, np.uint8)
    return made


def _smaller(codes: Codes, width: int, height: int, encoding: Encoding) -> Codes:
    own = encoding.own(codes)
    small: Floats = np.asarray(cv2.resize(own, (width, height), interpolation=cv2.INTER_AREA), np.float32)
    return codes_of(encoding.encoded_own(small), codes.dtype)


def _larger(codes: Codes, width: int, height: int) -> Codes:
    made = cv2.resize(codes, (width, height), interpolation=cv2.INTER_LANCZOS4)
    return np.asarray(made, np.uint16) if codes.dtype == np.uint16 else np.asarray(made, np.uint8)


def write_flat(picture: Picture, plan: Planned, path: Path, exif: bytes | None, xmp: bytes) -> None:
    """Write a deliverable of a finished picture, whole or not at all.

    Raises
    ------
    InputError
        If the profile can't be converted; NoRoom if the disk is full.
    """
    of = plan.of
    size = plan.width - 2 * plan.bleed_px, plan.height - 2 * plan.bleed_px
    codes = sized_to(picture.codes, *size, plan.bleed_px, picture.encoding)
    made = in_colours(Picture(codes, picture.icc), of.colours)
    exif = exif if of.notes else None
    if of.kind == "tiff":
        _write_tiff(path, made, xmp, of.dpi)
    elif of.kind == "png" and made.codes.dtype == np.uint16:
        data = _png_16(made, exif, xmp)
        write_atomically(path, lambda file: file.write(data))
    else:
        write_atomically(path, lambda file: _save(file, made, plan, exif, xmp))


def _write_tiff(path: Path, made: Picture, xmp: bytes, dpi: float) -> None:
    tags: list[Any] = [(XMP_TAG, 1, len(xmp), xmp, True)]
    if made.icc:
        tags.append((ICC_TAG, 7, len(made.icc), made.icc, True))
    told: dict[str, Any] = {"resolution": (dpi, dpi), "resolutionunit": "INCH"}
    with whole_or_not(path) as place:
        tifffile.imwrite(place, made.codes, photometric="rgb", compression="deflate", extratags=tags, **told)


def _png_16(made: Picture, exif: bytes | None, xmp: bytes) -> bytes:
    told = {
        cv2.IMAGE_METADATA_ICCP: made.icc,
        cv2.IMAGE_METADATA_EXIF: exif and exif.removeprefix(b"Exif\0\0"),
        cv2.IMAGE_METADATA_XMP: xmp,
    }
    kinds = [kind for kind, data in told.items() if data]
    parts = [np.frombuffer(data, np.uint8) for data in told.values() if data]
    done, data = cv2.imencodeWithMetadata(".png", np.ascontiguousarray(made.codes[..., ::-1]), kinds, parts)
    if not done:
        raise OSError("the picture could not be encoded")
    return data.tobytes()


def _save(file: Any, made: Picture, plan: Planned, exif: bytes | None, xmp: bytes) -> None:
    """By the package for 8 bits; into memory first, since some writers seek."""
    image, kind = Image.fromarray(made.eight_bit), plan.of.kind
    told: dict[str, Any] = {"icc_profile": made.icc, **({"exif": exif} if exif else {})}
    if kind == "png":
        info = PngImagePlugin.PngInfo()
        info.add_itxt("XML:com.adobe.xmp", xmp.decode())
        told |= {"pnginfo": info, "compress_level": 4, "dpi": (plan.of.dpi, plan.of.dpi)}
    elif kind == "jpeg":
        told |= {"quality": plan.of.quality, "subsampling": 0, "xmp": xmp, "dpi": (plan.of.dpi, plan.of.dpi)}
    else:
        told |= {"quality": plan.of.quality, "xmp": xmp}
    encoded = io.BytesIO()
    image.save(encoded, kind.upper(), **told)
    file.write(encoded.getvalue())
