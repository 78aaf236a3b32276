"""BC3: colour and a full alpha channel in sixteen bytes a block.

A block of alpha (:mod:`~.ends.scalar`), then a block of colour that always has four colours
(:mod:`~.ends.endpoints`).
"""

from __future__ import annotations

import numpy as np

from stonestack.core.files.blocks.ends import decoders as decoding
from stonestack.core.files.blocks.ends.channels import write_channel
from stonestack.core.files.blocks.ends.colours import write_colours
from stonestack.core.files.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.files.blocks.quality import PLAIN, Metric, Quality
from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.parallel import over_bands


def encode(texels: Bytes, quality: Quality = Quality.STANDARD, metric: Metric = PLAIN) -> bytes:
    """Encode stored colour and alpha, uint8 (height, width, 4)."""
    grid = padded(texels)
    out = np.empty((grid.shape[0] * grid.shape[1] // 16, 4), np.uint32)
    write_channel(grid, out, 0, 3, quality, metric)
    write_colours(grid, out, True, quality, metric)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to stored colour and alpha, uint8 (height, width, 4)."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, 4), np.uint8)

    def band(start: int, stop: int) -> None:
        decoding.decode_scalar(raw, start, stop, 16, 0, out, 3, False)
        decoding.decode_colours(raw, start, stop, 16, 8, out, True)

    over_bands(band, count, 256)
    return from_blocks(out, width, height)
