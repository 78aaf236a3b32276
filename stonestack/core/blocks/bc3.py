"""BC3: colour and a full alpha channel in sixteen bytes a block.

An eight-value block of alpha (:mod:`stonestack.core.blocks.scalar`), then a block of
colour that always has four colours (:mod:`stonestack.core.blocks.endpoints`).
"""

from __future__ import annotations

import numpy as np

from stonestack.core.blocks import endpoints, scalar
from stonestack.core.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands


def encode(texels: Bytes) -> bytes:
    """Encode stored colour and alpha, uint8 (height, width, 4)."""
    grid = padded(texels)
    count = grid.shape[0] * grid.shape[1] // 16
    out = np.empty(count * 16, np.uint8)

    def band(start: int, stop: int) -> None:
        scalar.encode_scalar(grid, 3, start, stop, out, 16, 0)
        endpoints.encode_colours(grid, start, stop, out, 16, 8, True)

    over_bands(band, count, 64)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour and alpha, uint8 (height, width, 4)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 4), np.uint8)

    def band(start: int, stop: int) -> None:
        scalar.decode_scalar(raw, start, stop, 16, 0, out, 3)
        endpoints.decode_colours(raw, start, stop, 16, 8, out, True)

    over_bands(band, count, 256)
    return from_blocks(out, width, height)
