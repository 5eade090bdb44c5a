"""What is delivered: planned, asked for, fetched."""

from __future__ import annotations

import io
import json
import re
import secrets
import shutil
from typing import Any

from flask import Response, send_file

from lithopos.core.critique.look import Seen, last_look
from lithopos.core.deliver.handover import MOST_BYTES, read_reply
from lithopos.core.deliver.make import plan_of
from lithopos.core.deliver.names import Planned, named
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.render.render import PROOF_WIDTH
from lithopos.core.shot import Deliverable, Shot
from lithopos.core.shot.deliver import Recipe
from lithopos.jobs.files import made_files
from lithopos.library.database import NotFound
from lithopos.library.shots import ShotState
from lithopos.web import schemas as s
from lithopos.web.api import project_full
from lithopos.web.at_hand import answer, library_at_hand, queue_at_hand
from lithopos.web.measures import blending_of
from lithopos.web.part import part
from lithopos.web.renders import render_out, scope_kept

# What files take of room, about: by made-up photographs.
BYTES_A_PIXEL = {"png": 1.8, "tiff": 1.9, "ora": 6.0, "layered tiff": 8.0, "exr": 16.0}

delivery = part("delivery", __name__)

__all__ = ["delivery"]


@delivery.get("/shots/<string:shot_id>/plan", operation_id="getPlan", responses={200: s.PlanOut})
def get_plan(path: s.ShotPath) -> Response:
    """What the shot will be delivered as: names and sizes, and what stands in the way."""
    state = library_at_hand().shot(path.shot_id)
    project = library_at_hand().project(state.project_id)
    folder = library_at_hand().delivered_folder(project.id)
    wanted = [one for one in state.shot.deliverables if not (one.hidden or one.of_take)]
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
    return answer(s.PlanOut(files=files, folder=str(folder), free_bytes=shutil.disk_usage(folder).free, **about))


def _master_seconds(state: ShotState) -> float | None:
    """About how long the master takes: as long as the newest proof, for so many pixels and samples more."""
    shot, photograph = state.shot, state.shot.photograph
    proofs = (one for one in library_at_hand().renders(state.id) if one.quality == "proof" and one.state == "done")
    proof = next((one for one in proofs if one.part is None and one.traced_s), None)
    if proof is None or photograph is None or proof.traced_s is None:
        return None
    wide = min((shot.frame or photograph).width, photograph.width)
    larger = (shot.output.scale / min(1.0, PROOF_WIDTH / wide)) ** 2
    return float(proof.traced_s * larger * shot.output.samples / max(proof.samples, 1))


def _planned(shot: Shot, one: Deliverable) -> Planned | str:
    """A file as it will be made, or why it can't be, in words."""
    try:
        return plan_of(shot.model_copy(update={"deliverables": [one]}))[0]
    except InputError as error:
        return error.cause


@delivery.get("/shots/<string:shot_id>/look", operation_id="getLook", responses={200: s.LookOut})
def get_look(path: s.ShotPath) -> Response:
    """The last look at a shot as it stands."""
    state = library_at_hand().shot(path.shot_id)
    shot = state.shot
    told = blending_of(shot.photograph.file.removeprefix("sha256:")) if shot.photograph else None
    done = (one for one in library_at_hand().renders(path.shot_id) if one.state == "done" and one.quality != "files")
    newest = next((one for one in done if not one.part), None)
    whites = render_out(newest).whites if newest else None
    scope = scope_kept(newest.id) if newest else None
    pixels, metres = {}, {}
    for file, _ in library_at_hand().project_files(state.project_id):
        if width := file.told.get("width"):
            pixels[f"sha256:{file.sha256}"] = (width, file.told["height"])
        if size := file.told.get("size_m"):
            metres[f"sha256:{file.sha256}"] = (size[0], size[1], size[2])
    lines = last_look(shot, derive(shot), Seen(told, whites, scope, pixels, metres))
    return answer(s.LookOut(lines=lines))


@delivery.post("/renders/<string:render_id>/files", operation_id="makeFiles", responses={201: s.RenderOut})
def make_files(path: s.RenderPath) -> Response:
    """Make the shot's files of a finished master."""
    render = library_at_hand().add_files(path.render_id)
    queue_at_hand().put(render.id, render.quality)
    return answer(render_out(render), 201)


@delivery.post("/projects/<string:project_id>/replies", operation_id="addReply", responses={201: s.ReplyOut})
def add_reply(path: s.ProjectPath, form: s.FileNew) -> Response:
    """Take in a client's reply to a hand-over page: its pins and its verdict go to the shot that it is about."""
    origin, replies = read_reply(form.file.read(MOST_BYTES + 1))
    library = library_at_hand()
    known = {state.id: state for state in library.shots(path.project_id)}
    if origin.project != path.project_id or origin.shot not in known:
        raise InputError("reply", "is a reply to another project, or to a shot that is gone")
    state, by = known[origin.shot], replies[0].by
    if any((one.by, one.at) == (by, replies[0].at) for one in state.shot.replies):
        raise InputError("reply", f"of {by} is here already")
    told = {(name := f"r{secrets.token_hex(4)}"): {**one.model_dump(mode="json"), "id": name} for one in replies}
    library.change(origin.shot, state.revision, {"replies": told}, f"reply of {by}")
    return answer(s.ReplyOut(shot=origin.shot, by=by), 201)


@delivery.put(
    "/projects/<string:project_id>/recipes/<string:name>", operation_id="keepRecipe", responses={200: s.ProjectFull}
)
def keep_recipe(path: s.RecipePath, body: Recipe) -> Response:
    """Keep a list of files to deliver under a name; an older one of that name gives way."""
    library_at_hand().keep_recipe(path.project_id, path.name, body.model_dump(mode="json", exclude_none=True))
    return answer(project_full(path.project_id))


@delivery.delete(
    "/projects/<string:project_id>/recipes/<string:name>", operation_id="strikeRecipe", responses={200: s.ProjectFull}
)
def strike_recipe(path: s.RecipePath) -> Response:
    library_at_hand().keep_recipe(path.project_id, path.name, None)
    return answer(project_full(path.project_id))


@delivery.get("/projects/<string:project_id>/recipes/<string:name>", operation_id="getRecipe")
def get_recipe(path: s.RecipePath) -> Response:
    """A recipe as a file for the command line."""
    recipe = library_at_hand().project(path.project_id).recipes.get(path.name)
    if recipe is None:
        raise NotFound("There is no such recipe.")
    told = io.BytesIO(json.dumps(recipe, indent=1).encode())
    name = re.sub(r"[^\w]+", "-", path.name).strip("-") or "recipe"
    return send_file(told, mimetype="application/json", as_attachment=True, download_name=f"{name}.json")


@delivery.get("/renders/<string:render_id>/files/<string:name>", operation_id="getMadeFile")
def get_made_file(path: s.MadeFilePath) -> Response:
    """A file that was made."""
    library = library_at_hand()
    found = next((one for one in made_files(library, path.render_id) if one.name == path.name), None)
    if found is None:
        raise NotFound("This file was not made, or is no longer there.")
    folder = library.delivered_folder(library.shot(library.render(path.render_id).shot_id).project_id)
    return send_file(folder / found.name, as_attachment=True, download_name=found.name)
