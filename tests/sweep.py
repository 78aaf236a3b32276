"""What takes too long for every run: ``python3 run.py sweep``.

Seeded tests at their full length, then the browser tests ten times beside a busy core.
"""

from __future__ import annotations

import multiprocessing
import os
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.sizes import SWEEP

SEEDED = (
    *("test_faults", "TwoWriters", "test_hostile", "test_extending", "test_any_edits"),
    *("TwoWorkers", "ByLook", "AgainstTheWrittenRanking", "test_door", "test_bad_states"),
    *("test_readers", "test_whole"),
)
BROWSER_TIMES = 10


def main() -> int:
    """Run the sweeps and return how many runs failed."""
    failed = _run(SEEDED, {SWEEP: "1"})
    busy = multiprocessing.Process(target=_busy, daemon=True)
    busy.start()
    for time in range(BROWSER_TIMES):
        print(f"Browser tests beside a busy core, {time + 1} of {BROWSER_TIMES}", flush=True)
        failed += _run(("tests.browser.",), {})
    busy.terminate()
    print(f"{failed} of {BROWSER_TIMES + 1} runs failed")
    return min(1, failed)


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


if __name__ == "__main__":
    sys.exit(main())
