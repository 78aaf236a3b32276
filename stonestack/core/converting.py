"""Convert one file into another: picture to texture, texture to picture, or like to like."""

from __future__ import annotations

import re

from stonestack.core import codecs
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.codecs.sniff import FileKind, kind_by_name
from stonestack.core.errors import BadRequest
from stonestack.core.image import Picture
from stonestack.core.resize import resize
from stonestack.core.roles import ROLES, Role

_PICTURES = {FileKind.PNG, FileKind.TGA, FileKind.TIFF}


def convert(
    data: bytes,
    output_name: str,
    *,
    role: Role = Role.COLOUR,
    format_name: str | None = None,
    size: tuple[int, int] | None = None,
    mips: bool = True,
) -> bytes:
    """Return the content of the output file.

    Parameters
    ----------
    data : bytes
        A file of any kind that can come in.
    output_name : str
        Its extension decides the kind: dds, ktx2, png, tga or tiff.
    role : Role
        How the numbers are understood: colour in linear light, normals as vectors.
    format_name : str, optional
        A block format; the role's usual one by default, BC3 for colour with alpha.
    size : (int, int), optional
        Width and height in texels.
    mips : bool
        Whether a texture gets all its smaller levels.

    Raises
    ------
    BadRequest
        If the output's kind is not written, or the format does not fit.
    """
    check_output(output_name)
    picture = codecs.read_picture(data, ROLES[role].space)
    if size is not None:
        picture = resize(picture, *size)
    return store(picture, output_name, role=role, format_name=format_name, mips=mips)


def check_output(output_name: str) -> FileKind:
    """Return the kind that an output file's extension names.

    Raises
    ------
    BadRequest
        If it is not written.
    """
    kind = kind_by_name(output_name)
    if kind not in _PICTURES | {FileKind.DDS, FileKind.KTX2}:
        raise BadRequest(
            "output-kind",
            f"The extension of {output_name} names no kind that is written.",
            "Use .dds, .ktx2, .png, .tga or .tiff.",
        )
    return kind


def store(
    picture: Picture,
    output_name: str,
    *,
    role: Role = Role.COLOUR,
    format_name: str | None = None,
    mips: bool = True,
) -> bytes:
    """Return the content of a file that holds a picture; its extension decides the kind.

    Raises
    ------
    BadRequest
        If the kind is not written, or the format does not fit.
    """
    kind = check_output(output_name)
    if kind in _PICTURES:
        from stonestack.core.codecs import pictures

        if format_name not in (None, BlockFormat.RGBA8):
            raise BadRequest(
                "format-for-texture",
                f"A {kind} file holds no {format_name} blocks.",
                "Leave --format out, or write .dds or .ktx2.",
            )
        return pictures.write(picture, kind)
    usual = BlockFormat.BC3 if picture.alpha else ROLES[role].formats[0]
    texture = codecs.compress(picture, BlockFormat(format_name) if format_name else usual, mips)
    return codecs.dds.write(texture) if kind is FileKind.DDS else codecs.ktx2.write(texture)


def parse_size(text: str) -> tuple[int, int]:
    """Read ``1024x512``.

    Raises
    ------
    BadRequest
        If it is anything else, or a side is not from 1 to 16384.
    """
    match = re.fullmatch(r"(\d{1,5})[x×](\d{1,5})", text)
    sides = (int(match[1]), int(match[2])) if match else (0, 0)
    if not all(1 <= side <= 16384 for side in sides):
        raise BadRequest("bad-size", f"“{text}” is not a size.", "Write it as 1024x512.")
    return sides
