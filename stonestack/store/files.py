"""The one small layer through which files are written: beside the target, flushed, renamed."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from pydantic import BaseModel, ValidationError

from stonestack.core.runtime.errors import Conflict, NotFound
from stonestack.store import disk


def sha256(data: bytes) -> str:
    """Return the content hash that names a file."""
    return hashlib.sha256(data).hexdigest()


def sha256_of(path: Path) -> str:
    """Return the content hash of a file of any size."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def write_atomically(path: Path, data: bytes, private: bool = False) -> None:
    """Write a file so that at any moment it is either the old one or the new one, whole.

    Parameters
    ----------
    private : bool
        Whether its owner alone may read it.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = disk.beside(path)
    try:
        disk.now().write(beside, [data])
        if private:
            beside.chmod(0o600)
        disk.now().rename(beside, path)
    except BaseException:
        disk.now().unlink(beside)
        raise
    disk.now().flush_folder(path.parent)


def write_folder_atomically(
    target: Path, files: Iterable[tuple[str, bytes]], shared: bool = False
) -> None:
    """Write a whole folder beside its place, then rename it into place.

    Parameters
    ----------
    target : Path
        Must not exist yet.
    files : iterable of (str, bytes)
        Relative paths with forward slashes, and contents; each is written before the next is
        asked for.
    shared : bool
        Whether it lies outside of our own, where others may read it.
    """
    if shared:
        disk.now().make_folders(target.parent)
    target.parent.mkdir(parents=True, exist_ok=True)
    temporary = disk.beside(target)
    temporary.mkdir()
    try:
        for name, data in files:
            write_atomically(temporary / name, data)
        if shared:
            for path in (temporary, *temporary.rglob("*")):
                disk.share(path)
        disk.now().rename(temporary, target)
    except BaseException:
        shutil.rmtree(temporary, ignore_errors=True)
        raise
    disk.now().flush_folder(target.parent)


class Growth(BaseModel):
    """What is kept of a file that another grew into: that one's beginning, and what follows it.

    Parameters
    ----------
    before : str
        Content hash of the other file.
    keeps : int
        Bytes of it that this one begins with.
    links : int
        How many such files lie one behind the other, with this one.
    since : int
        Bytes that follow, of all of these.
    """

    before: str
    keeps: int
    links: int
    since: int


_GROWN = ".grown"
_MOST_LINKS = 64
"""Growths that are read one after the other; then a file is kept whole again."""


class FileStore:
    """Files named by the hash of their content.

    One that another grew into may be kept as what was added alone (:meth:`keep_grown`).
    """

    def __init__(self, root: Path) -> None:
        self._root = root
        self._lock = threading.Lock()
        self._lent: dict[str, list[bytes]] = {}

    def _path(self, digest: str) -> Path:
        return self._root / digest[:2] / digest

    def _growth(self, digest: str) -> tuple[Growth, bytes] | None:
        """Return what is kept of a file that another grew into, and what follows that."""
        try:
            head, _, tail = self._path(digest + _GROWN).read_bytes().partition(b"\n")
            return Growth.model_validate_json(head), tail
        except (FileNotFoundError, ValidationError):
            return None

    def behind(self, digest: str) -> list[str]:
        """Return the hashes of the files that one grew from, the nearest first."""
        found: list[str] = []
        while (growth := self._growth(digest)) is not None and len(found) <= _MOST_LINKS:
            digest = growth[0].before
            found.append(digest)
        return found

    def _bytes(self, digest: str) -> bytes:
        """Return a file's bytes, unchecked."""
        tails: list[tuple[int, bytes]] = []
        at = digest
        while (growth := self._growth(at)) is not None and len(tails) <= _MOST_LINKS:
            tails.append((growth[0].keeps, growth[1]))
            at = growth[0].before
        data = self._path(at).read_bytes()
        for keeps, tail in reversed(tails):
            data = data[:keeps] + tail
        return data

    def holds(self, digest: str) -> bool:
        """Tell whether a file is kept, without reading it."""
        return self._path(digest).is_file() or self._path(digest + _GROWN).is_file()

    def whole(self, digest: str) -> bool:
        """Tell whether a file is kept and its content still fits its name."""
        path = self._path(digest)
        if not path.is_file() and self.holds(digest):
            with suppress(FileNotFoundError):
                return sha256(self._bytes(digest)) == digest
        return path.is_file() and sha256_of(path) == digest

    def path(self, digest: str) -> Path:
        """Return where a kept file lies, for copying; never for writing."""
        return self._path(digest)

    def keep_copy(self, original: Path) -> str:
        """Keep a copy of a file of any size, read it back to verify, and return its hash.

        Raises
        ------
        Conflict
            If the file was changed by somebody else while it was copied.
        """
        digest = sha256_of(original)
        path = self._path(digest)
        if not self.whole(digest):
            path.parent.mkdir(parents=True, exist_ok=True)
            beside = disk.beside(path)
            try:
                disk.now().write(beside, disk.pieces(original))
                if sha256_of(beside) != digest:
                    raise Conflict(
                        "changed-meanwhile",
                        f"{original.name} was changed by somebody else while it was copied.",
                        "Wait until the other program is done, then try again.",
                    )
                disk.now().rename(beside, path)
            except BaseException:
                disk.now().unlink(beside)
                raise
            disk.now().flush_folder(path.parent)
        return digest

    def keep(self, data: bytes) -> str:
        """Keep a file and return its hash; the same content is kept once."""
        digest = sha256(data)
        path = self._path(digest)
        if not _used_again(path):
            write_atomically(path, data)
        return digest

    def keep_grown(self, data: bytes, before: str, keeps: int) -> str:
        """Keep a file whose first bytes are those of another, as what follows them.

        So a drawing of many strokes takes about the room of its last state. Now and then one is
        kept whole, so that none is read from many pieces.
        """
        digest, path = sha256(data), self._path(sha256(data))
        growth = self._growth(before)
        links, since = (growth[0].links, growth[0].since) if growth else (0, 0)
        tail = data[keeps:]
        if links >= _MOST_LINKS or since + len(tail) > len(data) / 2:
            return self.keep(data)
        grown = self._path(digest + _GROWN)
        if not _used_again(path) and not _used_again(grown):
            head = Growth(before=before, keeps=keeps, links=links + 1, since=since + len(tail))
            write_atomically(grown, head.model_dump_json().encode() + b"\n" + tail)
        return digest

    def old(self, seconds: float) -> dict[str, Path]:
        """Return files that were not kept, or kept again, for so long, by their hashes."""
        latest = time.time() - seconds
        return {
            path.name.removesuffix(_GROWN): path
            for path in self._root.glob("??/*")
            if not path.name.startswith(disk.PREFIX) and path.stat().st_mtime < latest
        }

    @contextmanager
    def lending(self, *contents: bytes) -> Iterator[list[str]]:
        """Let files be read by their hashes for a while, and keep none; yields the hashes."""
        digests = [sha256(data) for data in contents]
        with self._lock:
            for digest, data in zip(digests, contents, strict=True):
                self._lent.setdefault(digest, []).append(data)
        try:
            yield digests
        finally:
            with self._lock:
                for digest in digests:
                    self._lent[digest].pop()
                    if not self._lent[digest]:
                        del self._lent[digest]

    def read(self, digest: str) -> bytes:
        """Return a kept file, or one that is lent.

        Raises
        ------
        NotFound
            If it is not there, or its content no longer fits its name.
        """
        with self._lock:
            if lent := self._lent.get(digest):
                return lent[-1]
        try:
            data = self._bytes(digest)
        except FileNotFoundError as error:
            raise NotFound(
                "source-missing",
                f"The imported file {digest[:12]} is missing from the data folder.",
                "Bring the picture in again.",
            ) from error
        if sha256(data) != digest:
            raise NotFound(
                "source-damaged",
                f"The imported file {digest[:12]} has changed on disk.",
                "Bring the picture in again.",
            )
        return data


def _used_again(path: Path) -> bool:
    """Tell whether a file is there, and mark it as used now: so it is not collected meanwhile."""
    try:
        os.utime(path)
    except FileNotFoundError:
        return False
    return True


_SEAL = 16
"""Bytes at the end of a kept render by which it is seen to be whole."""


_OVER, _LEAST = 16, 1 << 20
"""One part in so many of its limit, or so many bytes, is what a cache may be over it."""


def _seal(data: bytes) -> bytes:
    return hashlib.blake2b(data, digest_size=_SEAL).digest()


class Cache:
    """Rendered files by key; losing one costs only time.

    They are not flushed to disk, so a power cut may leave one short or empty. Each ends with a hash
    of itself; one that does not fit is no longer there.
    """

    def __init__(self, root: Path, most_bytes: int = 4 << 30) -> None:
        self.root = root
        self._most_bytes = most_bytes
        self._lock = threading.Lock()
        self._written = 0
        """Bytes since it was trimmed."""

    def path(self, key: str, kind: str) -> Path:
        """Return where a render of one kind lies, or would lie."""
        return self.root / key[:2] / f"{key}.{kind}"

    def read(self, key: str, kind: str) -> bytes | None:
        """Return a kept render, or None where there is none, or none that is whole."""
        path = self.path(key, kind)
        try:
            whole = path.read_bytes()
        except FileNotFoundError:
            return None
        data = whole[:-_SEAL]
        if whole[-_SEAL:] != _seal(data):
            path.unlink(missing_ok=True)
            return None
        with suppress(OSError):
            os.utime(path)  # What is used stays longest.
        return data

    def write(self, key: str, kind: str, data: bytes) -> None:
        """Keep a render."""
        path = self.path(key, kind)
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=disk.PREFIX)
        with os.fdopen(handle, "wb") as file:
            file.write(data + _seal(data))
        Path(name).replace(path)
        with self._lock:
            self._written += len(data)
            due = self._written > max(_LEAST, self._most_bytes // _OVER)
            self._written = 0 if due else self._written
        if due:
            self.trim()

    def trim(self) -> int:
        """Delete the renders used longest ago until the limit is kept; return bytes freed."""
        files = []
        for path in self.root.glob("??/*"):
            with suppress(FileNotFoundError):
                files.append((path, path.stat()))
        total = sum(stat.st_size for _, stat in files)
        freed = 0
        for path, stat in sorted(files, key=lambda item: item[1].st_mtime):
            if total - freed <= self._most_bytes:
                break
            path.unlink(missing_ok=True)
            freed += stat.st_size
        return freed
