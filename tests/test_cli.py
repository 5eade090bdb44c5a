"""The command line, as scripts use it."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from lithopos.core.exchange.decode import read_picture
from lithopos.core.shot import FORMAT, load_shot
from lithopos.library.store import Library
from tests.core.sites import made_site
from tests.core.test_shot import example
from tests.support import SAMPLES, TrueCamera, exact_shot

ENDS = ("picture-02.png", "picture-02.jpg", "layers-02.exr")


def run(*arguments: str, given: Any = None) -> subprocess.CompletedProcess[str]:
    text = given if isinstance(given, str) else json.dumps(given)
    return subprocess.run(
        [sys.executable, "-m", "lithopos.cli", *arguments], input=text, capture_output=True, text=True, check=False
    )


class CommandLine(unittest.TestCase):
    def answer(self, *arguments: str, given: Any = None) -> Any:
        told = run(*arguments, given=given)
        self.assertEqual(told.returncode, 0, told.stderr)
        return json.loads(told.stdout)

    def refused(self, words: str, *arguments: str, given: Any = None) -> None:
        told = run(*arguments, given=given)
        self.assertEqual((told.returncode, told.stdout), (2, ""), told.stderr)
        self.assertEqual(len(told.stderr.strip().splitlines()), 1, told.stderr)
        self.assertRegex(told.stderr, words)

    def test_camera_then_sun(self) -> None:
        true = TrueCamera(heading=60)
        camera = self.answer("camera", "-", given=true.problem(true.edges("abp")))
        self.assertAlmostEqual(camera["focal_px"], true.focal, places=2)
        self.assertIsNone(camera["camera_position"])
        self.assertAlmostEqual(camera["camera_position_unit"][2], 1)
        foot, height, e = [1.5, 4.0], 1.0, np.radians(35)
        reach = height / np.tan(e)
        marks = true.see([[*foot, 0], [*foot, height], [foot[0] - reach, foot[1], 0]])
        gnomon = dict(zip(("foot", "top", "tip"), marks.tolist(), strict=True))
        contract = {name: camera[name] for name in ("focal_px", "principal_point", "rotation", "camera_position_unit")}
        case = {"image": {"width": 1920, "height": 1280}, "camera": camera, "gnomons": [gnomon]}
        sun = self.answer("sun", "-", given=case)
        bare = self.answer("sun", "-", given={**case, "camera": contract})
        self.assertEqual(bare["direction"], sun["direction"])
        self.assertAlmostEqual(sun["elevation_deg"], 35, places=3)
        np.testing.assert_allclose(sun["direction"], [np.cos(e), 0, np.sin(e)], atol=1e-4)

    def test_what_edges_proposes_is_a_question_for_camera(self) -> None:
        truth = json.loads((SAMPLES / "cloister-yard.json").read_text())
        found = self.answer("edges", str(SAMPLES / "cloister-yard.jpg"))
        self.assertTrue(found["sure"])
        camera = self.answer("camera", "-", given={name: found[name] for name in ("image", "lines")})
        self.assertAlmostEqual(camera["focal_px"] / truth["camera"]["focal_px"], 1, delta=0.05)
        self.refused("PHOTO: .* is not a file", "edges", "/nowhere.jpg")
        self.refused("photograph: is not a picture", "edges", str(SAMPLES / "marl-bench.glb"))

    def test_a_site_of_files_its_sheet_and_its_shots(self) -> None:
        site, shots = made_site(1, 3).noted(0.3, 1)
        told = site.model_dump(mode="json", by_alias=True)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for member, (shot_name, shot) in zip(told["members"], shots.items(), strict=True):
                member["shot"] = f"{shot_name}.json"
                Image.fromarray(np.full((1280, 1920, 3), 90, np.uint8)).save(folder / f"{shot_name}.png")
                photograph = {**shot.model_dump(mode="json")["photograph"], "file": f"{shot_name}.png"}
                document = shot.model_dump(mode="json", by_alias=True) | {"photograph": photograph}
                (folder / f"{shot_name}.json").write_text(json.dumps(document))
            (folder / "site.json").write_text(json.dumps(told))
            out = ("--sheet", str(folder / "sheet.pdf"), "--shots", str(folder / "out"))
            answer = self.answer("site", str(folder / "site.json"), *out)
            self.assertEqual((folder / "sheet.pdf").read_bytes()[:5], b"%PDF-")
            for member in answer["members"]:
                shot = load_shot(json.loads((folder / "out" / f"{member['id']}.json").read_text()))
                assert shot.site is not None
                self.assertEqual(list(shot.site.camera.camera_position), member["camera"]["camera_position"])
            del told["members"][1]["shot"]
            self.refused(r"members\[1\].shot: is missing", "site", "-", given=told)

    def test_keys_and_care_of_what_is_kept(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            here, there = (("--data", str(folder / one)) for one in ("data", "back"))
            copy, file, keys = str(folder / "copy"), str(folder / "yard.zip"), ("--file", str(folder / "keys.json"))
            library = Library(folder / "data")
            library.add_project("Tidewater yard")
            library.engine.dispose()
            self.assertTrue(self.answer("check", *here)["whole"])
            self.answer("backup", copy, *here)
            self.assertEqual(self.answer("restore", copy, *there)["projects"], 1)
            self.assertEqual(self.answer("tidy", *here)["would be removed"], [])
            self.answer("project", "out", "Tidewater yard", file, *here)
            self.assertEqual(self.answer("project", "in", file, *there)["name"], "Tidewater yard")
            self.refused("several projects", "project", "out", "Tidewater yard", file, *there)
            self.refused("holds no library", "check", "--data", str(folder / "none"))
            self.assertEqual(self.answer("keys", "add", "Ines", *keys)["may"], "change")
            self.assertEqual(self.answer("keys", "list", *keys), [{"name": "Ines", "may": "change"}])
            self.refused("--listen: others could reach it", "serve", "--listen", "0.0.0.0", *here)
            self.refused("--cluster: .* is another machine", "serve", "--cluster", "tcp://10.0.0.3:8786")

    def test_batch_answers_each_case(self) -> None:
        true = TrueCamera()
        cases = [true.problem(true.edges("ab")), true.problem([]), {"image": 3}]
        answers = self.answer("camera", "--batch", "-", given=cases)
        self.assertAlmostEqual(answers[0]["focal_px"], true.focal, places=2)
        self.assertIn("too few edges", answers[1]["error"])
        self.assertIn("image", answers[2]["error"])

    def test_bad_calls_end_with_two_and_one_line(self) -> None:
        self.refused("FILE: is not JSON", "camera", "-", given="{")
        self.refused("FILE: holds NaN", "camera", "-", given='{"image": NaN}')
        self.refused("can't be read", "camera", "/nowhere.json")
        self.refused("No such command", "frobnicate")
        self.refused("lines: too few edges", "camera", "-", given=TrueCamera().problem([]))
        self.refused("image: is missing", "sun", "-", given={"gnomons": []})
        self.refused("is a photograph, not a model", "inspect", str(SAMPLES / "sea-terrace.jpg"))

    def test_inspect_schema_and_doctor(self) -> None:
        self.assertEqual(
            self.answer("inspect", str(SAMPLES / "tern-fountain.glb"))["materials"], ["pale stone", "steel", "bronze"]
        )
        self.assertEqual(self.answer("schema")["properties"]["format"]["const"], FORMAT)
        with tempfile.TemporaryDirectory() as folder:
            self.assertTrue(self.answer("doctor", "--data", folder)["denoiser"])

    def test_sharpen_refines_what_was_drawn_and_keeps_it(self) -> None:
        drawn = exact_shot("cloister-yard")
        shot = json.loads(drawn.model_dump_json(by_alias=True))
        shot["patches"] = [{"id": "q", "at": [405, 1150]}]
        with tempfile.TemporaryDirectory() as name:
            for file in drawn.files():
                (Path(name) / file).write_bytes((SAMPLES / file).read_bytes())
            (Path(name) / "shot.json").write_text(json.dumps(shot))
            told = self.answer("sharpen", str(Path(name) / "shot.json"))
        sharp = load_shot(told)
        self.assertEqual([edge.points for edge in sharp.edges], [edge.points for edge in drawn.edges])
        self.assertGreater(sum(edge.sharp is not None for edge in sharp.edges), len(sharp.edges) // 2)
        self.assertTrue(all(gnomon.shadow for gnomon in sharp.gnomons))
        assert sharp.patches[0].seen
        self.assertEqual((sharp.lengths, sharp.models), (drawn.lengths, drawn.models))

    def test_render_the_written_example_and_refuse_bad_ones(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for file in load_shot(example()).files():
                (folder / file).symlink_to(SAMPLES / file)
            (folder / "linked.json").write_text(json.dumps(example()))
            self.refused("leads outside", "render", str(folder / "linked.json"), "-o", str(folder / "out.png"))
            for file in load_shot(example()).files():
                (folder / file).unlink()
                (folder / file).write_bytes((SAMPLES / file).read_bytes())
            shot = folder / "shot.json"
            shot.write_text(json.dumps(example()))
            told = run("render", str(shot), "-o", str(folder / "out.png"), "--scale", "0.25", "--samples", "4")
            self.assertEqual(told.returncode, 0, told.stderr)
            made = read_picture(folder / "out.png").codes
            self.assertEqual(made.shape, (253, 450, 3))  # as it is framed
            shot.write_text(json.dumps({**example(), "surprise": 1}))
            self.refused("surprise: is not a known field", "render", str(shot), "-o", str(folder / "two.png"))
            self.assertFalse((folder / "two.png").exists())

    def test_a_take_that_does_not_fit_its_shot_is_refused_before_anything_is_made(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for file in load_shot(example()).files():
                (folder / file).write_bytes((SAMPLES / file).read_bytes())
            shot, out = folder / "shot.json", folder / "out"
            shot.write_text(json.dumps(example()))
            self.refused("take: is of 960 × 540 pixels", "footage", str(shot), "-o", str(out))
            self.refused("AV1 is kept in", "footage", str(shot), "-o", str(folder / "out.avi"))
            about_takes = ("take", "plate_strokes", "front_strokes", "passings", "keys")
            still = {name: value for name, value in example().items() if name not in about_takes}
            shot.write_text(json.dumps(still))
            self.refused("take: is missing", "footage", str(shot), "-o", str(out))
            self.assertFalse(out.exists())

    def test_deliver_makes_what_a_recipe_names_and_overwrites_nothing(self) -> None:
        recipe: dict[str, Any] = {
            "deliverables": [{"kind": "png"}, {"kind": "jpeg", "longest_px": 200}, {"kind": "exr"}],
            "output": {"scale": 0.15, "samples": 4, "names": "{shot}-{view}-{n}"},
        }
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for file in load_shot(example()).files():
                (folder / file).write_bytes((SAMPLES / file).read_bytes())
            (folder / "shot.json").write_text(json.dumps(example()))
            (folder / "recipe.json").write_text(json.dumps(recipe))
            call = ("deliver", str(folder / "shot.json"), "--to", str(folder / "out"), "--recipe")
            there = folder / "out" / "Cloister-yard-late-sun-picture-01.png"
            there.parent.mkdir()
            there.write_text("an earlier one")
            files = self.answer(*call, str(folder / "recipe.json"))["files"]
            names = [Path(one["name"]).name for one in files]
            self.assertEqual(names, [f"Cloister-yard-late-sun-{end}" for end in ENDS])
            self.assertTrue(all(Path(one["name"]).exists() for one in files))
            self.assertEqual(there.read_text(), "an earlier one")
            # The written example is framed to 1800 × 1012 of 1920 × 1280.
            self.assertEqual([(one["width"], one["height"]) for one in files], [(270, 152), (200, 112), (270, 152)])
            self.assertEqual(read_picture(Path(files[0]["name"])).codes.shape, (152, 270, 3))
            # The example has one option; both are on one page, which comes with the last.
            told = {**recipe, "deliverables": [{"kind": "page"}, {"kind": "png"}]}
            (folder / "recipe.json").write_text(
                json.dumps({**told, "output": {**told["output"], "names": "{option}-{n}"}})
            )
            files = self.answer(*call, str(folder / "recipe.json"), "--all-options")["files"]
            names = [Path(one["name"]).name for one in files]
            self.assertEqual(names, ["01.png", "01.html", "Red-further-left-01.png"])
            page = (folder / "out" / names[1]).read_text()
            self.assertIn('"option": null, "name": "Cloister yard, late sun"', page)
            self.assertIn('"option": "o1", "name": "Red, further left"', page)
            different = [read_picture(folder / "out" / names[at]).codes.astype(int) for at in (0, 2)]
            self.assertGreater(abs(different[0] - different[1]).max(), 60)
            self.refused("--all-options: makes every", *call[:-1], "--option", "o1", "--all-options")
            self.refused("--option: 'Blue' is no option.*Red, further left", *call[:-1], "--option", "Blue")
            (folder / "recipe.json").write_text(json.dumps({"deliverables": [{"kind": "fax"}]}))
            self.refused("deliverables.*kind", *call, str(folder / "recipe.json"))
            (folder / "recipe.json").write_text(json.dumps({"shots": []}))
            self.refused("--recipe: holds deliverables and output", *call, str(folder / "recipe.json"))
            self.assertEqual(len(list((folder / "out").iterdir())), 7)


if __name__ == "__main__":
    unittest.main()
