"""The running application: renders, a killed worker, a killed server, a port in use."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path
from typing import Any
from unittest import mock

from proving.server import Server, running

from lithopos.core.errors import NoRoom
from lithopos.core.render.pieces import PieceQuestion
from lithopos.core.render.small import small_question
from lithopos.core.shot import Shot, Surface
from lithopos.jobs.asked import FOLDER, Asked
from lithopos.jobs.queue import Queue
from lithopos.jobs.worker import LOST, Worker
from lithopos.library.store import Library
from lithopos.samples.demo import marks_of
from tests.support import SAMPLES


def ready_shot(data: Path) -> str:
    """A shot that can be rendered, put straight into the library."""
    library = Library(data)
    project = library.add_project("Tidewater yard")
    photograph = library.import_file(project.id, SAMPLES / "cloister-yard.jpg")
    model = library.import_file(project.id, SAMPLES / "marl-bench.glb")
    shot = library.add_shot(project.id, "Cloister", photograph.sha256)
    marks = marks_of(json.loads((SAMPLES / "cloister-yard.json").read_text()))
    stood = {"id": "m1", "file": f"sha256:{model.sha256}", "position_m": [0.95, -1.75, 0], "turn_deg": 14}
    patch = {name: marks[name] for name in ("edges", "origin", "lengths", "gnomons")} | {"models": [stood]}
    library.change(shot.id, 1, patch, "marks")
    library.engine.dispose()
    return shot.id


class Running(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.data = Path(holder.name)

    def render(self, server: Server, render_id: str, shot: str) -> dict[str, Any]:
        renders = server.ask("GET", f"/shots/{shot}/renders")["renders"]
        found: dict[str, Any] = next(render for render in renders if render["id"] == render_id)
        return found

    def test_a_small_picture_waits_in_line_once_and_what_failed_is_tried_again(self) -> None:
        queue, asked = Queue(self.data), Asked(self.data)
        question = PieceQuestion(surface=Surface(kind="metal"))
        long_ago = time.time() - 1000
        for _ in range(3):
            name = asked.ask(question, queue).name
            os.utime(self.data / FOLDER / f"{name}.json", (long_ago, long_ago))
        self.assertEqual((queue.take("piece"), queue.take("piece")), (name, None))
        asked.fail(name, "The disk is full.")
        self.assertEqual(asked.ask(question, queue).reason, "The disk is full.")
        os.utime(self.data / FOLDER / f"{name}.failed", (long_ago, long_ago))
        self.assertIsNone(asked.ask(question, queue).reason)
        self.assertEqual(queue.take("piece"), name)

    def test_a_small_picture_of_a_shot_that_nobody_waits_for_is_not_made(self) -> None:
        """Each change of a shot asks for all its options anew; what was asked for before is not traced any more."""
        library = Library(self.data)
        self.addCleanup(library.engine.dispose)
        worker, asked = Worker(library, Queue(self.data)), Asked(self.data)
        name = asked.ask(small_question(Shot()), worker.queue).name
        long_ago = time.time() - 60
        os.utime(self.data / FOLDER / f"{name}.wanted", (long_ago, long_ago))
        worker.picture(str(worker.queue.take("piece")))
        self.assertIsNone(asked.reply(name).reason)
        self.assertEqual(asked.ask(small_question(Shot()), worker.queue).name, name)
        worker.picture(str(worker.queue.take("piece")))  # asked once more it is a new one
        self.assertIn("is missing", str(asked.reply(name).reason))

    def test_small_pictures_are_made_on_the_side_and_kept(self) -> None:
        shot = ready_shot(self.data)
        wrong = {"kind": "wood", "texture": {"file": "sha256:" + "0" * 64}}
        with running(self.data) as server:
            model = server.ask("GET", f"/shots/{shot}")["document"]["models"][0]["file"].removeprefix("sha256:")
            asked = {"surfaces": [{"kind": "metal"}, wrong], "models": [model], "card": True}

            def answered() -> Any:
                told = server.ask("POST", f"/shots/{shot}/pieces", asked)
                every = [*told["surfaces"], *told["models"], told["card"]]
                return all(one["ready"] or one["reason"] for one in every) and told

            told = server.wait(answered)
            (metal, missing), (bench,) = told["surfaces"], told["models"]
            for piece in (metal, bench, told["card"]):
                with urllib.request.urlopen(f"{server.address}/api/v1/pieces/{piece['name']}") as answer:
                    self.assertEqual(answer.read(4), b"\x89PNG")
            self.assertFalse(missing["ready"])
            self.assertIn("is missing", missing["reason"])

    def test_a_killed_worker_fails_its_render_which_starts_again_and_goes_on(self) -> None:
        shot = ready_shot(self.data)
        with running(self.data) as server:
            render = server.ask("POST", f"/shots/{shot}/renders", {"quality": "master"})["id"]
            server.wait(lambda: self.render(server, render, shot)["has_picture"])
            os.kill(server.child("lithopos.jobs.worker"), signal.SIGKILL)
            failed = server.wait(lambda: (told := self.render(server, render, shot))["state"] == "failed" and told)
            self.assertIn("was killed", failed["reason"])
            self.assertTrue(failed["has_picture"])
            server.ask("POST", f"/renders/{render}/restart")
            again = server.wait(lambda: (told := self.render(server, render, shot))["state"] == "running" and told)
            self.assertGreaterEqual(again["passes_done"], failed["passes_done"])
            server.ask("POST", f"/renders/{render}/stop")
            server.wait(lambda: self.render(server, render, shot)["state"] == "stopped")
            proof = server.ask("POST", f"/shots/{shot}/renders", {"quality": "proof"})["id"]
            done = server.wait(
                lambda: (told := self.render(server, proof, shot))["state"] in ("done", "failed") and told
            )
            self.assertEqual((done["state"], done["passes_done"]), ("done", done["passes"]))
            with urllib.request.urlopen(f"{server.address}/api/v1/renders/{proof}/picture?download=true") as answer:
                self.assertIn("filename=cloister-proof-r2.png", answer.headers["Content-Disposition"])
                self.assertEqual(answer.read(8), b"\x89PNG\r\n\x1a\n")

    def test_a_killed_server_loses_no_accepted_revision(self) -> None:
        shot = ready_shot(self.data)
        server = Server(self.data)
        for number in range(12):
            server.ask("PATCH", f"/shots/{shot}", {"revision": 2 + number, "patch": {"origin": [900 + number, 900]}})
        server.end(signal.SIGKILL)
        with running(self.data) as again:
            told = again.ask("GET", f"/shots/{shot}")
            self.assertEqual((told["revision"], told["document"]["origin"]), (14, [911, 900]))
            self.assertEqual(
                again.ask("POST", f"/shots/{shot}/undo", {"revision": 14})["document"]["origin"], [910, 900]
            )

    def test_sigterm_ends_all_and_a_port_in_use_is_said(self) -> None:
        with running(self.data) as server:
            children = [server.child("lithopos.jobs.worker"), server.child("lithopos.web.serve")]
            port = server.address.rsplit(":", 1)[1]
            command = [sys.executable, "-m", "lithopos.cli", "serve", "--port", port, "--data", str(self.data)]
            second = subprocess.run(command, capture_output=True, text=True, check=False)
            self.assertEqual(
                (second.returncode, second.stderr.strip()),
                (2, f"--port: {port} is in use; give another, or 0 for any free one"),
            )
        self.assertEqual(server.process.returncode, 0)
        for child in children:
            self.assertFalse(Path(f"/proc/{child}").exists())

    def test_a_full_disk_while_rendering_fails_in_words_and_keeps_what_was(self) -> None:
        shot = ready_shot(self.data)
        library = Library(self.data)
        self.addCleanup(library.engine.dispose)
        worker = Worker(library, Queue(self.data))
        render = library.add_render(shot, "proof")
        full = NoRoom("The disk is full. Make room and start the render again; what is done so far is kept.")
        with mock.patch("lithopos.jobs.worker.write_png", side_effect=full):
            worker.work(render.id)
        told = library.render(render.id)
        self.assertEqual((told.state, told.reason), ("failed", str(full)))

    def test_what_got_lost_is_found(self) -> None:
        shot = ready_shot(self.data)
        library = Library(self.data)
        self.addCleanup(library.engine.dispose)
        worker = Worker(library, Queue(self.data))
        never_queued = library.add_render(shot, "proof").id
        begun = library.add_render(shot, "master").id
        library.begin_render(begun, worker.name)
        worker.look_round()
        self.assertEqual(worker.queue.waiting(), {never_queued})
        self.assertEqual((library.render(begun).state, library.render(begun).reason), ("failed", LOST))
        self.assertEqual((worker.queue.take(), worker.queue.take()), (never_queued, None))

    def test_a_damaged_queue_is_kept_aside(self) -> None:
        self.data.mkdir(exist_ok=True)
        (self.data / "queue.db").write_bytes(b"nonsense" * 2000)
        queue = Queue(self.data)
        queue.put("abc", "proof")
        self.assertEqual(queue.take("master", "proof"), "abc")
        self.assertTrue((self.data / "queue.db.damaged").is_file())

    def test_a_proof_goes_before_a_master_under_way_which_an_ordinary_end_lets_go_on(self) -> None:
        shot = ready_shot(self.data)
        with running(self.data) as server:
            master = server.ask("POST", f"/shots/{shot}/renders", {"quality": "master"})["id"]
            server.wait(lambda: self.render(server, master, shot)["passes_done"] >= 1)
            proof = server.ask("POST", f"/shots/{shot}/renders", {"quality": "proof"})["id"]
            server.wait(lambda: self.render(server, proof, shot)["state"] == "done")
            self.assertEqual(self.render(server, master, shot)["state"], "running")
        self.assertEqual(Library(self.data).render(master).state, "queued")
        with running(self.data) as again:
            found = again.wait(lambda: (told := self.render(again, master, shot))["state"] == "running" and told)
            self.assertGreaterEqual(found["passes_done"], 1)
            # A worker that does not come to an end in time is ended, and what it did goes on as well.
            worker = Library(self.data).render(master).worker
            assert worker
            os.kill(int(worker.split("@")[0]), signal.SIGSTOP)
        self.assertEqual(Library(self.data).render(master).state, "queued")
        with running(self.data) as again:
            again.wait(lambda: self.render(again, master, shot)["state"] == "running")
            again.ask("POST", f"/renders/{master}/stop")
            asked = self.render(again, master, shot)["passes_done"]
            stopped = again.wait(lambda: (told := self.render(again, master, shot))["state"] == "stopped" and told)
            self.assertLessEqual(stopped["passes_done"], asked + 1)


if __name__ == "__main__":
    unittest.main()
