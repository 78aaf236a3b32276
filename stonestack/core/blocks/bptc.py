"""What the formats of the BPTC family share: how a block is parted, and how its bits are put.

Source: Khronos Data Format Specification 1.3, section 20 (BPTC), tables of partitions, of anchor
indices and of modes.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

_TWO = (
    0xCCCC,
    0x8888,
    0xEEEE,
    0xECC8,
    0xC880,
    0xFEEC,
    0xFEC8,
    0xEC80,
    0xC800,
    0xFFEC,
    0xFE80,
    0xE800,
    0xFFE8,
    0xFF00,
    0xFFF0,
    0xF000,
    0xF710,
    0x008E,
    0x7100,
    0x08CE,
    0x008C,
    0x7310,
    0x3100,
    0x8CCE,
    0x088C,
    0x3110,
    0x6666,
    0x366C,
    0x17E8,
    0x0FF0,
    0x718E,
    0x399C,
    0xAAAA,
    0xF0F0,
    0x5A5A,
    0x33CC,
    0x3C3C,
    0x55AA,
    0x9696,
    0xA55A,
    0x73CE,
    0x13C8,
    0x324C,
    0x3BDC,
    0x6996,
    0xC33C,
    0x9966,
    0x0660,
    0x0272,
    0x04E4,
    0x4E40,
    0x2720,
    0xC936,
    0x936C,
    0x39C6,
    0x639C,
    0x9336,
    0x9CC6,
    0x817E,
    0xE718,
    0xCCF0,
    0x0FCC,
    0x7744,
    0xEE22,
)
_THREE = (
    0xAA685050,
    0x6A5A5040,
    0x5A5A4200,
    0x5450A0A8,
    0xA5A50000,
    0xA0A05050,
    0x5555A0A0,
    0x5A5A5050,
    0xAA550000,
    0xAA555500,
    0xAAAA5500,
    0x90909090,
    0x94949494,
    0xA4A4A4A4,
    0xA9A59450,
    0x2A0A4250,
    0xA5945040,
    0x0A425054,
    0xA5A5A500,
    0x55A0A0A0,
    0xA8A85454,
    0x6A6A4040,
    0xA4A45000,
    0x1A1A0500,
    0x0050A4A4,
    0xAAA59090,
    0x14696914,
    0x69691400,
    0xA08585A0,
    0xAA821414,
    0x50A4A450,
    0x6A5A0200,
    0xA9A58000,
    0x5090A0A8,
    0xA8A09050,
    0x24242424,
    0x00AA5500,
    0x24924924,
    0x24499224,
    0x50A50A50,
    0x500AA550,
    0xAAAA4444,
    0x66660000,
    0xA5A0A5A0,
    0x50A050A0,
    0x69286928,
    0x44AAAA44,
    0x66666600,
    0xAA444444,
    0x54A854A8,
    0x95809580,
    0x96969600,
    0xA85454A8,
    0x80959580,
    0xAA141414,
    0x96960000,
    0xAAAA1414,
    0xA05050A0,
    0xA0A5A5A0,
    0x96000000,
    0x40804080,
    0xA9A8A9A8,
    0xAAAAAA44,
    0x2A4A5254,
)
_ANCHOR_OF_TWO = (
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    2,
    8,
    2,
    2,
    8,
    8,
    15,
    2,
    8,
    2,
    2,
    8,
    8,
    2,
    2,
    15,
    15,
    6,
    8,
    2,
    8,
    15,
    15,
    2,
    8,
    2,
    2,
    2,
    15,
    15,
    6,
    6,
    2,
    6,
    8,
    15,
    15,
    2,
    2,
    15,
    15,
    15,
    15,
    15,
    2,
    2,
    15,
)
_SECOND_OF_THREE = (
    3,
    3,
    15,
    15,
    8,
    3,
    15,
    15,
    8,
    8,
    6,
    6,
    6,
    5,
    3,
    3,
    3,
    3,
    8,
    15,
    3,
    3,
    6,
    10,
    5,
    8,
    8,
    6,
    8,
    5,
    15,
    15,
    8,
    15,
    3,
    5,
    6,
    10,
    8,
    15,
    15,
    3,
    15,
    5,
    15,
    15,
    15,
    15,
    3,
    15,
    5,
    5,
    5,
    8,
    5,
    10,
    5,
    10,
    8,
    13,
    15,
    12,
    3,
    3,
)
_THIRD_OF_THREE = (
    15,
    8,
    8,
    3,
    15,
    15,
    3,
    8,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    8,
    15,
    8,
    15,
    3,
    15,
    8,
    15,
    8,
    3,
    15,
    6,
    10,
    15,
    15,
    10,
    8,
    15,
    3,
    15,
    10,
    10,
    8,
    9,
    10,
    6,
    15,
    8,
    15,
    3,
    6,
    6,
    8,
    15,
    3,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    15,
    3,
    15,
    15,
    8,
)


def _parts() -> NDArray[np.uint8]:
    """Return which part each texel is in: by number of parts, partition and texel."""
    parts = np.zeros((4, 64, 16), np.uint8)
    for partition in range(64):
        for texel in range(16):
            parts[2, partition, texel] = _TWO[partition] >> texel & 1
            parts[3, partition, texel] = _THREE[partition] >> 2 * texel & 3
    return parts


def _anchors() -> NDArray[np.uint8]:
    """Return each part's texel whose index has one bit less: by number, partition and part."""
    anchors = np.zeros((4, 64, 3), np.uint8)
    anchors[2, :, 1] = _ANCHOR_OF_TWO
    anchors[3, :, 1] = _SECOND_OF_THREE
    anchors[3, :, 2] = _THIRD_OF_THREE
    return anchors


PARTS = _parts()
ANCHORS = _anchors()

COUNT, PARTITION_BITS, ROTATION_BITS, CHOICE_BITS, COLOUR_BITS, ALPHA_BITS = 0, 1, 2, 3, 4, 5
OWN_BITS, SHARED_BITS, INDEX_BITS, SECOND_BITS = 6, 7, 8, 9
MODES = np.array(
    [
        [3, 4, 0, 0, 4, 0, 1, 0, 3, 0],
        [2, 6, 0, 0, 6, 0, 0, 1, 3, 0],
        [3, 6, 0, 0, 5, 0, 0, 0, 2, 0],
        [2, 6, 0, 0, 7, 0, 1, 0, 2, 0],
        [1, 0, 2, 1, 5, 6, 0, 0, 2, 3],
        [1, 0, 2, 0, 7, 8, 0, 0, 2, 2],
        [1, 0, 0, 0, 7, 7, 1, 0, 4, 0],
        [2, 6, 0, 0, 5, 5, 1, 0, 2, 0],
    ],
    np.int64,
)
"""BC7's modes: parts; bits of partition, rotation, choice of index, colour, alpha, own and shared
lowest bit; bits of the index and of the second one."""


@njit(cache=True, nogil=True)
def take(data: Any, at: int, bits: int) -> int:
    """Return ``bits`` bits of a block of two 64-bit words, from bit ``at``."""
    value = 0
    for i in range(bits):
        place = at + i
        value |= int((data[place >> 6] >> np.uint64(place & 63)) & np.uint64(1)) << i
    return value


@njit(cache=True, nogil=True)
def put(out: Any, at: Any, value: Any, bits: Any) -> Any:
    """Write ``bits`` bits into a block of two 64-bit words; return where the next go."""
    word = np.uint64(value)
    low = at & 63
    if bits:
        out[at >> 6] |= word << np.uint64(low)
    if low + bits > 64:
        out[1] |= word >> np.uint64(64 - low)
    return at + bits


@njit(cache=True, nogil=True)
def weight(place: int, bits: int) -> int:
    """Return how much of the second end an index means, in 64ths."""
    last = (1 << bits) - 1
    return (128 * place + last) // (2 * last)
