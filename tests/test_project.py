"""The project itself: which way its arrows point, its form, its types, its words."""

from __future__ import annotations

import ast
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.support import ROOT

FRONT = ROOT / "frontend"
CORE_MAY_NOT = ("flask", "sqlalchemy", "huey", "click", "waitress", "alembic")


class Project(unittest.TestCase):
    def passes(self, *command: str, folder: Path = ROOT) -> None:
        told = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
        self.assertEqual(told.returncode, 0, told.stdout[-3000:] + told.stderr[-3000:])

    def test_core_imports_nothing_from_outside_itself(self) -> None:
        for path in (ROOT / "src/lithopos/core").rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
                names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
                for name in names:
                    self.assertNotIn(name.split(".")[0], CORE_MAY_NOT, path)
                    if name.startswith("lithopos"):
                        self.assertTrue(name.startswith("lithopos.core"), f"{path} imports {name}")

    def test_samples_share_only_the_renderer_with_the_solving_code(self) -> None:
        for path in (ROOT / "src/lithopos/samples").glob("*.py"):
            if path.name == "demo.py":
                continue  # fills the library: it makes no picture and no truth
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("lithopos.core"):
                    self.assertEqual(node.module, "lithopos.core.render.engine", path)

    def test_no_circles(self) -> None:
        # In the front end the linter's rule against import cycles holds that, types included.
        self.passes(str(Path(sys.executable).with_name("lint-imports")), "--no-cache")
        rules = json.loads((FRONT / "biome.json").read_text())["linter"]["rules"]
        self.assertEqual(rules["suspicious"]["noImportCycles"]["options"], {"ignoreTypes": False})

    def test_bench_and_tests_do_not_know_each_other(self) -> None:
        for folder, other in (("bench", "tests"), ("tests", "bench"), ("proving", "tests"), ("proving", "bench")):
            for path in (ROOT / folder).rglob("*.py"):
                for node in ast.walk(ast.parse(path.read_text())):
                    if isinstance(node, ast.ImportFrom):
                        self.assertNotEqual((node.module or "").split(".")[0], other, path)

    def test_the_front_end_by_its_own_tests(self) -> None:
        self.passes(sys.executable, "tools/fixtures.py", "--check")
        with tempfile.TemporaryDirectory() as name:
            out = Path(name) / "told.json"
            tool = str(FRONT / "node_modules/.bin/vitest")
            self.passes(tool, "run", "--reporter=json", f"--outputFile={out}", folder=FRONT)
            told = json.loads(out.read_text())
            self.assertGreaterEqual(told["numPassedTests"], 20)
            self.assertEqual(told["numFailedTests"], 0)
            for file in told["testResults"]:
                for test in file["assertionResults"]:
                    with self.subTest(test["fullName"]):
                        self.assertEqual(test["status"], "passed")

    def test_python_form_and_types(self) -> None:
        self.passes(sys.executable, "-m", "ruff", "check", "src", "tests", "bench", "proving", "tools")
        self.passes(sys.executable, "-m", "ruff", "format", "--check", "src", "tests", "bench", "proving", "tools")
        self.passes(sys.executable, "-m", "mypy")

    def test_front_end_form_and_types(self) -> None:
        self.passes("npm", "run", "--silent", "check", folder=ROOT / "frontend")

    def test_the_generated_types_are_current(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            out = Path(name) / "schema.ts"
            tool = str(ROOT / "frontend/node_modules/.bin/openapi-typescript")
            self.passes(tool, "../src/lithopos/web/openapi.json", "-o", str(out), folder=ROOT / "frontend")
            self.assertEqual(out.read_text(), (ROOT / "frontend/src/api/schema.ts").read_text(), "run `make types`")

    def test_every_picture_and_link_of_the_readme_is_there(self) -> None:
        text = (ROOT / "README.md").read_text()
        for picture in (ROOT / "docs/screenshots").glob("*.png"):
            self.assertIn(f"docs/screenshots/{picture.name}", text)
        for target in [part.split(")")[0] for part in text.split("](")[1:]]:
            self.assertTrue((ROOT / target).exists(), target)


if __name__ == "__main__":
    unittest.main()
