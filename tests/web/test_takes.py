"""The API of takes: begun with a film, worked on, shown frame by frame; what it refuses."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
from PIL import Image

from lithopos.jobs.queue import Queue
from lithopos.jobs.worker import Worker
from lithopos.library.store import Library
from tests.core.takes import MadeTake, camera_of, made_take, write_take
from tests.support import SAMPLES
from tests.web.asking import Asking

SIZE, COUNT = (160, 112), 12


class Takes(Asking):
    def setUp(self) -> None:
        super().setUp()
        self.made: MadeTake = made_take(COUNT, SIZE)

    def film(self, count: int = COUNT, name: str = "walk.mkv") -> dict[str, Any]:
        path = write_take(self.made.frames[:count], self.data / name)
        told: dict[str, Any] = self.send(name, path.read_bytes())
        return told

    def begun(self) -> dict[str, Any]:
        body = {"name": "Walk", "photograph": self.film()["sha256"]}
        shot: dict[str, Any] = self.ask("post", f"/projects/{self.project}/shots", body, 201)
        return shot

    def worker(self) -> Worker:
        library = Library(self.data)
        self.addCleanup(library.engine.dispose)
        return Worker(library, Queue(self.data))

    def picture(self, path: str) -> Any:
        answer = self.client.get(f"/api/v1{path}")
        self.assertEqual(answer.status_code, 200, answer.data[:200])
        with Image.open(io.BytesIO(answer.data)) as opened:
            return np.asarray(opened)

    def test_a_film_begins_a_shot_whose_photograph_is_its_first_frame(self) -> None:
        shot = self.begun()
        document = shot["document"]
        self.assertEqual((document["take"]["frames"], document["take"]["last"]), (COUNT, COUNT - 1))
        self.assertEqual((document["photograph"]["width"], document["photograph"]["height"]), SIZE)
        first = self.picture(f"/files/{document['photograph']['file'].removeprefix('sha256:')}")
        self.assertTrue((first == self.made.frames[0]).all())
        take = self.ask("get", f"/shots/{shot['id']}/take")
        self.assertEqual((take["codec"], take["numbered"], take["sound"], take["work"]), ("ffv1", False, None, {}))
        shown = self.picture(f"/shots/{shot['id']}/take/frames/7").astype(float)
        self.assertLess(np.abs(shown - self.made.frames[7]).mean(), 4)
        self.ask("get", f"/shots/{shot['id']}/take/frames/{COUNT}", status=422)

    def test_of_a_long_take_the_beginning_is_made_until_its_ends_are_set(self) -> None:
        with patch("lithopos.jobs.takes.AT_FIRST", 5):
            shot = self.begun()
        self.assertEqual((shot["document"]["take"]["frames"], shot["document"]["take"]["last"]), (COUNT, 4))
        body = {"revision": shot["revision"], "patch": {"take": {"last": COUNT}}, "label": "too far"}
        refused = self.ask("patch", f"/shots/{shot['id']}", body, 422)
        self.assertIn(f"runs from frame 0 to {COUNT}, but has {COUNT}", refused["detail"])

    def test_what_is_no_take_begins_none(self) -> None:
        single = self.film(1, "single.mkv")
        self.assertIn("single frame", single["notes"][0])  # it can still be hung on a pane
        body = {"name": "Walk", "photograph": single["sha256"]}
        self.assertIn("can’t be a take", self.ask("post", f"/projects/{self.project}/shots", body, 422)["detail"])
        photo = self.send("frame.png", (SAMPLES / "court-walk.plate.jpg").read_bytes())
        still = self.ask(
            "post", f"/projects/{self.project}/shots", {"name": "Still", "photograph": photo["sha256"]}, 201
        )
        self.ask("get", f"/shots/{still['id']}/take", status=404)
        self.ask("post", f"/shots/{still['id']}/take/plate", status=404)

    def test_work_is_put_in_line_once_and_only_what_is_ready(self) -> None:
        shot = self.begun()
        refused = self.ask("post", f"/shots/{shot['id']}/take/walk", status=422)
        self.assertIn("no camera", refused["lacks"])
        first = self.ask("post", f"/shots/{shot['id']}/take/plate", status=201)
        second = self.ask("post", f"/shots/{shot['id']}/take/plate", status=201)
        states = {one["id"]: one["state"] for one in self.ask("get", f"/shots/{shot['id']}/renders")["renders"]}
        self.assertEqual((states[first["id"]], states[second["id"]]), ("stopped", "queued"))
        self.ask("post", f"/shots/{shot['id']}/take/everything", status=422)

    def test_the_plate_and_who_is_in_front_are_of_all_options(self) -> None:
        shot = self.begun()
        option = self.ask("post", f"/shots/{shot['id']}/options", {"options": [{"name": "Red"}]}, 201)["options"][0]
        worker = self.worker()
        plate = self.ask("post", f"/shots/{shot['id']}~{option['id']}/take/plate", status=201)
        worker.work(plate["id"])
        for name in (shot["id"], f"{shot['id']}~{option['id']}"):
            take = self.ask("get", f"/shots/{name}/take")
            self.assertEqual(take["work"]["plate"]["state"], "done")
            self.assertTrue(take["plate_is_current"])
            self.assertLess(abs(take["looked"]["moved_px"] - 1.3), 0.4)
        document = self.ask("get", f"/shots/{shot['id']}")["document"]
        self.assertEqual(document["take"]["plate"], document["photograph"]["file"])
        stroke = {"id": "p1", "frame": 3, "points": [[20, 20]], "radius_px": 5}
        revision = self.ask("get", f"/shots/{shot['id']}")["revision"]
        body = {"revision": revision, "patch": {"plate_strokes": {"p1": stroke}}, "label": "stroke"}
        self.ask("patch", f"/shots/{shot['id']}", body)
        self.assertFalse(self.ask("get", f"/shots/{shot['id']}/take")["plate_is_current"])

    def test_who_is_in_front_is_shown_in_colour_over_nothing(self) -> None:
        shot = self.begun()
        front = self.ask("post", f"/shots/{shot['id']}/take/front", status=201)
        self.worker().work(front["id"])
        self.assertEqual(self.ask("get", f"/shots/{shot['id']}/take")["front"], list(range(COUNT)))
        number = COUNT // 2
        shown = self.picture(f"/renders/{front['id']}/frames/{number}")
        # Somebody is shown four fifths opaque: two fifths is half of a pixel, as in the truth.
        people = (shown[..., 3] > 0.4 * 255) & (shown[..., 0] > 200)
        true = self.made.alphas[number] > 0.5
        self.assertGreater((people & true).sum() / true.sum(), 0.95)
        self.assertLess((people & ~true).sum() / true.sum(), 0.05)
        self.assertEqual(int(shown[5, 5, 3]), 0)
        self.ask("get", f"/renders/{front['id']}/frames/{COUNT}", status=404)
        for kept in Path(self.data).glob(f"takes/*/*/front/{number:06d}-*.npz"):
            np.savez(kept, alpha=shown[..., 3])  # as an earlier version kept it
        self.ask("get", f"/renders/{front['id']}/frames/{number}", status=404)

    def test_files_of_the_whole_take_are_not_planned_with_the_still_picture(self) -> None:
        shot = self.begun()
        listed = [{"id": "d1", "kind": "png"}, {"id": "d2", "kind": "av1"}, {"id": "d3", "kind": "exr frames"}]
        body = {
            "revision": shot["revision"],
            "patch": {"deliverables": listed, "camera": camera_of(*SIZE)},
            "label": "x",
        }
        self.ask("patch", f"/shots/{shot['id']}", body)
        planned = self.ask("get", f"/shots/{shot['id']}/plan")["files"]
        self.assertEqual([one["id"] for one in planned], ["d1"])
        body = {"revision": 2, "patch": {"deliverables": {"d2": {"width_mm": 100}}}, "label": "printed"}
        self.assertIn("of a take", self.ask("patch", f"/shots/{shot['id']}", body, 422)["detail"])

    def test_a_take_of_another_size_than_the_photograph_is_told_when_it_is_made(self) -> None:
        shot = self.begun()
        other = write_take(made_take(4, (96, 64)).frames, Path(self.data) / "other.mkv")
        file = self.send("other.mkv", other.read_bytes())
        body = {
            "revision": shot["revision"],
            "patch": {"take": {"file": f"sha256:{file['sha256']}", "frames": 4, "last": 3}},
            "label": "another film",
        }
        self.ask("patch", f"/shots/{shot['id']}", body)
        plate = self.ask("post", f"/shots/{shot['id']}/take/plate", status=201)
        self.worker().work(plate["id"])
        (told,) = [
            one for one in self.ask("get", f"/shots/{shot['id']}/renders")["renders"] if one["id"] == plate["id"]
        ]
        self.assertEqual(told["state"], "failed")
        self.assertIn("96 × 64", told["reason"])
