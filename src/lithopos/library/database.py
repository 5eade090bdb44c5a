"""The database of all that is kept, its migrations, and room on the disk."""

from __future__ import annotations

import contextlib
import errno
import secrets
import shutil
import sqlite3
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.util import CommandError
from sqlalchemy import create_engine, event, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from lithopos.core.errors import InputError, LithoposError, NoRoom

LEFT_AFTER_S = 120.0  # a reader gives up long before
RESERVE, RESERVE_BYTES = "reserve", 8 << 20
FULL = "The disk is full: nothing was changed. Make room and try again; everything accepted before is kept."

__all__ = ["FULL", "RESERVE", "Database", "NotFound", "Stale", "found", "full_disk", "new_id", "room"]


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


def new_id() -> str:
    """A name for a project, shot or render that nothing has yet."""
    return secrets.token_hex(6)


class Database:
    """The database of a library's folder, brought to the present form, and transactions in it.

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
        self.reserve_room()

    def _clear_leftovers(self) -> None:
        """What readers that were killed have left behind."""
        for left in (self.data / "files").glob(".new-*"):
            with contextlib.suppress(OSError):
                if time.time() - left.stat().st_mtime > LEFT_AFTER_S:
                    shutil.rmtree(left)

    def reserve_room(self) -> None:
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
def room() -> Iterator[None]:
    """A full disk as NoRoom."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise NoRoom(FULL) from error
        raise


def found(row: Any, what: str) -> Any:
    """What was asked for; NotFound if it is not there."""
    if row is None:
        raise NotFound(f"There is no such {what}.")
    return row
