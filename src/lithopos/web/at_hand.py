"""What every part of the API has at hand: the library, the queues, a photograph that was asked for last."""

from __future__ import annotations

import re

from flask import Response, current_app
from pydantic import BaseModel

from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture
from lithopos.core.reading.ask import read_panorama_kept, read_picture_kept
from lithopos.jobs.queue import Queue
from lithopos.library.store import Library

__all__ = ["answer", "library_at_hand", "panorama_of", "photograph_of", "queue_at_hand", "slug"]


def library_at_hand() -> Library:
    """The library that this application serves."""
    library: Library = current_app.extensions["library"]
    return library


def queue_at_hand() -> Queue:
    """The queues that its worker takes from."""
    queue: Queue = current_app.extensions["queue"]
    return queue


def answer(body: BaseModel, status: int = 200) -> Response:
    """Data as an answer in JSON."""
    return Response(body.model_dump_json(by_alias=True), status, mimetype="application/json")


def photograph_of(name: str) -> Picture:
    """A photograph's working copy; the last one that was asked for stays at hand."""
    library = library_at_hand()
    held: tuple[str, Picture] | None = current_app.extensions.get("photograph")
    if held is None or held[0] != name:
        held = (name, read_picture_kept(library.file_path(name), library.made_folder(name)))
        current_app.extensions["photograph"] = held
    return held[1]


def panorama_of(name: str) -> Panorama:
    """A panorama's working copy."""
    return read_panorama_kept(library_at_hand().file_path(name), library_at_hand().made_folder(name))


def slug(name: str) -> str:
    """A name as part of a file's name."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "shot"
