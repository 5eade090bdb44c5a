"""What is delivered: planned, asked for, fetched."""

from __future__ import annotations

import secrets
import shutil
from typing import Any

from flask import Response, current_app, send_file
from flask_openapi3 import APIBlueprint

from lithopos.core.critique.look import last_look
from lithopos.core.deliver.handover import MOST_BYTES, read_reply
from lithopos.core.deliver.make import plan_of
from lithopos.core.deliver.names import Planned, named
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.render.render import PROOF_WIDTH
from lithopos.core.shot import Deliverable, Shot
from lithopos.jobs.files import made_files
from lithopos.jobs.queue import Queue
from lithopos.library.store import Library, NotFound, ShotState
from lithopos.web import schemas as s
from lithopos.web.api import blending_of, render_out

# What files take of room, about: by made-up photographs.
BYTES_A_PIXEL = {"png": 1.8, "tiff": 1.9, "ora": 6.0, "layered tiff": 8.0, "exr": 9.0}

delivery = APIBlueprint("delivery", __name__, url_prefix="/api/v1")

__all__ = ["delivery"]


def _library() -> Library:
    library: Library = current_app.extensions["library"]
    return library


def _queue() -> Queue:
    queue: Queue = current_app.extensions["queue"]
    return queue


@delivery.get("/shots/<string:shot_id>/plan", operation_id="getPlan", responses={200: s.PlanOut})
def get_plan(path: s.ShotPath) -> Response:
    """What the shot will be delivered as: names and sizes, and what stands in the way."""
    state = _library().shot(path.shot_id)
    project = _library().project(state.project_id)
    folder = _library().delivered_folder(project.id)
    wanted = [one for one in state.shot.deliverables if not one.hidden]
    planned = {one.id: _planned(state.shot, one) for one in wanted}
    sound = [plan for plan in planned.values() if isinstance(plan, Planned)]
    words = {"project": project.name, "shot": state.shot.name, "option": state.option_name}
    names = {
        plan.of.id: place.name
        for plan, place in zip(sound, named(state.shot.output.names, words, sound, folder), strict=True)
    }
    files = []
    for name, plan in planned.items():
        if isinstance(plan, str):
            files.append(s.PlannedFile(id=name, problem=plan))
            continue
        larger = plan.scale if plan.scale > state.shot.output.scale * 1.001 else None
        told = s.PlannedFile(id=name, name=names[name], width=plan.width, height=plan.height, needs_scale=larger)
        files.append(told)
    room = round(sum(plan.width * plan.height * BYTES_A_PIXEL.get(plan.of.kind, 0.5) for plan in sound))
    about: dict[str, Any] = {"master_seconds": _master_seconds(state), "needs_bytes": room}
    answer = s.PlanOut(files=files, folder=str(folder), free_bytes=shutil.disk_usage(folder).free, **about)
    return Response(answer.model_dump_json(), mimetype="application/json")


def _master_seconds(state: ShotState) -> float | None:
    """About how long the master takes: as long as the newest proof, for so many pixels and samples more."""
    shot, photograph = state.shot, state.shot.photograph
    proofs = (one for one in _library().renders(state.id) if one.quality == "proof" and one.state == "done")
    proof = next((one for one in proofs if one.part is None and one.finished_at), None)
    if proof is None or photograph is None or proof.finished_at is None:
        return None
    taken = (proof.finished_at - proof.created_at).total_seconds()
    wide = min((shot.frame or photograph).width, photograph.width)
    larger = (shot.output.scale / min(1.0, PROOF_WIDTH / wide)) ** 2
    return float(taken * larger * shot.output.samples / max(proof.samples, 1))


def _planned(shot: Shot, one: Deliverable) -> Planned | str:
    """A file as it will be made, or why it can't be, in words."""
    try:
        return plan_of(shot.model_copy(update={"deliverables": [one]}))[0]
    except InputError as error:
        return error.cause


@delivery.get("/shots/<string:shot_id>/look", operation_id="getLook", responses={200: s.LookOut})
def get_look(path: s.ShotPath) -> Response:
    """The last look at a shot as it stands."""
    shot = _library().shot(path.shot_id).shot
    told = blending_of(shot.photograph.file.removeprefix("sha256:")) if shot.photograph else None
    done = (one for one in _library().renders(path.shot_id) if one.state == "done" and one.quality != "files")
    newest = next((one for one in done if not one.part), None)
    whites = render_out(newest).whites if newest else None
    lines = last_look(shot, derive(shot), told, whites)
    return Response(s.LookOut(lines=lines).model_dump_json(), mimetype="application/json")


@delivery.post("/renders/<string:render_id>/files", operation_id="makeFiles", responses={201: s.RenderOut})
def make_files(path: s.RenderPath) -> Response:
    """Make the shot's files of a finished master."""
    render = _library().add_files(path.render_id)
    _queue().put(render.id, render.quality)
    return Response(render_out(render).model_dump_json(), 201, mimetype="application/json")


@delivery.post("/projects/<string:project_id>/replies", operation_id="addReply", responses={201: s.ReplyOut})
def add_reply(path: s.ProjectPath, form: s.FileNew) -> Response:
    """Take in a client's reply to a hand-over page: its pins and its verdict go to the shot that it is about."""
    origin, replies = read_reply(form.file.read(MOST_BYTES + 1))
    library = _library()
    known = {state.id: state for state in library.shots(path.project_id)}
    if origin.project != path.project_id or origin.shot not in known:
        raise InputError("reply", "is a reply to another project, or to a shot that is gone")
    state, by = known[origin.shot], replies[0].by
    if any((one.by, one.at) == (by, replies[0].at) for one in state.shot.replies):
        raise InputError("reply", f"of {by} is here already")
    told = {(name := f"r{secrets.token_hex(4)}"): {**one.model_dump(mode="json"), "id": name} for one in replies}
    library.change(origin.shot, state.revision, {"replies": told}, f"reply of {by}")
    return Response(s.ReplyOut(shot=origin.shot, by=by).model_dump_json(), 201, mimetype="application/json")


@delivery.get("/renders/<string:render_id>/files/<string:name>", operation_id="getMadeFile")
def get_made_file(path: s.MadeFilePath) -> Response:
    """A file that was made."""
    library = _library()
    found = next((one for one in made_files(library, path.render_id) if one.name == path.name), None)
    if found is None:
        raise NotFound("This file was not made, or is no longer there.")
    folder = library.delivered_folder(library.shot(library.render(path.render_id).shot_id).project_id)
    return send_file(folder / found.name, as_attachment=True, download_name=found.name)
