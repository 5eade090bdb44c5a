"""The door to what is kept. Every accepted change is on the disk before it is answered."""

from __future__ import annotations

import hashlib
import mimetypes
import secrets
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from alembic import command
from alembic.config import Config
from sqlalchemy import and_, create_engine, event, func, select, text
from sqlalchemy.orm import Session, sessionmaker

from lithopos.core.errors import InputError, LithoposError
from lithopos.core.exchange.picture import write_atomically
from lithopos.core.inspect import inspect_file
from lithopos.core.shot import Shot, load_shot, new_shot, upgraded
from lithopos.library.models import Project, ProjectFile, Render, Revision, ShotRow, StoredFile, now

RUNNING = ("running", "stopping")

__all__ = ["Library", "NotFound", "ShotState", "Stale", "merge_patch"]


class NotFound(LithoposError):
    """Something asked for by name is not there."""


class Stale(LithoposError):
    """A change was made to an older revision than the one in force."""

    def __init__(self, seen: int, head: int) -> None:
        super().__init__(
            f"This shot has changed since you saw it (you saw revision {seen}, it is at {head}). "
            "Nothing was overwritten; load it again and repeat the change."
        )
        self.head = head


@dataclass(frozen=True)
class ShotState:
    """A shot as it stands: its document and where it lies among its revisions."""

    id: str
    project_id: str
    revision: int
    shot: Shot
    undo: str | None
    redo: str | None


def merge_patch(target: Any, patch: Any) -> Any:
    """A JSON merge patch applied, RFC 7396, section 2."""
    if not isinstance(patch, dict):
        return patch
    result = dict(target) if isinstance(target, dict) else {}
    for key, value in patch.items():
        if value is None:
            result.pop(key, None)
        else:
            result[key] = merge_patch(result.get(key), value)
    return result


def _new_id() -> str:
    return secrets.token_hex(6)


class Library:
    """Everything kept below one folder: `library.db`, `files/`, `renders/`."""

    def __init__(self, data: Path) -> None:
        self.data = data
        data.mkdir(parents=True, exist_ok=True)
        self.engine = create_engine(f"sqlite:///{data / 'library.db'}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", _set_pragmas)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._migrate()

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def revision(self) -> str:
        """The database's migration."""
        with self.engine.connect() as connection:
            return str(connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one())

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: kept whole at the end, or not at all."""
        with self._sessions.begin() as session:
            yield session

    # Projects and files

    def add_project(self, name: str) -> Project:
        """Make a project."""
        with self.session() as session:
            project = Project(id=_new_id(), name=name)
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

    def add_file(self, project_id: str, name: str, source: IO[bytes]) -> tuple[StoredFile, str]:
        """Keep a photograph or model by its content, after reading it whole elsewhere.

        Raises
        ------
        InputError
            If it is neither, or damaged; nothing is kept then.
        """
        self.project(project_id)
        name = Path(name.replace("\\", "/")).name[:200] or "file"
        (self.data / "files").mkdir(exist_ok=True)
        with tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
            copy = Path(folder) / f"in{Path(name).suffix.lower()}"
            digest = hashlib.sha256()
            with copy.open("wb") as file:
                while block := source.read(1 << 20):
                    digest.update(block)
                    file.write(block)
            told = inspect_file(copy)
            sha256 = digest.hexdigest()
            place = self.file_path(f"sha256:{sha256}", must_exist=False)
            place.parent.mkdir(parents=True, exist_ok=True)
            size = copy.stat().st_size
            if not place.exists():
                copy.replace(place)
        with self.session() as session:
            stored = session.get(StoredFile, sha256)
            if stored is None:
                media = mimetypes.guess_type(name)[0] or "application/octet-stream"
                media = "model/gltf-binary" if told["kind"] == "model" else media
                stored = StoredFile(sha256=sha256, kind=told["kind"], media_type=media, size_bytes=size, told=told)
                session.add(stored)
                session.flush()
            session.merge(ProjectFile(project_id=project_id, sha256=sha256, name=name))
        return stored, name

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
        sha256 = name.removeprefix("sha256:")
        place = self.data / "files" / sha256[:2] / sha256
        if must_exist and not place.is_file():
            raise InputError("file", f"{name} is missing from the library")
        return place

    # Shots and revisions

    def add_shot(self, project_id: str, name: str, sha256: str) -> ShotState:
        """Begin a shot with one of the project's photographs."""
        file = self.file(sha256)
        if file.kind != "photograph":
            raise InputError("photograph", "is not a photograph")
        shot = new_shot(name, f"sha256:{sha256}", file.told)
        with self.session() as session:
            _found(session.get(Project, project_id), "project")
            row = ShotRow(id=_new_id(), project_id=project_id, head=1)
            session.add(row)
            session.flush()
            session.add(Revision(shot_id=row.id, number=1, parent=None, label="photograph", document=_document(shot)))
        return self.shot(row.id)

    def shots(self, project_id: str) -> list[ShotState]:
        """A project's shots, the oldest first."""
        with self.session() as session:
            query = select(ShotRow.id).where(ShotRow.project_id == project_id).order_by(ShotRow.created_at)
            names = list(session.scalars(query))
        return [self.shot(name) for name in names]

    def shot(self, shot_id: str) -> ShotState:
        """A shot as it stands; NotFound if there is none."""
        with self.session() as session:
            return _state(session, _found(session.get(ShotRow, shot_id), "shot"))

    def document(self, shot_id: str) -> dict[str, Any]:
        """A shot's document in the present format, not read into its type: for a trial on every move of a drag."""
        query = select(Revision.document).join(
            ShotRow, and_(ShotRow.id == Revision.shot_id, ShotRow.head == Revision.number)
        )
        with self.session() as session:
            return upgraded(_found(session.scalar(query.where(ShotRow.id == shot_id)), "shot"))

    def shot_at(self, shot_id: str, revision: int) -> Shot:
        """A shot's document at one of its revisions."""
        with self.session() as session:
            return load_shot(_found(session.get(Revision, (shot_id, revision)), "revision").document)

    def change(self, shot_id: str, seen: int, patch: dict[str, Any], label: str) -> ShotState:
        """Accept a merge patch made to revision `seen`.

        Raises
        ------
        Stale
            If the shot has moved on; InputError if the document would not be valid. Nothing changes then.
        """
        with self._locked(shot_id, seen) as (session, row):
            before = session.get_one(Revision, (shot_id, row.head))
            shot = load_shot(merge_patch(upgraded(before.document), patch))
            self._refuse_missing_files(session, shot)
            if _document(shot) == before.document:
                return _state(session, row)
            last = session.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot_id)) or 0
            session.add(
                Revision(shot_id=shot_id, number=last + 1, parent=row.head, label=label, document=_document(shot))
            )
            row.head = last + 1
            session.flush()
            return _state(session, row)

    def undo(self, shot_id: str, seen: int) -> ShotState:
        """Go back to the revision that the one in force was made from."""
        with self._locked(shot_id, seen) as (session, row):
            parent = session.get_one(Revision, (shot_id, row.head)).parent
            if parent is None:
                raise InputError("undo", "there is nothing to undo")
            row.head = parent
            session.flush()
            return _state(session, row)

    def redo(self, shot_id: str, seen: int) -> ShotState:
        """Go forward to the latest revision made from the one in force."""
        with self._locked(shot_id, seen) as (session, row):
            child = _child(session, row)
            if child is None:
                raise InputError("redo", "there is nothing to redo")
            row.head = child.number
            session.flush()
            return _state(session, row)

    @contextmanager
    def _locked(self, shot_id: str, seen: int) -> Iterator[tuple[Session, ShotRow]]:
        """The shot's row in a writing transaction, if it still is at the revision seen."""
        with self.session() as session:
            session.execute(text("UPDATE shots SET head = head WHERE id = :id"), {"id": shot_id})  # take the lock first
            row = _found(session.get(ShotRow, shot_id), "shot")
            if row.head != seen:
                raise Stale(seen, row.head)
            yield session, row

    def _refuse_missing_files(self, session: Session, shot: Shot) -> None:
        for name in shot.files():
            if session.get(StoredFile, name.removeprefix("sha256:")) is None:
                raise InputError("file", f"{name} is not in the library")

    # Renders

    def add_render(self, shot_id: str, quality: str) -> Render:
        """Ask for a render of the shot as it stands; older unfinished proofs of it are stopped."""
        with self.session() as session:
            row = _found(session.get(ShotRow, shot_id), "shot")
            if quality == "proof":
                for old in session.scalars(
                    select(Render).where(
                        Render.shot_id == shot_id, Render.quality == "proof", Render.finished_at.is_(None)
                    )
                ):
                    _stop(old)
            render = Render(id=_new_id(), shot_id=shot_id, revision=row.head, quality=quality)
            session.add(render)
        return render

    def render(self, render_id: str) -> Render:
        """One render; NotFound if there is none."""
        with self.session() as session:
            return _found(session.get(Render, render_id), "render")

    def renders(self, shot_id: str, limit: int = 20) -> list[Render]:
        """A shot's renders, the newest first."""
        query = select(Render).where(Render.shot_id == shot_id).order_by(Render.created_at.desc()).limit(limit)
        with self.session() as session:
            return list(session.scalars(query))

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
        self.update_render(render_id, state=state, reason=reason and reason[:500], seconds_left=None, finished_at=now())

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

    def running_renders(self) -> list[Render]:
        """Renders that some worker has taken."""
        with self.session() as session:
            return list(session.scalars(select(Render).where(Render.state.in_(RUNNING))))

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
        for name in ("files", "renders", "thumbs"):
            shutil.rmtree(self.data / name, ignore_errors=True)


def _set_pragmas(connection: Any, _: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=30000"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _found(row: Any, what: str) -> Any:
    if row is None:
        raise NotFound(f"There is no such {what}.")
    return row


def _document(shot: Shot) -> dict[str, Any]:
    return shot.model_dump(mode="json", by_alias=True)


def _child(session: Session, row: ShotRow) -> Revision | None:
    query = select(Revision).where(Revision.shot_id == row.id, Revision.parent == row.head)
    return session.scalars(query.order_by(Revision.number.desc()).limit(1)).first()


def _state(session: Session, row: ShotRow) -> ShotState:
    here = session.get_one(Revision, (row.id, row.head))
    child = _child(session, row)
    undo = here.label if here.parent is not None else None
    return ShotState(row.id, row.project_id, row.head, load_shot(here.document), undo, child.label if child else None)


def _stop(render: Render) -> None:
    if render.state == "queued":
        render.state, render.finished_at = "stopped", now()
    elif render.state == "running":
        render.state = "stopping"


def save_bytes(path: Path, data: bytes) -> None:
    """Write a small file whole or not at all."""
    write_atomically(path, lambda file: file.write(data))
