"""What takes too long for every run: ``python3 run.py sweep [PART …]``.

``journeys``: tests that every run leaves out, once. ``seeds``: seeded tests at their full length.
``busy``: all browser tests ten times beside a busy core. All three where none is named.
"""

from __future__ import annotations

import multiprocessing
import os
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.sizes import SWEEP, SWEPT

SEEDED = (
    *("test_faults", "TwoWriters", "test_hostile", "test_extending", "test_any_edits"),
    *("TwoWorkers", "ByLook", "test_door", "test_bad_states"),
    *("test_readers", "test_whole", "test_any_history", "test_roles_guessed", "test_choosing"),
    *("HeightFromColour", "test_stopping", "Strips", "RepairingSpots", "test_scores"),
    *("AgainstPillow", "RawSources", "AgainstPlainLooking", "ThreeLoader"),
)
"""Parts of the names of tests that say ``times``."""
BROWSER_TIMES = 10


def main() -> int:
    """Run the sweeps that are named and return 1 if a run failed."""
    asked = sys.argv[1:] or list(PARTS)
    unknown = [part for part in asked if part not in PARTS]
    if unknown:
        print(f"There is no sweep {unknown[0]!r}; there are {', '.join(PARTS)}.")
        return 2
    failed = sum(PARTS[part]() for part in asked)
    print(f"{failed} runs failed")
    return min(1, failed)


def _journeys() -> int:
    return _run((), {SWEPT: "only"})


def _seeds() -> int:
    return _run(SEEDED, {SWEEP: "1", SWEPT: "also"})


def _busily() -> int:
    failed = 0
    busy = multiprocessing.Process(target=_busy, daemon=True)
    busy.start()
    for time in range(BROWSER_TIMES):
        print(f"Browser tests beside a busy core, {time + 1} of {BROWSER_TIMES}", flush=True)
        failed += _run(("tests.browser.",), {SWEPT: "also"})
    busy.terminate()
    return failed


def _busy() -> None:
    while True:
        sum(range(1_000_000))


def _run(patterns: tuple[str, ...], environment: dict[str, str]) -> int:
    with tempfile.TemporaryDirectory() as holder:
        result = Path(holder) / "counts"
        command = [sys.executable, "-m", "tests.all", str(result), *patterns]
        subprocess.call(command, env={**os.environ, **environment})
        _, bad, _ = result.read_text().split() if result.is_file() else ("0", "1", "0")
    return int(bad != "0")


PARTS = {"journeys": _journeys, "seeds": _seeds, "busy": _busily}


if __name__ == "__main__":
    sys.exit(main())
