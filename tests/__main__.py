"""Runs every test; the last line is `N passed, N failed, N skipped`."""

from __future__ import annotations

import sys
import time
import unittest
import warnings
from pathlib import Path

# `make quick`: what tells soon whether something broke.
QUICK = [
    *(f"tests.core.test_{name}" for name in ("change", "shot", "colour", "sun", "exif", "hand", "lengths", "camera")),
    "tests.core.test_catch.Catching",
    "tests.core.test_render.Scenes",
    "tests.core.test_render.Renders.test_a_moved_model_leaves_the_empty_place_and_a_changed_light_does_not",
    "tests.library.test_store",
    "tests.web.test_api",
    "tests.test_project.Project.test_no_circles",
    "tests.test_project.Project.test_the_front_end_by_its_own_tests",
]


class _Result(unittest.TextTestResult):
    """Counts what passed and tells the slow ones."""

    passed = 0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        self._started = time.monotonic()
        super().startTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:  # noqa: N802
        super().addSuccess(test)
        self.passed += 1
        seconds = time.monotonic() - self._started
        if seconds > 5:
            self.stream.writeln(f"   {seconds:.0f} s: {test.id()}")


def main() -> int:
    warnings.simplefilter("error", DeprecationWarning)
    root = Path(__file__).parent
    asked = sys.argv[1] if len(sys.argv) > 1 else "test_*.py"
    loader = unittest.defaultTestLoader
    suite = (
        loader.loadTestsFromNames(QUICK) if asked == "quick" else loader.discover(str(root), asked, str(root.parent))
    )
    result = unittest.TextTestRunner(
        resultclass=_Result,  # type: ignore[arg-type]
        verbosity=1,
        warnings=None,
    ).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{getattr(result, 'passed', 0)} passed, {failed} failed, {len(result.skipped)} skipped")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
