"""What one file of a game is: its true kind, its header, its alpha, and how it looks.

Nothing here raises for bad content: a damaged file is listed with what is wrong with it.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image

from stonestack.core.catalogue.looks import Look, bluish, look
from stonestack.core.files import containers
from stonestack.core.files.blocks.formats import FORMATS
from stonestack.core.files.blocks.opacity import see_through
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.files.codecs.sniff import READABLE, FileKind, kind_by_content
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture.image import Bytes
from stonestack.core.picture.normals import are_unit
from stonestack.core.picture.texels import eight
from stonestack.core.runtime.errors import StoneError
from stonestack.core.runtime.readers import reader

if TYPE_CHECKING:
    from stonestack.core.files.codecs.pictures import Survey

VERSION = 5
"""Counted up when the same content would be described otherwise."""
_FINER = 4
"""How much larger a picture is read than it is shown."""
_TRIED_ROWS = 64
"""Rows of a texture that are tried for unit length."""
LOOKED = 128
"""Longest side that is looked at."""


@dataclass(frozen=True)
class Described:
    """What a file's content says, whatever it is called.

    Parameters
    ----------
    kind : str
        A :class:`FileKind`, or a container's form.
    format : str
        Block format, or the pixel mode of an image file; empty for other files.
    alpha : str
        ``none``, ``opaque`` or ``used``.
    problem : str
        Why it cannot be read, or empty.
    look : Look or None
        None for what is no picture, or cannot be decoded.
    """

    kind: str
    width: int = 0
    height: int = 0
    levels: int = 0
    format: str = ""
    alpha: str = "none"
    problem: str = ""
    look: Look | None = None


@reader("anything in a game")
def describe(data: bytes, seen: Survey | None = None) -> Described:
    """Describe a file by its content.

    Parameters
    ----------
    data : bytes
        The whole file.
    seen : Survey, optional
        Of an image file that was surveyed already.
    """
    form = containers.form_of(data[: containers.HEAD])
    if form is not None:
        return Described(form.name)
    kind = kind_by_content(data)
    if kind in (FileKind.DDS, FileKind.KTX2):
        return _texture(kind, data)
    if kind in READABLE:
        return _image(kind, data, seen)
    if kind is FileKind.UNKNOWN and _is_text(data):
        return Described("text")
    return Described(str(kind))


def _texture(kind: FileKind, data: bytes) -> Described:
    try:
        texture = dds.read(data) if kind is FileKind.DDS else ktx2.read(data)
    except StoneError as error:
        width, height, levels = _claimed(kind, data)
        return Described(str(kind), width, height, levels, problem=error.message)
    channels = FORMATS[texture.format].channels
    alpha = "none"
    if channels == 4:
        alpha = "used" if see_through(texture.format, texture.levels[0]) else "opaque"
    return Described(
        str(kind),
        texture.width,
        texture.height,
        len(texture.levels),
        str(texture.format),
        alpha,
        look=_look(texture, channels),
    )


def _look(texture: Texture, channels: int) -> Look:
    texels = shown(small_level(texture))
    unit = None
    if channels > 2 and max(texture.width, texture.height) > LOOKED and bluish(texels):
        unit = float(are_unit(texture.first_rows(_TRIED_ROWS)[..., :3], 255).mean())
    return look(texels, channels, unit)


def small_level(texture: Texture, longest: int = LOOKED) -> Bytes:
    """Decode the largest level that is no larger than wanted; else average a larger one."""
    level = 0
    while level + 1 < len(texture.levels) and max(texture.size(level)) > longest:
        level += 1
    return texture.texels(level) if max(texture.size(level)) <= longest else texture.small(longest)


def shown(texels: Bytes) -> Bytes:
    """Return stored texels as red, green, blue and alpha.

    One channel becomes grey; two are the x and y of a vector, whose z is rebuilt.
    """
    height, width, channels = texels.shape
    if channels == 4:
        return texels
    out = np.full((height, width, 4), 255, np.uint8)
    if channels == 1:
        out[..., :3] = texels
    else:
        out[..., :2] = texels[..., :2]
        flat = np.square(texels[..., :2].astype(np.float32) * np.float32(2 / 255) - 1).sum(axis=2)
        out[..., 2] = np.rint((np.sqrt(np.maximum(0, 1 - flat)) + 1) * 127.5)
    return out


def _image(kind: FileKind, data: bytes, seen: Survey | None) -> Described:
    from stonestack.core.files.codecs import pictures

    quick = seen is None
    try:
        seen = seen or pictures.survey(data, kind, LOOKED, quick=True)
    except StoneError as error:
        return Described(str(kind), problem=error.message)
    header = seen.facts
    alpha = "none" if not seen.alpha else "opaque" if seen.opaque else "used"
    words = f"{header.mode.lower()}{'16' if header.bits == 16 else ''}"
    small = Image.fromarray(eight(seen.texels))
    shrink = max(1, max(small.size) // LOOKED)
    texels = np.asarray(small.reduce(shrink))
    if quick and kind is FileKind.JPEG and bluish(texels):
        # Decoded coarsely, unit vectors have lost their length.
        seen = pictures.survey(data, kind, LOOKED)
    seen_as = look(texels, 4, seen.unit, header.bits > 8)
    return Described(str(kind), header.width, header.height, 1, words, alpha, look=seen_as)


def _claimed(kind: FileKind, data: bytes) -> tuple[int, int, int]:
    """Return the size that a header claims which is not read further."""
    if kind is FileKind.DDS and len(data) >= 32:
        height, width = struct.unpack_from("<2I", data, 12)
        levels = struct.unpack_from("<I", data, 28)[0]
    elif kind is FileKind.KTX2 and len(data) >= 44:
        width, height = struct.unpack_from("<2I", data, 20)
        levels = struct.unpack_from("<I", data, 40)[0]
    else:
        return 0, 0, 0
    if max(width, height) > 1 << 16 or levels > 32:
        return 0, 0, 0
    return width, height, max(1, levels)


def _is_text(data: bytes) -> bool:
    head = data[:4096]
    if b"\0" in head:
        return False
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as error:
        return error.start > len(head) - 4
    return True


@reader("shown picture", longest=64)
def picture_bytes(data: bytes, longest: int | None, texel_level: int = 0) -> Bytes:
    """Decode any readable picture to stored red, green, blue and alpha.

    Parameters
    ----------
    data : bytes
        The whole file.
    longest : int or None
        Shrink to this.
    texel_level : int
        Which level of a texture.

    Raises
    ------
    BadFile
        If it cannot be decoded.
    """
    from stonestack.core.files import codecs

    kind = codecs.checked_kind(data)
    if kind in (FileKind.DDS, FileKind.KTX2):
        texture = codecs.read_texture(data)
        if longest is not None and texel_level == 0:
            texels = shown(texture.small(longest))
        else:
            texels = shown(texture.texels(min(texel_level, len(texture.levels) - 1)))
    else:
        from stonestack.core.files.codecs import pictures

        texels = eight(pictures.stored(data, kind, longest=_FINER * (longest or 0)))
    if longest is None or max(texels.shape[:2]) <= longest:
        return texels
    share = longest / max(texels.shape[:2])
    size = (max(1, round(texels.shape[1] * share)), max(1, round(texels.shape[0] * share)))
    if texels[..., 3].min() == 255:
        rgb = Image.fromarray(np.ascontiguousarray(texels[..., :3]))
        return np.asarray(rgb.resize(size, Image.Resampling.BOX).convert("RGBA"))
    image = Image.fromarray(texels).convert("RGBa").resize(size, Image.Resampling.BOX)
    return np.asarray(image.convert("RGBA"))


def encoded(texels: Bytes) -> bytes:
    """Store texels as a PNG for the screen."""
    buffer = io.BytesIO()
    image = Image.fromarray(np.ascontiguousarray(texels))
    if texels[..., 3].min() == 255:
        image = image.convert("RGB")
    image.save(buffer, "PNG", compress_level=1)
    return buffer.getvalue()
