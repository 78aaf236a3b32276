"""Bytes to pictures and textures, and back."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from pydantic import BaseModel

from stonestack.core.files.blocks.formats import FORMATS, BlockFormat, Numbers
from stonestack.core.files.blocks.opacity import see_through
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.files.codecs.sniff import (
    READABLE,
    READABLE_WORDS,
    FileKind,
    kind_by_content,
    kind_by_name,
)
from stonestack.core.files.codecs.texture import Making, Texture, compress
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.texels import from_texels, vectors_as_stored
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.readers import reader

if TYPE_CHECKING:
    from stonestack.core.files.codecs.pictures import Survey

__all__ = [
    "READABLE",
    "FileFacts",
    "FileKind",
    "Making",
    "Texture",
    "compress",
    "dds",
    "inspect",
    "kind_by_content",
    "kind_by_name",
    "ktx2",
    "read_picture",
    "read_texture",
]

_LOOKED_AT = 64
AlphaUse = Literal["none", "opaque", "used"]


class FileFacts(BaseModel):
    """What a file is, as told by its content."""

    name: str
    kind: FileKind
    kind_by_extension: FileKind
    extension_lies: bool
    width: int
    height: int
    mips: int
    block_format: str | None
    colour_space: Literal["srgb", "linear", "unmarked"]
    bits: int
    mode: str
    alpha: AlphaUse
    bytes: int
    channels: int = 3
    profile: str | None = None
    range: list[float] | None = None
    """Of stored floating-point or wide numbers: what became 0 and 1."""
    layers: int = 1
    """Pictures of an array; each of them six faces where it holds cubes."""
    cube: bool = False
    unusual: list[str] = []


@reader("texture")
def read_texture(data: bytes) -> Texture:
    """Read a DDS or KTX2 file."""
    return dds.read(data) if kind_by_content(data) is FileKind.DDS else ktx2.read(data)


@reader("picture", space=Space.LINEAR)
def read_picture(
    data: bytes,
    space: Space,
    longest: int = 0,
    *,
    beyond_white: bool = False,
    plain_vectors: bool = False,
) -> Picture:
    """Read any file that can come in as a working picture.

    Parameters
    ----------
    data : bytes
    space : Space
        What its numbers mean.
    longest : int
        Return it shrunk by a whole number, or a smaller level, with a longest side of no less
        than this; 0 for the full size.
    beyond_white : bool
        Whether the light of an image file keeps its range; else it is brought to 0..1.
    plain_vectors : bool
        Whether vectors stay as long as they are stored, at the full size.

    Raises
    ------
    BadFile
        With words for the person, whatever is wrong with the file.
    """
    kind = checked_kind(data)
    if kind in (FileKind.DDS, FileKind.KTX2):
        texture = read_texture(data)
        if plain_vectors and space is Space.VECTOR and not longest and _holds_z(texture.format):
            return vectors_as_stored(texture.stored())
        return from_texels(texture.small(longest), space) if longest else texture.picture(space)
    from stonestack.core.files.codecs import pictures

    return pictures.read(
        *(data, kind, space, longest), beyond_white=beyond_white, plain_vectors=plain_vectors
    )


def _holds_z(format_: BlockFormat) -> bool:
    """Tell whether a format stores the third number of a vector, from 0 on."""
    info = format_.info
    return info.channels > 2 and info.numbers in (Numbers.BYTES, Numbers.DEEP)


def checked_kind(data: bytes) -> FileKind:
    """Return the kind of a file that can come in.

    Raises
    ------
    BadFile
        If it is empty, an archive or nothing that is read here.
    """
    kind = kind_by_content(data)
    if kind in READABLE:
        return kind
    if kind is FileKind.EMPTY:
        raise BadFile("file-empty", "The file is empty.", "Fetch or export it again.")
    if kind is FileKind.ARCHIVE:
        raise BadFile(
            "archive", "This is an archive, not a picture.", "Unpack it and bring the pictures."
        )
    raise BadFile(
        "not-an-image",
        "This is not a picture that can come in.",
        READABLE_WORDS,
    )


@reader("file", name="sample.png")
def inspect(name: str, data: bytes, seen: Survey | None = None) -> FileFacts:
    """Read a file fully and say what it is; this is also the check before it is kept.

    Parameters
    ----------
    name : str
    data : bytes
        The whole file.
    seen : Survey, optional
        Of an image file that was surveyed already.

    Raises
    ------
    BadFile
        With words for the person, whatever is wrong with the file.
    """
    kind = checked_kind(data)
    claimed = kind_by_name(name)
    common = {
        "name": name,
        "kind": kind,
        "kind_by_extension": claimed,
        "extension_lies": claimed not in (kind, FileKind.UNKNOWN),
        "bytes": len(data),
    }
    if kind in (FileKind.DDS, FileKind.KTX2):
        texture = read_texture(data)
        channels = FORMATS[texture.format].channels
        alpha: AlphaUse = "none"
        if channels == 4:
            alpha = "used" if see_through(texture.format, texture.levels[0]) else "opaque"
        return FileFacts(
            **common,
            width=texture.width,
            height=texture.height,
            mips=len(texture.levels),
            block_format=str(texture.format),
            colour_space="srgb" if texture.srgb else "linear",
            bits=8,
            mode=f"{channels} channels",
            alpha=alpha,
            channels=channels,
            layers=texture.layers,
            cube=texture.cube,
            unusual=_lies(kind, claimed)
            + (["alpha is opaque all over"] if alpha == "opaque" and channels == 4 else [])
            + _several(texture),
        )
    from stonestack.core.files.codecs import pictures

    seen = seen or pictures.survey(data, kind, _LOOKED_AT)
    header = seen.facts
    alpha = "used" if not seen.opaque else ("opaque" if header.alpha else "none")
    profile = header.profile
    return FileFacts(
        **common,
        width=header.width,
        height=header.height,
        mips=1,
        block_format=None,
        colour_space="srgb" if profile is not None and profile.is_srgb else "unmarked",
        bits=header.bits,
        mode=header.mode,
        alpha=alpha,
        channels=header.channels + header.alpha,
        profile=profile.name if profile is not None else None,
        range=list(seen.span) if header.wide else None,
        unusual=_lies(kind, claimed) + _unusual(seen, alpha),
    )


def _lies(kind: FileKind, claimed: FileKind) -> list[str]:
    if claimed in (kind, FileKind.UNKNOWN):
        return []
    return [f"called {claimed.value.upper()}, but it is {kind.value.upper()}"]


def _several(texture: Texture) -> list[str]:
    if texture.elements == 1:
        return []
    if texture.cube:
        more = f", {texture.layers} times" if texture.layers > 1 else ""
        return [f"six faces of a cube{more}; the first is read"]
    return [f"an array of {texture.layers}; the first is read"]


def _wide(seen: Survey) -> str:
    least, most = seen.span
    if (least, most) == (0.0, 1.0):
        return "floating point, 0 to 1; kept"
    light = "; as colour they are light" if seen.facts.floats and most > 1 else ""
    return f"numbers from {least:g} to {most:g}; brought to 0 to 1, their steps kept{light}"


def _unusual(seen: Survey, alpha: AlphaUse) -> list[str]:
    """Say what is unusual about an image file, and what was done about it."""
    header, found = seen.facts, []
    if header.mode in ("P", "PA"):
        found.append("indexed colours; read as full colour")
    if header.mode == "CMYK":
        found.append("inks (CMYK); converted to sRGB")
    if header.wide:
        found.append(_wide(seen))
    elif header.bits == 16:
        found.append("16 bits a channel; kept")
    if header.turned > 1:
        found.append("turned upright as the camera says")
    if header.profile is not None and not header.profile.is_srgb:
        what = "PNG says" if header.gamma else "profile"
        found.append(f"{what} {header.profile.name}; colour is converted, data left alone")
    if header.unusable:
        found.append("a colour profile that cannot be used; taken as sRGB")
    if alpha == "opaque":
        found.append("alpha is opaque all over")
    if header.mode in ("RGB", "RGBA") and seen.grey:
        found.append("grey, stored as colour")
    return found
