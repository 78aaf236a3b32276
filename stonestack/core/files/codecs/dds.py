"""DDS files: read and written with old and new headers, also arrays and cube maps.

Source: Microsoft, "Programming Guide for DDS" and "DDS_HEADER", "DDS_PIXELFORMAT" and
"DDS_HEADER_DXT10" structures.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Literal

import numpy as np

from stonestack.core.files.blocks.formats import FORMATS, BlockFormat
from stonestack.core.files.codecs.texture import FACES, Texture, check_texture_size, level_sizes
from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.errors import BadFile, BadRequest
from stonestack.core.runtime.readers import reader

MAGIC = b"DDS "
HEADER = struct.Struct("<4s7I44x2I4s5I5I")
"""Magic, seven fields, eleven reserved, pixel format (8 fields), five caps fields."""
DX10 = struct.Struct("<5I")

# dwFlags: CAPS, HEIGHT, WIDTH, PIXELFORMAT are required; then MIPMAPCOUNT, LINEARSIZE, PITCH.
_REQUIRED, _MIPMAPCOUNT, _LINEARSIZE, _PITCH = 0x1007, 0x20000, 0x80000, 0x8
_CAPS_TEXTURE, _CAPS_COMPLEX, _CAPS_MIPMAP = 0x1000, 0x8, 0x400000
_CAPS2_CUBEMAP, _CAPS2_FACES, _CAPS2_VOLUME = 0x200, 0xFC00, 0x200000
_PF_FOURCC, _PF_RGB, _PF_ALPHA, _PF_LUMINANCE = 0x4, 0x40, 0x1, 0x20000
_PF_PLAIN = _PF_RGB | _PF_LUMINANCE
_DIMENSION_2D, _MISC_CUBE = 3, 0x4

_BY_DXGI: dict[int, tuple[BlockFormat, bool]] = {
    number: (format_, srgb)
    for format_, info in FORMATS.items()
    for number, srgb in ((info.dxgi, False), (info.dxgi_srgb, True))
    if number
}
# Typeless variants mean the same blocks; B8G8R8A8 is read and its channels are put in order.
_BY_DXGI |= {70: (BlockFormat.BC1, False), 76: (BlockFormat.BC3, False)}
_BY_DXGI |= {73: (BlockFormat.BC2, False), 97: (BlockFormat.BC7, False)}
_BY_DXGI |= {79: (BlockFormat.BC4, False), 82: (BlockFormat.BC5, False)}
_DXGI_BGRA = {87: False, 91: True}
_BY_MASKS = {
    (8 * info.unit_bytes, info.masks): format_ for format_, info in FORMATS.items() if info.masks
}
_BY_FOURCC = {code: format_ for format_, info in FORMATS.items() for code in info.fourcc}


Header = Literal["dx10", "legacy"]


def usual_header(format_: BlockFormat) -> Header:
    """Return the older header, which every reader knows, where it has words for a format."""
    return "legacy" if format_.info.fourcc or format_.info.masks else "dx10"


def write(texture: Texture, header: Header = "dx10") -> bytes:
    """Return a DDS file.

    Parameters
    ----------
    header : {"dx10", "legacy"}
        The newer header alone can say that colour is sRGB; older programs read only the other.

    Raises
    ------
    BadRequest
        If the older header has no words for the format.
    """
    info = FORMATS[texture.format]
    count = len(texture.levels)
    compressed = info.block > 1
    size = (
        info.level_bytes(texture.width, texture.height)
        if compressed
        else texture.width * info.unit_bytes
    )
    flags = _REQUIRED | (_LINEARSIZE if compressed else _PITCH)
    caps = _CAPS_TEXTURE
    if count > 1:
        flags |= _MIPMAPCOUNT
        caps |= _CAPS_COMPLEX | _CAPS_MIPMAP
    caps2 = _CAPS2_CUBEMAP | _CAPS2_FACES if texture.cube else 0
    if texture.elements > 1:
        caps |= _CAPS_COMPLEX
    form = _legacy_form(texture) if header == "legacy" else (_PF_FOURCC, b"DX10", 0, 0, 0, 0, 0)
    head = HEADER.pack(
        MAGIC,
        *(124, flags, texture.height, texture.width, size, 0, count),
        *(32, *form),
        *(caps, caps2, 0, 0, 0),
    )
    if header == "dx10":
        number = info.dxgi_srgb if texture.srgb else info.dxgi
        cube = _MISC_CUBE if texture.cube else 0
        head += DX10.pack(number, _DIMENSION_2D, cube, texture.layers, 0)
    elements = (texture.element(n) for n in range(texture.elements))
    return head + b"".join(level for element in elements for level in element.levels)


def _legacy_form(texture: Texture) -> tuple[int, bytes, int, int, int, int, int]:
    """Return flags, code, bits and masks of an older header's pixel format."""
    info = FORMATS[texture.format]
    if texture.layers > 1:
        raise BadRequest(
            "no-legacy-header",
            "An older DDS header has no words for an array.",
            "Let the newer header be written.",
        )
    if info.fourcc:
        return _PF_FOURCC, info.fourcc[0], 0, 0, 0, 0, 0
    if not info.masks:
        raise BadRequest(
            "no-legacy-header",
            f"{info.title} cannot be told by an older DDS header.",
            "Store the map in another format, or let the target take the newer header.",
        )
    red, green, blue, alpha = info.masks
    flags = _PF_RGB if info.channels > 1 else _PF_LUMINANCE
    if alpha:
        flags |= _PF_ALPHA
    return flags, bytes(4), 8 * info.unit_bytes, red, green, blue, alpha


def read(data: bytes) -> Texture:
    """Read a DDS file; see :func:`parse`."""
    return parse(data).texture


@dataclass(frozen=True)
class Layout:
    """A DDS file taken apart.

    Parameters
    ----------
    texture : Texture
        Its levels, channels in our order.
    start : int
        Where the levels begin.
    order : tuple of int
        Which stored byte holds red, green, blue, alpha; -1 means none does.
    variant : str
        The header's form in words.
    """

    texture: Texture
    start: int
    order: tuple[int, int, int, int]
    variant: str


@reader("dds")
def parse(data: bytes) -> Layout:
    """Read a DDS file and say how it is laid out.

    Raises
    ------
    BadFile
        If the file is cut short, damaged, or in a format that is not read yet.
    """
    if len(data) < HEADER.size or data[:4] != MAGIC:
        raise _cut_short()
    fields = HEADER.unpack_from(data)
    height, width, levels = fields[3], fields[4], max(1, fields[7])
    pixel_flags, fourcc, bits = fields[9], fields[10], fields[11]
    masks, caps2 = fields[12:16], fields[17]
    check_texture_size(width, height, levels)
    if caps2 & _CAPS2_VOLUME:
        raise _unread("a volume")
    cube, layers = bool(caps2 & _CAPS2_CUBEMAP), 1
    if cube and caps2 & _CAPS2_FACES not in (0, _CAPS2_FACES):
        raise _unread("a cube map of which faces are missing")
    place = HEADER.size
    order = (0, 1, 2, 3)
    variant = "old header"
    # Some writers leave the flag out; a code that is known is one.
    known = fourcc == b"DX10" or fourcc in _BY_FOURCC
    coded = bool(pixel_flags & _PF_FOURCC) or (known and not pixel_flags & _PF_PLAIN)
    if coded and fourcc == b"DX10":
        if len(data) < place + DX10.size:
            raise _cut_short()
        number, dimension, misc, array, _ = DX10.unpack_from(data, place)
        place += DX10.size
        variant = f"DX10 header{_said(number)}"
        if dimension != _DIMENSION_2D:
            raise _unread("a texture that is not flat")
        cube, layers = cube or bool(misc & _MISC_CUBE), max(1, array)
        if number in _DXGI_BGRA:
            format_, srgb, order = BlockFormat.RGBA8, _DXGI_BGRA[number], (2, 1, 0, 3)
        elif number in _BY_DXGI:
            format_, srgb = _BY_DXGI[number]
        else:
            raise _unread(f"in DXGI format {number}")
    elif coded:
        if fourcc not in _BY_FOURCC:
            raise _unread(f"in format {fourcc.decode('latin-1')!r}")
        format_, srgb = _BY_FOURCC[fourcc], False
        variant = f"old header, {fourcc.decode('latin-1')}"
    elif _BY_MASKS.get((bits, masks)) is BlockFormat.RGB10A2:
        format_, srgb = BlockFormat.RGB10A2, False
    elif pixel_flags & _PF_RGB and bits == 32:
        format_, srgb = BlockFormat.RGBA8, False
        order = _mask_order(masks, bool(pixel_flags & _PF_ALPHA))
    elif (bits, masks) in _BY_MASKS:
        format_, srgb = _BY_MASKS[bits, masks], False
    else:
        raise _unread("in an uncompressed format other than 8, 16 or 32 bits a texel")
    elements = layers * (FACES if cube else 1)
    check_texture_size(width, height, levels, elements)
    sizes = level_sizes(format_, width, height, levels)
    start = place
    if len(data) - start < elements * sum(sizes):
        raise _cut_short()
    parts: list[list[bytes]] = [[] for _ in sizes]
    for _ in range(elements):
        for level, size in enumerate(sizes):
            parts[level].append(_reordered(data[place : place + size], order))
            place += size
    whole = tuple(b"".join(part) for part in parts)
    texture = Texture(format_, srgb, width, height, whole, layers, cube)
    if elements > 1:
        variant += f", {elements} pictures{' of cubes' if cube else ''}"
    return Layout(texture, start, order, variant)


def with_levels(data: bytes, layout: Layout, levels: tuple[bytes, ...]) -> bytes:
    """Return the file with other levels of the same sizes; all else stays as it is."""
    out = bytearray(data)
    place = layout.start
    for level in levels:
        stored = level
        if layout.order != (0, 1, 2, 3):
            before = np.frombuffer(data, np.uint8, len(level), place).reshape(-1, 4).copy()
            texels = np.frombuffer(level, np.uint8).reshape(-1, 4)
            for channel, source in enumerate(layout.order):
                if source >= 0:
                    before[:, source] = texels[:, channel]
            stored = before.tobytes()
        out[place : place + len(stored)] = stored
        place += len(stored)
    return bytes(out)


def _said(number: int) -> str:
    """Return a format number in words."""
    if number in _DXGI_BGRA:
        return f", blue first{', sRGB' if _DXGI_BGRA[number] else ''}"
    if number in _BY_DXGI:
        format_, srgb = _BY_DXGI[number]
        return f", {FORMATS[format_].title}{', sRGB' if srgb else ''}"
    return ""


def _mask_order(masks: tuple[int, ...], alpha: bool) -> tuple[int, int, int, int]:
    """Return which stored byte holds red, green, blue, alpha; -1 means always opaque."""
    places = {0xFF: 0, 0xFF00: 1, 0xFF0000: 2, 0xFF000000: 3}
    if any(mask not in places for mask in masks[:3]):
        raise _unread("with channels that are not whole bytes")
    red, green, blue = (places[mask] for mask in masks[:3])
    return red, green, blue, places.get(masks[3], -1) if alpha else -1


def _reordered(part: bytes, order: tuple[int, int, int, int]) -> bytes:
    if order == (0, 1, 2, 3):
        return part
    stored: Bytes = np.frombuffer(part, np.uint8).reshape(-1, 4)
    texels = np.full_like(stored, 255)
    for channel, source in enumerate(order):
        if source >= 0:
            texels[:, channel] = stored[:, source]
    return texels.tobytes()


def _cut_short() -> BadFile:
    return BadFile(
        "file-truncated",
        "The DDS file ends before its texels do.",
        "Fetch or export it again; the copy is incomplete.",
    )


def _unread(what: str) -> BadFile:
    return BadFile(
        "dds-not-read",
        f"This DDS file is {what}, which is not read yet.",
        "Save it as BC1 to BC7 or 32-bit RGBA.",
    )
