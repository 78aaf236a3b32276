"""BC1: opaque colour in eight bytes a block.

The encoder writes four-colour blocks only, so it keeps no alpha; the decoder reads both
kinds. See :mod:`stonestack.core.blocks.endpoints` for the layout.
"""

from __future__ import annotations

import numpy as np

from stonestack.core.blocks import endpoints
from stonestack.core.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands


def encode(texels: Bytes) -> bytes:
    """Encode stored colour, uint8 (height, width, 4), leaving alpha out."""
    grid = padded(texels)
    count = grid.shape[0] * grid.shape[1] // 16
    out = np.empty(count * 8, np.uint8)
    over_bands(lambda a, b: endpoints.encode_colours(grid, a, b, out, 8, 0, False), count, 64)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour and alpha, uint8 (height, width, 4)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 4), np.uint8)
    over_bands(lambda a, b: endpoints.decode_colours(raw, a, b, 8, 0, out, False), count, 256)
    return from_blocks(out, width, height)
