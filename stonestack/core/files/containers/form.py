"""The small interface that every container form fulfils."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from stonestack.core.runtime.errors import BadFile

MOST_ENTRY = 512 << 20
"""Largest single entry that is read into memory."""
TOO_LARGE = f"it is larger than {MOST_ENTRY >> 20} MB"
MOST_FILES = 250_000
"""Entries that a container may list, and one file may unfold to in all."""
CHUNK = 4 << 20


class Source(Protocol):
    """Bytes that can be read at any place, without holding them all."""

    @property
    def size(self) -> int:
        """Bytes in all."""

    def at(self, offset: int, length: int) -> bytes:
        """Return up to ``length`` bytes from ``offset`` on; fewer at the end."""


@dataclass(frozen=True)
class Held:
    """A source in memory."""

    data: bytes

    @property
    def size(self) -> int:
        """Bytes in all."""
        return len(self.data)

    def at(self, offset: int, length: int) -> bytes:
        """Return up to ``length`` bytes from ``offset`` on."""
        return self.data[offset : offset + length]


@dataclass(frozen=True)
class Entry:
    """One file inside a container.

    Parameters
    ----------
    index : int
        Its place in the container's own list; this, not the name, identifies it.
    name : str
        As stored, with forward slashes.
    size : int
        Bytes of its content.
    offset : int
        Where its content begins in the container, for knowing it again; -1 if unknown.
    problem : str
        Why its content cannot be read, or empty.
    """

    index: int
    name: str
    size: int
    offset: int = -1
    problem: str = ""


class Allowance:
    """What one file may unfold to, however its containers lie in each other.

    Parameters
    ----------
    size : int
        Bytes of the file: a large one may hold more.
    """

    def __init__(self, size: int) -> None:
        self._bytes = max(2 << 30, 100 * size)
        self._files = min(MOST_FILES, max(10_000, size // 64))

    def list(self, container: Container) -> Sequence[Entry]:
        """Return a container's entries, and count them.

        Raises
        ------
        BadFile
            If they are more than are allowed.
        """
        self._files -= len(container.entries)
        if self._files < 0:
            raise _unfolds("more files")
        return container.entries

    def read(self, container: Container, entry: Entry) -> bytes:
        """Return an entry's content, and count its bytes before they are unfolded.

        Raises
        ------
        BadFile
            If they are more than are allowed, or the entry cannot be read.
        """
        self._bytes -= entry.size
        if self._bytes < 0:
            raise _unfolds("more bytes")
        return container.read(entry.index)


class Container(Protocol):
    """An open container."""

    @property
    def entries(self) -> Sequence[Entry]:
        """All files in it, in the container's own order; folders and links are left out."""

    def read(self, index: int) -> bytes:
        """Return the content of an entry.

        Raises
        ------
        BadFile
            If it is damaged, encrypted, or packed in a way that is not read.
        """

    def rewritten(self, changes: Mapping[int, bytes]) -> Iterator[bytes]:
        """Yield the container's bytes with some entries' content replaced."""


@dataclass(frozen=True)
class Form:
    """A kind of container.

    Parameters
    ----------
    name : str
        On screen and in lists.
    told : callable
        Whether a file's first bytes show this form.
    open : callable
        Reads the list of entries.
    """

    name: str
    told: Callable[[bytes], bool]
    open: Callable[[Source], Container]


def copied(source: Source, start: int, stop: int) -> Iterator[bytes]:
    """Yield a part of a source, in pieces.

    Raises
    ------
    BadFile
        If the source ends early: somebody else is changing it.
    """
    while start < stop:
        piece = source.at(start, min(CHUNK, stop - start))
        if not piece:
            raise damaged("it ends before its entries do")
        yield piece
        start += len(piece)


def too_many(count: int) -> BadFile:
    """Return the error for a container that lists more than is read."""
    return BadFile(
        "too-many-files",
        f"The container lists {count:,} files; {MOST_FILES:,} are the most that are read.",
        "Unpack it, or split it into several.",
    )


def _unfolds(what: str) -> BadFile:
    return BadFile(
        "unfolds-too-far",
        f"It unfolds to {what} than a file of its size should.",
        "What was read before is listed; unpack the rest yourself if it is to be trusted.",
    )


def damaged(why: str) -> BadFile:
    """Return the error for a container that is not whole."""
    return BadFile(
        "container-damaged",
        f"The container is damaged: {why}.",
        "Fetch the file again, or let the game repair its files.",
    )


def unreadable(name: str, why: str) -> BadFile:
    """Return the error for an entry that cannot be read."""
    return BadFile(
        "entry-not-read",
        f"“{name[-80:]}” in this container cannot be read: {why}.",
        "It is listed and stays as it is.",
    )
