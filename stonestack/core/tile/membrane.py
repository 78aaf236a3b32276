"""Smooth corrections that take a step of tone out of a join and leave detail alone.

All are solutions of Poisson's equation: the correction whose own gradients are, in least
squares, those asked for. Source: P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing",
ACM Trans. Graphics 22 (2003), section 2; solved by fast transforms as in W. Press et al.,
"Numerical Recipes", third edition (2007), section 20.4.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.core.runtime import stopping


def across_strip(along_x: Floats, along_y: Floats, closed: bool) -> Floats:
    """Return the correction of a strip that is zero just outside its left and right ends.

    Parameters
    ----------
    along_x : ndarray, float32, shape (rows, columns + 1, channels)
        Gradient wanted from column x - 1 to column x; the first and last touch the outside.
    along_y : ndarray, float32, shape (rows, columns, channels)
        Gradient wanted from row y to row y + 1; the last row's goes to the first if closed,
        else it is not used.
    closed : bool
        Whether the rows are a ring.

    Returns
    -------
    ndarray, float32, shape (rows, columns, channels)
    """
    from scipy import fft

    rows, columns, _ = along_y.shape
    source = along_x[:, :-1] - along_x[:, 1:]
    down = along_y if closed else np.concatenate([along_y[:-1], np.zeros_like(along_y[:1])])
    source = source + np.roll(down, 1, axis=0) - down
    # The minus Laplacian is diagonal in sines along x, and in waves or cosines along y.
    share_x = 2 - 2 * np.cos(np.pi * np.arange(1, columns + 1) / (columns + 1))
    half = fft.dst(source, type=1, axis=1, workers=-1)
    if closed:
        share_y = 2 - 2 * np.cos(2 * np.pi * np.arange(rows // 2 + 1) / rows)
        waves = fft.rfft(half, axis=0, workers=-1)
        waves /= _sums(share_y, share_x)
        half = fft.irfft(waves, n=rows, axis=0, workers=-1)
    else:
        share_y = 2 - 2 * np.cos(np.pi * np.arange(rows) / rows)
        cosines = fft.dct(half, type=2, axis=0, workers=-1) / _sums(share_y, share_x)
        half = fft.idct(cosines, type=2, axis=0, workers=-1)
    return np.asarray(fft.idst(half, type=1, axis=1, workers=-1), dtype=np.float32)


def all_over(along_x: Floats, along_y: Floats, closed_x: bool, closed_y: bool) -> Floats:
    """Return the correction of a whole picture; its mean is zero.

    Parameters
    ----------
    along_x, along_y : ndarray, float32, shape (rows, columns, channels)
        Gradients wanted from column x to x + 1 and from row y to y + 1. On an axis that is
        a ring the last goes to the first; on another the last is not used.
    closed_x, closed_y : bool
        Which axes are rings.
    """
    from scipy import fft

    rows, columns, channels = along_x.shape
    across = along_x if closed_x else _open_end(along_x, 1)
    down = along_y if closed_y else _open_end(along_y, 0)
    rings = tuple(axis for axis, closed in enumerate((closed_y, closed_x)) if closed)
    ends = tuple(axis for axis, closed in enumerate((closed_y, closed_x)) if not closed)
    sums = _shares(rows, closed_y)[:, np.newaxis] + _shares(columns, closed_x)[np.newaxis, :]
    sums[0, 0] = 1
    if rings:
        # Of a real picture's waves the second half of the last axis mirrors the first.
        half = np.arange(along_x.shape[rings[-1]] // 2 + 1)
        sums = sums.take(half, axis=rings[-1])
    sums = sums.astype(np.float32)
    solved = np.empty_like(along_x)
    for c in range(channels):
        stopping.check()
        source = np.roll(across[..., c], 1, axis=1) - across[..., c]
        source += np.roll(down[..., c], 1, axis=0) - down[..., c]
        waves: NDArray[Any] = fft.dctn(source, type=2, axes=ends, workers=-1) if ends else source
        waves = fft.rfftn(waves, axes=rings, workers=-1) if rings else waves
        waves /= sums
        waves[0, 0] = 0
        if rings:
            full = [along_x.shape[axis] for axis in rings]
            waves = fft.irfftn(waves, s=full, axes=rings, workers=-1)
        solved[..., c] = fft.idctn(waves, type=2, axes=ends, workers=-1) if ends else waves
    return solved


def _shares(count: int, closed: bool) -> NDArray[np.float64]:
    """Return the eigenvalues of minus the second difference, of a ring or between level ends."""
    turn = 2 * np.pi if closed else np.pi
    return np.asarray(2 - 2 * np.cos(turn * np.arange(count) / count))


def _open_end(along: Floats, axis: int) -> Floats:
    """Take the gradient out that would lead from the last place to the first."""
    cut = along.copy()
    cut[(slice(None),) * axis + (-1,)] = 0
    return cut


def between(
    left: Floats,
    right: Floats,
    width: int,
    closed: bool,
    reach: float,
    columns: NDArray[np.int64] | None = None,
) -> Floats:
    """Return the smoothest field that has given values at its first and last column.

    Parameters
    ----------
    left, right : ndarray, float32, shape (rows, channels)
        Values at both ends.
    width : int
        Columns.
    closed : bool
        Whether the rows are a ring; otherwise the field is level at the first and last row.
    reach : float
        Columns after which a value has died away to a third, at the most; the finer a
        change along the rows is, the sooner it does.
    columns : ndarray, int64, optional
        Which columns are wanted; all of them if not given.

    Notes
    -----
    Each wave of number k along the rows dies away as ``exp(-s x)`` with
    ``s² = k² + 1/reach²`` (the screened equation), so that the whole is a sum of two
    exponentials a wave, exact at both ends.
    """
    from scipy import fft

    stopping.check()
    rows = left.shape[0]
    ends: list[NDArray[Any]]
    if closed:
        number = 2 * np.pi * np.arange(rows // 2 + 1) / rows
        ends = [fft.rfft(end, axis=0) for end in (left, right)]
    else:
        number = np.pi * np.arange(rows) / rows
        ends = [fft.dct(end, type=2, axis=0) for end in (left, right)]
    rate = np.sqrt(number**2 + 1 / reach**2)[:, np.newaxis].astype(np.float32)
    place = (np.arange(width) if columns is None else columns)[np.newaxis, :]
    last = width - 1

    def fall(away: NDArray[np.int64]) -> Floats:
        # sinh(s (L - x)) / sinh(s L), written so that nothing overflows.
        there = away.astype(np.float32)
        share = np.exp(-rate * there) - np.exp(rate * (there - np.float32(2 * last)))
        return np.asarray(share / (1 - np.exp(-2 * rate * last)))[..., np.newaxis]

    waves = ends[0][:, np.newaxis] * fall(place) + ends[1][:, np.newaxis] * fall(last - place)
    if closed:
        field = fft.irfft(waves, n=rows, axis=0, workers=-1)
    else:
        field = fft.idct(waves, type=2, axis=0, workers=-1)
    return np.asarray(field, dtype=np.float32)


def _sums(share_y: NDArray[np.float64], share_x: NDArray[np.float64]) -> Floats:
    total = share_y[:, np.newaxis, np.newaxis] + share_x[np.newaxis, :, np.newaxis]
    return np.asarray(total, dtype=np.float32)
