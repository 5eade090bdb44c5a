"""What is kept: revisions, staleness, undo and redo, files by content."""

from __future__ import annotations

import io
import os
import sqlite3
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any

from sqlalchemy import event, text

from lithopos.core.errors import InputError, NoRoom
from lithopos.library.database import RESERVE, NotFound, Stale
from lithopos.library.models import Base
from lithopos.library.shots import ShotState
from lithopos.library.store import Library
from tests.support import SAMPLES


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.data = Path(holder.name)
        self.library = Library(self.data)
        self.addCleanup(self.library.engine.dispose)
        self.project = self.library.add_project("Tidewater yard")

    def shot(self) -> ShotState:
        file = self.library.import_file(self.project.id, SAMPLES / "cloister-yard.jpg")
        return self.library.add_shot(self.project.id, "Cloister", file.sha256)

    def test_undo_redo_and_a_change_after_undo(self) -> None:
        shot = self.shot()
        for number in range(3):
            shot = self.library.change(shot.id, shot.revision, {"origin": [100 + number, 900]}, f"origin {number}")
        self.assertEqual((shot.revision, shot.undo, shot.redo), (4, "origin 2", None))
        shot = self.library.undo(shot.id, 4)
        self.assertEqual((shot.revision, shot.shot.origin, shot.redo), (3, (101, 900), "origin 2"))
        self.assertEqual(self.library.redo(shot.id, 3).shot.origin, (102, 900))
        shot = self.library.undo(shot.id, 4)
        shot = self.library.change(shot.id, 3, {"origin": [5, 900]}, "elsewhere")
        self.assertEqual((shot.revision, shot.redo), (5, None))
        self.assertEqual(self.library.undo(shot.id, 5).revision, 3)
        self.assertEqual(self.library.shot_at(shot.id, 4).origin, (102, 900), "nothing is lost")
        again = Library(self.data)
        self.addCleanup(again.engine.dispose)
        self.assertEqual(
            (again.shot(shot.id).revision, again.shot(shot.id).redo), (3, "elsewhere"), "undo survives a restart"
        )

    def test_changes_of_different_things_both_hold_and_of_the_same_one_is_told(self) -> None:
        shot = self.shot()
        edge = {"run": "a", "points": [[10, 900], [300, 910]]}
        for name in ("e1", "e2"):  # both drawn on what was seen at revision 1
            self.library.change(shot.id, 1, {"edges": {name: {"id": name, **edge}}}, f"edge {name}")
        self.library.change(shot.id, 1, {"sky": {"turbidity": 5}}, "haze")
        now = self.library.change(shot.id, 1, {"sky": {"strength": 2}}, "sky").shot
        self.assertEqual([thing.id for thing in now.edges], ["e1", "e2"])
        self.assertEqual((now.sky.turbidity, now.sky.strength), (5, 2))
        seen = self.library.shot(shot.id).revision
        self.library.change(shot.id, seen, {"edges": {"e1": {"points": [[0, 0], [9, 9]]}}}, "move e1")
        with self.assertRaisesRegex(Stale, "The edge 'e1' has changed"):
            self.library.change(shot.id, seen, {"edges": {"e1": None}}, "strike out e1")
        with self.assertRaisesRegex(Stale, "The origin has changed"):
            self.library.change(shot.id, seen + 1, {"origin": [1, 900]}, "one")
            self.library.change(shot.id, seen + 1, {"origin": [2, 900]}, "two")
        with self.assertRaises(Stale):
            self.library.change(shot.id, 77, {"origin": [2, 900]}, "of a revision that never was")

    def test_wrong_changes_leave_everything(self) -> None:
        shot = self.shot()
        photograph = shot.shot.photograph
        assert photograph
        model = self.library.import_file(self.project.id, SAMPLES / "tern-fountain.glb")
        as_photograph = {"photograph": {"file": f"sha256:{model.sha256}", "width": 9, "height": 9}}
        other_size = {"photograph": {"file": photograph.file, "width": 9, "height": 9}}
        for patch, words in (
            ({"nonsense": 1}, "not a known field"),
            ({"models": [{"id": "m", "file": f"sha256:{'0' * 64}"}]}, "not in the library"),
            ({"models": {"m": {"id": "m", "file": photograph.file}}}, "is a photograph, not a model"),
            (as_photograph, "is a model, not a photograph"),
            (other_size, "1920 × 1280"),
            ({"edges": {"e9": {"points": [[0, 0], [1, 1]]}}}, "run: is missing"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                self.library.change(shot.id, 1, patch, "wrong")
        self.assertEqual(self.library.shot(shot.id).revision, 1)

    def test_many_at_once_lose_nothing(self) -> None:
        shot = self.shot()

        def draw(number: int) -> None:
            edge = {"id": f"e{number}", "run": "b", "points": [[number, 900], [300, 910]]}
            self.library.change(shot.id, 1, {"edges": {edge["id"]: edge}}, "race")

        threads = [threading.Thread(target=draw, args=(number,)) for number in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        kept = {edge.id for edge in self.library.shot(shot.id).shot.edges}
        self.assertEqual(kept, {f"e{number}" for number in range(6)})

    def test_a_full_disk_refuses_in_words_and_a_failure_is_still_recorded(self) -> None:
        shot = self.shot()
        render = self.library.add_render(shot.id, "proof")
        self.library.begin_render(render.id, "someone")
        pages = sqlite3.connect(self.data / "library.db").execute("PRAGMA page_count").fetchone()[0]
        reserve = self.data / RESERVE
        self.assertTrue(reserve.exists())

        def as_full(connection: Any, _: Any) -> None:
            # While the reserve lies there the database can't grow by a page.
            if reserve.exists():
                connection.execute(f"PRAGMA max_page_count = {pages}")

        self.library.engine.dispose()
        event.listen(self.library.engine, "connect", as_full)
        with self.assertRaisesRegex(NoRoom, "disk is full"):
            self.library.add_project("x" * 200_000)
        self.assertEqual(self.library.shot(shot.id).revision, 1)
        self.library.finish_render(render.id, "failed", "The disk is full." + " " * 400)
        self.assertEqual(self.library.render(render.id).state, "failed")

    def test_what_killed_readers_left_goes_at_the_next_start(self) -> None:
        left = self.data / "files" / ".new-abc"
        left.mkdir(parents=True)
        (left / "in.glb").write_bytes(b"half a file")
        os.utime(left, (1, 1))
        Library(self.data).engine.dispose()
        self.assertFalse(left.exists())

    def test_a_damaged_or_newer_or_unusable_folder_is_refused_in_one_line(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "library.db").write_bytes(b"not a database at all" * 100)
            with self.assertRaisesRegex(InputError, "^--data: the database .* is damaged"):
                Library(folder)
            (folder / "library.db").unlink()
            with Library(folder).session() as session:
                session.execute(text("UPDATE alembic_version SET version_num = '9999'"))
            with self.assertRaisesRegex(InputError, "newer version"):
                Library(folder)
            (folder / "a file").write_text("x")
            with self.assertRaisesRegex(InputError, "can't be written to"):
                Library(folder / "a file")

    def test_only_files_of_the_library_are_found_by_name(self) -> None:
        for name in ("/etc/hostname", "sha256:/etc/hostname", "../library.db", "sha256:" + "A" * 64, ""):
            with self.subTest(name), self.assertRaisesRegex(InputError, "no file of the library"):
                self.library.file_path(name)

    def test_files_are_kept_once_and_bad_ones_not_at_all(self) -> None:
        data = (SAMPLES / "tern-fountain.glb").read_bytes()
        one, _ = self.library.add_file(self.project.id, "a.glb", io.BytesIO(data))
        two, name = self.library.add_file(self.project.id, "../../b.glb", io.BytesIO(data))
        self.assertEqual((one.sha256, one.kind, name), (two.sha256, "model", "b.glb"))
        with self.assertRaises(InputError):
            self.library.add_file(self.project.id, "c.glb", io.BytesIO(data[:500]))
        kept = [path for path in (self.data / "files").rglob("*") if path.is_file()]
        self.assertEqual(len(kept), 1)
        with self.assertRaises(NotFound):
            self.library.add_file("nowhere", "a.glb", io.BytesIO(data))

    def test_the_migrations_make_the_tables_that_the_code_means(self) -> None:
        with self.library.engine.connect() as connection:
            for table in Base.metadata.sorted_tables:
                columns = {row[1] for row in connection.execute(text(f"PRAGMA table_info({table.name})"))}
                self.assertEqual(columns, {column.name for column in table.columns}, table.name)
            for pragma, value in (("journal_mode", "wal"), ("foreign_keys", 1)):
                self.assertEqual(connection.execute(text(f"PRAGMA {pragma}")).scalar_one(), value)


if __name__ == "__main__":
    unittest.main()
