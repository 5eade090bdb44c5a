"""Names and sizes of what is delivered: by a pattern, counted on, and nothing is overwritten."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from lithopos.core.errors import InputError
from lithopos.core.shot.deliver import MOST_SIDE, Deliverable

FILMS = {"av1": "mp4", "vp9": "webm", "ffv1": "mkv"}
FRAMES = {"png frames": "zip", "model frames": "zip", "exr frames": "zip"}
SUFFIXES = (
    FILMS
    | FRAMES
    | {"jpeg": "jpg", "layered tiff": "tif", "tiff": "tif", "page": "html", "page folder": "zip", "camera": "json"}
)
LONGEST_NAME = 120
MOST_SCALE = 4.0

__all__ = ["Planned", "named", "planned", "scale_needed"]


@dataclass(frozen=True)
class Planned:
    """A file that will be made: its size [px] with its bleed, the bleed [px], and beside the photograph's size."""

    of: Deliverable
    width: int
    height: int
    bleed_px: int
    scale: float


def planned(one: Deliverable, width: float, height: float, scale: float) -> Planned:
    """A deliverable of a photograph, or of its frame, `width` × `height`, whose master has `scale` times its size.

    Raises
    ------
    InputError
        If its format can't hold such a size.
    """
    bleed = 0
    if one.longest_px is not None:
        scale = one.longest_px / max(width, height)
    elif one.width_mm is not None:
        scale = one.width_mm / 25.4 * one.dpi / width
        bleed = round(one.bleed_mm / 25.4 * one.dpi)
    if scale > MOST_SCALE:
        raise InputError(
            "deliverables",
            f"{one.id!r} would be {scale:.1f} times as large as the photograph; {MOST_SCALE:.0f} is the most",
        )
    size = max(1, round(width * scale)) + 2 * bleed, max(1, round(height * scale)) + 2 * bleed
    most = MOST_SIDE.get(one.kind)
    if most and max(size) > most:
        raise InputError(
            "deliverables", f"{one.id!r} would be {max(size)} pixels long; {one.kind} holds {most} at most"
        )
    return Planned(one, *size, bleed, scale)


def scale_needed(files: list[Deliverable], width: float, height: float, scale: float) -> float:
    """How large a master has to be for all of them, beside the photograph's size."""
    return max([planned(one, width, height, scale).scale for one in files], default=scale)


def named(pattern: str, words: dict[str, str], files: list[Planned], folder: Path) -> list[Path]:
    """Where the files of one run go: with the first number that none of them has yet.

    Where the pattern has no number, one is put behind it from the second run on; files that would be called alike are
    told apart by their format or a letter.
    """
    words = {name: re.sub(r"[^\w.]+", "-", word).strip("-.") for name, word in words.items()}
    for n in range(1, 100_000):
        taken: list[Path] = []
        for one in files:
            size = f"{one.width}x{one.height}"
            view = _view(one.of)
            option = "" if one.of.is_page else words.get("option", "")  # a page shows all of them
            stem = pattern.format(**{**words, "option": option, "view": view, "size": size, "n": f"{n:02d}"})
            if "{n}" not in pattern and n > 1:
                stem += f"-{n}"
            path = folder / f"{_plain(stem)}.{SUFFIXES.get(one.of.kind, one.of.kind)}"
            for letter in "bcdefghijklmnopqrstuvwxyz":
                if path not in taken:
                    break
                path = path.with_name(f"{_plain(stem)}-{letter}{path.suffix}")
            taken.append(path)
        if not any(path.exists() for path in taken):
            return taken
    raise InputError("names", "are used up in this folder")


def _view(one: Deliverable) -> str:
    if one.is_page or one.kind == "camera":
        return one.kind.split()[0]
    if one.of_take:
        return "film" if one.kind in FILMS else one.kind.replace(" ", "-")
    return "scene" if one.matched else "layers" if one.layered else "picture"


def _plain(stem: str) -> str:
    """A name that every system takes: words that are empty leave no gap."""
    stem = re.sub(r'[/\\:*?"<>|\x00-\x1f]', "-", stem)
    return re.sub(r"-{2,}", "-", stem).strip(" .-")[:LONGEST_NAME] or "picture"
