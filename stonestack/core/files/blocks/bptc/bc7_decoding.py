"""BC7's decoder: all eight modes (Khronos Data Format Specification 1.3, section 20.1)."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from stonestack.core.files.blocks.bptc import partitions as bptc
from stonestack.core.files.blocks.bptc.partitions import take, weight
from stonestack.core.picture.image import Bytes


@njit(cache=True, nogil=True)
def _widened(value: int, bits: int) -> int:
    """Return a number of four to eight bits as one of eight: its highest bits follow it."""
    high = value << (8 - bits)
    return high | (high >> bits)


@njit(cache=True, nogil=True)
def decode_blocks(
    words: Any, start: int, stop: int, modes: Any, parts: Any, anchors: Any, out: Bytes
) -> None:
    """Decode the blocks ``start`` to ``stop``.

    Parameters
    ----------
    words : ndarray, uint64, shape (blocks, 2)
    modes, parts, anchors : ndarray
        The tables of :mod:`.partitions`.
    out : ndarray, uint8, shape (blocks, 16, 4)
        A block of the reserved mode becomes clear black.
    """
    ends = np.empty((6, 4), np.int64)
    index = np.empty((2, 16), np.int64)
    for block in range(start, stop):
        data = words[block]
        mode = 0
        while mode < 8 and not (data[0] >> np.uint64(mode)) & np.uint64(1):
            mode += 1
        if mode == 8:
            for t in range(16):
                for c in range(4):
                    out[block, t, c] = 0
            continue
        row = modes[mode]
        count = row[0]
        at = mode + 1
        partition = take(data, at, row[1])
        at += row[1]
        rotation = take(data, at, row[2])
        at += row[2]
        choice = take(data, at, row[3])
        at += row[3]
        for c in range(4):
            bits = row[5] if c == 3 else row[4]
            for e in range(2 * count):
                ends[e, c] = take(data, at, bits) if bits else 255
                at += bits
        own, shared = row[6], row[7]
        if own or shared:
            for e in range(2 * count):
                bit = take(data, at + (e if own else e >> 1), 1)
                for c in range(4):
                    if c < 3 or row[5]:
                        ends[e, c] = ends[e, c] << 1 | bit
            at += 2 * count if own else count
        for e in range(2 * count):
            for c in range(4):
                bits = row[5] if c == 3 else row[4]
                if bits:
                    ends[e, c] = _widened(ends[e, c], bits + (1 if own or shared else 0))
        for which in range(2 if row[9] else 1):
            bits = row[9] if which else row[8]
            for t in range(16):
                part = parts[count, partition, t]
                short = t == anchors[count, partition, part]
                index[which, t] = take(data, at, bits - short)
                at += bits - short
        for t in range(16):
            part = parts[count, partition, t]
            for c in range(4):
                second = row[9] > 0 and (c == 3) != (choice == 1)
                bits = row[9] if second else row[8]
                w = weight(index[1 if second else 0, t], bits)
                a, b = ends[2 * part, c], ends[2 * part + 1, c]
                out[block, t, c] = np.uint8(((64 - w) * a + w * b + 32) >> 6)
            if rotation:
                c = rotation - 1
                held = out[block, t, c]
                out[block, t, c] = out[block, t, 3]
                out[block, t, 3] = held


def decode(data: bytes, count: int) -> Bytes:
    """Decode whole blocks to uint8 (count, 16, 4)."""
    from stonestack.core.runtime.parallel import over_bands

    words = np.frombuffer(data, "<u8").reshape(count, 2)
    out = np.empty((count, 16, 4), np.uint8)
    tables = (bptc.MODES, bptc.PARTS, bptc.ANCHORS)
    over_bands(lambda a, b: decode_blocks(words, a, b, *tables, out), count, 256)
    return out
