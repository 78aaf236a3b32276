"""One channel on a line between two ends: the encoder of BC4, of both halves of BC5, and of the
alpha of BC3.

Layout: Khronos Data Format Specification 1.3, section 19.1 (RGTC). Two ends of 8 bits, then sixteen
indices of 3 bits. With the first end greater, six values lie between them; otherwise four do, and
the last two indices are the limits: 0 and 255, or -127 and 127 where numbers are signed. Signed
numbers are worked on as 0 to 254.

Sixteen blocks are worked on side by side, one a lane (see :mod:`.endpoints`). Both kinds are tried:
ends begin at the block's extremes, for the second kind without what is at or near the limits, drawn
in by a share; a refit by least squares and steps of either end follow, coarse ones first. Errors
are those of whole numbers, as a decoder rounds them.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, kernel

# Rows of the scratch array.
V = 0
"""Values, 0 to 255 or 254."""
M = 16
"""How much each counts."""
LOW = 32
HIGH = 33
A = 34
"""The ends that are tried, and the steps between them: 7, or 5 with both limits beside."""
B = 35
N = 36
ERR = 37
BA = 38
"""The best ends found, likewise."""
BB = 39
BN = 40
BERR = 41
S = 42
"""Sums over texels on the line: weights, places, their squares, values, places times values."""
OERR = 47
GA = 48
"""The best of all beginnings, while another is tried."""
GERR = 51
RIM = 52
"""0 where a block has values near the limits, else more than any error."""
SHUT = 53
"""What is added to a lane's error: more than any where a beginning is none of its own."""
SLOPE = 54
"""Places a level between the ends."""
STEP = 55
"""Levels a place between them."""
NEAR = 56
"""Squares of how far values lie from the nearer limit."""
ROWS = 72

NARROW = 32
"""Levels between the extremes of a block in which rounding matters."""
REACH = 2
"""Levels that either end is moved by then."""


@kernel
def _load(texels: Any, start: int, stop: int, first: int, shift: Any, signed: bool, s: Any) -> None:
    """Put one channel of sixteen blocks into the lanes."""
    across = texels.shape[1] // 4
    byte = np.uint32(255)
    # As bytes, signed numbers are 0 to 127 and then -128 to -1; -128 means -127.
    turn = np.uint32(127 if signed else 0)
    row = first + L <= stop and first // across == (first + L - 1) // across
    y0 = first // across * 4
    x0 = first % across * 4
    if row:
        for i in range(0, 16, 4):
            y = y0 + (i >> 2)
            for lane in range(L):
                for j in range(4):
                    v = texels[np.uint64(y), np.uint64(x0 + j + 4 * lane)]
                    v = ((v >> shift) + turn) & byte
                    s[(V + i + j) * L + lane] = f(np.int32(v))
    else:
        for i in range(16):
            for lane in range(L):
                block = min(first + lane, stop - 1)
                v = texels[block // across * 4 + (i >> 2), block % across * 4 + (i & 3)]
                s[(V + i) * L + lane] = f(np.int32(((v >> shift) + turn) & byte))
    if signed:
        for i in range(16):
            for lane in range(L):
                v = s[(V + i) * L + lane]
                s[(V + i) * L + lane] = f(0) if v > f(254.5) else v


@kernel
def _measure(s: Any, top: Any) -> None:
    """Take how far values lie from the limits."""
    for lane in range(L):
        for i in range(16):
            v = s[(V + i) * L + lane]
            h = min(v, top - v)
            s[(NEAR + i) * L + lane] = h * h


@kernel
def _weigh(s: Any, limits: Any, top: Any) -> None:
    """Set how much each texel counts: those at the limits as told."""
    for lane in range(L):
        for i in range(16):
            v = s[(V + i) * L + lane]
            s[(M + i) * L + lane] = limits if v < f(0.5) or v > top - f(0.5) else f(1)


@kernel
def _set_aside(s: Any) -> None:
    """Put the values where their weights go, until those are made of them."""
    for k in range(16 * L):
        s[M * L + k] = s[V * L + k]


@kernel
def _weigh_angles(s: Any, top: Any) -> None:
    """Set how much each texel counts where values are x of unit vectors, and y stands aside.

    An error of x turns the vector by that, and by what z follows: its square counts
    ``1 + x * x / (z * z)``. Of that the root is taken, halfway to errors that all count alike: it
    keeps nearly all that is won in angle, and a quarter of what is lost in numbers.
    """
    scale = f(2) / top
    for i in range(0, 16, 4):
        for lane in range(L):
            for j in range(4):
                x = s[(V + i + j) * L + lane] * scale - f(1)
                y = s[(M + i + j) * L + lane] * scale - f(1)
                z = max(f(1) - x * x - y * y, f(1 / 16))
                s[(M + i + j) * L + lane] = np.sqrt(f(1) + x * x / z)


@kernel
def _span(s: Any, top: Any) -> None:
    """Take the extremes."""
    for lane in range(L):
        s[SHUT * L + lane] = f(0)
        lo = top
        hi = f(0)
        for i in range(16):
            v = s[(V + i) * L + lane]
            lo = min(lo, v)
            hi = max(hi, v)
        s[LOW * L + lane] = lo
        s[HIGH * L + lane] = hi


@kernel
def _take_even(s: Any) -> int:
    """Take blocks of one value as they are; return how many have more."""
    count = 0
    for lane in range(L):
        low = s[LOW * L + lane]
        even = s[HIGH * L + lane] < low + f(0.5)
        s[BA * L + lane] = low
        s[BB * L + lane] = low
        s[BN * L + lane] = f(7)
        # Less than nothing, so that no search takes their place.
        s[BERR * L + lane] = f(-1) if even else f(1e30)
        count += 0 if even else 1
    return count


@kernel
def _at_limits(s: Any, margin: Any, top: Any) -> int:
    """Note which blocks have values near the limits; return how many."""
    n = 0
    for lane in range(L):
        near = s[LOW * L + lane] < margin or s[HIGH * L + lane] > top - margin
        n += 1 if near else 0
        s[RIM * L + lane] = f(0) if near else f(1e30)
    return n


@kernel
def _shut(s: Any, rims_only: bool) -> None:
    """Shut the lanes of blocks that have nothing near the limits, or open them all."""
    for lane in range(L):
        s[SHUT * L + lane] = s[RIM * L + lane] if rims_only else f(0)


@kernel
def _inner_span(s: Any, margin: Any, top: Any) -> None:
    """Take the extremes without what is near the limits."""
    for lane in range(L):
        lo = f(300)
        hi = f(-1)
        for i in range(16):
            v = s[(V + i) * L + lane]
            lo = min(lo, v if v > margin else f(300))
            hi = max(hi, v if v < top - margin else f(-1))
        lo = min(lo, top)
        hi = max(hi, f(0))
        s[LOW * L + lane] = min(lo, hi)
        s[HIGH * L + lane] = max(lo, hi)


@kernel
def _begin(s: Any, n: Any, near: Any, far: Any, top: Any) -> None:
    """Put the ends at the extremes, drawn in by shares."""
    for lane in range(L):
        lo = s[LOW * L + lane]
        hi = s[HIGH * L + lane]
        d = hi - lo
        s[A * L + lane] = np.rint(max(lo + near * d, f(0)))
        s[B * L + lane] = np.rint(min(hi - far * d, top))
        s[N * L + lane] = n


@kernel
def _lay(s: Any) -> int:
    """Lay the places between the ends; return how many blocks have six values."""
    six = 0
    for lane in range(L):
        d = s[B * L + lane] - s[A * L + lane]
        n = s[N * L + lane]
        slope = n / (d if abs(d) > f(0.5) else f(1))
        s[SLOPE * L + lane] = slope if abs(d) > f(0.5) else f(0)
        s[STEP * L + lane] = d * (f(1 / 7) if n > f(6) else f(1 / 5))
        s[ERR * L + lane] = s[SHUT * L + lane]
        six += 0 if n > f(6) else 1
    return six


@kernel
def _score(s: Any) -> None:
    """Take what is lost."""
    if _lay(s) == 0:
        for i in range(0, 16, 4):
            for lane in range(L):
                a = s[A * L + lane]
                slope = s[SLOPE * L + lane]
                step = s[STEP * L + lane]
                e = f(0)
                for j in range(4):
                    v = s[(V + i + j) * L + lane]
                    t = np.rint(min(max((v - a) * slope, f(0)), f(7)))
                    g = v - np.rint(a + t * step)
                    e += s[(M + i + j) * L + lane] * g * g
                s[ERR * L + lane] += e
        return
    for i in range(0, 16, 4):
        for lane in range(L):
            a = s[A * L + lane]
            n = s[N * L + lane]
            slope = s[SLOPE * L + lane]
            step = s[STEP * L + lane]
            far = f(1e6) if n > f(6.0) else f(0)
            e = f(0)
            for j in range(4):
                v = s[(V + i + j) * L + lane]
                t = np.rint(min(max((v - a) * slope, f(0)), n))
                g = v - np.rint(a + t * step)
                e += s[(M + i + j) * L + lane] * min(g * g, s[(NEAR + i + j) * L + lane] + far)
            s[ERR * L + lane] += e


@kernel
def _sums(s: Any) -> None:
    """Score, and take what a refit needs."""
    _lay(s)
    for lane in range(L):
        for k in range(5):
            s[(S + k) * L + lane] = f(0)
    for i in range(0, 16, 4):
        for lane in range(L):
            a = s[A * L + lane]
            n = s[N * L + lane]
            slope = s[SLOPE * L + lane]
            step = s[STEP * L + lane]
            far = f(1e6) if n > f(6.0) else f(0)
            e = f(0)
            w = f(0)
            st = f(0)
            stt = f(0)
            sv = f(0)
            stv = f(0)
            for j in range(4):
                v = s[(V + i + j) * L + lane]
                t = np.rint(min(max((v - a) * slope, f(0)), n))
                g = v - np.rint(a + t * step)
                h = s[(NEAR + i + j) * L + lane] + far
                m = s[(M + i + j) * L + lane]
                g *= g
                e += m * min(g, h)
                m = m if g <= h else f(0)
                w += m
                st += m * t
                stt += m * t * t
                sv += m * v
                stv += m * t * v
            s[ERR * L + lane] += e
            s[S * L + lane] += w
            s[(S + 1) * L + lane] += st
            s[(S + 2) * L + lane] += stt
            s[(S + 3) * L + lane] += sv
            s[(S + 4) * L + lane] += stv


@kernel
def _solve(s: Any) -> None:
    """Take the ends that fit the places best (least squares)."""
    for lane in range(L):
        w = s[S * L + lane]
        st = s[(S + 1) * L + lane]
        stt = s[(S + 2) * L + lane]
        sv = s[(S + 3) * L + lane]
        stv = s[(S + 4) * L + lane]
        det = w * stt - st * st
        solid = det > f(0.5)
        slope = (w * stv - st * sv) / (det if solid else f(1))
        a = (sv - slope * st) / max(w, f(1e-3))
        s[A * L + lane] = a if solid else s[A * L + lane]
        s[B * L + lane] = a + slope * s[N * L + lane] if solid else s[B * L + lane]


@kernel
def _rounded(s: Any, top: Any) -> None:
    """Take the ends as they are stored."""
    for lane in range(L):
        s[A * L + lane] = np.rint(min(max(s[A * L + lane], f(0)), top))
        s[B * L + lane] = np.rint(min(max(s[B * L + lane], f(0)), top))


@kernel
def _fit(s: Any, top: Any) -> None:
    """Refit eight values three times, whatever is lost: a good guess in little time."""
    for _ in range(3):
        for lane in range(L):
            d = s[B * L + lane] - s[A * L + lane]
            solid = abs(d) > f(1e-3)
            slope = f(7) / (d if solid else f(1))
            s[SLOPE * L + lane] = slope if solid else f(0)
            for k in range(5):
                s[(S + k) * L + lane] = f(0)
        for i in range(0, 16, 4):
            for lane in range(L):
                a = s[A * L + lane]
                slope = s[SLOPE * L + lane]
                w = f(0)
                st = f(0)
                stt = f(0)
                sv = f(0)
                stv = f(0)
                for j in range(4):
                    v = s[(V + i + j) * L + lane]
                    m = s[(M + i + j) * L + lane]
                    t = np.rint(min(max((v - a) * slope, f(0)), f(7)))
                    mt = m * t
                    w += m
                    st += mt
                    stt += mt * t
                    sv += m * v
                    stv += mt * v
                s[S * L + lane] += w
                s[(S + 1) * L + lane] += st
                s[(S + 2) * L + lane] += stt
                s[(S + 3) * L + lane] += sv
                s[(S + 4) * L + lane] += stv
        _solve(s)
    _rounded(s, top)


@kernel
def _keep(s: Any) -> int:
    """Keep what is better than the best so far; return how many lanes that was."""
    n = 0
    for lane in range(L):
        n += 1 if s[ERR * L + lane] < s[BERR * L + lane] else 0
    if n == 0:
        return 0
    for lane in range(L):
        better = s[ERR * L + lane] < s[BERR * L + lane]
        for k in range(3):
            s[(BA + k) * L + lane] = s[(A + k) * L + lane] if better else s[(BA + k) * L + lane]
        s[BERR * L + lane] = s[ERR * L + lane] if better else s[BERR * L + lane]
    return n


@kernel
def _stepped(s: Any, da: Any, db: Any, share: Any, top: Any) -> None:
    """Try the best ends moved: by a share of the span, or by one."""
    for lane in range(L):
        d = max(f(1), np.rint((s[BB * L + lane] - s[BA * L + lane]) * share))
        s[A * L + lane] = min(max(s[BA * L + lane] + da * d, f(0)), top)
        s[B * L + lane] = min(max(s[BB * L + lane] + db * d, f(0)), top)
        s[N * L + lane] = s[BN * L + lane]


@kernel
def _moves(s: Any, rounds: int, share: Any, corners: bool, top: Any) -> None:
    """Move either end or both, as long as it gets better."""
    for _ in range(rounds):
        changed = 0
        for k in range(8 if corners else 4):
            # Either end, then both: together, and against each other.
            sign = f(1) if k & 1 else f(-1)
            da = sign if k < 2 or k > 3 else f(0)
            db = sign if k == 2 or k == 3 or k == 4 or k == 5 else f(0)
            db = -sign if k > 5 else db
            _stepped(s, da, db, share, top)
            _score(s)
            changed += _keep(s)
        if changed == 0:
            break


@kernel
def _nearby(s: Any, top: Any) -> None:
    """Try all ends about the best of blocks of little span, where rounding decides."""
    _span(s, top)
    few = 0
    for lane in range(L):
        narrow = s[HIGH * L + lane] - s[LOW * L + lane] < f(NARROW) and s[BERR * L + lane] > f(0)
        few += 1 if narrow else 0
        s[SHUT * L + lane] = f(0) if narrow else f(1e30)
        for k in range(3):
            s[(GA + k) * L + lane] = s[(BA + k) * L + lane]
    if few == 0:
        return
    for da in range(-REACH, REACH + 1):
        for db in range(-REACH, REACH + 1):
            for lane in range(L):
                s[A * L + lane] = min(max(s[GA * L + lane] + f(da), f(0)), top)
                s[B * L + lane] = min(max(s[(GA + 1) * L + lane] + f(db), f(0)), top)
                s[N * L + lane] = s[(GA + 2) * L + lane]
            _score(s)
            _keep(s)


@kernel
def _index(t: Any, n: Any, turned: bool) -> Any:
    """Return what is stored of a place: both ends come first."""
    t = n - t if turned else t
    return t + (f(1) if t > f(0.5) else f(0)) - (n if t > n - f(0.5) else f(0))


@kernel
def _indices(s: Any, codes: Any) -> None:
    """Write the index of the nearest place of each texel."""
    for i in range(0, 16, 4):
        half = i >> 3
        by = np.uint32(3 * (i & 7))
        for lane in range(L):
            a = s[BA * L + lane]
            n = s[BN * L + lane]
            k = s[SLOPE * L + lane]
            # Eight values: the first stored end is the greater; six: it is not.
            turned = (s[BB * L + lane] > a) == (n > f(6))
            word = np.uint32(0)
            for j in range(4):
                t = np.rint(min(max((s[(V + i + j) * L + lane] - a) * k, f(0)), n))
                word |= np.uint32(np.int32(_index(t, n, turned))) << np.uint32(3 * j)
            codes[half, lane] |= word << by


@kernel
def _indices_and_limits(s: Any, codes: Any, top: Any) -> None:
    """Write the indices where some blocks have six values, and what is nearer to a limit as it."""
    for i in range(0, 16, 4):
        half = i >> 3
        by = np.uint32(3 * (i & 7))
        for lane in range(L):
            a = s[BA * L + lane]
            n = s[BN * L + lane]
            k = s[SLOPE * L + lane]
            step = (s[BB * L + lane] - a) / n
            far = f(1e6) if n > f(6) else f(0)
            turned = (s[BB * L + lane] > a) == (n > f(6))
            word = np.uint32(0)
            for j in range(4):
                v = s[(V + i + j) * L + lane]
                t = np.rint(min(max((v - a) * k, f(0)), n))
                g = v - np.rint(a + t * step)
                h = v if v < top * f(0.5) else top - v
                limit = f(6) if v < top * f(0.5) else f(7)
                code = _index(t, n, turned) if g * g <= h * h + far else limit
                word |= np.uint32(np.int32(code)) << np.uint32(3 * j)
            codes[half, lane] |= word << by


@kernel
def _pack(s: Any, codes: Any, top: Any, signed: bool) -> None:
    """Write ends and indices, as two words a lane."""
    six = 0
    for lane in range(L):
        codes[0, lane] = np.uint32(0)
        codes[1, lane] = np.uint32(0)
        d = s[BB * L + lane] - s[BA * L + lane]
        k = s[BN * L + lane] / (d if abs(d) > f(0.5) else f(1))
        s[SLOPE * L + lane] = k if abs(d) > f(0.5) else f(0)
        six += 1 if s[BN * L + lane] < f(6) else 0
    if six:
        _indices_and_limits(s, codes, top)
    else:
        _indices(s, codes)
    for lane in range(L):
        a = s[BA * L + lane]
        d = s[BB * L + lane] - a
        n = s[BN * L + lane]
        turned = (d > f(0)) == (n > f(6.0))
        first = np.uint32(np.int32(a + d if turned else a))
        second = np.uint32(np.int32(a if turned else a + d))
        if signed:
            first = (first - np.uint32(127)) & np.uint32(255)
            second = (second - np.uint32(127)) & np.uint32(255)
        low = codes[0, lane]
        codes[0, lane] = first | (second << np.uint32(8)) | (low << np.uint32(16))
        codes[1, lane] = (low >> np.uint32(16)) | (codes[1, lane] << np.uint32(8))


@kernel
def _swap(s: Any, out: bool) -> None:
    """Put the best of all aside, or take the better of both back."""
    for lane in range(L):
        better = s[GERR * L + lane] <= s[BERR * L + lane] and not out
        for k in range(4):
            held = s[(GA + k) * L + lane]
            s[(GA + k) * L + lane] = s[(BA + k) * L + lane]
            s[(BA + k) * L + lane] = held if better else s[(BA + k) * L + lane]
        s[BERR * L + lane] = f(1e30) if out else s[BERR * L + lane]


@kernel
def _refined(s: Any, top: Any, rounds: int) -> None:
    """Refit as long as it gets better."""
    for lane in range(L):
        s[OERR * L + lane] = f(1e29)
    for k in range(rounds + 1):
        if k < rounds:
            _sums(s)
        else:
            _score(s)
        alive = 0
        for lane in range(L):
            # A lane that got no better stops, whatever those beside it do.
            better = s[ERR * L + lane] < s[OERR * L + lane]
            s[ERR * L + lane] = s[ERR * L + lane] if better else f(1e30)
            s[OERR * L + lane] = s[ERR * L + lane] if better else f(-1)
            alive += 1 if better else 0
        if alive == 0:
            break
        _keep(s)
        if k < rounds:
            _solve(s)
            _rounded(s, top)


@kernel
def encode_scalar(
    texels: Any,
    start: int,
    stop: int,
    out: Any,
    stride: int,
    at: int,
    channel: int,
    signed: bool,
    angles: bool,
    limits: Any,
    starts: Any,
    more_starts: Any,
    margins: Any,
    shares: Any,
    tier: int,
) -> None:
    """Encode one channel of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    texels : ndarray, uint32, shape (height, width)
        Channel 0 in the lowest byte; sides are multiples of four.
    start, stop : int
        Half-open range of blocks, counted row by row.
    out : ndarray, uint32, flat
        Written at ``block * stride + at``, two words a block.
    stride, at : int
        Words of a whole block, and where in it these two lie.
    channel : int
    signed : bool
        Whether numbers go from -127 to 127, in two's complement.
    angles : bool
        Whether channels 0 and 1 are x and y of unit vectors, whose angle counts.
    limits : float32
        How much texels at either limit count.
    starts, more_starts : ndarray, float32, shape (count, 2)
        Shares by which both ends begin drawn in, or out where negative: of eight values, of six
        and two for rims, and those that the best tier adds.
    margins : ndarray, float32
        How near a limit a value may be taken as it.
    shares : ndarray, float32
        Steps of the ends as shares of the span, coarse ones first; 0 means by one.
    tier : int
        0, 1 or 2: fast, standard or best.
    """
    s = np.zeros(ROWS * L, np.float32)
    codes = np.empty((2, L), np.uint32)
    top = f(254) if signed else f(255)
    shift = np.uint32(8 * channel)
    for first in range(start, stop, L):
        if angles:
            _load(texels, start, stop, first, np.uint32(8 - shift), signed, s)
            _set_aside(s)
        _load(texels, start, stop, first, shift, signed, s)
        if angles:
            _weigh_angles(s, top)
        else:
            _weigh(s, limits, top)
        _span(s, top)
        uneven = _take_even(s)
        _begin(s, f(7), starts[0, 0], starts[0, 1], top)
        _fit(s, top)
        if tier == 0 and _at_limits(s, margins[0], top) == 0:
            for k in range(3 * L):
                s[BA * L + k] = s[A * L + k]
        else:
            _measure(s, top)
            _score(s)
            _keep(s)
        # Rims of masks: what is near a limit is at it, the rest is evenly spaced.
        for m in range((margins.shape[0] if tier > 0 else 1) if uneven else 0):
            _span(s, top)
            rims = _at_limits(s, margins[m], top)
            if rims == 0 and (tier == 0 or m > 0):
                continue
            _inner_span(s, margins[m], top)
            for k in range(starts.shape[0] - 1 if rims and tier > 0 else 1):
                # Where rounding decides, six values may be better anyhow.
                _shut(s, tier == 0 or m + k > 0)
                _begin(s, f(5), starts[k + 1, 0], starts[k + 1, 1], top)
                _refined(s, top, 1)
            _shut(s, False)
        if tier > 0 and uneven:
            for k in range(shares.shape[0]):
                _moves(s, 1, shares[k], True, top)
        if tier > 1 and uneven:
            for kind in range(1 + margins.shape[0]):
                _span(s, top)
                if kind > 0:
                    rims = _at_limits(s, margins[kind - 1], top)
                    if kind > 1 and rims == 0:
                        continue
                    _inner_span(s, margins[kind - 1], top)
                for k in range(more_starts.shape[0]):
                    _swap(s, True)
                    _begin(s, f(5) if kind else f(7), more_starts[k, 0], more_starts[k, 1], top)
                    _refined(s, top, 1)
                    _moves(s, 1, f(1 / 28), True, top)
                    _moves(s, 1, f(0), True, top)
                    _swap(s, False)
            _moves(s, 2, f(0), True, top)
            _nearby(s, top)
        _pack(s, codes, top, signed)
        for lane in range(min(L, stop - first)):
            place = (first + lane) * stride + at
            out[place] = codes[0, lane]
            out[place + 1] = codes[1, lane]
