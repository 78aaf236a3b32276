"""TAR containers.

Source: POSIX.1-2017, "pax Interchange Format" and "ustar Interchange Format" (pax utility);
size above eight gigabytes in base 256 as GNU tar writes it. Python's tarfile reads the list;
rewriting copies all other blocks bit for bit.
"""

from __future__ import annotations

import io
import tarfile
from collections.abc import Iterator, Mapping

from stonestack.core.containers.form import (
    MOST_ENTRY,
    Container,
    Entry,
    Form,
    Source,
    copied,
    damaged,
    unreadable,
)

_BLOCK = 512
_SIZE_AT, _SIZE_END = 124, 136
_SUM_AT, _SUM_END = 148, 156


class _Stream(io.RawIOBase):
    """A source as the file object that tarfile reads."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self._place = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = 0) -> int:
        base = (0, self._place, self._source.size)[whence]
        self._place = base + offset
        return self._place

    def tell(self) -> int:
        return self._place

    def read(self, size: int = -1) -> bytes:
        left = max(0, self._source.size - self._place)
        data = self._source.at(self._place, left if size < 0 else min(size, left))
        self._place += len(data)
        return data


class Tar:
    """An open TAR."""

    def __init__(self, source: Source) -> None:
        self._source = source
        try:
            with tarfile.open(fileobj=_Stream(source), mode="r:") as tar:
                self._members = tar.getmembers()
        except (tarfile.TarError, ValueError, EOFError, OverflowError) as error:
            raise damaged("its list of entries breaks off") from error
        self.entries = [
            Entry(i, member.name, member.size, member.offset_data, self._problem(member))
            for i, member in enumerate(self._members)
            if member.isfile() or member.issparse()
        ]

    def read(self, index: int) -> bytes:
        """Return an entry's content."""
        member = self._readable(index)
        data = self._source.at(member.offset_data, member.size)
        if len(data) != member.size:
            raise unreadable(member.name, "the container ends before it does")
        return data

    def rewritten(self, changes: Mapping[int, bytes]) -> Iterator[bytes]:
        """Yield the file with some entries' content replaced."""
        at = 0
        for index in sorted(changes, key=lambda i: self._readable(i).offset_data):
            member, content = self._readable(index), changes[index]
            header_at = member.offset_data - _BLOCK
            yield from copied(self._source, at, header_at)
            yield _header(self._source.at(header_at, _BLOCK), len(content))
            yield content
            yield bytes(-len(content) % _BLOCK)
            at = member.offset_data + member.size + (-member.size % _BLOCK)
        yield from copied(self._source, at, self._source.size)

    def _readable(self, index: int) -> tarfile.TarInfo:
        if not 0 <= index < len(self._members):
            raise damaged("an entry that was there is gone")
        member = self._members[index]
        problem = self._problem(member)
        if problem:
            raise unreadable(member.name, problem)
        return member

    def _problem(self, member: tarfile.TarInfo) -> str:
        if member.issparse() or "size" in member.pax_headers:
            return "its size is stored in a way that is not read"
        if member.size > MOST_ENTRY:
            return "it is larger than a gigabyte"
        if member.offset_data + member.size > self._source.size:
            return "the container ends before it does"
        return ""


def _header(block: bytes, size: int) -> bytes:
    """Return a header block with another size, and its checksum."""
    header = bytearray(block)
    header[_SIZE_AT:_SIZE_END] = b"%011o\0" % size
    header[_SUM_AT:_SUM_END] = b" " * 8
    header[_SUM_AT:_SUM_END] = b"%06o\0 " % sum(header)
    return bytes(header)


def _open(source: Source) -> Container:
    return Tar(source)


FORM = Form("tar", lambda head: head[257:262] == b"ustar", _open)
