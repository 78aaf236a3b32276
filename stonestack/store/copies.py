"""Copies of the database: kept before each migration and once a day, the last five."""

from __future__ import annotations

import os
import sqlite3
import time
from contextlib import closing
from pathlib import Path

from stonestack.core.runtime.errors import BadRequest, NotFound
from stonestack.store import disk
from stonestack.store.place import DataFolder

KEPT = 5
DAY = 24 * 3600.0
_NAME = "%Y%m%d-%H%M%S"


def copies(data: DataFolder) -> list[Path]:
    """Return the copies, the newest first."""
    return sorted(data.copies.glob("*.sqlite3"), reverse=True) if data.copies.is_dir() else []


def keep(data: DataFolder, at_most_every: float = 0.0) -> Path | None:
    """Keep a copy of the database as it is; only one that is whole.

    Parameters
    ----------
    at_most_every : float
        Seconds that must lie between two copies; else none is kept.

    Returns
    -------
    Path or None
        The copy, or None where none was due, or there is no whole database to copy.

    Raises
    ------
    OSError
        If the disk is full; then nothing has changed.
    """
    known = copies(data)
    if known and time.time() - known[0].stat().st_mtime < at_most_every:
        return None
    if not data.database.is_file():
        return None
    data.copies.mkdir(exist_ok=True)
    disk.see_room(data.copies, data.database.stat().st_size)
    place = data.copies / f"{time.strftime(_NAME)}.sqlite3"
    beside = disk.beside(place)
    try:
        with closing(_opened(data.database)) as source, closing(sqlite3.connect(beside)) as copy:
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")
        if faults(beside):
            return None
        with beside.open("rb+") as file:
            os.fsync(file.fileno())
        disk.now().rename(beside, place)
        disk.now().flush_folder(data.copies)
    except sqlite3.DatabaseError:
        # What is damaged is no copy to go back to; those there are stay.
        return None
    finally:
        disk.now().unlink(beside)
    for old in copies(data)[KEPT:]:
        disk.now().unlink(old)
    return place


def faults(database: Path) -> list[str]:
    """Return what is wrong inside a database file; nothing where it is whole."""
    try:
        with closing(_opened(database)) as connection:
            found = [str(row[0]) for row in connection.execute("PRAGMA integrity_check(20)")]
            broken = connection.execute("PRAGMA foreign_key_check").fetchall()
            tables = {r[0] for r in connection.execute("SELECT name FROM sqlite_master")}
    except sqlite3.DatabaseError as error:
        return [str(error)]
    found = [] if found == ["ok"] else found
    found += [f"a {row[0]} points at a {row[2]} that is not there" for row in broken[:20]]
    if "alembic_version" not in tables:
        found.append("it holds no tables of ours")
    return found


def put_back(data: DataFolder, copy: Path) -> Path:
    """Put a copy in the database's place; what was there stays beside it under another name.

    Returns
    -------
    Path
        Where the former database is now.

    Raises
    ------
    BadRequest
        If the copy is damaged itself.
    NotFound
        If there is no such copy.
    """
    if not copy.is_file():
        raise NotFound(
            "no-such-copy", f"There is no copy {copy.name}.", "stone-stack check lists them."
        )
    if faults(copy):
        raise BadRequest("copy-damaged", f"The copy {copy.name} is damaged.", "Choose another.")
    aside = data.database.with_name(f"{data.database.name}.{time.strftime(_NAME)}.damaged")
    beside = disk.beside(data.database)
    disk.now().write(beside, disk.pieces(copy))
    for suffix in ("-wal", "-shm"):
        log = data.database.with_name(data.database.name + suffix)
        if log.exists():
            disk.now().rename(log, log.with_name(aside.name + suffix))
    if data.database.exists():
        disk.now().link(data.database, aside)
    disk.now().rename(beside, data.database)
    disk.now().flush_folder(data.root)
    return aside


def see_not_lost(data: DataFolder) -> None:
    """See that no empty database is begun beside originals and files that belong to another.

    Raises
    ------
    BadRequest
        If the database is not there, or is empty, though the data folder holds kept files.
    """
    database = data.database
    if database.is_file() and database.stat().st_size > 0:
        return
    full = [folder for folder in (data.safe, data.files) if _holds_something(folder)]
    if full:
        words = "is empty" if database.is_file() else "is not there"
        raise BadRequest(
            "database-lost",
            f"The database {database} {words}, but {full[0].name} beside it is not empty.",
            "Run: stone-stack check. It offers the newest copy; stone-stack safe gives originals "
            "back without any database.",
        )


def _holds_something(folder: Path) -> bool:
    return folder.is_dir() and any(path.is_file() for path in folder.rglob("*"))


def _opened(database: Path) -> sqlite3.Connection:
    """Open a database that must be there."""
    return sqlite3.connect(f"{database.resolve().as_uri()}?mode=rw", uri=True, timeout=30)
