"""Whether compressed texels are see-through anywhere: told without compiled kernels.

For a quick look at a file, decoding would mean loading the compiler's runtime; this reads the
few bits that decide. Layouts as in :mod:`~.ends.endpoints` and :mod:`~.ends.scalar`.
"""

from __future__ import annotations

import numpy as np

from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.runtime import stopping


def see_through(format_: BlockFormat, data: bytes) -> bool:
    """Return whether any texel of a level has alpha below 255.

    Parameters
    ----------
    format_ : BlockFormat
        Formats without alpha are never see-through.
    data : bytes
        One level; texels beyond the picture's edge count too.
    """
    if format_ not in _WITH_ALPHA:
        return False
    for start in range(0, len(data), _PIECE):
        stopping.check()
        if _see_through(format_, data[start : start + _PIECE]):
            return True
    return False


_WITH_ALPHA = {format_ for format_ in BlockFormat if format_.info.channels == 4}
_PIECE = 1 << 20
"""Bytes that are looked at at once: a whole number of blocks."""


def _see_through(format_: BlockFormat, data: bytes) -> bool:
    raw = np.frombuffer(data, np.uint8)
    if format_ is BlockFormat.RGBA8:
        return bool((raw[3::4] < 255).any())
    if format_ is BlockFormat.BC1:
        ends = raw.reshape(-1, 8)[:, :4].copy().view("<u2")
        codes = raw.reshape(-1, 8)[:, 4:].copy().view("<u4")
        shifted = codes >> np.arange(0, 32, 2, dtype=np.uint32)
        open_ = (shifted & 3 == 3).any(axis=1) & (ends[:, 0] <= ends[:, 1])
        return bool(open_.any())
    if format_ is BlockFormat.BC2:
        return bool((raw.reshape(-1, 16)[:, :8] != 255).any())
    if format_ is BlockFormat.BC7:
        from stonestack.core.files.blocks.kinds import bc7

        blocks = len(raw) // 16
        return bool((bc7.decode(data, 4, blocks * 4)[..., 3] < 255).any())
    if format_ is BlockFormat.BC3:
        return _alpha_below(raw.reshape(-1, 16)[:, :8])
    return False


def _alpha_below(blocks: np.ndarray[tuple[int, int], np.dtype[np.uint8]]) -> bool:
    ends = blocks[:, :2].astype(np.int32)
    high, low = ends[:, :1], ends[:, 1:]
    k = np.arange(1, 7)
    eight = ((7 - k) * high + k * low + 3) // 7
    six = ((5 - k[:4]) * high + k[:4] * low + 2) // 5
    limits = np.broadcast_to([0, 255], (len(blocks), 2))
    between = np.where(high > low, eight, np.concatenate([six, limits], axis=1))
    palette = np.concatenate([ends, between], axis=1)
    wide = np.zeros((len(blocks), 8), np.uint8)
    wide[:, :6] = blocks[:, 2:]
    codes = (wide.view("<u8") >> np.arange(0, 48, 3, dtype=np.uint64)) & np.uint64(7)
    alpha = np.take_along_axis(palette, codes.astype(np.int64), axis=1)
    return bool((alpha < 255).any())
