"""Whether a library is whole, and what in it nothing refers to any more."""

from __future__ import annotations

import json
import shutil
import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from PIL import Image

from lithopos.core.errors import InputError
from lithopos.core.shot import load_shot
from lithopos.core.site import load_site
from lithopos.library.backup import digest_of

DATABASE = "library.db"
YOUNG_S = 3600  # what is younger may be under way
PICTURE = "picture.png"

__all__ = ["Checked", "Orphan", "check", "tidy"]


@dataclass(frozen=True)
class Orphan:
    """Something that nothing refers to: where it lies, why nothing does, and how large it is."""

    place: Path
    why: str
    size_bytes: int


@dataclass
class Checked:
    """What a check has found.

    Attributes
    ----------
    counted : how many of what were looked at.
    problems : what is wrong, each as one sentence.
    orphans : what nothing refers to.
    """

    counted: dict[str, int] = field(default_factory=dict)
    problems: list[str] = field(default_factory=list)
    orphans: list[Orphan] = field(default_factory=list)

    def told(self) -> dict[str, Any]:
        """As plain data."""
        orphans = [{"place": str(one.place), "why": one.why, "bytes": one.size_bytes} for one in self.orphans]
        return {"whole": not self.problems, "counted": self.counted, "problems": self.problems, "orphans": orphans}


def check(data: Path) -> Checked:
    """Look at every file's content, every reference, revision and render; changes nothing.

    Raises
    ------
    InputError
        If there is no library.
    """
    if not (data / DATABASE).is_file():
        raise InputError("--data", f"{data} holds no library")
    found = Checked()
    with closing(sqlite3.connect(f"file:{data / DATABASE}?mode=ro", uri=True, timeout=30)) as database:
        database.row_factory = sqlite3.Row
        database.execute("BEGIN")  # all of it as it is at one moment
        try:
            _database(database, found)
            kept = {
                row["sha256"]: row["size_bytes"] for row in database.execute("SELECT sha256, size_bytes FROM files")
            }
            _files(data, kept, found)
            takes, named = _documents(database, kept, found)
            referred = named | {row["sha256"] for row in database.execute("SELECT sha256 FROM project_files")}
            renders = _renders(data, database, found)
            projects = {row["id"] for row in database.execute("SELECT id FROM projects")}
        except sqlite3.DatabaseError as error:
            found.problems.append(f"The database is damaged: {error}.")
            return found
    found.orphans = [*_unreferred(data, referred & set(kept), renders, takes, projects)]
    return found


def _database(database: sqlite3.Connection, found: Checked) -> None:
    told = [row[0] for row in database.execute("PRAGMA integrity_check")]
    if told != ["ok"]:
        found.problems.append(f"The database is damaged: {told[0]}.")
    for row in database.execute("PRAGMA foreign_key_check"):
        found.problems.append(f"A row of {row[0]} refers to one of {row[2]} that is not there.")


def _files(data: Path, kept: dict[str, int], found: Checked) -> None:
    found.counted["files"] = len(kept)
    for sha256, size in kept.items():
        place = data / "files" / sha256[:2] / sha256
        if not place.is_file():
            found.problems.append(f"File {sha256[:12]} is missing.")
        elif place.stat().st_size != size or digest_of(place) != sha256:
            found.problems.append(f"File {sha256[:12]} is damaged: its content is not what it is named by.")


def _documents(database: sqlite3.Connection, kept: dict[str, int], found: Checked) -> tuple[set[str], set[str]]:
    """Look at every revision of every shot and site; the takes' files, and all files that are named."""
    named: set[str] = set()
    shots = database.execute("SELECT id, head FROM shots").fetchall()
    found.counted["shots"], found.counted["revisions"], takes = len(shots), 0, set()
    for shot in shots:
        rows = database.execute("SELECT * FROM revisions WHERE shot_id = ?", (shot["id"],)).fetchall()
        numbers = {row["number"] for row in rows}
        found.counted["revisions"] += len(rows)
        if shot["head"] not in numbers:
            found.problems.append(f"Shot {shot['id']} is at revision {shot['head']}, which is not there.")
        for row in rows:
            which = f"Revision {row['number']} of shot {shot['id']}"
            for name in ("parent", "stands_for"):
                if row[name] is not None and row[name] not in numbers:
                    found.problems.append(f"{which} comes from revision {row[name]}, which is not there.")
            try:
                document = load_shot(json.loads(row["document"]))
            except (InputError, ValueError) as error:
                found.problems.append(f"{which} can’t be read: {error}.")
                continue
            if document.take:
                takes.add(document.take.file.removeprefix("sha256:"))
            for name in (name.removeprefix("sha256:") for name in document.files() if name.startswith("sha256:")):
                named.add(name)
                if name not in kept:
                    found.problems.append(f"{which} names file {name[:12]}, which is not in the library.")
    for row in database.execute("SELECT * FROM site_revisions"):
        try:
            load_site(json.loads(row["document"]))
        except (InputError, ValueError) as error:
            found.problems.append(
                f"Revision {row['number']} of the site of {row['project_id']} can’t be read: {error}."
            )
    return takes, named


def _renders(data: Path, database: sqlite3.Connection, found: Checked) -> set[str]:
    rows = database.execute("SELECT id, quality, state FROM renders").fetchall()
    found.counted["renders"] = len(rows)
    for row in rows:
        picture = data / "renders" / row["id"] / PICTURE
        if row["state"] != "done" or row["quality"] not in ("proof", "master"):
            continue
        try:
            with Image.open(picture) as opened:
                opened.verify()
        except FileNotFoundError:
            found.problems.append(f"Render {row['id']} is done, but its picture is missing.")
        except (OSError, SyntaxError, ValueError):
            found.problems.append(f"The picture of render {row['id']} is damaged.")
    return {row["id"] for row in rows}


def _unreferred(data: Path, kept: set[str], renders: set[str], takes: set[str], projects: set[str]) -> Iterator[Orphan]:
    known = {"files": kept, "made": kept, "takes": takes}
    why = {
        "files": "no project knows this file",
        "made": "made of a file that is not kept any more",
        "takes": "made of a take that no shot shows",
    }
    for name, names in known.items():
        for place in sorted((data / name).glob("*/*")):
            if place.name not in names:
                yield from _old(place, why[name])
    for place in sorted((data / "files").glob(".new-*")):
        yield from _old(place, "left behind by a reader that was ended")
    for name, names, told in (
        ("renders", renders, "of a render that is not known"),
        ("delivered", projects, "of a project that is not known"),
    ):
        for place in sorted((data / name).glob("*")):
            if place.name not in names:
                yield from _old(place, told)


def _old(place: Path, why: str) -> Iterator[Orphan]:
    """An orphan, unless it is so young that somebody may be about to refer to it."""
    inside = [one for one in place.rglob("*") if one.is_file()] if place.is_dir() else [place]
    try:
        if time.time() - max(one.stat().st_mtime for one in [place, *inside]) > YOUNG_S:
            yield Orphan(place, why, sum(one.stat().st_size for one in inside))
    except FileNotFoundError:
        return  # taken away just now


def tidy(data: Path) -> list[Orphan]:
    """Remove what nothing refers to; what was removed.

    Raises
    ------
    InputError
        If there is no library, or it is not whole: then nothing is removed.
    """
    found = check(data)
    if found.problems:
        raise InputError("--data", f"the library is not whole, nothing was removed: {found.problems[0]}")
    with closing(sqlite3.connect(data / DATABASE, timeout=30)) as database, database:
        gone = [(orphan.place.name,) for orphan in found.orphans if orphan.place.parents[1].name == "files"]
        database.executemany("DELETE FROM files WHERE sha256 = ?", gone)
    for orphan in found.orphans:
        if orphan.place.is_dir():
            shutil.rmtree(orphan.place, ignore_errors=True)
        else:
            orphan.place.unlink(missing_ok=True)
    return found.orphans
