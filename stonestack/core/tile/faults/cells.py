"""Where cells of a structure do not look as the others do: a part that was put in out of step.

The whole ring is folded by its lattice into one mean cell, and each place is held against the
place of the mean cell that it should be.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import Evidence
from stonestack.core.tile.period import Lattice, ridges_of_ring

_SIDE = 256
_BINS = 20
_WINDOW = 0.45
"""Spread of the window about a place, in sides of a cell."""
_FEWEST = 9
_OFF = 0.06
"""Share of a step by which the lattice may be stretched so that whole steps fit the ring."""
_STRUCTURED = 0.6
_LEAST = 0.64
"""How alike the least alike place is in a sound ring, against the middling one, at least."""
_SUNK = 0.75
_OUT_OF_STEP = 0.62
"""How alike what is out of step is to the mean cell laid where it fits, against the middling."""


@dataclass(frozen=True)
class _Folded:
    """A ring that is folded by its lattice."""

    feature: Floats
    at: NDArray[np.int64]
    """The place in the cell of each place of the ring."""
    cell: NDArray[np.float64]
    """The mean cell, by its places."""


def cell_evidence(values: Floats, lattice: Lattice | None) -> list[Evidence]:
    """Look for the part that is most out of step.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    lattice : Lattice or None
        How it recurs, in pixels, by two steps.
    """
    if lattice is None or lattice.second is None:
        return []
    coloured = at_most(values, _SIDE)
    small = coloured.mean(axis=2, dtype=np.float32)
    height, width = small.shape
    scale = values.shape[1] / width
    basis = _fitted(np.array([lattice.first, lattice.second]).T / scale, width, height)
    if basis is None:
        return []
    side = math.sqrt(abs(float(np.linalg.det(basis))))
    if width * height < _FEWEST * side * side:
        return []
    spread = _WINDOW * side
    detail = small - _soft(small, max(height, width) / 8)
    # Joints are often told by their hue, and bricks have tones of their own.
    folded = [_folded(feature, basis) for feature in (detail, ridges_of_ring(coloured))]
    alike = np.maximum(*(_alike(one, spread) for one in folded))
    middle, least = float(median(alike)), max(0.0, float(alike.min()))
    excess = 1 - least / (_LEAST * middle) if middle > _STRUCTURED else 0.0
    if excess <= 0:
        return []
    # A cell of unlike tone is like the mean cell nowhere; out of step it is, some way off.
    place = np.unravel_index(int(np.argmin(alike)), alike.shape)
    window = _window(place, spread, alike.shape)
    if max(_at_any_step(one, window) for one in folded) < _OUT_OF_STEP * middle:
        return []
    box = _around_least(alike, _SUNK * middle)
    return [Evidence("bond", box, excess, 1 - least / middle).larger(scale)]


def _fitted(basis: NDArray[np.float64], width: int, height: int) -> NDArray[np.float64] | None:
    """Return the steps, as columns, so that whole ones fit the ring; None where they do not."""
    sides = np.diag([float(width), float(height)])
    if abs(float(np.linalg.det(basis))) < 1.0:
        return None
    steps = np.rint(np.linalg.solve(basis, sides))
    if abs(float(np.linalg.det(steps))) < 0.5:
        return None
    fitted = sides @ np.linalg.inv(steps)
    off = float(np.abs(fitted - basis).max())
    return np.asarray(fitted) if off <= _OFF * float(np.abs(basis).max()) else None


def _folded(feature: Floats, basis: NDArray[np.float64]) -> _Folded:
    """Fold a ring by its lattice."""
    feature = feature - feature.mean(dtype=np.float32)
    down, across = np.mgrid[0 : feature.shape[0], 0 : feature.shape[1]].reshape(2, -1)
    place = np.linalg.solve(basis, np.stack([across, down]).astype(np.float64)) % 1
    bins = np.minimum((place * _BINS).astype(np.int64), _BINS - 1)
    at = bins[0] * _BINS + bins[1]
    count = np.bincount(at, minlength=_BINS * _BINS)
    total = np.bincount(at, feature.reshape(-1), _BINS * _BINS)
    return _Folded(feature, at.reshape(feature.shape), total / np.maximum(count, 1))


def _alike(folded: _Folded, spread: float) -> Floats:
    """Return how alike the surroundings of each place are to those in the mean cell."""
    feature, mean = folded.feature, folded.cell.astype(np.float32)[folded.at]
    energy = _soft(np.square(feature), spread) * _soft(np.square(mean), spread)
    both = _soft(feature * mean, spread)
    return np.asarray(both / np.sqrt(np.maximum(energy, 1e-12)), np.float32)


def _window(place: Sequence[np.intp], spread: float, shape: tuple[int, ...]) -> Floats:
    """Return the weights of a Gaussian about a place of a ring."""
    down, across = (
        (np.arange(side) - at + side / 2) % side - side / 2
        for at, side in zip(place, shape, strict=True)
    )
    away = np.square(down)[:, np.newaxis] + np.square(across)
    return np.asarray(np.exp(-away / (2 * spread * spread)), np.float32)


def _at_any_step(folded: _Folded, window: Floats) -> float:
    """Return how alike what lies in a window is to the mean cell, wherever that is laid best."""
    at = folded.at.reshape(-1)

    def binned(values: Floats) -> NDArray[np.complex128]:
        total = np.bincount(at, values.reshape(-1), _BINS * _BINS)
        return np.conj(np.fft.fft2(total.reshape(_BINS, _BINS)))

    def laid(values: Floats, cell: NDArray[np.float64]) -> NDArray[np.float64]:
        waves = binned(values) * np.fft.fft2(cell.reshape(_BINS, _BINS))
        return np.fft.ifft2(waves).real

    energy = float((window * np.square(folded.feature)).sum())
    both = laid(window * folded.feature, folded.cell)
    return float((both / np.sqrt(np.maximum(laid(window, folded.cell**2) * energy, 1e-12))).max())


def _soft(values: Floats, spread: float) -> Floats:
    """Return a ring under a Gaussian, cut where the ring begins anew."""
    import cv2

    pad = min(math.ceil(3 * spread), min(values.shape) - 1)
    around = bordered(values, pad, True)
    return np.asarray(cv2.GaussianBlur(around, (0, 0), spread)[pad:-pad, pad:-pad], np.float32)


def _around_least(alike: Floats, below: float) -> tuple[float, float, float, float]:
    """Return left, top, width and height of what is below a bound about the least of a ring."""
    from scipy import ndimage

    height, width = alike.shape
    row, column = (int(v) for v in np.unravel_index(int(np.argmin(alike)), alike.shape))
    middle = np.roll(alike, (height // 2 - row, width // 2 - column), (0, 1))
    parts, _ = ndimage.label(middle < below)
    here = int(parts[height // 2, width // 2])
    rows, columns = ndimage.find_objects(parts)[here - 1]
    left = float(columns.start + column - width // 2)
    top = float(rows.start + row - height // 2)
    return left, top, float(columns.stop - columns.start), float(rows.stop - rows.start)
