"""A worker on a take: its plate, who is in front, its frames, its film; killed in the middle and gone on with."""

from __future__ import annotations

import hashlib
import json
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from pathlib import Path
from typing import Any

from lithopos.core.exchange.film import take_notes
from lithopos.core.footage.frames import read_frames
from lithopos.jobs.files import made_files
from lithopos.jobs.queue import Queue
from lithopos.jobs.takes import FRAMES, begin_take, kept_folder, shown_frame
from lithopos.jobs.worker import Worker
from lithopos.library.models import Render
from lithopos.library.store import Library
from tests.core.takes import MadeTake, camera_of, made_take, take_document, write_take
from tests.support import SAMPLES

SIZE, COUNT = (192, 128), 14


class OnATake(unittest.TestCase):
    """One shot of a take, worked on in the order in which people do."""

    library: Library
    worker: Worker
    shot: str
    project: str
    made: MadeTake

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        data = Path(holder.name)
        cls.library = Library(data)
        cls.addClassCleanup(cls.library.engine.dispose)
        cls.worker = Worker(cls.library, Queue(data))
        project = cls.library.add_project("Walks")
        cls.made = made_take(COUNT, SIZE)
        film = write_take(cls.made.frames, data / "walk.mkv", sound=True)
        cls.project = project.id
        file = cls.library.import_file(project.id, film)
        cls.shot = begin_take(cls.library, project.id, "Walk", file.sha256).id
        model = cls.library.import_file(project.id, SAMPLES / "sill-planter.glb").sha256
        told = take_document("", COUNT, SIZE, f"sha256:{model}")
        kept = {name: told[name] for name in ("models", "sun", "output")} | {"camera": camera_of(*SIZE)}
        cls.change(kept)

    @classmethod
    def change(cls, patch: dict[str, Any]) -> None:
        cls.library.change(cls.shot, cls.library.shot(cls.shot).revision, patch, "test")

    def work(self, quality: str) -> Render:
        render = self.library.add_render(self.shot, quality)
        self.worker.work(render.id)
        done = self.library.render(render.id)
        self.assertEqual((done.state, done.reason), ("done", None))
        return done

    def noted(self, render: Render, name: str) -> dict[str, Any]:
        return dict(json.loads((self.library.render_folder(render.id) / name).read_text()))

    def test_from_the_plate_to_the_film(self) -> None:
        library = self.library
        before = library.shot(self.shot)
        self.assertTrue(before.shot.take and before.shot.take.frames == COUNT and before.shot.photograph)
        self.work("plate")
        after = library.shot(self.shot)
        assert after.shot.take and after.shot.photograph
        self.assertEqual(after.shot.take.plate, after.shot.photograph.file)
        self.assertEqual(after.undo, "clean plate")

        front = self.work("front")
        self.assertEqual(len(self.noted(front, FRAMES)), COUNT)

        deliverables = [{"id": "d1", "kind": "ffv1"}, {"id": "d2", "kind": "exr frames"}, {"id": "d3", "kind": "vp9"}]
        self.change({"deliverables": deliverables})
        film = self.work("film")
        files = {one.kind: one for one in made_files(library, film.id)}
        self.assertEqual(set(files), {"ffv1", "exr frames", "vp9"})
        folder = library.delivered_folder(self.project)
        lossless = folder / files["ffv1"].name
        self.assertEqual((take_notes(lossless).frames, take_notes(lossless).sound), (COUNT, "opus"))
        corner = (slice(0, 30), slice(0, 60))  # the wall, which nothing touches
        for codes, wanted in zip(read_frames(lossless, 0, COUNT - 1), self.made.frames, strict=True):
            self.assertTrue((codes[corner] == wanted[corner]).all())
            self.assertTrue((codes != wanted).any())
        with zipfile.ZipFile(folder / files["exr frames"].name) as package:
            self.assertEqual(len(package.namelist()), COUNT)

        # A stroke changes its own frame, and those whose people's feet are judged with it; no other is made again.
        kept = kept_folder(library, after.shot.take) / "frames"
        made = {path.name: path.stat().st_mtime_ns for path in kept.iterdir()}
        x, y = self.made.feet[7]
        stroke = {"id": "s1", "frame": 7, "says": "out", "points": [[x, y - 20]], "radius_px": 30, "reach": 0}
        self.change({"front_strokes": {"s1": stroke}})
        names = self.noted(self.work("film"), FRAMES)
        fresh = [number for number, name in names.items() if name not in made]
        self.assertIn("7", fresh)
        self.assertTrue(set(fresh) <= {str(number) for number in range(3, 12)}, fresh)

    def test_frames_for_the_screen(self) -> None:
        take = self.library.shot(self.shot).shot.take
        assert take
        place = shown_frame(self.library, take, 9)
        self.assertTrue(place.read_bytes().startswith(b"\xff\xd8"))
        self.assertTrue((place.parent / "000010.jpg").is_file())


class Killed(unittest.TestCase):
    """`lithopos footage`, killed again and again: it goes on, and what it makes is the same."""

    def test_the_same_pictures_and_the_same_film(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        folder = Path(holder.name)
        made = made_take(COUNT, SIZE)
        write_take(made.frames, folder / "take.mkv", sound=True)
        shutil.copy(SAMPLES / "sill-planter.glb", folder / "model.glb")
        shutil.copy(SAMPLES / "tidewater-mark.svg", folder / "frame.png")
        # It moves from frame to frame: each has a render of its own.
        keys = [
            {"id": f"k{frame}", "frame": frame, "path": "models/m1/turn_deg", "value": value, "easing": "even"}
            for frame, value in ((0, 0.0), (COUNT - 1, 90.0))
        ]
        told = take_document("take.mkv", COUNT, SIZE, "model.glb", keys=keys, output={"samples": 4})
        (folder / "shot.json").write_text(json.dumps(told))
        command = [sys.executable, "-m", "lithopos.cli", "footage", str(folder / "shot.json"), "-o"]
        subprocess.run([*command, str(folder / "whole")], check=True, capture_output=True)
        rng, kills = random.Random(5), 0
        while kills < 3:
            process = subprocess.Popen([*command, str(folder / "killed")], stderr=subprocess.DEVNULL)
            time.sleep(rng.uniform(3, 7))
            if process.poll() is not None:
                break
            process.send_signal(signal.SIGKILL)
            process.wait()
            kills += 1
        self.assertGreaterEqual(kills, 1)
        if not (folder / "killed").is_dir():
            subprocess.run([*command, str(folder / "killed")], check=True, capture_output=True)
        bytes_of = [
            [hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted((folder / name).iterdir())]
            for name in ("whole", "killed")
        ]
        self.assertEqual(len(bytes_of[0]), COUNT)
        self.assertEqual(*bytes_of)
