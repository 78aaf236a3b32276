"""What changes in a data folder, by whomever: this program, another tab, or a command beside it."""

from __future__ import annotations

import threading
import time
from collections import deque

from pydantic import BaseModel
from sqlalchemy import Engine

_LOOKED_EVERY = 0.2
"""Seconds between two looks; the database says in microseconds whether anything was written."""
_KEPT = 200
_DOCUMENTS = "SELECT id, kind, project_id, head, moves FROM document"


class Moved(BaseModel):
    """A document that has another state now.

    Parameters
    ----------
    revision : int
        The one that it is at.
    moves : int
        Tells which of two answers is newer.
    """

    id: str
    kind: str
    project: str
    revision: int
    moves: int


class Change(BaseModel):
    """Something was written: which documents moved; none where it was something else."""

    documents: list[Moved]


class Changes:
    """Watches the database for as long as somebody listens.

    Parameters
    ----------
    engine : Engine
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._news = threading.Condition()
        self._latest: deque[tuple[int, Change]] = deque(maxlen=_KEPT)
        self._count = 0
        self._thread: threading.Thread | None = None
        self._over = False

    def listen(self) -> int:
        """Begin to listen; returns the place from which on changes are told."""
        with self._news:
            if self._thread is None:
                self._thread = threading.Thread(target=self._watch, name="changes", daemon=True)
                self._thread.start()
            return self._count

    def since(self, place: int, patience: float) -> tuple[int, list[Change]] | None:
        """Wait for changes after a place; None once there will be no more.

        Parameters
        ----------
        patience : float
            Seconds after which an empty list is returned.
        """
        with self._news:
            self._news.wait_for(lambda: self._over or self._count > place, patience)
            if self._over:
                return None
            return self._count, [change for number, change in self._latest if number > place]

    def close(self) -> None:
        """Watch no more; all who listen are let go."""
        with self._news:
            self._over = True
            self._news.notify_all()
        if self._thread is not None:
            self._thread.join()

    def _watch(self) -> None:
        with self._engine.connect() as connection:
            # A connection that never writes sees each write of all others as another version.
            driver = connection.connection.dbapi_connection
            assert driver is not None
            seen, known = -1, None
            while not self._over:
                version = driver.execute("PRAGMA data_version").fetchone()[0]
                if version != seen:
                    seen, before = version, known
                    rows = driver.execute(_DOCUMENTS)
                    known = {row[0]: row for row in rows}
                    if before is not None:
                        moved = [row for key, row in known.items() if before.get(key) != row]
                        self._tell([_moved(*row) for row in moved])
                time.sleep(_LOOKED_EVERY)

    def _tell(self, documents: list[Moved]) -> None:
        with self._news:
            self._count += 1
            self._latest.append((self._count, Change(documents=documents)))
            self._news.notify_all()


def _moved(document_id: str, kind: str, project: str, revision: int, moves: int) -> Moved:
    return Moved(id=document_id, kind=kind, project=project, revision=revision, moves=moves)
