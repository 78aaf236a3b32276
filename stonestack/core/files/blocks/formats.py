"""The one table of texel formats: sizes, channels and the numbers that file formats use.

A format is one entry of :class:`BlockFormat`; a compressed one has a file of its name beside this
one with ``encode`` and ``decode``. Sources: DXGI_FORMAT enumeration (Direct3D 11 reference),
VkFormat enumeration (Vulkan 1.3 specification, section 34.1), DDS_PIXELFORMAT (Microsoft), Khronos
Data Format Specification 1.3 (section 5, table 50), the WebGL extensions s3tc, rgtc and bptc.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stonestack.core.files.blocks.layout import blocks_across

ALPHA_SAMPLE = 15
"""Channel number of alpha in a data format descriptor."""


class Numbers(StrEnum):
    """What the stored numbers of a format are, and how they stand in arrays."""

    BYTES = "bytes"
    """0 to 255 mean 0 to 1: uint8."""
    SIGNED = "signed"
    """-127 to 127 mean -1 to 1: int8."""
    DEEP = "deep"
    """Ten bits and two of alpha, in arrays brought to 0 to 65535: uint16."""
    HALVES = "halves"
    """Numbers as they are, half precision: float16."""


@dataclass(frozen=True)
class Part:
    """Bytes of a block or texel that hold some channels, apart from the others."""

    start: int
    stop: int
    channels: tuple[int, ...]


class Shown(StrEnum):
    """How a page shows a format."""

    BLOCKS = "blocks"
    TEXELS = "texels"
    DECODED = "decoded"


@dataclass(frozen=True)
class FormatInfo:
    """What is fixed about one format.

    Parameters
    ----------
    title : str
        The name people use.
    hint : str
        One line for the screen.
    unit_bytes : int
        Bytes of one block, or of one texel where ``block`` is 1.
    block : int
        Side of a block in texels.
    channels : int
        Channels that a decoded texel has.
    dxgi, dxgi_srgb, vk, vk_srgb : int
        Format numbers; the sRGB ones are 0 where the format has no sRGB variant.
    fourcc : tuple of bytes
        Codes of older DDS headers that mean this format; the first is written.
    masks : tuple of int
        Red, green, blue and alpha masks of an older DDS header, for formats that are not
        compressed; empty for those that are.
    model : int
        Colour model of the data format descriptor.
    samples : tuple of (int, int, int)
        Bit offset, bit length and channel of each sample of the descriptor.
    parts : tuple of Part
        Which bytes hold which channels; what is untouched of them stays on the way back.
    gpu : int
        The WebGL format that takes its blocks as they are; 0 where texels are uploaded.
    gpu_extension : str
        The WebGL extension that format needs, or empty.
    gpu_holes : int
        The WebGL format where some texels are see-through, if that is another one.
    kept : int
        Channels that are kept, where they are fewer than a decoded texel has.
    numbers : Numbers
        What its stored numbers are.
    plain : bool
        Whether a page uploads its texels as they stand. What it can upload neither as blocks nor
        so is decoded for it: see :attr:`shown`.
    """

    title: str
    hint: str
    unit_bytes: int
    block: int
    channels: int
    dxgi: int
    dxgi_srgb: int
    vk: int
    vk_srgb: int
    fourcc: tuple[bytes, ...]
    model: int
    samples: tuple[tuple[int, int, int], ...]
    parts: tuple[Part, ...]
    masks: tuple[int, ...] = ()
    gpu: int = 0
    gpu_extension: str = ""
    gpu_holes: int = 0
    kept: int = 0
    numbers: Numbers = Numbers.BYTES
    plain: bool = False

    @property
    def shown(self) -> Shown:
        """How a page shows it."""
        return Shown.BLOCKS if self.gpu else Shown.TEXELS if self.plain else Shown.DECODED

    @property
    def keeps(self) -> int:
        """Channels that come back as they were stored: BC1 has alpha only as holes."""
        return self.kept or self.channels

    @property
    def coded(self) -> bool:
        """Whether a file of its name in :mod:`.kinds` encodes it; other texels stand in rows."""
        wide = 2 if self.numbers in (Numbers.DEEP, Numbers.HALVES) else 1
        return self.block > 1 or self.unit_bytes != self.channels * wide

    def level_bytes(self, width: int, height: int) -> int:
        """Return the bytes of one level of ``width`` by ``height`` texels."""
        if self.block == 1:
            return width * height * self.unit_bytes
        return blocks_across(width) * blocks_across(height) * self.unit_bytes


_S3TC, _RGTC = "WEBGL_compressed_texture_s3tc", "EXT_texture_compression_rgtc"
_BPTC = "EXT_texture_compression_bptc"
_ALL = (0, 1, 2, 3)


class BlockFormat(StrEnum):
    """How texels are stored in a texture file; one entry a format."""

    info: FormatInfo

    def __new__(cls, name: str, info: FormatInfo | None = None) -> BlockFormat:
        """Make an entry: its name in stored documents, and all that is fixed about it."""
        if info is None:
            raise ValueError(f"{name} is no format")
        entry = str.__new__(cls, name)
        entry._value_ = name
        entry.info = info
        return entry

    BC1 = (
        "bc1",
        FormatInfo(
            *("BC1", "Opaque colour, 4 bits a texel", 8, 4, 4, 71, 72, 131, 132, (b"DXT1",)),
            model=128,
            samples=((0, 64, 0),),
            parts=(Part(0, 8, _ALL),),
            gpu=0x83F0,
            gpu_extension=_S3TC,
            gpu_holes=0x83F1,
            kept=3,
        ),
    )
    BC2 = (
        "bc2",
        FormatInfo(
            *("BC2", "Colour with coarse alpha, 8 bits a texel", 16, 4, 4, 74, 75, 135, 136),
            fourcc=(b"DXT3", b"DXT2"),
            model=129,
            samples=((0, 64, ALPHA_SAMPLE), (64, 64, 0)),
            parts=(Part(0, 8, (3,)), Part(8, 16, (0, 1, 2))),
            gpu=0x83F2,
            gpu_extension=_S3TC,
        ),
    )
    BC3 = (
        "bc3",
        FormatInfo(
            *("BC3", "Colour with alpha, 8 bits a texel", 16, 4, 4, 77, 78, 137, 138),
            fourcc=(b"DXT5", b"DXT4"),
            model=130,
            samples=((0, 64, ALPHA_SAMPLE), (64, 64, 0)),
            parts=(Part(0, 8, (3,)), Part(8, 16, (0, 1, 2))),
            gpu=0x83F3,
            gpu_extension=_S3TC,
        ),
    )
    BC4 = (
        "bc4",
        FormatInfo(
            *("BC4", "One channel, 4 bits a texel", 8, 4, 1, 80, 0, 139, 0, (b"ATI1", b"BC4U")),
            model=131,
            samples=((0, 64, 0),),
            parts=(Part(0, 8, (0,)),),
            gpu=0x8DBB,
            gpu_extension=_RGTC,
        ),
    )
    BC5 = (
        "bc5",
        FormatInfo(
            *("BC5", "Two channels, 8 bits a texel", 16, 4, 2, 83, 0, 141, 0, (b"ATI2", b"BC5U")),
            model=132,
            samples=((0, 64, 0), (64, 64, 1)),
            parts=(Part(0, 8, (0,)), Part(8, 16, (1,))),
            gpu=0x8DBD,
            gpu_extension=_RGTC,
        ),
    )
    BC4S = (
        "bc4s",
        FormatInfo(
            *("BC4 signed", "One channel from -1 to 1, 4 bits a texel", 8, 4, 1, 81, 0, 140, 0),
            fourcc=(b"BC4S",),
            model=131,
            samples=((0, 64, 0),),
            parts=(Part(0, 8, (0,)),),
            gpu=0x8DBC,
            gpu_extension=_RGTC,
            numbers=Numbers.SIGNED,
        ),
    )
    BC5S = (
        "bc5s",
        FormatInfo(
            *("BC5 signed", "Two channels from -1 to 1, 8 bits a texel", 16, 4, 2, 84, 0, 142, 0),
            fourcc=(b"BC5S",),
            model=132,
            samples=((0, 64, 0), (64, 64, 1)),
            parts=(Part(0, 8, (0,)), Part(8, 16, (1,))),
            gpu=0x8DBE,
            gpu_extension=_RGTC,
            numbers=Numbers.SIGNED,
        ),
    )
    BC6H = (
        "bc6h",
        FormatInfo(
            *("BC6H", "Colour beyond white, 8 bits a texel", 16, 4, 4, 95, 0, 143, 0, ()),
            model=133,
            samples=((0, 128, 0),),
            parts=(Part(0, 16, _ALL),),
            gpu=0x8E8F,
            gpu_extension=_BPTC,
            kept=3,
            numbers=Numbers.HALVES,
        ),
    )
    BC6HS = (
        "bc6hs",
        FormatInfo(
            *("BC6H signed", "Colour beyond white and below black", 16, 4, 4, 96, 0, 144, 0, ()),
            model=133,
            samples=((0, 128, 0),),
            parts=(Part(0, 16, _ALL),),
            gpu=0x8E8E,
            gpu_extension=_BPTC,
            kept=3,
            numbers=Numbers.HALVES,
        ),
    )
    BC7 = (
        "bc7",
        FormatInfo(
            *("BC7", "Fine colour with alpha, 8 bits a texel", 16, 4, 4, 98, 99, 145, 146, ()),
            model=134,
            samples=((0, 128, 0),),
            parts=(Part(0, 16, _ALL),),
            gpu=0x8E8C,
            gpu_extension=_BPTC,
        ),
    )
    RGBA8 = (
        "rgba8",
        FormatInfo(
            *("RGBA8", "Not compressed, 32 bits a texel", 4, 1, 4, 28, 29, 37, 43, ()),
            model=1,
            samples=((0, 8, 0), (8, 8, 1), (16, 8, 2), (24, 8, ALPHA_SAMPLE)),
            parts=tuple(Part(n, n + 1, (n,)) for n in _ALL),
            masks=(0xFF, 0xFF00, 0xFF0000, 0xFF000000),
            plain=True,
        ),
    )
    RGB10A2 = (
        "rgb10a2",
        FormatInfo(
            *("RGB10A2", "Ten bits a channel, two of alpha, not compressed", 4, 1, 4, 24, 0, 64, 0),
            fourcc=(),
            model=1,
            samples=((0, 10, 0), (10, 10, 1), (20, 10, 2), (30, 2, ALPHA_SAMPLE)),
            parts=(Part(0, 4, _ALL),),
            masks=(0x3FF, 0xFFC00, 0x3FF00000, 0xC0000000),
            numbers=Numbers.DEEP,
        ),
    )
    RGBA16F = (
        "rgba16f",
        FormatInfo(
            *("RGBA16F", "Half precision, not compressed, 64 bits a texel", 8, 1, 4, 10, 0, 97, 0),
            fourcc=((113).to_bytes(4, "little"),),
            model=1,
            samples=((0, 16, 0), (16, 16, 1), (32, 16, 2), (48, 16, ALPHA_SAMPLE)),
            parts=(Part(0, 8, _ALL),),
            numbers=Numbers.HALVES,
            plain=True,
        ),
    )
    RG8 = (
        "rg8",
        FormatInfo(
            *("RG8", "Two channels, not compressed, 16 bits a texel", 2, 1, 2, 49, 0, 16, 0, ()),
            model=1,
            samples=((0, 8, 0), (8, 8, 1)),
            parts=tuple(Part(n, n + 1, (n,)) for n in range(2)),
            masks=(0xFF, 0xFF00, 0, 0),
            plain=True,
        ),
    )
    R8 = (
        "r8",
        FormatInfo(
            *("R8", "One channel, not compressed, 8 bits a texel", 1, 1, 1, 61, 0, 9, 0, ()),
            model=1,
            samples=((0, 8, 0),),
            parts=(Part(0, 1, (0,)),),
            masks=(0xFF, 0, 0, 0),
            plain=True,
        ),
    )


FORMATS: dict[BlockFormat, FormatInfo] = {format_: format_.info for format_ in BlockFormat}
