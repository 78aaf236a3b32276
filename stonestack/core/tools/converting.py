"""One file to another: picture to texture, texture to picture, like to like.

The same graph is built that the bench builds, of the same operations.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any, Literal

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.blocks.formats import Numbers as BlockNumbers
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.files.codecs.beyond import fits_halves
from stonestack.core.files.codecs.dds import Header
from stonestack.core.files.codecs.sniff import FileKind, kind_by_content, kind_by_name
from stonestack.core.files.codecs.texture import Making, Texture, gathered
from stonestack.core.graph import ops
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.ops.files import Storing, Written
from stonestack.core.graph.ops.pictures import Canvas, Reading
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.mips import MipFilter, level_count
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import ROLES, Role

_WITH_ALPHA = 4
PICTURES = (FileKind.PNG, FileKind.TGA, FileKind.TIFF, FileKind.EXR)
TEXTURES = (FileKind.DDS, FileKind.KTX2)


def convert(
    data: bytes,
    output_name: str,
    *,
    role: Role = Role.COLOUR,
    format_name: str | None = None,
    size: tuple[int, int] | None = None,
    mips: bool = True,
    deband: bool = False,
    quality: Quality = Quality.STANDARD,
    filter_: MipFilter = "kaiser",
    header: Header | None = None,
    packed: bool = False,
    bits: Literal[8, 16, 32] | None = None,
    normalise: bool = False,
    element: int | None = None,
) -> Converted:
    """Return the content of the output file.

    Parameters
    ----------
    data : bytes
        A file of any kind that can come in.
    output_name : str
        Its extension decides the kind: dds, ktx2, png, tga, tiff or exr. PNG and TIFF keep sixteen
        bits where the input has them.
    role : Role
        How the numbers are understood: colour in linear light, normals as vectors.
    format_name : str, optional
        A block format; a texture's own by default, else the role's usual one, BC3 for colour with
        alpha. Blocks of a texture that stays in its format and size are copied as they are.
    size : (int, int), optional
        Width and height in texels.
    mips : bool
        Whether a texture gets all its smaller levels.
    deband : bool
        Whether the terraces of plain numbers in eight bits are evened out.
    quality : Quality
        How hard the encoder searches.
    filter_ : {"kaiser", "box", "lanczos", "nearest"}
        What makes the smaller levels.
    header : {"legacy", "dx10"}, optional
        Which header a DDS gets: the legacy one by default, which every reader knows, where it has
        words for the format.
    packed : bool
        Whether the levels of a KTX2 are packed by Zstandard.
    bits : {8, 16, 32}, optional
        Of an image file; as many as the input has by default. 32 are floating point.
    normalise : bool
        Whether normals are brought to unit length; else they stay as they are stored.
    element : int, optional
        Which picture of a cube map or an array; the first by default, or all of them where blocks
        are copied.

    Raises
    ------
    BadFile
        If the input cannot be read.
    BadRequest
        If the output's kind is not written, or the format does not fit.
    """
    making = {"mips": mips, "quality": quality, "filter": filter_}
    container = Container(check_output(output_name), header, packed)
    texture = _texture(data, element)
    if texture is not None and container.kind in TEXTURES:
        format_name = format_name or texture.format
        if size is None and not deband and not normalise and format_name == texture.format:
            return _copied(texture, role, making, container)
    if texture is not None and texture.elements > 1:
        texture = texture.element(0)
    if texture is not None and element is not None:
        data = ktx2.write(texture)
    wide = container.kind is FileKind.EXR or bits == 32 or _is_wide(format_name)
    one = Conversion(data, container, role, deband, wide, not normalise)
    key = one.sized(one.start, size)
    return Converted(one.stored(key, format_name, making, bits), one.words)


def gather(files: Sequence[bytes], output_name: str, *, cube: bool, packed: bool = False) -> bytes:
    """Return textures of one size and format as one file: an array, or the faces of cubes.

    Parameters
    ----------
    files : sequence of bytes
        DDS or KTX2 files.
    output_name : str
        Ends in .dds or .ktx2.
    cube : bool
        Six of them, +x, -x, +y, -y, +z and -z, make a cube.
    packed : bool
        Whether the levels of a KTX2 are packed by Zstandard.

    Raises
    ------
    BadFile
        If one cannot be read.
    BadRequest
        If they are no textures of one form, or make no whole cubes.
    """
    kind = check_output(output_name)
    parts = [_texture(data, None) for data in files]
    textures = [part for part in parts if part is not None]
    if kind not in TEXTURES or not parts or len(textures) < len(parts):
        raise BadRequest(
            "no-textures",
            "Only DDS and KTX2 files are gathered, into one of these.",
            "Convert each picture first; all in one size and format.",
        )
    whole = gathered([t.element(n) for t in textures for n in range(t.elements)], cube)
    return Container(kind, None, packed).written(whole)


@dataclass(frozen=True)
class Container:
    """The file that something goes into."""

    kind: FileKind
    header: Header | None = None
    packed: bool = False

    def written(self, texture: Texture) -> bytes:
        """Return a texture in it."""
        if self.kind is FileKind.KTX2:
            return ktx2.write(texture, self.packed)
        usual: Header = "dx10" if texture.layers > 1 else dds.usual_header(texture.format)
        return dds.write(texture, self.header or usual)


def _texture(data: bytes, element: int | None) -> Texture | None:
    """Return a file's texture, or one of its pictures; None where it is no texture."""
    texture = codecs.read_texture(data) if kind_by_content(data) in TEXTURES else None
    if element is None:
        return texture
    count = texture.elements if texture is not None else 1
    if not 0 <= element < count:
        raise BadRequest(
            "no-such-element",
            f"The file has no picture {element}; it has {count}, from 0 on.",
            "Leave --element out, or choose another.",
        )
    return texture.element(element) if texture is not None else None


def _is_wide(format_name: str | None) -> bool:
    """Tell whether a format holds light beyond white."""
    return format_name is not None and BlockFormat(format_name).info.numbers is BlockNumbers.HALVES


def _copied(
    texture: Texture, role: Role, making: Mapping[str, Any], container: Container
) -> Converted:
    """Return a texture in a container, its blocks as they are; levels that it lacks are made."""
    info = texture.format.info
    srgb = ROLES[role].space is Space.LINEAR and info.vk_srgb != 0
    levels = texture.levels if making["mips"] else texture.levels[:1]
    words = "Its blocks are copied as they are."
    count = level_count(texture.width, texture.height)
    if making["mips"] and len(levels) < count and texture.elements == 1:
        picture = texture.picture(ROLES[role].space)
        how = Making(filter=making["filter"], quality=making["quality"], mask=ROLES[role].mask)
        words = f"Its blocks are copied as they are; {count - len(levels)} levels are made."
        levels = codecs.compress(picture, texture.format, how, kept=levels).levels
    return Converted(container.written(replace(texture, srgb=srgb, levels=levels)), words)


@dataclass(frozen=True)
class Converted:
    """A file's content, and what became of its alpha or blocks, in words; empty where nothing."""

    data: bytes
    words: str


class Conversion:
    """The graph of one file's way to another."""

    def __init__(
        self,
        data: bytes,
        container: Container,
        role: Role,
        debanded: bool = False,
        wide: bool = False,
        plain_vectors: bool = False,
    ) -> None:
        self._container = container
        self._role = role
        self.words = ""
        self.graph = Graph()
        self.run = Evaluator(lambda _digest: data)
        digest = hashlib.sha256(data).hexdigest()
        reading = Reading(
            space=ROLES[role].space,
            debanded=debanded,
            beyond_white=wide,
            plain_vectors=plain_vectors,
        )
        self.start = ops.put(self.graph, "decode", reading, blobs=(digest,))
        self.picture: Picture = self.run.picture(self.graph, self.start)

    def put(self, op: str, params: Any, *inputs: Key) -> Key:
        """Put a node into the graph."""
        return ops.put(self.graph, op, params, inputs)

    def sized(self, key: Key, size: tuple[int, int] | None) -> Key:
        """Resample, where a size is asked for."""
        if size is None:
            return key
        return self.put("resample", Canvas(width=size[0], height=size[1]), key)

    def stored(
        self,
        key: Key,
        format_name: str | None = None,
        making: Mapping[str, Any] = MappingProxyType({}),
        bits: Literal[8, 16, 32] | None = None,
    ) -> bytes:
        """Carry everything out, and return the output's bytes."""
        kind = self._container.kind
        if kind in PICTURES:
            if format_name not in (None, BlockFormat.RGBA8):
                raise BadRequest(
                    "format-for-texture",
                    f"A {kind} file holds no {format_name} blocks.",
                    "Leave --format out, or write .dds or .ktx2.",
                )
            written = Written(kind=kind, bits=bits or _depth(self.picture, kind))
            return self.run.file(self.graph, self.put("image", written, key))
        usual = BlockFormat.BC3 if self.picture.alpha else ROLES[self._role].formats[0]
        format_ = BlockFormat(format_name) if format_name else usual
        info = ROLES[self._role]
        storing = Storing(format=format_, mask=info.mask, gloss=info.gloss, **making)
        self.words = _alpha_words(format_) if self.picture.alpha else ""
        texture = self.run.result(self.graph, self.put("compress", storing, key))
        assert isinstance(texture, Texture)
        return self._container.written(texture)


def _alpha_words(format_: BlockFormat) -> str:
    """Say what a format makes of alpha, where it does not keep it."""
    if format_ is BlockFormat.BC1:
        return "BC1 keeps alpha as holes: what is below half is see-through. BC3 or BC7 keep it."
    if format_.info.keeps < _WITH_ALPHA:
        return f"{format_.info.title} keeps no alpha: it was left out. BC3 or BC7 keep it."
    return ""


def stored_as(graph: Graph, key: Key, kind: FileKind, picture: Picture) -> Key:
    """Return the node that writes a picture as a picture file, no coarser than it came."""
    return ops.put(graph, "image", Written(kind=kind, bits=_depth(picture, kind)), (key,))


def _depth(picture: Picture, kind: FileKind) -> Literal[8, 16, 32]:
    if picture.bits == 8:
        return 8
    return 32 if kind is FileKind.EXR and not fits_halves(picture) else 16


def check_output(output_name: str) -> FileKind:
    """Return the kind that an output file's extension names.

    Raises
    ------
    BadRequest
        If it is not written.
    """
    kind = kind_by_name(output_name)
    if kind not in (*PICTURES, *TEXTURES):
        raise BadRequest(
            "output-kind",
            f"The extension of {output_name} names no kind that is written.",
            "Use .dds, .ktx2, .png, .tga, .tiff or .exr.",
        )
    return kind


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
