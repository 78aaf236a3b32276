"""Small files that ask for much: memory, time or depth."""

from __future__ import annotations

import gzip
import io
import struct
import zipfile
import zlib
from collections.abc import Callable

import numpy as np
import tifffile
from PIL import Image

from tests.readers.samples import stored, zipped

HUGE = 60_000


def chunk(name: bytes, data: bytes) -> bytes:
    """Return one chunk of a PNG (W3C, section 5.3)."""
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))


def png(width: int, height: int, depth: int, kind: int, *more: bytes, body: bytes = b"") -> bytes:
    """Return a PNG with any header."""
    head = chunk(b"IHDR", struct.pack(">2I5B", width, height, depth, kind, 0, 0, 0))
    tail = chunk(b"IDAT", body or zlib.compress(bytes(1000))) + chunk(b"IEND", b"")
    return b"\x89PNG\r\n\x1a\n" + head + b"".join(more) + tail


def huge_png() -> bytes:
    """Return a PNG whose header claims far more pixels than are taken in, without its texels."""
    return png(HUGE, HUGE, 8, 2)


def png_of_words() -> bytes:
    """Return a PNG with a thousand words that unfold to a megabyte each."""
    words = chunk(b"zTXt", b"a\0\0" + zlib.compress(bytes(1 << 20), 9))
    return png(8, 8, 8, 2, *([words] * 1000), body=zlib.compress(bytes(8 * 25)))


def png_of_chunks() -> bytes:
    """Return a PNG with a million chunks that say nothing."""
    return png(8, 8, 8, 2, chunk(b"tIME", bytes(7)) * 1_000_000, body=zlib.compress(bytes(8 * 25)))


def png_of_a_huge_chunk() -> bytes:
    """Return a PNG of deep colour whose texels claim to be four gigabytes."""
    data = png(22, 13, 16, 6)
    at = data.index(b"IDAT")
    return data[: at - 4] + struct.pack(">I", 0xF9999999) + data[at:]


def png_profile() -> bytes:
    """Return a PNG whose profile unfolds to a gigabyte."""
    packed = zlib.compress(bytes(1 << 30), 9)
    return png(8, 8, 8, 2, chunk(b"iCCP", b"a\0\0" + packed), body=zlib.compress(bytes(8 * 25)))


def empty_png() -> bytes:
    """Return a PNG of the largest size that is taken in, all of one colour, in 90 KB."""
    row = bytes(1 + 3 * 12_000)
    packer = zlib.compressobj(9)
    body = b"".join(packer.compress(row) for _ in range(8000)) + packer.flush()
    return png(12_000, 8000, 8, 2, body=body)


def tiff(tags: list[tuple[int, int, int, bytes]], body: bytes = b"") -> bytes:
    """Return a TIFF with any fields: tag, type, count, value (TIFF 6.0, section 2)."""
    fields = b"".join(struct.pack("<HHI", *tag[:3]) + tag[3].ljust(4, b"\0") for tag in tags)
    return b"II*\0" + struct.pack("<IH", 8, len(tags)) + fields + bytes(4) + body


def tiff_of_words() -> bytes:
    """Return a TIFF of 1 KB whose description says that it holds gigabytes of texels."""
    buffer = io.BytesIO()
    texels = np.zeros((4, 4), np.uint16)
    words = '{"shape": [4, 50000, 50000], "axes": "QYX"}'
    tifffile.imwrite(buffer, texels, description=words, metadata=None)
    return buffer.getvalue()


def tiff_of_strips() -> bytes:
    """Return a TIFF whose one packed strip unfolds to a gigabyte."""
    packed = zlib.compress(bytes(1 << 30), 9)
    short, long = "<H", "<I"
    at = 8 + 2 + 12 * 9 + 4
    fields = [
        *((256, 3, 1, struct.pack(short, 64)), (257, 3, 1, struct.pack(short, 64))),
        *((258, 3, 1, struct.pack(short, 16)), (259, 3, 1, struct.pack(short, 8))),
        *((262, 3, 1, struct.pack(short, 1)), (273, 4, 1, struct.pack(long, at))),
        *((277, 3, 1, struct.pack(short, 1)), (278, 3, 1, struct.pack(short, 64))),
        (279, 4, 1, struct.pack(long, len(packed))),
    ]
    return tiff(fields, packed)


def tiff_of_values() -> bytes:
    """Return a TIFF whose fields claim four thousand million values each."""
    fields = [
        *((256, 3, 1, struct.pack("<H", 64)), (257, 3, 1, struct.pack("<H", 64))),
        *((258, 3, 0xFFFFFFFF, b"\x08"), (259, 3, 1, b"\1"), (262, 3, 1, b"\2")),
        *((273, 4, 0xFFFFFFFF, b"\x08"), (279, 4, 0xFFFFFFFF, b"\x08")),
        (270, 2, 0xFFFFFFFE, b"\x08"),
    ]
    return tiff(fields)


def jpeg_of_scans() -> bytes:
    """Return a large JPEG whose scans are repeated, each over all of it (ITU-T T.81, B.2.3)."""
    buffer = io.BytesIO()
    Image.new("L", (9000, 9000)).save(buffer, "JPEG", progressive=True)
    data = buffer.getvalue()
    scans = data.index(b"\xff\xda")
    last = data.rindex(b"\xff\xda")
    end = data.rindex(b"\xff\xd9")
    refining = data[last:end]
    return (
        data[:scans]
        + data[scans:end]
        + refining * min(3000, (32 << 20) // len(refining))
        + data[end:]
    )


def nested_zip() -> bytes:
    """Return a ZIP of about two kilobytes with ten thousand million leaves, ten deep."""
    data = b"leaf"
    for _ in range(10):
        data = zipped({f"{i}.zip": data for i in range(10)})
    return data


def zip_of_zeros() -> bytes:
    """Return a ZIP whose two thousand entries share one run of packed zeros."""
    return overlapping(2000, 500 << 20)


def overlapping(count: int, size: int) -> bytes:
    """Return a ZIP whose entries share their data (APPNOTE 4.3.7, 4.3.12)."""
    packer = zlib.compressobj(9, zlib.DEFLATED, -15)
    crc, packed = 0, b""
    piece = bytes(1 << 20)
    for _ in range(size >> 20):
        crc = zlib.crc32(piece, crc)
        packed += packer.compress(piece)
    packed += packer.flush()
    fields = (20, 0, 8, 0, 0, crc, len(packed), size, 1, 0)
    local = struct.pack("<4s5H3I2H", b"PK\3\4", *fields) + b"a"
    central = struct.pack("<4s6H3I5H2I", b"PK\1\2", 20, *fields[:9], *(0, 0, 0, 0, 0, 0)) + b"a"
    start = len(local) + len(packed)
    end = struct.pack("<4s4H2IH", b"PK\5\6", 0, 0, count, count, len(central) * count, start, 0)
    return local + packed + central * count + end


def zip_of_names() -> bytes:
    """Return a ZIP that lists five million names (APPNOTE 4.3.14: more than fit the old count)."""
    central = struct.pack("<4s6H3I5H2I", b"PK\1\2", 20, 20, *([0] * 4), *([0] * 3), 1, *([0] * 6))
    count = 5_000_000
    listed = (central[:46] + b"a") * count
    end64 = struct.pack("<4sQ2H2I4Q", b"PK\6\6", 44, 45, 45, 0, 0, count, count, len(listed), 0)
    locator = struct.pack("<4sIQI", b"PK\6\7", 0, len(listed), 1)
    end = struct.pack("<4s4H2IH", b"PK\5\6", 0, 0, 0xFFFF, 0xFFFF, 0xFFFFFFFF, 0xFFFFFFFF, 0)
    return b"PK\3\4" + listed[4:] + end64 + locator + end


def tar_header(name: bytes, kind: bytes, size: bytes) -> bytes:
    """Return a header block of a TAR with a checksum that fits."""
    block = bytearray(512)
    block[: len(name)] = name
    block[124:136] = size.ljust(12, b"\0")
    block[156:157] = kind
    block[257:265] = b"ustar\00000"
    block[148:156] = b" " * 8
    block[148:156] = b"%06o\0 " % sum(block)
    return bytes(block)


def tar_of_headers() -> bytes:
    """Return a TAR in which forty thousand headers each say something of the next."""
    said = b"30 path=" + b"x" * 21 + b"\n"
    one = tar_header(b"a", b"x", b"%011o" % len(said)) + said.ljust(512, b"\0")
    return one * 40_000


def tar_of_negative_size() -> bytes:
    """Return a TAR whose second header has a size below zero, which leads back to the first."""
    first = tar_header(b"a", b"0", b"0")
    return first + tar_header(b"b", b"0", b"\xff" * 10 + struct.pack(">h", -1024)) + bytes(1024)


def tar_of_numbers() -> bytes:
    """Return a TAR whose pax header gives a size below zero."""
    said = b"16 size=-100000\n"
    pax = tar_header(b"a", b"x", b"%011o" % len(said)) + said.ljust(512, b"\0")
    return tar_header(b"z", b"0", b"0") + pax + tar_header(b"b", b"0", b"0") + bytes(1024)


def tar_of_maps() -> bytes:
    """Return a TAR whose sparse file has a map that never ends."""
    block = bytearray(tar_header(b"a", b"S", b"0"))
    block[482] = 1
    block[148:156] = b" " * 8
    block[148:156] = b"%06o\0 " % sum(block)
    more = bytearray(512)
    more[504] = 1
    return bytes(block) + bytes(more) * 100_000


def gzip_of_zeros() -> bytes:
    """Return a packed file that unfolds to four gigabytes."""
    return gzip.compress(bytes(1 << 30), 9) * 4


def gzip_of_parts() -> bytes:
    """Return a packed file of a million empty parts."""
    return gzip.compress(b"", mtime=0) * 1_000_000


def layers(stack: bytes, *pngs: bytes) -> bytes:
    """Return an OpenRaster file with any list of layers."""
    parts = {"mimetype": b"image/openraster", "stack.xml": stack}
    parts |= {f"data/{i}.png": data for i, data in enumerate(pngs)}
    return zipped(parts, zipfile.ZIP_DEFLATED)


def many_layers() -> bytes:
    """Return two hundred layers of 16384 x 16384."""
    layer = b'<layer src="data/0.png"/>' * 200
    return layers(b'<image w="16384" h="16384"><stack>' + layer + b"</stack></image>", huge_png())


def stacked_layers() -> bytes:
    """Return stacks a hundred thousand deep in each other."""
    deep = b"<stack>" * 100_000 + b"</stack>" * 100_000
    return layers(b'<image w="8" h="8">' + deep + b"</image>")


def layers_of_words() -> bytes:
    """Return a list of layers that unfolds to a gigabyte."""
    return layers(b"<image>" + b" " * (1 << 29) + b"</image>")


def laughing_layers() -> bytes:
    """Return a list of layers whose entities unfold (XML 1.0, section 4.4), as UTF-16."""
    declared = '<!DOCTYPE a [<!ENTITY b0 "stone">'
    for i in range(30):
        declared += f'<!ENTITY b{i + 1} "{f"&b{i};" * 10}">'
    text = f'<?xml version="1.0" encoding="UTF-16"?>{declared}]><image w="8" h="8">&b30;</image>'
    return layers(text.encode("utf-16"))


def deep_names() -> bytes:
    """Return a table of names that is a hundred thousand lists in each other."""
    return b"[" * 100_000 + b"]" * 100_000


def many_names() -> bytes:
    """Return a table of five million names."""
    return b"a,b\n" * 5_000_000


def long_number() -> bytes:
    """Return a table whose name is a number of a million digits."""
    return b'{"a": ' + b"9" * 1_000_000 + b"}"


def profile_of_curves() -> bytes:
    """Return a TIFF with a profile whose curve claims four thousand million points."""
    from tests.readers.samples import profile

    spoilt = bytearray(profile())
    at = spoilt.index(b"curv") if b"curv" in spoilt else spoilt.index(b"para")
    spoilt[at : at + 12] = b"curv" + bytes(4) + b"\xff" * 4
    return stored("PNG", icc_profile=bytes(spoilt))


BOMBS: dict[str, tuple[str, Callable[[], bytes]]] = {
    "a PNG of 60,000²": ("source", huge_png),
    "a PNG of unfolding words": ("source", png_of_words),
    "a PNG of a million chunks": ("source", png_of_chunks),
    "a PNG of a chunk of 4 GB": ("source", png_of_a_huge_chunk),
    "a PNG with an unfolding profile": ("source", png_profile),
    "a PNG of 96 million texels in 280 KB": ("source", empty_png),
    "a TIFF whose description unfolds": ("source", tiff_of_words),
    "a TIFF whose strip unfolds": ("source", tiff_of_strips),
    "a TIFF of endless fields": ("source", tiff_of_values),
    "a JPEG of thousands of scans": ("source", jpeg_of_scans),
    "a PNG with an endless curve": ("source", profile_of_curves),
    "nested ZIPs of 2 KB": ("container", nested_zip),
    "2,000 entries of 500 MB of zeros": ("container", zip_of_zeros),
    "a ZIP of five million names": ("container", zip_of_names),
    "a TAR of chained headers": ("container", tar_of_headers),
    "a TAR with a size below zero": ("container", tar_of_negative_size),
    "a TAR with a pax size below zero": ("container", tar_of_numbers),
    "a TAR with an endless map": ("container", tar_of_maps),
    "a gzip of 4 GB": ("gzip", gzip_of_zeros),
    "a gzip of a million parts": ("gzip", gzip_of_parts),
    "200 layers of 16384²": ("openraster", many_layers),
    "stacks in stacks": ("openraster", stacked_layers),
    "a list of layers of 512 MB": ("openraster", layers_of_words),
    "entities in entities": ("openraster", laughing_layers),
    "lists in lists": ("names", deep_names),
    "five million names": ("names", many_names),
    "a number of a million digits": ("names", long_number),
}
"""By name: the reader that it is for, and the file."""

SLOW_TO_MAKE = {
    "a PNG of 96 million texels in 280 KB",
    "2,000 entries of 500 MB of zeros",
    "a JPEG of thousands of scans",
    "a gzip of 4 GB",
    "a list of layers of 512 MB",
    "a TIFF whose strip unfolds",
    "a PNG with an unfolding profile",
}
"""Those left to the sweep."""
