"""Backups, restoring, checking, tidying, projects as files: nothing is lost, nothing damaged goes unseen."""

from __future__ import annotations

import atexit
import io
import json
import os
import shutil
import sqlite3
import tempfile
import threading
import time
import unittest
import zipfile
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture, write_png
from lithopos.core.shot.deliver import Recipe
from lithopos.library.archive import read_project, write_project
from lithopos.library.backup import backup, restore
from lithopos.library.check import check, tidy
from lithopos.library.models import now
from lithopos.library.sites import change_site, site_of
from lithopos.library.store import Library
from tests.support import SAMPLES

PICTURE = np.random.default_rng(1).integers(0, 255, (20, 30, 3)).astype(np.uint8)


@cache
def _filled() -> tuple[Path, str, list[str], str]:
    """A library with a project of two shots, in one of which a model stands and a picture is finished; made once."""
    folder = Path(tempfile.mkdtemp(prefix="lithopos-care-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    library = Library(folder / "data")
    project, shots = library.add_project("Tidewater yard").id, []
    for number in range(2):
        place = folder / f"{number}.png"
        Image.fromarray(np.full((32, 48, 3), 80 + number, np.uint8)).save(place)
        shots.append(library.add_shot(project, f"Shot {number}", library.import_file(project, place).sha256).id)
    planter = library.import_file(project, SAMPLES / "sill-planter.glb")
    stood = {"id": "m1", "file": f"sha256:{planter.sha256}"}
    library.change(shots[0], 1, {"models": [stood]}, "stand it")
    render = library.add_render(shots[0], "proof")
    write_png(Picture(PICTURE), library.render_folder(render.id) / "picture.png")
    library.update_render(render.id, state="done", finished_at=now())
    library.engine.dispose()
    return folder / "data", project, shots, render.id


class Care(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.data = self.folder / "data"
        made, self.project, names, self.render = _filled()
        shutil.copytree(made, self.data)
        self.library = self.opened(self.data)
        self.shots = [self.library.shot(name) for name in names]

    def opened(self, data: Path) -> Library:
        library = Library(data)
        self.addCleanup(library.engine.dispose)
        return library

    def documents(self, library: Library, project: str) -> list[Any]:
        return [state.shot.model_dump() for state in library.shots(project)]


class Backups(Care):
    def test_a_backup_made_while_changes_come_is_whole_and_restores_to_the_same(self) -> None:
        ended = threading.Event()

        def go_on() -> None:
            other = Library(self.data)
            number = 0
            while not ended.is_set():
                number += 1
                state = other.shot(self.shots[1].id)
                other.change(state.id, state.revision, {"name": f"Name {number}"}, "name")
            other.engine.dispose()

        others = threading.Thread(target=go_on)
        others.start()
        try:
            time.sleep(0.2)
            told = backup(self.data, self.folder / "copy")
        finally:
            ended.set()
            others.join()
        self.assertGreaterEqual(told["files"], 5)
        back = restore(self.folder / "copy", self.folder / "back")
        self.assertEqual(back["projects"], 1)
        self.assertEqual(check(self.folder / "back").problems, [])
        restored = self.opened(self.folder / "back")
        self.assertEqual(restored.shots(self.project)[0].shot, self.library.shots(self.project)[0].shot)
        self.assertTrue(restored.shots(self.project)[1].shot.name.startswith("Name"))
        with Image.open(restored.render_folder(self.render) / "picture.png") as opened:
            np.testing.assert_array_equal(np.asarray(opened), PICTURE)

    def test_what_is_damaged_or_in_the_way_is_refused_and_nothing_is_left_behind(self) -> None:
        copy = self.folder / "copy"
        backup(self.data, copy)
        with self.assertRaisesRegex(InputError, "there already"):
            backup(self.data, copy)
        with self.assertRaisesRegex(InputError, "not empty"):
            restore(copy, self.data)
        with self.assertRaisesRegex(InputError, "lies in the library"):
            backup(self.data, self.data / "copy")
        with self.assertRaisesRegex(InputError, "no backup"):
            restore(self.folder, self.folder / "back")
        file = next((copy / "files").glob("*/*"))
        file.write_bytes(file.read_bytes()[:-1] + b"x")
        with self.assertRaisesRegex(InputError, "not what was copied"):
            restore(copy, self.folder / "back")
        manifest = json.loads((copy / "backup.json").read_text())
        manifest["files"] = {"files/../../out": "0" * 64}
        (copy / "backup.json").write_text(json.dumps(manifest))
        with self.assertRaisesRegex(InputError, "none of a library"):
            restore(copy, self.folder / "back")
        self.assertFalse((self.folder / "back").exists())
        self.assertEqual([one.name for one in self.folder.glob(".*")], [])


class Checks(Care):
    def test_everything_that_can_be_wrong_is_named(self) -> None:
        self.assertTrue(check(self.data).told()["whole"])
        sha256 = self.shots[0].shot.photograph.file.removeprefix("sha256:")  # type: ignore[union-attr]
        place = self.data / "files" / sha256[:2] / sha256
        whole = place.read_bytes()
        place.write_bytes(whole[:-4] + b"oops")
        self.assertIn("damaged", check(self.data).problems[0])
        place.unlink()
        self.assertIn("missing", check(self.data).problems[0])
        place.write_bytes(whole)
        picture = self.data / "renders" / self.render / "picture.png"
        kept = picture.read_bytes()
        picture.write_bytes(kept[: len(kept) // 2])
        self.assertIn("The picture of render", check(self.data).problems[0])
        picture.write_bytes(kept)
        with closing(sqlite3.connect(self.data / "library.db")) as database, database:
            database.execute("UPDATE shots SET head = 9 WHERE id = ?", (self.shots[1].id,))
            database.execute("UPDATE revisions SET parent = 7 WHERE shot_id = ? AND number = 2", (self.shots[0].id,))
            bent = json.dumps({"format": 4, "nonsense": 1})
            database.execute("UPDATE revisions SET document = ? WHERE shot_id = ?", (bent, self.shots[1].id))
        told = " ".join(check(self.data).problems)
        for words in ("at revision 9", "comes from revision 7", "nonsense: is not a known field"):
            self.assertIn(words, told)
        with self.assertRaisesRegex(InputError, "not whole"):
            tidy(self.data)

    def test_only_what_nothing_refers_to_and_is_old_is_removed(self) -> None:
        lost = self.data / "renders" / "beef" / "picture.png"
        lost.parent.mkdir()
        lost.write_bytes(b"x")
        stray = self.data / "files" / "00" / ("0" * 64)
        stray.parent.mkdir(exist_ok=True)
        stray.write_bytes(b"y")
        self.assertEqual(check(self.data).orphans, [])  # they may be under way
        long_ago = time.time() - 7200
        for place in (lost, lost.parent, stray):
            os.utime(place, (long_ago, long_ago))
        self.assertEqual({one.place for one in tidy(self.data)}, {lost.parent, stray})
        self.assertFalse(lost.exists() or stray.exists())
        self.assertEqual((check(self.data).problems, check(self.data).orphans), ([], []))


class Archives(Care):
    def written(self) -> io.BytesIO:
        out = io.BytesIO()
        write_project(self.library, self.project, out)
        out.seek(0)
        return out

    def test_to_another_machine_and_back_all_of_it_comes_along(self) -> None:
        members = [{"id": state.id} for state in self.shots]
        tie = {"id": "t", "seen": {self.shots[0].id: [1, 2]}}
        change_site(self.library, self.project, 0, {"members": members, "ties": [tie]}, "tied")
        recipe = Recipe.model_validate({"deliverables": [{"id": "d1", "kind": "jpeg", "longest_px": 1600}]})
        kept = recipe.model_dump(mode="json", exclude_none=True)
        self.library.keep_recipe(self.project, "web", kept)
        other = self.opened(self.folder / "other")
        there = read_project(other, self.written())
        self.assertEqual(self.documents(other, there.id), self.documents(self.library, self.project))
        self.assertEqual((there.name, other.project(there.id).recipes), ("Tidewater yard", {"web": kept}))
        out = io.BytesIO()
        write_project(other, there.id, out)
        out.seek(0)
        back = read_project(self.library, out)  # the shots' names are taken here
        names = [state.id for state in self.library.shots(back.id)]
        self.assertFalse(set(names) & {state.id for state in self.shots})
        site = site_of(self.library, back.id).site
        self.assertEqual([member.id for member in site.members], names)
        self.assertEqual(list(site.ties[0].seen), names[:1])
        undone = self.library.undo(names[0], self.library.shot(names[0]).revision)
        self.assertEqual(undone.shot.models, [])
        (render,) = self.library.renders(names[0])
        with Image.open(self.library.render_folder(render.id) / "picture.png") as opened:
            np.testing.assert_array_equal(np.asarray(opened), PICTURE)
        self.assertEqual(check(self.data).problems, [])

    def test_what_is_not_sound_is_refused_and_nothing_of_it_is_kept(self) -> None:
        def changed(act: Any, drop: str = "") -> io.BytesIO:
            out = io.BytesIO()
            with zipfile.ZipFile(self.written()) as old, zipfile.ZipFile(out, "w") as new:
                for name in old.namelist():
                    data = old.read(name)
                    if name == "project.json":
                        told = json.loads(data)
                        act(told)
                        data = json.dumps(told).encode()
                    if not drop or not name.startswith(drop):
                        new.writestr(name, data)
            out.seek(0)
            return out

        def lost_head(told: Any) -> None:
            told["shots"][0]["head"] = 77

        def bent(told: Any) -> None:
            told["shots"][0]["revisions"][0]["document"]["edges"] = [{"id": "x"}]

        def strange(told: Any) -> None:
            told["files"] = told["files"][1:]

        def of_another_kind(told: Any) -> None:
            (first,) = told["shots"][0]["revisions"][1]["document"]["models"]
            first["file"] = told["shots"][0]["revisions"][0]["document"]["photograph"]["file"]

        def no_recipe(told: Any) -> None:
            told["recipes"] = {"web": {"deliverables": [{"kind": "none"}]}}

        other = self.opened(self.folder / "other")
        for source, words in (
            (io.BytesIO(b"no zip"), "damaged, or no project"),
            (changed(lambda _: None, "project"), "holds no project.json"),
            (changed(lambda _: None, "files/"), "missing from the project"),
            (changed(lost_head), "not in order"),
            (changed(bent), "run: is missing"),
            (changed(strange), "not in the project"),
            (changed(of_another_kind), "is a photograph, not a model"),
            (changed(no_recipe), "recipes.web"),
        ):
            with self.assertRaisesRegex(InputError, words):
                read_project(other, source)
        self.assertEqual(other.projects(), [])
        self.assertEqual([one.name for one in (self.folder / "other").glob(".in-*")], [])
        shutil.rmtree(self.folder / "other")


if __name__ == "__main__":
    unittest.main()
