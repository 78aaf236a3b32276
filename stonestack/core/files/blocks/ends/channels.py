"""BC4 and BC5: one or two channels, eight bytes a block each; see :mod:`.scalar`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks.ends import decoders as decoding
from stonestack.core.files.blocks.layout import as_words, blocks_across, from_blocks, padded
from stonestack.core.files.blocks.quality import Metric, Quality
from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.parallel import over_bands

_STARTS = np.array([[1 / 40, 1 / 40], [1 / 32, 1 / 32], [0, -1 / 4], [-1 / 4, 0]], np.float32)
_MORE = np.array([[-1 / 12, 0], [0, -1 / 12], [1 / 12, 0]], np.float32)
_MARGINS = np.array([0.5, 16], np.float32)
_SHARES = np.array([1 / 28, 0], np.float32)
_TIERS = {Quality.FAST: 0, Quality.STANDARD: 1, Quality.BEST: 2}


def write_channel(
    texels: Bytes,
    out: NDArray[np.uint32],
    at: int,
    channel: int,
    quality: Quality,
    metric: Metric,
    signed: bool = False,
) -> None:
    """Encode one channel of all blocks of a picture into its part of each block.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Sides are multiples of four; signed numbers in two's complement.
    out : ndarray, uint32, shape (blocks, words)
    at : int
        The first of the two words that are written.
    channel, quality, metric
    signed : bool
        Whether numbers go from -127 to 127.
    """
    from stonestack.core.files.blocks.ends.scalar import encode_scalar

    words = as_words(texels)
    flat, stride = out.reshape(-1), out.shape[1]
    limits = np.float32(metric.limits)
    tier = _TIERS[quality]
    angles = metric.angles and channel < 2

    def band(start: int, stop: int) -> None:
        more = (signed, angles, limits, _STARTS, _MORE, _MARGINS, _SHARES, tier)
        encode_scalar(words, start, stop, flat, stride, at, channel, *more)

    over_bands(band, out.shape[0], 64)


def encode(
    texels: Bytes, channels: int, quality: Quality, metric: Metric, signed: bool = False
) -> bytes:
    """Encode the first channels of uint8 (height, width, 4); signed ones in two's complement."""
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
