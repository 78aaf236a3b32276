"""Run every unittest and write the counts: ``python -m tests.all RESULT [PATTERN …]``."""

from __future__ import annotations

import sys
import time
import unittest
from pathlib import Path


class TimedResult(unittest.TextTestResult):
    """Says how long the slow tests took."""

    slow = 3.0

    def startTest(self, test: unittest.TestCase) -> None:
        self._started = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        took = time.monotonic() - self._started
        if took > self.slow:
            self.stream.writeln(f"        {took:.1f} s")
        super().stopTest(test)


def main() -> int:
    """Run the tests whose names hold one of the patterns; all where none is given."""
    result_file, patterns = Path(sys.argv[1]), sys.argv[2:]
    loader = unittest.TestLoader()
    if patterns:
        loader.testNamePatterns = [f"*{pattern}*" for pattern in patterns]
    suite = loader.discover("tests", pattern="test_*.py", top_level_dir=".")
    runner = unittest.TextTestRunner(verbosity=2, resultclass=TimedResult)
    result = runner.run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    result_file.write_text(f"{passed} {failed} {skipped}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
