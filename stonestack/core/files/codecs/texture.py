"""A texture as files hold it: a format and its levels of blocks."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from stonestack.core.files import blocks
from stonestack.core.files.blocks.formats import FORMATS, BlockFormat, Numbers, Shown
from stonestack.core.files.blocks.quality import Metric, Quality, metric_of
from stonestack.core.picture.image import Bytes, Picture, Space
from stonestack.core.picture.mips import Gloss, MipFilter, chain, level_count, level_size
from stonestack.core.picture.resize import resize
from stonestack.core.picture.spread import spread
from stonestack.core.picture.texels import (
    eight,
    from_halves,
    from_signed,
    from_texels,
    halves_of,
    lit,
    shrunk,
    signed_texels,
    to_texels,
    unsigned,
)
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadFile, BadRequest

FACES = 6
"""Of a cube."""
_BAND = 4 << 20
"""Texels that are decoded at once where a texture is made small."""
_WITH_ALPHA = 4
_MOST_TEXELS = 1 << 30
"""Of all pictures of a file together, at the first level."""


@lru_cache(maxsize=1024)
def level_sizes(format_: BlockFormat, width: int, height: int, levels: int) -> tuple[int, ...]:
    """Return the bytes of each level of one picture, the largest first."""
    info = FORMATS[format_]
    return tuple(info.level_bytes(*level_size(width, height, level)) for level in range(levels))


@dataclass(frozen=True)
class Texture:
    """Compressed levels, as they lie in a DDS or KTX2 file and go to the GPU.

    Parameters
    ----------
    format : BlockFormat
        How texels are stored.
    srgb : bool
        Whether colour is sRGB-encoded, so that the sampler decodes it.
    width, height : int
        Texels of level 0.
    levels : tuple of bytes
        Level 0 first; of each, all faces of all layers, one after the other.
    layers : int
        Pictures of one size and format that lie in one file; 1 where it is no array.
    cube : bool
        Whether each layer is the six faces of a cube: +x, -x, +y, -y, +z, -z.
    """

    format: BlockFormat
    srgb: bool
    width: int
    height: int
    levels: tuple[bytes, ...]
    layers: int = 1
    cube: bool = False

    def __post_init__(self) -> None:
        sizes = level_sizes(self.format, self.width, self.height, len(self.levels))
        for level, (data, size) in enumerate(zip(self.levels, sizes, strict=True)):
            wanted = size * self.elements
            if len(data) != wanted:
                raise BadFile(
                    "level-size",
                    f"Level {level} has {len(data)} bytes where {wanted} are needed.",
                    "The file is damaged or cut short; fetch or export it again.",
                )

    @property
    def elements(self) -> int:
        """How many pictures it holds: faces times layers."""
        return self.layers * (FACES if self.cube else 1)

    def element(self, number: int) -> Texture:
        """Return one of its pictures, with all its levels."""
        parts = []
        for data in self.levels:
            size = len(data) // self.elements
            parts.append(data[number * size : (number + 1) * size])
        return replace(self, levels=tuple(parts), layers=1, cube=False)

    def size(self, level: int) -> tuple[int, int]:
        """Return width and height of a level."""
        return level_size(self.width, self.height, level)

    def level_for(self, longest: int) -> int:
        """Return the smallest level whose longest side is no less than this."""
        level = 0
        while level + 1 < len(self.levels) and max(self.size(level + 1)) >= longest:
            level += 1
        return level

    def for_page(self) -> Texture:
        """Return the texture as a page can show it: itself, or decoded to bytes."""
        if self.format.info.shown is not Shown.DECODED:
            return self
        decoded = [self.texels(level) for level in range(len(self.levels))]
        channels = min(decoded[0].shape[2], self.format.info.channels)
        format_ = _PLAIN.get(channels, BlockFormat.RGBA8)
        rows = [_filled(texels, format_.info.channels).tobytes() for texels in decoded]
        srgb = self.srgb and bool(format_.info.dxgi_srgb)
        return Texture(format_, srgb, self.width, self.height, tuple(rows))

    def texels(self, level: int = 0) -> Bytes:
        """Decode one level to texels of bytes, uint8 (height, width, channels)."""
        return _in_bytes(self.stored(level), self.format)

    def stored(self, level: int = 0) -> blocks.Stored:
        """Decode one level to the format's own numbers, (height, width, channels).

        Of several pictures the first is decoded; see :meth:`element`.
        """
        data = self.levels[level][: len(self.levels[level]) // self.elements]
        return blocks.decode(self.format, data, *self.size(level))

    def first_rows(self, count: int) -> Bytes:
        """Decode the upper rows of the full size, about as many as asked for."""
        info = FORMATS[self.format]
        rows = min(self.height, -(-count // info.block) * info.block)
        part = self.levels[0][: info.level_bytes(self.width, rows)]
        return _in_bytes(blocks.decode(self.format, part, self.width, rows), self.format)

    def small(self, longest: int) -> Bytes:
        """Decode to a longest side of no less than this, and less than twice as much.

        The level that fits is decoded; where there is none, a larger one is averaged in bands,
        so that little memory is taken however large it is.

        Returns
        -------
        ndarray, uint8, shape (height, width, channels)
        """
        level = self.level_for(longest)
        width, height = self.size(level)
        step = max(1, max(width, height) // longest)
        if step == 1:
            return self.texels(level)
        info, data = FORMATS[self.format], self.levels[level]
        unit = math.lcm(step, info.block)
        rows = max(1, _BAND // (width * unit)) * unit
        parts = []
        for top in range(0, height, rows):
            stopping.check()
            bottom = min(height, top + rows)
            part = data[
                info.level_bytes(width, top) if top else 0 : info.level_bytes(width, bottom)
            ]
            decoded = blocks.decode(self.format, part, width, bottom - top)
            texels = _in_bytes(decoded, self.format)
            parts.append(shrunk(texels, step, texels.shape[2] == _WITH_ALPHA))
        return np.concatenate(parts)

    def picture(self, space: Space, level: int = 0) -> Picture:
        """Decode one level to a working picture, all that its numbers hold."""
        numbers, texels = self.format.info.numbers, self.stored(level)
        if numbers is Numbers.SIGNED:
            return from_signed(texels.view(np.int8), space)
        if numbers is Numbers.HALVES:
            return from_halves(texels, space)
        return from_texels(texels, space)


_PLAIN = {1: BlockFormat.R8, 2: BlockFormat.RG8}


def _filled(texels: Bytes, channels: int) -> Bytes:
    """Return so many channels of texels; what they lack is opaque alpha."""
    have = texels[..., :channels]
    lacking = np.full((*have.shape[:2], channels - have.shape[2]), 255, np.uint8)
    return np.ascontiguousarray(np.concatenate([have, lacking], axis=2))


def stored(picture: Picture, format_: BlockFormat) -> blocks.Stored:
    """Return a picture's texels as a format stores them, (height, width, 4)."""
    numbers = format_.info.numbers
    if numbers is Numbers.SIGNED:
        return signed_texels(picture).view(np.uint8)
    if numbers is Numbers.HALVES:
        return halves_of(picture)
    return to_texels(picture, 16 if numbers is Numbers.DEEP else 8)


def _in_bytes(texels: blocks.Stored, format_: BlockFormat) -> Bytes:
    """Return decoded texels as bytes, whatever the format's numbers are."""
    numbers = format_.info.numbers
    if numbers is Numbers.SIGNED:
        return unsigned(texels.view(np.int8))
    if numbers is Numbers.HALVES:
        return lit(texels)
    return eight(texels)


def gathered(parts: Sequence[Texture], cube: bool = False) -> Texture:
    """Return textures of one form as one: an array, or where told the faces of cubes.

    Parameters
    ----------
    parts : sequence of Texture
        Of the first layer first; of a cube, +x, -x, +y, -y, +z, -z.
    cube : bool
        Six of them make a layer.

    Raises
    ------
    BadRequest
        If they are not of one form, or make no whole cubes.
    """
    first = parts[0]
    for part in parts:
        if (part.format, part.srgb, part.width, part.height, len(part.levels)) != (
            *(first.format, first.srgb, first.width, first.height),
            len(first.levels),
        ):
            raise BadRequest(
                "not-alike",
                "The pictures are not of one size and format.",
                "Bring them to one size and format first; convert does.",
            )
    if cube and (len(parts) % FACES or first.width != first.height):
        raise BadRequest(
            "no-cube",
            f"A cube has six square faces; these are {len(parts)} of "
            f"{first.width} × {first.height}.",
            "Give +x, -x, +y, -y, +z and -z, in this order.",
        )
    levels = tuple(b"".join(level) for level in zip(*(p.levels for p in parts), strict=True))
    layers = len(parts) // (FACES if cube else 1)
    return replace(first, levels=levels, layers=layers, cube=cube)


def check_texture_size(width: int, height: int, levels: int, elements: int = 1) -> None:
    """Refuse sizes that no texture file of ours may claim, before memory is taken."""
    if not (1 <= width <= 16384 and 1 <= height <= 16384):
        raise BadFile(
            "too-large",
            f"The header claims {width} × {height} texels; 16384 each way is the most.",
            "Make the texture smaller, or fetch it again if it should not be that large.",
        )
    if elements * width * height > _MOST_TEXELS:
        raise BadFile(
            "too-large",
            f"The header claims {elements} pictures of {width} × {height} texels.",
            "Fetch it again if it should not be that large; else split the array.",
        )
    if not 1 <= levels <= level_count(width, height):
        raise BadFile(
            "bad-levels",
            f"The header claims {levels} levels, which {width} × {height} texels cannot have.",
            "The file is damaged; fetch or export it again.",
        )


@dataclass(frozen=True)
class Making:
    """How a picture becomes a texture.

    Parameters
    ----------
    mips : bool
        Whether smaller levels are made.
    filter : {"kaiser", "box", "lanczos", "nearest"}
        What makes them.
    quality : Quality
        How hard the encoder searches.
    metric : Metric, optional
        Which errors count; by what the picture's numbers mean, where left out.
    mask : bool
        Whether its numbers are tested as alpha is; see :func:`stonestack.core.picture.mips.chain`.
    gloss : {"", "gloss", "roughness"}
        Likewise.
    own : mapping of int to Picture
        Smaller levels that are given, of any size, in place of those that would be made.
    """

    mips: bool = True
    filter: MipFilter = "kaiser"
    quality: Quality = Quality.STANDARD
    metric: Metric | None = None
    mask: bool = False
    gloss: Gloss = ""
    own: Mapping[int, Picture] = field(default_factory=dict)


def compress(
    picture: Picture,
    format_: BlockFormat,
    making: Making = Making(),
    normals: Picture | None = None,
    kept: tuple[bytes, ...] = (),
) -> Texture:
    """Make the levels of a picture by the rules of its kind, and encode each.

    Parameters
    ----------
    picture : Picture
        Any space. Vectors are stored as they are, green up.
    format_ : BlockFormat
    making : Making
    normals : Picture, optional
        Normals of the same surface, where gloss or roughness is made.
    kept : tuple of bytes
        The largest levels, where they are there already: only the others are encoded.
    """
    picture = spread(picture)
    metric = metric_of(picture) if making.metric is None else making.metric
    pictures = [picture]
    if making.mips:
        pictures = chain(
            picture, making.filter, mask=making.mask, gloss=making.gloss, normals=normals
        )
        for number, own in making.own.items():
            if number < len(pictures):
                made = pictures[number]
                pictures[number] = resize(spread(own), made.width, made.height)
    return Texture(
        format=format_,
        srgb=picture.space is Space.LINEAR and FORMATS[format_].vk_srgb != 0,
        width=picture.width,
        height=picture.height,
        levels=(
            *kept,
            *(
                blocks.encode(format_, stored(level, format_), making.quality, metric)
                for level in pictures[len(kept) :]
            ),
        ),
    )
