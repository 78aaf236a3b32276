"""Fit lines of colours to texels: what every mode of BC7 is made of.

A *line* is two stored ends and some places between them; each texel of a part takes the nearest
place. :func:`fit` finds the ends for sixteen parts at once, one a lane, all of the same number of
texels and the same kind of ends. The inner loops run over the lanes, all numbers stand in one
scratch array, and whatever a loop over lanes has inside is unrolled by the compiler: so it is
turned into vector instructions.

Results of a lane never depend on the lanes beside it: a block is encoded to the same bytes
wherever it stands.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, i64, kernel

# Rows of the scratch array. Those of one texel stand together: at a distance from each other that
# the compiler knows, so that it need not ask at run time whether they overlap.
P = 0
"""Channel ``c`` of texel ``j`` at ``P + 7 * j + c``: 0 to 255."""
MC = 4
"""At ``MC + 7 * j``: how much its colour counts (channels 0 to 2), and all of it in fits."""
MA = 5
"""Likewise: how much its fourth channel counts."""
T = 6
"""Likewise: its place, of the last scoring."""
KT = 112
"""Places of the best found."""
KQ = 128
"""The best ends found."""
Q = 136
"""The ends that are tried: as stored, own bit included; first end, then second."""
ERR = 144
KERR = 145
MEAN = 146
COV = 150
AX = 160
NEAR = 164
FAR = 165
X = 166
D = 170
U = 174
K = 178
W = 179
ST = 180
STT = 181
STP = 182
E = 186
LOCK = 194
"""1 where the fourth channel must stay full."""
OERR = 195
"""The least error of one start."""
COST = 196
LEAST = 197
WT = 198
"""How much each channel counts; 0 for one that is not there."""
TRY = 202
ROWS = 210


@kernel
def _centre(s: Any, n: int) -> None:
    """Take the mean, and how the texels spread about it."""
    for lane in range(L):
        for k in range(15):
            s[(W + k) * L + lane] = f(0)
        for k in range(14):
            s[(MEAN + k) * L + lane] = f(0)
    for q in range(4):
        i = 4 * q
        if i >= n:
            break
        for lane in range(L):
            for j in range(4):
                m = s[(MC + 7 * (i + j)) * L + lane]
                s[W * L + lane] += m
                for c in range(4):
                    s[(MEAN + c) * L + lane] += m * s[(P + 7 * (i + j) + c) * L + lane]
    for lane in range(L):
        inv = f(1) / max(s[W * L + lane], f(1e-6))
        for c in range(4):
            s[(MEAN + c) * L + lane] *= inv
    for q in range(4):
        i = 4 * q
        if i >= n:
            break
        for lane in range(L):
            m0 = s[MEAN * L + lane]
            m1 = s[(MEAN + 1) * L + lane]
            m2 = s[(MEAN + 2) * L + lane]
            m3 = s[(MEAN + 3) * L + lane]
            c00 = c01 = c02 = c03 = c11 = c12 = c13 = c22 = c23 = c33 = f(0)
            for j in range(4):
                m = s[(MC + 7 * (i + j)) * L + lane]
                r = s[(P + 7 * (i + j)) * L + lane] - m0
                g = s[(P + 7 * (i + j) + 1) * L + lane] - m1
                b = s[(P + 7 * (i + j) + 2) * L + lane] - m2
                a = s[(P + 7 * (i + j) + 3) * L + lane] - m3
                mr = m * r
                mg = m * g
                mb = m * b
                c00 += mr * r
                c01 += mr * g
                c02 += mr * b
                c03 += mr * a
                c11 += mg * g
                c12 += mg * b
                c13 += mg * a
                c22 += mb * b
                c23 += mb * a
                c33 += m * a * a
            s[COV * L + lane] += c00
            s[(COV + 1) * L + lane] += c01
            s[(COV + 2) * L + lane] += c02
            s[(COV + 3) * L + lane] += c03
            s[(COV + 4) * L + lane] += c11
            s[(COV + 5) * L + lane] += c12
            s[(COV + 6) * L + lane] += c13
            s[(COV + 7) * L + lane] += c22
            s[(COV + 8) * L + lane] += c23
            s[(COV + 9) * L + lane] += c33


@kernel
def _axis(s: Any, n: int) -> None:
    """Find the direction of greatest spread by power iteration, and how far texels lie on it."""
    for lane in range(L):
        c00 = s[COV * L + lane]
        c01 = s[(COV + 1) * L + lane]
        c02 = s[(COV + 2) * L + lane]
        c03 = s[(COV + 3) * L + lane]
        c11 = s[(COV + 4) * L + lane]
        c12 = s[(COV + 5) * L + lane]
        c13 = s[(COV + 6) * L + lane]
        c22 = s[(COV + 7) * L + lane]
        c23 = s[(COV + 8) * L + lane]
        c33 = s[(COV + 9) * L + lane]
        # The row of the widest channel is never at right angles to the direction.
        top = max(max(c00, c11), max(c22, c33))
        first = c00 >= top
        second = c11 >= top
        third = c22 >= top
        x = c00 if first else (c01 if second else (c02 if third else c03))
        y = c01 if first else (c11 if second else (c12 if third else c13))
        z = c02 if first else (c12 if second else (c22 if third else c23))
        w = c03 if first else (c13 if second else (c23 if third else c33))
        for _ in range(4):
            nx = c00 * x + c01 * y + c02 * z + c03 * w
            ny = c01 * x + c11 * y + c12 * z + c13 * w
            nz = c02 * x + c12 * y + c22 * z + c23 * w
            nw = c03 * x + c13 * y + c23 * z + c33 * w
            size = max(max(abs(nx), abs(ny)), max(abs(nz), abs(nw)))
            inv = f(1) / max(size, f(1e-12))
            x = nx * inv
            y = ny * inv
            z = nz * inv
            w = nw * inv
        inv = f(1) / max(np.sqrt(x * x + y * y + z * z + w * w), f(1e-6))
        s[AX * L + lane] = x * inv
        s[(AX + 1) * L + lane] = y * inv
        s[(AX + 2) * L + lane] = z * inv
        s[(AX + 3) * L + lane] = w * inv
        s[NEAR * L + lane] = f(1e9)
        s[FAR * L + lane] = f(-1e9)
    for q in range(4):
        i = 4 * q
        if i >= n:
            break
        for lane in range(L):
            near = s[NEAR * L + lane]
            far = s[FAR * L + lane]
            for j in range(4):
                t = f(0)
                for c in range(4):
                    p = s[(P + 7 * (i + j) + c) * L + lane] - s[(MEAN + c) * L + lane]
                    t += p * s[(AX + c) * L + lane]
                counts = s[(MC + 7 * (i + j)) * L + lane] > f(0)
                near = min(near, t if counts else near)
                far = max(far, t if counts else far)
            s[NEAR * L + lane] = near
            s[FAR * L + lane] = far


@kernel
def _along(s: Any, near: Any, far: Any, out: Any) -> None:
    """Put real ends on the axis: drawn in by shares of its length, and out by levels."""
    for lane in range(L):
        low = min(s[NEAR * L + lane], s[FAR * L + lane])
        high = s[FAR * L + lane]
        length = high - low
        low += near * length - out
        high -= far * length - out
        for c in range(4):
            a = s[(AX + c) * L + lane]
            s[(X + c) * L + lane] = s[(MEAN + c) * L + lane] + a * low
            s[(D + c) * L + lane] = a * (high - low)


@kernel
def _wide(q: Any, top: Any) -> Any:
    """Return a number of four to eight bits in eight: its highest bits follow it."""
    up = f(256) / (top + f(1))
    return q * up + np.floor(q * up / (top + f(1)))


@kernel
def _expand(s: Any, tc: Any, ta: Any) -> None:
    """Take the ends as a decoder widens them to eight bits."""
    for lane in range(L):
        for c in range(4):
            a = _wide(s[(Q + c) * L + lane], ta if c == 3 else tc)
            b = _wide(s[(Q + 4 + c) * L + lane], ta if c == 3 else tc)
            s[(X + c) * L + lane] = a
            s[(D + c) * L + lane] = b - a


@kernel
def _weigh(s: Any, last: Any) -> None:
    """Prepare the projection on the line."""
    for lane in range(L):
        w0 = s[WT * L + lane]
        w1 = s[(WT + 1) * L + lane]
        w2 = s[(WT + 2) * L + lane]
        w3 = s[(WT + 3) * L + lane]
        x = s[D * L + lane]
        y = s[(D + 1) * L + lane]
        z = s[(D + 2) * L + lane]
        w = s[(D + 3) * L + lane]
        size = w0 * x * x + w1 * y * y + w2 * z * z + w3 * w * w
        k = last / max(size, f(1e-6))
        x *= w0 * k
        y *= w1 * k
        z *= w2 * k
        w *= w3 * k
        s[U * L + lane] = x
        s[(U + 1) * L + lane] = y
        s[(U + 2) * L + lane] = z
        s[(U + 3) * L + lane] = w
        s[K * L + lane] = -(
            x * s[X * L + lane]
            + y * s[(X + 1) * L + lane]
            + z * s[(X + 2) * L + lane]
            + w * s[(X + 3) * L + lane]
        )


@kernel
def _place(s: Any, n: int, last: Any) -> None:
    """Take what a refit needs from the nearest places."""
    fine = f(64) / last
    for lane in range(L):
        for k in range(6):
            s[(ST + k) * L + lane] = f(0)
    for q in range(4):
        i = 4 * q
        if i >= n:
            break
        for lane in range(L):
            st = stt = r_sum = g_sum = b_sum = a_sum = f(0)
            for j in range(4):
                r = s[(P + 7 * (i + j)) * L + lane]
                g = s[(P + 7 * (i + j) + 1) * L + lane]
                b = s[(P + 7 * (i + j) + 2) * L + lane]
                a = s[(P + 7 * (i + j) + 3) * L + lane]
                t = (
                    r * s[U * L + lane]
                    + g * s[(U + 1) * L + lane]
                    + b * s[(U + 2) * L + lane]
                    + a * s[(U + 3) * L + lane]
                    + s[K * L + lane]
                )
                w = np.rint(np.rint(min(max(t, f(0)), last)) * fine) * f(1 / 64)
                mw = s[(MC + 7 * (i + j)) * L + lane] * w
                st += mw
                stt += mw * w
                r_sum += mw * r
                g_sum += mw * g
                b_sum += mw * b
                a_sum += mw * a
            s[ST * L + lane] += st
            s[STT * L + lane] += stt
            s[STP * L + lane] += r_sum
            s[(STP + 1) * L + lane] += g_sum
            s[(STP + 2) * L + lane] += b_sum
            s[(STP + 3) * L + lane] += a_sum


@kernel
def _score(s: Any, n: int, last: Any) -> None:
    """Give each texel its place, and take the error as a decoder would see it."""
    fine = f(64) / last
    for lane in range(L):
        s[ERR * L + lane] = f(0)
    for q in range(4):
        i = 4 * q
        if i >= n:
            break
        for lane in range(L):
            e = f(0)
            w0 = s[WT * L + lane]
            w1 = s[(WT + 1) * L + lane]
            w2 = s[(WT + 2) * L + lane]
            w3 = s[(WT + 3) * L + lane]
            for j in range(4):
                r = s[(P + 7 * (i + j)) * L + lane]
                g = s[(P + 7 * (i + j) + 1) * L + lane]
                b = s[(P + 7 * (i + j) + 2) * L + lane]
                a = s[(P + 7 * (i + j) + 3) * L + lane]
                t = (
                    r * s[U * L + lane]
                    + g * s[(U + 1) * L + lane]
                    + b * s[(U + 2) * L + lane]
                    + a * s[(U + 3) * L + lane]
                    + s[K * L + lane]
                )
                t = np.rint(min(max(t, f(0)), last))
                s[(T + 7 * (i + j)) * L + lane] = t
                w = np.rint(t * fine) * f(1 / 64)
                r -= np.floor(s[X * L + lane] + s[D * L + lane] * w + f(0.5))
                g -= np.floor(s[(X + 1) * L + lane] + s[(D + 1) * L + lane] * w + f(0.5))
                b -= np.floor(s[(X + 2) * L + lane] + s[(D + 2) * L + lane] * w + f(0.5))
                a -= np.floor(s[(X + 3) * L + lane] + s[(D + 3) * L + lane] * w + f(0.5))
                e += s[(MC + 7 * (i + j)) * L + lane] * (w0 * r * r + w1 * g * g + w2 * b * b)
                e += s[(MA + 7 * (i + j)) * L + lane] * w3 * a * a
            s[ERR * L + lane] += e


@kernel
def _settle(s: Any, n: int, last: Any) -> None:
    """Score with the better of two places for each texel: rounding may favour the farther."""
    fine = f(64) / last
    for lane in range(L):
        s[ERR * L + lane] = f(0)
    for i in range(16):
        if i >= n:
            break
        for lane in range(L):
            at = s[K * L + lane]
            for c in range(4):
                at += s[(P + 7 * i + c) * L + lane] * s[(U + c) * L + lane]
            below = np.floor(min(max(at, f(0)), last - f(1)))
            least = f(1e30)
            best = below
            for k in range(2):
                t = below + f(k)
                w = np.rint(t * fine) * f(1 / 64)
                e = f(0)
                for c in range(4):
                    x = np.floor(s[(X + c) * L + lane] + s[(D + c) * L + lane] * w + f(0.5))
                    x = s[(P + 7 * i + c) * L + lane] - x
                    m = s[(MA + 7 * i) * L + lane] if c == 3 else s[(MC + 7 * i) * L + lane]
                    e += m * s[(WT + c) * L + lane] * x * x
                best = t if e < least else best
                least = min(e, least)
            s[(T + 7 * i) * L + lane] = best
            s[ERR * L + lane] += least


@kernel
def _solve(s: Any) -> None:
    """Find the real ends that fit the places best (least squares)."""
    for lane in range(L):
        st = s[ST * L + lane]
        sbb = s[STT * L + lane]
        sab = st - sbb
        saa = s[W * L + lane] - st - sab
        det = saa * sbb - sab * sab
        solid = det > f(1e-3)
        inv = f(1) / (det if solid else f(1))
        for c in range(4):
            mean = s[(MEAN + c) * L + lane]
            # Both sums are about the mean, so they are each other's negative.
            sb = s[(STP + c) * L + lane] - mean * st
            a = -sb * (sbb + sab) * inv
            b = sb * (saa + sab) * inv
            s[(E + c) * L + lane] = mean + a if solid else s[(X + c) * L + lane]
            b = mean + b if solid else s[(X + c) * L + lane] + s[(D + c) * L + lane]
            s[(E + 4 + c) * L + lane] = b


@kernel
def _rounded(s: Any, tc: Any, ta: Any, step: Any, pa: Any, pb: Any) -> None:
    """Store the real ends with given lowest bits; add what that costs.

    The first end is rounded, and the other follows.
    """
    inv = f(1) / step
    for c in range(4):
        top = ta if c == 3 else tc
        g = top / f(255)
        most_a = top - step + f(1) + pa if step > f(1.5) else top
        most_b = top - step + f(1) + pb if step > f(1.5) else top
        for lane in range(L):
            st = s[ST * L + lane]
            sbb = s[STT * L + lane]
            sab = st - sbb
            saa = s[W * L + lane] - st - sab
            mean = s[(MEAN + c) * L + lane]
            sb = s[(STP + c) * L + lane] - mean * st
            a = s[(E + c) * L + lane] * g
            b = s[(E + 4 + c) * L + lane] * g
            qa = min(max(np.rint((a - pa) * inv) * step + pa, pa), most_a)
            xa = _wide(qa, top) - mean
            qb = ((sb - sab * xa) / max(sbb, f(1e-3)) + mean) * g
            qb = qb if sbb > f(1e-3) else b
            qb = min(max(np.rint((qb - pb) * inv) * step + pb, pb), most_b)
            xb = _wide(qb, top) - mean
            e1 = saa * xa * xa + f(2) * sab * xa * xb + sbb * xb * xb - f(2) * sb * (xb - xa)
            s[(TRY + c) * L + lane] = qa
            s[(TRY + 4 + c) * L + lane] = qb
            s[COST * L + lane] += s[(WT + c) * L + lane] * e1


@kernel
def _shut(s: Any) -> bool:
    """Tell whether the fourth channel must stay full in all lanes."""
    open_ = 0
    for lane in range(L):
        open_ += 0 if s[LOCK * L + lane] > f(0) else 1
    return open_ == 0


@kernel
def _store(s: Any, tc: Any, ta: Any, own: int, chosen: int) -> None:
    """Store the real ends: of the own bits the pair that costs least with the places as they are.

    ``own`` is 0 for no lowest bits, 1 for one of both ends, 2 for one of each; ``chosen`` is a
    pair of bits to take instead of the cheapest, or -1.
    """
    for lane in range(L):
        s[LEAST * L + lane] = f(1e30)
    first = 3 if own == 2 and _shut(s) else 0
    for pair in range(first, 4):
        if (own == 0 and pair) or (own == 1 and (pair == 1 or pair == 2)):
            continue
        if chosen >= 0 and own and pair != chosen:
            continue
        pa = f(pair & 1)
        pb = f(pair >> 1)
        for lane in range(L):
            # An end whose lowest bit is 0 is never full.
            s[COST * L + lane] = s[LOCK * L + lane] * (f(2) - pa - pb) * f(1e9)
        _rounded(s, tc, ta, f(2) if own else f(1), pa, pb)
        for lane in range(L):
            better = s[COST * L + lane] < s[LEAST * L + lane]
            for c in range(8):
                t = s[(TRY + c) * L + lane]
                s[(Q + c) * L + lane] = t if better else s[(Q + c) * L + lane]
            s[LEAST * L + lane] = min(s[LEAST * L + lane], s[COST * L + lane])
    for lane in range(L):
        locked = s[LOCK * L + lane] > f(0)
        s[(Q + 3) * L + lane] = ta if locked else s[(Q + 3) * L + lane]
        s[(Q + 7) * L + lane] = ta if locked else s[(Q + 7) * L + lane]


@kernel
def _keep(s: Any) -> int:
    """Keep what is better than the best so far; return how many lanes that was."""
    count = 0
    for lane in range(L):
        count += 1 if s[ERR * L + lane] < s[KERR * L + lane] else 0
    if count == 0:
        return 0
    for lane in range(L):
        better = s[ERR * L + lane] < s[KERR * L + lane]
        for i in range(16):
            s[(KT + i) * L + lane] = s[(T + 7 * i) * L + lane] if better else s[(KT + i) * L + lane]
    for lane in range(L):
        better = s[ERR * L + lane] < s[KERR * L + lane]
        for k in range(8):
            s[(KQ + k) * L + lane] = s[(Q + k) * L + lane] if better else s[(KQ + k) * L + lane]
        s[KERR * L + lane] = min(s[ERR * L + lane], s[KERR * L + lane])
    return count


@kernel
def _refine(
    s: Any, n: int, last: Any, tc: Any, ta: Any, own: int, rounds: int, settle: bool
) -> None:
    """Solve, store and score in turn, as long as it gets better; settle a single round."""
    for lane in range(L):
        s[OERR * L + lane] = f(1e29)
    for k in range(rounds):
        if k:
            _place(s, n, last)
        _solve(s)
        _store(s, tc, ta, own, i64(-1))
        _expand(s, tc, ta)
        _weigh(s, last)
        if settle and rounds == 1:
            _settle(s, n, last)
        else:
            _score(s, n, last)
        alive = 0
        for lane in range(L):
            # A lane that got no better stops, whatever those beside it do.
            better = s[ERR * L + lane] < s[OERR * L + lane]
            s[ERR * L + lane] = s[ERR * L + lane] if better else f(1e30)
            s[OERR * L + lane] = s[ERR * L + lane] if better else f(0)
            alive += 1 if better else 0
        if alive == 0:
            break
        _keep(s)


@kernel
def _stepped(s: Any, first: int, by: Any, second: int, by2: Any, tc: Any, ta: Any) -> None:
    for lane in range(L):
        free = f(1) - s[LOCK * L + lane]
        for k in range(8):
            top = ta if k == 3 or k == 7 else tc
            move = (by if k == first else f(0)) + (by2 if k == second else f(0))
            move = move * free if k == 3 or k == 7 else move
            q = s[(KQ + k) * L + lane]
            to = q + move
            s[(Q + k) * L + lane] = to if to >= f(0) and to <= top else q


@kernel
def _polish(
    s: Any, n: int, last: Any, tc: Any, ta: Any, own: int, rounds: int, settle: bool
) -> None:
    """Move the ends by single steps, one or both of a channel, as long as it gets better."""
    step = f(2) if own else f(1)
    for _ in range(rounds):
        changed = 0
        for c in range(3 if own == 2 and _shut(s) else 4):
            if s[(WT + c) * L] == f(0):
                continue
            for way in range(8 if rounds > 1 else 4):
                if way < 4:
                    by = step if way & 1 else -step
                    _stepped(s, c + (4 if way & 2 else 0), by, 8, f(0), tc, ta)
                else:
                    by = step if way & 1 else -step
                    by2 = step if way & 2 else -step
                    _stepped(s, c, by, c + 4, by2, tc, ta)
                _expand(s, tc, ta)
                _weigh(s, last)
                if settle:
                    _settle(s, n, last)
                else:
                    _score(s, n, last)
                changed += _keep(s)
        if changed == 0:
            break


@kernel
def survey(s: Any, n: int) -> None:
    """Look at ``n`` texels before they are fitted: once for all kinds of ends."""
    _centre(s, n)
    _axis(s, n)


@kernel
def hold(s: Any, held: Any, part: int) -> None:
    """Copy the best ends and places of a part aside."""
    for k in range(24 * L):
        held[part, k] = s[KT * L + k]


@kernel
def _try_bits(s: Any, n: int, last: Any, tc: Any, ta: Any, own: int) -> None:
    """Refit the best ends with each pair of lowest bits."""
    for pair in range(3 if own == 2 and _shut(s) else 0, 4):
        if own == 1 and (pair == 1 or pair == 2):
            continue
        for k in range(8 * L):
            s[Q * L + k] = s[KQ * L + k]
        _expand(s, tc, ta)
        _weigh(s, last)
        _place(s, n, last)
        _solve(s)
        _store(s, tc, ta, own, pair)
        _expand(s, tc, ta)
        _weigh(s, last)
        _score(s, n, last)
        for lane in range(L):
            # An end whose lowest bit is 0 is never full.
            s[ERR * L + lane] += s[LOCK * L + lane] * (f(1e9) if pair < 3 else f(0))
        _keep(s)


@kernel
def _settle_best(s: Any, n: int, last: Any, tc: Any, ta: Any) -> None:
    """Settle the places of the best ends."""
    for k in range(8 * L):
        s[Q * L + k] = s[KQ * L + k]
    _expand(s, tc, ta)
    _weigh(s, last)
    _settle(s, n, last)
    _keep(s)


@kernel
def resume(
    s: Any, n: int, last: Any, tc: Any, ta: Any, own: int, every: bool, polish: int, settle: bool
) -> None:
    """Go on from ends in ``KQ`` with the finer parts of :func:`fit`; parameters as there."""
    for k in range(8 * L):
        s[Q * L + k] = s[KQ * L + k]
    _expand(s, tc, ta)
    _weigh(s, last)
    _score(s, n, last)
    for lane in range(L):
        s[KERR * L + lane] = f(1e30)
    _keep(s)
    if every and own:
        _try_bits(s, n, last, tc, ta, own)
    if settle:
        _settle_best(s, n, last, tc, ta)
    if polish:
        _polish(s, n, last, tc, ta, own, polish, settle)


@kernel
def fit(
    s: Any,
    n: int,
    last: Any,
    tc: Any,
    ta: Any,
    own: int,
    starts: Any,
    rounds: int,
    every: bool,
    polish: int,
    settle: bool,
) -> None:
    """Fit a line to ``n`` texels that were surveyed: find ``KQ``, ``KT`` and ``KERR``.

    Parameters
    ----------
    s : ndarray, float32, flat, ROWS * LANES
        Texels and their weights stand in it; those beyond the part's own count nothing.
    n : int
        Texels, a multiple of four.
    last : float
        The number of the last place: 3, 7 or 15.
    tc, ta : float
        The largest stored number of channels 0 to 2 and of channel 3.
    own : int
        0 where ends have no lowest bit of their own, 1 for one of both, 2 for one each.
    starts : ndarray, float32, shape (count, 3)
        Where the search begins: shares by which both ends are drawn in, levels by which out.
    rounds : int
        Refits of each start.
    every : bool
        Whether each pair of lowest bits is tried to the end.
    polish : int
        Rounds of single steps.
    settle : bool
        Whether each texel takes the better of the two places about it.
    """
    for lane in range(L):
        s[KERR * L + lane] = f(1e30)
    for k in range(starts.shape[0]):
        _along(s, starts[k, 0], starts[k, 1], starts[k, 2])
        _weigh(s, last)
        _place(s, n, last)
        _refine(s, n, last, tc, ta, own, rounds, settle)
    if every and own:
        _try_bits(s, n, last, tc, ta, own)
    if settle and (rounds > 1 or (every and own)):
        _settle_best(s, n, last, tc, ta)
    if polish:
        _polish(s, n, last, tc, ta, own, polish, settle)
