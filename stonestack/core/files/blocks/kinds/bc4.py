"""BC4: one channel in 8 bytes a block; see :mod:`~.ends.channels`."""

from __future__ import annotations

from stonestack.core.files.blocks.ends import channels
from stonestack.core.files.blocks.quality import PLAIN, Metric, Quality
from stonestack.core.picture.image import Bytes


def encode(texels: Bytes, quality: Quality = Quality.STANDARD, metric: Metric = PLAIN) -> bytes:
    """Encode the first of four stored channels, uint8 (height, width, 4)."""
    return channels.encode(texels, 1, quality, metric, signed=False)


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode to uint8 (height, width, 1)."""
    return channels.decode(data, width, height, 1, signed=False)
