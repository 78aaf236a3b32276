"""A file that is packed as a whole: gzip, as ``.tar.gz`` and ``.tgz`` are.

Source: RFC 1952.
"""

from __future__ import annotations

import io
import zlib

from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.readers import reader

_MAGIC = b"\x1f\x8b"
_GZIP = 16 + zlib.MAX_WBITS
_PIECE = 1 << 16
_MOST_PARTS = 100_000
"""Packed parts that may follow each other in one file (RFC 1952, section 2.2)."""


@reader("gzip", most=1 << 20)
def unpacked(data: bytes, most: int) -> bytes:
    """Return what a packed file holds; any other file as it is.

    Parameters
    ----------
    most : int
        Bytes that are unpacked at most.

    Raises
    ------
    BadFile
        If it is damaged, or holds more.
    """
    if not data.startswith(_MAGIC):
        return data
    out, view, at = io.BytesIO(), memoryview(data), 0
    try:
        for _ in range(_MOST_PARTS):
            if data[at : at + len(_MAGIC)] != _MAGIC:
                return out.getvalue()
            part = zlib.decompressobj(_GZIP)
            while not part.eof:
                stopping.check()
                piece = view[at : at + _PIECE]
                if not piece:
                    raise _damaged()
                out.write(part.decompress(piece, most - out.tell() + 1))
                if out.tell() > most:
                    raise BadFile(
                        "too-many-bytes",
                        f"Unpacked, it is larger than {most >> 20} MB.",
                        "Unpack it yourself and bring its pictures.",
                    )
                at += len(piece) - len(part.unused_data)
    except zlib.error as error:
        raise _damaged() from error
    raise _damaged()


def _damaged() -> BadFile:
    return BadFile(
        "archive-damaged",
        "The packed file is damaged or cut short.",
        "Fetch or pack it again.",
    )
