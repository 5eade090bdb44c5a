"""The files of a finished master, made one after the other; what was made is noted with it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import BinaryIO

from pydantic import BaseModel, TypeAdapter

from lithopos.core.blend.lut import read_lut
from lithopos.core.deliver.finished import Finished
from lithopos.core.deliver.framed import framed_picture
from lithopos.core.deliver.handover import OnPage, Origin
from lithopos.core.deliver.make import deliver, plan_of
from lithopos.core.errors import Cancelled, InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture, write_atomically
from lithopos.core.reading.ask import notes_of, read_graphic, read_model_kept, read_panorama_kept, read_picture_kept
from lithopos.core.render.finished import Readers, finished
from lithopos.core.shot import Shot
from lithopos.core.shot.differs import told_differences
from lithopos.library.models import Render, shot_name
from lithopos.library.store import RUNNING, Library

PICTURE, PASSES, FILES = "picture.png", "passes", "files.json"

__all__ = ["PASSES", "PICTURE", "MadeFile", "made_files", "make_files", "readers_of"]


class MadeFile(BaseModel):
    """A delivered file: its name in the project's folder, what it is, its size."""

    name: str
    kind: str
    width: int
    height: int
    size_bytes: int


_LIST = TypeAdapter(list[MadeFile])


def make_files(library: Library, asked: Render, stopping: Callable[[], bool]) -> None:
    """Make all files of the master that `asked` goes on from, by the shot's list as it was when they were asked for.

    Raises
    ------
    InputError
        If a size or a profile does not go; Cancelled if it was stopped; NoRoom if the disk is full.
    """
    master = library.render(asked.goes_on or "")
    shot = library.shot_at(asked.shot_id, asked.revision)  # its list is the same for all options
    made_of = library.shot_at(master.shot_name, master.revision)  # the picture itself, and its grades
    shot = made_of.model_copy(update={"deliverables": shot.deliverables, "output": shot.output})
    if shot.photograph is None:
        raise InputError("photograph", "is missing")
    done = _finished(library, shot.photograph.file, master)
    width = done.picture.codes.shape[1]
    plan = plan_of(shot, width / shot.photograph.width)
    for one in plan:
        if one.scale > 1.001 * width / shot.photograph.width:
            need = one.scale * 100
            raise InputError(
                "deliverables", f"{one.of.id!r} is larger than the master, which is to be made at {need:.0f} % for it"
            )
    project = library.project(library.shot(master.shot_id).project_id)
    folder = library.delivered_folder(project.id)
    made: list[MadeFile] = []
    if _others_under_way(library, master):
        plan = [one for one in plan if not one.of.is_page]  # the last one's page shows all
    # As it was called then: it may be struck out since.
    called = next((one.name or one.id for one in made_of.options if one.id == master.option), "")
    words = {"project": project.name, "shot": shot.name, "option": called}
    origin = Origin(project=project.id, shot=master.shot_id, revision=master.revision)
    pages = partial(_on_page, library, master, shot)
    for number, path in enumerate(deliver(shot, done, plan, folder, words, origin, pages)):
        size = (plan[number].width, plan[number].height)
        told = {"width": size[0], "height": size[1], "size_bytes": path.stat().st_size}
        made.append(MadeFile(name=path.name, kind=plan[number].of.kind, **told))
        data = _LIST.dump_json(made)
        write_atomically(library.render_folder(asked.id) / FILES, partial(_put, data))
        library.update_render(asked.id, passes_done=number + 1, passes=len(plan), samples=master.samples)
        if stopping():
            raise Cancelled("The files were stopped.")


def _others_under_way(library: Library, master: Render) -> bool:
    """Whether masters of the shot or of its other options are yet to come."""
    names = [name for name in library.names_of(master.shot_id) if name != master.shot_name]
    renders = [one for name in names for one in library.renders(name)]
    return any(one.quality == "master" and one.state in ("queued", *RUNNING) for one in renders)


def _on_page(library: Library, master: Render, shot: Shot, this: OnPage) -> list[OnPage]:
    """The picture with those of the shot and of its other options that are finished, in their order."""
    document = library.document(master.shot_id)
    options = [{"id": None, "name": shot.name, "difference": {}}, *(document.get("options") or [])]
    shown = []
    for option in options:
        says = ", ".join(one.says for one in told_differences(document, option["difference"]))
        told = {"option": option["id"], "name": option["name"] or option["id"], "says": says}
        if option["id"] == master.option:
            shown.append(replace(this, **told))
        elif finished := _finished_of(library, shot_name(master.shot_id, option["id"]), shot):
            shown.append(OnPage(**told, picture=finished[0], files=finished[1]))
    if master.option not in {one.option for one in shown}:  # struck out since
        shown.append(replace(this, option=master.option))
    return shown


def _finished_of(library: Library, name: str, shot: Shot) -> tuple[Picture, tuple[str, ...]] | None:
    """The newest finished master of a shot or an option in its frame, with the files that were made of it."""
    renders = library.renders(name)
    master = next((one for one in renders if one.quality == "master" and one.state == "done"), None)
    if master is None:
        return None
    made = next((one for one in renders if one.quality == "files" and one.goes_on == master.id), None)
    files = tuple(one.name for one in made_files(library, made.id)) if made else ()
    return framed_picture(read_picture(library.render_folder(master.id) / PICTURE).as_came, shot), files


def _put(data: bytes, file: BinaryIO) -> None:
    file.write(data)


def readers_of(library: Library) -> Readers:
    """What reads files that a library keeps, in their quick forms."""
    return Readers(
        lambda name: read_model_kept(library.file_path(name), library.made_folder(name)),
        lambda name, time_s: read_graphic(library.file_path(name), time_s),
        lambda name: read_panorama_kept(library.file_path(name), library.made_folder(name)),
        lambda name: read_lut(library.file_path(name).read_bytes()),
        lambda name: read_picture_kept(library.file_path(name), library.made_folder(name)),
    )


def _finished(library: Library, photograph: str, master: Render) -> Finished:
    folder = library.render_folder(master.id)
    place, made = library.file_path(photograph), library.made_folder(photograph)
    return finished(
        library.shot_at(master.shot_name, master.revision),
        read_picture_kept(place, made),
        read_picture(folder / PICTURE),
        folder / PASSES,
        notes_of(place),
        readers_of(library),
    )


def made_files(library: Library, render_id: str) -> list[MadeFile]:
    """What was made for a request, as far as it is done and still there."""
    render = library.render(render_id)
    place = library.render_folder(render.id) / FILES
    if not place.is_file():
        return []
    folder = library.delivered_folder(library.shot(render.shot_id).project_id)
    return [one for one in _LIST.validate_json(place.read_bytes()) if (folder / Path(one.name).name).is_file()]
