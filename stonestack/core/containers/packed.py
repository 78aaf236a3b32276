"""A file that is packed as a whole: gzip, as ``.tar.gz`` and ``.tgz`` are.

Source: RFC 1952.
"""

from __future__ import annotations

import zlib

from stonestack.core.errors import BadFile

_MAGIC = b"\x1f\x8b"
_GZIP = 16 + zlib.MAX_WBITS


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
    out, left = bytearray(), data
    try:
        while left.startswith(_MAGIC):
            part = zlib.decompressobj(_GZIP)
            out += part.decompress(left, most - len(out) + 1)
            if len(out) > most:
                raise BadFile(
                    "too-many-bytes",
                    f"Unpacked, it is larger than {most >> 20} MB.",
                    "Unpack it yourself and bring its pictures.",
                )
            if not part.eof:
                raise _damaged()
            left = part.unused_data
    except zlib.error as error:
        raise _damaged() from error
    return bytes(out)


def _damaged() -> BadFile:
    return BadFile(
        "archive-damaged",
        "The packed file is damaged or cut short.",
        "Fetch or pack it again.",
    )
