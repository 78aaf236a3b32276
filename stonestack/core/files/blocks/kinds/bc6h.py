"""BC6H: colour of half precision from 0 on; see :mod:`~.bptc.halves`."""

from __future__ import annotations

from stonestack.core.files.blocks.bptc import halves
from stonestack.core.files.blocks.bptc.halves import Halves
from stonestack.core.files.blocks.quality import PLAIN, Metric, Quality


def encode(texels: Halves, quality: Quality = Quality.STANDARD, _metric: Metric = PLAIN) -> bytes:
    """Encode linear colour, float16 (height, width, 4), leaving alpha out."""
    return halves.encode(texels, quality, signed=False)


def decode(data: bytes, width: int, height: int) -> Halves:
    """Decode to linear colour, float16 (height, width, 4), opaque."""
    return halves.decode(data, width, height, signed=False)
