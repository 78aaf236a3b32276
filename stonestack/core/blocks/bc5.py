"""BC5: two channels in sixteen bytes a block; see :mod:`stonestack.core.blocks.scalar`."""

from __future__ import annotations

import numpy as np

from stonestack.core.blocks import scalar
from stonestack.core.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands


def encode(texels: Bytes) -> bytes:
    """Encode the first two channels of uint8 (height, width, channels)."""
    grid = padded(texels)
    count = grid.shape[0] * grid.shape[1] // 16
    out = np.empty(count * 16, np.uint8)

    def band(start: int, stop: int) -> None:
        scalar.encode_scalar(grid, 0, start, stop, out, 16, 0)
        scalar.encode_scalar(grid, 1, start, stop, out, 16, 8)

    over_bands(band, count, 64)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to uint8 (height, width, 2)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 2), np.uint8)

    def band(start: int, stop: int) -> None:
        scalar.decode_scalar(raw, start, stop, 16, 0, out, 0)
        scalar.decode_scalar(raw, start, stop, 16, 8, out, 1)

    over_bands(band, count, 256)
    return from_blocks(out, width, height)
