"""BC1: colour in eight bytes a block, opaque or with holes.

See :mod:`~.ends.endpoints` for the layout. Opaque colour stays opaque; where the metric keeps
holes, texels of an alpha below 128 become see-through, and their colour is lost.
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
    out = np.empty((grid.shape[0] * grid.shape[1] // 16, 2), np.uint32)
    write_colours(grid, out, False, quality, metric)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour and alpha, uint8 (height, width, 4)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 4), np.uint8)
    over_bands(lambda a, b: decoding.decode_colours(raw, a, b, 8, 0, out, False), count, 256)
    return from_blocks(out, width, height)
