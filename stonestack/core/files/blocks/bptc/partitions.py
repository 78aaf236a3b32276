"""What the formats of the BPTC family share: how a block is parted, and how its bits are put.

Source: Khronos Data Format Specification 1.3, section 20 (BPTC), tables of partitions, of anchor
indices and of modes.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

_TWO = """
    CCCC 8888 EEEE ECC8 C880 FEEC FEC8 EC80 C800 FFEC FE80 E800 FFE8 FF00 FFF0 F000
    F710 008E 7100 08CE 008C 7310 3100 8CCE 088C 3110 6666 366C 17E8 0FF0 718E 399C
    AAAA F0F0 5A5A 33CC 3C3C 55AA 9696 A55A 73CE 13C8 324C 3BDC 6996 C33C 9966 0660
    0272 04E4 4E40 2720 C936 936C 39C6 639C 9336 9CC6 817E E718 CCF0 0FCC 7744 EE22
"""
"""Of each partition into two parts, one bit a texel, the first texel lowest."""
_THREE = """
    AA685050 6A5A5040 5A5A4200 5450A0A8 A5A50000 A0A05050 5555A0A0 5A5A5050
    AA550000 AA555500 AAAA5500 90909090 94949494 A4A4A4A4 A9A59450 2A0A4250
    A5945040 0A425054 A5A5A500 55A0A0A0 A8A85454 6A6A4040 A4A45000 1A1A0500
    0050A4A4 AAA59090 14696914 69691400 A08585A0 AA821414 50A4A450 6A5A0200
    A9A58000 5090A0A8 A8A09050 24242424 00AA5500 24924924 24499224 50A50A50
    500AA550 AAAA4444 66660000 A5A0A5A0 50A050A0 69286928 44AAAA44 66666600
    AA444444 54A854A8 95809580 96969600 A85454A8 80959580 AA141414 96960000
    AAAA1414 A05050A0 A0A5A5A0 96000000 40804080 A9A8A9A8 AAAAAA44 2A4A5254
"""
"""Of each partition into three, two bits a texel."""
_ANCHOR_OF_TWO = "fffffffffffffffff282288f28228822ff6828ff28222ff66268ff22fffff22f"
_SECOND_OF_THREE = "33ff83ff88666533338f336a588685ff8f356a8ff3f5ffff3f55585a5a8dfc33"
_THIRD_OF_THREE = "f883ff38fffffff8f8f3f8f83f6affa8f3faa89a6f8f3668f3ffffffffff3ff8"
"""The anchor texel of the later parts, one digit a partition."""


def _parts() -> NDArray[np.uint8]:
    """Return which part each texel is in: by number of parts, partition and texel."""
    parts = np.zeros((4, 64, 16), np.uint8)
    texels = np.arange(16)
    for partition, (two, three) in enumerate(zip(_TWO.split(), _THREE.split(), strict=True)):
        parts[2, partition] = int(two, 16) >> texels & 1
        parts[3, partition] = int(three, 16) >> 2 * texels & 3
    return parts


def _anchors() -> NDArray[np.uint8]:
    """Return each part's texel whose index has one bit less: by number, partition and part."""
    anchors = np.zeros((4, 64, 3), np.uint8)
    anchors[2, :, 1] = [int(digit, 16) for digit in _ANCHOR_OF_TWO]
    anchors[3, :, 1] = [int(digit, 16) for digit in _SECOND_OF_THREE]
    anchors[3, :, 2] = [int(digit, 16) for digit in _THIRD_OF_THREE]
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
