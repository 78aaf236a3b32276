"""TGA files taken apart and put together in the very variant that they have.

Source: Truevision TGA File Format Specification, version 2.0: header (fields 1 to 5), image and
colour map (6 to 8), run-length packets ("Image Types").
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.readers import reader

_HEADER = struct.Struct("<3B2HB4H2B")
_RLE = 8
_FROM_RIGHT, _FROM_TOP = 0x10, 0x20
_DEPTHS = {1: (8,), 2: (15, 16, 24, 32), 3: (8, 16)}
"""Bits of a stored texel, by image type."""
_FOOTER = 26
_COUNT_AT = 5
"""Where the header says how many colours the colour map has."""


@dataclass(frozen=True)
class Tga:
    """A TGA taken apart.

    Parameters
    ----------
    head : bytes
        Header, identification and colour map, as they stand in the file.
    values : ndarray, uint8, shape (height, width, bytes per texel)
        Stored values, top row first, left to right.
    tail : bytes
        What stands behind the texels.
    stored : int
        Bytes that the texels take in the file.
    grown : int
        By how much the head is longer than in the file.
    """

    head: bytes
    values: Bytes
    tail: bytes
    stored: int
    grown: int = 0

    @property
    def kind(self) -> int:
        """Image type without the run-length bit: 1 palette, 2 colour, 3 grey."""
        return self.head[2] & ~_RLE

    @property
    def rle(self) -> bool:
        """Whether texels are run-length packed."""
        return bool(self.head[2] & _RLE)

    @property
    def depth(self) -> int:
        """Bits of a stored texel."""
        return self.head[16]

    @property
    def from_top(self) -> bool:
        """Whether the top row is stored first."""
        return bool(self.head[17] & _FROM_TOP)

    @property
    def from_right(self) -> bool:
        """Whether rows are stored from the right."""
        return bool(self.head[17] & _FROM_RIGHT)

    def stored_palette(self) -> Bytes:
        """Return the colour map as it is stored, uint8 (count, bytes per colour)."""
        first, count, bits = struct.unpack_from("<HHB", self.head, 3)
        if first:
            raise _unread("its palette does not begin at zero")
        size = (bits + 7) // 8
        at = len(self.head) - count * size
        return np.frombuffer(self.head, np.uint8, count * size, at).reshape(count, size)

    def palette(self) -> Bytes:
        """Return the colour map as red, green, blue, alpha, uint8 (count, 4)."""
        return colours(self.stored_palette())


@reader("tga")
def parse(data: bytes) -> Tga:
    """Take a TGA apart.

    Raises
    ------
    BadFile
        If it is damaged, or stored in a way that is not read.
    """
    if len(data) < _HEADER.size:
        raise _unread("it ends within its header")
    fields = _HEADER.unpack_from(data)
    id_bytes, map_type, kind = fields[0], fields[1], fields[2]
    count, map_bits, width, height, depth, flags = fields[4], fields[5], *fields[8:12]
    start = _HEADER.size + id_bytes + (count * ((map_bits + 7) // 8) if map_type else 0)
    size = (depth + 7) // 8
    if kind & ~_RLE not in (1, 2, 3) or not width or not height or width * height > 1 << 28:
        raise _unread("its header makes no sense")
    if depth not in _DEPTHS[kind & ~_RLE]:
        raise _unread(f"it has {depth} bits a texel")
    if kind & ~_RLE == 1 and not (map_type and count and map_bits in _DEPTHS[2]):
        raise _unread("it has no palette that makes sense")
    if kind & _RLE:
        flat, used = _unpacked(data, start, width * height, size)
    else:
        used = width * height * size
        flat = np.frombuffer(data[start : start + used], np.uint8)
        if len(flat) < used:
            raise _unread("it ends before its texels do")
    values = flat.reshape(height, width, size)
    if not flags & _FROM_TOP:
        values = values[::-1]
    if flags & _FROM_RIGHT:
        values = values[:, ::-1]
    return Tga(data[:start], values, data[start + used :], used)


def written(tga: Tga, values: Bytes) -> bytes:
    """Return the file with other stored values, in the same variant."""
    stored = values if tga.from_top else values[::-1]
    if tga.from_right:
        stored = stored[:, ::-1]
    body = b"".join(_packed(row) for row in stored) if tga.rle else stored.tobytes()
    return tga.head + body + _moved(tga, len(body))


def colours(values: Bytes) -> Bytes:
    """Return stored values as red, green, blue, alpha.

    Parameters
    ----------
    values : ndarray, uint8, shape (..., 1 to 4)
    """
    out = np.full((*values.shape[:-1], 4), 255, np.uint8)
    size = values.shape[-1]
    if size == 1:
        out[..., :3] = values
    elif size == 2:
        word = values[..., 0].astype(np.uint16) | values[..., 1].astype(np.uint16) << 8
        for channel, shift in enumerate((10, 5, 0)):
            five = word >> shift & 31
            out[..., channel] = five << 3 | five >> 2
    else:
        out[..., :3] = values[..., 2::-1]
        if size == 4:
            out[..., 3] = values[..., 3]
    return out


def values_of(tga: Tga, texels: Bytes) -> Bytes:
    """Return red, green, blue, alpha as the stored values of an unpaletted file."""
    return _stored_as(tga.values, texels, grey=tga.kind == 3)


def with_palette(tga: Tga, palette: Bytes) -> Tga:
    """Return the file with another palette of as many colours or more, stored as its own is."""
    old = tga.stored_palette()
    grown = np.concatenate([old, np.repeat(old[-1:], len(palette) - len(old), axis=0)])
    new = _stored_as(grown, palette, grey=False).tobytes()
    head = bytearray(tga.head[: len(tga.head) - old.size])
    struct.pack_into("<H", head, _COUNT_AT, len(palette))
    return replace(tga, head=bytes(head) + new, grown=len(new) - old.size)


def _stored_as(like: Bytes, texels: Bytes, grey: bool) -> Bytes:
    """Return colours in the form of other stored values; the spare bit of 16 stays."""
    size = like.shape[-1]
    if size == 1:
        return np.ascontiguousarray(texels[..., :1])
    if size == 2 and grey:
        return np.ascontiguousarray(texels[..., [0, 3]])
    if size == 2:
        red, green, blue = ((texels[..., c].astype(np.uint16) * 31 + 127) // 255 for c in range(3))
        word = red << 10 | green << 5 | blue
        word |= (like[..., 1].astype(np.uint16) >> 7) << 15
        return np.stack([word & 255, word >> 8], axis=-1).astype(np.uint8)
    order = (2, 1, 0) if size == 3 else (2, 1, 0, 3)
    return np.ascontiguousarray(texels[..., order])


def _unpacked(data: bytes, at: int, count: int, size: int) -> tuple[Bytes, int]:
    """Unpack run-length packets; return the texels and how many bytes they took."""
    start, done = at, 0
    parts: list[bytes] = []
    while done < count:
        if at >= len(data):
            raise _unread("it ends before its texels do")
        head = data[at]
        length = (head & 127) + 1
        if head & 128:
            parts.append(data[at + 1 : at + 1 + size] * length)
            at += 1 + size
        else:
            parts.append(data[at + 1 : at + 1 + size * length])
            at += 1 + size * length
        done += length
    flat = np.frombuffer(b"".join(parts), np.uint8)
    if len(flat) < count * size:
        raise _unread("it ends before its texels do")
    return flat[: count * size], at - start


def _packed(row: Bytes) -> bytes:
    """Pack one row; packets do not cross rows, as version 2.0 asks."""
    width = len(row)
    same: NDArray[np.bool_] = (row[1:] == row[:-1]).all(axis=1)
    edges = np.flatnonzero(~same) + 1
    starts = np.concatenate([[0], edges])
    lengths = np.diff(np.concatenate([starts, [width]]))
    out = bytearray()
    plain_from = 0

    def plain(stop: int) -> None:
        for at in range(plain_from, stop, 128):
            part = row[at : min(stop, at + 128)]
            out.append(len(part) - 1)
            out.extend(part.tobytes())

    for start, length in zip(starts.tolist(), lengths.tolist(), strict=True):
        if length < 3:
            continue
        plain(start)
        for at in range(start, start + length, 128):
            part = min(128, start + length - at)
            out.append(127 + part)
            out.extend(row[at].tobytes())
        plain_from = start + length
    plain(width)
    return bytes(out)


def _moved(tga: Tga, body: int) -> bytes:
    """Return the tail with the footer's places put right for another body length."""
    tail = bytearray(tga.tail)
    if len(tail) < _FOOTER or tail[-18:-2] != b"TRUEVISION-XFILE":
        return bytes(tail)
    for at in (len(tail) - _FOOTER, len(tail) - _FOOTER + 4):
        place = struct.unpack_from("<I", tail, at)[0]
        moved = place - tga.stored + body + tga.grown
        if place >= len(tga.head) - tga.grown + tga.stored and moved < 1 << 32:
            struct.pack_into("<I", tail, at, moved)
    return bytes(tail)


def _unread(why: str) -> BadFile:
    return BadFile("tga-not-read", f"This TGA cannot be read: {why}.", "Save it again as TGA.")
