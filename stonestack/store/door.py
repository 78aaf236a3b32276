"""One door to a game folder: who changes anything there holds it, over threads and processes.

The system's own lock on the folder itself is taken, so that nothing is written into the game and
two data folders see each other. It goes when its holder dies. Where a system knows no such lock,
one in the data folder stands for it.
"""

from __future__ import annotations

import errno
import json
import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from stonestack.core.runtime.errors import Conflict, NotFound
from stonestack.store.lock import exclusive
from stonestack.store.reach import FileId, id_of

PATIENCE = 60.0
"""Seconds to wait for another holder, as long as nobody says otherwise."""
_PAUSE = 0.02

_NO_LOCKS = (errno.ENOLCK, errno.ENOSYS, errno.EOPNOTSUPP, errno.EINVAL)
"""What disks say that know no locks, network disks among them."""

_mine = threading.local()


@contextmanager
def door(folder: Path, notes: Path, doing: str, patience: float | None = None) -> Iterator[None]:
    """Hold the door to a folder; who holds it already in this thread goes through.

    Parameters
    ----------
    folder : Path
        The game folder; it may be named in any way.
    notes : Path
        Where this data folder says who holds which door.
    doing : str
        What it is held for, said to others who wait: "putting 3 files back".
    patience : float, optional
        Seconds to wait.

    Raises
    ------
    Conflict
        If another holds it for longer; the words say who, as far as that is known.
    NotFound
        If there is no such folder.
    """
    key = id_of(folder)
    if key is None:
        raise NotFound(
            "folder-gone",
            f"The game folder {folder} is not there now.",
            "Point to where it lies now; what is kept of it is safe.",
        )
    held: set[FileId] = _mine.__dict__.setdefault("held", set())
    if key in held:
        yield
        return
    notes.mkdir(parents=True, exist_ok=True)
    note = notes / f"{key.device:x}-{key.number:x}"
    with _locked(folder, note, PATIENCE if patience is None else patience):
        note.write_text(
            json.dumps({"process": os.getpid(), "doing": doing, "since": time.time()}), "utf-8"
        )
        held.add(key)
        try:
            yield
        finally:
            held.discard(key)
            with suppress(OSError):
                note.unlink()


@contextmanager
def _locked(folder: Path, note: Path, patience: float) -> Iterator[None]:
    handle = _flocked(folder, note, patience)
    if handle is None:
        with exclusive(note.with_suffix(".held"), patience):
            yield
        return
    import fcntl

    try:
        yield
    finally:
        # Let go of by name: a process that was forked meanwhile has a copy of the handle.
        fcntl.flock(handle, fcntl.LOCK_UN)
        os.close(handle)


def _flocked(folder: Path, note: Path, patience: float) -> int | None:
    """Take the system's lock on a folder; None where the system or the disk has none."""
    try:
        import fcntl
    except ImportError:
        return None
    handle = os.open(folder, os.O_RDONLY)
    end = time.monotonic() + patience
    try:
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                return handle
            except BlockingIOError as error:
                if time.monotonic() >= end:
                    raise _busy(note) from error
                time.sleep(_PAUSE)
    except OSError as error:
        os.close(handle)
        if error.errno in _NO_LOCKS:
            return None
        raise
    except BaseException:
        os.close(handle)
        raise


def _busy(note: Path) -> Conflict:
    """Say who holds a door, as far as their note tells."""
    try:
        who = json.loads(note.read_text("utf-8"))
        process, doing, since = int(who["process"]), str(who["doing"]), float(who["since"])
    except (OSError, ValueError, KeyError, TypeError):
        words = "Another Stone Stack, with a data folder of its own, is changing this game folder."
    else:
        here = " (this one)" if process == os.getpid() else ""
        at = time.strftime("%H:%M", time.localtime(since))
        words = f"Stone Stack, process {process}{here}, has been {doing} since {at}."
    return Conflict("busy", words, "Wait until it is done, then try again; nothing was changed.")
