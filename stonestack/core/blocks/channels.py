"""BC4 and BC5: one or two channels, eight bytes a block each; see :mod:`.scalar`."""

from __future__ import annotations

import numpy as np

from stonestack.core.blocks import decoding
from stonestack.core.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.blocks.quality import Metric, Quality
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands


def encode(
    texels: Bytes, channels: int, quality: Quality, metric: Metric, signed: bool = False
) -> bytes:
    """Encode the first channels of uint8 (height, width, 4); signed ones in two's complement."""
    from stonestack.core.blocks.scalar import write_channel

    grid = padded(texels)
    out = np.empty((grid.shape[0] * grid.shape[1] // 16, 2 * channels), np.uint32)
    for channel in range(channels):
        write_channel(grid, out, 2 * channel, channel, quality, metric, signed)
    return out.tobytes()


def decode(data: bytes, width: int, height: int, channels: int, signed: bool = False) -> Bytes:
    """Decode to uint8 (height, width, channels); signed ones in two's complement."""
    count = blocks_across(width) * blocks_across(height)
    raw = np.frombuffer(data, np.uint8)
    out = np.empty((count, 16, channels), np.uint8)
    target = out.view(np.int8) if signed else out

    def band(start: int, stop: int) -> None:
        for channel in range(channels):
            place = (8 * channels, 8 * channel)
            decoding.decode_scalar(raw, start, stop, *place, target, channel, signed)

    over_bands(band, count, 256)
    return from_blocks(out, width, height)
