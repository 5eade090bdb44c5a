"""The shot document: its example, its edges, its versions, bundles."""

from __future__ import annotations

import io
import json
import re
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

from lithopos.core.camera.problem import CameraAnswer
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.bundle import open_shot, write_bundle
from lithopos.core.shot import Shot, load_shot, shot_schema
from tests.support import ROOT, SAMPLES


def example() -> dict[str, Any]:
    text = (ROOT / "docs/shot.md").read_text()
    found = re.search(r"```json\n(.*?)```", text, re.S)
    assert found
    return dict(json.loads(found[1]))


class Document(unittest.TestCase):
    def test_the_written_example_is_complete_and_solves(self) -> None:
        document = example()
        shot = load_shot(document)
        self.assertEqual(set(document), set(Shot.model_fields))
        facts = derive(shot)
        assert isinstance(facts.camera, CameraAnswer) and facts.sun
        self.assertAlmostEqual(facts.camera.focal_35mm, 27.5, delta=1)
        self.assertAlmostEqual(facts.sun.elevation_deg, 28, delta=1)
        self.assertEqual(load_shot(json.loads(shot.model_dump_json(by_alias=True))), shot)

    def test_a_document_of_the_first_format_is_read(self) -> None:
        new = example()
        (stick,) = new.pop("lengths")
        old = {**new, "format": 1, "yardstick": {name: stick[name] for name in ("from", "to", "metres")}}
        for later in ("levels", "panes", "viewpoints"):
            del old[later]
        old["models"] = [{name: old["models"][0][name] for name in ("id", "file", "position_m", "turn_deg")}]
        before, after = derive(load_shot(old)), derive(load_shot(example()))
        assert before.camera and after.camera
        self.assertEqual(before.camera.camera_position, after.camera.camera_position)

    def test_bad_documents_name_the_field(self) -> None:
        good = example()
        cases: list[tuple[dict[str, Any], str]] = [
            ({**good, "orign": [1, 2]}, "orign: is not a known field"),
            ({**good, "format": 5}, "format: is 5; this version reads 1 to 4"),
            ({**good, "lengths": [{**good["lengths"][0], "level": "nowhere"}]}, "a level that is not there"),
            ({**good, "levels": [{"id": "l1", "foot": [5, 5]}]}, r"levels\[0\]: needs both its foot"),
            (
                {**good, "photograph": {**good["photograph"], "file": "../secret.jpg"}},
                r"photograph\.file: leads outside",
            ),
            ({**good, "photograph": {**good["photograph"], "file": "/etc/passwd"}}, r"photograph\.file: leads outside"),
            ({**good, "models": good["models"] * 2}, "same id"),
            ({**good, "ground": {"material": "cheese"}}, "ground: unknown material 'cheese'"),
            ({**good, "sun": {"elevation_deg": -5}}, r"sun\.elevation_deg"),
        ]
        for document, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                load_shot(document)

    def test_schema_is_complete(self) -> None:
        self.assertEqual(set(shot_schema()["properties"]), set(Shot.model_fields))

    def test_what_is_missing_is_a_reason_not_an_error(self) -> None:
        bare = load_shot({"photograph": example()["photograph"]})
        facts = derive(bare)
        self.assertIsNone(facts.camera)
        self.assertIn("too few edges", facts.camera_reason or "")
        by_hand = load_shot({**example(), "camera": {"kind": "hand", "focal_35mm": 30, "height_m": 1.7}})
        hand = derive(by_hand)
        assert hand.camera and hand.camera.camera_position
        self.assertTrue(hand.metric)
        self.assertAlmostEqual(hand.camera.camera_position[2], 1.7)


class Bundles(unittest.TestCase):
    def test_round_trip_and_traps(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            shot = load_shot(example())
            buffer = io.BytesIO()
            write_bundle(shot, lambda file: SAMPLES / file, {"marl-bench.glb": "models/bench.glb"}, buffer)
            (folder / "good.zip").write_bytes(buffer.getvalue())
            with open_shot(folder / "good.zip") as opened:
                self.assertEqual(opened.shot.models[0].file, "models/bench.glb")
                self.assertEqual(
                    opened.find("cloister-yard.jpg").read_bytes(), (SAMPLES / "cloister-yard.jpg").read_bytes()
                )
            with zipfile.ZipFile(folder / "evil.zip", "w") as evil:
                evil.writestr("../outside.txt", "x")
                evil.writestr("shot.json", json.dumps(example()))
            (folder / "lonely.json").write_text(json.dumps(example()))
            (folder / "broken.json").write_text("{")
            for file, words in (
                ("evil.zip", "leads outside"),
                ("lonely.json", "cloister-yard.jpg is missing"),
                ("broken.json", "not JSON"),
            ):
                with self.subTest(file), self.assertRaisesRegex(InputError, words), open_shot(folder / file):
                    pass
            self.assertFalse((folder.parent / "outside.txt").exists())


if __name__ == "__main__":
    unittest.main()
