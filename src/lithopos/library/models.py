"""The tables of the library."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, ForeignKeyConstraint, Index, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """The root of the tables."""

    type_annotation_map = {dict[str, Any]: JSON, list[int]: JSON(none_as_null=True)}


def now() -> datetime:
    """The present moment in UTC, without the zone: as the database keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Project(Base):
    """A client's job: its shots and the files that they share; `recipes` are lists of files to deliver, by name."""

    __tablename__ = "projects"
    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[datetime] = mapped_column(default=now)
    recipes: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")


class StoredFile(Base):
    """A file by its content; `told` is what was found out about it."""

    __tablename__ = "files"
    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    media_type: Mapped[str] = mapped_column(String(80))
    size_bytes: Mapped[int]
    told: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class ProjectFile(Base):
    """A file in a project, under the name that it came with."""

    __tablename__ = "project_files"
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    sha256: Mapped[str] = mapped_column(ForeignKey("files.sha256"), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))


class ShotRow(Base):
    """A shot of a project; `head` is the number of the revision in force."""

    __tablename__ = "shots"
    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    head: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)


class Revision(Base):
    """An accepted change: the whole document after it, and the revision that it was made from.

    As a site moves on, its shots do: such a revision takes the place of the accepted change that it `stands_for`.
    """

    __tablename__ = "revisions"
    shot_id: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    parent: Mapped[int | None]
    label: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)
    stands_for: Mapped[int | None]


class SiteRow(Base):
    """A project's site; `head` is the number of the revision in force."""

    __tablename__ = "sites"
    project_id: Mapped[str] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    head: Mapped[int] = mapped_column(default=0)


class SiteRevision(Base):
    """An accepted change of a site: the whole document after it, and the revision that it was made from."""

    __tablename__ = "site_revisions"
    project_id: Mapped[str] = mapped_column(ForeignKey("sites.project_id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    parent: Mapped[int | None]
    label: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class Render(Base):
    """A proof or master: of which revision, how far, by which process, and why it failed if it did.

    `option` is what of the shot it shows; null: the shot itself. `shot_name` names both (see `Library.shot`).

    `part` [px of the photograph] is all that is rendered, where it is not the whole; `goes_on` names the render that
    this one makes finer, with `wanted` samples a pixel; `noise` is what is left of it [codes of 255], `traced_s` how
    long it took when it was last traced. Of work on a take `stage` is what is done just now; its passes are frames.
    `worked_on` tells by which machines of a cluster.

    States: queued → running → done | failed | stopped; stopping lies between running and stopped.
    """

    __tablename__ = "renders"
    __table_args__ = (
        ForeignKeyConstraint(["shot_id", "revision"], ["revisions.shot_id", "revisions.number"], ondelete="CASCADE"),
        Index("ix_renders_shot", "shot_id", "created_at"),
    )
    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    shot_id: Mapped[str] = mapped_column(String(16))
    revision: Mapped[int]
    option: Mapped[str | None] = mapped_column(String(40))
    quality: Mapped[str] = mapped_column(String(10))
    state: Mapped[str] = mapped_column(String(10), default="queued")
    passes_done: Mapped[int] = mapped_column(default=0)
    passes: Mapped[int] = mapped_column(default=0)
    samples: Mapped[int] = mapped_column(default=0)
    part: Mapped[list[int] | None]
    goes_on: Mapped[str | None] = mapped_column(String(16))
    wanted: Mapped[int | None]
    stage: Mapped[str | None] = mapped_column(String(10))
    noise: Mapped[float | None]
    seconds_left: Mapped[float | None]
    traced_s: Mapped[float | None]
    reason: Mapped[str | None] = mapped_column(String(500))
    notes: Mapped[str | None] = mapped_column(String(1000))
    worker: Mapped[str | None] = mapped_column(String(40))
    worked_on: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    created_at: Mapped[datetime] = mapped_column(default=now)
    finished_at: Mapped[datetime | None]

    @property
    def shot_name(self) -> str:
        """The shot, or the option of it, that this shows."""
        return shot_name(self.shot_id, self.option)


def shot_name(shot_id: str, option: str | None) -> str:
    """How a shot or an option of it is asked for: `shot`, `shot~option`."""
    return shot_id if option is None else f"{shot_id}~{option}"
