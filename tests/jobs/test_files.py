"""The files of a master and of a shot's options, made by the worker itself."""

from __future__ import annotations

import base64
import io
import json
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from lithopos.core.errors import InputError
from lithopos.jobs.files import made_files
from lithopos.jobs.queue import Queue
from lithopos.jobs.worker import Worker
from lithopos.library.models import Render, shot_name
from lithopos.library.store import Library
from tests.jobs.test_serve import ready_shot

SMALL = {"scale": 0.06, "samples": 2, "names": "{shot}-{option}-{view}-{n}"}
PAINT = {"kind": "paint", "colour": [0.6, 0.02, 0.02]}


class OfOptions(unittest.TestCase):
    """One shot, *Red* and *Left*, with masters of a few pixels."""

    library: Library
    worker: Worker
    shot: str

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        data = Path(holder.name)
        cls.shot = ready_shot(data)
        cls.library = Library(data)
        cls.addClassCleanup(cls.library.engine.dispose)
        cls.worker = Worker(cls.library, Queue(data))
        options = [
            {"id": "red", "name": "Red", "difference": {"models/m1/surfaces/pale stone": PAINT}},
            {"id": "left", "name": "Left", "difference": {"models/m1/position_m": [0.5, -1.75, 0]}},
        ]
        cls.change({"output": SMALL, "options": options, "deliverables": [{"id": "d1", "kind": "page"}, {"id": "d2"}]})

    @classmethod
    def change(cls, patch: dict[str, Any], name: str | None = None) -> None:
        cls.library.change(name or cls.shot, cls.library.shot(cls.shot).revision, patch, "test")

    def master(self, option: str | None) -> Render:
        """A master that is made now; its files are put in line."""
        render = self.library.add_render(shot_name(self.shot, option), "master")
        self.worker.work(render.id)
        done = self.library.render(render.id)
        self.assertEqual((done.state, done.reason), ("done", None))
        return done

    def files(self) -> tuple[Render, list[Any]]:
        """The files next in line, made."""
        name = str(self.worker.queue.take("files"))
        self.worker.work(name)
        done = self.library.render(name)
        self.assertEqual((done.state, done.reason), ("done", None))
        return done, made_files(self.library, name)

    def on_page(self, files: list[Any]) -> list[dict[str, Any]]:
        """What the page among some files shows."""
        folder = self.library.delivered_folder(self.library.shot(self.shot).project_id)
        (page,) = (one.name for one in files if one.kind == "page")
        found = re.search(r"^const about = (.*);$", (folder / page).read_text(), re.M)
        assert found
        return list(json.loads(found[1].replace("<\\/", "</"))["options"])

    def test_the_last_masters_page_shows_all_and_one_struck_out_meanwhile_still_gets_its_files(self) -> None:
        waiting = self.library.add_render(shot_name(self.shot, "left"), "master")
        self.master(None)
        _, files = self.files()
        self.assertEqual([one.kind for one in files], ["png"], "the page waits for the master that is under way")
        self.library.stop_render(waiting.id)
        self.master("red")
        done, files = self.files()
        self.assertEqual([one.name for one in files], ["Cloister-page-01.html", "Cloister-Red-picture-01.png"])
        self.assertEqual(done.shot_name, shot_name(self.shot, "red"))
        shown = self.on_page(files)
        self.assertEqual([one["option"] for one in shown], [None, "red"])
        self.assertEqual([one["says"] for one in shown], ["", "m1 · pale stone: paint"])
        self.assertEqual(shown[0]["files"], ["Cloister-picture-01.png"])
        pictures = [
            np.asarray(Image.open(io.BytesIO(base64.b64decode(one["after"].split(",")[1])))).astype(int)
            for one in shown
        ]
        redder = (pictures[1] - pictures[0])[..., 0] - (pictures[1] - pictures[0])[..., 2]
        self.assertGreater(int((redder > 40).sum()), 20, "the red one is red")
        # Struck out between its master and its files.
        self.master("left")
        self.change({"options": {"left": None}})
        _, files = self.files()
        # All files of one run have its number, the first that none of them has yet.
        self.assertEqual([one.name for one in files], ["Cloister-page-02.html", "Cloister-Left-picture-02.png"])
        self.assertEqual([one["option"] for one in self.on_page(files)], [None, "red", "left"])

    def test_a_change_in_an_option_goes_where_it_belongs(self) -> None:
        """What is the photograph's goes to the shot; a step back that would take the option away is refused."""
        red = shot_name(self.shot, "red")
        before = self.library.document(self.shot)
        self.change({"origin": [900, 950], "sky": {"turbidity": 6.0}}, red)
        after, own = self.library.document(self.shot), self.library.document(red)
        self.assertEqual((after["origin"], own["origin"]), ([900, 950], [900, 950]))
        self.assertEqual((after["sky"], own["sky"]["turbidity"]), (before["sky"], 6.0))
        state = self.library.shot(red)
        self.assertEqual((state.option_name, state.undo), ("Red", "Red: test"))
        self.library.undo(red, state.revision)
        self.assertEqual(self.library.document(self.shot)["origin"], before["origin"])
        self.change({"options": {"new": {"name": "New", "difference": {}}}})
        new = self.library.shot(shot_name(self.shot, "new"))
        with self.assertRaisesRegex(InputError, "would take this option itself away"):
            self.library.undo(new.id, new.revision)
        self.assertEqual(self.library.shot(new.id).revision, new.revision)


if __name__ == "__main__":
    unittest.main()
