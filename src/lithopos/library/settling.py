"""What a change does to the other photographs of a site: further revisions of their shots, in the same transaction."""

from __future__ import annotations

from typing import Any

from sqlalchemy import and_, func, select
from sqlalchemy.orm import Session

from lithopos.core.shot import upgraded
from lithopos.core.site import Site, load_site
from lithopos.core.site.settle import settled
from lithopos.library.models import Revision, ShotRow, SiteRevision, SiteRow

__all__ = ["add_revision", "heads_of", "settle"]


def _site_in_force(session: Session, project_id: str) -> Site | None:
    """A project's site as it stands; None if it never had one."""
    row = session.get(SiteRow, project_id)
    if row is None:
        return None
    revision = session.get(SiteRevision, (project_id, row.head))
    return load_site(revision.document) if revision else Site()


def heads_of(session: Session, project_id: str) -> list[tuple[ShotRow, Revision]]:
    """A project's shots with their revisions in force, the oldest first."""
    both = and_(ShotRow.id == Revision.shot_id, ShotRow.head == Revision.number)
    query = select(ShotRow, Revision).join(Revision, both).where(ShotRow.project_id == project_id)
    return [(row, revision) for row, revision in session.execute(query.order_by(ShotRow.created_at))]


def add_revision(
    session: Session,
    row: ShotRow,
    parent: int | None,
    label: str,
    document: dict[str, Any],
    stands_for: int | None = None,
) -> Revision:
    """A further revision of a shot, which is in force then."""
    last = session.scalar(select(func.max(Revision.number)).where(Revision.shot_id == row.id)) or 0
    told = {"parent": parent, "label": label, "document": document, "stands_for": stands_for}
    made = Revision(shot_id=row.id, number=last + 1, **told)
    session.add(made)
    row.head = last + 1
    session.flush()
    return made


def settle(
    session: Session,
    project_id: str,
    source: str | None = None,
    before: dict[str, Any] | None = None,
    made: Revision | None = None,
) -> None:
    """Bring a site's shots into line with it, after it or one of them has changed.

    Every shot that changes by it gets a revision that stands for the one in force, so that undoing there goes on to be
    about what was done there.

    Parameters
    ----------
    source, before : the shot that was changed, and its document before.
    made : its new revision, where there is one: nobody has seen it yet, and it is completed.
    """
    site = _site_in_force(session, project_id)
    if site is None:
        return
    heads = {row.id: (row, revision) for row, revision in heads_of(session, project_id)}
    members = {member.id for member in site.members}
    concerned = {
        name: upgraded(rev.document) for name, (_, rev) in heads.items() if name in members or rev.document.get("site")
    }
    for name, document in settled(site, concerned, source, before).items():
        row, revision = heads[name]
        if revision is made:
            revision.document = document
            continue
        stands_for = revision.stands_for or revision.number
        add_revision(session, row, revision.parent, revision.label, document, stands_for)
    session.flush()
