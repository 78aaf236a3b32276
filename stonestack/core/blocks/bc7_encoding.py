"""BC7's encoder: which modes and partitions are tried, and how the best is packed.

Source: Khronos Data Format Specification 1.3, section 20.1. Blocks are worked on sixteen at a
time, one a lane; where partitions are tried, those that try the same one stand beside each other,
so that no lane works on texels of another part.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from stonestack.core.blocks.bc7_lines import (
    KERR,
    KQ,
    KT,
    LOCK,
    MA,
    MC,
    ROWS,
    WT,
    P,
    fit,
    hold,
    resume,
    survey,
)
from stonestack.core.blocks.bptc import put
from stonestack.core.blocks.lanes import LANES as L
from stonestack.core.blocks.lanes import f, kernel

CHUNK = 2048
"""Blocks whose partitions are sorted together."""

# What is noted of the best of each block: 24 numbers of ends, 16 places, 16 second places, then:
_ENDS, _PLACES, _SECOND, _MODE, _SHAPE, _ROTATION, _CHOICE = 0, 24, 40, 56, 57, 58, 59
_NOTED = 60


class Tier(NamedTuple):
    """How hard is searched.

    Parameters
    ----------
    parted : bool
        Whether partitions are tried.
    rounds, every, polish, settle
        Of each candidate; see :func:`.bc7_lines.fit`.
    kept : int
        Partitions of the best estimates that are tried.
    triple : int
        1 for mode 0, 2 for mode 2 too.
    margin : float
        Share of the error so far that an estimate may reach.
    apart : int
        1 for modes 4 and 5 where alpha varies; 2 for mode 5 everywhere, 3 for both.
    last_every, last_polish, last_settle
        Likewise, of what wins.
    floor : float
        Error of a block below which nothing more is tried.
    """

    parted: bool
    rounds: int
    every: bool
    polish: int
    kept: int
    triple: int
    margin: float
    apart: int
    settle: bool
    last_every: bool
    last_polish: int
    last_settle: bool
    floor: float


class Search(NamedTuple):
    """All that the encoding of a picture's blocks goes by.

    Parameters
    ----------
    texels : ndarray, uint32, shape (height, width)
        Red in the lowest byte; sides are multiples of four.
    clear : float32
        How much the colour of texels of alpha 0 counts.
    extreme : float32
        How much an alpha of 0 or 255 counts, where others count 1.
    weights : ndarray, float32, shape (4,)
        How much each channel's squared error counts.
    tier : Tier
    starts : ndarray, float32, shape (count, 3)
        Beginnings of each line; see :func:`.bc7_lines.fit`.
    matches : ndarray, uint8, shape (256, 2)
        Ends of seven bits whose second place is exactly a value.
    modes, parts, anchors : ndarray
        The tables of :mod:`.bptc`.
    """

    texels: Any
    clear: Any
    extreme: Any
    weights: Any
    tier: Tier
    starts: Any
    matches: Any
    modes: Any
    parts: Any
    anchors: Any


# Rows of a group's texels: channel ``c`` of texel ``i`` at ``6 * i + c``, then how much its colour
# and how much its alpha counts.
_TEXELS = 96


@kernel
def _load(search: Search, blocks: Any, tex: Any) -> None:
    """Put sixteen blocks into the lanes of a group.

    Parameters
    ----------
    blocks : ndarray, uint32, shape (LANES,)
        Numbers of the blocks.
    tex : ndarray, float32, flat
    """
    texels = search.texels
    across = texels.shape[1] // 4
    byte = np.uint32(255)
    rows = np.empty(L, np.uint32)
    columns = np.empty(L, np.uint32)
    for lane in range(L):
        rows[lane] = np.int64(blocks[lane]) // across * 4
        columns[lane] = np.int64(blocks[lane]) % across * 4
    for i in range(16):
        for lane in range(L):
            v = texels[np.int64(rows[lane]) + (i >> 2), np.int64(columns[lane]) + (i & 3)]
            a = f(np.int32(v >> np.uint32(24)))
            tex[6 * i * L + lane] = f(np.int32(v & byte))
            tex[(6 * i + 1) * L + lane] = f(np.int32((v >> np.uint32(8)) & byte))
            tex[(6 * i + 2) * L + lane] = f(np.int32((v >> np.uint32(16)) & byte))
            tex[(6 * i + 3) * L + lane] = a
            tex[(6 * i + 4) * L + lane] = search.clear if a < f(0.5) else f(1)
            tex[(6 * i + 5) * L + lane] = search.extreme if a < f(0.5) or a > f(254.5) else f(1)


@kernel
def _opaque(tex: Any, s: Any) -> int:
    """Lock the alpha of blocks that are opaque; return how many are not."""
    open_ = 0
    for lane in range(L):
        least = f(255)
        for i in range(16):
            least = min(least, tex[(6 * i + 3) * L + lane])
        s[LOCK * L + lane] = f(1) if least > f(254.5) else f(0)
        open_ += 0 if least > f(254.5) else 1
    return open_


@kernel
def _gather(tex: Any, members: Any, count: int, alpha: Any, s: Any) -> int:
    """Put a part's texels into the scratch array; return their number, filled up to fours."""
    padded = (count + 3) // 4 * 4
    for j in range(16):
        if j >= padded:
            break
        i = np.int64(members[j])
        real = f(1) if j < count else f(0)
        for lane in range(L):
            s[(P + 7 * j) * L + lane] = tex[6 * i * L + lane]
            s[(P + 7 * j + 1) * L + lane] = tex[(6 * i + 1) * L + lane]
            s[(P + 7 * j + 2) * L + lane] = tex[(6 * i + 2) * L + lane]
            s[(P + 7 * j + 3) * L + lane] = tex[(6 * i + 3) * L + lane] * alpha
            s[(MC + 7 * j) * L + lane] = real * tex[(6 * i + 4) * L + lane]
            s[(MA + 7 * j) * L + lane] = real * tex[(6 * i + 5) * L + lane]
    return padded


@kernel
def _gather_line(tex: Any, alone: int, mixed: bool, s: Any) -> None:
    """Put all texels into the scratch array with one channel, now last, made nothing.

    ``mixed`` is whether alpha is among the others: then the colour of all texels counts.
    """
    for j in range(16):
        for lane in range(L):
            a = tex[(6 * j + 3) * L + lane]
            s[(P + 7 * j) * L + lane] = a if alone == 0 else tex[6 * j * L + lane]
            s[(P + 7 * j + 1) * L + lane] = a if alone == 1 else tex[(6 * j + 1) * L + lane]
            s[(P + 7 * j + 2) * L + lane] = a if alone == 2 else tex[(6 * j + 2) * L + lane]
            s[(P + 7 * j + 3) * L + lane] = f(0)
            s[(MC + 7 * j) * L + lane] = f(1) if mixed else tex[(6 * j + 4) * L + lane]
            s[(MA + 7 * j) * L + lane] = f(0)


@kernel
def _gather_alone(tex: Any, alone: int, s: Any) -> None:
    """Put one channel of all texels into the scratch array, as the fourth."""
    for j in range(16):
        for lane in range(L):
            r = tex[6 * j * L + lane]
            g = tex[(6 * j + 1) * L + lane]
            b = tex[(6 * j + 2) * L + lane]
            a = tex[(6 * j + 3) * L + lane]
            plain = tex[(6 * j + 4) * L + lane]
            m = tex[(6 * j + 5) * L + lane] if alone == 3 else plain
            s[(P + 7 * j) * L + lane] = f(0)
            s[(P + 7 * j + 1) * L + lane] = f(0)
            s[(P + 7 * j + 2) * L + lane] = f(0)
            s[(P + 7 * j + 3) * L + lane] = (
                r if alone == 0 else (g if alone == 1 else (b if alone == 2 else a))
            )
            s[(MC + 7 * j) * L + lane] = m
            s[(MA + 7 * j) * L + lane] = m


@kernel
def _members(parts: Any, number: Any, shape: Any, members: Any, sizes: Any) -> None:
    """List the texels of each part of a partition."""
    for part in range(3):
        sizes[part] = 0
    for i in range(16):
        here = np.int64(parts[number, shape, i])
        members[here, sizes[here]] = i
        sizes[here] += 1


@kernel
def _count(s: Any, w0: Any, w1: Any, w2: Any, w3: Any) -> None:
    """Set how much each channel counts."""
    for lane in range(L):
        s[WT * L + lane] = w0
        s[(WT + 1) * L + lane] = w1
        s[(WT + 2) * L + lane] = w2
        s[(WT + 3) * L + lane] = w3


@kernel
def _note_part(held: Any, part: int, lane: int, members: Any, count: int, noted: Any) -> None:
    """Note the ends and places of one lane's part."""
    for k in range(8):
        noted[_ENDS + 8 * part + k] = np.uint8(held[part, (KQ - KT + k) * L + lane])
    for j in range(count):
        noted[_PLACES + np.int64(members[j])] = np.uint8(held[part, j * L + lane])


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
def _pack_six(noted: Any, out: Any) -> None:
    """Write a block of mode 6, the most frequent one."""
    first = 4 if noted[_PLACES] > 7 else 0
    turn = np.uint8(15 if first else 0)
    low = np.uint64(1 << 6)
    for c in range(4):
        low |= np.uint64(noted[first + c] >> np.uint8(1)) << np.uint64(7 + 14 * c)
        low |= np.uint64(noted[4 - first + c] >> np.uint8(1)) << np.uint64(14 + 14 * c)
    low |= np.uint64(noted[first] & np.uint8(1)) << np.uint64(63)
    high = np.uint64(noted[4 - first] & np.uint8(1))
    high |= np.uint64(noted[_PLACES] ^ turn) << np.uint64(1)
    for t in range(1, 16):
        high |= np.uint64(noted[_PLACES + t] ^ turn) << np.uint64(4 * t)
    out[0] = low
    out[1] = high


@kernel
def pack(noted: Any, search: Search, out: Any) -> None:
    """Write a block from what is noted of it.

    Parameters
    ----------
    noted : ndarray, uint8, shape (60,)
        Ends hold their own lowest bits; places may begin at either end.
    out : ndarray, uint64, shape (2,)
    """
    mode = np.int64(noted[_MODE])
    if mode == 6:
        _pack_six(noted, out)
        return
    shape = np.int64(noted[_SHAPE])
    choice = np.int64(noted[_CHOICE])
    parts = search.parts
    anchors = search.anchors
    row = search.modes[mode]
    count = row[0]
    own = row[6] + row[7]
    for which in range(2 if row[9] else 1):
        places = noted[_SECOND : _SECOND + 16] if which else noted[_PLACES : _PLACES + 16]
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
    at = put(out, at, np.int64(noted[_ROTATION]), row[2])
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
        places = noted[_SECOND : _SECOND + 16] if which else noted[_PLACES : _PLACES + 16]
        bits = row[9] if which else row[8]
        at = put(out, at, _placed(places, bits, count, shape, parts, anchors), 16 * bits - count)


@kernel
def _rank(
    tex: Any,
    roots: Any,
    number: int,
    shapes: int,
    parts: Any,
    kept: int,
    best: Any,
    which: Any,
    m: Any,
    s: Any,
) -> None:
    """Estimate the error of each way of parting, and note the least for each lane.

    The estimate is what spreads across each part's direction of greatest spread, and a share of
    what spreads along it.

    Parameters
    ----------
    best, which : ndarray, shape (kept, LANES)
        Estimates and their partitions, the least first.
    m : ndarray, float32, flat, 160 * LANES
    s : ndarray, float32, flat, 50 * LANES
    """
    for i in range(16):
        for lane in range(L):
            w = tex[(6 * i + 4) * L + lane]
            r = tex[6 * i * L + lane] * roots[0]
            g = tex[(6 * i + 1) * L + lane] * roots[1]
            b = tex[(6 * i + 2) * L + lane] * roots[2]
            m[10 * i * L + lane] = w
            m[(10 * i + 1) * L + lane] = w * r
            m[(10 * i + 2) * L + lane] = w * g
            m[(10 * i + 3) * L + lane] = w * b
            m[(10 * i + 4) * L + lane] = w * r * r
            m[(10 * i + 5) * L + lane] = w * r * g
            m[(10 * i + 6) * L + lane] = w * r * b
            m[(10 * i + 7) * L + lane] = w * g * g
            m[(10 * i + 8) * L + lane] = w * g * b
            m[(10 * i + 9) * L + lane] = w * b * b
    for lane in range(L):
        for k in range(10):
            s[(40 + k) * L + lane] = f(0)
    for i in range(16):
        for lane in range(L):
            for k in range(10):
                s[(40 + k) * L + lane] += m[(10 * i + k) * L + lane]
    for k in range(kept):
        for lane in range(L):
            best[k * L + lane] = f(1e30)
            which[k * L + lane] = 0
    for shape in range(shapes):
        for lane in range(L):
            for k in range(10):
                s[(k) * L + lane] = s[(40 + k) * L + lane]
                s[(10 + k) * L + lane] = f(0)
                s[(20 + k) * L + lane] = f(0)
            s[(30) * L + lane] = f(0)
        for i in range(16):
            part = parts[number, shape, i]
            if part == 1:
                for lane in range(L):
                    for k in range(10):
                        s[(10 + k) * L + lane] += m[(10 * i + k) * L + lane]
            elif part == 2:
                for lane in range(L):
                    for k in range(10):
                        s[(20 + k) * L + lane] += m[(10 * i + k) * L + lane]
        for lane in range(L):
            for k in range(10):
                s[(k) * L + lane] -= s[(10 + k) * L + lane] + s[(20 + k) * L + lane]
        for part in range(3):
            if part >= number:
                break
            base = 10 * part
            for lane in range(L):
                inv = f(1) / max(s[(base) * L + lane], f(1e-3))
                r = s[(base + 1) * L + lane]
                g = s[(base + 2) * L + lane]
                b = s[(base + 3) * L + lane]
                rr = s[(base + 4) * L + lane] - r * r * inv
                rg = s[(base + 5) * L + lane] - r * g * inv
                rb = s[(base + 6) * L + lane] - r * b * inv
                gg = s[(base + 7) * L + lane] - g * g * inv
                gb = s[(base + 8) * L + lane] - g * b * inv
                bb = s[(base + 9) * L + lane] - b * b * inv
                # Of three numbers whose sum is known and that of their products too, the
                # greatest and what the two others make together, where these are much less.
                whole = max(rr + gg + bb, f(1e-6))
                pairs = rr * gg - rg * rg + rr * bb - rb * rb + gg * bb - gb * gb
                across = max(pairs / (whole - pairs / whole), f(0))
                s[30 * L + lane] += across + (whole - across) * f(0.02)
        for lane in range(L):
            s[31 * L + lane] = f(shape)
        for k in range(16):
            if k >= kept:
                break
            for lane in range(L):
                e = s[30 * L + lane]
                at = s[31 * L + lane]
                held = best[k * L + lane]
                place = which[k * L + lane]
                better = e < held
                best[k * L + lane] = e if better else held
                which[k * L + lane] = at if better else place
                s[30 * L + lane] = held if better else e
                s[31 * L + lane] = place if better else at


@kernel
def _whole(
    tex: Any, search: Search, number: int, errors: Any, s: Any, held: Any, every: Any, noted: Any
) -> None:
    """Try mode 6: one line of four channels."""
    n = _gather(tex, every, 16, f(1), s)
    _count(s, search.weights[0], search.weights[1], search.weights[2], search.weights[3])
    survey(s, n)
    settle = search.tier.settle
    fit(
        s,
        n,
        f(15),
        f(255),
        f(255),
        2,
        search.starts,
        search.tier.rounds,
        search.tier.every,
        search.tier.polish,
        settle,
    )
    hold(s, held, 0)
    for lane in range(number):
        errors[lane] = s[KERR * L + lane]
        _note_part(held, 0, lane, every, 16, noted[lane])
        noted[lane, _MODE] = 6
        noted[lane, _SHAPE] = 0
        noted[lane, _ROTATION] = 0
        noted[lane, _CHOICE] = 0


@kernel
def _apart(
    tex: Any, search: Search, vary: bool, number: int, errors: Any, s: Any, held: Any, noted: Any
) -> None:
    """Try modes 5 and 4: three channels on a line, and one by itself."""
    line = np.empty(L, np.float32)
    settle = search.tier.settle
    for lane in range(L):
        s[LOCK * L + lane] = f(0)
    for rotation in range(4):
        if rotation and search.tier.apart < 2:
            break
        alone = 3 if rotation == 0 else rotation - 1
        w0 = search.weights[3] if alone == 0 else search.weights[0]
        w1 = search.weights[3] if alone == 1 else search.weights[1]
        w2 = search.weights[3] if alone == 2 else search.weights[2]
        for form in range(3):
            # Mode 5, and mode 4 with the finer places for the lone channel or for the line.
            if form and not vary and search.tier.apart < 3:
                break
            tc = f(127) if form == 0 else f(31)
            ta = f(255) if form == 0 else f(63)
            _gather_line(tex, alone, rotation > 0 and vary, s)
            _count(s, w0, w1, w2, f(0))
            survey(s, 16)
            last = f(7) if form == 2 else f(3)
            fit(
                s,
                16,
                last,
                tc,
                tc,
                0,
                search.starts,
                search.tier.rounds,
                False,
                search.tier.polish,
                settle,
            )
            hold(s, held, 0)
            for lane in range(L):
                line[lane] = s[KERR * L + lane]
            _gather_alone(tex, alone, s)
            _count(s, f(0), f(0), f(0), search.weights[alone])
            survey(s, 16)
            last = f(7) if form == 1 else f(3)
            fit(
                s,
                16,
                last,
                ta,
                ta,
                0,
                search.starts,
                search.tier.rounds,
                False,
                search.tier.polish,
                settle,
            )
            hold(s, held, 1)
            for lane in range(number):
                error = line[lane] + s[KERR * L + lane]
                if error >= errors[lane]:
                    continue
                errors[lane] = error
                row = noted[lane]
                for e in range(2):
                    for c in range(4):
                        part = 1 if c == 3 else 0
                        row[4 * e + c] = np.uint8(held[part, (KQ - KT + 4 * e + c) * L + lane])
                first = 1 if form == 2 else 0
                for i in range(16):
                    row[_PLACES + i] = np.uint8(held[first, i * L + lane])
                    row[_SECOND + i] = np.uint8(held[1 - first, i * L + lane])
                row[_MODE] = 4 if form else 5
                row[_SHAPE] = 0
                row[_ROTATION] = rotation
                row[_CHOICE] = 1 if form == 2 else 0


@kernel
def _parted(
    search: Search,
    begin: int,
    size: int,
    number: int,
    ranks: Any,
    shapes: Any,
    errors: Any,
    flags: Any,
    noted: Any,
    tex: Any,
    s: Any,
    held: Any,
) -> None:
    """Try a chunk's blocks in the modes of two or three parts, one partition after the other."""
    kept = search.tier.kept
    jobs = np.empty(size, np.int64)
    blocks = np.empty(L, np.uint32)
    members = np.zeros((3, 16), np.uint8)
    sizes = np.zeros(3, np.int64)
    totals = np.zeros((8, L), np.float32)
    tried = np.zeros(8, np.bool_)
    margin = f(search.tier.margin)
    floor = f(search.tier.floor)
    settle = search.tier.settle
    for lane in range(L):
        s[LOCK * L + lane] = f(0)
    for shape in range(64):
        count = 0
        for at in range(size):
            for k in range(kept):
                if shapes[k, at] == shape and ranks[k, at] + floor < margin * errors[at]:
                    jobs[count] = at
                    count += 1
        if count == 0:
            continue
        for mode in range(8):
            tried[mode] = search.modes[mode, 0] == number and shape < 1 << search.modes[mode, 1]
        tried[2] = tried[2] and search.tier.triple > 1
        _members(search.parts, number, shape, members, sizes)
        for job in range(0, count, L):
            here = min(L, count - job)
            open_ = False
            for lane in range(L):
                at = jobs[min(job + lane, count - 1)]
                blocks[lane] = begin + at
                open_ = open_ or flags[at] > 0
            _load(search, blocks, tex)
            for mode in range(8):
                for lane in range(L):
                    totals[mode, lane] = f(0)
            for with_alpha in range(2 if open_ and number == 2 else 1):
                for part in range(number):
                    alpha = f(with_alpha)
                    n = _gather(tex, members[part], sizes[part], alpha, s)
                    _count(
                        s,
                        search.weights[0],
                        search.weights[1],
                        search.weights[2],
                        search.weights[3] * alpha,
                    )
                    survey(s, n)
                    for mode in range(8):
                        if not tried[mode] or (search.modes[mode, 5] > 0) != (with_alpha > 0):
                            continue
                        own = 2 if search.modes[mode, 6] else (1 if search.modes[mode, 7] else 0)
                        top = f((1 << (search.modes[mode, 4] + (1 if own else 0))) - 1)
                        last = f((1 << search.modes[mode, 8]) - 1)
                        fit(
                            s,
                            n,
                            last,
                            top,
                            top,
                            own,
                            search.starts,
                            search.tier.rounds,
                            search.tier.every,
                            search.tier.polish,
                            settle,
                        )
                        hold(s, held[mode], part)
                        for lane in range(L):
                            totals[mode, lane] += s[KERR * L + lane]
            for mode in range(8):
                if not tried[mode]:
                    continue
                open_only = mode == 7
                for lane in range(here):
                    at = jobs[job + lane]
                    if (flags[at] > 0) != open_only or totals[mode, lane] >= errors[at]:
                        continue
                    errors[at] = totals[mode, lane]
                    for part in range(number):
                        _note_part(held[mode], part, lane, members[part], sizes[part], noted[at])
                    noted[at, _MODE] = mode
                    noted[at, _SHAPE] = shape
                    noted[at, _ROTATION] = 0
                    noted[at, _CHOICE] = 0


@kernel
def _finished(
    search: Search,
    begin: int,
    size: int,
    flags: Any,
    errors: Any,
    noted: Any,
    tex: Any,
    s: Any,
    held: Any,
) -> None:
    """Go on with what each block has become, those of one mode and partition together."""
    jobs = np.empty(size, np.int64)
    blocks = np.empty(L, np.uint32)
    members = np.zeros((3, 16), np.uint8)
    sizes = np.zeros(3, np.int64)
    before = np.empty(L, np.float32)
    for mode in range(8):
        if search.modes[mode, 9]:
            continue
        number = search.modes[mode, 0]
        own = 2 if search.modes[mode, 6] else (1 if search.modes[mode, 7] else 0)
        top = f((1 << (search.modes[mode, 4] + (1 if own else 0))) - 1)
        last = f((1 << search.modes[mode, 8]) - 1)
        alpha = f(1) if search.modes[mode, 5] else f(0)
        for shape in range(1 << search.modes[mode, 1]):
            count = 0
            for at in range(size):
                if noted[at, _MODE] == mode and noted[at, _SHAPE] == shape and errors[at] > f(0):
                    jobs[count] = at
                    count += 1
            if count == 0:
                continue
            _members(search.parts, number, shape, members, sizes)
            for job in range(0, count, L):
                here = min(L, count - job)
                for lane in range(L):
                    at = jobs[min(job + lane, count - 1)]
                    blocks[lane] = begin + at
                    before[lane] = f(0)
                    s[LOCK * L + lane] = f(1) if flags[at] == 0 and mode == 6 else f(0)
                _load(search, blocks, tex)
                for part in range(number):
                    n = _gather(tex, members[part], sizes[part], alpha, s)
                    _count(
                        s,
                        search.weights[0],
                        search.weights[1],
                        search.weights[2],
                        search.weights[3] * alpha,
                    )
                    survey(s, n)
                    for lane in range(L):
                        at = jobs[min(job + lane, count - 1)]
                        for k in range(8):
                            s[(KQ + k) * L + lane] = f(noted[at, _ENDS + 8 * part + k])
                    every = search.tier.last_every
                    settle = search.tier.last_settle
                    resume(s, n, last, top, top, own, every, search.tier.last_polish, settle)
                    hold(s, held, part)
                    for lane in range(L):
                        before[lane] += s[KERR * L + lane]
                for lane in range(here):
                    at = jobs[job + lane]
                    if before[lane] >= errors[at]:
                        continue
                    errors[at] = before[lane]
                    for part in range(number):
                        _note_part(held, part, lane, members[part], sizes[part], noted[at])


@kernel
def _uneven(tex: Any) -> int:
    """Return how many blocks have more than one colour."""
    count = 0
    for lane in range(L):
        apart = f(0)
        for i in range(16):
            for c in range(4):
                apart += abs(tex[(6 * i + c) * L + lane] - tex[c * L + lane])
        count += 1 if apart > f(0.5) else 0
    return count


@kernel
def _solid(tex: Any, matches: Any, number: int, errors: Any, noted: Any) -> None:
    """Write blocks of one colour exactly: mode 5, all texels at the second place of each line."""
    for lane in range(number):
        same = True
        for i in range(1, 16):
            for c in range(4):
                same = same and tex[(6 * i + c) * L + lane] == tex[c * L + lane]
            if not same:
                break
        if not same:
            continue
        errors[lane] = f(0)
        row = noted[lane]
        for c in range(3):
            value = np.int64(tex[c * L + lane])
            row[_ENDS + c] = matches[value, 0]
            row[_ENDS + 4 + c] = matches[value, 1]
        row[_ENDS + 3] = np.uint8(tex[3 * L + lane])
        row[_ENDS + 7] = np.uint8(tex[3 * L + lane])
        for i in range(16):
            row[_PLACES + i] = 1
            row[_SECOND + i] = 0
        row[_MODE] = 5
        row[_SHAPE] = 0
        row[_ROTATION] = 0
        row[_CHOICE] = 0


@kernel
def encode_blocks(search: Search, start: int, stop: int, out: Any) -> None:
    """Encode the blocks ``start`` to ``stop``, counted row by row; out: uint64 (blocks, 2)."""
    kept = max(search.tier.kept, 1)
    roots = np.sqrt(search.weights)
    tex = np.empty(_TEXELS * L, np.float32)
    s = np.zeros(ROWS * L, np.float32)
    held = np.empty((8, 3, 24 * L), np.float32)
    best = np.empty(kept * L, np.float32)
    which = np.empty(kept * L, np.float32)
    m = np.empty(160 * L, np.float32)
    r = np.empty(50 * L, np.float32)
    most = min(CHUNK, stop - start)
    errors = np.empty(most, np.float32)
    flags = np.empty(most, np.uint8)
    ranks = np.empty((2, kept, most), np.float32)
    shapes = np.empty((2, kept, most), np.uint8)
    noted = np.zeros((most, _NOTED), np.uint8)
    blocks = np.empty(L, np.uint32)
    every = np.arange(16).astype(np.uint8)
    for begin in range(start, stop, CHUNK):
        size = min(CHUNK, stop - begin)
        for first in range(0, size, L):
            number = min(L, size - first)
            for lane in range(L):
                blocks[lane] = begin + min(first + lane, size - 1)
            _load(search, blocks, tex)
            open_ = _opaque(tex, s)
            for lane in range(number):
                flags[first + lane] = 0 if s[LOCK * L + lane] > f(0) else 1
            here = errors[first : first + number]
            rows = noted[first : first + number]
            if _uneven(tex) == 0:
                _solid(tex, search.matches, number, here, rows)
                ranks[:, :, first : first + number] = f(1e30)
                continue
            _whole(tex, search, number, here, s, held[6], every, rows)
            _solid(tex, search.matches, number, here, rows)
            if search.tier.apart and (open_ or search.tier.apart > 1):
                _apart(tex, search, open_ > 0, number, here, s, held[5], rows)
            worst = f(0)
            for lane in range(number):
                worst = max(worst, here[lane])
            if worst <= f(search.tier.floor):
                ranks[:, :, first : first + number] = f(1e30)
                continue
            for triple in range(2 if search.tier.triple else (1 if search.tier.parted else 0)):
                _rank(
                    tex,
                    roots,
                    2 + triple,
                    16 if triple and search.tier.triple < 2 else 64,
                    search.parts,
                    kept,
                    best,
                    which,
                    m,
                    r,
                )
                for k in range(kept):
                    for lane in range(number):
                        ranks[triple, k, first + lane] = best[k * L + lane]
                        shapes[triple, k, first + lane] = np.uint8(which[k * L + lane])
        for triple in range(2 if search.tier.triple else (1 if search.tier.parted else 0)):
            _parted(
                search,
                begin,
                size,
                2 + triple,
                ranks[triple],
                shapes[triple],
                errors,
                flags,
                noted,
                tex,
                s,
                held,
            )
        if search.tier.last_every + search.tier.last_polish + search.tier.last_settle:
            _finished(search, begin, size, flags, errors, noted, tex, s, held[0])
        for at in range(size):
            pack(noted[at], search, out[begin + at])
