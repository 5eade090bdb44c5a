"""Takes: what they are, their frames for the screen, the work that is done on them."""

from __future__ import annotations

import io
import json
from typing import Any

import cv2
import numpy as np
from flask import Response, send_file

from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture, png_of
from lithopos.core.footage.front import Front
from lithopos.core.footage.front_files import kept_front
from lithopos.core.shot import Take
from lithopos.jobs.takes import FRAMES, LOOKED, TAKE_WORK, kept_folder, shown_frame
from lithopos.library.database import NotFound
from lithopos.library.models import Render
from lithopos.library.shots import ShotState
from lithopos.web import schemas as s
from lithopos.web.at_hand import answer, library_at_hand, queue_at_hand
from lithopos.web.part import part
from lithopos.web.renders import refuse_unready, render_out

footage = part("footage", __name__)
FOR_ALL = ("plate", "front")  # of the shot and all its options
SHOWN_WORK = ("front", "walk", "film")
FRONT_COLOUR = (232, 64, 120)
SHADE_COLOUR = (64, 110, 232)
GONE = "This frame is gone; have it made again."

__all__ = ["footage"]


def _take_of(state: ShotState) -> Take:
    if state.shot.take is None:
        raise NotFound("This shot is of a photograph, not of a take.")
    return state.shot.take


@footage.get("/shots/<string:shot_id>/take", operation_id="getTake", responses={200: s.TakeOut})
def get_take(path: s.ShotPath) -> Response:
    """A shot's take, and the newest work of each kind that was done on it."""
    library = library_at_hand()
    state = library.shot(path.shot_id)
    take = _take_of(state)
    told = library.file(take.file.removeprefix("sha256:")).told
    # The plate and who is in front belong to the take: an option has its shot's.
    renders = library.renders(path.shot_id, limit=200)
    of_take = renders if state.option is None else library.renders(state.row, limit=200)
    lists = {kind: of_take if kind in FOR_ALL else renders for kind in TAKE_WORK}
    work = {kind: next((one for one in lists[kind] if one.quality == kind), None) for kind in TAKE_WORK}
    done = next((one for one in of_take if one.quality == "plate" and one.state == "done"), None)
    looked = _noted(done, LOOKED) if done else None
    return answer(
        s.TakeOut(
            notes=told.get("notes", []),
            codec=told["take"]["codec"],
            numbered=told["take"]["container"] == "zip",
            sound=told["take"]["sound"],
            looked=s.Looked.model_validate(looked) if looked else None,
            plate_is_current=done is not None and _plate_current(done, state),
            work={kind: render_out(one, state) for kind, one in work.items() if one},
            **{name: _frames_there(work[name]) for name in SHOWN_WORK},
        )
    )


def _frames_there(render: Render | None) -> list[int]:
    """Frames that the newest work of a kind has made so far."""
    return sorted(int(number) for number in _noted(render, FRAMES) or {}) if render else []


def _noted(render: Render, name: str) -> dict[str, Any] | None:
    place = library_at_hand().render_folder(render.id) / name
    return dict(json.loads(place.read_text())) if place.is_file() else None


def _plate_current(render: Render, state: ShotState) -> bool:
    """Whether the plate was made with the strokes, the frames and the reference that hold now."""
    then = library_at_hand().shot_at(render.shot_name, render.revision)
    without = {"plate", "loop", "name"}
    if then.take is None or state.shot.take is None:
        return False
    alike = then.take.model_dump(exclude=without) == state.shot.take.model_dump(exclude=without)
    return alike and then.plate_strokes == state.shot.plate_strokes


@footage.post("/shots/<string:shot_id>/take/<string:work>", operation_id="workOnTake", responses={201: s.RenderOut})
def work_on_take(path: s.WorkPath) -> Response:
    """Have the clean plate made, who is in front told, a small proof of all frames made, or all of it."""
    library = library_at_hand()
    state = library.shot(path.shot_id)
    _take_of(state)
    if path.work in ("walk", "film"):
        refuse_unready(state.shot, "master" if path.work == "film" else "proof")
    name = state.row if path.work in FOR_ALL else path.shot_id
    for old in library.renders(name, limit=200):
        if old.quality == path.work and old.state in ("queued", "running"):
            library.stop_render(old.id)
    render = library.add_render(name, path.work)
    queue_at_hand().put(render.id, render.quality)
    return answer(render_out(render), 201)


@footage.get("/shots/<string:shot_id>/take/frames/<int:number>", operation_id="getTakeFrame")
def get_take_frame(path: s.FramePath) -> Response:
    """A frame of the take itself, as large as the screen needs."""
    take = _take_of(library_at_hand().shot(path.shot_id))
    if path.number >= take.frames:
        raise InputError("number", f"is {path.number}; the take has {take.frames} frames, from 0")
    response = send_file(shown_frame(library_at_hand(), take, path.number), mimetype="image/jpeg")
    response.headers["Cache-Control"] = "max-age=3600"
    return response


@footage.get("/renders/<string:render_id>/frames/<int:number>", operation_id="getMadeFrame")
def get_made_frame(path: s.MadeFramePath) -> Response:
    """A frame that was made: finished, or who is in front of the place in it, in colour over nothing."""
    library = library_at_hand()
    render = library.render(path.render_id)
    name = (_noted(render, FRAMES) or {}).get(str(path.number))
    take = _take_of(library.shot(render.shot_name))
    if name is None:
        raise NotFound("This frame is not made yet.")
    if render.quality == "front":
        try:
            front = kept_front(kept_folder(library, take) / "front" / name)
        except (FileNotFoundError, KeyError):  # cleared away, or kept by an earlier version
            raise NotFound(GONE) from None
        return _sent(_front_picture(front))
    place = kept_folder(library, take) / "frames" / name
    if not place.is_file():
        raise NotFound(GONE)
    return _sent(png_of(Picture(read_picture(place).eight_bit)))


def _front_picture(front: Front) -> bytes:
    """People in one colour, what they darken in another, where neither is nothing."""
    alpha, dark = front.alpha * 255, np.clip((0.97 - front.shade.mean(-1)) * 1.2, 0, 0.75) * 255
    picture = np.where((alpha >= dark)[..., None], np.array(FRONT_COLOUR), np.array(SHADE_COLOUR))
    opaque = np.maximum(alpha, dark) * 0.8
    bgra = np.dstack([picture[..., ::-1], opaque]).astype(np.uint8)
    done, data = cv2.imencode(".png", bgra, [cv2.IMWRITE_PNG_COMPRESSION, 2])
    if not done:
        raise OSError("the frame could not be encoded")
    return bytes(data.tobytes())


def _sent(data: bytes) -> Response:
    response = send_file(io.BytesIO(data), mimetype="image/png")
    response.headers["Cache-Control"] = "no-cache"
    return response
