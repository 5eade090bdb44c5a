"""Shots and their revisions: each accepted change is one, undone and redone."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, or_, select, text
from sqlalchemy.orm import Session

from lithopos.core.errors import InputError
from lithopos.core.shot import Shot, Take, load_shot, new_shot, upgraded
from lithopos.core.shot.change import changed, met, stepped
from lithopos.core.shot.option import optioned, with_option
from lithopos.library.database import NotFound, Stale, found, new_id
from lithopos.library.files import Files
from lithopos.library.models import Project, Revision, ShotRow, StoredFile, shot_name
from lithopos.library.settling import add_revision, settle

__all__ = ["ShotState", "Shots", "address"]


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


class Shots(Files):
    """The library's shots."""

    def add_shot(self, project_id: str, name: str, sha256: str, take: Take | None = None) -> ShotState:
        """Begin a shot with one of the project's photographs, perhaps a frame of a take."""
        file = self.file(sha256)
        if file.kind != "photograph":
            raise InputError("photograph", "is not a photograph")
        shot = new_shot(name, f"sha256:{sha256}", file.told).model_copy(update={"take": take})
        with self.session() as session:
            found(session.get(Project, project_id), "project")
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
        shot_id, option = address(name)
        with self.session() as session:
            return _state(session, found(session.get(ShotRow, shot_id), "shot"), option)

    def head(self, name: str) -> int:
        """The number of a shot's revision in force; NotFound if there is no such shot."""
        with self.session() as session:
            row: ShotRow = found(session.get(ShotRow, address(name)[0]), "shot")
            return row.head

    def names_of(self, shot_id: str) -> list[str]:
        """What a shot itself and its options are asked for by, in their order."""
        return [shot_id, *(shot_name(shot_id, one.id) for one in self.shot(shot_id).shot.options)]

    def document(self, name: str) -> dict[str, Any]:
        """A shot's document in the present format, not read into its type: for a trial on every move of a drag."""
        shot_id, option = address(name)
        query = select(Revision.document).join(
            ShotRow, and_(ShotRow.id == Revision.shot_id, ShotRow.head == Revision.number)
        )
        with self.session() as session:
            return _shown(found(session.scalar(query.where(ShotRow.id == shot_id)), "shot"), option)

    def shot_at(self, name: str, revision: int) -> Shot:
        """A shot's or option's document at one of its revisions."""
        shot_id, option = address(name)
        with self.session() as session:
            return load_shot(_shown(found(session.get(Revision, (shot_id, revision)), "revision").document, option))

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
        shot_id, option = address(name)
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
        shot_id, option = address(name)
        with self._locked(shot_id) as (session, row):
            _refuse_stale(row, seen)
            made = _made(session, session.get_one(Revision, (shot_id, row.head)))
            if made.parent is None:
                raise InputError("undo", "there is nothing to undo")
            parent = session.get_one(Revision, (shot_id, made.parent))
            return self._gone_to(session, row, made, parent, option)

    def redo(self, name: str, seen: int) -> ShotState:
        """Go forward to the latest revision made from the one in force."""
        shot_id, option = address(name)
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
            row = found(session.get(ShotRow, shot_id), "shot")
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


def address(name: str) -> tuple[str, str | None]:
    """What a name asks for: a shot and perhaps one of its options."""
    shot_id, _, option = name.partition("~")
    return shot_id, option or None


def _shown(document: dict[str, Any], option: str | None) -> dict[str, Any]:
    """A kept document in the present format, with an option's differences on top; NotFound if it has no such one."""
    document = upgraded(document)
    if option is None:
        return document
    asked = next((one for one in document.get("options") or [] if one["id"] == option), None)
    return optioned(document, found(asked, "option")["difference"])


def _refuse_stale(row: ShotRow, seen: int) -> None:
    if row.head != seen:
        raise Stale(seen, row.head)


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
