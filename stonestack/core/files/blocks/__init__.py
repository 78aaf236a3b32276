"""Block compression: one file a format, found by its :class:`BlockFormat`.

Kernels are compiled when first used, and only then: importing this package is cheap.
"""

from __future__ import annotations

from importlib import import_module
from types import ModuleType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks import kinds
from stonestack.core.files.blocks.formats import FORMATS, BlockFormat, FormatInfo, Numbers
from stonestack.core.files.blocks.quality import PLAIN, Metric, Quality

__all__ = [
    "FORMATS",
    "BlockFormat",
    "FormatInfo",
    "Metric",
    "Numbers",
    "Quality",
    "Stored",
    "decode",
    "encode",
]


Stored = NDArray[Any]
"""Stored numbers of a format: uint8, int8, uint16 or float16 by its :class:`Numbers`."""


def encode(
    format_: BlockFormat,
    texels: Stored,
    quality: Quality = Quality.STANDARD,
    metric: Metric = PLAIN,
) -> bytes:
    """Encode stored texels as one level of ``format_``.

    Parameters
    ----------
    texels : ndarray, shape (height, width, 4)
        As the format's :class:`Numbers` say: sRGB-encoded colour or plain data in bytes; linear
        colour in halves; alpha last. Formats with fewer channels take the first ones.
    quality : Quality
        How hard is searched.
    metric : Metric
        Which errors count.
    """
    if format_.info.coded:
        encoded: bytes = _coder(format_).encode(texels, quality, metric)
        return encoded
    return np.ascontiguousarray(texels[..., : format_.info.channels]).tobytes()


def decode(format_: BlockFormat, data: bytes, width: int, height: int) -> Stored:
    """Decode one level.

    Returns
    -------
    ndarray, shape (height, width, channels)
        As stored, by the format's :class:`Numbers`; the number of channels is the format's own.
    """
    if format_.info.coded:
        decoded: Stored = _coder(format_).decode(data, width, height)
        return decoded
    kind = np.float16 if format_.info.numbers is Numbers.HALVES else np.uint8
    return np.frombuffer(data, kind).reshape(height, width, format_.info.channels).copy()


def _coder(format_: BlockFormat) -> ModuleType:
    """Return the module of :mod:`.kinds` that is called like the format."""
    return import_module(f"{kinds.__name__}.{format_}")
