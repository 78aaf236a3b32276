"""What may be reached from a game folder: nothing of our own, and nothing through a link.

Folders are compared by what the system says they are, not by their names: links, other letter
case and mounts give one folder many names.
"""

from __future__ import annotations

import hashlib
import os
import stat
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import NamedTuple

from stonestack.core.runtime.errors import BadRequest
from stonestack.store.disk import FileSource


class FileId(NamedTuple):
    """What a file or folder is to the system, whatever it is called."""

    device: int
    number: int


def id_of(path: Path) -> FileId | None:
    """Return what a path leads to, links followed; None where it leads to nothing."""
    try:
        status = path.stat()
    except OSError:
        return None
    return FileId(status.st_dev, status.st_ino)


def _above(path: Path) -> Iterator[FileId]:
    """Yield a folder's own id, and those of all that it lies in."""
    real = path.resolve()
    for folder in (real, *real.parents):
        found = id_of(folder)
        if found is not None:
            yield found


def refuse_own(root: Path, own: Path) -> None:
    """See that a folder neither holds nor lies in our own data folder.

    Parameters
    ----------
    root : Path
        The folder that is asked for.
    own : Path
        The data folder.

    Raises
    ------
    BadRequest
        If it does, by any name.
    """
    asked, mine = id_of(root), id_of(own)
    if asked is None or mine is None:
        return
    if asked in _above(own) or mine in _above(root):
        raise BadRequest(
            "own-folder",
            f"{root} holds Stone Stack's own data, or lies in it.",
            "Choose the folder that the game itself lies in; the originals that Stone Stack keeps "
            "must stay out of reach.",
        )


def plain_parts(path: str) -> tuple[str, ...]:
    """Return the parts of a path below a folder.

    Raises
    ------
    BadRequest
        If it is absolute, climbs, or holds a zero character.
    """
    pure = PurePosixPath(path)
    parts = pure.parts
    if pure.is_absolute() or not parts or ".." in parts or "\0" in path:
        raise _outside(path)
    return parts


def check_way(root: Path, path: str, own: Iterable[FileId] = ()) -> None:
    """See that a path below a folder leads through no link, and into nothing of our own.

    What is not there yet leads nowhere else. Called again right before anything is written: a
    folder may have become a link since it was listed.

    Raises
    ------
    BadRequest
        If it leads elsewhere.
    """
    at, barred = root, set(own)
    for part in plain_parts(path):
        at = at / part
        try:
            status = at.lstat()
        except FileNotFoundError:
            return
        except OSError as error:
            raise _outside(path) from error
        if stat.S_ISLNK(status.st_mode) or FileId(status.st_dev, status.st_ino) in barred:
            raise _outside(path)


@contextmanager
def opened(root: Path, path: str) -> Iterator[int]:
    """Open a file below a folder for reading, step by step, through no link; yields a handle.

    Raises
    ------
    BadRequest
        If the way leads through a link, or to no plain file.
    FileNotFoundError
        If it is not there.
    """
    handle = _walked(root, path)
    try:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise _outside(path)
        yield handle
    finally:
        os.close(handle)


@contextmanager
def source(root: Path, path: str) -> Iterator[FileSource]:
    """Open a file below a folder to be read at any place; see :func:`opened`."""
    with opened(root, path) as handle, FileSource(handle) as file:
        yield file


def read(root: Path, path: str) -> bytes:
    """Return what a file below a folder holds; see :func:`opened`."""
    with opened(root, path) as handle, os.fdopen(handle, "rb", closefd=False) as file:
        return file.read()


def digest(root: Path, path: str) -> str:
    """Return the content hash of a file below a folder; empty where there is none."""
    try:
        with opened(root, path) as handle, os.fdopen(handle, "rb", closefd=False) as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except FileNotFoundError:
        return ""


def _walked(root: Path, path: str) -> int:
    *folders, name = plain_parts(path)
    # A pipe in a file's place must not make us wait for somebody to write into it.
    plain = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)
    if os.open not in os.supports_dir_fd:
        check_way(root, path)
        return os.open(root.joinpath(*folders, name), plain)
    handle = os.open(root, os.O_RDONLY | os.O_DIRECTORY)
    try:
        for folder in folders:
            flags = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW
            handle = _stepped(handle, folder, flags, path)
        return _stepped(handle, name, plain | os.O_NOFOLLOW, path)
    except BaseException:
        os.close(handle)
        raise


def _stepped(handle: int, name: str, flags: int, path: str) -> int:
    """Open a name in an open folder, which is closed."""
    try:
        found = os.open(name, flags, dir_fd=handle)
    except FileNotFoundError:
        raise
    except OSError as error:
        if _is_link(handle, name):
            raise _outside(path) from error
        raise
    os.close(handle)
    return found


def _is_link(handle: int, name: str) -> bool:
    try:
        return stat.S_ISLNK(os.stat(name, dir_fd=handle, follow_symlinks=False).st_mode)
    except OSError:
        return False


def _outside(path: str) -> BadRequest:
    return BadRequest(
        "leads-elsewhere",
        f"{path} leads out of the game folder, or through a link.",
        "Read the folder again; links are not followed.",
    )
