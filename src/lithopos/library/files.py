"""Projects, and the files in them by their content."""

from __future__ import annotations

import hashlib
import re
import shutil
import tempfile
from pathlib import Path
from typing import IO, Any

from sqlalchemy import select

from lithopos.core.errors import InputError
from lithopos.core.exchange.kinds import MEDIA_TYPES
from lithopos.core.exchange.package import main_name, pack
from lithopos.core.reading.ask import ask_reader
from lithopos.library.database import Database, NotFound, found, new_id, room
from lithopos.library.models import Project, ProjectFile, StoredFile

_SHA256 = re.compile("[0-9a-f]{64}")
MOST_RECIPES = 100  # of a project

__all__ = ["MOST_RECIPES", "Files"]


class Files(Database):
    """The library's projects and files."""

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
            return found(session.get(Project, project_id), "project")

    def keep_recipe(self, project_id: str, name: str, recipe: dict[str, Any] | None) -> Project:
        """Keep a list of files to deliver under a name, in place of another of that name; None strikes it out."""
        with self.session() as session:
            project = found(session.get(Project, project_id), "project")
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
        with room(), tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
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
        with room(), tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
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
            with room(), tempfile.TemporaryDirectory(dir=self.data / "files", prefix=".new-") as folder:
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
            return found(session.get(StoredFile, sha256), "file")

    def file_path(self, name: str, must_exist: bool = True) -> Path:
        """Where a file named in a shot lies."""
        sha256 = _digest(name)
        place = self.data / "files" / sha256[:2] / sha256
        if must_exist and not place.is_file():
            raise InputError("file", f"{name} is missing from the library")
        return place

    def import_file(self, project_id: str, path: Path) -> StoredFile:
        """Keep a file from the disk."""
        with path.open("rb") as source:
            return self.add_file(project_id, path.name, source)[0]


def _digest(name: str) -> str:
    """What a file is called by; a name from outside leads nowhere else."""
    sha256 = name.removeprefix("sha256:")
    if not _SHA256.fullmatch(sha256):
        raise InputError("file", f"{name[:80]!r} is no file of the library")
    return sha256


def _plain_name(name: str) -> str:
    """A file's own name without folders, control characters and line breaks, at a length that can be kept."""
    base = name.replace("\\", "/").rsplit("/", 1)[-1]
    plain = "".join(c for c in base if c.isprintable()).strip()
    return plain[:200] or "file"


def _plain_suffix(name: str) -> str:
    """A name's ending where it is an ordinary one: content decides what a file is, it only helps with raw files."""
    suffix = Path(name).suffix.lower()
    return suffix if re.fullmatch(r"\.[a-z0-9]{1,8}", suffix) else ""
