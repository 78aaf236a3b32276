"""One pass each over a small picture's texels, for :mod:`.looks`; compiled, as there are many."""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.catalogue.look_numbers import (
    AGREEMENT,
    BLACK,
    BRIGHT,
    DARK,
    GROUND,
    INSIDE_DISC,
    LIVELIEST,
    MEAN_X,
    MEAN_Y,
    MEAN_Z,
    MIDDLE_SOLID,
    RIM_CLEAR,
    RIM_SPREAD,
    SHINING,
    SPREAD,
    STEP_ACROSS,
    STEP_DOWN,
    STILLEST,
    UNIT,
    WHITE,
    WHOLE_SPREAD,
)


@njit(cache=True, nogil=True)
def _clear(numbers):  # type: ignore[no-untyped-def]
    # One by one: what is assigned to a slice brings in words about shapes, seconds to compile.
    for i in range(len(numbers)):
        numbers[i] = 0


@njit(cache=True, nogil=True)
def channels(texels, out):  # type: ignore[no-untyped-def]
    """Measure what tells appearances apart; shares and means over all texels."""
    height, width = texels.shape[:2]
    _clear(out)
    for y in range(height):
        for x in range(width):
            red = np.float32(texels[y, x, 0])
            green = np.float32(texels[y, x, 1])
            blue = np.float32(texels[y, x, 2])
            out[SPREAD] += max(abs(red - green), abs(green - blue))
            out[DARK] += red < 24
            out[BRIGHT] += red > 231
            out[WHITE] += red > 191
            most = max(red, green, blue)
            out[BLACK] += most < 24
            out[SHINING] += most > 127
            vx = red * np.float32(2 / 255) - 1
            vy = green * np.float32(2 / 255) - 1
            vz = blue * np.float32(2 / 255) - 1
            flat = vx * vx + vy * vy
            out[UNIT] += abs(np.sqrt(flat + vz * vz) - 1) < 0.12
            out[INSIDE_DISC] += flat <= 1.03
            out[MEAN_X] += vx
            out[MEAN_Y] += vy
            out[MEAN_Z] += vz
    out /= height * width


@njit(cache=True, nogil=True)
def together(texels, out):  # type: ignore[no-untyped-def]
    """Measure whether three channels go up and down together.

    Light falls on all of them at once, so those of a picture do; packed greys do not. The
    agreement is the middle one of the three correlations of steps to the right and down: one
    pair may agree by chance, or differ where two colours meet.
    """
    height, width = texels.shape[:2]
    sums = np.zeros((2, 3), np.float64)
    moved = np.zeros((3, 3), np.float64)
    step = np.zeros(3, np.float64)
    for y in range(height):
        for x in range(width):
            for c in range(3):
                value = np.float64(texels[y, x, c])
                sums[0, c] += value
                sums[1, c] += value * value
            for way in range(2):
                below, right = y + way, x + 1 - way
                if below < height and right < width:
                    for c in range(3):
                        step[c] = np.float64(texels[below, right, c]) - np.float64(texels[y, x, c])
                    for one in range(3):
                        for other in range(3):
                            moved[one, other] += step[one] * step[other]
    out[STILLEST] = np.inf
    out[LIVELIEST] = 0
    for c in range(3):
        mean = sums[0, c] / (height * width)
        spread = np.sqrt(max(0.0, sums[1, c] / (height * width) - mean * mean))
        out[STILLEST] = min(out[STILLEST], spread)
        out[LIVELIEST] = max(out[LIVELIEST], spread)
    pairs = np.empty(3, np.float64)
    for n in range(3):
        other = (n + 1) % 3
        size = np.sqrt(moved[n, n] * moved[other, other])
        pairs[n] = moved[n, other] / size if size > 0 else 0.0
    # The middle one of the three.
    low, high = min(pairs[0], pairs[1]), max(pairs[0], pairs[1])
    out[AGREEMENT] = max(low, min(high, pairs[2]))


@njit(cache=True, nogil=True)
def edges(texels, out, across, down):  # type: ignore[no-untyped-def]
    """Measure what tells icons from surfaces.

    ``across`` and ``down`` take the mean step between neighbouring columns and rows.
    """
    height, width = texels.shape[:2]
    _clear(out)
    _clear(across)
    _clear(down)
    rim = 0
    middle = 0
    rim_sum = np.zeros((2, 4), np.float64)
    sums = np.zeros((2, 4), np.float64)
    for y in range(height):
        for x in range(width):
            alpha = np.float32(texels[y, x, 3])
            on_rim = y == 0 or x == 0 or y == height - 1 or x == width - 1
            inside = height // 4 <= y < height - height // 4 and (
                width // 4 <= x < width - width // 4
            )
            if on_rim:
                rim += 1
                out[RIM_CLEAR] += alpha < 16
            if inside:
                middle += 1
                out[MIDDLE_SOLID] += alpha > 128
            right = x + 1 if x + 1 < width else 0
            below = y + 1 if y + 1 < height else 0
            step_x = np.float32(0)
            step_y = np.float32(0)
            for c in range(4):
                here = np.float32(texels[y, x, c]) * alpha / np.float32(255)
                beside = np.float32(texels[y, right, c]) * np.float32(texels[y, right, 3])
                under = np.float32(texels[below, x, c]) * np.float32(texels[below, x, 3])
                step_x += abs(here - beside / np.float32(255))
                step_y += abs(here - under / np.float32(255))
                sums[0, c] += here
                sums[1, c] += here * here
                if on_rim:
                    rim_sum[0, c] += here
                    rim_sum[1, c] += here * here
            if right:
                across[x] += step_x
            else:
                out[STEP_ACROSS] += step_x
            if below:
                down[y] += step_y
            else:
                out[STEP_DOWN] += step_y
    out[RIM_CLEAR] /= rim
    out[MIDDLE_SOLID] /= max(1, middle)
    for c in range(4):
        count = height * width
        whole = sums[1, c] / count - (sums[0, c] / count) ** 2
        ring = rim_sum[1, c] / rim - (rim_sum[0, c] / rim) ** 2
        out[WHOLE_SPREAD] = max(out[WHOLE_SPREAD], np.sqrt(max(0.0, whole)))
        out[RIM_SPREAD] = max(out[RIM_SPREAD], np.sqrt(max(0.0, ring)))
    out[STEP_ACROSS] /= height * 4
    out[STEP_DOWN] /= width * 4
    for x in range(len(across)):
        across[x] /= height * 4
    for y in range(len(down)):
        down[y] /= width * 4


@njit(cache=True, nogil=True)
def lightness(texels, blend, light, tones):  # type: ignore[no-untyped-def]
    """Fill lightness, and the mean colours of four by four parts; return the largest spread.

    Where ``blend`` is set, see-through texels show the ground.
    """
    height, width = texels.shape[:2]
    _clear(tones.reshape(-1))
    count = np.zeros((4, 4), np.float64)
    sums = np.zeros((2, 3), np.float64)
    for y in range(height):
        row = y * 4 // height
        for x in range(width):
            column = x * 4 // width
            cover = np.float32(texels[y, x, 3]) / np.float32(255) if blend else np.float32(1)
            total = np.float32(0)
            for c in range(3):
                value = np.float32(texels[y, x, c])
                value = value * cover + np.float32(GROUND) * (1 - cover)
                sums[0, c] += value
                sums[1, c] += value * value
                tones[row, column, c] += value
                if c == 0:
                    total += value * np.float32(0.299)
                elif c == 1:
                    total += value * np.float32(0.587)
                else:
                    total += value * np.float32(0.114)
            light[y, x] = total
            count[row, column] += 1
    for row in range(4):
        for column in range(4):
            for c in range(3):
                if count[row, column] > 0:
                    tones[row, column, c] /= count[row, column]
                else:
                    tones[row, column, c] = sums[0, c] / (height * width)
    most = 0.0
    for c in range(3):
        mean = sums[0, c] / (height * width)
        most = max(most, np.sqrt(max(0.0, sums[1, c] / (height * width) - mean * mean)))
    return most
