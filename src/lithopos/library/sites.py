"""A project's site: kept as its shots are, change by change."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from lithopos.core.errors import InputError
from lithopos.core.shot import Shot, load_shot, upgraded
from lithopos.core.shot.change import changed, met
from lithopos.core.site import Site, load_site
from lithopos.core.site.document import LISTS
from lithopos.library.database import NotFound, Stale
from lithopos.library.models import Project, SiteRevision, SiteRow
from lithopos.library.settling import heads_of, settle
from lithopos.library.store import Library

__all__ = ["SiteState", "change_site", "redo_site", "site_of", "site_shots", "undo_site"]


@dataclass(frozen=True)
class SiteState:
    """A site as it stands, and where it lies among its revisions; number 0: nothing was ever tied."""

    project_id: str
    revision: int
    site: Site
    undo: str | None = None
    redo: str | None = None


def site_of(library: Library, project_id: str) -> SiteState:
    """A project's site; an empty one where there is none yet."""
    with library.session() as session:
        _must_exist(session, project_id)
        return _state(session, project_id)


def site_shots(library: Library, project_id: str) -> Mapping[str, Shot]:
    """All shots of a project by their names."""
    with library.session() as session:
        return {row.id: load_shot(upgraded(head.document)) for row, head in heads_of(session, project_id)}


def change_site(library: Library, project_id: str, seen: int, patch: dict[str, Any], label: str) -> SiteState:
    """Accept a change made to revision `seen`; see `Library.change`.

    Raises
    ------
    Stale
        If it meets another change of the same thing; InputError if it would not be valid. Nothing changes then.
    """
    with library.session() as session:
        row = _locked(session, project_id)
        here = _document(session, project_id, row.head)
        if row.head != seen:
            old = _document(session, project_id, seen)
            meeting = met(patch, old, here, LISTS)
            if meeting is not None:
                raise Stale(seen, row.head, meeting)
        site = load_site(changed(here, patch, LISTS))
        _refuse_strangers(session, project_id, site)
        document = site.model_dump(mode="json", by_alias=True)
        if document != here:
            last = session.scalar(select(func.max(SiteRevision.number)).where(SiteRevision.project_id == project_id))
            number = (last or 0) + 1
            told = {"parent": row.head, "label": label, "document": document}
            session.add(SiteRevision(project_id=project_id, number=number, **told))
            row.head = number
            session.flush()
            settle(session, project_id)
        return _state(session, project_id)


def undo_site(library: Library, project_id: str, seen: int) -> SiteState:
    """Go back to the revision that the one in force was made from."""
    with library.session() as session:
        row = _locked(session, project_id)
        _refuse_stale(row, seen)
        here = session.get(SiteRevision, (project_id, row.head))
        if here is None or here.parent is None:
            raise InputError("undo", "there is nothing to undo")
        return _gone_to(session, row, here.parent)


def redo_site(library: Library, project_id: str, seen: int) -> SiteState:
    """Go forward to the latest revision made from the one in force."""
    with library.session() as session:
        row = _locked(session, project_id)
        _refuse_stale(row, seen)
        child = _child(session, project_id, row.head)
        if child is None:
            raise InputError("redo", "there is nothing to redo")
        return _gone_to(session, row, child.number)


def _gone_to(session: Session, row: SiteRow, number: int) -> SiteState:
    row.head = number
    session.flush()
    settle(session, row.project_id)
    return _state(session, row.project_id)


def _locked(session: Session, project_id: str) -> SiteRow:
    """The site's row in a writing transaction; made where there was none."""
    _must_exist(session, project_id)
    session.execute(text("UPDATE projects SET name = name WHERE id = :id"), {"id": project_id})  # take the lock first
    row = session.get(SiteRow, project_id)
    if row is None:
        row = SiteRow(project_id=project_id, head=0)
        session.add(row)
        session.flush()
    return row


def _must_exist(session: Session, project_id: str) -> None:
    if session.get(Project, project_id) is None:
        raise NotFound("There is no such project.")


def _refuse_stale(row: SiteRow, seen: int) -> None:
    if row.head != seen:
        raise Stale(seen, row.head, "This site")


def _document(session: Session, project_id: str, number: int) -> dict[str, Any]:
    """A site's document at a revision; of number 0 an empty one."""
    revision = session.get(SiteRevision, (project_id, number))
    if revision is None and number:
        raise NotFound("There is no such revision.")
    return revision.document if revision else Site().model_dump(mode="json", by_alias=True)


def _child(session: Session, project_id: str, number: int) -> SiteRevision | None:
    query = select(SiteRevision).where(SiteRevision.project_id == project_id, SiteRevision.parent == number)
    return session.scalars(query.order_by(SiteRevision.number.desc()).limit(1)).first()


def _state(session: Session, project_id: str) -> SiteState:
    row = session.get(SiteRow, project_id)
    head = row.head if row else 0
    here, child = session.get(SiteRevision, (project_id, head)), _child(session, project_id, head)
    site = load_site(here.document) if here else Site()
    undo = here.label if here and here.parent is not None else None
    return SiteState(project_id, head, site, undo, child.label if child else None)


def _refuse_strangers(session: Session, project_id: str, site: Site) -> None:
    """A site's photographs are shots of its project; files are named in files alone."""
    shots = {row.id for row, _ in heads_of(session, project_id)}
    for number, member in enumerate(site.members):
        if member.id not in shots:
            raise InputError(f"members[{number}]", f"{member.id!r} is no shot of this project")
        if member.shot is not None:
            raise InputError(f"members[{number}].shot", "is for sites in files; here shots are known by their names")
