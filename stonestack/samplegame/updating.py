"""The game's own update: a packed file that waits in the game folder.

A game folder is data and never trusted: an update that names anything outside of the folder, goes
through a link or brings one is refused as a whole. What differs is written beside its place first;
a note says that all is there; then each is renamed. After a hard stop the next start does the rest,
or clears away what was only prepared.
"""

from __future__ import annotations

import json
import os
import tarfile
import zlib
from pathlib import Path, PurePosixPath

UPDATE = "update.saltglass"
PENDING = "update.pending"
_NEW = ".saltglass-new-"
_MOST_FILES = 10_000
_MOST_BYTES = 2 << 30


class BadUpdate(Exception):
    """An update that is refused, in words."""


def update(folder: Path) -> int:
    """Bring the game's own files to the version that waits; returns how many were written.

    Raises
    ------
    BadUpdate
        If it is damaged, or names what it must not; then nothing has changed.
    """
    finish(folder)
    fresh: list[str] = []
    try:
        with tarfile.open(folder / UPDATE, "r:gz") as tar:
            members = _seen(folder, tar)
            for member in members:
                reader = tar.extractfile(member)
                data = reader.read() if reader is not None else b""
                place = folder / member.name
                if place.is_file() and place.read_bytes() == data:
                    continue
                place.parent.mkdir(parents=True, exist_ok=True)
                _write_new(_beside(place), data)
                fresh.append(member.name)
    except (tarfile.TarError, OSError, EOFError, zlib.error, ValueError) as error:
        _clear(folder)
        raise BadUpdate(f"The update cannot be read: {error}.") from error
    except BaseException:
        _clear(folder)
        raise
    note = folder / f"{_NEW}note"
    _write_new(note, json.dumps(fresh).encode())
    note.replace(folder / PENDING)
    finish(folder)
    return len(fresh)


def finish(folder: Path) -> None:
    """Do what an interrupted update has left to do, or clear away what it only prepared."""
    pending = folder / PENDING
    if pending.is_file() and not pending.is_symlink():
        for name in _names(pending):
            beside = _beside(folder / name)
            if _inside(folder, name) and beside.is_file() and not beside.is_symlink():
                beside.replace(folder / name)
        pending.unlink()
    _clear(folder)


def _names(pending: Path) -> list[str]:
    """Return what a note says is prepared; one that we have not written says nothing."""
    try:
        said = json.loads(pending.read_text("utf-8"))
    except (ValueError, RecursionError):
        return []
    return [name for name in said if isinstance(name, str)] if isinstance(said, list) else []


def write_plainly(place: Path, text: str) -> None:
    """Write a file of the game's own; a link in its place is replaced, and not followed."""
    beside = _beside(place)
    beside.unlink(missing_ok=True)
    _write_new(beside, text.encode())
    beside.replace(place)


def _seen(folder: Path, tar: tarfile.TarFile) -> list[tarfile.TarInfo]:
    """Return the files of an update, after a look at every entry."""
    files: list[tarfile.TarInfo] = []
    total = 0
    for count, member in enumerate(tar):
        if member.isdir():
            continue
        if not member.isreg():
            raise BadUpdate(f"{member.name} is no plain file. The update is refused.")
        if not _inside(folder, member.name):
            raise BadUpdate(f"{member.name} lies outside of the game. The update is refused.")
        total += max(0, member.size)
        if count > _MOST_FILES or total > _MOST_BYTES or member.size < 0:
            raise BadUpdate("The update is too large. It is refused.")
        files.append(member)
    return files


def _inside(folder: Path, name: str) -> bool:
    """Tell whether a name leads to a place inside the folder, through no link."""
    pure = PurePosixPath(name)
    if pure.is_absolute() or ".." in pure.parts or not pure.parts or "\\" in name or ":" in name:
        return False
    if "\0" in name or any(part.startswith(_NEW) for part in pure.parts):
        return False
    at = folder
    for part in pure.parts:
        at = at / part
        if at.is_symlink():
            return False
    return not at.is_dir()


def _beside(place: Path) -> Path:
    return place.with_name(f"{_NEW}{place.name}")


def _write_new(path: Path, data: bytes) -> None:
    """Write a file that is not there yet, and flush it."""
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0), 0o666)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _clear(folder: Path) -> None:
    for left in folder.rglob(f"{_NEW}*"):
        if left.is_symlink() or left.is_file():
            left.unlink()
