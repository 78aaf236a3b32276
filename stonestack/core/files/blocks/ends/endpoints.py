"""Colours on a line between two 5:6:5 ends: the encoder of BC1 and of the colour of BC2 and BC3.

Layout: Khronos Data Format Specification 1.3, section 18.1 (S3TC). Two ends of 16 bits, then
sixteen indices of 2 bits. With the first end greater, two colours lie between the ends; otherwise
BC1 has one, and index 3 is see-through black (BC2 and BC3 always have four colours). An opaque
texel never takes that black.

Sixteen blocks are worked on side by side, one a lane; all numbers stand in one scratch array, and
what a loop over the lanes has inside is unrolled by the compiler, so that it becomes vector
instructions. Colours are fitted in the stored (sRGB) scale, since the hardware interpolates there.

The ends begin on the principal axis (power iteration on the covariance); the nearest places follow
from projection; the ends that fit the places best are solved for by least squares and rounded
jointly. A tier adds beginnings with other ends, and then single steps of each of the six numbers.
What is lost with given ends needs no residuals: with ``u`` the texel's place on the line in steps
and ``t`` the nearest whole one, it is what the line's begin loses plus ``(t * t - 2 * t * u)``
steps squared, summed over the texels.

Results of a lane never depend on the lanes beside it.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, kernel

# Rows of the scratch array.
P = 0
"""Channel ``c`` of texel ``i`` at ``P + 3 * i + c``, less the block's mean."""
M = 48
"""How much each texel counts, 0 to 1."""
T = 64
"""Places, when a block is packed."""
MEAN = 80
COV = 83
AX = 89
NEAR = 92
FAR = 93
Q = 94
"""The ends that are tried: red, green, blue of the first, then of the second."""
N = 100
"""Steps between them: 3, or 2 where there are three colours."""
ERR = 101
BQ = 102
"""The best ends, their steps and their error, in the same order."""
BN = 108
BERR = 109
GQ = 110
"""The best of all beginnings, while another is tried."""
GERR = 117
HQ = 118
"""What the tier below found."""
HERR = 125
X = 126
D = 129
U = 132
K = 135
DD = 136
VAR = 137
W = 138
S = 139
"""Sums over texels: places, their squares, and places times each channel."""
HOLES = 144
OERR = 145
ROWS = 146

EVEN = 0.05
"""Squares about the mean, summed over a block, up to which it has one colour."""
NARROW = 10.0
"""Likewise, up to which one colour may serve it best."""


@kernel
def _load(
    texels: Any, start: int, stop: int, first: int, limit: Any, least: Any, holes: bool, s: Any
) -> None:
    """Put sixteen blocks into the lanes; texels of an alpha below the limit do not count."""
    across = texels.shape[1] // 4
    byte = np.uint32(255)
    row = first + L <= stop and first // across == (first + L - 1) // across
    y0 = first // across * 4
    x0 = first % across * 4
    if row:
        for i in range(0, 16, 4):
            y = y0 + (i >> 2)
            for lane in range(L):
                for j in range(4):
                    v = texels[np.uint64(y), np.uint64(x0 + j + 4 * lane)]
                    s[(P + 3 * (i + j)) * L + lane] = f(np.int32(v & byte))
                    s[(P + 3 * (i + j) + 1) * L + lane] = f(np.int32((v >> np.uint32(8)) & byte))
                    s[(P + 3 * (i + j) + 2) * L + lane] = f(np.int32((v >> np.uint32(16)) & byte))
                    s[(M + i + j) * L + lane] = f(1) if (v >> np.uint32(24)) >= limit else least
    else:
        for i in range(16):
            for lane in range(L):
                block = min(first + lane, stop - 1)
                v = texels[block // across * 4 + (i >> 2), block % across * 4 + (i & 3)]
                s[(P + 3 * i) * L + lane] = f(np.int32(v & byte))
                s[(P + 3 * i + 1) * L + lane] = f(np.int32((v >> np.uint32(8)) & byte))
                s[(P + 3 * i + 2) * L + lane] = f(np.int32((v >> np.uint32(16)) & byte))
                s[(M + i) * L + lane] = f(1) if (v >> np.uint32(24)) >= limit else least
    for lane in range(L):
        lowest = f(1)
        for i in range(16):
            lowest = min(lowest, s[(M + i) * L + lane])
        s[HOLES * L + lane] = f(1) if holes and lowest < f(0.5) else f(0)


@kernel
def _centre(s: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Take the mean off the texels, and how they spread about it."""
    for lane in range(L):
        w = f(0)
        a = f(0)
        b = f(0)
        c = f(0)
        for i in range(16):
            m = s[(M + i) * L + lane]
            w += m
            a += m * s[(P + 3 * i) * L + lane]
            b += m * s[(P + 3 * i + 1) * L + lane]
            c += m * s[(P + 3 * i + 2) * L + lane]
        inv = f(1) / max(w, f(1e-6))
        s[W * L + lane] = w
        s[MEAN * L + lane] = a * inv
        s[(MEAN + 1) * L + lane] = b * inv
        s[(MEAN + 2) * L + lane] = c * inv
        for k in range(6):
            s[(COV + k) * L + lane] = f(0)
    for i in range(0, 16, 4):
        for lane in range(L):
            mr = s[MEAN * L + lane]
            mg = s[(MEAN + 1) * L + lane]
            mb = s[(MEAN + 2) * L + lane]
            rr = f(0)
            rg = f(0)
            rb = f(0)
            gg = f(0)
            gb = f(0)
            bb = f(0)
            for j in range(4):
                r = s[(P + 3 * (i + j)) * L + lane] - mr
                g = s[(P + 3 * (i + j) + 1) * L + lane] - mg
                b = s[(P + 3 * (i + j) + 2) * L + lane] - mb
                s[(P + 3 * (i + j)) * L + lane] = r
                s[(P + 3 * (i + j) + 1) * L + lane] = g
                s[(P + 3 * (i + j) + 2) * L + lane] = b
                m = s[(M + i + j) * L + lane]
                rr += m * r * r
                rg += m * r * g
                rb += m * r * b
                gg += m * g * g
                gb += m * g * b
                bb += m * b * b
            s[COV * L + lane] += rr
            s[(COV + 1) * L + lane] += rg
            s[(COV + 2) * L + lane] += rb
            s[(COV + 3) * L + lane] += gg
            s[(COV + 4) * L + lane] += gb
            s[(COV + 5) * L + lane] += bb
    for lane in range(L):
        s[VAR * L + lane] = (
            wr * s[COV * L + lane] + wg * s[(COV + 3) * L + lane] + wb * s[(COV + 5) * L + lane]
        )


@kernel
def _axis(s: Any) -> None:
    """Find the direction of greatest spread by power iteration, and how far texels lie on it."""
    for lane in range(L):
        rr = s[COV * L + lane]
        rg = s[(COV + 1) * L + lane]
        rb = s[(COV + 2) * L + lane]
        gg = s[(COV + 3) * L + lane]
        gb = s[(COV + 4) * L + lane]
        bb = s[(COV + 5) * L + lane]
        red = rr >= gg and rr >= bb
        green = gg >= bb
        ax = rr if red else (rg if green else rb)
        ay = rg if red else (gg if green else gb)
        az = rb if red else (gb if green else bb)
        for _ in range(4):
            nx = rr * ax + rg * ay + rb * az
            ny = rg * ax + gg * ay + gb * az
            nz = rb * ax + gb * ay + bb * az
            inv = f(1) / max(max(abs(nx), abs(ny)), max(abs(nz), f(1e-12)))
            ax = nx * inv
            ay = ny * inv
            az = nz * inv
        inv = f(1) / max(np.sqrt(ax * ax + ay * ay + az * az), f(1e-6))
        s[AX * L + lane] = ax * inv
        s[(AX + 1) * L + lane] = ay * inv
        s[(AX + 2) * L + lane] = az * inv
        s[NEAR * L + lane] = f(1e9)
        s[FAR * L + lane] = f(-1e9)
    for i in range(0, 16, 4):
        for lane in range(L):
            for j in range(4):
                t = (
                    s[(P + 3 * (i + j)) * L + lane] * s[AX * L + lane]
                    + s[(P + 3 * (i + j) + 1) * L + lane] * s[(AX + 1) * L + lane]
                    + s[(P + 3 * (i + j) + 2) * L + lane] * s[(AX + 2) * L + lane]
                ) * s[(M + i + j) * L + lane]
                s[NEAR * L + lane] = min(s[NEAR * L + lane], t)
                s[FAR * L + lane] = max(s[FAR * L + lane], t)


@kernel
def _begin(s: Any, start: Any) -> None:
    """Put real ends on the axis.

    ``start`` is the steps between them, the shares of the length by which both are drawn in, and
    the levels by which both are put out. Blocks with holes always have two steps.
    """
    for lane in range(L):
        s[N * L + lane] = f(2) if s[HOLES * L + lane] > f(0) else start[0]
        low = s[NEAR * L + lane]
        high = s[FAR * L + lane]
        span = high - low
        low += span * start[1] - start[3]
        high -= span * start[2] - start[4]
        for c in range(3):
            a = s[(AX + c) * L + lane]
            s[(X + c) * L + lane] = a * high
            s[(D + c) * L + lane] = a * (low - high)


@kernel
def _wide(q: Any, six: bool) -> Any:
    """Return a number of five or six bits in eight: its highest bits follow it."""
    return q * f(4) + np.floor(q * f(1 / 16)) if six else q * f(8) + np.floor(q * f(1 / 4))


@kernel
def _span(s: Any) -> None:
    """Take the ends as a decoder widens them to eight bits."""
    for lane in range(L):
        for c in range(3):
            a = _wide(s[(Q + c) * L + lane], c == 1)
            b = _wide(s[(Q + 3 + c) * L + lane], c == 1)
            s[(X + c) * L + lane] = a - s[(MEAN + c) * L + lane]
            s[(D + c) * L + lane] = b - a


@kernel
def _weigh(s: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Prepare the projection on the line, and what its begin alone would lose."""
    for lane in range(L):
        dx = s[D * L + lane]
        dy = s[(D + 1) * L + lane]
        dz = s[(D + 2) * L + lane]
        x = s[X * L + lane]
        y = s[(X + 1) * L + lane]
        z = s[(X + 2) * L + lane]
        n = s[N * L + lane]
        dd = wr * dx * dx + wg * dy * dy + wb * dz * dz
        k = n / max(dd, f(1e-6))
        ux = wr * dx * k
        uy = wg * dy * k
        uz = wb * dz * k
        s[U * L + lane] = ux
        s[(U + 1) * L + lane] = uy
        s[(U + 2) * L + lane] = uz
        s[K * L + lane] = -(x * ux + y * uy + z * uz)
        s[DD * L + lane] = dd / (n * n)
        s[ERR * L + lane] = s[VAR * L + lane] + s[W * L + lane] * (
            wr * x * x + wg * y * y + wb * z * z
        )


@kernel
def _score(s: Any) -> None:
    """Take what is lost with each texel at its nearest place."""
    for i in range(0, 16, 4):
        for lane in range(L):
            e = f(0)
            n = s[N * L + lane]
            for j in range(4):
                u = (
                    s[(P + 3 * (i + j)) * L + lane] * s[U * L + lane]
                    + s[(P + 3 * (i + j) + 1) * L + lane] * s[(U + 1) * L + lane]
                    + s[(P + 3 * (i + j) + 2) * L + lane] * s[(U + 2) * L + lane]
                    + s[K * L + lane]
                )
                t = np.rint(min(max(u, f(0)), n))
                e += s[(M + i + j) * L + lane] * t * (t - f(2) * u)
            s[ERR * L + lane] += e * s[DD * L + lane]


@kernel
def _sums(s: Any) -> None:
    """Score, and take what a refit needs."""
    for lane in range(L):
        for k in range(5):
            s[(S + k) * L + lane] = f(0)
    for i in range(0, 16, 4):
        for lane in range(L):
            e = f(0)
            a = f(0)
            b = f(0)
            x = f(0)
            y = f(0)
            z = f(0)
            n = s[N * L + lane]
            for j in range(4):
                r = s[(P + 3 * (i + j)) * L + lane]
                g = s[(P + 3 * (i + j) + 1) * L + lane]
                bl = s[(P + 3 * (i + j) + 2) * L + lane]
                u = (
                    r * s[U * L + lane]
                    + g * s[(U + 1) * L + lane]
                    + bl * s[(U + 2) * L + lane]
                    + s[K * L + lane]
                )
                t = np.rint(min(max(u, f(0)), n))
                mt = s[(M + i + j) * L + lane] * t
                e += mt * (t - f(2) * u)
                a += mt
                b += mt * t
                x += mt * r
                y += mt * g
                z += mt * bl
            s[ERR * L + lane] += e * s[DD * L + lane]
            s[S * L + lane] += a
            s[(S + 1) * L + lane] += b
            s[(S + 2) * L + lane] += x
            s[(S + 3) * L + lane] += y
            s[(S + 4) * L + lane] += z


@kernel
def _places(s: Any) -> None:
    """Give each texel its nearest place."""
    for i in range(0, 16, 4):
        for lane in range(L):
            n = s[N * L + lane]
            for j in range(4):
                u = (
                    s[(P + 3 * (i + j)) * L + lane] * s[U * L + lane]
                    + s[(P + 3 * (i + j) + 1) * L + lane] * s[(U + 1) * L + lane]
                    + s[(P + 3 * (i + j) + 2) * L + lane] * s[(U + 2) * L + lane]
                    + s[K * L + lane]
                )
                s[(T + i + j) * L + lane] = np.rint(min(max(u, f(0)), n))


@kernel
def _cost(a: Any, b: Any, saa: Any, sab: Any, sbb: Any, sa: Any, sb: Any) -> Any:
    """Return what two ends lose in one channel, but for a constant."""
    return saa * a * a + f(2) * sab * a * b + sbb * b * b - f(2) * (sa * a + sb * b)


@kernel
def _refit(s: Any) -> None:
    """Grid ends that fit the indices best."""
    for lane in range(L):
        n = s[N * L + lane]
        inv = f(1) / n
        w = s[W * L + lane]
        st = s[S * L + lane] * inv
        sbb = s[(S + 1) * L + lane] * inv * inv
        sab = st - sbb
        saa = w - f(2) * st + sbb
        det = saa * sbb - sab * sab
        solid = det > f(1e-3)
        di = f(1) / (det if solid else f(1))
        for c in range(3):
            top = f(63.0) if c == 1 else f(31.0)
            g = f(63.0 / 255) if c == 1 else f(31.0 / 255)
            mean = s[(MEAN + c) * L + lane]
            sb = s[(S + 2 + c) * L + lane] * inv
            sa = -sb
            a = (sa * sbb - sb * sab) * di
            b = (sb * saa - sa * sab) * di
            a = a if solid else s[(X + c) * L + lane]
            b = b if solid else s[(X + c) * L + lane] + s[(D + c) * L + lane]
            a = min(max((a + mean) * g, f(0)), top)
            b = min(max((b + mean) * g, f(0)), top)
            qa = np.rint(a)
            xa = _wide(qa, c == 1) - mean
            qb = np.rint(min(max(((sb - sab * xa) / max(sbb, f(1e-3)) + mean) * g, f(0)), top))
            e1 = _cost(xa, _wide(qb, c == 1) - mean, saa, sab, sbb, sa, sb)
            q2 = np.rint(b)
            xb = _wide(q2, c == 1) - mean
            q1 = np.rint(min(max(((sa - sab * xb) / max(saa, f(1e-3)) + mean) * g, f(0)), top))
            e2 = _cost(_wide(q1, c == 1) - mean, xb, saa, sab, sbb, sa, sb)
            s[(Q + c) * L + lane] = (qa if e1 < e2 else q1) if solid else qa
            s[(Q + 3 + c) * L + lane] = (qb if e1 < e2 else q2) if solid else q2


@kernel
def _evaluate(s: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Score the ends that are tried."""
    _span(s)
    _weigh(s, wr, wg, wb)
    _score(s)


@kernel
def _keep(s: Any) -> int:
    """Keep what is better than the best so far; return how many lanes that was."""
    n = 0
    for lane in range(L):
        n += 1 if s[ERR * L + lane] < s[BERR * L + lane] - f(1e-2) else 0
    if n == 0:
        return 0
    for lane in range(L):
        better = s[ERR * L + lane] < s[BERR * L + lane] - f(1e-2)
        for k in range(6):
            s[(BQ + k) * L + lane] = s[(Q + k) * L + lane] if better else s[(BQ + k) * L + lane]
        s[BN * L + lane] = s[N * L + lane] if better else s[BN * L + lane]
        s[BERR * L + lane] = s[ERR * L + lane] if better else s[BERR * L + lane]
    return n


@kernel
def _from_best(s: Any) -> None:
    """Go back to the best ends."""
    for k in range(7 * L):
        s[Q * L + k] = s[BQ * L + k]


@kernel
def _stepped(s: Any, first: int, by: Any, second: int, by2: Any) -> None:
    """The best ends with one or two of their six numbers moved."""
    for lane in range(L):
        for j in range(6):
            top = f(63.0) if j == 1 or j == 4 else f(31.0)
            move = (by if j == first else f(0)) + (by2 if j == second else f(0))
            s[(Q + j) * L + lane] = min(max(s[(BQ + j) * L + lane] + move, f(0)), top)
        s[N * L + lane] = s[BN * L + lane]


@kernel
def _moves(s: Any, rounds: int, wr: Any, wg: Any, wb: Any) -> None:
    """Move each number of the ends by single steps, as long as it gets better."""
    for _ in range(rounds):
        changed = 0
        for k in range(6):
            for sign in range(2):
                _stepped(s, k, f(1) if sign else f(-1.0), 6, f(0))
                _evaluate(s, wr, wg, wb)
                changed += _keep(s)
        if changed == 0:
            break


@kernel
def _pair_moves(s: Any, rounds: int, wr: Any, wg: Any, wb: Any) -> None:
    """Move any two numbers of the ends at once, as long as it gets better."""
    for _ in range(rounds):
        changed = 0
        for c in range(5):
            for c2 in range(c + 1, 6):
                for way in range(4):
                    _stepped(s, c, f(1) if way & 1 else f(-1.0), c2, f(1) if way & 2 else f(-1.0))
                    _evaluate(s, wr, wg, wb)
                    changed += _keep(s)
        if changed == 0:
            break


@kernel
def _swap(s: Any, out: bool) -> None:
    """Put the best of all aside, or take the better of both back."""
    if out:
        for lane in range(L):
            for k in range(8):
                s[(GQ + k) * L + lane] = s[(BQ + k) * L + lane]
            s[BERR * L + lane] = f(1e30)
    else:
        for lane in range(L):
            better = s[GERR * L + lane] <= s[BERR * L + lane]
            for k in range(8):
                s[(BQ + k) * L + lane] = (
                    s[(GQ + k) * L + lane] if better else s[(BQ + k) * L + lane]
                )


@kernel
def _refine(s: Any, rounds: int, wr: Any, wg: Any, wb: Any) -> None:
    """Place and refit in turn, as long as it gets better."""
    for lane in range(L):
        s[OERR * L + lane] = f(1e29)
    for k in range(rounds):
        _span(s)
        _weigh(s, wr, wg, wb)
        if k < rounds - 1:
            _sums(s)
        else:
            _score(s)
        alive = 0
        for lane in range(L):
            # A lane that got no better stops, whatever those beside it do.
            better = s[ERR * L + lane] < s[OERR * L + lane]
            s[ERR * L + lane] = s[ERR * L + lane] if better else f(1e30)
            s[OERR * L + lane] = s[ERR * L + lane] if better else f(-1e30)
            alive += 1 if better else 0
        if alive == 0:
            break
        _keep(s)
        if k < rounds - 1:
            _refit(s)


@kernel
def _exact(s: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Score the ends that are tried as a decoder would see them, rounding and all."""
    _span(s)
    _weigh(s, wr, wg, wb)
    _places(s)
    for lane in range(L):
        s[ERR * L + lane] = f(0)
    for i in range(16):
        for lane in range(L):
            t = s[(T + i) * L + lane] * (f(1 / 3) if s[N * L + lane] > f(2.5) else f(0.5))
            e = f(0)
            for c in range(3):
                mean = s[(MEAN + c) * L + lane]
                x = np.floor(s[(X + c) * L + lane] + mean + t * s[(D + c) * L + lane] + f(0.5))
                x -= mean + s[(P + 3 * i + c) * L + lane]
                e += x * x * (wr if c == 0 else (wg if c == 1 else wb))
            s[ERR * L + lane] += e * s[(M + i) * L + lane]


@kernel
def _settle(s: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Fall back on what the tier below found where, exactly, that is better; else note this."""
    _from_best(s)
    _exact(s, wr, wg, wb)
    for lane in range(L):
        worse = s[HERR * L + lane] <= s[ERR * L + lane]
        for k in range(7):
            s[(BQ + k) * L + lane] = s[(HQ + k) * L + lane] if worse else s[(BQ + k) * L + lane]
        error = min(s[HERR * L + lane], s[ERR * L + lane])
        s[HERR * L + lane] = error
        for k in range(7):
            s[(HQ + k) * L + lane] = s[(BQ + k) * L + lane]


@kernel
def _narrow(s: Any, most: Any) -> int:
    """Return how many blocks spread less than that."""
    count = 0
    for lane in range(L):
        count += 1 if s[VAR * L + lane] < most else 0
    return count


@kernel
def _match(s: Any, matches: Any, most: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Try the ends whose second place comes closest to the mean; blocks of one colour keep them.

    Only blocks that spread less than ``most`` take them, whatever those beside them do.
    """
    for lane in range(L):
        three = s[HOLES * L + lane] < f(0.5)
        s[N * L + lane] = f(3) if three else f(2)
        for c in range(3):
            v = np.int32(min(max(np.rint(s[(MEAN + c) * L + lane]), f(0)), f(255)))
            row = (1 if three else 0) + (2 if c == 1 else 0)
            s[(Q + c) * L + lane] = f(matches[row, v, 0])
            s[(Q + 3 + c) * L + lane] = f(matches[row, v, 1])
    _evaluate(s, wr, wg, wb)
    for lane in range(L):
        spread = s[VAR * L + lane]
        error = s[ERR * L + lane] if spread < most else f(1e30)
        s[ERR * L + lane] = f(-1) if spread < f(EVEN) else error
    _keep(s)


@kernel
def _sums_of_best(s: Any, wr: Any, wg: Any, wb: Any) -> None:
    """Take what a refit of the best ends needs."""
    _from_best(s)
    _span(s)
    _weigh(s, wr, wg, wb)
    _sums(s)


@kernel
def _explore(
    s: Any, starts: Any, four: bool, rounds: int, moves: int, wr: Any, wg: Any, wb: Any
) -> None:
    """Begin with other ends, each refined and, where asked for, moved by itself."""
    for k in range(starts.shape[0]):
        if four and starts[k, 0] < f(3):
            continue
        if moves:
            _swap(s, True)
        _begin(s, starts[k])
        _weigh(s, wr, wg, wb)
        _sums(s)
        _refit(s)
        _refine(s, rounds, wr, wg, wb)
        if moves:
            _moves(s, moves, wr, wg, wb)
            _swap(s, False)


@kernel
def _pack(s: Any, four: bool, words: Any) -> None:
    """Write ends and indices, as two words a lane."""
    _from_best(s)
    _span(s)
    _weigh(s, f(1), f(1), f(1))
    for lane in range(L):
        a = np.int32(s[BQ * L + lane]) << 11
        a |= (np.int32(s[(BQ + 1) * L + lane]) << 5) | np.int32(s[(BQ + 2) * L + lane])
        b = np.int32(s[(BQ + 3) * L + lane]) << 11
        b |= (np.int32(s[(BQ + 4) * L + lane]) << 5) | np.int32(s[(BQ + 5) * L + lane])
        # Four colours are meant by a first end that is greater, three by one that is not.
        three = s[BN * L + lane] < f(2.5)
        turned = (b > a) != three and not four
        same = a == b
        n = s[BN * L + lane]
        # Places are counted from the end that is stored first; where both are one, all are 0.
        for c in range(3):
            u = s[(U + c) * L + lane]
            s[(U + c) * L + lane] = f(0) if same else (-u if turned else u)
        k = s[K * L + lane]
        s[K * L + lane] = f(0) if same else (n - k if turned else k)
        words[0, lane] = np.uint32(b if turned else a) | (
            np.uint32(a if turned else b) << np.uint32(16)
        )
        words[1, lane] = np.uint32(0)
    for i in range(0, 16, 4):
        for lane in range(L):
            n = s[BN * L + lane]
            word = np.uint32(0)
            for j in range(4):
                u = (
                    s[(P + 3 * (i + j)) * L + lane] * s[U * L + lane]
                    + s[(P + 3 * (i + j) + 1) * L + lane] * s[(U + 1) * L + lane]
                    + s[(P + 3 * (i + j) + 2) * L + lane] * s[(U + 2) * L + lane]
                    + s[K * L + lane]
                )
                t = np.rint(min(max(u, f(0)), n))
                code = t + (f(1) if t > f(0.5) else f(0)) - (n if t > n - f(0.5) else f(0))
                code = f(3) if s[HOLES * L + lane] - s[(M + i + j) * L + lane] > f(0.5) else code
                word |= np.uint32(np.int32(code)) << np.uint32(2 * j)
            words[1, lane] |= word << np.uint32(2 * i)


@kernel
def encode_colours(
    texels: Any,
    start: int,
    stop: int,
    out: Any,
    stride: int,
    at: int,
    four: bool,
    limit: Any,
    least: Any,
    holes: bool,
    weights: Any,
    matches: Any,
    first_starts: Any,
    more_starts: Any,
    tier: int,
) -> None:
    """Encode the colour of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    texels : ndarray, uint32, shape (height, width)
        Red in the lowest byte, alpha in the highest; sides are multiples of four.
    start, stop : int
        Half-open range of blocks, counted row by row.
    out : ndarray, uint32, flat
        Written at ``block * stride + at``, two words a block.
    stride, at : int
        Words of a whole block, and where in it these two lie.
    four : bool
        Whether the decoder always reads four colours (BC2 and BC3).
    limit : uint32
        Texels of an alpha below it count ``least``.
    least : float32
    holes : bool
        Whether those are left see-through.
    weights : ndarray, float32, shape (3,)
        How much each channel's squared error counts.
    matches : ndarray, uint8, shape (4, 256, 2)
        The ends whose second place is nearest to a value; see :func:`.colours.matches_of_one`.
    first_starts, more_starts : ndarray, float32, shape (count, 5)
        Beginnings of the standard tier, and those that the best one adds.
    tier : int
        0, 1 or 2: fast, standard or best.
    """
    s = np.zeros(ROWS * L, np.float32)
    words = np.empty((2, L), np.uint32)
    opening = np.array([3, 0.06, 0.06, 2, 2], np.float32)
    wr = weights[0]
    wg = weights[1]
    wb = weights[2]
    for first in range(start, stop, L):
        _load(texels, start, stop, first, limit, least, holes, s)
        _centre(s, wr, wg, wb)
        _axis(s)
        for lane in range(L):
            s[BERR * L + lane] = f(1e30)
            s[HERR * L + lane] = f(1e30)
        _begin(s, opening)
        _weigh(s, wr, wg, wb)
        _sums(s)
        _refit(s)
        even = _narrow(s, f(EVEN))
        most = f(1e30) if tier > 0 else f(NARROW)
        if _narrow(s, most):
            _evaluate(s, wr, wg, wb)
            _keep(s)
            _match(s, matches, most, wr, wg, wb)
        else:
            for k in range(7 * L):
                s[BQ * L + k] = s[Q * L + k]
        if tier > 0 and even < L:
            _settle(s, wr, wg, wb)
            _sums_of_best(s, wr, wg, wb)
            _refit(s)
            _refine(s, 2, wr, wg, wb)
            _explore(s, first_starts, four, 2, 0, wr, wg, wb)
            _moves(s, 1, wr, wg, wb)
            _settle(s, wr, wg, wb)
        if tier > 1 and even < L:
            _explore(s, more_starts, four, 2, 1, wr, wg, wb)
            _pair_moves(s, 1, wr, wg, wb)
            _moves(s, 1, wr, wg, wb)
            _settle(s, wr, wg, wb)
        _pack(s, four, words)
        for lane in range(min(L, stop - first)):
            place = (first + lane) * stride + at
            out[place] = words[0, lane]
            out[place + 1] = words[1, lane]
