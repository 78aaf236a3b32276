"""The few operations by which anything is written, in one place.

Everything that must survive a power cut goes through :func:`now`: a file is written beside its
place and flushed, renamed, and its folder flushed. A test puts a recorder here, and replays what
it has recorded with the parts that were not flushed left out.
"""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path

PREFIX = ".stonestack-"
"""Files that are being written begin with this; nothing else does."""
_CHUNK = 4 << 20


class Disk:
    """Writes to the real disk."""

    def write(self, path: Path, pieces: Iterable[bytes]) -> None:
        """Write a new file and flush it.

        Raises
        ------
        FileExistsError
            If something is there already.
        """
        with path.open("xb") as file:
            for piece in pieces:
                file.write(piece)
            file.flush()
            os.fsync(file.fileno())

    def append(self, path: Path, line: bytes) -> None:
        """Write a line at the end of a file, made where it is missing, and flush it."""
        with path.open("a+b") as file:
            end = file.seek(0, os.SEEK_END)
            if end:
                # What a crash left of a line is no line; ours begins a new one.
                file.seek(end - 1)
                line = (b"" if file.read(1) == b"\n" else b"\n") + line
            file.write(line)
            file.flush()
            os.fsync(file.fileno())
        if not end:
            self.flush_folder(path.parent)

    def rename(self, source: Path, target: Path) -> None:
        """Put a file or folder in another's place, in one step."""
        source.replace(target)

    def link(self, source: Path, second: Path) -> None:
        """Give a file a second name; where the disk has no such thing, a copy."""
        try:
            second.hardlink_to(source)
        except FileExistsError:
            raise
        except OSError:
            self.write(second, pieces(source))

    def unlink(self, path: Path) -> None:
        """Delete a file, where it is there."""
        path.unlink(missing_ok=True)

    def make_folders(self, folder: Path) -> None:
        """Make a folder that others may enter, and those above it, and flush their names."""
        missing = [f for f in (folder, *folder.parents) if not f.is_dir()]
        for each in reversed(missing):
            each.mkdir(exist_ok=True)
            share(each)
            self.flush_folder(each.parent)

    def remove_folder(self, folder: Path) -> None:
        """Delete a folder that nothing lies in."""
        folder.rmdir()

    def remove_tree(self, folder: Path) -> None:
        """Delete a folder with all that lies in it; links in it are deleted, not followed."""
        for at, folders, files in os.walk(folder, topdown=False):
            for name in files:
                self.unlink(Path(at, name))
            for name in folders:
                path = Path(at, name)
                if path.is_symlink():
                    self.unlink(path)
                else:
                    self.remove_folder(path)
        self.remove_folder(folder)

    def flush_folder(self, folder: Path) -> None:
        """Flush new names and renames, where the system lets folders be opened."""
        if os.name == "nt":
            return
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


_now: Disk = Disk()


def now() -> Disk:
    """Return the disk that is written to."""
    return _now


@contextlib.contextmanager
def using(other: Disk) -> Iterator[None]:
    """Write to another disk for a while; for tests."""
    global _now
    before, _now = _now, other
    try:
        yield
    finally:
        _now = before


_OTHERS = 0o077
_usual_mask: int | None = None


def keep_private() -> None:
    """From here on, new files and folders are their owner's only; see :func:`share`."""
    global _usual_mask
    before = os.umask(_OTHERS)
    if _usual_mask is None:
        _usual_mask = before


def share(path: Path) -> None:
    """Give a file or folder outside of our own the rights that new ones usually have."""
    if _usual_mask is not None:
        path.chmod((0o777 if path.is_dir() else 0o666) & ~_usual_mask)


SPARE = 32 << 20
"""Bytes that are left free on a disk: the database and the system need some, too."""


def see_room(folder: Path, wanted: int) -> None:
    """See that a disk has room for so many bytes more.

    Raises
    ------
    OSError
        As a full disk does, before anything is written.
    """
    if shutil.disk_usage(folder).free < wanted + SPARE:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(folder))


def beside(path: Path) -> Path:
    """Return a new name beside ``path`` for writing, on the same disk."""
    return path.with_name(f"{PREFIX}{secrets.token_hex(8)}")


def pieces(path: Path) -> Iterator[bytes]:
    """Yield a file's bytes in pieces."""
    with path.open("rb") as file:
        while piece := file.read(_CHUNK):
            yield piece


class FileSource:
    """A file on disk that is read at any place (see :class:`core.containers.form.Source`)."""

    def __init__(self, place: Path | int) -> None:
        """Open a path, or read from a handle that stays its owner's."""
        self._file = (
            os.fdopen(place, "rb", closefd=False) if isinstance(place, int) else place.open("rb")
        )
        self.size = os.fstat(self._file.fileno()).st_size

    def at(self, offset: int, length: int) -> bytes:
        """Return up to ``length`` bytes from ``offset`` on."""
        self._file.seek(offset)
        return self._file.read(length)

    def __enter__(self) -> FileSource:
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()
