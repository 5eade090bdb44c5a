"""The door to what is kept. Every accepted change is on the disk before it is answered."""

from __future__ import annotations

import contextlib
import errno
import hashlib
import re
import secrets
import shutil
import sqlite3
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from alembic import command
from alembic.config import Config
from alembic.util import CommandError
from sqlalchemy import Select, and_, create_engine, event, or_, select, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from lithopos.core.errors import InputError, LithoposError, NoRoom
from lithopos.core.exchange.kinds import MEDIA_TYPES
from lithopos.core.exchange.package import main_name, pack
from lithopos.core.reading.ask import ask_reader
from lithopos.core.shot import Shot, Take, load_shot, new_shot, upgraded
from lithopos.core.shot.change import changed, met, stepped
from lithopos.core.shot.option import optioned, with_option
from lithopos.library.models import Project, ProjectFile, Render, Revision, ShotRow, StoredFile, now, shot_name
from lithopos.library.settling import add_revision, settle

_SHA256 = re.compile("[0-9a-f]{64}")
RUNNING = ("running", "stopping")
LEFT_AFTER_S = 120.0  # a reader gives up long before
RESERVE, RESERVE_BYTES = "reserve", 8 << 20
SUMS = "so-far"  # in a render's folder: what it can be gone on with from
MOST_RECIPES = 100  # of a project
FINER, MOST_SAMPLES = 4, 65_536
FULL = "The disk is full: nothing was changed. Make room and try again; everything accepted before is kept."

__all__ = ["MOST_RECIPES", "SUMS", "Library", "NotFound", "ShotState", "Stale", "full_disk", "new_id"]


class NotFound(LithoposError):
    """Something asked for by name is not there."""


class Stale(LithoposError):
    """A change meets another one that was made to the same thing since revision `seen`."""

    def __init__(self, seen: int, head: int, what: str = "This shot") -> None:
        super().__init__(
            f"{what} has changed since you saw it (you saw revision {seen}, it is at {head}). "
            "Nothing was overwritten; load it again and repeat the change."
        )
        self.head = head


@dataclass(frozen=True)
class ShotState:
    """A shot, or an option of it, as it stands: its document and where it lies among its revisions.

    `id` asks for it again; `option` and `option_name` are of the option.
    """

    id: str
    project_id: str
    revision: int
    shot: Shot
    undo: str | None
    redo: str | None
    option: str | None = None

    @property
    def row(self) -> str:
        """The shot's own name."""
        return self.id.split("~")[0]

    @property
    def option_name(self) -> str:
        """What the option is called; empty for the shot itself."""
        return next((one.name or one.id for one in self.shot.options if one.id == self.option), "")


def new_id() -> str:
    """A name for a project, shot or render that nothing has yet."""
    return secrets.token_hex(6)


class Library:
    """Everything kept below one folder: `library.db`, `files/`, `made/` (of files), `renders/`.

    Raises
    ------
    InputError
        If the folder can't be used, or was written by a newer version.
    """

    def __init__(self, data: Path) -> None:
        self.data = data
        try:
            data.mkdir(parents=True, exist_ok=True)
            with tempfile.TemporaryFile(dir=data):
                pass
        except OSError as error:
            raise InputError("--data", f"{data} can't be written to: {error.strerror}") from error
        _refuse_damaged(data / "library.db")
        self._clear_leftovers()
        self.engine = create_engine(f"sqlite:///{data / 'library.db'}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", _set_pragmas)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._migrate()

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            try:
                command.upgrade(config, "head")
            except CommandError as error:
                raise InputError(
                    "--data", f"{self.data} was written by a newer version of Lithopos; use that one, or another folder"
                ) from error
        self._reserve_room()

    def _clear_leftovers(self) -> None:
        """What readers that were killed have left behind."""
        for left in (self.data / "files").glob(".new-*"):
            with contextlib.suppress(OSError):
                if time.time() - left.stat().st_mtime > LEFT_AFTER_S:
                    shutil.rmtree(left)

    def _reserve_room(self) -> None:
        """Room that is given up so that a failure for want of room can still be recorded."""
        reserve = self.data / RESERVE
        if reserve.exists() or shutil.disk_usage(self.data).free < 4 * RESERVE_BYTES:
            return
        with contextlib.suppress(OSError):
            reserve.write_bytes(bytes(RESERVE_BYTES))

    def revision(self) -> str:
        """The database's migration."""
        with self.engine.connect() as connection:
            return str(connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one())

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: kept whole at the end, or not at all; NoRoom if the disk is full."""
        try:
            with self._sessions.begin() as session:
                yield session
        except OperationalError as error:
            if full_disk(error):
                raise NoRoom(FULL) from error
            raise

    # Projects and files

    def add_project(self, name: str) -> Project:
        """Make a project."""
        with self.session() as session:
            project = Project(id=new_id(), name=name)
            session.add(project)
        return project

    def projects(self) -> list[Project]:
        """All projects, the newest first."""
        with self.session() as session:
            return list(session.scalars(select(Project).order_by(Project.created_at.desc())))

    def project(self, project_id: str) -> Project:
        """One project; NotFound if there is none."""
        with self.session() as session:
            return _found(session.get(Project, project_id), "project")

    def keep_recipe(self, project_id: str, name: str, recipe: dict[str, Any] | None) -> Project:
        """Keep a list of files to deliver under a name, in place of another of that name; None strikes it out."""
        with self.session() as session:
            project = _found(session.get(Project, project_id), "project")
            others = {known: one for known, one in project.recipes.items() if known != name}
            if recipe is None and len(others) == len(project.recipes):
                raise NotFound("There is no such recipe.")
            if len(others) >= MOST_RECIPES:
                raise InputError("recipe", f"would be one more than {MOST_RECIPES}, which is the most")
            project.recipes = others if recipe is None else {**others, name: recipe}
            return project

    def add_file(self, project_id: str, name: str, source: IO[bytes]) -> tuple[StoredFile, str]:
        """Keep a photograph or model by its content, after reading it whole elsewhere.

        Raises
        ------
        InputError
            If it is neither, or damaged; nothing is kept then.
        """
        self.project(project_id)
        name = _plain_name(name)
        (self.data / "files").mkdir(exist_ok=True)
        with _room(), tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
            copy, made = Path(folder) / f"in{_plain_suffix(name)}", Path(folder) / "made"
            made.mkdir()
            digest = hashlib.sha256()
            with copy.open("wb") as file:
                while block := source.read(1 << 20):
                    digest.update(block)
                    file.write(block)
            told = ask_reader("prepare", copy, made)
            sha256, size = digest.hexdigest(), copy.stat().st_size
            place = self.file_path(f"sha256:{sha256}", must_exist=False)
            place.parent.mkdir(parents=True, exist_ok=True)
            self._put_made(sha256, made)
            if not place.exists():
                copy.replace(place)
        with self.session() as session:
            stored = session.get(StoredFile, sha256)
            if stored is None:
                stored = StoredFile(sha256=sha256, kind=told["kind"], media_type="", size_bytes=size, told=told)
                session.add(stored)
            stored.media_type, stored.told = MEDIA_TYPES[told["format"]], told
            session.flush()
            session.merge(ProjectFile(project_id=project_id, sha256=sha256, name=name))
        return stored, name

    def add_package(self, project_id: str, files: list[tuple[str, IO[bytes]]]) -> tuple[StoredFile, str]:
        """Keep the several files of one model, by relative names, as one; see `add_file`."""
        self.project(project_id)
        (self.data / "files").mkdir(exist_ok=True)
        with _room(), tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
            packed = Path(folder) / "in.zip"
            with packed.open("wb") as target:
                pack(files, target)
            with packed.open("rb") as source:
                return self.add_file(project_id, main_name([name for name, _ in files]), source)

    def made_folder(self, name: str) -> Path:
        """Where lies what was made of a file: its quick form, small pictures, a display copy."""
        sha256 = _digest(name)
        return self.data / "made" / sha256[:2] / sha256

    def made_file(self, sha256: str, name: str, must: bool = False) -> Path | None:
        """One thing that was made of a file, made anew if it is gone; None if the file needs none.

        Parameters
        ----------
        must : every file of its kind needs it: made anew, too, by a version that did not make it yet.
        """
        place = self.made_folder(sha256)
        if not place.is_dir() or (must and not (place / name).is_file()):
            with _room(), tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
                ask_reader("prepare", self.file_path(sha256), Path(folder))
                self._put_made(sha256, Path(folder))
        return place / name if (place / name).is_file() else None

    def _put_made(self, sha256: str, made: Path) -> None:
        place = self.made_folder(sha256)
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.rmtree(place, ignore_errors=True)
        shutil.copytree(made, place)

    def project_files(self, project_id: str) -> list[tuple[StoredFile, str]]:
        """A project's files with their names."""
        query = select(StoredFile, ProjectFile.name).join(ProjectFile).where(ProjectFile.project_id == project_id)
        with self.session() as session:
            return [(file, name) for file, name in session.execute(query.order_by(ProjectFile.name))]

    def file(self, sha256: str) -> StoredFile:
        """A kept file's facts; NotFound if there is none."""
        with self.session() as session:
            return _found(session.get(StoredFile, sha256), "file")

    def file_path(self, name: str, must_exist: bool = True) -> Path:
        """Where a file named in a shot lies."""
        sha256 = _digest(name)
        place = self.data / "files" / sha256[:2] / sha256
        if must_exist and not place.is_file():
            raise InputError("file", f"{name} is missing from the library")
        return place

    # Shots and revisions

    def add_shot(self, project_id: str, name: str, sha256: str, take: Take | None = None) -> ShotState:
        """Begin a shot with one of the project's photographs, perhaps a frame of a take."""
        file = self.file(sha256)
        if file.kind != "photograph":
            raise InputError("photograph", "is not a photograph")
        shot = new_shot(name, f"sha256:{sha256}", file.told).model_copy(update={"take": take})
        with self.session() as session:
            _found(session.get(Project, project_id), "project")
            row = ShotRow(id=new_id(), project_id=project_id, head=1)
            session.add(row)
            session.flush()
            session.add(
                Revision(
                    shot_id=row.id,
                    number=1,
                    parent=None,
                    label="take" if take else "photograph",
                    document=_document(shot),
                )
            )
        return self.shot(row.id)

    def shots(self, project_id: str) -> list[ShotState]:
        """A project's shots, the oldest first."""
        with self.session() as session:
            query = select(ShotRow.id).where(ShotRow.project_id == project_id).order_by(ShotRow.created_at)
            names = list(session.scalars(query))
        return [self.shot(name) for name in names]

    def shot(self, name: str) -> ShotState:
        """A shot, or an option of one (`shot~option`), as it stands; NotFound if there is none."""
        shot_id, option = _address(name)
        with self.session() as session:
            return _state(session, _found(session.get(ShotRow, shot_id), "shot"), option)

    def head(self, name: str) -> int:
        """The number of a shot's revision in force; NotFound if there is no such shot."""
        with self.session() as session:
            row: ShotRow = _found(session.get(ShotRow, _address(name)[0]), "shot")
            return row.head

    def names_of(self, shot_id: str) -> list[str]:
        """What a shot itself and its options are asked for by, in their order."""
        return [shot_id, *(shot_name(shot_id, one.id) for one in self.shot(shot_id).shot.options)]

    def document(self, name: str) -> dict[str, Any]:
        """A shot's document in the present format, not read into its type: for a trial on every move of a drag."""
        shot_id, option = _address(name)
        query = select(Revision.document).join(
            ShotRow, and_(ShotRow.id == Revision.shot_id, ShotRow.head == Revision.number)
        )
        with self.session() as session:
            return _shown(_found(session.scalar(query.where(ShotRow.id == shot_id)), "shot"), option)

    def shot_at(self, name: str, revision: int) -> Shot:
        """A shot's or option's document at one of its revisions."""
        shot_id, option = _address(name)
        with self.session() as session:
            return load_shot(_shown(_found(session.get(Revision, (shot_id, revision)), "revision").document, option))

    def change(self, name: str, seen: int, patch: dict[str, Any], label: str) -> ShotState:
        """Accept a change made to revision `seen`: see `core.shot.change`; of an option: see `core.shot.option`.

        If the shot has moved on since, the change is evaluated on the revision in force, unless something that
        it changes was changed meanwhile.

        Raises
        ------
        Stale
            If it meets another change of the same thing; InputError if the document would not be valid. Nothing
            changes then.
        """
        if "site" in patch:
            raise InputError("site", "follows from the site's ties; change those")
        shot_id, option = _address(name)
        with self._locked(shot_id) as (session, row):
            before = session.get_one(Revision, (shot_id, row.head))
            here = _shown(before.document, option)
            if row.head != seen:
                old = session.get(Revision, (shot_id, seen))
                meeting = met(patch, _shown(old.document, option), here) if old else "This shot"
                if meeting is not None:
                    raise Stale(seen, row.head, meeting)
            shot = load_shot(changed(here, patch))
            if option is not None:
                shot = load_shot(with_option(upgraded(before.document), option, _document(shot)))
            self.refuse_unsound(session, shot)
            if _document(shot) == before.document:
                return _state(session, row, option)
            called = next((one.name for one in shot.options if one.id == option), "")
            label = f"{called}: {label}"[:200] if called else label
            made = add_revision(session, row, row.head, label, _document(shot))
            settle(session, row.project_id, shot_id, before.document, made)
            return _state(session, row, option)

    def undo(self, name: str, seen: int) -> ShotState:
        """Go back to the revision that the one in force was made from."""
        shot_id, option = _address(name)
        with self._locked(shot_id) as (session, row):
            _refuse_stale(row, seen)
            made = _made(session, session.get_one(Revision, (shot_id, row.head)))
            if made.parent is None:
                raise InputError("undo", "there is nothing to undo")
            parent = session.get_one(Revision, (shot_id, made.parent))
            return self._gone_to(session, row, made, parent, option)

    def redo(self, name: str, seen: int) -> ShotState:
        """Go forward to the latest revision made from the one in force."""
        shot_id, option = _address(name)
        with self._locked(shot_id) as (session, row):
            _refuse_stale(row, seen)
            child = _child(session, row)
            if child is None:
                raise InputError("redo", "there is nothing to redo")
            return self._gone_to(session, row, session.get_one(Revision, (shot_id, child.parent)), child, option)

    def _gone_to(self, session: Session, row: ShotRow, from_: Revision, to: Revision, option: str | None) -> ShotState:
        """Take the step between two revisions, one of which the revision in force is or stands for."""
        here, made = session.get_one(Revision, (row.id, row.head)), None
        if here.number == from_.number:
            row.head = to.number
        else:
            bare = {**here.document, "site": from_.document.get("site")}
            document, meeting = stepped(bare, from_.document, to.document)
            if meeting is not None:
                raise InputError("undo", f"{meeting} has been changed since, in another photograph of the site")
            document = {**document, "site": here.document.get("site")}
            made = add_revision(session, row, to.parent, to.label, document, to.stands_for or to.number)
        session.flush()
        settle(session, row.project_id, row.id, here.document, made)
        try:
            return _state(session, row, option)
        except NotFound as error:
            raise InputError("undo", "would take this option itself away; open its shot to do that") from error

    @contextmanager
    def _locked(self, shot_id: str) -> Iterator[tuple[Session, ShotRow]]:
        """The shot's row in a writing transaction."""
        with self.session() as session:
            session.execute(text("UPDATE shots SET head = head WHERE id = :id"), {"id": shot_id})  # take the lock first
            row = _found(session.get(ShotRow, shot_id), "shot")
            yield session, row

    def refuse_unsound(self, session: Session, shot: Shot) -> None:
        """A shot and each of its options must be sound by themselves."""
        bare = shot.model_copy(update={"options": []})
        self._refuse_wrong_files(session, bare)
        document = _document(bare)
        for option in shot.options:
            try:
                whole = load_shot(optioned(document, option.difference))
            except InputError as error:
                called = option.name or option.id
                raise InputError("options", f"{called!r} can’t follow: {error}; strike it out first") from error
            self._refuse_wrong_files(session, whole)

    def _refuse_wrong_files(self, session: Session, shot: Shot) -> None:
        """Files must be there, of the kind that they are used as, and the photograph of the size that is said."""
        pictures = ("photograph", "graphic", "film")
        wanted: list[tuple[str, str, tuple[str, ...]]] = [("models", model.file, ("model",)) for model in shot.models]
        main = {name for _, name, _ in wanted}
        if shot.photograph:
            wanted.append(("photograph", shot.photograph.file, ("photograph",)))
            main.add(shot.photograph.file)
        if shot.panorama:
            wanted.append(("panorama", shot.panorama.file, ("panorama", "photograph")))
            main.add(shot.panorama.file)
        if shot.take:
            wanted.append(("take", shot.take.file, ("film", "sequence")))
            main.add(shot.take.file)
            wanted += [("take", shot.take.plate, ("photograph",))] if shot.take.plate else []
        wanted += [("lamps", lamp.file, ("photometry",)) for lamp in shot.lamps if lamp.file]
        main |= {lamp.file for lamp in shot.lamps if lamp.file}
        wanted += [("blend", name, ("lut",)) for name in shot.blend.luts()]
        main |= set(shot.blend.luts())
        wanted += [("file", name, pictures) for name in shot.files() if name not in main]
        for field, name, kinds in wanted:
            file = session.get(StoredFile, name.removeprefix("sha256:"))
            if file is None:
                raise InputError("file", f"{name} is not in the library")
            if file.kind not in kinds:
                raise InputError(field, f"{name[:20]}… is a {file.kind}, not a {kinds[0]}")
            size = (file.told.get("width"), file.told.get("height"))
            if field == "photograph" and shot.photograph and size != (shot.photograph.width, shot.photograph.height):
                raise InputError("photograph", f"is {size[0]} × {size[1]} pixels, which the document must say too")

    # Renders

    def add_render(self, name: str, quality: str, part: list[int] | None = None) -> Render:
        """Ask for a render of the shot as it stands, or of a part of it; older unfinished proofs of it are stopped."""
        shot_id, option = _address(name)
        with self.session() as session:
            row = _found(session.get(ShotRow, shot_id), "shot")
            if quality == "proof":
                proofs = _of(name).where(Render.quality == "proof", Render.finished_at.is_(None))
                for old in session.scalars(proofs):
                    _stop(old)
            told: dict[str, Any] = {"revision": row.head, "option": option, "quality": quality, "part": part}
            render = Render(id=new_id(), shot_id=shot_id, **told)
            session.add(render)
        return render

    def refine_render(self, render_id: str) -> Render:
        """Ask for a finished master to be gone on with, to `FINER` times its samples."""
        with self.session() as session:
            old = _found(session.get(Render, render_id), "render")
            if old.quality != "master" or old.state != "done":
                raise InputError("render", f"is a {old.quality}, {old.state}; only a finished master is made finer")
            made = old.wanted or self.shot_at(old.shot_name, old.revision).output.samples
            wanted = min(FINER * made, MOST_SAMPLES)
            if wanted == made:
                raise InputError("render", f"has {made} samples a pixel, which is the most")
            told = {"shot_id": old.shot_id, "option": old.option, "revision": old.revision, "quality": "master"}
            render = Render(id=new_id(), goes_on=old.id, wanted=wanted, **told)
            session.add(render)
        return render

    def add_files(self, render_id: str) -> Render:
        """Ask for the files that a finished master's shot is to be delivered as."""
        with self.session() as session:
            master = _found(session.get(Render, render_id), "render")
            if master.quality != "master" or master.state != "done":
                raise InputError(
                    "render", f"is a {master.quality}, {master.state}; files are made of a finished master"
                )
            row = _found(session.get(ShotRow, master.shot_id), "shot")
            values = {"shot_id": master.shot_id, "option": master.option, "revision": row.head, "quality": "files"}
            render = Render(id=new_id(), goes_on=master.id, **values)
            session.add(render)
        return render

    def delivered_folder(self, project_id: str) -> Path:
        """Where a project's delivered files are kept."""
        folder = self.data / "delivered" / project_id
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def let_go_of_sums(self, render: Render) -> None:
        """Only a shot's newest master can be made finer: what older ones have kept for that is cleared away."""
        for old in self.renders(render.shot_name, limit=1000):
            if old.quality == "master" and old.id != render.id and old.finished_at is not None:
                shutil.rmtree(self.render_folder(old.id) / SUMS, ignore_errors=True)

    def newest_proof(self, name: str, revision: int) -> Render | None:
        """The newest finished proof of a revision."""
        proofs = (one for one in self.renders(name) if one.quality == "proof" and one.state == "done")
        return next((one for one in proofs if one.revision == revision), None)

    def render(self, render_id: str) -> Render:
        """One render; NotFound if there is none."""
        with self.session() as session:
            return _found(session.get(Render, render_id), "render")

    def renders(self, name: str, limit: int = 20) -> list[Render]:
        """A shot's own renders, or an option's, the newest first."""
        with self.session() as session:
            return list(session.scalars(_of(name).order_by(Render.created_at.desc()).limit(limit)))

    def begin_render(self, render_id: str, worker: str) -> Render | None:
        """Take a queued render; None if it is no longer wanted."""
        with self.session() as session:
            render = session.get(Render, render_id)
            if render is None or render.state != "queued":
                return None
            render.state, render.worker = "running", worker
            return render

    def update_render(self, render_id: str, **values: Any) -> None:
        """Set a render's fields."""
        with self.session() as session:
            render = session.get_one(Render, render_id)
            for name, value in values.items():
                setattr(render, name, value)

    def finish_render(self, render_id: str, state: str, reason: str | None = None) -> None:
        """Close a render as done, failed or stopped."""
        values = {"state": state, "reason": reason and reason[:500], "seconds_left": None, "finished_at": now()}
        try:
            self.update_render(render_id, **values)
        except NoRoom:
            (self.data / RESERVE).unlink(missing_ok=True)
            self.update_render(render_id, **values)
        self._reserve_room()

    def requeue_render(self, render_id: str) -> None:
        """Put a begun render back into line: its worker was told to end."""
        self.update_render(render_id, state="queued", worker=None, seconds_left=None)

    def stop_render(self, render_id: str) -> Render:
        """Ask a render to stop after the pass that it is in."""
        with self.session() as session:
            render = _found(session.get(Render, render_id), "render")
            _stop(render)
            return render

    def restart_render(self, render_id: str) -> Render:
        """Queue a failed or stopped render again; it goes on from its last whole pass."""
        with self.session() as session:
            render = _found(session.get(Render, render_id), "render")
            if render.state not in ("failed", "stopped"):
                raise InputError("render", f"is {render.state}; only a failed or stopped one can be started again")
            render.state, render.reason, render.finished_at = "queued", None, None
            return render

    def follow_render(self, render_id: str) -> Render:
        """Queue a finished proof again for the shot as it stands; its picture stays until then.

        One that is under way stays as it is: once it is done it can follow.
        """
        with self.session() as session:
            render = _found(session.get(Render, render_id), "render")
            if render.quality == "proof" and render.state in ("queued", *RUNNING):
                return render
            if render.quality != "proof" or render.state != "done" or render.part:
                raise InputError("render", f"is a {render.quality}, {render.state}; only a finished proof follows")
            render.revision = _found(session.get(ShotRow, render.shot_id), "shot").head
            render.state, render.finished_at, render.created_at, render.passes_done = "queued", None, now(), 0
            return render

    def running_renders(self) -> list[Render]:
        """Renders that some worker has taken."""
        with self.session() as session:
            return list(session.scalars(select(Render).where(Render.state.in_(RUNNING))))

    def queued_renders(self) -> list[Render]:
        """Renders that wait for a worker."""
        with self.session() as session:
            return list(session.scalars(select(Render).where(Render.state == "queued").order_by(Render.created_at)))

    def render_folder(self, render_id: str) -> Path:
        """Where a render's picture and sums are kept."""
        folder = self.data / "renders" / render_id
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def import_file(self, project_id: str, path: Path) -> StoredFile:
        """Keep a file from the disk."""
        with path.open("rb") as source:
            return self.add_file(project_id, path.name, source)[0]

    def wipe(self) -> None:
        """Remove everything kept (the demonstration's fresh start)."""
        self.engine.dispose()
        for name in (
            "library.db",
            "library.db-wal",
            "library.db-shm",
            "queue.db",
            "queue.db-wal",
            "queue.db-shm",
        ):
            (self.data / name).unlink(missing_ok=True)
        for name in ("files", "made", "renders", "empties", "asked", "delivered", "takes"):
            shutil.rmtree(self.data / name, ignore_errors=True)


def _digest(name: str) -> str:
    """What a file is called by; a name from outside leads nowhere else."""
    sha256 = name.removeprefix("sha256:")
    if not _SHA256.fullmatch(sha256):
        raise InputError("file", f"{name[:80]!r} is no file of the library")
    return sha256


def _set_pragmas(connection: Any, _: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=30000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def full_disk(error: OperationalError) -> bool:
    """Whether SQLite failed for want of room."""
    return "full" in str(error.orig).lower()


def _refuse_damaged(place: Path) -> None:
    """Refuse a database that can't be read, which would lose what is in it."""
    if not place.exists() or place.stat().st_size == 0:
        return
    try:
        connection = sqlite3.connect(f"file:{place}?mode=ro", uri=True)
        try:
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
        finally:
            connection.close()
    except sqlite3.DatabaseError as error:
        raise InputError(
            "--data", f"the database {place} is damaged ({error}); restore it or use another folder"
        ) from error


@contextmanager
def _room() -> Iterator[None]:
    """A full disk as NoRoom."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise NoRoom(FULL) from error
        raise


def _plain_name(name: str) -> str:
    """A file's own name without folders, control characters and line breaks, at a length that can be kept."""
    base = name.replace("\\", "/").rsplit("/", 1)[-1]
    plain = "".join(c for c in base if c.isprintable()).strip()
    return plain[:200] or "file"


def _plain_suffix(name: str) -> str:
    """A name's ending where it is an ordinary one: content decides what a file is, it only helps with raw files."""
    suffix = Path(name).suffix.lower()
    return suffix if re.fullmatch(r"\.[a-z0-9]{1,8}", suffix) else ""


def _address(name: str) -> tuple[str, str | None]:
    """What a name asks for: a shot and perhaps one of its options."""
    shot_id, _, option = name.partition("~")
    return shot_id, option or None


def _of(name: str) -> Select[Render]:
    """The renders of a shot itself, or of an option."""
    shot_id, option = _address(name)
    return select(Render).where(Render.shot_id == shot_id, Render.option == option)


def _shown(document: dict[str, Any], option: str | None) -> dict[str, Any]:
    """A kept document in the present format, with an option's differences on top; NotFound if it has no such one."""
    document = upgraded(document)
    if option is None:
        return document
    found = next((one for one in document.get("options") or [] if one["id"] == option), None)
    return optioned(document, _found(found, "option")["difference"])


def _refuse_stale(row: ShotRow, seen: int) -> None:
    if row.head != seen:
        raise Stale(seen, row.head)


def _found(row: Any, what: str) -> Any:
    if row is None:
        raise NotFound(f"There is no such {what}.")
    return row


def _document(shot: Shot) -> dict[str, Any]:
    return shot.model_dump(mode="json", by_alias=True)


def _made(session: Session, revision: Revision) -> Revision:
    """The accepted change that a revision is or stands for."""
    if revision.stands_for is None:
        return revision
    return session.get_one(Revision, (revision.shot_id, revision.stands_for))


def _child(session: Session, row: ShotRow) -> Revision | None:
    """The latest change that was made from the revision in force, or from what stands for the same as it."""
    made = _made(session, session.get_one(Revision, (row.id, row.head))).number
    same = select(Revision.number).where(
        Revision.shot_id == row.id, or_(Revision.number == made, Revision.stands_for == made)
    )
    query = select(Revision).where(Revision.shot_id == row.id, Revision.parent.in_(same), Revision.stands_for.is_(None))
    return session.scalars(query.order_by(Revision.number.desc()).limit(1)).first()


def _state(session: Session, row: ShotRow, option: str | None = None) -> ShotState:
    here = session.get_one(Revision, (row.id, row.head))
    child = _child(session, row)
    undo = here.label if here.parent is not None else None
    shot, redo = load_shot(_shown(here.document, option)), child.label if child else None
    return ShotState(shot_name(row.id, option), row.project_id, row.head, shot, undo, redo, option)


def _stop(render: Render) -> None:
    if render.state == "queued":
        render.state, render.finished_at = "stopped", now()
    elif render.state == "running":
        render.state = "stopping"
