"""The small interface that every container form fulfils."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from stonestack.core.errors import BadFile

MOST_ENTRY = 1 << 30
"""Largest single entry that is read into memory."""
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
