"""RGB10A2: ten bits a channel and two of alpha, in one word.

Source: Vulkan 1.3 specification, VK_FORMAT_A2B10G10R10_UNORM_PACK32.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks.quality import Metric, Quality

Deep = NDArray[np.uint16]


def encode(texels: Deep, quality: Quality, metric: Metric) -> bytes:
    """Pack uint16 (height, width, 4), 0 to 65535, rounded to nearest."""
    wide = texels.astype(np.uint64)
    ten = (wide[..., :3] * 1023 + 32767) // 65535
    two = (wide[..., 3] * 3 + 32767) // 65535
    words = ten[..., 0] | ten[..., 1] << 10 | ten[..., 2] << 20 | two << 30
    return bytes(words.astype("<u4").tobytes())


def decode(data: bytes, width: int, height: int) -> Deep:
    """Unpack to uint16 (height, width, 4), 0 to 65535, rounded to nearest."""
    words = np.frombuffer(data, "<u4").reshape(height, width).astype(np.uint64)
    out = np.empty((height, width, 4), np.uint16)
    for channel in range(3):
        out[..., channel] = ((words >> 10 * channel & 1023) * 65535 + 511) // 1023
    out[..., 3] = (words >> 30) * 21845
    return out
