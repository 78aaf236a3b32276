"""Spoil whole files in the ways that files are spoilt, or made to do harm."""

from __future__ import annotations

import io
import random
import struct
import zipfile
import zlib

_ODD = (
    0,
    1,
    2,
    3,
    7,
    127,
    128,
    255,
    256,
    0x7FFF,
    0x8000,
    0xFFFF,
    0x7FFFFFFF,
    0x80000000,
    0xFFFFFFFF,
)
_FORMS = ("<H", ">H", "<I", ">I", "<Q", ">Q", "B")
_HEAD = 300


def spoilt(good: bytes, rng: random.Random, others: tuple[bytes, ...]) -> bytes:
    """Return a file that is not whole any more; up to four kinds of damage on each other.

    Half of them are made to look whole again by their checksums, so that damage comes further in.
    """
    if rng.random() < 0.5 and good.startswith(b"PK"):
        return _inside(good, rng, others)
    data = bytearray(good)
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        rng.choice(_WAYS)(data, rng, others)
    if rng.random() < 0.5:
        _mend_png(data)
        _mend_tar(data)
    return bytes(data)


def _inside(good: bytes, rng: random.Random, others: tuple[bytes, ...]) -> bytes:
    """Spoil one file in a ZIP that is whole itself."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(good)) as old, zipfile.ZipFile(out, "w") as new:
        infos = old.infolist()
        hit = rng.choice(infos)
        for info in infos:
            data = bytearray(old.read(info))
            if info is hit:
                rng.choice(_WAYS)(data, rng, others)
                if rng.random() < 0.5:
                    _mend_png(data)
            new.writestr(zipfile.ZipInfo(info.filename), bytes(data), info.compress_type)
    return out.getvalue()


def _mend_png(data: bytearray) -> None:
    """Make the checksums of a PNG's chunks fit (W3C, section 5.3)."""
    at = 8
    while data[:8] == b"\x89PNG\r\n\x1a\n" and at + 12 <= len(data):
        (length,) = struct.unpack_from(">I", data, at)
        stop = at + 8 + length
        if stop + 4 > len(data):
            return
        struct.pack_into(">I", data, stop, zlib.crc32(data[at + 4 : stop]))
        at = stop + 4


def _mend_tar(data: bytearray) -> None:
    """Make the checksum of each block fit that says that it is a header (POSIX ustar)."""
    for at in range(0, len(data) - 511, 512):
        if data[at + 257 : at + 262] == b"ustar":
            data[at + 148 : at + 156] = b" " * 8
            data[at + 148 : at + 156] = b"%06o\0 " % (sum(data[at : at + 512]) % 0o1000000)


def _place(data: bytearray, rng: random.Random) -> int:
    """Return a place, mostly in the head or the tail, where lists and sizes stand."""
    if not data:
        return 0
    near = rng.random()
    if near < 0.5:
        return rng.randrange(min(len(data), _HEAD))
    if near < 0.7:
        return len(data) - 1 - rng.randrange(min(len(data), _HEAD))
    return rng.randrange(len(data))


def _cut(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    del data[_place(data, rng) :]


def _flip(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    for _ in range(rng.randrange(1, 9)):
        if data:
            data[_place(data, rng)] ^= 1 << rng.randrange(8)


def _random(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    at = _place(data, rng)
    length = min(len(data) - at, rng.randrange(1, 40))
    data[at : at + length] = rng.randbytes(length)


def _number(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    form = rng.choice(_FORMS)
    size = struct.calcsize(form)
    at = _place(data, rng)
    value = rng.choice(_ODD) + rng.choice((0, 0, 1, -1))
    if at + size <= len(data):
        struct.pack_into(form, data, at, value % (1 << (8 * size)))


def _drop(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    at = _place(data, rng)
    del data[at : at + rng.randrange(1, 40)]


def _repeat(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    at = _place(data, rng)
    part = data[at : at + rng.randrange(1, 200)]
    data[at:at] = part * rng.choice((1, 2, 30))


def _splice(data: bytearray, rng: random.Random, others: tuple[bytes, ...]) -> None:
    other = rng.choice(others)
    at = rng.randrange(len(other) + 1)
    part = other[at : at + rng.randrange(1, 400)]
    to = _place(data, rng)
    data[to : to + (len(part) if rng.random() < 0.5 else 0)] = part


def _digits(data: bytearray, rng: random.Random, _others: tuple[bytes, ...]) -> None:
    """Change numbers that are written out, as TAR, XML and tables have them."""
    places = [i for i, byte in enumerate(data) if 48 <= byte <= 57]
    for _ in range(rng.randrange(1, 6)):
        if places:
            data[rng.choice(places)] = rng.choice(b'0123456789-.eE[{"')


_WAYS = (_cut, _flip, _flip, _random, _number, _number, _drop, _repeat, _splice, _digits)
