"""BC7's encoder: which modes and partitions are tried, and how the best is packed.

Source: Khronos Data Format Specification 1.3, section 20.1. Blocks are worked on sixteen at a
time, one a lane; where partitions are tried, those that try the same one stand beside each other,
so that no lane works on texels of another part.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.bptc.bc7_gathering import (
    TEXELS,
    gather,
    gather_alone,
    gather_line,
    list_members,
    load,
    opaque,
    set_weights,
    uneven,
)
from stonestack.core.files.blocks.bptc.bc7_lines import (
    KERR,
    KQ,
    KT,
    LOCK,
    ROWS,
    fit,
    hold,
    resume,
    survey,
)
from stonestack.core.files.blocks.bptc.bc7_packing import (
    CHOICE,
    DONE,
    ENDS,
    MODE,
    NOTED,
    PLACES,
    ROTATION,
    SECOND,
    SHAPE,
    note_part,
    pack,
    pack_sixes,
)
from stonestack.core.files.blocks.bptc.bc7_ranking import rank
from stonestack.core.files.blocks.bptc.bc7_search import Search
from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, i64, kernel

CHUNK = 8192
"""Blocks whose partitions are sorted together."""


@kernel
def _whole(
    tex: Any, search: Search, number: int, errors: Any, s: Any, held: Any, every: Any, noted: Any
) -> None:
    """Try mode 6, one line of four channels; its ends and places are noted later."""
    n = gather(tex, every, 16, f(1), s)
    set_weights(s, search.weights[0], search.weights[1], search.weights[2], search.weights[3])
    survey(s, n)
    settle = search.tier.settle
    fit(
        s,
        n,
        f(15),
        f(255),
        f(255),
        i64(2),
        search.starts,
        search.tier.rounds,
        search.tier.every,
        search.tier.polish,
        settle,
    )
    hold(s, held, 0)
    for lane in range(number):
        errors[lane] = s[KERR * L + lane]
        noted[lane, MODE] = 6
        noted[lane, SHAPE] = 0
        noted[lane, ROTATION] = 0
        noted[lane, CHOICE] = 0


@kernel
def _apart(
    tex: Any, search: Search, vary: bool, number: int, errors: Any, s: Any, held: Any, noted: Any
) -> None:
    """Try modes 5 and 4: three channels on a line, and one by itself."""
    line = np.empty(L, np.float32)
    settle, never = search.tier.settle, search.tier.apart < 0
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
            gather_line(tex, alone, rotation > 0 and vary, s)
            set_weights(s, w0, w1, w2, f(0))
            survey(s, i64(16))
            last = f(7) if form == 2 else f(3)
            fit(
                s,
                i64(16),
                last,
                tc,
                tc,
                i64(0),
                search.starts,
                search.tier.rounds,
                never,
                search.tier.polish,
                settle,
            )
            hold(s, held, 0)
            for lane in range(L):
                line[lane] = s[KERR * L + lane]
            gather_alone(tex, alone, s)
            set_weights(s, f(0), f(0), f(0), search.weights[alone])
            survey(s, i64(16))
            last = f(7) if form == 1 else f(3)
            fit(
                s,
                i64(16),
                last,
                ta,
                ta,
                i64(0),
                search.starts,
                search.tier.rounds,
                never,
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
                    row[PLACES + i] = np.uint8(held[first, i * L + lane])
                    row[SECOND + i] = np.uint8(held[1 - first, i * L + lane])
                row[MODE] = 4 if form else 5
                row[SHAPE] = 0
                row[ROTATION] = rotation
                row[CHOICE] = 1 if form == 2 else 0


@kernel
def _ranked(
    search: Search,
    begin: int,
    hard: Any,
    hard_count: int,
    ranks: Any,
    shapes: Any,
    tex: Any,
    m: Any,
    r: Any,
) -> None:
    """Estimate which partitions are worth trying for the blocks that lose most."""
    kept = search.tier.kept
    roots = np.sqrt(search.weights)
    best = np.empty(kept * L, np.float32)
    which = np.empty(kept * L, np.float32)
    blocks = np.empty(L, np.uint32)
    for job in range(0, hard_count, L):
        for lane in range(L):
            blocks[lane] = begin + hard[min(job + lane, hard_count - 1)]
        load(search, blocks, tex)
        for triple in range(2 if search.tier.triple else 1):
            most = 16 if triple and search.tier.triple < 2 else 64
            rank(tex, roots, 2 + triple, most, search.parts, kept, best, which, m, r)
            for lane in range(min(L, hard_count - job)):
                at = hard[job + lane]
                for k in range(kept):
                    ranks[triple, k, at] = best[k * L + lane]
                    shapes[triple, k, at] = np.uint8(which[k * L + lane])


@kernel
def _parted(
    search: Search,
    begin: int,
    hard: Any,
    hard_count: int,
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
    jobs = np.empty(hard_count, np.int64)
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
        for n in range(hard_count):
            at = hard[n]
            for k in range(kept):
                if shapes[k, at] == shape and ranks[k, at] + floor < margin * errors[at]:
                    jobs[count] = at
                    count += 1
        if count == 0:
            continue
        for mode in range(8):
            tried[mode] = search.modes[mode, 0] == number and shape < 1 << search.modes[mode, 1]
        tried[2] = tried[2] and search.tier.triple > 1
        list_members(search.parts, number, shape, members, sizes)
        for job in range(0, count, L):
            here = min(L, count - job)
            open_ = False
            for lane in range(L):
                at = jobs[min(job + lane, count - 1)]
                blocks[lane] = begin + at
                open_ = open_ or flags[at] > 0
            load(search, blocks, tex)
            for mode in range(8):
                for lane in range(L):
                    totals[mode, lane] = f(0)
            for with_alpha in range(2 if open_ and number == 2 else 1):
                for part in range(number):
                    alpha = f(with_alpha)
                    n = gather(tex, members[part], sizes[part], alpha, s)
                    set_weights(
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
                        note_part(held[mode], part, lane, members[part], sizes[part], noted[at])
                    noted[at, MODE] = mode
                    noted[at, SHAPE] = shape
                    noted[at, ROTATION] = 0
                    noted[at, CHOICE] = 0


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
                if noted[at, MODE] == mode and noted[at, SHAPE] == shape and errors[at] > f(0):
                    jobs[count] = at
                    count += 1
            if count == 0:
                continue
            list_members(search.parts, number, shape, members, sizes)
            for job in range(0, count, L):
                here = min(L, count - job)
                for lane in range(L):
                    at = jobs[min(job + lane, count - 1)]
                    blocks[lane] = begin + at
                    before[lane] = f(0)
                    s[LOCK * L + lane] = f(1) if flags[at] == 0 and mode == 6 else f(0)
                load(search, blocks, tex)
                for part in range(number):
                    n = gather(tex, members[part], sizes[part], alpha, s)
                    set_weights(
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
                            s[(KQ + k) * L + lane] = f(noted[at, ENDS + 8 * part + k])
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
                        note_part(held, part, lane, members[part], sizes[part], noted[at])


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
            row[ENDS + c] = matches[value, 0]
            row[ENDS + 4 + c] = matches[value, 1]
        row[ENDS + 3] = np.uint8(tex[3 * L + lane])
        row[ENDS + 7] = np.uint8(tex[3 * L + lane])
        for i in range(16):
            row[PLACES + i] = 1
            row[SECOND + i] = 0
        row[MODE] = 5
        row[SHAPE] = 0
        row[ROTATION] = 0
        row[CHOICE] = 0


@kernel
def encode_blocks(search: Search, start: int, stop: int, out: Any) -> None:
    """Encode the blocks ``start`` to ``stop``, counted row by row; out: uint64 (blocks, 2)."""
    kept = search.tier.kept
    tex = np.empty(TEXELS * L, np.float32)
    s = np.zeros(ROWS * L, np.float32)
    held = np.empty((8, 3, 24 * L), np.float32)
    m = np.empty(160 * L, np.float32)
    r = np.empty(50 * L, np.float32)
    most = min(CHUNK, stop - start)
    errors = np.empty(most, np.float32)
    flags = np.empty(most, np.uint8)
    ranks = np.empty((2, kept, most), np.float32)
    shapes = np.empty((2, kept, most), np.uint8)
    noted = np.zeros((most, NOTED), np.uint8)
    hard = np.empty(most, np.int64)
    blocks = np.empty(L, np.uint32)
    every = np.arange(16).astype(np.uint8)
    low = np.empty(L, np.uint64)
    high = np.empty(L, np.uint64)
    goes_on = search.tier.last_every + search.tier.last_polish + search.tier.last_settle > 0
    most_done = f(-1) if goes_on else f(search.tier.floor)
    for begin in range(start, stop, CHUNK):
        size = min(CHUNK, stop - begin)
        for first in range(0, size, L):
            number = min(L, size - first)
            for lane in range(L):
                blocks[lane] = begin + min(first + lane, size - 1)
            load(search, blocks, tex)
            open_ = opaque(tex, s)
            for lane in range(number):
                flags[first + lane] = 0 if s[LOCK * L + lane] > f(0) else 1
            here = errors[first : first + number]
            rows = noted[first : first + number]
            if uneven(tex) == 0:
                _solid(tex, search.matches, number, here, rows)
                continue
            _whole(tex, search, number, here, s, held[6], every, rows)
            if not goes_on:
                pack_sixes(s, low, high)
            _solid(tex, search.matches, number, here, rows)
            if search.tier.apart and (open_ or search.tier.apart > 1):
                _apart(tex, search, open_ > 0, number, here, s, held[5], rows)
            for lane in range(number):
                if rows[lane, MODE] != 6:
                    continue
                if here[lane] <= most_done:
                    out[begin + first + lane, 0] = low[lane]
                    out[begin + first + lane, 1] = high[lane]
                    rows[lane, MODE] = DONE
                else:
                    note_part(held[6], 0, lane, every, 16, rows[lane])
        hard_count = i64(0)
        for at in range(size):
            if errors[at] > f(search.tier.floor):
                hard[hard_count] = at
                hard_count += 1
        if hard_count:
            _ranked(search, begin, hard, hard_count, ranks, shapes, tex, m, r)
        for triple in range((2 if search.tier.triple else 1) if hard_count else 0):
            _parted(
                search,
                begin,
                hard,
                hard_count,
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
        if goes_on:
            _finished(search, begin, size, flags, errors, noted, tex, s, held[0])
        for at in range(size):
            if noted[at, MODE] != DONE:
                pack(noted[at], search, out[begin + at])
