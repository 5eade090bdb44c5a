"""The JSON API, version 1."""

from __future__ import annotations

import hashlib
import io
import re
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import BinaryIO, cast

from flask import Response, request, send_file
from PIL import Image
from werkzeug.datastructures import FileStorage

from lithopos import __version__
from lithopos.core.blend.grade import graded, luts_of
from lithopos.core.blend.lut import lut_text, read_lut
from lithopos.core.camera.find import FINDING, FoundEdges
from lithopos.core.camera.problem import HandCamera
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.derive import Derived, derive, shot_after_gesture
from lithopos.core.errors import InputError
from lithopos.core.exchange.bundle import write_bundle
from lithopos.core.exchange.kinds import SHOWN_BY_BROWSERS
from lithopos.core.exchange.picture import write_atomically
from lithopos.core.geometry.check import check_piece
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.grounds import GROUND_MATERIALS, PROXY_MATERIALS
from lithopos.core.light.photometry import read_photometry
from lithopos.core.materials.dress import look_of
from lithopos.core.materials.kinds import KINDS
from lithopos.core.materials.textures import FOLDER, shipped
from lithopos.core.place.around import around_picture
from lithopos.core.readiness import missing
from lithopos.core.reading.ask import ask_reader, find_edges_of
from lithopos.core.reading.child import THUMB_WIDTHS
from lithopos.core.reading.questions import DRESSED, ask_dressed, ask_rest, ask_sides, ask_swatches
from lithopos.core.reading.screen import DISPLAY, LIVE, thumb_name
from lithopos.core.readings import Sources, with_readings
from lithopos.core.render.card import card_question
from lithopos.core.render.pieces import shot_question, thumbnail_question
from lithopos.core.shot import Grade, Placed, Shot, load_shot, new_shot_camera
from lithopos.core.shot.change import changed
from lithopos.core.shot.differs import told_differences
from lithopos.core.standing.ask import RestAnswer
from lithopos.jobs.asked import Asked, Question
from lithopos.jobs.takes import begin_take
from lithopos.library.archive import read_project, write_project
from lithopos.library.database import NotFound
from lithopos.library.models import StoredFile, shot_name
from lithopos.library.shots import ShotState
from lithopos.web import schemas as s
from lithopos.web.at_hand import answer, library_at_hand, panorama_of, photograph_of, queue_at_hand, slug
from lithopos.web.part import part

api = part("api", __name__)
MADE_HELD = 24
_FOREVER = "private, max-age=31536000, immutable"

__all__ = ["api", "project_full", "shot_out"]


def _asked() -> Asked:
    return Asked(library_at_hand().data)


@api.get("/health", operation_id="health", responses={200: s.Health})
def health() -> Response:
    return answer(s.Health(version=__version__))


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
    return answer(s.Materials.model_validate(told))


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
    for project in library_at_hand().projects():
        shots = library_at_hand().shots(project.id)
        thumb = next((_photograph(state) for state in shots if _photograph(state)), None)
        found.append(
            s.ProjectOut(id=project.id, name=project.name, created_at=project.created_at, thumb=thumb, shots=len(shots))
        )
    return answer(s.ProjectsOut(projects=found))


@api.post("/projects", operation_id="addProject", responses={201: s.ProjectFull})
def add_project(body: s.ProjectNew) -> Response:
    project = library_at_hand().add_project(body.name)
    return answer(project_full(project.id), 201)


@api.get("/projects/<string:project_id>", operation_id="getProject", responses={200: s.ProjectFull})
def get_project(path: s.ProjectPath) -> Response:
    return answer(project_full(path.project_id))


@api.get("/projects/<string:project_id>/archive", operation_id="getArchive")
def get_archive(path: s.ProjectPath) -> Response:
    """The project as one file."""
    project = library_at_hand().project(path.project_id)
    out = tempfile.TemporaryFile(dir=library_at_hand().data)  # noqa: SIM115  # closed with the answer
    write_project(library_at_hand(), project.id, out)
    out.seek(0)
    name = f"{slug(project.name)}.lithopos.zip"
    return send_file(out, mimetype="application/zip", as_attachment=True, download_name=name)


@api.post("/archives", operation_id="addArchive", responses={201: s.ProjectFull})
def add_archive(form: s.FileNew) -> Response:
    """Take a project in that was written as one file."""
    if not isinstance(form.file, FileStorage):
        raise InputError("file", "is missing: send it as a file of the form")
    return answer(project_full(read_project(library_at_hand(), cast(BinaryIO, form.file.stream)).id), 201)


@api.post("/projects/<string:project_id>/files", operation_id="addFile", responses={201: s.FileOut})
def add_file(path: s.ProjectPath, form: s.FileNew) -> Response:
    """A photograph or a model; a model of several files as several `file`s with relative names."""
    if not isinstance(form.file, FileStorage):
        raise InputError("file", "is missing: send it as a file of the form")
    files = [(file.filename or "file", file.stream) for file in request.files.getlist("file")]
    library = library_at_hand()
    stored, name = (
        library.add_file(path.project_id, *files[0]) if len(files) == 1 else library.add_package(path.project_id, files)
    )
    return answer(_file_out(stored, name), 201)


@api.post("/projects/<string:project_id>/check-pieces", operation_id="addCheckPiece", responses={201: s.FileOut})
def add_check_piece(path: s.ProjectPath, body: s.CheckPieceNew) -> Response:
    """A thing to judge the light by, as a model of the project."""
    glb = io.BytesIO(glb_of(check_piece(body.piece)))
    stored, name = library_at_hand().add_file(path.project_id, f"{body.piece.capitalize()}.glb", glb)
    return answer(_file_out(stored, name), 201)


@api.post("/surfaces", operation_id="readSurfaces", responses={200: s.SurfacesOut})
def read_surfaces(form: s.FileNew) -> Response:
    """The materials of a model's file as surfaces of ours; nothing is kept."""
    if not isinstance(form.file, FileStorage):
        raise InputError("file", "is missing: send it as a file of the form")
    with tempfile.TemporaryDirectory(prefix="lithopos-") as folder:
        place = Path(folder) / "materials"
        form.file.save(place)
        return answer(s.SurfacesOut.model_validate(ask_reader("surfaces", place)))


@api.get("/files/<string:sha256>", operation_id="getFile")
def get_file(path: s.FilePath) -> Response:
    """A file for the screen: a photograph as browsers can show it, a model as an attachment."""
    library = library_at_hand()
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
    if library_at_hand().file(path.sha256).kind != "model":
        raise NotFound("Only models have a copy for the live view.")
    place = library_at_hand().made_file(path.sha256, LIVE, must=True)
    assert place
    return _sent(place, "model/gltf-binary", attached=True)


@api.get("/files/<string:sha256>/thumb", operation_id="getThumb")
def get_thumb(path: s.FilePath, query: s.ThumbQuery) -> Response:
    if library_at_hand().file(path.sha256).kind not in ("photograph", "panorama"):
        raise NotFound("Only photographs and panoramas have a small picture.")
    wide = next((width for width in THUMB_WIDTHS if width >= query.width), THUMB_WIDTHS[-1])
    place = library_at_hand().made_file(path.sha256, thumb_name(wide))
    if place is None:
        raise NotFound("There is no small picture of this photograph.")
    return _sent(place, "image/jpeg")


@api.get("/files/<string:sha256>/graphic", operation_id="getGraphic")
def get_graphic(path: s.FilePath, query: s.TimeQuery) -> Response:
    """A picture, a drawing, or a film's frame at a time, small enough for the screen."""
    library = library_at_hand()
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
    if library_at_hand().file(path.sha256).kind != "photograph":
        raise NotFound("Only photographs have edges to be found.")
    place = library_at_hand().made_folder(path.sha256) / f"edges-{FINDING}.json"
    if not place.exists():
        found = find_edges_of(library_at_hand().file_path(path.sha256)).model_dump_json().encode()
        write_atomically(place, lambda file: file.write(found))
    return _sent(place, "application/json")


def project_full(project_id: str) -> s.ProjectFull:
    project = library_at_hand().project(project_id)
    shots = [
        s.ShotBrief(id=state.id, name=state.shot.name, photograph=_photograph(state))
        for state in library_at_hand().shots(project_id)
    ]
    files = [_file_out(file, name) for file, name in library_at_hand().project_files(project_id)]
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
        frames=(told.get("take") or {}).get("frames"),
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
    """Begin a shot with a photograph, or with a take."""
    library = library_at_hand()
    if library.file(body.photograph).kind in ("film", "sequence"):
        return answer(shot_out(begin_take(library, path.project_id, body.name, body.photograph)), 201)
    return answer(shot_out(library.add_shot(path.project_id, body.name, body.photograph)), 201)


@api.get("/shots/<string:shot_id>", operation_id="getShot", responses={200: s.ShotOut})
def get_shot(path: s.ShotPath) -> Response:
    return answer(shot_out(library_at_hand().shot(path.shot_id)))


@api.get("/shots/<string:shot_id>/revision", operation_id="getRevision", responses={200: s.Seen})
def get_revision(path: s.ShotPath) -> Response:
    """The number of the revision in force: asked for again and again by those who look at the shot."""
    return answer(s.Seen(revision=library_at_hand().head(path.shot_id)))


@api.patch("/shots/<string:shot_id>", operation_id="changeShot", responses={200: s.ShotOut, 409: s.Problem})
def change_shot(path: s.ShotPath, body: s.Change) -> Response:
    patch = with_readings(library_at_hand().document(path.shot_id), body.patch, _sources())
    return answer(shot_out(library_at_hand().change(path.shot_id, body.revision, patch, body.label)))


@api.post("/shots/<string:shot_id>/try", operation_id="tryShot", responses={200: Derived})
def try_shot(path: s.ShotPath, body: s.Trial) -> Response:
    """What would follow from a change, without keeping it: asked on each move of a drag."""
    document = library_at_hand().document(path.shot_id)
    return answer(derive(load_shot(changed(document, with_readings(document, body.patch, _sources())))))


def _sources() -> Sources:
    library = library_at_hand()
    return Sources(photograph_of, panorama_of, lambda name: read_photometry(library.file_path(name).read_bytes()))


@api.get("/shots/<string:shot_id>/around", operation_id="getAround")
def get_around(path: s.ShotPath, query: s.AroundQuery) -> Response:
    """The shot's panorama as its camera would see it, turned by angles that may be under way."""
    shot = library_at_hand().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.panorama is None or facts.camera is None or facts.around is None:
        raise NotFound("There is no panorama to be seen, or no camera to see it by.")
    radiance = panorama_of(shot.panorama.file).radiance
    answer = facts.around.model_copy(update=query.model_dump(exclude={"v"}))
    picture = around_picture(radiance, shot.panorama, answer, pinhole_of(facts.camera))
    encoded = io.BytesIO()
    Image.fromarray(picture.codes).save(encoded, "JPEG", quality=85)
    return Response(encoded.getvalue(), mimetype="image/jpeg")


@api.get("/shots/<string:shot_id>/tones/<string:part>", operation_id="getTones")
def get_tones(path: s.TonesPath) -> Response:
    """A part's tones as a table of colours (.cube)."""
    shot = library_at_hand().shot(path.shot_id).shot
    grade: Grade = getattr(shot.blend, path.part)
    luts = luts_of(shot.blend, lambda name: read_lut(library_at_hand().file_path(name).read_bytes()))
    title = f"{shot.name}, {path.part}"
    made = lut_text(lambda encoded: encode_srgb(graded(decode_srgb(encoded), grade, luts)), title)
    return send_file(io.BytesIO(made), mimetype="text/plain", as_attachment=True, download_name=f"{slug(title)}.cube")


@api.post("/shots/<string:shot_id>/hand", operation_id="dragByHand", responses={200: s.HandOut})
def drag_by_hand(path: s.ShotPath, body: s.HandDrag) -> Response:
    """What a drag on the photograph makes of the camera set by hand; nothing is kept."""
    shot = load_shot(changed(library_at_hand().document(path.shot_id), body.patch))
    moved = shot_after_gesture(shot, body.gesture)
    camera = moved.camera
    assert isinstance(camera, HandCamera)
    return answer(s.HandOut(camera=camera, origin=moved.origin, derived=derive(moved)))


@api.post("/shots/<string:shot_id>/rest", operation_id="restThing", responses={200: RestAnswer})
def rest_thing(path: s.ShotPath, body: s.RestAsked) -> Response:
    """How a thing comes to rest: settled, fallen, leant against another; nothing is kept."""
    shot = load_shot(changed(library_at_hand().document(path.shot_id), body.patch))
    return answer(ask_rest(shot, body.question, _places))


@api.get("/shots/<string:shot_id>/things/<string:thing_id>/sides", operation_id="getSides", responses={200: s.SidesOut})
def get_sides(path: s.ThingPath) -> Response:
    """A thing's sides as it stands, for a proxy in its stead."""
    shot, placed = _thing(path)
    return answer(s.SidesOut(sides=ask_sides(shot, placed.id, _places)))


@api.post("/shots/<string:shot_id>/pieces", operation_id="askPieces", responses={200: s.PiecesOut})
def ask_pieces(path: s.ShotPath, body: s.PiecesAsked) -> Response:
    """Small pictures, traced by the worker: asked for again until they are ready."""
    shot = library_at_hand().shot(path.shot_id).shot
    facts = derive(shot)

    def known(question: Question) -> s.PieceOut:
        reply = _asked().ask(question, queue_at_hand())
        return s.PieceOut(name=reply.name, ready=reply.path is not None, reason=reply.reason)

    surfaces = [known(shot_question(shot, facts, surface)) for surface in body.surfaces]
    models = [known(thumbnail_question(f"sha256:{sha256}")) for sha256 in body.models]
    card = known(card_question(shot)) if body.card else None
    return answer(s.PiecesOut(surfaces=surfaces, models=models, card=card))


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
    place = library_at_hand().made_folder(placed.file) / f"dressed-{name}.glb"
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
    name = f"{slug(placed.name)}-surfaces.glb"
    return send_file(made, mimetype="model/gltf-binary", as_attachment=True, download_name=name)


def _thing(path: s.ThingPath) -> tuple[Shot, Placed]:
    shot = library_at_hand().shot(path.shot_id).shot
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
    return library_at_hand().file_path(name), library_at_hand().made_folder(name)


@api.post("/shots/<string:shot_id>/undo", operation_id="undoShot", responses={200: s.ShotOut})
def undo_shot(path: s.ShotPath, body: s.Seen) -> Response:
    return answer(shot_out(library_at_hand().undo(path.shot_id, body.revision)))


@api.post("/shots/<string:shot_id>/redo", operation_id="redoShot", responses={200: s.ShotOut})
def redo_shot(path: s.ShotPath, body: s.Seen) -> Response:
    return answer(shot_out(library_at_hand().redo(path.shot_id, body.revision)))


@api.get("/shots/<string:shot_id>/bundle", operation_id="getBundle")
def get_bundle(path: s.ShotPath) -> Response:
    """The shot with its files in one zip, as `lithopos render` takes it."""
    state = library_at_hand().shot(path.shot_id)
    told = {f"sha256:{file.sha256}": name for file, name in library_at_hand().project_files(state.project_id)}
    names: dict[str, str] = {}
    for number, name in enumerate(state.shot.files()):
        names[name] = f"{number}-{re.sub(r'[^A-Za-z0-9._-]+', '-', told.get(name, 'file'))}"
    buffer = io.BytesIO()
    write_bundle(state.shot, library_at_hand().file_path, names, buffer)
    buffer.seek(0)
    return send_file(
        buffer, mimetype="application/zip", as_attachment=True, download_name=f"{slug(state.shot.name)}.zip"
    )


def shot_out(state: ShotState) -> s.ShotOut:
    document = library_at_hand().document(state.row)
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
