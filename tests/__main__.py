"""Runs every test; the last line is `N passed, N failed, N skipped`."""

from __future__ import annotations

import sys
import time
import unittest
import warnings
from pathlib import Path


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
    pattern = sys.argv[1] if len(sys.argv) > 1 else "test_*.py"
    suite = unittest.defaultTestLoader.discover(str(root), pattern, str(root.parent))
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
