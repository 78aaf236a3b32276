"""What is noted of the best of each block, and its bits (Khronos Data Format 1.3, section 20.1)."""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.bptc.bc7_lines import KQ, KT
from stonestack.core.files.blocks.bptc.bc7_search import Search
from stonestack.core.files.blocks.bptc.partitions import put
from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, kernel

# What is noted of the best of each block: 24 numbers of ends, 16 places, 16 second places, then:
ENDS, PLACES, SECOND, MODE, SHAPE, ROTATION, CHOICE = 0, 24, 40, 56, 57, 58, 59
NOTED = 60
DONE = 9
"""Instead of a mode: the block is written."""


@kernel
def note_part(held: Any, part: int, lane: int, members: Any, count: int, noted: Any) -> None:
    """Note the ends and places of one lane's part."""
    for k in range(8):
        noted[ENDS + 8 * part + k] = np.uint8(held[part, (KQ - KT + k) * L + lane])
    for j in range(count):
        noted[PLACES + np.int64(members[j])] = np.uint8(held[part, j * L + lane])


@kernel
def _placed(places: Any, bits: Any, count: Any, shape: Any, parts: Any, anchors: Any) -> Any:
    """Return sixteen places as one number: those of anchors are one bit shorter."""
    value = np.uint64(0)
    at = 0
    for t in range(16):
        value |= np.uint64(places[t]) << np.uint64(at)
        short = t == np.int64(anchors[count, shape, parts[count, shape, t]])
        at += bits - (1 if short else 0)
    return value


@kernel
def pack_sixes(s: Any, low: Any, high: Any) -> None:
    """Write the best lines of sixteen blocks as mode 6; low, high: uint64 (LANES,)."""
    one = np.uint64(1)
    for lane in range(L):
        turned = s[KT * L + lane] > f(7.5)
        turn = np.uint64(15 if turned else 0)
        first = np.uint64(0)
        second = np.uint64(0)
        for c in range(4):
            a = np.uint64(np.int32(s[(KQ + c) * L + lane]))
            b = np.uint64(np.int32(s[(KQ + 4 + c) * L + lane]))
            first |= ((b if turned else a) >> one) << np.uint64(14 * c)
            second |= ((a if turned else b) >> one) << np.uint64(14 * c)
        a = np.uint64(np.int32(s[KQ * L + lane])) & one
        b = np.uint64(np.int32(s[(KQ + 4) * L + lane])) & one
        word = np.uint64(64) | (first << np.uint64(7)) | (second << np.uint64(14))
        low[lane] = word | ((b if turned else a) << np.uint64(63))
        word = a if turned else b
        for t in range(16):
            place = np.uint64(np.int32(s[(KT + t) * L + lane])) ^ turn
            word |= place << np.uint64(4 * t if t else 1)
        high[lane] = word


@kernel
def pack(noted: Any, search: Search, out: Any) -> None:
    """Write a block of any mode from what is noted of it.

    Parameters
    ----------
    noted : ndarray, uint8, shape (60,)
        Ends hold their own lowest bits; places may begin at either end.
    out : ndarray, uint64, shape (2,)
    """
    mode = np.int64(noted[MODE])
    shape = np.int64(noted[SHAPE])
    choice = np.int64(noted[CHOICE])
    parts = search.parts
    anchors = search.anchors
    row = search.modes[mode]
    count = row[0]
    own = row[6] + row[7]
    for which in range(2 if row[9] else 1):
        places = noted[SECOND : SECOND + 16] if which else noted[PLACES : PLACES + 16]
        last = np.uint8((1 << (row[9] if which else row[8])) - 1)
        for part in range(count):
            if 2 * np.int64(places[np.int64(anchors[count, shape, part])]) <= last:
                continue
            for t in range(16):
                if parts[count, shape, t] == part:
                    places[t] = last - places[t]
            for c in range(4):
                # The second places are alpha's; or, where chosen, those of colour.
                if row[9] and ((c == 3) != (choice == 1)) != (which == 1):
                    continue
                first = noted[8 * part + c]
                noted[8 * part + c] = noted[8 * part + 4 + c]
                noted[8 * part + 4 + c] = first
    out[0] = np.uint64(0)
    out[1] = np.uint64(0)
    at = put(out, 0, 1 << mode, mode + 1)
    at = put(out, at, shape, row[1])
    at = put(out, at, np.int64(noted[ROTATION]), row[2])
    at = put(out, at, choice, row[3])
    shift = 1 if own else 0
    for c in range(4):
        bits = row[5] if c == 3 else row[4]
        if bits:
            for e in range(2 * count):
                at = put(out, at, np.int64(noted[4 * e + c]) >> shift, bits)
    if row[6]:
        for e in range(2 * count):
            at = put(out, at, np.int64(noted[4 * e]) & 1, 1)
    elif row[7]:
        for part in range(count):
            at = put(out, at, np.int64(noted[8 * part]) & 1, 1)
    for which in range(2 if row[9] else 1):
        places = noted[SECOND : SECOND + 16] if which else noted[PLACES : PLACES + 16]
        bits = row[9] if which else row[8]
        at = put(out, at, _placed(places, bits, count, shape, parts, anchors), 16 * bits - count)
