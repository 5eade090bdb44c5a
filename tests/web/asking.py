"""A server's application with a project, to be asked."""

from __future__ import annotations

import io
import tempfile
import unittest
from pathlib import Path
from typing import Any

from lithopos.web.app import create_app


class Asking(unittest.TestCase):
    """Asks in JSON; a refusal has to be a problem document."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.data = Path(holder.name)
        app = create_app(self.data)
        self.addCleanup(app.extensions["library"].engine.dispose)
        self.client = app.test_client()
        self.project = self.ask("post", "/projects", {"name": "Tidewater yard"}, 201)["id"]

    def ask(self, method: str, path: str, body: Any = None, status: int = 200, **headers: str) -> Any:
        answer = getattr(self.client, method)(f"/api/v1{path}", json=body, headers=headers)
        self.assertEqual(answer.status_code, status, answer.text)
        if status >= 400:
            self.assertEqual(answer.mimetype, "application/problem+json")
            self.assertEqual(answer.json["status"], status)
        return answer.json

    def send(self, name: str, data: bytes, status: int = 201) -> Any:
        form = {"file": (io.BytesIO(data), name)}
        answer = self.client.post(f"/api/v1/projects/{self.project}/files", data=form)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json
