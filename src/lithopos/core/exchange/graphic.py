"""Graphics: pictures with transparency that are laid on things or hung, and frames of films.

A drawing (SVG) is turned into pixels by a library, without its scripts, fonts from elsewhere, or anything that it
refers to outside itself.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from lxml import etree
from numpy.typing import NDArray
from PIL import Image

from lithopos.core.arrays import Floats
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.film import shown_at
from lithopos.core.exchange.kinds import file_kind
from lithopos.core.exchange.picture import in_srgb

LONGEST = 4096
DRAWN = 3072  # the longer side of a drawing
MOST_SVG_BYTES = 32 << 20
_HREFS = ("href", "{http://www.w3.org/1999/xlink}href")
_OUTSIDE = re.compile(r"url\(\s*['\"]?(?!#|data:)", re.IGNORECASE)

__all__ = ["Graphic", "ReadGraphic", "drawing_size", "has_lettering", "read_graphic"]


@dataclass(frozen=True)
class Graphic:
    """(H, W, 4) codes of sRGB with straight alpha."""

    codes: NDArray[np.uint8]

    @property
    def linear(self) -> Floats:
        """(H, W, 4) linear colours and alpha."""
        values = self.codes.astype(np.float32) / np.float32(255)
        return np.dstack([decode_srgb(values[..., :3]), values[..., 3]])


# Gives a picture by its name in a document; of a film the frame at a time [s].
ReadGraphic = Callable[[str, float], Graphic]


def read_graphic(path: Path, time_s: float = 0.0, longest: int = LONGEST) -> Graphic:
    """A graphic of a kind that is read, at most `longest` pixels long; of a film the frame at a time.

    Raises
    ------
    InputError
        If the file is of no such kind, or damaged.
    """
    kind = file_kind(path)
    if kind == "svg":
        return Graphic(_drawn(path, min(DRAWN, longest)))
    if kind == "film":
        return Graphic(_bounded(shown_at(path, time_s), longest))
    if kind is None:
        raise InputError("file", "is neither a picture nor a drawing nor a film of a kind that is read")
    codes = in_srgb(read_picture(path))
    return Graphic(_bounded(np.dstack([codes, _alpha(path, codes.shape[:2])]), longest))


def _alpha(path: Path, shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """A picture's transparency, which photographs do without."""
    opaque = np.full(shape, 255, np.uint8)
    try:
        with Image.open(path) as picture:
            if "A" not in picture.getbands() and "transparency" not in picture.info:
                return opaque
            alpha = np.asarray(picture.convert("RGBA").getchannel("A"))
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return opaque
    return alpha if alpha.shape == shape else opaque


def _bounded(codes: NDArray[np.uint8], longest: int) -> NDArray[np.uint8]:
    height, width = codes.shape[:2]
    share = longest / max(height, width)
    if share >= 1:
        return np.ascontiguousarray(codes)
    # Colours of what is not seen must not bleed: they are weighed by alpha while it is made smaller.
    values = Graphic(codes).linear
    values[..., :3] *= values[..., 3:]
    size = (max(1, round(width * share)), max(1, round(height * share)))
    small = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    colour = small[..., :3] / np.maximum(small[..., 3:], 1e-6)
    return np.round(np.dstack([encode_srgb(np.clip(colour, 0, 1)), small[..., 3]]) * 255).astype(np.uint8)


# Drawings


def drawing_size(path: Path) -> tuple[float, float]:
    """Width and height that a drawing tells, in its own units.

    Raises
    ------
    InputError
        If it is no drawing, or tells none.
    """
    root = _drawing(path)
    box = re.split(r"[\s,]+", (root.get("viewBox") or "").strip())
    try:
        if len(box) == 4:
            width, height = float(box[2]), float(box[3])
        else:
            width, height = (float(re.match(r"[\d.]+", root.get(n) or "").group()) for n in ("width", "height"))  # type: ignore[union-attr]
    except (AttributeError, ValueError) as error:
        raise InputError("file", "is a drawing that tells no size: give it a viewBox") from error
    if not (0 < width < 1e6 and 0 < height < 1e6) or not 1 / 200 < width / height < 200:
        raise InputError("file", f"is a drawing of an absurd size: {width:g} by {height:g}")
    return width, height


def has_lettering(path: Path) -> bool:
    """Whether a drawing has text that is set in a font."""
    return any(isinstance(one.tag, str) and etree.QName(one).localname == "text" for one in _drawing(path).iter())


def _drawing(path: Path) -> etree._Element:
    if path.stat().st_size > MOST_SVG_BYTES:
        raise InputError("file", f"is a drawing of more than {MOST_SVG_BYTES >> 20} MB")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.parse(str(path), parser).getroot()
    except etree.XMLSyntaxError as error:
        raise InputError("file", f"is a damaged drawing (SVG): {error.msg}") from error
    if etree.QName(root).localname != "svg":
        raise InputError("file", "is XML, but no drawing (SVG)")
    return root


def _closed(root: etree._Element) -> bytes:
    """A drawing without scripts and without anything that leads out of it."""
    for element in list(root.iter()):
        if not isinstance(element.tag, str):
            parent = element.getparent()
            if parent is not None and isinstance(element, etree._Entity):
                parent.remove(element)
            continue
        if etree.QName(element).localname in ("script", "foreignObject"):
            parent = element.getparent()
            if parent is not None:
                parent.remove(element)
            continue
        for name in list(element.attrib):
            value = element.attrib[name]
            leads = name in _HREFS and not str(value).strip().startswith(("#", "data:image/"))
            if leads or str(name).lower().startswith("on") or _OUTSIDE.search(str(value)):
                del element.attrib[name]
        if etree.QName(element).localname == "style" and element.text:
            element.text = "" if _OUTSIDE.search(element.text) or "@import" in element.text else element.text
    return etree.tostring(root)


def _drawn(path: Path, longest: int) -> NDArray[np.uint8]:
    import resvg_py

    width, height = drawing_size(path)
    zoom = longest / max(width, height)
    try:
        made = resvg_py.svg_to_bytes(
            svg_string=_closed(_drawing(path)).decode(),
            width=max(1, round(width * zoom)),
            height=max(1, round(height * zoom)),
        )
    except ValueError as error:
        raise InputError("file", "is a drawing that can't be drawn") from error
    with Image.open(io.BytesIO(bytes(made))) as picture:
        return np.array(picture.convert("RGBA"))
