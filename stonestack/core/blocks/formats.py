"""The one table of texel formats: sizes, channels and the numbers that file formats use.

Sources: DXGI_FORMAT enumeration (Direct3D 11 reference) and VkFormat enumeration (Vulkan
1.3 specification, section 34.1).
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stonestack.core.blocks.layout import blocks_across


class BlockFormat(StrEnum):
    """How texels are stored in a texture file."""

    BC1 = "bc1"
    BC2 = "bc2"
    BC3 = "bc3"
    BC4 = "bc4"
    BC5 = "bc5"
    BC6H = "bc6h"
    BC7 = "bc7"
    RGBA8 = "rgba8"


@dataclass(frozen=True)
class FormatInfo:
    """What is fixed about one format.

    Parameters
    ----------
    title : str
        The name people use.
    unit_bytes : int
        Bytes of one block, or of one texel where ``block`` is 1.
    block : int
        Side of a block in texels.
    channels : int
        Channels that a decoded texel has.
    dxgi, dxgi_srgb, vk, vk_srgb : int
        Format numbers; the sRGB ones are 0 where the format has no sRGB variant.
    fourcc : tuple of bytes
        Codes of older DDS headers that mean this format.
    hint : str
        One line for the screen.
    written : bool
        Whether we can write it, or read it only.
    kept : int
        Channels that are kept, where they are fewer than a decoded texel has.
    """

    title: str
    unit_bytes: int
    block: int
    channels: int
    dxgi: int
    dxgi_srgb: int
    vk: int
    vk_srgb: int
    fourcc: tuple[bytes, ...]
    hint: str
    written: bool = True
    kept: int = 0

    @property
    def keeps(self) -> int:
        """Channels that come back as they were stored: BC1 has alpha only as holes."""
        return self.kept or self.channels

    def level_bytes(self, width: int, height: int) -> int:
        """Return the bytes of one level of ``width`` by ``height`` texels."""
        if self.block == 1:
            return width * height * self.unit_bytes
        return blocks_across(width) * blocks_across(height) * self.unit_bytes


FORMATS: dict[BlockFormat, FormatInfo] = {
    BlockFormat.BC1: FormatInfo(
        *("BC1", 8, 4, 4, 71, 72, 131, 132, (b"DXT1",), "Opaque colour, 4 bits a texel"),
        kept=3,
    ),
    BlockFormat.BC2: FormatInfo(
        *("BC2", 16, 4, 4, 74, 75, 135, 136, (b"DXT3", b"DXT2")),
        "Colour with coarse alpha, 8 bits a texel",
    ),
    BlockFormat.BC3: FormatInfo(
        "BC3", 16, 4, 4, 77, 78, 137, 138, (b"DXT5",), "Colour with alpha, 8 bits a texel"
    ),
    BlockFormat.BC4: FormatInfo(
        "BC4", 8, 4, 1, 80, 0, 139, 0, (b"ATI1", b"BC4U"), "One channel, 4 bits a texel"
    ),
    BlockFormat.BC5: FormatInfo(
        "BC5", 16, 4, 2, 83, 0, 141, 0, (b"ATI2", b"BC5U"), "Two channels, 8 bits a texel"
    ),
    BlockFormat.BC6H: FormatInfo(
        "BC6H", 16, 4, 4, 95, 0, 143, 0, (), "Colour beyond white; read only", written=False
    ),
    BlockFormat.BC7: FormatInfo(
        "BC7", 16, 4, 4, 98, 99, 145, 146, (), "Fine colour with alpha, 8 bits a texel"
    ),
    BlockFormat.RGBA8: FormatInfo(
        "RGBA8", 4, 1, 4, 28, 29, 37, 43, (), "Not compressed, 32 bits a texel"
    ),
}
