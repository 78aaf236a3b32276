"""What the disk and the database say when they fail, in a person's words."""

from __future__ import annotations

import errno
import sqlite3

from sqlalchemy.exc import DBAPIError

from stonestack.core.runtime.errors import BadRequest, Conflict, StoneError

_DISK = {
    errno.ENOSPC: ("disk-full", "The disk is full", "Free some space"),
    errno.EDQUOT: ("disk-full", "The disk is full", "Free some space"),
    errno.EFBIG: ("disk-full", "The file is too large for this disk", "Use another disk"),
    errno.EACCES: ("not-permitted", "This may not be written", "Change its permissions"),
    errno.EPERM: ("not-permitted", "This may not be written", "Change its permissions"),
    errno.EROFS: ("not-permitted", "This disk is read-only", "Make it writable"),
    errno.ENAMETOOLONG: ("no-such-path", "This path is too long", "Choose a shorter one"),
    errno.ELOOP: ("no-such-path", "These links lead in a circle", "Choose another path"),
    errno.EBUSY: ("file-in-use", "A file is in use", "Close the game"),
    errno.ETXTBSY: ("file-in-use", "A file is in use", "Close the game"),
}


def of_disk(error: OSError) -> BadRequest:
    """Return what a failed write says: what happened, where, and that nothing was changed."""
    code, what, fix = _DISK.get(
        error.errno or 0,
        ("not-written", f"Writing failed: {error.strerror or error}", "Look at it"),
    )
    place = f": {error.filename}" if error.filename else ""
    return BadRequest(code, f"{what}{place}.", f"{fix}, then try again; nothing was changed.")


def told(error: BaseException) -> StoneError | None:
    """Return what a failure of the disk or the database is in words; None for any other."""
    if isinstance(error, OSError) and error.errno in _DISK:
        return of_disk(error)
    cause = error.orig if isinstance(error, DBAPIError) else error
    return of_database(cause) if isinstance(cause, sqlite3.Error) else None


def of_database(error: sqlite3.Error) -> StoneError | None:
    """Return what a failure of the database is in words; None where it is a fault of ours."""
    name = getattr(error, "sqlite_errorname", "")
    if name.startswith("SQLITE_FULL"):
        return of_disk(OSError(errno.ENOSPC, "full"))
    if name.startswith(("SQLITE_READONLY", "SQLITE_CANTOPEN", "SQLITE_PERM")):
        return BadRequest(
            "not-permitted",
            "The data folder may not be written.",
            "Make it writable for you, then try again; nothing was changed.",
        )
    if name.startswith(("SQLITE_BUSY", "SQLITE_LOCKED")):
        return Conflict(
            "busy",
            "Another Stone Stack is writing into this data folder just now.",
            "Wait until it is done, then try again; nothing was changed.",
        )
    torn = ("SQLITE_CORRUPT", "SQLITE_NOTADB", "SQLITE_IOERR", "SQLITE_SCHEMA")
    # A text that is none is told without a name of its own.
    if name.startswith(torn) or str(error).startswith("Could not decode to UTF-8"):
        return damaged()
    return None


def damaged() -> BadRequest:
    """Return what is said of a damaged database."""
    return BadRequest(
        "database-damaged",
        "The database of the data folder is damaged.",
        "Stop Stone Stack and run: stone-stack check. It offers the newest whole copy.",
    )
