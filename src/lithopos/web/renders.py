"""Renders: asked for, stopped, gone on with; their pictures and what was judged of them."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from flask import Response, current_app, send_file
from PIL import Image

from lithopos.core.composite.changes import changes_of
from lithopos.core.composite.scope import Scope
from lithopos.core.composite.whites import Whites
from lithopos.core.deliver.framed import framed_picture
from lithopos.core.derive import derive
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import png_of
from lithopos.core.readiness import missing
from lithopos.core.render.render import AFTERWARDS, OF_TAKES, refuse_too_large, traced_alike
from lithopos.core.render.session import sized
from lithopos.core.shot import Shot
from lithopos.jobs.files import PICTURE, made_files
from lithopos.jobs.takes import TAKE_WORK
from lithopos.jobs.worker import PREVIEW, SCOPE, WHITES
from lithopos.library.database import NotFound
from lithopos.library.models import Render
from lithopos.library.shots import ShotState
from lithopos.web import schemas as s
from lithopos.web.at_hand import answer, library_at_hand, photograph_of, queue_at_hand, slug
from lithopos.web.part import part

renders = part("renders", __name__)
CURRENT_HELD = 500
TOLD_OTHERWISE = ("has_picture", "whites", "files", "current", "follows")  # of a render, than by its row

__all__ = ["refuse_unready", "render_out", "renders", "scope_kept"]


@renders.get("/shots/<string:shot_id>/renders", operation_id="listRenders", responses={200: s.RendersOut})
def list_renders(path: s.ShotPath) -> Response:
    head = library_at_hand().shot(path.shot_id)
    told = [render_out(render, head) for render in library_at_hand().renders(path.shot_id)]
    return answer(s.RendersOut(renders=told))


@renders.post("/shots/<string:shot_id>/renders", operation_id="addRender", responses={201: s.RenderOut})
def add_render(path: s.ShotPath, body: s.RenderNew) -> Response:
    refuse_unready(library_at_hand().shot(path.shot_id).shot, body.quality)
    render = library_at_hand().add_render(path.shot_id, body.quality, list(body.part) if body.part else None)
    queue_at_hand().put(render.id, render.quality)
    return answer(render_out(render), 201)


@renders.post("/renders/<string:render_id>/stop", operation_id="stopRender", responses={200: s.RenderOut})
def stop_render(path: s.RenderPath) -> Response:
    return answer(render_out(library_at_hand().stop_render(path.render_id)))


@renders.post("/renders/<string:render_id>/restart", operation_id="restartRender", responses={200: s.RenderOut})
def restart_render(path: s.RenderPath) -> Response:
    render = library_at_hand().restart_render(path.render_id)
    queue_at_hand().put(render.id, render.quality)
    return answer(render_out(render))


@renders.post("/renders/<string:render_id>/follow", operation_id="followRender", responses={200: s.RenderOut})
def follow_render(path: s.RenderPath) -> Response:
    """Make a finished proof anew, of the shot as it stands, in its place."""
    refuse_unready(library_at_hand().shot(library_at_hand().render(path.render_id).shot_name).shot, "proof")
    render = library_at_hand().follow_render(path.render_id)
    if render.state == "queued":
        queue_at_hand().put(render.id, render.quality)
    return answer(render_out(render))


@renders.post("/renders/<string:render_id>/finer", operation_id="refineRender", responses={201: s.RenderOut})
def refine_render(path: s.RenderPath) -> Response:
    """Go on with a finished master, to four times its samples."""
    render = library_at_hand().refine_render(path.render_id)
    queue_at_hand().put(render.id, render.quality)
    return answer(render_out(render), 201)


@renders.get("/renders/<string:render_id>/picture", operation_id="getPicture")
def get_picture(path: s.RenderPath, query: s.DownloadQuery) -> Response:
    render = library_at_hand().render(path.render_id)
    picture = _picture_of(render, whole=query.download)
    if picture is None:
        raise NotFound("This render has no picture yet.")
    if not query.download:
        response = send_file(picture, mimetype="image/png")
        response.headers["Cache-Control"] = "no-cache"
        return response
    shot = library_at_hand().shot_at(render.shot_name, render.revision)
    named: dict[str, Any] = {
        "as_attachment": True,
        "download_name": f"{slug(shot.name)}-{render.quality}-r{render.revision}.png",
    }
    if shot.frame is None:
        return send_file(picture, mimetype="image/png", **named)
    encoded = io.BytesIO(png_of(framed_picture(read_picture(picture).as_came, shot)))
    return send_file(encoded, mimetype="image/png", **named)


@renders.get("/renders/<string:render_id>/changes", operation_id="getChanges")
def get_changes(path: s.RenderPath, query: s.ChangesQuery) -> Response:
    """What a render does to its photograph, by itself, on grey."""
    render = library_at_hand().render(path.render_id)
    picture = _picture_of(render)
    photograph = library_at_hand().shot_at(render.shot_name, render.revision).photograph
    if picture is None or photograph is None:
        raise NotFound("This render has no picture yet.")
    read = cv2.imread(str(picture), cv2.IMREAD_UNCHANGED)
    if read is None:
        raise NotFound("This render's picture can't be read; make it again.")
    made = np.ascontiguousarray(read[..., 2::-1])
    base = sized(photograph_of(photograph.file), made.shape[1] / photograph.width).as_came.codes
    if base.shape != made.shape:
        raise NotFound("This render is of another size than its photograph.")
    encoded = io.BytesIO()
    Image.fromarray(changes_of(made, base, query.times)).save(encoded, "PNG", compress_level=1)
    return Response(encoded.getvalue(), mimetype="image/png", headers={"Cache-Control": "no-cache"})


@renders.get("/renders/<string:render_id>/scope", operation_id="getScope", responses={200: Scope})
def get_scope(path: s.RenderPath) -> Response:
    """The tones of what a render shows of things and of what is around them; of one not in one piece there are none."""
    return answer(scope_kept(path.render_id))


def scope_kept(render_id: str) -> Scope:
    """What was tallied of a render; empty where nothing was."""
    place = library_at_hand().render_folder(render_id) / SCOPE
    return Scope.model_validate_json(place.read_bytes()) if place.is_file() else Scope()


def _picture_of(render: Render, whole: bool = False) -> Path | None:
    """The picture so far; of a master under way only at the size of the screen."""
    folder = library_at_hand().render_folder(render.id)
    names = (PICTURE,) if whole else (PREVIEW, PICTURE)
    return next((folder / name for name in names if (folder / name).is_file()), None)


def refuse_unready(shot: Shot, quality: str) -> None:
    """Say at once what a render would fail for."""
    lacks = missing(shot, derive(shot))
    if lacks:
        raise s.Unready(lacks)
    if shot.photograph and quality == "master":
        refuse_too_large(shot.photograph.width, shot.photograph.height, shot.output.scale)


def render_out(render: Render, head: ShotState | None = None) -> s.RenderOut:
    """A render for the screen.

    Parameters
    ----------
    head : the shot or option that it shows as it stands, where that is known.
    """
    values = {name: getattr(render, name) for name in s.RenderOut.model_fields if name not in TOLD_OTHERWISE}
    values["shot_id"] = render.shot_name
    told = library_at_hand().render_folder(render.id) / WHITES
    whites = Whites.model_validate_json(told.read_text()) if told.is_file() else None
    files = made_files(library_at_hand(), render.id) if render.quality in ("files", "film") else []
    current, alike = _as_it_stands(render, head)
    follows = alike and not current and render.quality == "proof" and render.state == "done" and not render.part
    values |= {"has_picture": _picture_of(render) is not None, "current": current, "follows": follows}
    return s.RenderOut(**values, whites=whites, files=files)


def _as_it_stands(render: Render, head: ShotState | None) -> tuple[bool, bool]:
    """Whether nothing that shows in its picture has changed since it was asked for; whether nothing that is traced."""
    library = library_at_hand()
    head = head or library.shot(render.shot_name)
    if head.revision == render.revision:
        return True, True
    held: dict[tuple[str, int], tuple[bool, bool]] = current_app.extensions.setdefault("current", {})
    key = (f"{render.id}@{render.revision}", head.revision)
    if key not in held:
        if len(held) > CURRENT_HELD:
            held.clear()
        then, now = library.shot_at(render.shot_name, render.revision), head.shot
        aside = AFTERWARDS - OF_TAKES if render.quality in TAKE_WORK else AFTERWARDS
        alike = then.model_dump(exclude=aside) == now.model_dump(exclude=aside)
        as_fine = then.output.model_copy(update={"names": now.output.names}) == now.output
        held[key] = alike and (as_fine or render.quality != "master"), alike or traced_alike(then, now)
    return held[key]
