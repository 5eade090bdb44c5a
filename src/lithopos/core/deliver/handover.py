"""The hand-over page: one HTML file with picture and photograph, a seam, a place for remarks; and the reply to it.

It needs no server and asks for nothing from outside; what the client says is saved to a small file that is sent back.
"""

from __future__ import annotations

import base64
import html
import io
import json
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from PIL import Image
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lithopos.core.deliver.flat import sized_to
from lithopos.core.deliver.icc import in_colours
from lithopos.core.errors import InputError, input_error_from
from lithopos.core.exchange.picture import Picture
from lithopos.core.shot.deliver import Reply

LONGEST = 2400  # of the pictures in a page [px]
QUALITY = 90
MOST_BYTES = 1 << 20  # of a reply

__all__ = ["MOST_BYTES", "OnPage", "Origin", "handover_folder", "handover_page", "read_reply"]


class Origin(BaseModel):
    """Which project, shot and revision a page shows; its reply says so again."""

    model_config = ConfigDict(extra="forbid")

    project: Annotated[str, Field(max_length=200)]
    shot: Annotated[str, Field(max_length=200)]
    revision: int = 0


class _Said(BaseModel):
    model_config = ConfigDict(extra="forbid")

    option: str | None = None
    verdict: Literal["yes", "no"] | None = None
    pins: list[dict[str, Any]] = []


class _Told(Origin):
    by: Annotated[str, Field(min_length=1, max_length=120)]
    at: str
    said: Annotated[list[_Said], Field(max_length=100)] = []
    # Pages that knew of no options said it here.
    verdict: Literal["yes", "no"] | None = None
    pins: list[dict[str, Any]] = []


@dataclass(frozen=True)
class OnPage:
    """A picture on the page, in its frame: of the shot (`option` is null) or of an option, with what it is called.

    Attributes
    ----------
    says : what it has otherwise than the shot.
    files : that are handed over with it, by their names in the page's folder.
    """

    option: str | None
    name: str
    picture: Picture
    says: str = ""
    files: tuple[str, ...] = ()


def handover_page(photograph: Picture, shown: Sequence[OnPage], title: str, caption: str, origin: Origin) -> bytes:
    """The page of framed, finished pictures of one photograph, of which it shows the first one first."""

    def embedded(_: str, data: bytes) -> str:
        return f"data:image/jpeg;base64,{base64.b64encode(data).decode()}"

    return _page(photograph, shown, title, caption, origin, embedded)


def handover_folder(photograph: Picture, shown: Sequence[OnPage], title: str, caption: str, origin: Origin) -> bytes:
    """The same as a folder, packed (zip): the page and its pictures beside it."""
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as folder:

        def beside(name: str, data: bytes) -> str:
            folder.writestr(f"pictures/{name}.jpg", data)
            return f"pictures/{name}.jpg"

        page = _page(photograph, shown, title, caption, origin, beside, "data: file: 'self'")
        folder.writestr("index.html", page)
    return file.getvalue()


def _page(
    photograph: Picture,
    shown: Sequence[OnPage],
    title: str,
    caption: str,
    origin: Origin,
    put: Callable[[str, bytes], str],
    pictures: str = "data:",
) -> bytes:
    """The page; `put` takes a picture by name and gives its address, `pictures` says where pictures may come from."""
    height, width = shown[0].picture.codes.shape[:2]
    about = {
        "before": put("photograph", _jpeg(photograph, width, height)),
        "width": width,
        "height": height,
        "name": Path(title).name,
        "origin": origin.model_dump(),
        "options": [
            {
                "option": one.option,
                "name": one.name,
                "says": one.says,
                "after": put(f"option-{number}", _jpeg(one.picture, width, height)),
                "files": one.files,
            }
            for number, one in enumerate(shown)
        ],
    }
    page = (files(__package__) / "handover.html").read_text(encoding="utf-8")
    # In a script "</" would end it.
    data = json.dumps(about).replace("</", "<\\/")
    told = {
        "@TITLE@": html.escape(title),
        "@CAPTION@": html.escape(caption),
        "@PICTURES@": pictures,
        "@ABOUT@": data,
    }
    for word, value in told.items():
        page = page.replace(word, value)
    return page.encode()


def _jpeg(picture: Picture, width: int, height: int) -> bytes:
    """A picture as sRGB in a JPEG; none is larger than a screen has use for."""
    share = min(1.0, LONGEST / max(width, height))
    codes = sized_to(picture.codes, max(1, round(width * share)), max(1, round(height * share)))
    shown = in_colours(Picture(codes, picture.icc), "sRGB")
    file = io.BytesIO()
    Image.fromarray(np.asarray(shown.codes, np.uint8)).save(file, "JPEG", quality=QUALITY, icc_profile=shown.icc)
    return file.getvalue()


def read_reply(data: bytes) -> tuple[Origin, list[Reply]]:
    """A client's reply, one for each option that something was said of, with what it is a reply to; without ids yet.

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
        found = {"id": "new", "by": told.by, "at": told.at, "revision": told.revision}
        replies = [
            Reply.model_validate({**found, **one.model_dump()})
            for one in told.said or [_Said(verdict=told.verdict, pins=told.pins)]
        ]
    except ValidationError as error:
        wrong = input_error_from(error)
        raise InputError("reply", f"is damaged: {wrong.field} {wrong.cause}") from error
    return Origin(project=told.project, shot=told.shot, revision=told.revision), replies


def _sealed(words: str) -> str:
    """FNV-1a of 32 bits, as the page has it: it tells what was changed by mistake, it is no signature."""
    h = 0x811C9DC5
    for byte in words.encode():
        h = (h ^ byte) * 0x01000193 & 0xFFFFFFFF
    return f"{h:08x}"
