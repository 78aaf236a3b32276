"""BC4: one channel in eight bytes a block; see :mod:`stonestack.core.blocks.scalar`."""

from __future__ import annotations

import numpy as np

from stonestack.core.blocks import scalar
from stonestack.core.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands


def encode(texels: Bytes) -> bytes:
    """Encode the first channel of uint8 (height, width, channels)."""
    grid = padded(texels)
    count = grid.shape[0] * grid.shape[1] // 16
    out = np.empty(count * 8, np.uint8)
    over_bands(lambda a, b: scalar.encode_scalar(grid, 0, a, b, out, 8, 0), count, 64)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to uint8 (height, width, 1)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 1), np.uint8)
    over_bands(lambda a, b: scalar.decode_scalar(raw, a, b, 8, 0, out, 0), count, 256)
    return from_blocks(out, width, height)
