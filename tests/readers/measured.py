"""Read files that ask for much, and tell what that took: ``python -m tests.readers.measured``.

With ``--all`` those too that take long to make. Memory is what the process and those that it
started hold together, over what it held before, looked at every few milliseconds.
"""

from __future__ import annotations

import json
import os
import sys
import threading
import time
from pathlib import Path

from stonestack.core.runtime.errors import StoneError
from stonestack.core.runtime.readers import READERS
from tests.readers.bombs import BOMBS, SLOW_TO_MAKE
from tests.readers.fuzz import everything


def held(pid: int) -> int:
    """Return the bytes that a process and its children hold in memory."""
    total = 0
    try:
        total = int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * 4096
        for task in Path(f"/proc/{pid}/task").iterdir():
            for child in (task / "children").read_text().split():
                total += held(int(child))
    except (FileNotFoundError, ProcessLookupError):
        pass  # It has just ended.
    return total


class Peak:
    """The most that this process and its children held while it was inside."""

    def __enter__(self) -> Peak:
        self._over = threading.Event()
        self.before = self.most = held(self._pid())
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    @property
    def more(self) -> int:
        """Bytes over what was held before."""
        return self.most - self.before

    def _look(self) -> None:
        while not self._over.wait(0.004):
            self.most = max(self.most, held(self._pid()))

    def _pid(self) -> int:
        return os.getpid()


def main() -> None:
    """Print a line of JSON for each file."""
    everything()
    for name, (reader, make) in BOMBS.items():
        if name in SLOW_TO_MAKE and "--all" not in sys.argv:
            continue
        data = make()
        began, code = time.monotonic(), ""
        with Peak() as peak:
            try:
                READERS[reader](data)
            except StoneError as error:
                code = error.code
        took = time.monotonic() - began
        said = {"name": name, "bytes": len(data), "code": code, "seconds": took, "more": peak.more}
        print(json.dumps(said), flush=True)


if __name__ == "__main__":
    main()
