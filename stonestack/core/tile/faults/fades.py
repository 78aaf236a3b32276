"""Cross-fades, by what a cross-fade does to this very tile: two grains seen at once.

The tile is laid over itself, half and half, some way off. How its contrasts change by that, held
against how they vary from place to place anyway (R. Fisher, "The Use of Multiple Measurements in
Taxonomic Problems", Annals of Eugenics 7, 1936, section II), makes of all of them one number for
each place: 0 as the tile is, 1 as where two parts of it are seen half and half. So a patchy matter,
whose contrast varies by itself, is told by its edges of half strength, and one of steady grain by
its contrast, and neither needs a threshold of its own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, LEAST_SIDE, Evidence, finer_to_coarser

_SIDE = 448
_BLOCKS = 8
_SCALES = 4
_SHARES = (0.05, 0.1, 0.18)
"""Widths of the bands that are looked for, of the side."""
_SHIFTS = ((0.37, 0.61), (0.71, 0.29))
_POWERS = (0.5, 1.0, 2.0, 4.0)
"""From what is usual to what stands out."""
_SIDED = (1.0, 4.0)
_BROAD = {0: 29, 2: 14}
"""Of some scales, how many pixels values are held against either way, twice."""
_FLOOR = np.float32(1e-3)
_DARK = np.float32(0.05)
_OWN_SHARE = 0.3
"""How much each contrast is taken to vary by itself, beside what the others have in common."""
_OWN = 1e-4
_TOLD_APART = 1.5
"""Squared distance, in deviations of one block, from which on a fade would be seen in this tile."""
_MOST = 1.2
"""More than two grains at once cannot be."""
_CERTAIN, _BEYOND, _FADED = 4.0, 1.3, 0.55
"""What counts as much: errors, the largest elsewhere, and shares of a tile laid over itself."""


def fade_evidence(values: Floats) -> list[Evidence]:
    """Look for bands along both axes in which two parts are seen at once.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it; too small a one, or too long a strip, is not looked at.
    """
    small = at_most(values, _SIDE).mean(axis=2, dtype=np.float32)
    height, width = small.shape
    if min(height, width) < LEAST_SIDE:
        return []
    laid_over = [
        np.float32(0.5) * (small + np.roll(small, (int(y * height), int(x * width)), (0, 1)))
        for y, x in _SHIFTS
    ]
    pictures = [_contrasts(light) for light in (small, *laid_over)]
    found = []
    for axis, count in ((1, width), (0, height)):
        blocks = [_by_blocks(contrasts, axis) for contrasts in pictures]
        for share in _SHARES:
            own, *others = (_around(block, share, count) for block in blocks)
            faded = _faded(own, others)
            if faded is not None:
                found += _at_most_faded(faded, share, axis, values.shape)
    return found


@dataclass(frozen=True)
class _Contrasts:
    """Powers of what differs from its surroundings, at one scale.

    Parameters
    ----------
    powers : ndarray, float32, shape (contrasts, height, width), or (contrasts, blocks, columns)
        At each place, or their means over blocks.
    exponents : ndarray, float32, shape (contrasts,)
        Of which powers.
    """

    powers: Floats
    exponents: Floats


def _contrasts(light: Floats) -> list[_Contrasts]:
    """Return what differs from its surroundings, at several scales."""
    found = []
    logarithm = np.log(np.maximum(light, _DARK))[..., np.newaxis]
    for n, scale in enumerate(finer_to_coarser(logarithm, _SCALES)):
        apart = np.abs(_less_around(scale[..., 0], 1)) + _FLOOR
        measured = [(apart, power) for power in _POWERS]
        if n in _BROAD:
            # Joints and chips of another tone are half as dark where something else lies over.
            apart = _less_around(scale[..., 0], _BROAD[n])
            for sign in (1, -1):
                one_sided = np.maximum(sign * apart, 0) + _FLOOR
                measured += [(one_sided, power) for power in _SIDED]
        powers = np.stack([_power(values, power) for values, power in measured])
        found.append(_Contrasts(powers, np.array([power for _, power in measured], np.float32)))
    return found


def _power(values: Floats, power: float) -> Floats:
    """Return a power; the fourth as a square of squares, which is much faster."""
    return np.square(np.square(values)) if power == 4 else values**power


def _less_around(light: Floats, reach: int) -> Floats:
    """Return a ring less what lies around each place, two means over so many pixels either way."""
    import cv2

    pad = 2 * reach
    side = (2 * reach + 1,) * 2
    soft = cv2.blur(cv2.blur(bordered(light, pad, True), side), side)
    return np.asarray(light - soft[pad:-pad, pad:-pad], np.float32)


def _by_blocks(contrasts: list[_Contrasts], axis: int) -> list[_Contrasts]:
    """Return the means over blocks of rows, or for axis 0 of columns."""
    found = []
    for one in contrasts:
        along = one.powers if axis == 1 else one.powers.transpose(0, 2, 1)
        edges = np.linspace(0, along.shape[1], _BLOCKS + 1).round().astype(int)
        total = np.add.reduceat(along, edges[:-1], axis=1)
        mean = total / np.diff(edges).astype(np.float32)[:, np.newaxis]
        found.append(_Contrasts(np.asarray(mean, np.float32), one.exponents))
    return found


def _around(blocks: list[_Contrasts], share: float, count: int) -> Floats:
    """Return the contrasts of a band around each column, as logarithms.

    Parameters
    ----------
    blocks : list of _Contrasts
        By blocks of rows.
    share : float
        Width of the band, of the side.
    count : int
        Columns of the finest scale.

    Returns
    -------
    ndarray, float32, shape (contrasts, blocks, count)
    """
    found = []
    for one in blocks:
        columns = one.powers.shape[2]
        span = max(3, int(share * columns) | 1)
        ends = ((0, 0), (0, 0), (span // 2, span // 2))
        ring = np.pad(one.powers, ends, mode="wrap")
        total = np.pad(np.cumsum(ring, axis=2, dtype=np.float64), ((0, 0), (0, 0), (1, 0)))
        around = np.log((total[..., span:] - total[..., :-span]) / span)
        around /= one.exponents[:, np.newaxis, np.newaxis]
        found.append(around[..., np.arange(count) * columns // count].astype(np.float32))
    return np.concatenate(found)


def _faded(own: Floats, others: list[Floats]) -> Floats | None:
    """Return how much each block looks as if the tile lay over itself, 0 to 1.

    Parameters
    ----------
    own : ndarray, float32, shape (contrasts, blocks, columns)
        Of the tile.
    others : list of ndarray
        The same of the tile laid over itself.

    Returns
    -------
    ndarray, float32, shape (blocks, columns), or None
        None where the tile would hardly change.
    """
    away = own - median(own.reshape(len(own), -1), axis=1)[..., np.newaxis]
    change = np.mean([(other - own).mean(axis=(1, 2), dtype=np.float64) for other in others], 0)
    flat = away.reshape(len(own), -1).astype(np.float64)
    varies = flat @ flat.T / flat.shape[1]
    varies += np.diag(_OWN_SHARE * np.diag(varies) + _OWN)
    weights = np.linalg.solve(varies, change)
    apart = float(weights @ change)
    if apart < _TOLD_APART:
        return None
    return np.tensordot((weights / apart).astype(np.float32), away, axes=1)


def _at_most_faded(
    faded: Floats, share: float, axis: int, shape: tuple[int, ...]
) -> list[Evidence]:
    """Return the band that looks faded most, if it does beyond all others and in all blocks."""
    count = faded.shape[1]
    level = faded.mean(axis=0)
    x = int(np.argmax(level))
    most = float(level[x])
    away = np.abs((np.arange(count) - x + count / 2) % count - count / 2)
    elsewhere = level[away > 1.1 * share * count]
    error = float(faded[:, x].std(ddof=1)) / math.sqrt(_BLOCKS)
    other = max(float(elsewhere.max()), -float(elsewhere.min()))
    beyond = min(most / (_CERTAIN * (error + 0.05)), most / (_BEYOND * other + 0.15), most / _FADED)
    excess = beyond - 1
    if most > _MOST or excess <= HINT:
        return []
    height, width = shape[:2]
    side = (height, width)[axis]
    wide = share * side
    at = ((x + 0.5) / count * side - wide / 2) % side
    box = (at, 0.0, wide, float(height)) if axis == 1 else (0.0, at, float(width), wide)
    return [Evidence("fade", box, excess, most)]
