"""Which partitions of a block are worth trying: an estimate of all of them."""

from __future__ import annotations

from typing import Any

from stonestack.core.files.blocks.lanes import LANES as L
from stonestack.core.files.blocks.lanes import f, kernel


@kernel
def rank(
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
