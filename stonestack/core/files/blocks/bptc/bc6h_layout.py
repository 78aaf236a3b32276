"""How BC6H's fourteen modes lay out their bits.

Source: Khronos Data Format Specification 1.3, section 20.2, the tables of modes and of bits.
"""

from __future__ import annotations

import re

import numpy as np

# Mode number, precision of the first end, of the further ends' red, green and blue, and the bits in
# their order: ``r``, ``g``, ``b`` of the ends ``w``, ``x`` (first part), ``y``, ``z`` (second
# part); ``hi:lo`` with the lowest bit first, ``lo<hi`` with the highest first; ``d`` the partition.
_MODES = (
    (
        *(0b00, 2, 10, 5, 5, 5),
        "gy4 by4 bz4 rw9:0 gw9:0 bw9:0 rx4:0 gz4 gy3:0 gx4:0 bz0 gz3:0 bx4:0 bz1 by3:0 ry4:0 bz2 "
        "rz4:0 bz3 d4:0",
    ),
    (
        *(0b01, 2, 7, 6, 6, 6),
        "gy5 gz4 gz5 rw6:0 bz0 bz1 by4 gw6:0 by5 bz2 gy4 bw6:0 bz3 bz5 bz4 rx5:0 gy3:0 gx5:0 "
        "gz3:0 bx5:0 by3:0 ry5:0 rz5:0 d4:0",
    ),
    (
        *(0b00010, 5, 11, 5, 4, 4),
        "rw9:0 gw9:0 bw9:0 rx4:0 rw10 gy3:0 gx3:0 gw10 bz0 gz3:0 bx3:0 bw10 bz1 by3:0 ry4:0 bz2 "
        "rz4:0 bz3 d4:0",
    ),
    (
        *(0b00110, 5, 11, 4, 5, 4),
        "rw9:0 gw9:0 bw9:0 rx3:0 rw10 gz4 gy3:0 gx4:0 gw10 gz3:0 bx3:0 bw10 bz1 by3:0 ry3:0 bz0 "
        "bz2 rz3:0 gy4 bz3 d4:0",
    ),
    (
        *(0b01010, 5, 11, 4, 4, 5),
        "rw9:0 gw9:0 bw9:0 rx3:0 rw10 by4 gy3:0 gx3:0 gw10 bz0 gz3:0 bx4:0 bw10 by3:0 ry3:0 bz1 "
        "bz2 rz3:0 bz4 bz3 d4:0",
    ),
    (
        *(0b01110, 5, 9, 5, 5, 5),
        "rw8:0 by4 gw8:0 gy4 bw8:0 bz4 rx4:0 gz4 gy3:0 gx4:0 bz0 gz3:0 bx4:0 bz1 by3:0 ry4:0 bz2 "
        "rz4:0 bz3 d4:0",
    ),
    (
        *(0b10010, 5, 8, 6, 5, 5),
        "rw7:0 gz4 by4 gw7:0 bz2 gy4 bw7:0 bz3 bz4 rx5:0 gy3:0 gx4:0 bz0 gz3:0 bx4:0 bz1 by3:0 "
        "ry5:0 rz5:0 d4:0",
    ),
    (
        *(0b10110, 5, 8, 5, 6, 5),
        "rw7:0 bz0 by4 gw7:0 gy5 gy4 bw7:0 gz5 bz4 rx4:0 gz4 gy3:0 gx5:0 gz3:0 bx4:0 bz1 by3:0 "
        "ry4:0 bz2 rz4:0 bz3 d4:0",
    ),
    (
        *(0b11010, 5, 8, 5, 5, 6),
        "rw7:0 bz1 by4 gw7:0 by5 gy4 bw7:0 bz5 bz4 rx4:0 gz4 gy3:0 gx4:0 bz0 gz3:0 bx5:0 by3:0 "
        "ry4:0 bz2 rz4:0 bz3 d4:0",
    ),
    (
        *(0b11110, 5, 6, 6, 6, 6),
        "rw5:0 gz4 bz0 bz1 by4 gw5:0 gy5 by5 bz2 gy4 bw5:0 gz5 bz3 bz5 bz4 rx5:0 gy3:0 gx5:0 "
        "gz3:0 bx5:0 by3:0 ry5:0 rz5:0 d4:0",
    ),
    (*(0b00011, 5, 10, 10, 10, 10), "rw9:0 gw9:0 bw9:0 rx9:0 gx9:0 bx9:0"),
    (*(0b00111, 5, 11, 9, 9, 9), "rw9:0 gw9:0 bw9:0 rx8:0 rw10 gx8:0 gw10 bx8:0 bw10"),
    (*(0b01011, 5, 12, 8, 8, 8), "rw9:0 gw9:0 bw9:0 rx7:0 rw10<11 gx7:0 gw10<11 bx7:0 bw10<11"),
    (*(0b01111, 5, 16, 4, 4, 4), "rw9:0 gw9:0 bw9:0 rx3:0 rw10<15 gx3:0 gw10<15 bx3:0 bw10<15"),
)

CODE, CODE_BITS, FIRST, RED, GREEN, BLUE, PARTS, DELTA = range(8)
"""Columns of :data:`MODES`: code and its bits; bits of the first end and of the further ends'
channels; parts; and whether further ends are told as differences from the first."""
PARTITION = 12
"""What stands in :data:`BITS` for the partition; 0 to 11 are red, green, blue of each end."""


def _bits(text: str) -> list[tuple[int, int]]:
    """Return the fields and bits that a mode's text names, in their order."""
    out = []
    for word in text.split():
        match = re.fullmatch(r"(d|[rgb][wxyz])(\d+)(?:([:<])(\d+))?", word)
        if match is None:
            raise ValueError(f"{word} names no bits")
        name, first, sign, second = match.groups()
        field = PARTITION if name == "d" else "rgb".index(name[0]) + 3 * "wxyz".index(name[1])
        if sign is None:
            places = [int(first)]
        elif sign == ":":
            places = list(range(int(second), int(first) + 1))
        else:
            places = list(range(int(second), int(first) - 1, -1))
        out += [(field, place) for place in places]
    return out


def _tables() -> tuple[np.ndarray, np.ndarray]:
    modes = np.zeros((len(_MODES), 8), np.int64)
    bits = np.full((len(_MODES), 80, 2), -1, np.int64)
    for n, (*numbers, text) in enumerate(_MODES):
        listed = _bits(str(text))
        parts = 2 if "d4:0" in str(text) else 1
        precision, own = int(numbers[2]), int(numbers[3])
        modes[n] = [*numbers, parts, precision != own]
        bits[n, : len(listed)] = listed
    return modes, bits


MODES, BITS = _tables()
