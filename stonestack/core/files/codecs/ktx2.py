"""KTX2 files, also arrays and cube maps, packed by Zstandard where it is asked for.

Source: Khronos, "KTX File Format Specification" 2.0, sections 3 and 4; the data format
descriptor is from "Khronos Data Format Specification" 1.3, section 5 (basic descriptor
block) and table 50 (colour models). Packing: RFC 8878 (Zstandard).
"""

from __future__ import annotations

import struct
from math import lcm

from stonestack.core.files.blocks.formats import ALPHA_SAMPLE, FORMATS, BlockFormat, Numbers
from stonestack.core.files.blocks.opacity import see_through
from stonestack.core.files.codecs.texture import FACES, Texture, check_texture_size
from stonestack.core.picture.mips import level_size
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.readers import reader

MAGIC = b"\xabKTX 20\xbb\r\n\x1a\n"
_HEADER = struct.Struct("<12s9I4I2Q")
_LEVEL = struct.Struct("<3Q")

_LINEAR, _SRGB, _BT709 = 1, 2, 1
_QUALIFIER_LINEAR, _QUALIFIER_SIGNED, _QUALIFIER_FLOAT = 0x10, 0x40, 0x80
_ZSTANDARD, _EFFORT = 2, 12
"""The scheme's number (section 3.10), and how hard is packed."""
_ONE, _MINUS_ONE = 0x3F800000, 0xBF800000
"""1 and -1 as single precision, which bound floating samples."""
_BC1_WITH_HOLES = {False: 133, True: 134}
"""Of BC1 where index 3 means see-through and not black (VK_FORMAT_BC1_RGBA_*)."""
_TYPE_BYTES = {BlockFormat.RGB10A2: 4, BlockFormat.RGBA16F: 2}
"""Bytes of the words that texels are made of, where those are more than one (section 3.3)."""

_BY_VK: dict[int, tuple[BlockFormat, bool]] = {
    number: (format_, srgb)
    for format_, info in FORMATS.items()
    for number, srgb in ((info.vk, False), (info.vk_srgb, True))
    if number
}
# The RGBA variants of BC1 hold the same blocks.
_BY_VK |= {133: (BlockFormat.BC1, False), 134: (BlockFormat.BC1, True)}


def write(texture: Texture, packed: bool = False) -> bytes:
    """Return a KTX2 file: the smallest level first, as section 3.9.7 wants it.

    Parameters
    ----------
    packed : bool
        Whether each level is packed by Zstandard.
    """
    info = FORMATS[texture.format]
    count = len(texture.levels)
    descriptor = _descriptor(texture)
    values = _key_values({"KTXorientation": "rd", "KTXwriter": "Stone Stack"})
    index_end = _HEADER.size + count * _LEVEL.size
    values_at = index_end + len(descriptor)
    # What is packed lies anywhere (section 3.9.4).
    align = 1 if packed else lcm(info.unit_bytes, 4)
    stored = [_packed(level) for level in texture.levels] if packed else list(texture.levels)
    place = values_at + len(values)
    body: list[bytes] = []
    offsets = [0] * count
    for level in reversed(range(count)):
        body.append(bytes(-place % align))
        offsets[level] = place + len(body[-1])
        body.append(stored[level])
        place = offsets[level] + len(body[-1])
    header = _HEADER.pack(
        MAGIC,
        *(_number(texture), _TYPE_BYTES.get(texture.format, 1)),
        *(texture.width, texture.height, 0),
        *(texture.layers if texture.layers > 1 else 0, FACES if texture.cube else 1),
        *(count, _ZSTANDARD if packed else 0),
        *(index_end, len(descriptor), values_at, len(values)),
        *(0, 0),
    )
    index = b"".join(
        _LEVEL.pack(offset, len(data), len(level))
        for offset, data, level in zip(offsets, stored, texture.levels, strict=True)
    )
    return b"".join([header, index, descriptor, values, *body])


def _number(texture: Texture) -> int:
    """Return the number of a texture's format."""
    if texture.format is BlockFormat.BC1 and any(
        see_through(texture.format, level) for level in texture.levels
    ):
        return _BC1_WITH_HOLES[texture.srgb]
    return texture.format.info.vk_srgb if texture.srgb else texture.format.info.vk


def format_of(data: bytes) -> BlockFormat:
    """Return the format of a KTX2 file of ours, by its head."""
    return _BY_VK[_HEADER.unpack_from(data)[1]][0]


@reader("ktx2")
def read(data: bytes) -> Texture:
    """Read a KTX2 file.

    Raises
    ------
    BadFile
        If the file is cut short, damaged, or in a format that is not read yet.
    """
    if len(data) < _HEADER.size or not data.startswith(MAGIC):
        raise _cut_short()
    fields = _HEADER.unpack_from(data)
    number, width, height, depth = fields[1], fields[3], fields[4], fields[5]
    layers, faces, levels, scheme = fields[6:10]
    check_texture_size(width, height, max(1, levels))
    if depth > 1 or faces not in (1, FACES):
        raise _unread("a volume")
    if scheme not in (0, _ZSTANDARD):
        raise _unread(f"packed by scheme {scheme}")
    if number not in _BY_VK:
        raise _unread(f"in Vulkan format {number}")
    format_, srgb = _BY_VK[number]
    layers, cube = max(1, layers), faces == FACES
    elements = layers * faces
    check_texture_size(width, height, max(1, levels), elements)
    parts = []
    for level, (offset, size) in enumerate(places(data, max(1, levels))):
        part = data[offset : offset + size]
        if len(part) < size:
            raise _cut_short()
        if scheme:
            wanted = format_.info.level_bytes(*level_size(width, height, level)) * elements
            part = _unpacked(part, wanted)
        parts.append(part)
    return Texture(format_, srgb, width, height, tuple(parts), layers, cube)


def with_levels(data: bytes, levels: tuple[bytes, ...]) -> bytes:
    """Return the file with other levels of the same sizes; all else stays as it is.

    Of a packed file, levels that are the same keep their packed bytes.
    """
    found = places(data, len(levels))
    if not is_packed(data):
        out = bytearray(data)
        for (offset, size), level in zip(found, levels, strict=True):
            out[offset : offset + size] = level
        return bytes(out)
    before = read(data).levels
    if before == levels:
        return data
    stored = [
        data[offset : offset + size] if new == old else _packed(new)
        for (offset, size), new, old in zip(found, levels, before, strict=True)
    ]
    place = min(offset for offset, _ in found)
    head, body = bytearray(data[:place]), b""
    for number in reversed(range(len(levels))):
        index = _HEADER.size + number * _LEVEL.size
        _LEVEL.pack_into(head, index, place, len(stored[number]), len(levels[number]))
        body += stored[number]
        place += len(stored[number])
    return bytes(head) + body


@reader("packing")
def is_packed(data: bytes) -> bool:
    """Tell whether a KTX2 file's levels are packed."""
    return len(data) >= _HEADER.size and bool(_HEADER.unpack_from(data)[9])


def _packed(level: bytes) -> bytes:
    import zstandard

    return zstandard.ZstdCompressor(_EFFORT).compress(level)


def _unpacked(part: bytes, size: int) -> bytes:
    """Unpack a level of a size that is known; nothing beyond it is unpacked."""
    import zstandard

    try:
        with zstandard.ZstdDecompressor().stream_reader(part) as stream:
            level = stream.read(size + 1)
    except zstandard.ZstdError as error:
        raise _cut_short() from error
    if len(level) != size:
        raise _cut_short()
    return level


def places(data: bytes, levels: int) -> list[tuple[int, int]]:
    """Return where each level lies in a file: offset and bytes, level 0 first."""
    if len(data) < _HEADER.size + levels * _LEVEL.size:
        raise _cut_short()
    return [
        _LEVEL.unpack_from(data, _HEADER.size + level * _LEVEL.size)[:2] for level in range(levels)
    ]


def _descriptor(texture: Texture) -> bytes:
    """Return the data format descriptor: one basic block with a sample per channel group."""
    info = FORMATS[texture.format]
    compressed = info.block > 1
    alpha = ALPHA_SAMPLE | (_QUALIFIER_LINEAR if texture.srgb else 0)
    samples = [(at, bits, alpha if n == ALPHA_SAMPLE else n) for at, bits, n in info.samples]
    kind, bounds = _bounds(texture.format)
    size = 24 + 16 * len(samples)
    side = info.block - 1
    block = struct.pack(
        "<IHH4B4B8B",
        0,
        2,
        size,
        *(info.model, _BT709, _SRGB if texture.srgb else _LINEAR, 0),
        *(side, side, 0, 0),
        *(info.unit_bytes, 0, 0, 0, 0, 0, 0, 0),
    )
    for offset, length, channel in samples:
        low, high = bounds or (0, 0xFFFFFFFF if compressed else (1 << length) - 1)
        sample = (offset, length - 1, channel | kind)
        block += struct.pack("<HBB4B2I", *sample, 0, 0, 0, 0, low, high)
    return struct.pack("<I", len(block) + 4) + block


def _bounds(format_: BlockFormat) -> tuple[int, tuple[int, int] | None]:
    """Return the qualifiers of a format's samples, and their bounds where they are not plain.

    Khronos Data Format Specification 1.3, section 5.13 and tables 53 and 58.
    """
    numbers = format_.info.numbers
    if numbers is Numbers.SIGNED:
        return _QUALIFIER_SIGNED, (0x80000001, 0x7FFFFFFF)
    if numbers is Numbers.HALVES and format_ is BlockFormat.BC6H:
        return _QUALIFIER_FLOAT, (0, _ONE)
    if numbers is Numbers.HALVES:
        return _QUALIFIER_FLOAT | _QUALIFIER_SIGNED, (_MINUS_ONE, _ONE)
    return 0, None


def _key_values(pairs: dict[str, str]) -> bytes:
    data = b""
    for key in sorted(pairs):
        entry = key.encode() + b"\0" + pairs[key].encode() + b"\0"
        data += struct.pack("<I", len(entry)) + entry + bytes(-len(entry) % 4)
    return data


def _cut_short() -> BadFile:
    return BadFile(
        "file-truncated",
        "The KTX2 file ends before its texels do.",
        "Fetch or export it again; the copy is incomplete.",
    )


def _unread(what: str) -> BadFile:
    return BadFile(
        "ktx2-not-read",
        f"This KTX2 file is {what}, which is not read yet.",
        "Save it as BC1 to BC7 or RGBA8, plain or packed by Zstandard.",
    )
