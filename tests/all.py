"""Run every unittest and write the counts: ``python -m tests.all RESULT [PATTERN …]``.

Tests run class by class in two processes more than the machine has cores, browser tests beside
the others. What is marked ``swept`` is left for the sweep. Classes that say ``needs_demo = True``
begin as soon as it is drawn. A class that measures time says ``alone = True``; those run last, one
after the other. What they write lies in memory where there is room: a disk that is shared takes
6 ms and more for each of many thousand flushes.
"""

from __future__ import annotations

import io
import itertools
import os
import shutil
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tests.drawn import SHARED, draw
from tests.forked import context, load_ahead
from tests.sizes import is_due

_SLOW = 3.0
_FIRST = (
    *("tests.browser.", "tests.test_extending", "tests.services.test_cluster"),
    *("tests.services.test_faults", "tests.web.test_letting_in.Starting", "tests.demo."),
    "tests.services.",
)
"""What takes longest begins first, so that no core is left without work at the end."""


_MEMORY = Path("/dev/shm")
_ROOM = 6 << 30


@dataclass
class Outcome:
    """What became of the tests of one class."""

    name: str
    passed: int = 0
    failed: int = 0
    skipped: int = 0
    seconds: float = 0.0
    busy: float = 0.0
    words: list[str] = field(default_factory=list)


class _Result(unittest.TextTestResult):
    """Says how long the slow tests took."""

    def startTest(self, test: unittest.TestCase) -> None:
        self._started = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        took = time.monotonic() - self._started
        if took > _SLOW:
            self.stream.writeln(f"        {took:.1f} s")
        super().stopTest(test)


def _run(work: tuple[str, list[str]]) -> Outcome:
    """Run some tests of one class, by their names."""
    name, tests = work
    started, busy, stream = time.monotonic(), _busy(), io.StringIO()
    suite = unittest.TestLoader().loadTestsFromNames(tests)
    runner = unittest.TextTestRunner(stream=stream, verbosity=2, resultclass=_Result)
    result = runner.run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    return Outcome(
        name,
        max(0, result.testsRun - failed - skipped),
        failed,
        skipped,
        time.monotonic() - started,
        _busy() - busy,
        stream.getvalue().splitlines(),
    )


def _busy() -> float:
    """Return the seconds that this process and those that it has ended have computed."""
    spent = os.times()
    return spent.user + spent.system + spent.children_user + spent.children_system


def _tests(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for part in suite:
        if isinstance(part, unittest.TestSuite):
            yield from _tests(part)
        else:
            yield part


def _rank(name: str) -> int:
    return next((n for n, first in enumerate(_FIRST) if name.startswith(first)), len(_FIRST))


def _drawn(folder: str) -> None:
    """Draw the demo for all browser tests."""
    draw(Path(folder))


def _side_by_side(
    pool: ProcessPoolExecutor, count: int, waiting: list[tuple[str, list[str]]], demo: set[str]
) -> Iterator[Outcome]:
    """Run classes, so many at once; those that need the demo wait until it is drawn."""
    drawing = pool.submit(_drawn, os.environ[SHARED]) if demo & {w[0] for w in waiting} else None
    running: set[Future[Any]] = {drawing} if drawing else set()
    while waiting or running:
        while waiting and len(running) < count:
            held = drawing is not None and not drawing.done()
            fit = (n for n, w in enumerate(waiting) if not (held and w[0] in demo))
            place = next(fit, None)
            if place is None:
                break
            running.add(pool.submit(_run, waiting.pop(place)))
        done, running = wait(running, return_when=FIRST_COMPLETED)
        for future in done:
            if future is not drawing:
                yield future.result()
            else:
                future.result()


def _in_memory() -> Path | None:
    """Return a folder for files that are gone after the run, if there is one in memory."""
    if os.access(_MEMORY, os.W_OK) and shutil.disk_usage(_MEMORY).free >= _ROOM:
        return _MEMORY
    return None


@dataclass
class _Found:
    """Tests of this run by their classes."""

    classes: dict[str, list[str]] = field(default_factory=dict)
    last: set[str] = field(default_factory=set)
    """Classes that run when all others have ended, one after the other."""
    demo: set[str] = field(default_factory=set)
    """Classes that need the demo."""
    broken: list[str] = field(default_factory=list)
    left: int = 0


def _found(patterns: list[str]) -> _Found:
    """Find the tests whose names hold one of the patterns; all where none is given."""
    found, loader = _Found(), unittest.TestLoader()
    if patterns:
        loader.testNamePatterns = [f"*{pattern}*" for pattern in patterns]
    for test in _tests(loader.discover("tests", pattern="test_*.py", top_level_dir=".")):
        if test.__class__.__module__ == "unittest.loader":
            found.broken.append(str(test))
            continue
        if not is_due(test, test.id().rpartition(".")[2]):
            found.left += 1
            continue
        name = f"{test.__class__.__module__}.{test.__class__.__qualname__}"
        found.classes.setdefault(name, []).append(test.id())
        if getattr(test, "alone", False):
            found.last.add(name)
        if getattr(test, "needs_demo", False):
            found.demo.add(name)
    return found


def main() -> int:
    """Run the tests whose names hold one of the patterns; all where none is given."""
    result_file, patterns = Path(sys.argv[1]), sys.argv[2:]
    tempfile.gettempdir()  # Kept for what processes speak by: it outlives the folder below.
    with tempfile.TemporaryDirectory(dir=_in_memory()) as folder:
        os.environ["TMPDIR"] = folder
        os.environ[SHARED] = tempfile.mkdtemp(dir=folder)
        load_ahead()  # Goes on while tests are looked for.
        tempfile.tempdir = folder
        found = _found(patterns)
        if found.left:
            print(f"Left for another run: {found.left} tests", flush=True)
        classes, total = found.classes, Outcome("all")
        together = sorted((n for n in classes if n not in found.last), key=lambda n: (_rank(n), n))
        # More than there are cores: browser tests wait for answers much of their time.
        count = max(1, min((os.cpu_count() or 1) + 2, len(together)))
        waiting = [(name, classes[name]) for name in together]
        with ProcessPoolExecutor(count, mp_context=context()) as pool:
            for outcome in _side_by_side(pool, count, waiting, found.demo):
                _told(outcome, total)
        for name in sorted(found.last):
            _told(_run((name, classes[name])), total)
    for words in found.broken:
        print(f"FAILED  cannot be loaded: {words}")
    failed = total.failed + len(found.broken)
    result_file.write_text(f"{total.passed} {failed} {total.skipped}")
    return 0


def _told(outcome: Outcome, total: Outcome) -> None:
    state = "FAILED" if outcome.failed else "ok"
    print(
        f"{state:7} {outcome.name}, {outcome.passed} passed"
        f" ({outcome.seconds:.0f} s, computing {outcome.busy:.0f} s)",
        flush=True,
    )
    if outcome.failed or outcome.seconds > _SLOW:
        shown = outcome.words if outcome.failed else _slow(outcome.words)
        print("\n".join(f"        {line}" for line in shown), flush=True)
    total.passed += outcome.passed
    total.failed += outcome.failed
    total.skipped += outcome.skipped


def _slow(words: list[str]) -> list[str]:
    """Return the names of the tests that took long, with their times."""
    slow = []
    for before, line in itertools.pairwise(words):
        if line.startswith("        ") and line.rstrip().endswith(" s"):
            slow.append(f"{line.strip():>8}  {before.split(' ')[0]}")
    return slow


if __name__ == "__main__":
    sys.exit(main())
