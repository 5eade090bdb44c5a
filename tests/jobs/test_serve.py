"""The running application: renders, a killed worker, a killed server, a port in use."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from pathlib import Path
from typing import Any
from unittest import mock

from lithopos.core.errors import NoRoom
from lithopos.jobs.worker import work
from lithopos.library.store import Library
from lithopos.samples.demo import marks_of
from tests.support import SAMPLES, Server, running


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

    def test_a_killed_worker_fails_its_render_which_starts_again_and_goes_on(self) -> None:
        shot = ready_shot(self.data)
        with running(self.data) as server:
            render = server.ask("POST", f"/shots/{shot}/renders", {"quality": "master"})["id"]
            server.wait(lambda: self.render(server, render, shot)["passes_done"] >= 1)
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
        render = library.add_render(shot, "proof")
        full = NoRoom("The disk is full. Make room and start the render again; what is done so far is kept.")
        with mock.patch("lithopos.core.render.passes.write_atomically", side_effect=full):
            work(library, render.id)
        told = library.render(render.id)
        self.assertEqual((told.state, told.reason), ("failed", str(full)))


if __name__ == "__main__":
    unittest.main()
