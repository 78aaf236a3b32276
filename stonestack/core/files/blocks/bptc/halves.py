"""BC6H from 0 on and signed: colour of half precision in sixteen bytes a block.

Kernels and sources: :mod:`.bc6h_kernels`.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks.bptc import partitions as bptc
from stonestack.core.files.blocks.layout import blocks_across, from_blocks, padded
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.runtime.parallel import over_bands

Halves = NDArray[np.float16]
_MOST = 0x7BFF
"""The bits of the greatest half that is a number."""
_EFFORT = {Quality.FAST: (1, 0), Quality.STANDARD: (2, 1), Quality.BEST: (4, 6)}
"""Refits of each line, and partitions that are tried."""


def encode(texels: Halves, quality: Quality, signed: bool) -> bytes:
    """Encode float16 (height, width, >= 3).

    What no number is becomes 0, what is too great the greatest half; below 0 is kept where signed.
    """
    from stonestack.core.files.blocks.bptc import bc6h_kernels, bc6h_layout

    known = np.nan_to_num(padded(texels)[..., :3], nan=0, posinf=np.inf, neginf=-np.inf)
    patterns = np.ascontiguousarray(known).view(np.uint16).astype(np.int32)
    steps = np.minimum(patterns & 0x7FFF, _MOST)
    below = patterns >> 15 > 0
    steps = np.where(below, -steps if signed else 0, steps)
    down, across = steps.shape[0] // 4, steps.shape[1] // 4
    grid = steps.reshape(down, 4, across, 4, 3).transpose(0, 2, 1, 3, 4).reshape(-1, 16, 3)
    wanted = grid * (32 / 31 if signed else 64 / 31)
    out = np.zeros((len(grid), 2), np.uint64)
    tables = (bc6h_layout.MODES, bc6h_layout.BITS, bptc.PARTS, bptc.ANCHORS)

    def band(start: int, stop: int) -> None:
        bc6h_kernels.encode_blocks(wanted, start, stop, signed, *_EFFORT[quality], *tables, out)

    over_bands(band, len(grid), 16)
    return out.tobytes()


def decode(data: bytes, width: int, height: int, signed: bool) -> Halves:
    """Decode to float16 (height, width, 4), opaque."""
    from stonestack.core.files.blocks.bptc import bc6h_kernels, bc6h_layout

    count = blocks_across(width) * blocks_across(height)
    words = np.frombuffer(data, "<u8").reshape(count, 2)
    patterns = np.empty((count, 16, 3), np.uint16)
    tables = (bc6h_layout.MODES, bc6h_layout.BITS, bptc.PARTS, bptc.ANCHORS)

    def band(start: int, stop: int) -> None:
        bc6h_kernels.decode_blocks(words, start, stop, signed, *tables, patterns)

    over_bands(band, count, 256)
    colour = from_blocks(patterns, width, height).view(np.float16)
    return np.concatenate([colour, np.ones((height, width, 1), np.float16)], axis=2)
