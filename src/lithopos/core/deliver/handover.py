"""The hand-over page: one HTML file with picture and photograph, a seam, a place for remarks; and the reply to it.

It needs no server and asks for nothing from outside; what the client says is saved to a small file that is sent back.
"""

from __future__ import annotations

import base64
import html
import io
import json
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from PIL import Image
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lithopos.core.deliver.finished import Finished
from lithopos.core.deliver.flat import sized_to
from lithopos.core.deliver.icc import in_colours
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.exchange.picture import Picture
from lithopos.core.shot.deliver import Reply

LONGEST = 2400  # of the pictures in a page [px]
QUALITY = 90
MOST_BYTES = 1 << 20  # of a reply

__all__ = ["MOST_BYTES", "Origin", "handover_page", "read_reply"]


class Origin(BaseModel):
    """Which project, shot and revision a page shows; its reply says so again."""

    model_config = ConfigDict(extra="forbid")

    project: Annotated[str, Field(max_length=200)]
    shot: Annotated[str, Field(max_length=200)]
    revision: int = 0


class _Told(Origin):
    by: Annotated[str, Field(min_length=1, max_length=120)]
    at: str
    verdict: Literal["yes", "no"] | None
    pins: list[dict[str, Any]]


def handover_page(done: Finished, title: str, caption: str, origin: Origin, beside: list[Path]) -> bytes:
    """The page of a framed, finished picture.

    Parameters
    ----------
    beside : files that are handed over with it, in the same folder.
    """
    height, width = done.picture.codes.shape[:2]
    about = {
        "before": _embedded(done.photograph),
        "after": _embedded(done.picture),
        "width": width,
        "height": height,
        "name": Path(title).name,
        "origin": origin.model_dump(),
        "files": [{"name": path.name, "says": path.name} for path in beside],
    }
    page = (files(__package__) / "handover.html").read_text(encoding="utf-8")
    # In a script "</" would end it.
    data = json.dumps(about).replace("</", "<\\/")
    told = {"@TITLE@": html.escape(title), "@CAPTION@": html.escape(caption), "@ABOUT@": data}
    for word, value in told.items():
        page = page.replace(word, value)
    return page.encode()


def _embedded(picture: Picture) -> str:
    """A picture as sRGB in a JPEG within an address."""
    height, width = picture.codes.shape[:2]
    share = min(1.0, LONGEST / max(width, height))
    codes = sized_to(picture.codes, max(1, round(width * share)), max(1, round(height * share)))
    shown = in_colours(Picture(codes, picture.icc), "sRGB")
    file = io.BytesIO()
    Image.fromarray(np.asarray(shown.codes, np.uint8)).save(file, "JPEG", quality=QUALITY, icc_profile=shown.icc)
    return f"data:image/jpeg;base64,{base64.b64encode(file.getvalue()).decode()}"


def read_reply(data: bytes) -> tuple[Origin, Reply]:
    """A client's reply, with what it is a reply to; its id is not set yet.

    Raises
    ------
    InputError
        If it is none, or has been changed since it was saved.
    """
    if len(data) > MOST_BYTES:
        raise InputError("reply", "is larger than any reply")
    try:
        package = json.loads(data)
        words, seal = package["told"], package["seal"]
        sealed = package["lithopos"] == "reply" and isinstance(words, str)
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        raise InputError("reply", "is no reply to a hand-over page") from error
    if not sealed:
        raise InputError("reply", "is no reply to a hand-over page")
    if _sealed(words) != seal:
        raise InputError("reply", "has been changed since it was saved; ask for it once more")
    try:
        told = _Told.model_validate_json(words)
        found = {"id": "new", "by": told.by, "at": told.at, "verdict": told.verdict, "pins": told.pins}
        reply = Reply.model_validate({**found, "revision": told.revision})
    except ValidationError as error:
        wrong = input_error_from(error)
        raise InputError("reply", f"is damaged: {wrong.field} {wrong.cause}") from error
    return Origin(project=told.project, shot=told.shot, revision=told.revision), reply


def _sealed(words: str) -> str:
    """FNV-1a of 32 bits, as the page has it: it tells what was changed by mistake, it is no signature."""
    h = 0x811C9DC5
    for byte in words.encode():
        h = (h ^ byte) * 0x01000193 & 0xFFFFFFFF
    return f"{h:08x}"
