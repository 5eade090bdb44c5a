"""Keys: what is reached from outside asks for one, by a cookie that scripts can't read; looking is not changing."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from PIL import Image

from lithopos.core.errors import InputError
from lithopos.jobs.supervisor import Reached, refuse_open
from lithopos.web.app import Served, create_app
from lithopos.web.keys import COOKIE, WRONG_AT_MOST, add_key, keys_in, remove_key


class Keyed(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.file = self.folder / "keys.json"
        self.ines = add_key(self.file, "Ines", "change")
        self.client_key = add_key(self.file, "Sill House", "look")
        served = Served(keys=self.file, hosts=("studio.test",), behind_proxy=True)
        self.app = create_app(self.folder / "data", served)
        self.addCleanup(self.app.extensions["library"].engine.dispose)

    def person(self, key: str | None = None) -> Any:
        client = self.app.test_client()
        if key:
            self.assertEqual(self.sign_in(client, key).status_code, 200)
        return client

    def sign_in(self, client: Any, key: str, **headers: str) -> Any:
        return client.post("/api/v1/session", json={"key": key}, headers=headers)

    def test_without_a_key_nothing_is_told_and_with_one_all_of_it(self) -> None:
        stranger, ines = self.person(), self.person(self.ines)
        for path in ("/api/v1/projects", "/api/v1/openapi.json", "/api/v1/files/" + "0" * 64):
            self.assertEqual(stranger.get(path).status_code, 401)
        self.assertEqual(stranger.post("/api/v1/projects", json={"name": "x"}).status_code, 401)
        self.assertEqual(stranger.get("/api/v1/session").json, {"asked": True, "name": None, "may": None})
        self.assertEqual(ines.post("/api/v1/projects", json={"name": "Yard"}).status_code, 201)
        self.assertEqual(ines.get("/api/v1/session").json, {"asked": True, "name": "Ines", "may": "change"})
        ines.delete("/api/v1/session")
        self.assertEqual(ines.get("/api/v1/projects").status_code, 401)

    def test_the_cookie_is_out_of_reach_and_holds_neither_key_nor_hash(self) -> None:
        answer = self.sign_in(self.app.test_client(), self.ines, **{"X-Forwarded-Proto": "https"})
        cookie = answer.headers["Set-Cookie"]
        for told in ("HttpOnly", "SameSite=Strict", "Secure"):
            self.assertIn(told, cookie)
        self.assertNotIn(self.ines, cookie)
        self.assertNotIn(self.ines, self.file.read_text())
        self.assertEqual(self.file.stat().st_mode & 0o077, 0)

    def test_a_forged_cookie_and_that_of_a_key_that_is_gone_are_nobody_s(self) -> None:
        ines = self.person(self.ines)
        stranger = self.person()
        stranger.set_cookie(COOKIE, json.dumps(["Ines", "0" * 24]))
        self.assertEqual(stranger.get("/api/v1/projects").status_code, 401)
        remove_key(self.file, "Ines")
        self.assertEqual(ines.get("/api/v1/projects").status_code, 401)
        add_key(self.file, "Ines", "change")  # a new one of the same name is another one
        self.assertEqual(ines.get("/api/v1/projects").status_code, 401)
        self.assertEqual([key.name for key in keys_in(self.file)], ["Sill House", "Ines"])

    def test_a_client_s_key_looks_and_does_not_change(self) -> None:
        project = self.person(self.ines).post("/api/v1/projects", json={"name": "Yard"}).json["id"]
        looking = self.person(self.client_key)
        self.assertEqual(looking.get(f"/api/v1/projects/{project}").status_code, 200)
        for path in ("/api/v1/projects", f"/api/v1/projects/{project}/shots", "/api/v1/archives"):
            refused = looking.post(path, json={"name": "x"})
            self.assertEqual((refused.status_code, "may look" in refused.json["detail"]), (403, True))
        asked = looking.post("/api/v1/shots/beef/try", json={"patch": {}})
        self.assertEqual(asked.status_code, 404)  # asking is allowed: there is only no such shot

    def test_two_people_at_one_shot_lose_nothing_of_each_other(self) -> None:
        noor_key = add_key(self.file, "Noor", "change")
        ines, noor = self.person(self.ines), self.person(noor_key)
        project = ines.post("/api/v1/projects", json={"name": "Yard"}).json["id"]
        out = io.BytesIO()
        Image.new("RGB", (64, 48), (90, 90, 90)).save(out, "PNG")
        form = {"file": (io.BytesIO(out.getvalue()), "yard.png")}
        photograph = ines.post(f"/api/v1/projects/{project}/files", data=form).json["sha256"]
        shots = f"/api/v1/projects/{project}/shots"
        shot = ines.post(shots, json={"name": "Yard", "photograph": photograph}).json["id"]

        def change(person: Any, seen: int, patch: Any) -> Any:
            return person.patch(f"/api/v1/shots/{shot}", json={"revision": seen, "patch": patch})

        lamp = {"id": "l1", "photographed": False, "position_m": [0, 0, 2]}
        self.assertEqual(change(ines, 1, {"lamps": {"l1": lamp}}).status_code, 200)
        self.assertEqual(noor.get(f"/api/v1/shots/{shot}/revision").json["revision"], 2)
        self.assertEqual(change(noor, 1, {"name": "Yard, evening"}).status_code, 200)  # another thing
        self.assertEqual(change(noor, 2, {"lamps": {"l1": {"strength": 2.0}}}).status_code, 200)
        refused = change(ines, 2, {"lamps": {"l1": {"strength": 3.0}}})
        self.assertEqual((refused.status_code, "l1" in refused.json["detail"]), (409, True))
        document = ines.get(f"/api/v1/shots/{shot}").json["document"]
        self.assertEqual((document["name"], document["lamps"][0]["strength"]), ("Yard, evening", 2.0))

    def test_wrong_keys_are_counted_by_where_they_come_from(self) -> None:
        stranger = self.app.test_client()
        told = [self.sign_in(stranger, "guess").status_code for _ in range(WRONG_AT_MOST + 1)]
        self.assertEqual(told, [401] * WRONG_AT_MOST + [429])
        self.assertEqual(self.sign_in(stranger, self.ines).status_code, 429)
        elsewhere = self.sign_in(self.app.test_client(), self.ines, **{"X-Forwarded-For": "10.0.0.9"})
        self.assertEqual(elsewhere.status_code, 200)

    def test_it_answers_by_its_names_alone(self) -> None:
        client = self.app.test_client()
        for host, status in (("studio.test", 200), ("127.0.0.1", 200), ("evil.test", 403)):
            answer = client.get("/api/v1/health", headers={"X-Forwarded-Host": host})
            self.assertEqual(answer.status_code, status)
        ines = self.person(self.ines)
        write = {"X-Forwarded-Host": "studio.test", "X-Forwarded-Proto": "https", "Origin": "https://evil.test"}
        self.assertEqual(ines.post("/api/v1/projects", json={"name": "x"}, headers=write).status_code, 403)
        write["Origin"] = "https://studio.test"
        self.assertEqual(ines.post("/api/v1/projects", json={"name": "x"}, headers=write).status_code, 201)

    def test_others_reach_it_only_where_keys_are_asked_for(self) -> None:
        refuse_open(Reached())
        refuse_open(Reached("0.0.0.0", str(self.file)))
        for reached, words in (
            (Reached("0.0.0.0"), "--listen"),
            (Reached(behind_proxy=True), "--listen"),
            (Reached(hosts=("studio.test",)), "--listen"),
            (Reached("0.0.0.0", str(self.folder / "none")), "is no file"),
        ):
            with self.assertRaisesRegex(InputError, words):
                refuse_open(reached)
        with self.assertRaisesRegex(InputError, "has a key already"):
            add_key(self.file, "Ines", "look")


if __name__ == "__main__":
    unittest.main()
