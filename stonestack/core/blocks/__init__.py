"""Block compression: one file a format, found by its :class:`BlockFormat`.

Kernels are compiled when first used, and only then: importing this package is cheap.
"""

from __future__ import annotations

from importlib import import_module

import numpy as np

from stonestack.core.blocks.formats import FORMATS, BlockFormat, FormatInfo
from stonestack.core.image import Bytes

__all__ = ["FORMATS", "BlockFormat", "FormatInfo", "decode", "encode"]


def encode(format_: BlockFormat, texels: Bytes) -> bytes:
    """Encode stored texels as one level of ``format_``.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        As stored: sRGB-encoded colour or plain data; alpha last. Formats with fewer
        channels take the first ones.
    """
    if format_.info.block == 1:
        return np.ascontiguousarray(texels[..., : format_.info.channels]).tobytes()
    encoded: bytes = import_module(f"stonestack.core.blocks.{format_}").encode(texels)
    return encoded


def decode(format_: BlockFormat, data: bytes, width: int, height: int) -> Bytes:
    """Decode one level.

    Returns
    -------
    ndarray, uint8, shape (height, width, channels)
        As stored; the number of channels is the format's own.
    """
    if format_.info.block == 1:
        return np.frombuffer(data, np.uint8).reshape(height, width, format_.info.channels).copy()
    decoded: Bytes = import_module(f"stonestack.core.blocks.{format_}").decode(data, width, height)
    return decoded
