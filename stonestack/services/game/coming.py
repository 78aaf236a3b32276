"""Files that are coming in: a note tells of each until something names it."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlmodel import select

from stonestack.core.runtime.errors import Conflict
from stonestack.services.workspace import Workspace
from stonestack.store import disk
from stonestack.store.files import sha256, write_atomically
from stonestack.store.lock import exclusive
from stonestack.store.tables import SourceRow

_DIGITS = 64
"""Of a hash as it names a file."""
_LONG_AGO = 24 * 3600.0


@contextmanager
def coming(ws: Workspace, data: bytes) -> Iterator[str]:
    """Keep a file that is named inside; a note tells of it until it is."""
    digest = sha256(data)
    note = ws.data.coming / digest
    with exclusive(ws.data.coming):
        if not ws.files.holds(digest):
            write_atomically(note, b"")
        ws.files.keep(data)
        yield digest
        disk.now().unlink(note)


def sweep(ws: Workspace) -> None:
    """Delete kept files that were coming in when a hard stop came, and that nothing names."""
    try:
        with exclusive(ws.data.coming, patience=0):
            for note in ws.data.coming.iterdir():
                if note.name.startswith(disk.PREFIX):
                    disk.now().unlink(note)
                elif len(note.name) == _DIGITS:
                    with ws.session() as session:
                        named = select(SourceRow.id).where(SourceRow.sha256 == note.name)
                        if session.exec(named).first() is None:
                            disk.now().unlink(ws.files.path(note.name))
                    disk.now().unlink(note)
            _sweep_halves(ws.data.files)
    except Conflict:
        return  # Somebody brings something in just now.


def _sweep_halves(folder: Path) -> None:
    """Delete files that were not written to their end, long ago."""
    for half in folder.glob(f"*/{disk.PREFIX}*"):
        if half.is_file() and time.time() - half.stat().st_mtime > _LONG_AGO:
            disk.now().unlink(half)
