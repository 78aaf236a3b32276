"""ZIP containers, stored or deflated, under any extension.

Source: APPNOTE.TXT, .ZIP File Format Specification, version 6.3.10: local header (4.3.7),
central directory (4.3.12), ZIP64 end record and locator (4.3.14, 4.3.15), end record (4.3.16),
ZIP64 extra field (4.5.3). Raw deflate: RFC 1951.

Rewriting copies every other entry's record, with what stands between, bit for bit; only
places in the central directory move.
"""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

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

_LOCAL = struct.Struct("<4s5H3I2H")
_CENTRAL = struct.Struct("<4s6H3I5H2I")
_END = struct.Struct("<4s4H2IH")
_END64 = struct.Struct("<4sQ2H2I4Q")
_LOCATOR64 = struct.Struct("<4sIQI")
_STORED, _DEFLATED = 0, 8
_ENCRYPTED, _DESCRIPTOR, _UTF8 = 0x1, 0x8, 0x800
_ALL32 = 0xFFFFFFFF
_ZIP64 = 1
_MOST_DIRECTORY = 64 << 20
_PIECE = 1 << 16
"""Packed bytes that are unfolded at once; deflate makes at most about a thousand of each."""
_BETWEEN_STOPS = 4096


@dataclass(frozen=True)
class _Record:
    """One record of the central directory."""

    name: str
    place: int
    """Where it stands in the directory."""
    extra: int
    """Where its extra field stands in the directory."""
    flags: int
    method: int
    crc: int
    packed: int
    size: int
    offset: int


@dataclass(frozen=True)
class _Directory:
    raw: bytes
    start: int
    """Where it lies in the file."""
    prefix: int
    """Bytes in front of the first record that the offsets do not count."""
    records: list[_Record]


class Zip:
    """An open ZIP."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self._directory = _directory(source)
        self.entries = [
            Entry(
                i,
                record.name,
                record.size,
                record.offset + self._directory.prefix,
                _problem(record),
            )
            for i, record in enumerate(self._directory.records)
            if not record.name.endswith("/")
        ]

    def read(self, index: int) -> bytes:
        """Return an entry's content, its checksum verified."""
        record = self._record(index)
        problem = _problem(record)
        if problem:
            raise unreadable(record.name, problem)
        start = self._data_start(record)
        if record.method == _DEFLATED:
            raw = self._unfolded(record, start)
        elif record.packed != record.size:
            raise unreadable(record.name, "its sizes do not fit each other")
        else:
            raw = self._source.at(start, record.packed)
        if len(raw) != record.size or zlib.crc32(raw) != record.crc:
            raise unreadable(record.name, "its checksum does not fit")
        return raw

    def _unfolded(self, record: _Record, start: int) -> bytes:
        """Unfold an entry's data, to no more than its stated size and a byte."""
        unpacker = zlib.decompressobj(-15)
        out = io.BytesIO()
        stop = start + record.packed
        try:
            while not unpacker.eof and start < stop and out.tell() <= record.size:
                stopping.check()
                piece = self._source.at(start, min(_PIECE, stop - start))
                if not piece:
                    break
                out.write(unpacker.decompress(piece, record.size + 1 - out.tell()))
                start += len(piece)
        except zlib.error as error:
            raise unreadable(record.name, "its packed data is damaged") from error
        return out.getvalue()

    def rewritten(self, changes: Mapping[int, bytes]) -> Iterator[bytes]:
        """Yield the file with some entries' content replaced, packed as they were."""
        directory = self._directory
        order = sorted(range(len(directory.records)), key=lambda i: directory.records[i].offset)
        starts = [directory.records[i].offset + directory.prefix for i in order]
        stops = [*starts[1:], directory.start]
        for index in changes:
            record = self._record(index)
            if _problem(record):
                raise unreadable(record.name, _problem(record))
            if starts.count(record.offset + directory.prefix) > 1:
                raise unreadable(record.name, "two entries share its data")
        align = self._alignment()
        central = bytearray(directory.raw)
        moved = 0
        if order:
            yield from copied(self._source, 0, starts[0])
        else:
            yield from copied(self._source, 0, directory.start)
        for index, start, stop in zip(order, starts, stops, strict=True):
            record = directory.records[index]
            _set_offset(central, record, record.offset + moved)
            if index not in changes:
                yield from copied(self._source, start, stop)
                continue
            new = self._new_record(record, changes[index], central)
            # What lay between this entry and the next only filled up; it is made anew so
            # that the entries behind keep their alignment.
            after = stop - (self._data_start(record) + record.packed + self._descriptor(record))
            filler = after if after >= 0 and not align else 0
            filler += (stop - start - len(new) - filler) % align if align else 0
            yield new
            yield bytes(filler)
            moved += len(new) + filler - (stop - start)
        yield bytes(central)
        yield self._end(moved)

    def _record(self, index: int) -> _Record:
        records = self._directory.records
        if not 0 <= index < len(records):
            raise damaged("an entry that was there is gone")
        return records[index]

    def _data_start(self, record: _Record) -> int:
        start = record.offset + self._directory.prefix
        head = self._source.at(start, _LOCAL.size)
        if len(head) < _LOCAL.size or head[:4] != b"PK\x03\x04":
            raise unreadable(record.name, "its header is not where the list says")
        fields = _LOCAL.unpack(head)
        return start + _LOCAL.size + int(fields[9]) + int(fields[10])

    def _descriptor(self, record: _Record) -> int:
        """Return the bytes of the data descriptor behind an entry's data (4.3.9)."""
        if not record.flags & _DESCRIPTOR:
            return 0
        wide = 8 if max(record.size, record.packed) >= _ALL32 else 4
        after = self._source.at(self._data_start(record) + record.packed, 4)
        return 4 + 2 * wide + (4 if after == b"PK\x07\x08" else 0)

    def _alignment(self) -> int:
        """Return what the stored entries' data is aligned to, or 0 where it is not."""
        places = [
            self._data_start(r)
            for r in self._directory.records
            if r.method == _STORED and r.size and not _problem(r)
        ]
        if len(places) < 3:
            return 0
        common = 4096
        while common > 8 and any(place % common for place in places):
            common //= 2
        return common if common > 8 else 0

    def _new_record(self, record: _Record, content: bytes, central: bytearray) -> bytes:
        """Return an entry's local header and data, and set its fields in the directory."""
        start = record.offset + self._directory.prefix
        head = bytearray(self._source.at(start, self._data_start(record) - start))
        packed = content
        if record.method == _DEFLATED:
            packer = zlib.compressobj(9, zlib.DEFLATED, -15)
            packed = packer.compress(content) + packer.flush()
        if max(len(packed), len(content)) >= _ALL32:
            raise unreadable(record.name, "its new content is too large")
        crc = zlib.crc32(content)
        flags = record.flags & ~_DESCRIPTOR
        struct.pack_into("<H", head, 6, flags)
        sizes = (len(packed), len(content))
        struct.pack_into("<I", head, 14, crc)
        names = _LOCAL.unpack_from(head)
        _set_sizes(head, 18, sizes, _LOCAL.size + names[9], names[10])
        struct.pack_into("<H", central, record.place + 8, flags)
        struct.pack_into("<I", central, record.place + 16, crc)
        extra_bytes = struct.unpack_from("<H", central, record.place + 30)[0]
        _set_sizes(central, record.place + 20, sizes, record.extra, extra_bytes)
        return bytes(head) + packed

    def _end(self, moved: int) -> bytes:
        """Return what stands behind the central directory, its places moved."""
        directory = self._directory
        start = directory.start + len(directory.raw)
        tail = bytearray(self._source.at(start, self._source.size - start))
        end = tail.rfind(b"PK\x05\x06")
        if struct.unpack_from("<I", tail, end + 16)[0] != _ALL32:
            at = struct.unpack_from("<I", tail, end + 16)[0] + moved
            if at >= _ALL32:
                raise damaged("it would grow over four gigabytes")
            struct.pack_into("<I", tail, end + 16, at)
        locator = tail.rfind(b"PK\x06\x07")
        if locator >= 0:
            at64 = struct.unpack_from("<Q", tail, locator + 8)[0]
            struct.pack_into("<Q", tail, locator + 8, at64 + moved)
            inner = at64 + directory.prefix - start
            if inner >= 0 and tail[inner : inner + 4] == b"PK\x06\x06":
                at = struct.unpack_from("<Q", tail, inner + 48)[0]
                struct.pack_into("<Q", tail, inner + 48, at + moved)
        return bytes(tail)


def _problem(record: _Record) -> str:
    if record.flags & _ENCRYPTED:
        return "it is encrypted"
    if record.method not in (_STORED, _DEFLATED):
        return f"it is packed by method {record.method}"
    if record.size > MOST_ENTRY:
        return TOO_LARGE
    return ""


def _directory(source: Source) -> _Directory:
    """Read the central directory."""
    tail_at = max(0, source.size - _END.size - 0xFFFF)
    tail = source.at(tail_at, source.size - tail_at)
    end = tail.rfind(b"PK\x05\x06")
    if end < 0 or len(tail) - end < _END.size:
        raise damaged("its list of entries is missing")
    _, disk, disk_start, here, count, size, offset, _ = _END.unpack_from(tail, end)
    if disk or disk_start or here != count:
        raise damaged("it is one part of several")
    end_at = tail_at + end
    if _ALL32 in (size, offset) or count == 0xFFFF:
        locator = source.at(end_at - _LOCATOR64.size, _LOCATOR64.size)
        if len(locator) == _LOCATOR64.size and locator[:4] == b"PK\x06\x07":
            at64 = _LOCATOR64.unpack(locator)[2]
            record = source.at(at64, _END64.size)
            if len(record) < _END64.size or record[:4] != b"PK\x06\x06":
                raise damaged("its list of entries is missing")
            count, size, offset = _END64.unpack(record)[7:10]
            end_at = at64
    if count > MOST_FILES:
        raise too_many(count)
    if size > _MOST_DIRECTORY or size > end_at:
        raise damaged("its list of entries cannot be as long as it says")
    start = end_at - size
    prefix = start - offset
    if prefix < 0:
        raise damaged("its list of entries is not where it says")
    raw = source.at(start, size)
    return _Directory(raw, start, prefix, _records(raw, count))


def _records(raw: bytes, count: int) -> list[_Record]:
    records = []
    place = 0
    for number in range(count):
        if number % _BETWEEN_STOPS == 0:
            stopping.check()
        if len(raw) - place < _CENTRAL.size or raw[place : place + 4] != b"PK\x01\x02":
            raise damaged("its list of entries breaks off")
        fields = _CENTRAL.unpack_from(raw, place)
        flags, method, crc, packed, size = fields[3], fields[4], fields[7], fields[8], fields[9]
        name_bytes, extra_bytes, comment_bytes = fields[10:13]
        offset = fields[16]
        name_at = place + _CENTRAL.size
        extra_at = name_at + name_bytes
        if _ALL32 in (packed, size, offset):
            wide = _zip64(raw[extra_at : extra_at + extra_bytes])
            size = wide.pop(0) if size == _ALL32 and wide else size
            packed = wide.pop(0) if packed == _ALL32 and wide else packed
            offset = wide.pop(0) if offset == _ALL32 and wide else offset
        stored_name = raw[name_at:extra_at]
        # Names without the UTF-8 flag are in code page 437 (appendix D).
        name = stored_name.decode("utf-8" if flags & _UTF8 else "cp437", "replace")
        records.append(
            _Record(
                name.replace("\\", "/"), place, extra_at, flags, method, crc, packed, size, offset
            )
        )
        place = extra_at + extra_bytes + comment_bytes
    return records


def _zip64(extra: bytes) -> list[int]:
    """Return the eight-byte values of the ZIP64 extra field."""
    at = _zip64_at(extra)
    if at < 0:
        return []
    length = struct.unpack_from("<H", extra, at + 2)[0]
    body = extra[at + 4 : at + 4 + length]
    return [struct.unpack_from("<Q", body, i)[0] for i in range(0, len(body) - 7, 8)]


def _zip64_at(extra: bytes | bytearray) -> int:
    at = 0
    while at + 4 <= len(extra):
        tag, length = struct.unpack_from("<HH", extra, at)
        if tag == _ZIP64:
            return at
        at += 4 + length
    return -1


def _set_sizes(
    record: bytearray, at: int, sizes: tuple[int, int], extra_at: int, extra_bytes: int
) -> None:
    """Set packed and unpacked size, in the ZIP64 field where that holds them."""
    packed, size = struct.unpack_from("<II", record, at)
    wide_at = _zip64_at(record[extra_at : extra_at + extra_bytes])
    place = extra_at + wide_at + 4
    for field, value, here in ((size, sizes[1], at + 4), (packed, sizes[0], at)):
        if field == _ALL32 and wide_at >= 0:
            struct.pack_into("<Q", record, place, value)
            place += 8
        else:
            struct.pack_into("<I", record, here, value)


def _set_offset(central: bytearray, record: _Record, offset: int) -> None:
    """Set an entry's place in the central directory."""
    if struct.unpack_from("<I", central, record.place + 42)[0] != _ALL32:
        if offset >= _ALL32:
            raise damaged("it would grow over four gigabytes")
        struct.pack_into("<I", central, record.place + 42, offset)
        return
    extra_bytes = struct.unpack_from("<H", central, record.place + 30)[0]
    at = _zip64_at(central[record.extra : record.extra + extra_bytes])
    place = record.extra + at + 4
    packed, size = struct.unpack_from("<II", central, record.place + 20)
    place += 8 * ((size == _ALL32) + (packed == _ALL32))
    struct.pack_into("<Q", central, place, offset)


def _open(source: Source) -> Container:
    return Zip(source)


FORM = Form("zip", lambda head: head[:4] in (b"PK\x03\x04", b"PK\x05\x06"), _open)
