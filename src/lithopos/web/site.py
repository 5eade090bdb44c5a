"""A project's site: its photographs tied together, solved as one, stated on paper."""

from __future__ import annotations

import io
from collections.abc import Mapping
from datetime import date

import numpy as np
from flask import Response, send_file
from numpy.typing import NDArray
from PIL import Image

from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.shot import Shot
from lithopos.core.site.answer import SiteAnswer, way_in
from lithopos.core.site.coordinates import read_coordinates
from lithopos.core.site.feet import worst_ellipse
from lithopos.core.site.frame import frame_of
from lithopos.core.site.settle import answered
from lithopos.core.site.sheet import Pictured, write_sheet
from lithopos.core.site.solve import SiteSolution
from lithopos.library.sites import SiteState, change_site, redo_site, site_of, site_shots, undo_site
from lithopos.web import schemas as s
from lithopos.web.at_hand import answer, library_at_hand, photograph_of, slug
from lithopos.web.part import part

MOST_THINGS = 12  # whose feet are told in every picture

site = part("site", __name__)

__all__ = ["site"]


@site.get("/projects/<string:project_id>/site", operation_id="getSite", responses={200: s.SiteOut})
def get_site(path: s.ProjectPath) -> Response:
    """The site as it stands, with all that follows from it."""
    return answer(_out(site_of(library_at_hand(), path.project_id)))


@site.patch("/projects/<string:project_id>/site", operation_id="changeSite", responses={200: s.SiteOut})
def patch_site(path: s.ProjectPath, body: s.Change) -> Response:
    """Accept a change; the tied shots get their cameras by it at once."""
    return answer(_out(change_site(library_at_hand(), path.project_id, body.revision, body.patch, body.label)))


@site.post("/projects/<string:project_id>/site/undo", operation_id="undoSite", responses={200: s.SiteOut})
def undo(path: s.ProjectPath, body: s.Seen) -> Response:
    return answer(_out(undo_site(library_at_hand(), path.project_id, body.revision)))


@site.post("/projects/<string:project_id>/site/redo", operation_id="redoSite", responses={200: s.SiteOut})
def redo(path: s.ProjectPath, body: s.Seen) -> Response:
    return answer(_out(redo_site(library_at_hand(), path.project_id, body.revision)))


@site.post("/projects/<string:project_id>/site/survey", operation_id="addSurvey", responses={200: s.SiteOut})
def add_survey(path: s.ProjectPath, body: s.SurveyIn) -> Response:
    """Take a surveyor's table: coordinates go to the ties of the same names, or make new ones."""
    library = library_at_hand()
    state = site_of(library, path.project_id)
    by_name = {tie.name: tie.id for tie in state.site.ties if tie.name}
    taken = {tie.id for tie in state.site.ties}
    patch = {}
    for name, known in read_coordinates(body.text).items():
        tie_id = by_name.get(name) or _new_name(name, taken)
        taken.add(tie_id)
        patch[tie_id] = {"id": tie_id, "name": name, "known": known.model_dump(mode="json")}
    label = f"{len(patch)} surveyed point{'s' if len(patch) > 1 else ''}"
    return answer(_out(change_site(library, path.project_id, body.revision, {"ties": patch}, label)))


def _new_name(name: str, taken: set[str]) -> str:
    plain = slug(name)[:30]
    number = 1
    while (tie_id := f"{plain}-{number}" if number > 1 else plain) in taken:
        number += 1
    return tie_id


@site.get("/projects/<string:project_id>/site/way", operation_id="getWay", responses={200: s.WayOut})
def get_way(path: s.ProjectPath, query: s.WayQuery) -> Response:
    """Where the other photographs show what lies under a pixel of one: lines, of what is on the ground points."""
    told = _solution(site_of(library_at_hand(), path.project_id))[1]
    cameras = _cameras(told) if told else {}
    if query.shot not in cameras:
        return answer(s.WayOut(ways=[]))
    first = cameras[query.shot]
    ways = [
        s.Way(shot=name, points=way_in(first, (query.x, query.y), camera, on_ground=query.on_ground))
        for name, camera in cameras.items()
        if name != query.shot
    ]
    return answer(s.WayOut(ways=ways))


@site.get("/projects/<string:project_id>/site/sheet.pdf", operation_id="getSheet")
def get_sheet(path: s.ProjectPath) -> Response:
    """The verification sheet."""
    library = library_at_hand()
    state, project = site_of(library, path.project_id), library.project(path.project_id)
    if not state.site.members:
        raise InputError("site", "no photograph belongs to it yet")
    shots = site_shots(library, path.project_id)
    told = _solution(state, shots)[0]
    pictures = {member.id: _pictured(member.id, shots[member.id]) for member in state.site.members}
    out = io.BytesIO()
    write_sheet(state.site.name or project.name, state.site, told, pictures, date.today(), out)
    out.seek(0)
    name = f"{slug(state.site.name or project.name)}-verification.pdf"
    return send_file(out, mimetype="application/pdf", as_attachment=True, download_name=name)


def _pictured(name: str, shot: Shot) -> Pictured:
    codes = photograph_of(shot.photograph.file).eight_bit if shot.photograph else None
    return Pictured(shot, derive(shot), codes, _finished(name))


def _finished(name: str) -> NDArray[np.uint8] | None:
    """The newest finished picture of a shot: its master, else a proof."""
    library = library_at_hand()
    done = [one for one in library.renders(name) if one.state == "done" and not one.part]
    best = next((one for wanted in ("master", "proof") for one in done if one.quality == wanted), None)
    picture = library.render_folder(best.id) / "picture.png" if best else None
    if picture is None or not picture.is_file():
        return None
    with Image.open(picture) as opened:
        return np.asarray(opened.convert("RGB"))


def _solution(state: SiteState, shots: Mapping[str, Shot] | None = None) -> tuple[SiteAnswer, SiteSolution | None]:
    return answered(state.site, shots if shots is not None else site_shots(library_at_hand(), state.project_id))


def _cameras(found: SiteSolution) -> dict[str, Pinhole]:
    frame = frame_of(found)
    return {name: frame.pinhole(found.solved.figures, number) for number, name in enumerate(found.members)}


def _out(state: SiteState) -> s.SiteOut:
    shots = site_shots(library_at_hand(), state.project_id)
    told, found = _solution(state, shots)
    listed = [
        s.SiteShot(
            id=name,
            name=shot.name,
            photograph=shot.photograph.file if shot.photograph else None,
            width=shot.photograph.width if shot.photograph else 0,
            height=shot.photograph.height if shot.photograph else 0,
        )
        for name, shot in shots.items()
    ]
    feet = _feet(found, shots) if found else []
    return s.SiteOut(
        revision=state.revision,
        document=state.site,
        answer=told,
        shots=listed,
        feet=feet,
        undo=state.undo,
        redo=state.redo,
    )


def _feet(found: SiteSolution, shots: Mapping[str, Shot]) -> list[s.FootOut]:
    """Where the site's things stand in each picture, and how well that is known."""
    things = {one.id: one for name in found.members for one in shots[name].models if one.on is None and not one.hidden}
    told = []
    for one in list(things.values())[:MOST_THINGS]:
        for name in found.members:
            ellipse = worst_ellipse(found, one.position_m, name)
            if ellipse is not None:
                told.append(s.FootOut(thing=one.id, name=one.name, shot=name, ellipse=ellipse))
    return told
