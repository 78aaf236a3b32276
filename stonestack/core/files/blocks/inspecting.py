"""What one block holds: its way of storing, its palettes, and which entry each texel takes.

Palettes are found with the format's own decoder, by a block whose indices are all alike; so they
are what any texel of the block can become. Layouts: Khronos Data Format Specification 1.3,
sections 18 (S3TC), 19 (RGTC) and 20 (BPTC).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel, ConfigDict

from stonestack.core.files import blocks
from stonestack.core.files.blocks.bptc import bc6h_layout
from stonestack.core.files.blocks.bptc import partitions as bptc
from stonestack.core.files.blocks.formats import BlockFormat, Numbers

_ALL = (0, 1, 2, 3)
_COLOUR = (0, 1, 2)
_NAMES = "RGBA"
_NO_PARTS = (0,) * 16


class BlockPart(BaseModel):
    """Texels of a block that choose from one palette.

    Parameters
    ----------
    title : str
    channels : list of int
        Those that the palette decides.
    texels : list of int
        Places of its texels in the block, row by row.
    palette : list of list of float
        Entries, (entry, channel), in the format's own numbers.
    indices : list of int
        The entry of each of its texels.
    """

    model_config = ConfigDict(frozen=True)

    title: str
    channels: list[int]
    texels: list[int]
    palette: list[list[float]]
    indices: list[int]


class BlockFacts(BaseModel):
    """What one block holds.

    Parameters
    ----------
    words : str
        How it is stored.
    stored : str
        Its bytes, in hexadecimal.
    parts : list of BlockPart
        Empty where its numbers stand for themselves.
    """

    model_config = ConfigDict(frozen=True)

    words: str
    stored: str
    parts: list[BlockPart]


@dataclass(frozen=True)
class _Indices:
    """Where the indices of a block lie, and what they decide."""

    title: str
    at: int
    bits: int
    channels: tuple[int, ...]
    part_of: Sequence[int] = _NO_PARTS
    short: frozenset[int] = frozenset()
    """Texels whose index has one bit less: its highest is 0."""

    def places(self) -> list[tuple[int, int]]:
        """Return first bit and bits of each texel's index."""
        out, at = [], self.at
        for texel in range(16):
            bits = self.bits - (texel in self.short)
            out.append((at, bits))
            at += bits
        return out


def inspect_block(format_: BlockFormat, data: bytes) -> BlockFacts:
    """Return what a block holds.

    Parameters
    ----------
    format_ : BlockFormat
        A compressed one.
    data : bytes
        One block.
    """
    value = int.from_bytes(data, "little")
    words, found = _LAYOUTS.get(format_, _unknown)(value)
    parts = [
        _part(format_, value, indices, part, len(data))
        for indices in found
        for part in sorted(set(indices.part_of))
    ]
    return BlockFacts(words=words, stored=data.hex(" ", 4), parts=parts)


def _part(format_: BlockFormat, value: int, indices: _Indices, part: int, size: int) -> BlockPart:
    texels = [t for t in range(16) if indices.part_of[t] == part]
    seen = next(t for t in texels if t not in indices.short)
    mask = sum(((1 << bits) - 1) << at for at, bits in indices.places())
    palette = []
    for entry in range(1 << indices.bits):
        alike = sum(min(entry, (1 << bits) - 1) << at for at, bits in indices.places())
        block = (value & ~mask | alike).to_bytes(size, "little")
        decoded = blocks.decode(format_, block, 4, 4).reshape(16, -1)
        if format_.info.numbers is Numbers.SIGNED:
            decoded = decoded.view(np.int8)
        palette.append([float(decoded[seen, c]) for c in indices.channels])
    places = indices.places()
    chosen = [value >> places[t][0] & ((1 << places[t][1]) - 1) for t in texels]
    several = len(set(indices.part_of)) > 1
    return BlockPart(
        title=f"{indices.title}, part {part + 1}" if several else indices.title,
        channels=list(indices.channels),
        texels=texels,
        palette=palette,
        indices=chosen,
    )


_Layout = tuple[str, list[_Indices]]


def _bc1(value: int) -> _Layout:
    first, second = value & 0xFFFF, value >> 16 & 0xFFFF
    words = "Four colours" if first > second else "Three colours, and a hole"
    return words, [_Indices("Colour", 32, 2, _ALL)]


def _bc2(_value: int) -> _Layout:
    # Its alpha is no palette: sixteen steps stand for themselves.
    return "Four colours, alpha in steps of 17", [_Indices("Colour", 96, 2, _COLOUR)]


def _steps(value: int, at: int, signed: bool = False) -> str:
    first, second = value >> at & 0xFF, value >> at + 8 & 0xFF
    if signed:
        first, second = first ^ 0x80, second ^ 0x80
    return "eight values" if first > second else "six values and both limits"


def _bc3(value: int) -> _Layout:
    alpha = _steps(value, 0)
    return f"Four colours, alpha by {alpha}", [
        _Indices("Colour", 96, 2, _COLOUR),
        _Indices("Alpha", 16, 3, (3,)),
    ]


def _bc4(value: int, signed: bool = False) -> _Layout:
    words = _steps(value, 0, signed)
    return words.capitalize(), [_Indices("Red", 16, 3, (0,))]


def _bc5(value: int, signed: bool = False) -> _Layout:
    red, green = _steps(value, 0, signed), _steps(value, 64, signed)
    words = f"Both by {red}" if red == green else f"Red by {red}, green by {green}"
    return words, [_Indices("Red", 16, 3, (0,)), _Indices("Green", 80, 3, (1,))]


def _bc7(value: int) -> _Layout:
    mode = next((m for m in range(8) if value >> m & 1), None)
    if mode is None:
        return "A mode that is reserved: clear black", []
    row = [int(n) for n in bptc.MODES[mode]]
    count = row[bptc.COUNT]
    at = mode + 1
    fields = []
    for column in (bptc.PARTITION_BITS, bptc.ROTATION_BITS, bptc.CHOICE_BITS):
        fields.append(value >> at & ((1 << row[column]) - 1))
        at += row[column]
    partition, rotation, choice = fields
    own, shared = row[bptc.OWN_BITS], row[bptc.SHARED_BITS]
    at += 2 * count * (3 * row[bptc.COLOUR_BITS] + row[bptc.ALPHA_BITS])
    at += 2 * count * own + count * shared
    parts = [int(p) for p in bptc.PARTS[count, partition]]
    short = frozenset(int(a) for a in bptc.ANCHORS[count, partition][:count])
    words = f"Mode {mode}"
    if count > 1:
        words += f", {'two' if count == 2 else 'three'} parts by partition {partition}"
    if rotation:
        words += f", alpha in place of {('red', 'green', 'blue')[rotation - 1]}"
    first, second = row[bptc.INDEX_BITS], row[bptc.SECOND_BITS]
    if not second:
        channels = _ALL if row[bptc.ALPHA_BITS] else _COLOUR
        return words, [_Indices("Colour", at, first, channels, parts, short)]
    apart = rotation - 1 if rotation else 3
    kept = tuple(c for c in _ALL if c != apart)
    after = at + 16 * first - 1
    sets = [(at, first), (after, second)]
    colour, alone = sets[::-1] if choice else sets
    return words, [
        _Indices("".join(_NAMES[c] for c in kept), *colour, kept, _NO_PARTS, short),
        _Indices(_NAMES[apart], *alone, (apart,), _NO_PARTS, short),
    ]


def _bc6h(value: int) -> _Layout:
    for n, row in enumerate(bc6h_layout.MODES):
        code, bits = int(row[bc6h_layout.CODE]), int(row[bc6h_layout.CODE_BITS])
        if value & ((1 << bits) - 1) != code:
            continue
        words = f"Mode {n + 1}"
        if row[bc6h_layout.PARTS] == 1:
            return words, [_Indices("Colour", 65, 4, _COLOUR, _NO_PARTS, frozenset((0,)))]
        partition = value >> 77 & 31
        parts = [int(p) for p in bptc.PARTS[2, partition]]
        short = frozenset(int(a) for a in bptc.ANCHORS[2, partition][:2])
        words += f", two parts by partition {partition}"
        return words, [_Indices("Colour", 82, 3, _COLOUR, parts, short)]
    return "A mode that is reserved: black", []


def _unknown(_value: int) -> _Layout:
    return "What its bits mean is not told here", []


_LAYOUTS = {
    BlockFormat.BC1: _bc1,
    BlockFormat.BC2: _bc2,
    BlockFormat.BC3: _bc3,
    BlockFormat.BC4: _bc4,
    BlockFormat.BC4S: lambda value: _bc4(value, True),
    BlockFormat.BC5: _bc5,
    BlockFormat.BC5S: lambda value: _bc5(value, True),
    BlockFormat.BC6H: _bc6h,
    BlockFormat.BC6HS: _bc6h,
    BlockFormat.BC7: _bc7,
}
