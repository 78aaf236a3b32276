"""BC2: colour and four bits of alpha a texel, in sixteen bytes a block.

Eight bytes of alpha, four bits a texel in rows, then a block of colour that always has four
colours (:mod:`stonestack.core.blocks.endpoints`).
"""

from __future__ import annotations

import numpy as np

from stonestack.core.blocks import borrowed, endpoints
from stonestack.core.blocks.layout import padded
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands


def encode(texels: Bytes) -> bytes:
    """Encode stored colour and alpha, uint8 (height, width, 4)."""
    grid = padded(texels)
    down, across = grid.shape[0] // 4, grid.shape[1] // 4
    count = down * across
    out = np.empty(count * 16, np.uint8)
    over_bands(lambda a, b: endpoints.encode_colours(grid, a, b, out, 16, 8, True), count, 64)
    alpha = grid[..., 3].reshape(down, 4, across, 4).transpose(0, 2, 1, 3).reshape(count, 16)
    nibbles = (alpha.astype(np.uint16) * 15 + 127) // 255
    packed = nibbles[:, 0::2] | nibbles[:, 1::2] << 4
    out.reshape(count, 16)[:, :8] = packed.astype(np.uint8)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour and alpha, uint8 (height, width, 4)."""
    return borrowed.decode(2, "BC2", data, width, height)
