"""The API: what it refuses, how it says so, and that the front end's types are its own."""

from __future__ import annotations

import io
import json
import subprocess
import sys
import unittest
import zipfile
from typing import Any

from lithopos.samples.demo import marks_of
from tests.core.test_deliver import SAID, reply
from tests.support import SAMPLES
from tests.web.asking import Asking


class Api(Asking):
    def shot(self) -> dict[str, Any]:
        file = self.send("cloister-yard.jpg", (SAMPLES / "cloister-yard.jpg").read_bytes())
        shot: dict[str, Any] = self.ask(
            "post", f"/projects/{self.project}/shots", {"name": "Cloister", "photograph": file["sha256"]}, 201
        )
        return shot

    def test_a_reply_goes_to_its_shot_once_and_one_to_another_project_nowhere(self) -> None:
        shot = self.shot()

        def send(status: int, **told: Any) -> Any:
            words = {**SAID, "project": self.project, "shot": shot["id"], **told}
            form = {"file": (io.BytesIO(reply(words)), "reply.json")}
            answer = self.client.post(f"/api/v1/projects/{self.project}/replies", data=form)
            self.assertEqual(answer.status_code, status, answer.text)
            return answer.json

        self.assertEqual(send(201), {"shot": shot["id"], "by": "Ines"})
        (kept,) = self.ask("get", f"/shots/{shot['id']}")["document"]["replies"]
        self.assertEqual((kept["verdict"], kept["pins"][0]["text"]), ("no", "höher"))
        self.assertIn("is here already", send(422)["detail"])
        self.assertIn("to another project", send(422, project="elsewhere")["detail"])

    def ready_shot(self) -> dict[str, Any]:
        """A shot with its marks and a bench on the ground: it could be rendered."""
        shot = self.shot()
        model = self.send("bench.glb", (SAMPLES / "marl-bench.glb").read_bytes())
        marks = marks_of(json.loads((SAMPLES / "cloister-yard.json").read_text()))
        patch = {name: marks[name] for name in ("edges", "origin", "lengths", "gnomons")}
        patch["models"] = {"m1": {"file": f"sha256:{model['sha256']}", "name": "Bench"}}
        made: dict[str, Any] = self.ask("patch", f"/shots/{shot['id']}", {"revision": 1, "patch": patch})
        return made

    def test_all_options_are_rendered_at_once_and_what_stopped_goes_on(self) -> None:
        shot = self.ready_shot()
        where = f"/shots/{shot['id']}/options"
        body = {"options": [{"name": "Red"}, {"name": "Left"}]}
        red, left = self.ask("post", where, body, 201)["options"]
        patch = {"models": {"m1": {"position_m": [0.4, 0, 0]}}}
        seen = self.ask("get", f"/shots/{shot['id']}")["revision"]
        self.ask("patch", f"/shots/{left['shot']}", {"revision": seen, "patch": patch})

        def begun() -> list[tuple[str, str]]:
            told = self.ask("post", f"{where}/renders", {"quality": "proof"}, 201)["renders"]
            return [(one["shot_id"], one["id"]) for one in told]

        first = begun()
        self.assertEqual([name for name, _ in first], [shot["id"], red["shot"], left["shot"]])
        self.assertEqual(begun(), [], "what is under way is left alone")
        self.ask("post", f"/renders/{first[1][1]}/stop")
        self.assertEqual(begun(), [first[1]], "what was stopped is the same one, gone on with")
        library = self.client.application.extensions["library"]
        for _, name in first:
            library.finish_render(name, "done")
        seen = self.ask("get", f"/shots/{shot['id']}")["revision"]
        self.ask("patch", f"/shots/{left['shot']}", {"revision": seen, "patch": {"exposure": {"stops": 0.5}}})
        self.assertEqual([name for name, _ in begun()], [left["shot"]], "only what has changed is made anew")
        # Each has its own renders; small pictures are asked for by what is seen, not by names.
        listed = [self.ask("get", f"/shots/{name}/renders")["renders"] for name, _ in first]
        self.assertEqual([len(renders) for renders in listed], [1, 1, 2])
        small = self.ask("post", f"{where}/small")["smalls"]
        self.assertEqual([one["shot"] for one in small], [name for name, _ in first])
        names = [one["picture"]["name"] for one in small]
        self.assertEqual((names[0] == names[1], names[0] == names[2]), (True, False))

    def test_tables_of_figures_are_kept_and_tones_go_out_as_one(self) -> None:
        shot = self.shot()
        rows = "LUT_1D_SIZE 2\n0.2 0.2 0.2\n1 1 1\n"
        table = self.send("lifted.cube", rows.encode())
        self.assertEqual(table["kind"], "lut")
        head = "IESNA:LM-63-2002\nTILT=NONE\n1 -1 1 3 1 1 2 0.1 0.1 0\n1 1 100\n0 45 90\n0\n"
        self.assertEqual(self.send("lamp.ies", f"{head}100 80 0\n".encode())["kind"], "photometry")
        patch = {"blend": {"whole": {"lut": f"sha256:{table['sha256']}"}}}
        self.ask("patch", f"/shots/{shot['id']}", {"revision": 1, "patch": patch})
        made = self.client.get(f"/api/v1/shots/{shot['id']}/tones/whole")
        self.assertEqual(made.text.splitlines()[2].split(), ["0.200000"] * 3)
        self.assertIn("Cloister, whole", made.text)
        wrong = {"blend": {"whole": {"lut": shot["document"]["photograph"]["file"]}}}
        told = self.ask("patch", f"/shots/{shot['id']}", {"revision": 2, "patch": wrong}, 422)
        self.assertIn("is a photograph, not a lut", told["detail"])
        self.assertIn("3 numbers", self.send("x.cube", b"LUT_1D_SIZE 2\n0 0\n", 422)["detail"].replace("three", "3"))

    def test_lists_of_files_are_kept_by_name(self) -> None:
        body = {"deliverables": [{"id": "d1", "kind": "jpeg", "longest_px": 900}], "output": {"names": "{shot}-{n}"}}
        where = f"/projects/{self.project}/recipes"
        kept = self.ask("put", f"{where}/For the web", body)["recipes"]
        self.assertEqual(kept["For the web"]["deliverables"][0]["longest_px"], 900)
        got = self.client.get(f"/api/v1{where}/For the web")
        self.assertEqual(json.loads(got.data)["output"], {"names": "{shot}-{n}"})
        self.assertIn("For-the-web.json", got.headers["Content-Disposition"])
        wrong = {**body, "output": {"names": "{colour}"}}
        self.assertIn("unknown word {colour}", self.ask("put", f"{where}/x", wrong, 422)["detail"])
        self.assertIn("deliverables", self.ask("put", f"{where}/x", {"deliverables": []}, 422)["detail"])
        self.assertEqual(self.ask("delete", f"{where}/For the web")["recipes"], {})
        self.ask("delete", f"{where}/For the web", status=404)

    def test_options_are_made_in_one_go_changed_apart_and_follow_their_shot(self) -> None:
        shot = self.shot()
        model = self.send("bench.glb", (SAMPLES / "tern-fountain.glb").read_bytes())
        placed = {"file": f"sha256:{model['sha256']}", "name": "Bench"}
        body = {"revision": 1, "patch": {"models": {"m1": placed}}, "label": "stand it"}
        self.ask("patch", f"/shots/{shot['id']}", body)

        def change(name: str, patch: dict[str, Any], status: int = 200) -> Any:
            seen = self.ask("get", f"/shots/{shot['id']}")["revision"]
            return self.ask("patch", f"/shots/{name}", {"revision": seen, "patch": patch}, status)

        def add(*options: dict[str, Any]) -> list[dict[str, Any]]:
            made = self.ask("post", f"/shots/{shot['id']}/options", {"options": options}, 201)
            return list(made["options"])

        red, left = add({"name": "Red"}, {"name": "Left"})
        change(red["shot"], {"models": {"m1": {"surfaces": {"Stone": {"kind": "paint", "colour": [0.5, 0, 0]}}}}})
        change(left["shot"], {"models": {"m1": {"position_m": [1, 0, 0]}}})
        both = add({"of": [red["id"], left["id"]]})[2]
        self.assertEqual(both["name"], "Red · Left")
        self.assertEqual({one["says"] for one in both["differs"]}, {"Bench · Stone: paint", "Bench moved 1.00 m"})
        change(shot["id"], {"models": {"m1": {"turn_deg": 30}}, "origin": [100, 900]})
        now = self.ask("get", f"/shots/{both['shot']}")
        (bench,) = now["document"]["models"]
        self.assertEqual(
            (bench["turn_deg"], bench["position_m"], now["document"]["origin"]), (30, [1, 0, 0], [100, 900])
        )
        self.assertEqual(self.ask("get", f"/shots/{shot['id']}")["document"]["models"][0]["position_m"], [0, 0, 0])
        # Given back to the shot; a step back; a shot that its option can't follow; an option that is gone.
        change(shot["id"], {"options": {both["id"]: {"difference": {"models/m1/position_m": None}}}})
        self.assertEqual(len(self.ask("get", f"/shots/{both['shot']}")["options"][2]["differs"]), 1)
        change(red["shot"], {"models": {"m2": {**placed, "on": "m1"}}})
        refused = change(shot["id"], {"models": {"m1": None}}, 422)
        self.assertIn("'Red' can’t follow: ", refused["detail"])
        change(shot["id"], {"options": {red["id"]: None}})
        change(shot["id"], {"models": {"m1": None}})
        self.ask("get", f"/shots/{red['shot']}", status=404)
        seen = self.ask("get", f"/shots/{shot['id']}")["revision"]
        for _ in range(2):
            seen = self.ask("post", f"/shots/{shot['id']}/undo", {"revision": seen})["revision"]
        self.assertEqual(len(self.ask("get", f"/shots/{red['shot']}")["document"]["models"]), 2)

    def test_a_picture_is_older_only_when_something_that_shows_has_changed(self) -> None:
        shot = self.shot()
        library = self.client.application.extensions["library"]
        for quality in ("proof", "master"):
            library.finish_render(library.add_render(shot["id"], quality).id, "done")

        def current(revision: int, **patch: Any) -> dict[str, bool]:
            self.ask("patch", f"/shots/{shot['id']}", {"revision": revision, "patch": patch})
            renders = self.ask("get", f"/shots/{shot['id']}/renders")["renders"]
            return {one["quality"]: one["current"] for one in renders}

        self.assertEqual(current(1, deliverables=[{"id": "a"}]), {"proof": True, "master": True})
        self.assertEqual(current(2, output={"names": "{shot}-{n}"}), {"proof": True, "master": True})
        self.assertEqual(current(3, output={"scale": 0.5}), {"proof": True, "master": False})
        self.assertEqual(current(4, blend={"grain": 0}), {"proof": False, "master": False})

    def test_what_will_be_delivered_is_told_before(self) -> None:
        shot = self.shot()
        files = [{"id": "a"}, {"id": "b", "kind": "webp", "longest_px": 30_000}, {"id": "c", "longest_px": 3840}]
        self.ask("patch", f"/shots/{shot['id']}", {"revision": 1, "patch": {"deliverables": files}})
        plain, wrong, large = self.ask("get", f"/shots/{shot['id']}/plan")["files"]
        self.assertEqual((plain["name"], plain["width"]), ("Tidewater-yard-Cloister-picture-1920x1280-01.png", 1920))
        self.assertIn("times as large as the photograph", wrong["problem"])
        self.assertEqual((large["needs_scale"], large["height"]), (2.0, 2560))
        patch = {"revision": 2, "patch": {"output": {"names": "{client}"}}}
        self.assertIn("unknown word {client}", self.ask("patch", f"/shots/{shot['id']}", patch, 422)["detail"])

    def test_a_dressed_thing_its_rest_and_its_surfaces_as_gltf(self) -> None:
        shot = self.shot()
        files = ("sill-planter.glb", "marl-bench.glb", "tidewater-mark.svg")
        names = {file: f"sha256:{self.send(file, (SAMPLES / file).read_bytes())['sha256']}" for file in files}
        oak: dict[str, Any] = {"kind": "wood", "texture": {"file": "shipped:oak", "repeat_mm": 200}}
        place = {"at": [0, -0.081, 0.08], "facing": [0, -1, 0], "width_mm": 150}
        mark: dict[str, Any] = {"file": names["tidewater-mark.svg"], **place}
        planter: dict[str, Any] = {"id": "p", "file": names["sill-planter.glb"], "position_m": [0.2, 0.05, 2.0]}
        planter |= {"surfaces": {"zinc": oak}, "prints": {"m": mark}}
        models = [planter, {"id": "b", "file": names["marl-bench.glb"]}]
        self.ask("patch", f"/shots/{shot['id']}", {"revision": 1, "patch": {"models": models}})
        thing = f"/api/v1/shots/{shot['id']}/things/p"
        for path, names_of in (("live", {"zinc", "earth"}), ("materials", {"zinc"})):
            with self.client.get(f"{thing}/{path}") as answer:
                self.assertEqual(answer.status_code, 200)
                data = answer.data
            told = json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])
            if path == "materials":
                sent = {"file": (io.BytesIO(data), "surfaces.glb")}
                came = self.client.post("/api/v1/surfaces", data=sent, content_type="multipart/form-data").get_json()
                self.assertEqual(came["surfaces"]["zinc"]["kind"], "wood")
            pictured = {one["name"] for one in told["materials"] if "baseColorTexture" in one["pbrMetallicRoughness"]}
            self.assertEqual(pictured, names_of)
        question = {"how": "fall", "thing": "p"}
        rest = self.ask("post", f"/shots/{shot['id']}/rest", {"question": question})
        self.assertEqual(rest["values"]["on"], "b")
        self.assertAlmostEqual(rest["values"]["position_m"][2], 0.4725, delta=0.001)
        lost = self.ask("post", f"/shots/{shot['id']}/rest", {"question": {**question, "thing": "x"}}, 422)
        self.assertIn("not among the models", lost["detail"])
        sha256 = names["tidewater-mark.svg"].removeprefix("sha256:")
        with self.client.get(f"/api/v1/files/{sha256}/graphic") as picture:
            self.assertEqual((picture.status_code, picture.mimetype), (200, "image/png"))

    def test_marks_to_camera_sun_and_a_bundle(self) -> None:
        shot = self.shot()
        self.assertIsNone(shot["derived"]["camera"])
        marks = marks_of(json.loads((SAMPLES / "cloister-yard.json").read_text()))
        patch = {name: marks[name] for name in ("edges", "origin", "lengths", "gnomons")}
        tried = self.ask("post", f"/shots/{shot['id']}/try", {"patch": patch})
        self.assertEqual(self.ask("get", f"/shots/{shot['id']}")["revision"], 1, "a trial keeps nothing")
        kept = self.ask("patch", f"/shots/{shot['id']}", {"revision": 1, "patch": patch, "label": "marks"})
        self.assertEqual(kept["derived"], tried)
        self.assertAlmostEqual(kept["derived"]["camera"]["focal_35mm"], 27.5, delta=0.6)
        self.assertAlmostEqual(kept["derived"]["sun"]["elevation_deg"], 28, delta=1)
        bundle = self.client.get(f"/api/v1/shots/{shot['id']}/bundle")
        self.assertEqual(set(zipfile.ZipFile(io.BytesIO(bundle.data)).namelist()), {"shot.json", "0-cloister-yard.jpg"})

    def test_a_model_of_several_files_is_one_and_keeps_its_live_copy(self) -> None:
        lines = ["mtllib c.mtl", "usemtl oak", "v 0 0 0", "v 100 0 0", "v 0 100 0", "f 1 2 3"]
        files = [(io.BytesIO("\n".join(lines).encode()), "chair/c.obj"), (io.BytesIO(b"newmtl oak"), "chair/c.mtl")]
        sent = self.client.post(f"/api/v1/projects/{self.project}/files", data={"file": files})
        self.assertEqual(sent.status_code, 201, sent.text)
        told: Any = sent.json
        self.assertEqual((told["name"], told["materials"], told["unit"]), ("c.obj", ["oak"], "cm"))
        self.assertEqual((told["unit_from"], told["up"], told["triangles"]), ("guess", "y", 1))
        live = self.client.get(f"/api/v1/files/{told['sha256']}/live")
        self.assertEqual(live.data[:4], b"glTF")
        self.assertIn("attachment", live.headers["Content-Disposition"])
        live.close()
        bad = [(io.BytesIO(b"v 0 0 0"), "../c.obj"), (io.BytesIO(b""), "c.mtl")]
        refused = self.client.post(f"/api/v1/projects/{self.project}/files", data={"file": bad})
        self.assertEqual(refused.status_code, 422, refused.text)
        self.assertEqual(len(self.ask("get", f"/projects/{self.project}")["files"]), 1)

    def test_problems_are_plain_and_change_nothing(self) -> None:
        shot = self.shot()
        here = f"/shots/{shot['id']}"
        for method, path, body, status, words in (
            ("patch", here, {"revision": 1, "patch": {"orign": [1, 2]}}, 422, "orign: is not a known field"),
            ("patch", here, {"revision": 7, "patch": {"origin": [1, 2]}}, 409, "you saw revision 7"),
            ("post", f"{here}/undo", {"revision": 1}, 422, "nothing to undo"),
            ("post", f"{here}/renders", {"quality": "proof"}, 422, "camera: too few edges"),
            (
                "post",
                f"{here}/renders",
                {"quality": "master", "part": [0, 0, 9, 9]},
                422,
                "only a proof is rendered in part",
            ),
            ("post", f"{here}/renders", {"quality": "proof", "part": [9, 0, 9, 9]}, 422, "part: has no size"),
            ("post", "/renders/ffffffffffff/finer", None, 404, "no such render"),
            ("post", "/projects", {"nme": "x"}, 422, "name: is missing"),
            ("get", "/shots/ffffffffffff", None, 404, "no such shot"),
            ("get", "/nothing", None, 404, "nothing at this address"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.ask(method, path, body, status)["detail"])
        self.assertEqual(self.ask("get", here)["revision"], 1)
        self.assertIn("neither a photograph", self.send("a.jpg", b"nonsense", 422)["detail"])

    def test_strangers_are_refused(self) -> None:
        self.ask("get", "/projects", status=403, Host="lithopos.example")
        for headers in ({"Origin": "http://other.example"}, {"Sec-Fetch-Site": "cross-site"}):
            self.ask("post", "/projects", {"name": "x"}, 403, **headers)
        self.ask("post", "/projects", {"name": "x"}, 201, Origin="http://localhost")

    def test_the_front_ends_types_are_of_this_api(self) -> None:
        kept = self.ask("get", "/openapi.json")
        made = subprocess.check_output([sys.executable, "-m", "lithopos.web.openapi"], text=True)
        self.assertEqual(kept, json.loads(made), "run `make types`")


if __name__ == "__main__":
    unittest.main()
