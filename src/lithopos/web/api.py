"""The JSON API, version 1."""

from __future__ import annotations

import hashlib
import io
import re
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from flask import Response, current_app, request, send_file
from flask_openapi3 import APIBlueprint
from PIL import Image
from werkzeug.datastructures import FileStorage

from lithopos import __version__
from lithopos.core.blend.blend import BLENDING, BlendAnswer, blend_answer, measured
from lithopos.core.blend.grade import graded, luts_of
from lithopos.core.blend.lut import lut_text, read_lut
from lithopos.core.blend.sharpness import measured_sharpness
from lithopos.core.camera.find import FINDING, FoundEdges
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.problem import HandCamera
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.composite.changes import changes_of
from lithopos.core.composite.scope import Scope
from lithopos.core.composite.whites import Whites
from lithopos.core.deliver.framed import framed_picture
from lithopos.core.derive import Derived, daylight_of, derive, shot_after_gesture
from lithopos.core.errors import InputError
from lithopos.core.exchange.bundle import write_bundle
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.kinds import SHOWN_BY_BROWSERS
from lithopos.core.exchange.panorama import Panorama
from lithopos.core.exchange.picture import Picture, png_of, write_atomically
from lithopos.core.geometry.check import check_piece
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.grounds import GROUND_MATERIALS, PROXY_MATERIALS
from lithopos.core.light.photometry import read_photometry
from lithopos.core.materials.dress import look_of
from lithopos.core.materials.kinds import KINDS
from lithopos.core.materials.textures import FOLDER, shipped
from lithopos.core.place.around import AroundAnswer, around_picture
from lithopos.core.place.balance import proposed_patches
from lithopos.core.place.focus import FocusAnswer, FocusQuestion, focus_of
from lithopos.core.place.gleam import GleamAnswer, GleamQuestion, gleam_of
from lithopos.core.place.hazy import HazeAnswer, HazeQuestion, haze_of
from lithopos.core.place.reflectance import PickedReflectance, ReflectanceQuestion, picked_reflectance
from lithopos.core.readiness import missing
from lithopos.core.reading.ask import ask_reader, find_edges_of, read_panorama_kept, read_picture_kept
from lithopos.core.reading.child import THUMB_WIDTHS
from lithopos.core.reading.questions import DRESSED, ask_dressed, ask_rest, ask_sides, ask_swatches
from lithopos.core.reading.screen import DISPLAY, LIVE, thumb_name
from lithopos.core.readings import Sources, with_readings
from lithopos.core.render.card import card_question
from lithopos.core.render.pieces import shot_question, thumbnail_question
from lithopos.core.render.render import AFTERWARDS, refuse_too_large
from lithopos.core.render.session import sized
from lithopos.core.shot import Grade, Placed, Shot, load_shot, new_shot_camera
from lithopos.core.shot.change import changed
from lithopos.core.shot.differs import told_differences
from lithopos.core.standing.ask import RestAnswer
from lithopos.jobs.asked import Asked, Question
from lithopos.jobs.files import PICTURE, made_files
from lithopos.jobs.queue import Queue
from lithopos.jobs.worker import PREVIEW, SCOPE, WHITES
from lithopos.library.models import Render, StoredFile, shot_name
from lithopos.library.store import Library, NotFound, ShotState
from lithopos.web import schemas as s

api = APIBlueprint("api", __name__, url_prefix="/api/v1")
MADE_HELD = 24
CURRENT_HELD = 500
TOLD_OTHERWISE = ("has_picture", "whites", "files", "current")  # of a render, than by its row
_FOREVER = "private, max-age=31536000, immutable"

__all__ = ["api", "blending_of", "project_full", "refuse_unready", "render_out", "scope_kept", "shot_out"]


def _library() -> Library:
    library: Library = current_app.extensions["library"]
    return library


def _queue() -> Queue:
    queue: Queue = current_app.extensions["queue"]
    return queue


def _asked() -> Asked:
    return Asked(_library().data)


def _json(body: Any, status: int = 200) -> Response:
    return Response(body.model_dump_json(by_alias=True), status, mimetype="application/json")


@api.get("/health", operation_id="health", responses={200: s.Health})
def health() -> Response:
    return _json(s.Health(version=__version__))


@api.get("/materials", operation_id="materials", responses={200: s.Materials})
def materials() -> Response:
    kinds = {
        name: {"colour": kind.colour, "parameters": {n: asdict(p) for n, p in kind.parameters.items()}}
        for name, kind in KINDS.items()
    }
    ground = {name: material.reflectance for name, material in GROUND_MATERIALS.items()}
    receivers = {
        name: {"reflectance": material.reflectance, "coat": material.coat, "roughness": material.roughness}
        for name, material in PROXY_MATERIALS.items()
    }
    textures = {
        name: {"title": one.title, "kinds": one.kinds, "repeat_mm": one.repeat_mm, "threads": one.threads}
        for name, one in shipped().items()
    }
    told = {"ground": ground, "receivers": receivers, "surfaces": kinds, "textures": textures}
    return _json(s.Materials.model_validate(told))


@api.get("/textures/<string:name>", operation_id="getTexture")
def get_texture(path: s.TexturePath) -> Response:
    """The colour of a texture that ships with the program."""
    if path.name not in shipped():
        raise NotFound("No such texture ships with this version.")
    return _sent(FOLDER / f"{path.name}.jpg", "image/jpeg")


# Projects and files


@api.get("/projects", operation_id="listProjects", responses={200: s.ProjectsOut})
def list_projects() -> Response:
    found = []
    for project in _library().projects():
        shots = _library().shots(project.id)
        thumb = next((_photograph(state) for state in shots if _photograph(state)), None)
        found.append(
            s.ProjectOut(id=project.id, name=project.name, created_at=project.created_at, thumb=thumb, shots=len(shots))
        )
    return _json(s.ProjectsOut(projects=found))


@api.post("/projects", operation_id="addProject", responses={201: s.ProjectFull})
def add_project(body: s.ProjectNew) -> Response:
    project = _library().add_project(body.name)
    return _json(project_full(project.id), 201)


@api.get("/projects/<string:project_id>", operation_id="getProject", responses={200: s.ProjectFull})
def get_project(path: s.ProjectPath) -> Response:
    return _json(project_full(path.project_id))


@api.post("/projects/<string:project_id>/files", operation_id="addFile", responses={201: s.FileOut})
def add_file(path: s.ProjectPath, form: s.FileNew) -> Response:
    """A photograph or a model; a model of several files as several `file`s with relative names."""
    if not isinstance(form.file, FileStorage):
        raise InputError("file", "is missing: send it as a file of the form")
    files = [(file.filename or "file", file.stream) for file in request.files.getlist("file")]
    library = _library()
    stored, name = (
        library.add_file(path.project_id, *files[0]) if len(files) == 1 else library.add_package(path.project_id, files)
    )
    return _json(_file_out(stored, name), 201)


@api.post("/projects/<string:project_id>/check-pieces", operation_id="addCheckPiece", responses={201: s.FileOut})
def add_check_piece(path: s.ProjectPath, body: s.CheckPieceNew) -> Response:
    """A thing to judge the light by, as a model of the project."""
    glb = io.BytesIO(glb_of(check_piece(body.piece)))
    stored, name = _library().add_file(path.project_id, f"{body.piece.capitalize()}.glb", glb)
    return _json(_file_out(stored, name), 201)


@api.post("/surfaces", operation_id="readSurfaces", responses={200: s.SurfacesOut})
def read_surfaces(form: s.FileNew) -> Response:
    """The materials of a model's file as surfaces of ours; nothing is kept."""
    if not isinstance(form.file, FileStorage):
        raise InputError("file", "is missing: send it as a file of the form")
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        place = Path(folder) / "materials"
        form.file.save(place)
        return _json(s.SurfacesOut.model_validate(ask_reader("surfaces", place)))


@api.get("/files/<string:sha256>", operation_id="getFile")
def get_file(path: s.FilePath) -> Response:
    """A file for the screen: a photograph as browsers can show it, a model as an attachment."""
    library = _library()
    file = library.file(path.sha256)
    if file.kind != "photograph":
        return _sent(library.file_path(path.sha256), file.media_type, attached=True)
    display = library.made_file(path.sha256, DISPLAY)
    if display is not None:
        return _sent(display, "image/jpeg")
    if file.told.get("format") in SHOWN_BY_BROWSERS:
        return _sent(library.file_path(path.sha256), file.media_type)
    return _sent(library.file_path(path.sha256), "application/octet-stream", attached=True)


@api.get("/files/<string:sha256>/live", operation_id="getLive")
def get_live(path: s.FilePath) -> Response:
    """A model as the live view draws it: one GLB with few enough triangles, whatever it came as."""
    if _library().file(path.sha256).kind != "model":
        raise NotFound("Only models have a copy for the live view.")
    place = _library().made_file(path.sha256, LIVE, must=True)
    assert place
    return _sent(place, "model/gltf-binary", attached=True)


@api.get("/files/<string:sha256>/thumb", operation_id="getThumb")
def get_thumb(path: s.FilePath, query: s.ThumbQuery) -> Response:
    if _library().file(path.sha256).kind not in ("photograph", "panorama"):
        raise NotFound("Only photographs and panoramas have a small picture.")
    wide = next((width for width in THUMB_WIDTHS if width >= query.width), THUMB_WIDTHS[-1])
    place = _library().made_file(path.sha256, thumb_name(wide))
    if place is None:
        raise NotFound("There is no small picture of this photograph.")
    return _sent(place, "image/jpeg")


@api.get("/files/<string:sha256>/graphic", operation_id="getGraphic")
def get_graphic(path: s.FilePath, query: s.TimeQuery) -> Response:
    """A picture, a drawing, or a film's frame at a time, small enough for the screen."""
    library = _library()
    if library.file(path.sha256).kind == "model":
        raise NotFound("A model is no picture.")
    place = library.made_folder(path.sha256) / f"shown-{query.time_s:.3f}.png"
    if not place.exists():
        with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
            ask_reader(f"shown@{query.time_s:.6f}", library.file_path(path.sha256), Path(folder))
            made = (Path(folder) / "shown.png").read_bytes()
        _keep(place, made, "shown-*.png")
    return _sent(place, "image/png")


@api.get("/files/<string:sha256>/edges", operation_id="findEdges", responses={200: FoundEdges})
def get_found_edges(path: s.FilePath) -> Response:
    """Proposed edges and their runs; found once for a photograph and kept beside it."""
    if _library().file(path.sha256).kind != "photograph":
        raise NotFound("Only photographs have edges to be found.")
    place = _library().made_folder(path.sha256) / f"edges-{FINDING}.json"
    if not place.exists():
        found = find_edges_of(_library().file_path(path.sha256)).model_dump_json().encode()
        write_atomically(place, lambda file: file.write(found))
    return _sent(place, "application/json")


@api.get("/files/<string:sha256>/blending", operation_id="getBlending", responses={200: BlendAnswer})
def get_blending(path: s.FilePath) -> Response:
    """How a photograph was taken: its grain, its sharpness; measured once and kept beside it."""
    if _library().file(path.sha256).kind != "photograph":
        raise NotFound("Only photographs have grain to be measured.")
    return _json(blending_of(path.sha256))


def blending_of(sha256: str) -> BlendAnswer:
    """What was measured of a photograph, once."""
    place = _library().made_folder(sha256) / f"blending-{BLENDING}.json"
    if place.exists():
        return BlendAnswer.model_validate_json(place.read_bytes())
    codes = _photograph_of(f"sha256:{sha256}").codes
    told = measured(codes, measured_sharpness(codes))
    found = blend_answer(told, codes.shape[1], codes.shape[0])
    data = found.model_dump_json().encode()
    write_atomically(place, lambda file: file.write(data))
    return found


def project_full(project_id: str) -> s.ProjectFull:
    project = _library().project(project_id)
    shots = [
        s.ShotBrief(id=state.id, name=state.shot.name, photograph=_photograph(state))
        for state in _library().shots(project_id)
    ]
    files = [_file_out(file, name) for file, name in _library().project_files(project_id)]
    told = {"recipes": project.recipes, "shots": shots, "files": files}
    return s.ProjectFull.model_validate({"id": project.id, "name": project.name, **told})


def _photograph(state: ShotState) -> str | None:
    return state.shot.photograph.file.removeprefix("sha256:") if state.shot.photograph else None


def _file_out(file: StoredFile, name: str) -> s.FileOut:
    told = file.told
    return s.FileOut(
        sha256=file.sha256,
        name=name,
        kind=told["kind"],
        size_bytes=file.size_bytes,
        width=told.get("width"),
        height=told.get("height"),
        seconds=told.get("seconds"),
        size_m=told.get("size_m"),
        triangles=told.get("triangles"),
        unit=told.get("unit"),
        unit_m=told.get("unit_m"),
        unit_from=told.get("unit_from"),
        up=told.get("up"),
        parts=told.get("parts", []),
        materials=told.get("materials", []),
        notes=[*told.get("notes", []), *told.get("lost", []), *told.get("mended", [])],
    )


def _sent(path: Path, media_type: str, attached: bool = False) -> Response:
    """A kept file: nothing in it may act in this application's name, whatever it holds."""
    response = send_file(path, mimetype=media_type, as_attachment=attached, download_name=path.name)
    response.headers["Cache-Control"] = _FOREVER
    response.headers["Content-Security-Policy"] = "default-src 'none'; sandbox"
    return response


# Shots


@api.post("/projects/<string:project_id>/shots", operation_id="addShot", responses={201: s.ShotOut})
def add_shot(path: s.ProjectPath, body: s.ShotNew) -> Response:
    return _json(shot_out(_library().add_shot(path.project_id, body.name, body.photograph)), 201)


@api.get("/shots/<string:shot_id>", operation_id="getShot", responses={200: s.ShotOut})
def get_shot(path: s.ShotPath) -> Response:
    return _json(shot_out(_library().shot(path.shot_id)))


@api.patch("/shots/<string:shot_id>", operation_id="changeShot", responses={200: s.ShotOut, 409: s.Problem})
def change_shot(path: s.ShotPath, body: s.Change) -> Response:
    patch = with_readings(_library().document(path.shot_id), body.patch, _sources())
    return _json(shot_out(_library().change(path.shot_id, body.revision, patch, body.label)))


@api.post("/shots/<string:shot_id>/try", operation_id="tryShot", responses={200: Derived})
def try_shot(path: s.ShotPath, body: s.Trial) -> Response:
    """What would follow from a change, without keeping it: asked on each move of a drag."""
    document = _library().document(path.shot_id)
    return _json(derive(load_shot(changed(document, with_readings(document, body.patch, _sources())))))


def _photograph_of(name: str) -> Picture:
    """A photograph's working copy; the last one that was asked for stays at hand."""
    library = _library()
    held: tuple[str, Picture] | None = current_app.extensions.get("photograph")
    if held is None or held[0] != name:
        held = (name, read_picture_kept(library.file_path(name), library.made_folder(name)))
        current_app.extensions["photograph"] = held
    return held[1]


def _sources() -> Sources:
    library = _library()
    return Sources(_photograph_of, _panorama_of, lambda name: read_photometry(library.file_path(name).read_bytes()))


def _panorama_of(name: str) -> Panorama:
    return read_panorama_kept(_library().file_path(name), _library().made_folder(name))


@api.get("/shots/<string:shot_id>/around", operation_id="getAround")
def get_around(path: s.ShotPath, query: s.AroundQuery) -> Response:
    """The shot's panorama as its camera would see it, turned by angles that may be under way."""
    shot = _library().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.panorama is None or facts.camera is None:
        raise NotFound("There is no panorama to be seen, or no camera to see it by.")
    radiance = _panorama_of(shot.panorama.file).radiance
    answer = AroundAnswer(turn_deg=query.turn_deg, pitch_deg=query.pitch_deg, roll_deg=query.roll_deg)
    picture = around_picture(radiance, shot.panorama, answer, pinhole_of(facts.camera))
    encoded = io.BytesIO()
    Image.fromarray(picture.codes).save(encoded, "JPEG", quality=85)
    return Response(encoded.getvalue(), mimetype="image/jpeg")


@api.get("/shots/<string:shot_id>/tones/<string:part>", operation_id="getTones")
def get_tones(path: s.TonesPath) -> Response:
    """A part's tones as a table of colours (.cube)."""
    shot = _library().shot(path.shot_id).shot
    grade: Grade = getattr(shot.blend, path.part)
    luts = luts_of(shot.blend, lambda name: read_lut(_library().file_path(name).read_bytes()))
    title = f"{shot.name}, {path.part}"
    made = lut_text(lambda encoded: encode_srgb(graded(decode_srgb(encoded), grade, luts)), title)
    return send_file(io.BytesIO(made), mimetype="text/plain", as_attachment=True, download_name=f"{_slug(title)}.cube")


@api.post("/shots/<string:shot_id>/patches", operation_id="proposePatches", responses={200: s.PatchesOut})
def propose_patches(path: s.ShotPath) -> Response:
    """Patches of the ground, in light and in shade; nothing is kept."""
    shot = _library().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None:
        raise InputError("camera", "must be solved before the ground can be looked at")
    picture = _photograph_of(shot.photograph.file)
    patches = proposed_patches(picture, pinhole_of(facts.camera), daylight_of(shot, facts), shot.patches)
    return _json(s.PatchesOut(patches=patches))


@api.post("/shots/<string:shot_id>/hand", operation_id="dragByHand", responses={200: s.HandOut})
def drag_by_hand(path: s.ShotPath, body: s.HandDrag) -> Response:
    """What a drag on the photograph makes of the camera set by hand; nothing is kept."""
    shot = load_shot(changed(_library().document(path.shot_id), body.patch))
    moved = shot_after_gesture(shot, body.gesture)
    camera = moved.camera
    assert isinstance(camera, HandCamera)
    return _json(s.HandOut(camera=camera, origin=moved.origin, derived=derive(moved)))


@api.post("/shots/<string:shot_id>/rest", operation_id="restThing", responses={200: RestAnswer})
def rest_thing(path: s.ShotPath, body: s.RestAsked) -> Response:
    """How a thing comes to rest: settled, fallen, leant against another; nothing is kept."""
    shot = load_shot(changed(_library().document(path.shot_id), body.patch))
    return _json(ask_rest(shot, body.question, _places))


@api.get("/shots/<string:shot_id>/things/<string:thing_id>/sides", operation_id="getSides", responses={200: s.SidesOut})
def get_sides(path: s.ThingPath) -> Response:
    """A thing's sides as it stands, for a proxy in its stead."""
    shot, placed = _thing(path)
    return _json(s.SidesOut(sides=ask_sides(shot, placed.id, _places)))


@api.post("/shots/<string:shot_id>/reflectance", operation_id="pickReflectance", responses={200: PickedReflectance})
def pick_reflectance(path: s.ShotPath, body: ReflectanceQuestion) -> Response:
    """What a patch of the photograph throws back of the light that falls there."""
    shot = _library().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None or not facts.metric:
        raise InputError("camera", "must be solved, with a yardstick, before light can be told")
    day = daylight_of(shot, facts)
    return _json(
        picked_reflectance(body, _photograph_of(shot.photograph.file), pinhole_of(facts.camera), day, facts.balance)
    )


@api.post("/shots/<string:shot_id>/gleam", operation_id="measureGleam", responses={200: GleamAnswer})
def measure_gleam(path: s.ShotPath, body: GleamQuestion) -> Response:
    """How strongly the ground mirrors, by a mirror image that the photograph shows."""
    shot = _library().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None:
        raise InputError("camera", "must be solved before a mirror image can be judged")
    return _json(gleam_of(body, _photograph_of(shot.photograph.file), pinhole_of(facts.camera)))


@api.post("/shots/<string:shot_id>/focus", operation_id="measureFocus", responses={200: FocusAnswer})
def measure_focus(path: s.ShotPath, body: FocusQuestion) -> Response:
    """Where the photograph is sharp and how open its lens was, by a sharp and a soft spot of the ground."""
    photograph, camera = _metric_camera(path.shot_id)
    return _json(focus_of(body, photograph, camera))


@api.post("/shots/<string:shot_id>/haze", operation_id="measureHaze", responses={200: HazeAnswer})
def measure_haze(path: s.ShotPath, body: HazeQuestion) -> Response:
    """How hazy the air is, by one material near and far, and the haze itself."""
    photograph, camera = _metric_camera(path.shot_id)
    return _json(haze_of(body, photograph, camera))


def _metric_camera(shot_id: str) -> tuple[Picture, Pinhole]:
    """A shot's photograph and camera, which must know metres."""
    shot = _library().shot(shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None or not facts.metric:
        raise InputError("camera", "must be solved, with a yardstick, before distances can be told")
    return _photograph_of(shot.photograph.file), pinhole_of(facts.camera)


@api.post("/shots/<string:shot_id>/pieces", operation_id="askPieces", responses={200: s.PiecesOut})
def ask_pieces(path: s.ShotPath, body: s.PiecesAsked) -> Response:
    """Small pictures, traced by the worker: asked for again until they are ready."""
    shot = _library().shot(path.shot_id).shot
    facts = derive(shot)

    def known(question: Question) -> s.PieceOut:
        reply = _asked().ask(question, _queue())
        return s.PieceOut(name=reply.name, ready=reply.path is not None, reason=reply.reason)

    surfaces = [known(shot_question(shot, facts, surface)) for surface in body.surfaces]
    models = [known(thumbnail_question(f"sha256:{sha256}")) for sha256 in body.models]
    card = known(card_question(shot)) if body.card else None
    return _json(s.PiecesOut(surfaces=surfaces, models=models, card=card))


@api.get("/pieces/<string:name>", operation_id="getPiece")
def get_piece(path: s.PiecePath) -> Response:
    """A small picture that is ready."""
    place = _asked().reply(path.name).path
    if place is None:
        raise NotFound("This picture is not there; ask for it again.")
    return _sent(place, "image/png")


@api.get("/shots/<string:shot_id>/things/<string:thing_id>/live", operation_id="getDressed")
def get_dressed(path: s.ThingPath) -> Response:
    """A thing as the live view draws it, with its surfaces, textures and prints."""
    shot, placed = _thing(path)
    look = look_of(placed)
    name = hashlib.sha256(look.model_dump_json().encode()).hexdigest()[:32]
    place = _library().made_folder(placed.file) / f"dressed-{name}.glb"
    if not place.exists():
        with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
            ask_dressed(look, _looks_files(shot), _places, Path(folder))
            made = (Path(folder) / DRESSED).read_bytes()
        _keep(place, made, "dressed-*.glb")
    return _sent(place, "model/gltf-binary", attached=True)


@api.get("/shots/<string:shot_id>/things/<string:thing_id>/materials", operation_id="getThingMaterials")
def get_thing_materials(path: s.ThingPath) -> Response:
    """A thing's surfaces as glTF materials, each on a sheet of half a metre, in one GLB."""
    shot, placed = _thing(path)
    if not placed.surfaces:
        raise NotFound("All of this thing is as it came.")
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        ask_swatches(placed, _looks_files(shot), _places, Path(folder))
        made = io.BytesIO((Path(folder) / DRESSED).read_bytes())
    name = f"{_slug(placed.name)}-surfaces.glb"
    return send_file(made, mimetype="model/gltf-binary", as_attachment=True, download_name=name)


def _thing(path: s.ThingPath) -> tuple[Shot, Placed]:
    shot = _library().shot(path.shot_id).shot
    placed = next((one for one in shot.models if one.id == path.thing_id), None)
    if placed is None:
        raise NotFound("This thing is not in the shot any more.")
    return shot, placed


def _looks_files(shot: Shot) -> list[str]:
    """All files that things may be made of."""
    return [name for name in shot.files() if shot.photograph is None or name != shot.photograph.file]


def _keep(place: Path, made: bytes, alike: str) -> None:
    """Keep something that was made of a file, and of those like it only the newest few: looks come and go."""
    place.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(place, lambda file: file.write(made))
    for old in sorted(place.parent.glob(alike), key=lambda one: one.stat().st_mtime)[:-MADE_HELD]:
        old.unlink(missing_ok=True)


def _places(name: str) -> tuple[Path, Path]:
    """Where a file lies, and what was made of it."""
    return _library().file_path(name), _library().made_folder(name)


@api.post("/shots/<string:shot_id>/undo", operation_id="undoShot", responses={200: s.ShotOut})
def undo_shot(path: s.ShotPath, body: s.Seen) -> Response:
    return _json(shot_out(_library().undo(path.shot_id, body.revision)))


@api.post("/shots/<string:shot_id>/redo", operation_id="redoShot", responses={200: s.ShotOut})
def redo_shot(path: s.ShotPath, body: s.Seen) -> Response:
    return _json(shot_out(_library().redo(path.shot_id, body.revision)))


@api.get("/shots/<string:shot_id>/bundle", operation_id="getBundle")
def get_bundle(path: s.ShotPath) -> Response:
    """The shot with its files in one zip, as `lithopos render` takes it."""
    state = _library().shot(path.shot_id)
    told = {f"sha256:{file.sha256}": name for file, name in _library().project_files(state.project_id)}
    names: dict[str, str] = {}
    for number, name in enumerate(state.shot.files()):
        names[name] = f"{number}-{re.sub(r'[^A-Za-z0-9._-]+', '-', told.get(name, 'file'))}"
    buffer = io.BytesIO()
    write_bundle(state.shot, _library().file_path, names, buffer)
    buffer.seek(0)
    return send_file(
        buffer, mimetype="application/zip", as_attachment=True, download_name=f"{_slug(state.shot.name)}.zip"
    )


def shot_out(state: ShotState) -> s.ShotOut:
    document = _library().document(state.row)
    options = [
        s.OptionOut(
            id=one.id,
            name=one.name or one.id,
            shot=shot_name(state.row, one.id),
            differs=told_differences(document, one.difference),
        )
        for one in state.shot.options
    ]
    return s.ShotOut(
        base=state.row,
        option=state.option,
        options=options,
        id=state.id,
        project_id=state.project_id,
        revision=state.revision,
        document=state.shot,
        undo=state.undo,
        redo=state.redo,
        derived=(derived := derive(state.shot)),
        lacks=[lack.code for lack in missing(state.shot, derived)],
        solved_camera=new_shot_camera(state.shot.photograph),
    )


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "shot"


# Renders


@api.get("/shots/<string:shot_id>/renders", operation_id="listRenders", responses={200: s.RendersOut})
def list_renders(path: s.ShotPath) -> Response:
    _library().shot(path.shot_id)
    return _json(s.RendersOut(renders=[render_out(render) for render in _library().renders(path.shot_id)]))


@api.post("/shots/<string:shot_id>/renders", operation_id="addRender", responses={201: s.RenderOut})
def add_render(path: s.ShotPath, body: s.RenderNew) -> Response:
    refuse_unready(_library().shot(path.shot_id).shot, body.quality)
    render = _library().add_render(path.shot_id, body.quality, list(body.part) if body.part else None)
    _queue().put(render.id, render.quality)
    return _json(render_out(render), 201)


@api.post("/renders/<string:render_id>/stop", operation_id="stopRender", responses={200: s.RenderOut})
def stop_render(path: s.RenderPath) -> Response:
    return _json(render_out(_library().stop_render(path.render_id)))


@api.post("/renders/<string:render_id>/restart", operation_id="restartRender", responses={200: s.RenderOut})
def restart_render(path: s.RenderPath) -> Response:
    render = _library().restart_render(path.render_id)
    _queue().put(render.id, render.quality)
    return _json(render_out(render))


@api.post("/renders/<string:render_id>/finer", operation_id="refineRender", responses={201: s.RenderOut})
def refine_render(path: s.RenderPath) -> Response:
    """Go on with a finished master, to four times its samples."""
    render = _library().refine_render(path.render_id)
    _queue().put(render.id, render.quality)
    return _json(render_out(render), 201)


@api.get("/renders/<string:render_id>/picture", operation_id="getPicture")
def get_picture(path: s.RenderPath, query: s.DownloadQuery) -> Response:
    render = _library().render(path.render_id)
    picture = _picture_of(render, whole=query.download)
    if picture is None:
        raise NotFound("This render has no picture yet.")
    if not query.download:
        response = send_file(picture, mimetype="image/png")
        response.headers["Cache-Control"] = "no-cache"
        return response
    shot = _library().shot_at(render.shot_name, render.revision)
    named: dict[str, Any] = {
        "as_attachment": True,
        "download_name": f"{_slug(shot.name)}-{render.quality}-r{render.revision}.png",
    }
    if shot.frame is None:
        return send_file(picture, mimetype="image/png", **named)
    encoded = io.BytesIO(png_of(framed_picture(read_picture(picture), shot)))
    return send_file(encoded, mimetype="image/png", **named)


@api.get("/renders/<string:render_id>/changes", operation_id="getChanges")
def get_changes(path: s.RenderPath, query: s.ChangesQuery) -> Response:
    """What a render does to its photograph, by itself, on grey."""
    render = _library().render(path.render_id)
    picture = _picture_of(render)
    photograph = _library().shot_at(render.shot_name, render.revision).photograph
    if picture is None or photograph is None:
        raise NotFound("This render has no picture yet.")
    read = cv2.imread(str(picture), cv2.IMREAD_UNCHANGED)
    if read is None:
        raise NotFound("This render's picture can't be read; make it again.")
    made = np.ascontiguousarray(read[..., 2::-1])
    base = sized(_photograph_of(photograph.file), made.shape[1] / photograph.width).codes
    if base.shape != made.shape:
        raise NotFound("This render is of another size than its photograph.")
    encoded = io.BytesIO()
    Image.fromarray(changes_of(made, base, query.times)).save(encoded, "PNG", compress_level=1)
    return Response(encoded.getvalue(), mimetype="image/png", headers={"Cache-Control": "no-cache"})


@api.get("/renders/<string:render_id>/scope", operation_id="getScope", responses={200: Scope})
def get_scope(path: s.RenderPath) -> Response:
    """The tones of what a render shows of things and of what is around them; of one not in one piece there are none."""
    return _json(scope_kept(path.render_id))


def scope_kept(render_id: str) -> Scope:
    """What was tallied of a render; empty where nothing was."""
    place = _library().render_folder(render_id) / SCOPE
    return Scope.model_validate_json(place.read_bytes()) if place.is_file() else Scope()


def _picture_of(render: Render, whole: bool = False) -> Path | None:
    """The picture so far; of a master under way only at the size of the screen."""
    folder = _library().render_folder(render.id)
    names = (PICTURE,) if whole else (PREVIEW, PICTURE)
    return next((folder / name for name in names if (folder / name).is_file()), None)


def refuse_unready(shot: Shot, quality: str) -> None:
    """Say at once what a render would fail for."""
    lacks = missing(shot, derive(shot))
    if lacks:
        raise s.Unready(lacks)
    if shot.photograph and quality == "master":
        refuse_too_large(shot.photograph.width, shot.photograph.height, shot.output.scale)


def render_out(render: Render) -> s.RenderOut:
    values = {name: getattr(render, name) for name in s.RenderOut.model_fields if name not in TOLD_OTHERWISE}
    values["shot_id"] = render.shot_name
    told = _library().render_folder(render.id) / WHITES
    whites = Whites.model_validate_json(told.read_text()) if told.is_file() else None
    files = made_files(_library(), render.id) if render.quality == "files" else []
    values |= {"has_picture": _picture_of(render) is not None, "current": _is_current(render)}
    return s.RenderOut(**values, whites=whites, files=files)


def _is_current(render: Render) -> bool:
    """Whether nothing that shows in its picture has changed since it was asked for."""
    library = _library()
    head = library.shot(render.shot_name)
    if head.revision == render.revision:
        return True
    held: dict[tuple[str, int], bool] = current_app.extensions.setdefault("current", {})
    key = (render.id, head.revision)
    if key not in held:
        if len(held) > CURRENT_HELD:
            held.clear()
        then, now = library.shot_at(render.shot_name, render.revision), head.shot
        alike = then.model_dump(exclude=AFTERWARDS) == now.model_dump(exclude=AFTERWARDS)
        as_fine = then.output.model_copy(update={"names": now.output.names}) == now.output
        held[key] = alike and (as_fine or render.quality != "master")
    return held[key]
