"""Runs every test; the last line is `N passed, N failed, N skipped`.

All of them run in two processes side by side, each of which takes the next class of tests that none has taken.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
import traceback
import unittest
import warnings
from collections.abc import Iterator
from itertools import groupby
from pathlib import Path
from typing import Any

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
LONG = ("tests.browser.", "tests.jobs.", "tests.test_project.")  # begun first, so that none is left over at the end
ROOT = Path(__file__).parent


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

    def addFailure(self, test: unittest.TestCase, err: Any) -> None:  # noqa: N802
        super().addFailure(test, err)
        self._tell(test, err)

    def addError(self, test: unittest.TestCase, err: Any) -> None:  # noqa: N802
        super().addError(test, err)
        self._tell(test, err)

    def addSubTest(self, test: unittest.TestCase, subtest: unittest.TestCase, err: Any) -> None:  # noqa: N802
        super().addSubTest(test, subtest, err)
        if err is not None:
            self._tell(subtest, err)

    def _tell(self, test: unittest.TestCase, err: Any) -> None:
        """At once, not only at the end: a run that is cut short should have told what it knew."""
        self.stream.writeln(f"\n{test.id()}\n{''.join(traceback.format_exception(*err))}")


def main() -> int:
    warnings.simplefilter("error", DeprecationWarning)
    asked = sys.argv[1] if len(sys.argv) > 1 else "all"
    if asked == "shared":
        counts = _run(_Shared(Path(sys.argv[2])))
    else:
        counts = _all() if asked == "all" else _run(_suite(asked))
    print("{} passed, {} failed, {} skipped".format(*counts))
    return 1 if counts[1] else 0


def _suite(asked: str) -> unittest.TestSuite:
    loader = unittest.defaultTestLoader
    if asked == "quick":
        return loader.loadTestsFromNames(QUICK)
    return loader.discover(str(ROOT), asked, str(ROOT.parent))


class _Shared(unittest.TestSuite):
    """All tests, of which several processes take each their part.

    Parameters
    ----------
    taken : a folder that they share: a file in it tells that the class by its name is taken.
    """

    _cleanup = False  # tests are made as they are taken: there is no list to take them off

    def __init__(self, taken: Path) -> None:
        super().__init__()
        self.taken = taken

    def __iter__(self) -> Iterator[unittest.TestCase]:
        tests = sorted(_flat(_suite("test_*.py")), key=lambda test: not test.id().startswith(LONG))
        for kind, those in groupby(tests, key=type):
            try:
                (self.taken / f"{kind.__module__}.{kind.__qualname__}").touch(exist_ok=False)
            except FileExistsError:
                continue
            yield from those


def _flat(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from _flat(test)
        elif isinstance(test, unittest.TestCase):
            yield test


def _run(suite: unittest.TestSuite) -> tuple[int, int, int]:
    result = unittest.TextTestRunner(
        resultclass=_Result,  # type: ignore[arg-type]
        verbosity=1,
        warnings=None,
    ).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return getattr(result, "passed", 0), failed, len(result.skipped)


def _all() -> tuple[int, int, int]:
    """In two processes at once; what the second one told is printed when the first has ended."""
    with tempfile.TemporaryFile("w+") as told, tempfile.TemporaryDirectory() as taken:
        other = subprocess.Popen(
            [sys.executable, "-m", "tests", "shared", taken], stdout=told, stderr=subprocess.STDOUT
        )
        own = _run(_Shared(Path(taken)))
        other.wait()
        told.seek(0)
        text = told.read()
    print(text)
    last = re.search(r"(\d+) passed, (\d+) failed, (\d+) skipped\s*\Z", text)
    others = tuple(int(number) for number in last.groups()) if last else (0, 1, 0)
    passed, failed, skipped = (one + two for one, two in zip(own, others, strict=True))
    return passed, failed, skipped


if __name__ == "__main__":
    sys.exit(main())
