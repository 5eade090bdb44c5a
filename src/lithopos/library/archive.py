"""A project as one file: all its shots with their history and options, its site, its files, its finished pictures.

A zip with `project.json`, `files/` by their content and `pictures/` by their renders. What comes in is looked at as
anything that comes from outside: files are read in a child process, documents are checked, pictures are made anew.
"""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, BinaryIO, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from lithopos.core.errors import InputError, input_error_from
from lithopos.core.exchange.picture import write_png
from lithopos.core.reading.ask import read_picture
from lithopos.core.shot import load_shot, upgraded
from lithopos.core.shot.deliver import Recipe
from lithopos.core.site import load_site
from lithopos.library.database import new_id
from lithopos.library.files import MOST_RECIPES
from lithopos.library.models import Project, Render, Revision, ShotRow, SiteRevision, SiteRow
from lithopos.library.store import Library

NAME = "project.json"
MOST_BYTES, MOST_DOCUMENT_BYTES = 64 << 30, 512 << 20
FINISHED = ("proof", "master")

__all__ = ["read_project", "write_project"]

Id = Annotated[str, Field(pattern="^[0-9a-f]{1,16}$")]
Digest = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class RevisionIn(_Part):
    """A revision as the library has it."""

    number: Annotated[int, Field(ge=1)]
    parent: int | None = None
    stands_for: int | None = None
    label: Annotated[str, Field(max_length=200)]
    document: dict[str, Any]
    created_at: datetime


class RenderIn(_Part):
    """A finished picture: of which revision, and how it was made."""

    id: Id
    revision: int
    option: Annotated[str, Field(max_length=40)] | None = None
    quality: Literal["proof", "master"]
    passes: int = 0
    samples: int = 0
    part: Annotated[list[int], Field(min_length=4, max_length=4)] | None = None
    wanted: int | None = None
    noise: float | None = None
    notes: Annotated[str, Field(max_length=1000)] | None = None
    created_at: datetime
    finished_at: datetime


class ShotIn(_Part):
    """A shot with its history."""

    id: Id
    head: int
    created_at: datetime
    revisions: Annotated[list[RevisionIn], Field(min_length=1, max_length=100_000)]
    renders: Annotated[list[RenderIn], Field(max_length=10_000)] = []


class SiteIn(_Part):
    """A site with its history."""

    head: int
    revisions: Annotated[list[RevisionIn], Field(max_length=100_000)]


class FileIn(_Part):
    """A file under the name that it came with."""

    sha256: Digest
    name: Annotated[str, Field(max_length=200)]


class ProjectIn(_Part):
    """What `project.json` holds."""

    lithopos: Literal["project"] = "project"
    format: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=200)]
    recipes: Annotated[dict[Annotated[str, Field(max_length=80)], Recipe], Field(max_length=MOST_RECIPES)] = {}
    files: Annotated[list[FileIn], Field(max_length=100_000)]
    shots: Annotated[list[ShotIn], Field(max_length=10_000)]
    site: SiteIn | None = None


def write_project(library: Library, project_id: str, out: BinaryIO) -> None:
    """Write a project as one file."""
    project = library.project(project_id)
    files = [FileIn(sha256=file.sha256, name=name) for file, name in library.project_files(project_id)]
    with library.session() as session:
        rows = session.scalars(select(ShotRow).where(ShotRow.project_id == project_id).order_by(ShotRow.created_at))
        shots = [
            _shot(library, row, list(session.scalars(select(Revision).where(Revision.shot_id == row.id))))
            for row in rows
        ]
        site_row = session.get(SiteRow, project_id)
        past = session.scalars(select(SiteRevision).where(SiteRevision.project_id == project_id))
        site = SiteIn(head=site_row.head, revisions=[_revision(one) for one in past]) if site_row else None
    told = ProjectIn(name=project.name, recipes=_recipes(project), files=files, shots=shots, site=site)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as archive:
        archive.writestr(NAME, told.model_dump_json(indent=1))
        for file in files:
            archive.write(library.file_path(file.sha256), f"files/{file.sha256}", zipfile.ZIP_STORED)
        for shot in shots:
            for render in shot.renders:
                archive.write(_picture(library, render.id), f"pictures/{render.id}.png", zipfile.ZIP_STORED)


def _recipes(project: Project) -> dict[str, Recipe]:
    return {name: Recipe.model_validate(told) for name, told in project.recipes.items()}


def _past(session: Session, shot_id: str) -> list[Revision]:
    query = select(Revision).where(Revision.shot_id == shot_id)
    return list(session.scalars(query.order_by(Revision.number)))


def _picture(library: Library, render_id: str) -> Path:
    return library.data / "renders" / render_id / "picture.png"


def _shot(library: Library, row: ShotRow, past: list[Revision]) -> ShotIn:
    names = [row.id, *(f"{row.id}~{one['id']}" for rev in past for one in rev.document.get("options") or [])]
    renders = [
        RenderIn.model_validate({name: getattr(one, name) for name in RenderIn.model_fields})
        for name in dict.fromkeys(names)
        for one in library.renders(name, limit=10_000)
        if one.state == "done" and one.quality in FINISHED and _picture(library, one.id).is_file()
    ]
    revisions = [_revision(one) for one in past]
    return ShotIn(id=row.id, head=row.head, created_at=row.created_at, revisions=revisions, renders=renders)


def _revision(row: Revision | SiteRevision) -> RevisionIn:
    told = {name: getattr(row, name, None) for name in RevisionIn.model_fields}
    return RevisionIn.model_validate(told)


def read_project(library: Library, source: BinaryIO) -> Project:
    """Take a project in, as a new one beside what is there.

    Raises
    ------
    InputError
        Naming what is wrong with the file; nothing of the project is kept then.
    """
    with tempfile.TemporaryDirectory(dir=library.data, prefix=".in-") as name:
        folder = Path(name)
        told = _unpacked(source, folder)
        _refuse_unsound(told)
        for shot in told.shots:
            for render in shot.renders:
                place = folder / f"{render.id}.png"
                write_png(read_picture(place).as_came, place)  # made anew: read in a child, whatever it was
        project = library.add_project(told.name)
        try:
            for file in told.files:
                with (folder / file.sha256).open("rb") as copy:
                    stored, _ = library.add_file(project.id, file.name, copy)
                if stored.sha256 != file.sha256:
                    raise InputError("files", f"{file.name} is not what the project says it is")
            _keep(library, project.id, told, folder)
        except BaseException:
            with library.session() as session:
                session.delete(session.get_one(Project, project.id))
            raise
    return project


def _unpacked(source: BinaryIO, folder: Path) -> ProjectIn:
    """Take out the description and what it names; what else is in the file stays there."""
    try:
        with zipfile.ZipFile(source) as archive:
            entries = {entry.filename: entry for entry in archive.infolist()}
            if NAME not in entries:
                raise InputError("file", f"is no project: it holds no {NAME}")
            if entries[NAME].file_size > MOST_DOCUMENT_BYTES:
                raise InputError("file", f"its {NAME} is larger than {MOST_DOCUMENT_BYTES >> 20} MB")
            told = ProjectIn.model_validate_json(archive.read(NAME))
            wanted = {f"files/{file.sha256}": folder / file.sha256 for file in told.files}
            wanted |= {
                f"pictures/{one.id}.png": folder / f"{one.id}.png" for shot in told.shots for one in shot.renders
            }
            if missing := next((name for name in wanted if name not in entries), None):
                raise InputError("file", f"{missing} is missing from the project")
            if sum(entries[name].file_size for name in wanted) > MOST_BYTES:
                raise InputError("file", f"unpacks to more than {MOST_BYTES >> 30} GB")
            for name, place in wanted.items():
                with archive.open(entries[name]) as packed, place.open("wb") as copy:
                    shutil.copyfileobj(packed, copy)
    except ValidationError as error:
        raise input_error_from(error) from error
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, ValueError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError("file", "is damaged, or no project") from error
    return told


def _refuse_unsound(told: ProjectIn) -> None:
    """Documents that can't be read, revisions that come from nowhere, names that are there twice."""
    files = {file.sha256 for file in told.files}
    ids = [shot.id for shot in told.shots]
    renders = [one.id for shot in told.shots for one in shot.renders]
    if len(set(ids)) < len(ids) or len(set(renders)) < len(renders):
        raise InputError("shots", "two shots or renders have the same name")
    for number, shot in enumerate(told.shots):
        _refuse_broken_line(f"shots[{number}]", shot.head, shot.revisions)
        known = {one.number for one in shot.revisions}
        if any(render.revision not in known for render in shot.renders):
            raise InputError(f"shots[{number}].renders", "shows a revision that is not there")
        for revision in shot.revisions:
            document = load_shot(revision.document)
            if lost := next((name for name in document.files() if name.removeprefix("sha256:") not in files), None):
                raise InputError(f"shots[{number}]", f"names file {lost[:19]}, which is not in the project")
    if told.site:
        _refuse_broken_line("site", told.site.head, told.site.revisions)
        for revision in told.site.revisions:
            strange = {member.id for member in load_site(revision.document).members} - set(ids)
            if strange:
                raise InputError("site", f"names {min(strange)!r}, which is no shot of the project")


def _refuse_broken_line(field: str, head: int, revisions: list[RevisionIn]) -> None:
    numbers = [one.number for one in revisions]
    known = {*numbers, *([0] if field == "site" else [])}
    if len(set(numbers)) < len(numbers) or head not in known:
        raise InputError(field, "its revisions are not in order")
    for one in revisions:
        if any(before is not None and before not in known for before in (one.parent, one.stands_for)):
            raise InputError(field, f"revision {one.number} comes from one that is not there")


def _keep(library: Library, project_id: str, told: ProjectIn, pictures: Path) -> None:
    """Shots get names of their own where theirs are taken; the site names them so."""
    with library.session() as session:
        taken = set(session.scalars(select(ShotRow.id)))
        names = {shot.id: new_id() if shot.id in taken else shot.id for shot in told.shots}
        session.get_one(Project, project_id).recipes = told.model_dump(mode="json", exclude_none=True)["recipes"]
        for shot in told.shots:
            session.add(ShotRow(id=names[shot.id], project_id=project_id, head=shot.head, created_at=shot.created_at))
        session.flush()
        for shot in told.shots:
            head = next(one for one in shot.revisions if one.number == shot.head)
            library.refuse_unsound(session, load_shot(head.document))
            for one in shot.revisions:
                values = one.model_dump() | {"shot_id": names[shot.id], "document": upgraded(one.document)}
                session.add(Revision(**values))
        if told.site:
            session.add(SiteRow(project_id=project_id, head=told.site.head))
            session.flush()
            for one in told.site.revisions:
                values = one.model_dump(exclude={"stands_for"}) | {"document": _renamed(one.document, names)}
                session.add(SiteRevision(project_id=project_id, **values))
        session.flush()
        for shot in told.shots:
            for render in shot.renders:
                new = new_id()
                shutil.copyfile(pictures / f"{render.id}.png", library.render_folder(new) / "picture.png")
                values = render.model_dump(exclude={"id"}) | {"shot_id": names[shot.id], "passes_done": render.passes}
                session.add(Render(id=new, state="done", **values))


def _renamed(document: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    """A site's document with its shots by their names here."""
    site = load_site(document)
    members = [member.model_copy(update={"id": names[member.id]}) for member in site.members]
    ties = [
        tie.model_copy(update={"seen": {names[name]: at for name, at in tie.seen.items() if name in names}})
        for tie in site.ties
    ]
    return site.model_copy(update={"members": members, "ties": ties}).model_dump(mode="json", by_alias=True)
