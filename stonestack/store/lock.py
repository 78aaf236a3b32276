"""One program at a time: a lock that the system lets go of when its holder dies.

A transaction on a small database of its own is such a lock on every system.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from stonestack.core.runtime.errors import Conflict


@contextmanager
def exclusive(folder: Path, patience: float = 60.0) -> Iterator[None]:
    """Hold a folder's lock.

    Parameters
    ----------
    patience : float
        Seconds to wait for another holder.

    Raises
    ------
    Conflict
        If another program holds it for longer.
    """
    folder.mkdir(parents=True, exist_ok=True)
    place = folder / "lock.sqlite3"
    with closing(sqlite3.connect(place, timeout=patience, isolation_level=None)) as database:
        try:
            database.execute("BEGIN EXCLUSIVE")
        except sqlite3.OperationalError as error:
            raise Conflict(
                "busy",
                "Another Stone Stack is changing a game folder just now.",
                "Wait until it is done, then try again.",
            ) from error
        yield
