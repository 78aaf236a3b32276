"""Collect kept files that nothing refers to any more."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from pydantic import BaseModel
from sqlmodel import Session, select

from stonestack.core.runtime.errors import Conflict
from stonestack.services.workspace import Workspace
from stonestack.store import disk
from stonestack.store.lock import exclusive
from stonestack.store.tables import PlacedRow, SourceRow, WorkfileRow

LEAST_AGE = 24 * 3600.0
"""Seconds; what was kept since may be on its way into a document."""
_EVERY = 7 * 24 * 3600.0
_STAMP = "collected"
_HASH = re.compile(r"[0-9a-f]{64}")


class Collected(BaseModel):
    """What was collected."""

    files: int = 0
    bytes: int = 0


def due(ws: Workspace) -> bool:
    """Tell whether a week has gone by since files were collected."""
    stamp = ws.data.files / _STAMP
    return not stamp.is_file() or time.time() - stamp.stat().st_mtime > _EVERY


def collect(ws: Workspace, age: float = LEAST_AGE) -> Collected:
    """Delete kept files that no source, document, working file or game refers to.

    Parameters
    ----------
    age : float
        Seconds for which a file has to have been left alone.
    """
    gone = Collected()
    with suppress(Conflict), exclusive(ws.data.coming, patience=0):
        old = ws.files.old(age)
        loose = _loose(ws, set(old))
        for digest in loose:
            gone.bytes += _deleted(old[digest], age)
        gone.files = len(loose)
        stamp = ws.data.files / _STAMP
        stamp.touch()
    return gone


def _loose(ws: Workspace, candidates: set[str]) -> set[str]:
    """Return those of some files that nothing refers to."""
    left = set(candidates)
    with ws.session() as session:
        left -= set(session.exec(select(SourceRow.sha256)).all())
        left -= set(session.exec(select(WorkfileRow.sent)).all())
        left -= set(session.exec(select(PlacedRow.ours)).all())
        for body in _bodies(session):
            if not left:
                break
            left.difference_update(_HASH.findall(body))
    needed = {other for digest in candidates - left for other in ws.files.behind(digest)}
    return left - needed


def _bodies(session: Session) -> Iterator[str]:
    """Yield every state of every document, the newest first."""
    rows = session.connection().exec_driver_sql("SELECT body FROM revision ORDER BY id DESC")
    for (body,) in rows:
        yield body


def _deleted(path: Path, age: float) -> int:
    """Delete a file, unless it was used just now; return its size."""
    away = disk.beside(path)
    with suppress(FileNotFoundError):
        disk.now().rename(path, away)
        status = away.stat()
        if time.time() - status.st_mtime < age:
            disk.now().rename(away, path)
            return 0
        disk.now().unlink(away)
        return status.st_size
    return 0
