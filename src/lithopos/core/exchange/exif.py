"""What a camera wrote into the photograph's file (EXIF 2.32): focal length, date, place, bearing.

Figures are kept as found; what can't be a figure (0/0, a date in words) is left out. The focal length is
told as the 35 mm equivalent by the diagonal, which is also EXIF's own convention.
"""

from __future__ import annotations

import math
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from PIL import ExifTags, Image

from lithopos.core.camera.pinhole import DIAGONAL_35MM
from lithopos.core.shot.photo import CameraNotes

WITH_NOTES = ["JPEG", "PNG", "TIFF", "WEBP", "AVIF"]
_SHAPES = (3 / 2, 4 / 3, 16 / 9, 1.0, 5 / 4, 2.0)  # of sensors, long side over short
_UNIT_MM = {2: 25.4, 3: 10.0, 4: 1.0, 5: 0.001}  # of the focal plane's resolution

ORIENTATION = 0x0112

__all__ = ["camera_notes", "whole_notes"]


def whole_notes(path: Path) -> bytes | None:
    """All that the camera wrote, as it is written again with the picture upright; None if there is nothing."""
    try:
        with Image.open(path, formats=WITH_NOTES) as picture:
            exif = picture.getexif()
            if not len(exif):
                return None
            exif[ORIENTATION] = 1
            return exif.tobytes()
    except (OSError, ValueError, SyntaxError, TypeError, KeyError):
        return None


def camera_notes(path: Path, width: int, height: int) -> CameraNotes | None:
    """Read a photograph's notes; None if there are none or they can't be read.

    Parameters
    ----------
    width, height : the picture's own size, upright [px].
    """
    try:
        with Image.open(path, formats=WITH_NOTES) as picture:
            exif = picture.getexif()
            base, camera, place = dict(exif), dict(exif.get_ifd(0x8769)), dict(exif.get_ifd(0x8825))
    except (OSError, ValueError, SyntaxError, TypeError, KeyError):
        return None
    bearing = _bearing(place)
    notes = CameraNotes(
        focal_35mm=_focal_35mm(camera),
        focal_mm=_positive(camera.get(ExifTags.Base.FocalLength)),
        taken_at=_taken_at(base, camera),
        latitude_deg=_degrees(place, 1, 2, "S", 90),
        longitude_deg=_degrees(place, 3, 4, "W", 180),
        bearing_deg=bearing,
        bearing_is=None if bearing is None else {"T": "true", "M": "magnetic"}.get(_text(place.get(16))),
    )
    if notes == CameraNotes():
        return None
    notes.cropped = _cropped(camera, width, height)
    return notes


def _number(value: Any) -> float | None:
    """A rational or number as a float; None for 0/0 and the like."""
    try:
        number = float(value)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return number if math.isfinite(number) else None


def _positive(value: Any) -> float | None:
    number = _number(value)
    return number if number is not None and 0 < number < 1e6 else None


def _text(value: Any) -> str:
    text = value.decode("ascii", "ignore") if isinstance(value, bytes) else str(value or "")
    return text.strip("\x00 ")


def _focal_35mm(camera: dict[int, Any]) -> float | None:
    """The written equivalent, or one from the lens's own length and the sensor's size."""
    written = _positive(camera.get(ExifTags.Base.FocalLengthIn35mmFilm))
    if written is not None:
        return written if 2 <= written <= 3000 else None
    focal, diagonal = _positive(camera.get(ExifTags.Base.FocalLength)), _sensor_diagonal_mm(camera)
    if focal is None or diagonal is None:
        return None
    equivalent = focal * DIAGONAL_35MM / diagonal
    return equivalent if 2 <= equivalent <= 3000 else None


def _sensor_diagonal_mm(camera: dict[int, Any]) -> float | None:
    unit = _UNIT_MM.get(int(_number(camera.get(ExifTags.Base.FocalPlaneResolutionUnit)) or 2), 25.4)
    sides = []
    for pixels, resolution in (
        (ExifTags.Base.ExifImageWidth, ExifTags.Base.FocalPlaneXResolution),
        (ExifTags.Base.ExifImageHeight, ExifTags.Base.FocalPlaneYResolution),
    ):
        count, density = _positive(camera.get(pixels)), _positive(camera.get(resolution))
        if count is None or density is None:
            return None
        sides.append(count / density * unit)
    diagonal = math.hypot(*sides)
    return diagonal if 2 < diagonal < 120 else None


def _cropped(camera: dict[int, Any], width: int, height: int) -> str | None:
    """Why the picture seems cut out of a larger one."""
    long, short = max(width, height), min(width, height)
    whole = [_positive(camera.get(tag)) for tag in (ExifTags.Base.ExifImageWidth, ExifTags.Base.ExifImageHeight)]
    if whole[0] is not None and whole[1] is not None:
        was_long, was_short = max(whole[0], whole[1]), min(whole[0], whole[1])
        if abs(long / short / (was_long / was_short) - 1) > 0.01:
            return (
                f"the camera took {was_long:.0f} × {was_short:.0f} pixels, and {width} × {height} has another shape: "
                "it seems to be cropped"
            )
    nearest = min(_SHAPES, key=lambda shape: abs(np.log(long / short / shape)))
    if abs(long / short / nearest - 1) > 0.012:
        return f"{width} × {height} has the shape of no usual sensor: it may be cropped"
    return None


def _taken_at(base: dict[int, Any], camera: dict[int, Any]) -> datetime | None:
    written = _text(camera.get(ExifTags.Base.DateTimeOriginal)) or _text(base.get(ExifTags.Base.DateTime))
    zone = _text(camera.get(ExifTags.Base.OffsetTimeOriginal))
    for text, form in ((written + zone, "%Y:%m:%d %H:%M:%S%z"), (written, "%Y:%m:%d %H:%M:%S")):
        try:
            return datetime.strptime(text, form)
        except ValueError:
            continue
    return None


def _degrees(place: dict[int, Any], side_tag: int, tag: int, negative: str, most: float) -> float | None:
    """A latitude or longitude from degrees, minutes and seconds."""
    try:
        parts = [_number(part) for part in place[tag]]
    except (KeyError, TypeError):
        return None
    if len(parts) != 3 or any(part is None or part < 0 for part in parts):
        return None
    degrees = sum((part or 0.0) / 60**power for power, part in enumerate(parts))
    if degrees > most:
        return None
    return -degrees if _text(place.get(side_tag)).upper() == negative else degrees


def _bearing(place: dict[int, Any]) -> float | None:
    bearing = _number(place.get(17))
    return bearing if bearing is not None and 0 <= bearing <= 360 else None
