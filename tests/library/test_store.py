"""What is kept: revisions, staleness, undo and redo, files by content."""

from __future__ import annotations

import io
import tempfile
import threading
import unittest
from pathlib import Path

from sqlalchemy import text

from lithopos.core.errors import InputError
from lithopos.library.models import Base
from lithopos.library.store import Library, NotFound, ShotState, Stale, merge_patch
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

    def test_merge_patch_by_the_rfc(self) -> None:
        # RFC 7396, appendix A.
        for target, patch, result in (
            ({"a": "b"}, {"a": "c"}, {"a": "c"}),
            ({"a": "b"}, {"a": None}, {}),
            ({"a": ["b"]}, {"a": "c"}, {"a": "c"}),
            ({"a": {"b": "c"}}, {"a": {"b": "d", "c": None}}, {"a": {"b": "d"}}),
            ({"a": "foo"}, "bar", "bar"),
            ({}, {"a": {"bb": {"ccc": None}}}, {"a": {"bb": {}}}),
        ):
            self.assertEqual(merge_patch(target, patch), result)

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

    def test_stale_and_wrong_changes_leave_everything(self) -> None:
        shot = self.shot()
        self.library.change(shot.id, 1, {"origin": [1, 900]}, "one")
        with self.assertRaisesRegex(Stale, "you saw revision 1, it is at 2"):
            self.library.change(shot.id, 1, {"origin": [2, 900]}, "two")
        for patch in ({"nonsense": 1}, {"models": [{"id": "m", "file": f"sha256:{'0' * 64}"}]}):
            with self.assertRaises(InputError):
                self.library.change(shot.id, 2, patch, "wrong")
        self.assertEqual(self.library.shot(shot.id).shot.origin, (1, 900))

    def test_of_two_at_once_one_wins(self) -> None:
        shot = self.shot()
        results: list[str] = []

        def write(number: int) -> None:
            try:
                self.library.change(shot.id, 1, {"origin": [number, 900]}, "race")
                results.append("kept")
            except Stale:
                results.append("stale")

        threads = [threading.Thread(target=write, args=(number,)) for number in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(results), ["kept"] + ["stale"] * 5)

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
