"""The door to what is kept. Every accepted change is on the disk before it is answered."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from sqlalchemy import Select, select

from lithopos.core.errors import InputError, NoRoom
from lithopos.library.database import RESERVE, found, new_id
from lithopos.library.models import Render, ShotRow, now
from lithopos.library.shots import Shots, address

RUNNING = ("running", "stopping")
SUMS = "so-far"  # in a render's folder: what it can be gone on with from
FINER, MOST_SAMPLES = 4, 65_536

__all__ = ["RUNNING", "SUMS", "Library"]


class Library(Shots):
    """Everything kept below one folder: `library.db`, `files/`, `made/` (of files), `renders/`.

    Projects, files and shots are in the classes that this one is made of; renders are here.

    Raises
    ------
    InputError
        If the folder can't be used, or was written by a newer version.
    """

    def add_render(self, name: str, quality: str, part: list[int] | None = None) -> Render:
        """Ask for a render of the shot as it stands, or of a part of it; older unfinished proofs of it are stopped."""
        shot_id, option = address(name)
        with self.session() as session:
            row = found(session.get(ShotRow, shot_id), "shot")
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
            old = found(session.get(Render, render_id), "render")
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
            master = found(session.get(Render, render_id), "render")
            if master.quality != "master" or master.state != "done":
                raise InputError(
                    "render", f"is a {master.quality}, {master.state}; files are made of a finished master"
                )
            row = found(session.get(ShotRow, master.shot_id), "shot")
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
            return found(session.get(Render, render_id), "render")

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
        self.reserve_room()

    def requeue_render(self, render_id: str) -> None:
        """Put a begun render back into line: its worker was told to end."""
        self.update_render(render_id, state="queued", worker=None, seconds_left=None)

    def stop_render(self, render_id: str) -> Render:
        """Ask a render to stop after the pass that it is in."""
        with self.session() as session:
            render = found(session.get(Render, render_id), "render")
            _stop(render)
            return render

    def restart_render(self, render_id: str) -> Render:
        """Queue a failed or stopped render again; it goes on from its last whole pass."""
        with self.session() as session:
            render = found(session.get(Render, render_id), "render")
            if render.state not in ("failed", "stopped"):
                raise InputError("render", f"is {render.state}; only a failed or stopped one can be started again")
            render.state, render.reason, render.finished_at = "queued", None, None
            return render

    def follow_render(self, render_id: str) -> Render:
        """Queue a finished proof again for the shot as it stands; its picture stays until then.

        One that is under way stays as it is: once it is done it can follow.
        """
        with self.session() as session:
            render = found(session.get(Render, render_id), "render")
            if render.quality == "proof" and render.state in ("queued", *RUNNING):
                return render
            if render.quality != "proof" or render.state != "done" or render.part:
                raise InputError("render", f"is a {render.quality}, {render.state}; only a finished proof follows")
            render.revision = found(session.get(ShotRow, render.shot_id), "shot").head
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


def _of(name: str) -> Select[Render]:
    """The renders of a shot itself, or of an option."""
    shot_id, option = address(name)
    return select(Render).where(Render.shot_id == shot_id, Render.option == option)


def _stop(render: Render) -> None:
    if render.state == "queued":
        render.state, render.finished_at = "stopped", now()
    elif render.state == "running":
        render.state = "stopping"
