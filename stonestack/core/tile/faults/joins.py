"""False joins, by what one does to this very tile: two columns side by side that never were.

Each column is laid beside one from elsewhere in the tile. By how much that changes the steps
between them and how alike they are, held against how all of these vary anyway (R. Fisher, "The Use
of Multiple Measurements in Taxonomic Problems", Annals of Eugenics 7, 1936, section II), one
number is made for each piece of each column: 0 where it goes on as the tile usually does, 1 where
the next column might as well come from anywhere. What is the same all along a piece, as a line
or a step of tone is, counts as nothing: that is looked for by itself.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, LEAST_SIDE, Evidence, finer_to_coarser, peaks

_SIDE = 448
_SCALES = 3
_PIECES = 16
_RUNS = (16, 8, 4)
"""Sixteenths of the height that a join takes."""
_SHIFTS = ((0.37, 0.61), (0.71, 0.29))
_FLOOR = np.float32(1e-3)
_FINE, _BROAD = 1, 7
"""Rows about one that are taken from it before columns are held alike."""
_OWN_SHARE, _OWN = 0.2, 1e-4
"""How much each measure is taken to vary by itself, beside what they have in common."""
_TOLD_APART = 20.0
"""Squared distance, in deviations, from which on a join of a run would be seen in this tile."""
_JOINED = {16: 0.5, 8: 0.65, 4: 0.75}
"""How much like a false join it has to be, by sixteenths of the height."""
_MIDDLING = 0.8
_BEYOND = {16: 1.3, 8: 1.45, 4: 1.45}
_BESIDE = 0.15
"""How far it lies beyond the third largest; boards that end side by side are joined in parts."""
_THIRD = 2
"""Joins come alone or as the two sides of a part: the third largest belongs to the matter."""
_APART = 3
_SURELY = {100.0: 0.45, 400.0: 0.54}
"""Squared distances from which on what looks no more than so much like a false join goes on."""
_AS_USUAL, _UNLIKE = 0.15, 0.3
"""A seam that goes all the way is not there at all in a quarter of its pieces, and so much more in
another: two boards that end side by side."""
_NEAR = 2
"""Columns within which the place of a seam is right."""
_SOFT_SIDE = 96
"""Pixels of the shorter side at which a join that was softened over some pixels is one of two."""
_SOFT_TOLD_APART, _SOFT = 20.0, 0.2
"""Squared distance of one piece from which on a soft join is looked for, and how much more like a
false join three quarters of it have to be than those of the third largest."""
_FULL = 2.0
"""Size of a join that is one all along, as steps that surprise are measured."""


@dataclass(frozen=True)
class Joins:
    """How much each piece of each column looks like a false join with the next column.

    Parameters
    ----------
    pieces : ndarray, float32, shape (pieces, columns)
        From 0 as usual to 1 as a false join.
    apart : float
        Squared distance of a false join from what is usual, in deviations of one piece.
    """

    pieces: Floats
    apart: float


@dataclass(frozen=True)
class JoinsOfTile:
    """The joins of the columns and of the rows of a tile.

    Parameters
    ----------
    columns, rows : Joins
        Of columns; and of rows, as if the tile were turned.
    width, height : int
        Of the tile, in pixels.
    """

    columns: Joins
    rows: Joins
    width: int
    height: int

    def goes_on(self, box: tuple[float, float, float, float]) -> bool:
        """Tell whether the tile clearly goes on over what is taken for a seam.

        Parameters
        ----------
        box : tuple of four float
            Left, top, width and height of the seam, in pixels.
        """
        left, top, wide, high = box
        joins, at, first, long = self.columns, left / self.width, top / self.height, high
        side = self.height
        if wide > high:
            joins, at, first, long = self.rows, top / self.height, left / self.width, wide
            side = self.width
        count = joins.pieces.shape[1]
        run = max(1, round(long / side * _PIECES))
        usual = max((most for far, most in _SURELY.items() if run * joins.apart >= far), default=0)
        pieces = np.arange(run) + round(first * _PIECES)
        near = int(at * count) + np.arange(-_NEAR, _NEAR + 1)
        seam = joins.pieces[np.ix_(pieces % _PIECES, near % count)]
        means = seam.mean(axis=0)
        if run < _PIECES:
            return float(means.max()) < usual
        sorted_ = np.sort(seam[:, means.argmax()])
        quarter = run // 4
        in_parts = sorted_[quarter] < _AS_USUAL and sorted_[-quarter] - sorted_[quarter] > _UNLIKE
        return bool(in_parts and run * joins.apart >= max(_SURELY))


def joins_of(values: Floats) -> JoinsOfTile:
    """Measure the joins of a ring.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As the eye weighs it; only its lightness is looked at. In too small a one, or too long a
        strip, nothing is told apart.
    """
    small = at_most(values, _SIDE).mean(axis=2, dtype=np.float32)
    height, width = values.shape[:2]
    if min(small.shape) < LEAST_SIDE:
        untold = Joins(np.zeros((_PIECES, 1), np.float32), 0.0)
        return JoinsOfTile(untold, untold, width, height)
    return JoinsOfTile(_joins(small), _joins(np.ascontiguousarray(small.T)), width, height)


def join_evidence(joins: JoinsOfTile) -> list[Evidence]:
    """Look for false joins along both axes."""
    across = _false(joins.rows, joins.height, joins.width)
    down = _false(joins.columns, joins.width, joins.height)
    return [*down, *(found.turned() for found in across)]


def soft_join_evidence(values: Floats) -> list[Evidence]:
    """Look for joins that go all the way and were softened: each grain ends there, within a little.

    Side by side, columns go on; seen from farther they do not. Only matter whose grain runs on for
    long is told apart so clearly.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    """
    height, width = values.shape[:2]
    longer = math.ceil(_SOFT_SIDE * max(width, height) / min(width, height))
    small = at_most(values, longer).mean(axis=2, dtype=np.float32)
    if min(small.shape) < LEAST_SIDE or max(small.shape) > _SIDE:
        return []
    down = _softened(_joins(small), width, height)
    across = _softened(_joins(np.ascontiguousarray(small.T)), height, width)
    return [*down, *(found.turned() for found in across)]


def _softened(joins: Joins, width: int, height: int) -> list[Evidence]:
    """Return the columns that three quarters of their pieces say are a false join."""
    if joins.apart < _SOFT_TOLD_APART:
        return []
    most = np.sort(joins.pieces, axis=0)[_PIECES // 4]
    top = peaks(most, _APART)
    if len(top) <= _THIRD:
        return []
    usual = max(float(most[top[_THIRD]]), 0.0)
    count, found = len(most), []
    for x in top[:_THIRD]:
        excess = (float(most[x]) - usual) / _SOFT - 1
        if excess > HINT:
            box = (x * width / count, 0.0, 2 * width / count, float(height))
            size = _FULL * min(1.0, float(joins.pieces[:, x].mean()))
            found.append(Evidence("seam", box, excess, size))
    return found


def _false(joins: Joins, width: int, height: int) -> list[Evidence]:
    """Return the joins of columns that are likely false."""
    found = []
    count = joins.pieces.shape[1]
    for run in _RUNS:
        if run * joins.apart < _TOLD_APART:
            continue
        ring = joins.pieces
        if run < _PIECES:
            ring = np.concatenate([ring, ring[: run - 1]])
        over = np.stack([ring[n : n + run].mean(axis=0) for n in range(len(ring) - run + 1)])
        first, most = over.argmax(axis=0), over.max(axis=0)
        usual = float(most.mean())
        top = peaks(most, _APART)
        if len(top) <= _THIRD:
            continue
        third = float(most[top[_THIRD]])
        for x in top[:_THIRD]:
            level = float(most[x])
            pieces = np.sort(ring[first[x] : first[x] + run, x])
            beyond = min(
                level / _JOINED[run],
                (level - usual) / (_BEYOND[run] * (third - usual) + _BESIDE),
                float(pieces[run // 8]) / (_MIDDLING * _JOINED[run]),
            )
            if beyond - 1 > HINT:
                wide = 2 * width / count
                left, high = x * width / count, height * run / _PIECES
                box = (left, float(first[x]) * height / _PIECES, wide, high)
                found.append(Evidence("seam", box, beyond - 1, _FULL * min(1.0, level)))
    return found


def _joins(light: Floats) -> Joins:
    """Hold each piece of each column against false joins of the same tile."""
    width = light.shape[1]
    scales = [scale[..., 0] for scale in finer_to_coarser(light[..., np.newaxis], _SCALES)]
    own = np.concatenate([_finer(_measured(scale, scale), width) for scale in scales])
    false = []
    for y, x in _SHIFTS:
        parts = []
        for scale in scales:
            shift = (int(y * scale.shape[0]), int(x * scale.shape[1]))
            parts.append(_finer(_measured(scale, np.roll(scale, shift, (0, 1))), width))
        false.append(np.concatenate(parts))
    usual = own.mean(axis=(1, 2), dtype=np.float64)
    change = np.mean([other.mean(axis=(1, 2), dtype=np.float64) for other in false], 0) - usual
    varies = (_covariance(own) + np.mean([_covariance(other) for other in false], axis=0)) / 2
    varies += np.diag(_OWN_SHARE * np.diag(varies) + _OWN)
    weights = np.linalg.solve(varies, change)
    apart = max(float(weights @ change), 1e-9)
    away = own - usual.astype(np.float32)[:, np.newaxis, np.newaxis]
    return Joins(np.tensordot((weights / apart).astype(np.float32), away, axes=1), apart)


def _covariance(measures: Floats) -> Floats:
    flat = measures.reshape(len(measures), -1).astype(np.float64)
    flat -= flat.mean(axis=1, keepdims=True)
    return np.asarray(flat @ flat.T / flat.shape[1])


def _finer(measures: Floats, width: int) -> Floats:
    """Return measures of a coarser scale for the columns of the finest."""
    columns = measures.shape[-1]
    if columns == width:
        return measures
    at = (np.arange(1, width + 1) * columns // width - 1) % columns
    return measures[..., at]


def _measured(left: Floats, right: Floats) -> Floats:
    """Measure the joins of each column of a ring with the next one of another.

    Parameters
    ----------
    left, right : ndarray, float32, shape (height, width)
        The same twice to measure a ring as it is.

    Returns
    -------
    ndarray, float32, shape (measures, pieces, width)
        Logarithms of how large steps are, usual ones, all and the largest, plain and less what the
        slope on both sides leads to; and two correlations, fine and broad.
    """
    edges = np.linspace(0, len(left), _PIECES + 1).round().astype(int)
    counts = np.diff(edges).astype(np.float32)

    def by_pieces(rows: Floats) -> Floats:
        total = np.add.reduceat(rows, edges[:-1], axis=0)
        return np.asarray(total / counts[:, np.newaxis], np.float32)

    after, beyond = np.roll(right, -1, 1), np.roll(right, -2, 1)
    step = after - left
    slope = (left - np.roll(left, 1, 1) + beyond - after) * np.float32(0.5)
    found = []
    for surprise in (step, step - slope):
        levelled = surprise - np.repeat(by_pieces(surprise), np.diff(edges), axis=0)
        size = np.abs(levelled) + _FLOOR
        found += [
            2 * np.log(by_pieces(np.sqrt(size))),
            np.log(by_pieces(size)),
            np.log(by_pieces(size * size * size)) / 3,
        ]
    for reach in (_FINE, _BROAD):
        one, other = (column - _around(column, reach) for column in (left, after))
        energy = by_pieces(one * one) * by_pieces(other * other)
        found.append(by_pieces(one * other) / np.sqrt(energy + np.float32(1e-8)))
    return np.stack(found)


def _around(rows: Floats, reach: int) -> Floats:
    """Return the mean of so many rows before and after each of a ring."""
    import cv2

    padded = np.pad(rows, ((reach, reach), (0, 0)), mode="wrap")
    mean = cv2.blur(padded, (1, 2 * reach + 1))
    return np.asarray(mean[reach : reach + len(rows)], np.float32)
