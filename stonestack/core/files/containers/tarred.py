"""TAR containers.

Source: POSIX.1-2017, "pax Interchange Format" and "ustar Interchange Format" (pax utility); sizes
in base 256, long names (types ``L`` and ``K``) and sparse files (type ``S``) as the GNU tar manual
describes its format ("Basic Tar Format", "GNU Extensions to the Archive Format"). Rewriting copies
all other blocks bit for bit.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from stonestack.core.files.containers.form import (
    MOST_ENTRY,
    MOST_FILES,
    TOO_LARGE,
    Container,
    Entry,
    Form,
    Source,
    copied,
    damaged,
    too_many,
    unreadable,
)
from stonestack.core.runtime import stopping

_BLOCK = 512
_SIZE_AT, _SIZE_END = 124, 136
_SUM_AT, _SUM_END = 148, 156
_TYPE_AT, _MAGIC_AT, _PREFIX_AT, _PREFIX_END = 156, 257, 345, 500
_NAME_END = 100
_SPARSE_MORE_AT, _SPARSE_NEXT_AT = 482, 504
_FILES, _SPARSE = (b"0", b"\0", b"7"), b"S"
_WITHOUT_DATA = tuple(b"%d" % kind for kind in range(1, 7))
"""Links, devices, folders and pipes."""
_LONG_NAME, _LONG_LINK, _FOR_NEXT, _FOR_ALL = b"L", b"K", (b"x", b"X"), b"g"
_MOST_WORDS = 1 << 20
"""Bytes of a header that only says something of the next."""
_MOST_CHAINED = 16
"""Such headers in front of one member."""
_BETWEEN_STOPS = 256


@dataclass(frozen=True)
class _Member:
    """One member with data, whatever its kind."""

    name: str
    kind: bytes
    size: int
    data_at: int
    odd: bool
    """Whether its size is stored in a way that is not rewritten."""


@dataclass
class _Said:
    """What the headers in front of a member say of it."""

    name: str | None = None
    size: int | None = None
    odd: bool = False
    count: int = 0
    for_all: dict[str, str] = field(default_factory=dict)


class Tar:
    """An open TAR."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self._members = list(_members(source))
        self.entries = [
            Entry(i, member.name, member.size, member.data_at, self._problem(member))
            for i, member in enumerate(self._members)
        ]

    def read(self, index: int) -> bytes:
        """Return an entry's content."""
        member = self._readable(index)
        data = self._source.at(member.data_at, member.size)
        if len(data) != member.size:
            raise unreadable(member.name, "the container ends before it does")
        return data

    def rewritten(self, changes: Mapping[int, bytes]) -> Iterator[bytes]:
        """Yield the file with some entries' content replaced."""
        at = 0
        for index in sorted(changes, key=lambda i: self._readable(i).data_at):
            member, content = self._readable(index), changes[index]
            header_at = member.data_at - _BLOCK
            yield from copied(self._source, at, header_at)
            yield _header(self._source.at(header_at, _BLOCK), len(content))
            yield content
            yield bytes(-len(content) % _BLOCK)
            at = member.data_at + member.size + (-member.size % _BLOCK)
        yield from copied(self._source, at, self._source.size)

    def _readable(self, index: int) -> _Member:
        if not 0 <= index < len(self._members):
            raise damaged("an entry that was there is gone")
        member = self._members[index]
        problem = self._problem(member)
        if problem:
            raise unreadable(member.name, problem)
        return member

    def _problem(self, member: _Member) -> str:
        if member.odd:
            return "its size is stored in a way that is not read"
        if member.size > MOST_ENTRY:
            return TOO_LARGE
        if member.data_at + member.size > self._source.size:
            return "the container ends before it does"
        return ""


def _members(source: Source) -> Iterator[_Member]:
    """Yield the files of a TAR, in order; each step goes forward.

    Raises
    ------
    BadFile
        If its first header is none, or one makes no sense.
    """
    at, found, said = 0, 0, _Said()
    for number in range(4 * MOST_FILES):
        if number % _BETWEEN_STOPS == 0:
            stopping.check()
        block = source.at(at, _BLOCK)
        if len(block) < _BLOCK or not _sum_fits(block):
            if at == 0:
                raise damaged("its list of entries breaks off")
            return
        kind, size, data_at = block[_TYPE_AT : _TYPE_AT + 1], _number(block), at + _BLOCK
        if kind in (_LONG_NAME, _LONG_LINK, *_FOR_NEXT, _FOR_ALL):
            _hear(said, kind, _words(source, data_at, size, said))
            at = data_at + _whole(size)
            continue
        if kind == _SPARSE:
            data_at = _behind_map(source, block, data_at)
        size = size if said.size is None else said.size
        name = _name(block) if said.name is None else said.name
        folder = kind == b"\0" and name.endswith("/")
        if (kind in _FILES and not folder) or kind == _SPARSE:
            found += 1
            if found > MOST_FILES:
                raise too_many(found)
            yield _Member(name, kind, size, data_at, said.odd or kind == _SPARSE)
        at = data_at + (0 if kind in _WITHOUT_DATA else _whole(size))
        said = _Said(for_all=said.for_all)
        _take(said, said.for_all)
    raise too_many(4 * MOST_FILES)


def _words(source: Source, at: int, size: int, said: _Said) -> bytes:
    """Return what a header says of the next."""
    said.count += 1
    if said.count > _MOST_CHAINED or size > _MOST_WORDS:
        raise damaged("its headers say more than a name and a size")
    return source.at(at, size)


def _hear(said: _Said, kind: bytes, words: bytes) -> None:
    if kind == _LONG_NAME:
        said.name = _text(words)
    elif kind == _FOR_ALL:
        said.for_all |= _records(words)
        _take(said, said.for_all)
    elif kind in _FOR_NEXT:
        _take(said, _records(words))


def _take(said: _Said, records: Mapping[str, str]) -> None:
    said.name = records.get("path", said.name)
    if "size" in records:
        if not records["size"].isdecimal() or len(records["size"]) > 18:
            raise damaged("a size in it makes no sense")
        said.size = int(records["size"])
    said.odd = said.odd or "size" in records or any(k.startswith("GNU.sparse") for k in records)


def _records(words: bytes) -> dict[str, str]:
    """Return the records of a pax header: a length, a blank, keyword, ``=``, value, line end."""
    found: dict[str, str] = {}
    at = 0
    while at < len(words) and words[at] != 0:
        length, blank, _ = words[at : at + 20].partition(b" ")
        if not blank or not length.isdigit():
            raise damaged("a header in it makes no sense")
        stop = at + int(length)
        if stop <= at + len(length) + 1 or stop > len(words):
            raise damaged("a header in it makes no sense")
        key, _, value = words[at + len(length) + 1 : stop - 1].partition(b"=")
        found[_text(key)] = _text(value)
        at = stop
    return found


def _behind_map(source: Source, block: bytes, at: int) -> int:
    """Return where the data of a sparse file begins, behind the blocks that map it."""
    more = block[_SPARSE_MORE_AT]
    while more:
        part = source.at(at, _BLOCK)
        if len(part) < _BLOCK:
            raise damaged("its list of entries breaks off")
        more, at = part[_SPARSE_NEXT_AT], at + _BLOCK
    return at


def _number(block: bytes) -> int:
    """Return the size in a header: octal, or base 256 with the highest bit set."""
    stored = block[_SIZE_AT:_SIZE_END]
    if stored[0] & 128:
        size = int.from_bytes(stored[1:], "big")
        if stored[0] != 128 or size > 1 << 60:
            raise damaged("a size in it makes no sense")
        return size
    digits = stored.split(b"\0")[0].strip()
    if digits.strip(b"01234567"):
        raise damaged("a size in it makes no sense")
    return int(digits or b"0", 8)


def _sum_fits(block: bytes) -> bool:
    """Tell whether a header's checksum fits, as bytes with or without a sign."""
    stored = block[_SUM_AT:_SUM_END].split(b"\0")[0].strip()
    if not stored.isdigit() or stored.strip(b"01234567"):
        return False
    counted = block[:_SUM_AT] + b" " * (_SUM_END - _SUM_AT) + block[_SUM_END:]
    plain = sum(counted)
    return int(stored, 8) in (plain, plain - 256 * sum(byte > 127 for byte in counted))


def _name(block: bytes) -> str:
    name = _text(block[:_NAME_END])
    prefix = _text(block[_PREFIX_AT:_PREFIX_END])
    posix = block[_MAGIC_AT : _MAGIC_AT + 6] == b"ustar\0"
    return f"{prefix}/{name}" if prefix and posix else name


def _text(stored: bytes) -> str:
    return stored.split(b"\0")[0].decode("utf-8", "replace")


def _whole(size: int) -> int:
    return size + -size % _BLOCK


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
