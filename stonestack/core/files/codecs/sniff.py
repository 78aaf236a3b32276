"""What a file really is, by its first bytes; and what its name claims.

Sources of the signatures: PNG (W3C, section 5.2), JPEG (ISO/IEC 10918-1, annex B), BMP
(BITMAPFILEHEADER), TIFF 6.0 (section 2) and BigTIFF, TGA 2.0 (header, and footer of new
files), DDS (programming guide), KTX 2.0 (section 3.1), ZIP (APPNOTE 4.3), gzip (RFC 1952),
tar (POSIX ustar), WebP, GIF89a, OpenEXR (file layout), Radiance (header of pictures).
"""

from __future__ import annotations

import struct
from enum import StrEnum
from pathlib import PurePath


class FileKind(StrEnum):
    """Kinds of file that are told apart."""

    PNG = "png"
    JPEG = "jpeg"
    BMP = "bmp"
    TIFF = "tiff"
    TGA = "tga"
    DDS = "dds"
    KTX2 = "ktx2"
    GIF = "gif"
    WEBP = "webp"
    EXR = "exr"
    HDR = "hdr"
    ARCHIVE = "archive"
    EMPTY = "empty"
    UNKNOWN = "unknown"


READABLE = {
    FileKind.PNG,
    FileKind.JPEG,
    FileKind.BMP,
    FileKind.TIFF,
    FileKind.TGA,
    FileKind.WEBP,
    FileKind.EXR,
    FileKind.HDR,
    FileKind.DDS,
    FileKind.KTX2,
}
"""Kinds that can come in."""
READABLE_WORDS = "Bring a PNG, JPEG, TGA, BMP, TIFF, WebP, EXR, Radiance, DDS or KTX2 file."
"""What to do where a file is of another kind."""

_SIGNATURES: tuple[tuple[bytes, FileKind], ...] = (
    (b"\x89PNG\r\n\x1a\n", FileKind.PNG),
    (b"\xff\xd8\xff", FileKind.JPEG),
    (b"BM", FileKind.BMP),
    (b"II*\x00", FileKind.TIFF),
    (b"MM\x00*", FileKind.TIFF),
    (b"II+\x00", FileKind.TIFF),
    (b"MM\x00+", FileKind.TIFF),
    (b"DDS ", FileKind.DDS),
    (b"\xabKTX 20\xbb\r\n\x1a\n", FileKind.KTX2),
    (b"\x76\x2f\x31\x01", FileKind.EXR),
    (b"#?RADIANCE", FileKind.HDR),
    (b"#?RGBE", FileKind.HDR),
    (b"GIF87a", FileKind.GIF),
    (b"GIF89a", FileKind.GIF),
    (b"PK\x03\x04", FileKind.ARCHIVE),
    (b"PK\x05\x06", FileKind.ARCHIVE),
    (b"\x1f\x8b", FileKind.ARCHIVE),
    (b"7z\xbc\xaf\x27\x1c", FileKind.ARCHIVE),
    (b"\xfd7zXZ\x00", FileKind.ARCHIVE),
    (b"Rar!\x1a\x07", FileKind.ARCHIVE),
)

_EXTENSIONS: dict[str, FileKind] = {
    ".png": FileKind.PNG,
    ".jpg": FileKind.JPEG,
    ".jpeg": FileKind.JPEG,
    ".bmp": FileKind.BMP,
    ".tif": FileKind.TIFF,
    ".tiff": FileKind.TIFF,
    ".tga": FileKind.TGA,
    ".dds": FileKind.DDS,
    ".ktx2": FileKind.KTX2,
    ".gif": FileKind.GIF,
    ".webp": FileKind.WEBP,
    ".exr": FileKind.EXR,
    ".hdr": FileKind.HDR,
    ".pic": FileKind.HDR,
    ".zip": FileKind.ARCHIVE,
    ".tar": FileKind.ARCHIVE,
    ".gz": FileKind.ARCHIVE,
    ".7z": FileKind.ARCHIVE,
}


def kind_by_content(data: bytes) -> FileKind:
    """Return the kind that the bytes themselves show."""
    if not data:
        return FileKind.EMPTY
    for signature, kind in _SIGNATURES:
        if data.startswith(signature):
            return kind
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return FileKind.WEBP
    if data[257:262] == b"ustar":
        return FileKind.ARCHIVE
    return FileKind.TGA if _looks_like_tga(data) else FileKind.UNKNOWN


def kind_by_name(name: str) -> FileKind:
    """Return the kind that the file's extension claims."""
    return _EXTENSIONS.get(PurePath(name).suffix.lower(), FileKind.UNKNOWN)


def _looks_like_tga(data: bytes) -> bool:
    """Tell a TGA by its footer, or by a header in which every field makes sense."""
    if len(data) < 18:
        return False
    if data[-18:-2] == b"TRUEVISION-XFILE":
        return True
    map_type, image_type = data[1], data[2]
    first, length, entry = struct.unpack_from("<HHB", data, 3)
    width, height, depth, flags = struct.unpack_from("<HHBB", data, 12)
    if map_type > 1 or image_type not in (1, 2, 3, 9, 10, 11) or not width or not height:
        return False
    if map_type == 0 and (first or length or entry) and image_type in (1, 9):
        return False
    paletted, grey = image_type in (1, 9), image_type in (3, 11)
    depths = (8, 16) if paletted or grey else (15, 16, 24, 32)
    if depth not in depths or flags & 0xC0:
        return False
    return not (paletted and (map_type != 1 or entry not in (15, 16, 24, 32)))
