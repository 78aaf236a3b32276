"""Kernels of BC6H: colour of half precision, from 0 on or signed.

Source: Khronos Data Format Specification 1.3, section 20.2. Ends are widened to 16 bits (signed:
15 and a sign), interpolated there, and scaled to the numbers whose bits are a half's: equal steps
of those are steps of the same share of the light, about, so that is where errors count.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.bptc.bc6h_layout import (
    CODE,
    CODE_BITS,
    DELTA,
    FIRST,
    PARTITION,
    PARTS,
    RED,
)
from stonestack.core.files.blocks.bptc.partitions import put, take, weight
from stonestack.core.files.blocks.lanes import exact_kernel


@exact_kernel
def _signed(value: int, bits: int) -> int:
    """Return the low bits of a number as two's complement."""
    value &= (1 << bits) - 1
    return value - (1 << bits) if value >> (bits - 1) else value


@exact_kernel
def _widened(value: int, bits: int, signed: bool) -> int:
    """Return a stored end as it is interpolated."""
    if not signed:
        if bits >= 15 or value == 0:
            return value
        if value == (1 << bits) - 1:
            return 0xFFFF
        return ((value << 16) + 0x8000) >> bits
    if bits >= 16 or value == 0:
        return value
    size = abs(value)
    wide = 0x7FFF
    if size < (1 << (bits - 1)) - 1:
        wide = ((size << 15) + 0x4000) >> (bits - 1)
    return -wide if value < 0 else wide


@exact_kernel
def _finished(value: int, signed: bool) -> int:
    """Return an interpolated number as a signed count of a half's steps."""
    if not signed:
        return (value * 31) >> 6
    return -((-value * 31) >> 5) if value < 0 else (value * 31) >> 5


@exact_kernel
def decode_blocks(
    words: Any,
    start: int,
    stop: int,
    signed: bool,
    modes: Any,
    bits: Any,
    parts: Any,
    anchors: Any,
    out: Any,
) -> None:
    """Decode the blocks ``start`` to ``stop``.

    Parameters
    ----------
    words : ndarray, uint64, shape (blocks, 2)
    signed : bool
    modes, bits : ndarray
        The tables of :mod:`.bc6h_layout`.
    parts, anchors : ndarray
        The tables of :mod:`.partitions`.
    out : ndarray, uint16, shape (blocks, 16, 3)
        The bits of halves. A block of a reserved mode becomes black.
    """
    fields = np.zeros(13, np.int64)
    for block in range(start, stop):
        data = words[block]
        code = take(data, 0, 2)
        code = code if code < 2 else take(data, 0, 5)
        mode = -1
        for n in range(14):
            if modes[n, CODE] == code and modes[n, CODE_BITS] == (2 if code < 2 else 5):
                mode = n
        if mode < 0:
            for t in range(16):
                for c in range(3):
                    out[block, t, c] = 0
            continue
        row = modes[mode]
        for k in range(13):
            fields[k] = 0
        at = row[CODE_BITS]
        for k in range(80):
            if bits[mode, k, 0] < 0:
                break
            fields[bits[mode, k, 0]] |= take(data, at, 1) << bits[mode, k, 1]
            at += 1
        count = row[PARTS]
        precision = row[FIRST]
        for e in range(2 * count):
            for c in range(3):
                value = fields[3 * e + c]
                if e and row[DELTA]:
                    value = _signed(value, row[RED + c]) + fields[c]
                value &= (1 << precision) - 1
                if signed:
                    value = _signed(value, precision)
                if e == 0:
                    # Differences are added to the first end's own bits.
                    fields[c] = value
                else:
                    fields[3 * e + c] = value
        partition = fields[PARTITION]
        wide = 3 if count == 2 else 4
        for t in range(16):
            part = parts[2, partition, t] if count == 2 else 0
            short = t == (anchors[2, partition, part] if count == 2 else 0)
            place = take(data, at, wide - short)
            at += wide - short
            w = weight(place, wide)
            for c in range(3):
                a = _widened(fields[6 * part + c], precision, signed)
                b = _widened(fields[6 * part + 3 + c], precision, signed)
                value = _finished((a * (64 - w) + b * w + 32) >> 6, signed)
                out[block, t, c] = 0x8000 - value if value < 0 else value


@exact_kernel
def _narrowed(value: float, bits: int, signed: bool) -> int:
    """Return the stored end that is widened to nearest what is wanted."""
    if signed:
        size = int(abs(value) * (1 << (bits - 1)) / 32768.0)
        size = min(size, (1 << (bits - 1)) - 1)
        return -size if value < 0 else size
    return min(max(int(value * (1 << bits) / 65536.0), 0), (1 << bits) - 1)


@exact_kernel
def _line(texels: Any, members: Any, count: int, ends: Any) -> None:
    """Put ends at the extremes of the direction of greatest spread."""
    mean = np.zeros(3)
    spread = np.zeros((3, 3))
    for j in range(count):
        for c in range(3):
            mean[c] += texels[members[j], c] / count
    for j in range(count):
        for a in range(3):
            for b in range(3):
                spread[a, b] += (texels[members[j], a] - mean[a]) * (
                    texels[members[j], b] - mean[b]
                )
    top = 0
    for c in range(3):
        top = c if spread[c, c] > spread[top, top] else top
    axis = spread[top].copy()
    for _ in range(6):
        turned = np.zeros(3)
        for a in range(3):
            for b in range(3):
                turned[a] += spread[a, b] * axis[b]
        size = max(abs(turned[0]), abs(turned[1]), abs(turned[2]))
        if size < 1e-9:
            break
        axis = turned / size
    length = np.sqrt(axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2)
    axis = axis / length if length > 0 else axis
    low = 1e30
    high = -1e30
    for j in range(count):
        t = 0.0
        for c in range(3):
            t += (texels[members[j], c] - mean[c]) * axis[c]
        low = min(low, t)
        high = max(high, t)
    for c in range(3):
        ends[0, c] = mean[c] + low * axis[c]
        ends[1, c] = mean[c] + high * axis[c]


@exact_kernel
def _placed(
    texels: Any,
    members: Any,
    count: int,
    stored: Any,
    precision: int,
    wide: int,
    signed: bool,
    places: Any,
) -> float:
    """Give each texel its nearest place; return the squared error, in a half's steps."""
    last = (1 << wide) - 1
    palette = np.empty((16, 3))
    for k in range(last + 1):
        w = weight(k, wide)
        for c in range(3):
            a = _widened(stored[0, c], precision, signed)
            b = _widened(stored[1, c], precision, signed)
            palette[k, c] = _finished((a * (64 - w) + b * w + 32) >> 6, signed)
    total = 0.0
    scale = 31 / 32 if signed else 31 / 64
    for j in range(count):
        least = 1e300
        for k in range(last + 1):
            error = 0.0
            for c in range(3):
                off = texels[members[j], c] * scale - palette[k, c]
                error += off * off
            if error < least:
                least = error
                places[members[j]] = k
        total += least
    return total


@exact_kernel
def _refitted(texels: Any, members: Any, count: int, places: Any, wide: int, ends: Any) -> bool:
    """Solve for the ends that fit the places best; False where they are undetermined."""
    aa = 0.0
    ab = 0.0
    bb = 0.0
    pa = np.zeros(3)
    pb = np.zeros(3)
    for j in range(count):
        w = weight(places[members[j]], wide) / 64.0
        aa += (1 - w) * (1 - w)
        ab += w * (1 - w)
        bb += w * w
        for c in range(3):
            pa[c] += (1 - w) * texels[members[j], c]
            pb[c] += w * texels[members[j], c]
    det = aa * bb - ab * ab
    if det < 1e-6:
        return False
    for c in range(3):
        ends[0, c] = (pa[c] * bb - pb[c] * ab) / det
        ends[1, c] = (pb[c] * aa - pa[c] * ab) / det
    return True


@exact_kernel
def _fits(stored: Any, count: int, row: Any, signed: bool) -> bool:
    """Return whether a mode can tell these ends as differences from the first."""
    if not row[DELTA]:
        return True
    for e in range(1, 2 * count):
        for c in range(3):
            half = 1 << (row[RED + c] - 1)
            gap = stored[e, c] - stored[0, c]
            if gap < -half or gap >= half:
                return False
    return True


@exact_kernel
def _turned(
    stored: Any, places: Any, partition: int, count: int, wide: int, parts: Any, anchors: Any
) -> None:
    """Swap the ends of parts whose anchor lies in the upper half."""
    last = (1 << wide) - 1
    for part in range(count):
        anchor = anchors[2, partition, part] if count == 2 else 0
        if 2 * places[anchor] <= last:
            continue
        for c in range(3):
            held = stored[2 * part, c]
            stored[2 * part, c] = stored[2 * part + 1, c]
            stored[2 * part + 1, c] = held
        for t in range(16):
            if count == 1 or parts[2, partition, t] == part:
                places[t] = last - places[t]


@exact_kernel
def _written(
    mode: int,
    stored: Any,
    places: Any,
    partition: int,
    modes: Any,
    bits: Any,
    parts: Any,
    anchors: Any,
    out: Any,
) -> None:
    """Write a block."""
    row = modes[mode]
    count = row[PARTS]
    wide = 3 if count == 2 else 4
    fields = np.zeros(13, np.int64)
    for e in range(2 * count):
        for c in range(3):
            value = stored[e, c]
            fields[3 * e + c] = value - stored[0, c] if e and row[DELTA] else value
    fields[PARTITION] = partition
    out[0] = 0
    out[1] = 0
    at = put(out, 0, row[CODE], row[CODE_BITS])
    for k in range(80):
        if bits[mode, k, 0] < 0:
            break
        at = put(out, at, (fields[bits[mode, k, 0]] >> bits[mode, k, 1]) & 1, 1)
    for t in range(16):
        part = parts[2, partition, t] if count == 2 else 0
        short = t == (anchors[2, partition, part] if count == 2 else 0)
        at = put(out, at, places[t], wide - short)


@exact_kernel
def _left_over(texels: Any, members: Any, count: int) -> float:
    """Return about what a line leaves of a part's spread."""
    mean = np.zeros(3)
    for j in range(count):
        for c in range(3):
            mean[c] += texels[members[j], c] / count
    rr = rg = rb = gg = gb = bb = 0.0
    for j in range(count):
        r = texels[members[j], 0] - mean[0]
        g = texels[members[j], 1] - mean[1]
        b = texels[members[j], 2] - mean[2]
        rr += r * r
        rg += r * g
        rb += r * b
        gg += g * g
        gb += g * b
        bb += b * b
    whole = max(rr + gg + bb, 1e-6)
    pairs = rr * gg - rg * rg + rr * bb - rb * rb + gg * bb - gb * gb
    across = max(pairs / (whole - pairs / whole), 0.0)
    return across + (whole - across) * 0.02


@exact_kernel
def encode_blocks(
    texels: Any,
    start: int,
    stop: int,
    signed: bool,
    rounds: int,
    kept: int,
    modes: Any,
    bits: Any,
    parts: Any,
    anchors: Any,
    out: Any,
) -> None:
    """Encode the blocks ``start`` to ``stop``.

    Parameters
    ----------
    texels : ndarray, float64, shape (blocks, 16, 3)
        What ends are interpolated to: 0 to 65535, or -32767 to 32767 where signed.
    rounds : int
        Refits of each line.
    kept : int
        Partitions that are tried; 0 for none.
    out : ndarray, uint64, shape (blocks, 2)
    """
    ends = np.empty((4, 3))
    begun = np.empty((4, 3))
    stored = np.zeros((4, 3), np.int64)
    places = np.zeros(16, np.int64)
    members = np.zeros((2, 16), np.int64)
    sizes = np.zeros(2, np.int64)
    best_shapes = np.zeros(max(kept, 1), np.int64)
    best_errors = np.zeros(max(kept, 1))
    for block in range(start, stop):
        here = texels[block]
        least = 1e300
        # Whole blocks first, then the partitions whose own lines leave least.
        tries = 1
        if kept:
            for k in range(kept):
                best_errors[k] = 1e300
            for shape in range(32):
                error = 0.0
                for part in range(2):
                    size = 0
                    for t in range(16):
                        if parts[2, shape, t] == part:
                            members[0, size] = t
                            size += 1
                    error += _left_over(here, members[0], size)
                for k in range(kept):
                    if error < best_errors[k]:
                        for m in range(kept - 1, k, -1):
                            best_errors[m] = best_errors[m - 1]
                            best_shapes[m] = best_shapes[m - 1]
                        best_errors[k] = error
                        best_shapes[k] = shape
                        break
            tries += kept
        for attempt in range(tries):
            count = 1 if attempt == 0 else 2
            shape = 0 if attempt == 0 else best_shapes[attempt - 1]
            wide = 4 if count == 1 else 3
            for part in range(2):
                sizes[part] = 0
            for t in range(16):
                part = parts[2, shape, t] if count == 2 else 0
                members[part, sizes[part]] = t
                sizes[part] += 1
            for part in range(count):
                _line(here, members[part], sizes[part], begun[2 * part : 2 * part + 2])
            for mode in range(14):
                row = modes[mode]
                if row[PARTS] != count:
                    continue
                for e in range(2 * count):
                    for c in range(3):
                        ends[e, c] = begun[e, c]
                precision = row[FIRST]
                for _ in range(rounds):
                    error = 0.0
                    for part in range(count):
                        for e in range(2 * part, 2 * part + 2):
                            for c in range(3):
                                stored[e, c] = _narrowed(ends[e, c], precision, signed)
                        pair = stored[2 * part : 2 * part + 2]
                        error += _placed(
                            here, members[part], sizes[part], pair, precision, wide, signed, places
                        )
                    if error < least:
                        _turned(stored, places, shape, count, wide, parts, anchors)
                        if _fits(stored, count, row, signed):
                            least = error
                            _written(
                                mode, stored, places, shape, modes, bits, parts, anchors, out[block]
                            )
                    solved = True
                    for part in range(count):
                        real = ends[2 * part : 2 * part + 2]
                        solved = solved and _refitted(
                            here, members[part], sizes[part], places, wide, real
                        )
                    if not solved:
                        break
