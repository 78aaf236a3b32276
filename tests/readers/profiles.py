"""A colour profile of tables, built from the specification."""

from __future__ import annotations

import struct


def by_table() -> bytes:
    """Return an RGB profile that converts by a table of two steps (ICC.1:2022, 7.2, 10.10)."""
    identity = struct.pack(">9i", *(65536 * (i in (0, 4, 8)) for i in range(9)))
    ramp = bytes(range(256))
    corners = b"".join(
        bytes((min(255, 90 * (r + g + b)), 128 + 40 * (r - g), 128 + 40 * (g - b)))
        for r in (0, 1)
        for g in (0, 1)
        for b in (0, 1)
    )
    table = b"mft1" + bytes(4) + bytes((3, 3, 2, 0)) + identity + ramp * 3 + corners + ramp * 3
    white = b"XYZ " + bytes(4) + struct.pack(">3i", 63190, 65536, 54061)
    name = b"desc" + bytes(4) + struct.pack(">I", 6) + b"Table\0" + bytes(79)
    tags = [(b"desc", name), (b"wtpt", white), (b"A2B0", table), (b"cprt", b"text" + bytes(8))]
    at, index, body = 132 + 12 * len(tags), b"", b""
    for key, data in tags:
        index += struct.pack(">4sII", key, at + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    head = struct.pack(
        ">I4sI4s4s4s", at + len(body), bytes(4), 0x02100000, b"scnr", b"RGB ", b"Lab "
    )
    head += bytes(12) + b"acsp" + bytes(28) + struct.pack(">3i", 63190, 65536, 54061) + bytes(48)
    return head[:128] + struct.pack(">I", len(tags)) + index + body
