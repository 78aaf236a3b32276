"""BC2: colour and four bits of alpha a texel, in sixteen bytes a block.

Eight bytes of alpha, four bits a texel in rows, then a block of colour that always has four
colours (:mod:`~.ends.endpoints`).
"""

from __future__ import annotations

import numpy as np

from stonestack.core.files.blocks.ends import decoders as decoding
from stonestack.core.files.blocks.ends.colours import write_colours
from stonestack.core.files.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.files.blocks.quality import PLAIN, Metric, Quality
from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.parallel import over_bands


def encode(texels: Bytes, quality: Quality = Quality.STANDARD, metric: Metric = PLAIN) -> bytes:
    """Encode stored colour and alpha, uint8 (height, width, 4)."""
    grid = padded(texels)
    down, across = grid.shape[0] // 4, grid.shape[1] // 4
    count = down * across
    out = np.empty((count, 4), np.uint32)
    write_colours(grid, out, True, quality, metric)
    alpha = grid[..., 3].reshape(down, 4, across, 4).transpose(0, 2, 1, 3).reshape(count, 16)
    nibbles = (alpha.astype(np.uint16) * 15 + 127) // 255
    packed = nibbles[:, 0::2] | nibbles[:, 1::2] << 4
    out[:, :2] = packed.astype(np.uint8).view("<u4")
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour and alpha, uint8 (height, width, 4)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 4), np.uint8)
    over_bands(lambda a, b: decoding.decode_colours(raw, a, b, 16, 8, out, True), count, 256)
    nibbles = raw.reshape(count, 16)[:, :8]
    out[:, 0::2, 3] = (nibbles & 15) * 17
    out[:, 1::2, 3] = (nibbles >> 4) * 17
    return from_blocks(out, width, height)
