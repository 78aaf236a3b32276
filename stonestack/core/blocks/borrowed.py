"""Formats that are read by Pillow's decoders."""

from __future__ import annotations

import numpy as np
from PIL import Image

from stonestack.core.blocks.layout import blocks_across
from stonestack.core.image import Bytes


def decode(number: int, name: str, data: bytes, width: int, height: int) -> Bytes:
    """Decode one level to stored colour and alpha, uint8 (height, width, 4)."""
    size = (blocks_across(width) * 4, blocks_across(height) * 4)
    mode = "RGB" if number == 6 else "RGBA"
    image = Image.frombytes(mode, size, data, "bcn", (number, name))
    texels = np.asarray(image.convert("RGBA"))
    return np.ascontiguousarray(texels[:height, :width])
