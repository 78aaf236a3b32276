"""Spots, by what one planted anywhere does to this very tile.

In rough matter a spot is lost to any one measure. So small windows are measured in many ways
(lightness, how much of it lies below some levels, colours, fine contrast, the darkest and the
lightest), faint spots are laid over the tile on a grid, and what they change is held against how
the measures vary together anyway (R. Fisher, "The Use of Multiple Measurements in Taxonomic
Problems", Annals of Eugenics 7, 1936, section II). That makes of all of them one number for each
place; a spot is where it is far larger than anywhere else.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median, quantiles
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, LEAST_SIDE, Evidence
from stonestack.core.tile.faults.spots import contrast_of, tops

_SIDE = 160
_RADII = (4, 7, 11)
_LEAST_SIDES = 10
"""Radii in the shorter side below which spots are broad light."""
_LIGHTER, _DARKER = np.float32(0.2), np.float32(0.35)
"""What is added for a light spot, and taken away, as a share, for a stain."""
_APART = 5
"""Radii from one planted spot to the next."""
_FAR = 3
"""Radii from one place to the next that is held against it."""
_LEVELS = (0.05, 0.2, 0.4, 0.6, 0.8, 0.95)
_LEAST_WIDTH = 0.02
_DARK = np.float32(0.03)
_FAINT = (np.float32(0.01), np.float32(0.02))
_FINE = 1.2
_OF_ALL = 0.25
"""How much of the spread over all places counts beside the middling one."""
_FARTHEST = np.float32(3.0)
"""Spreads beyond which a place says no more about how measures vary: a spot is not the usual."""
_MOST_CHANGED = 6.0
_OWN_SHARE, _OWN = 0.05, 1e-3
_SEVENTH = 6
_ALIKE, _RARER = 3, 0.5
"""Spots that may stand out together, and by how much more for each beside the first."""
_SPREAD, _SPREAD_OF_THIRD, _ROUNDING = 0.25, 0.35, 0.05
_BEYOND_NEXT, _BEYOND_THIRD, _FAR_OUT, _AS_PLANTED = 3.2, 6.4, 5.3, 0.32
"""What counts as much: steps from the next to the seventh, from the third to it, spreads of all
places, and shares of a planted spot."""
_SEEN = 0.03
Places = tuple[NDArray[np.int64] | slice, ...]
"""Rows and columns of a picture."""
_EVERYWHERE: Places = (slice(None), slice(None))


def planted_spot_evidence(values: Floats) -> list[Evidence]:
    """Look for spots as strong as a planted one would be, where nothing else comes near.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it; too small a one is not looked at.
    """
    small = at_most(values, _SIDE)
    if min(small.shape[:2]) < LEAST_SIDE:
        return []
    scale = values.shape[1] / small.shape[1]
    levels = quantiles(small.mean(axis=2, dtype=np.float32), _LEVELS)
    found = []
    for radius in _RADII:
        if _LEAST_SIDES * radius > min(small.shape[:2]):
            break
        own = _measured(small, radius, levels)
        usual = _Usual.of(own)
        bumps, at = _bumps(small.shape[:2], radius)
        bump = bumps[..., np.newaxis]
        for laid in (np.minimum(small + _LIGHTER * bump, 1), small * (1 - _DARKER * bump)):
            change = _measured(laid, radius, levels, at) - own[at]
            strength, planted = usual.towards(change.reshape(-1, own.shape[2]), own)
            found += _spots_in(strength, planted, small, radius)
    return [spot.larger(scale) for spot in found]


@dataclass(frozen=True)
class _Usual:
    """How the measures of a tile vary together.

    Parameters
    ----------
    middle, spread : ndarray, float32, shape (measures,)
    together : ndarray, float64, shape (measures, measures)
        Covariance of what lies away from the middle, in spreads.
    """

    middle: Floats
    spread: Floats
    together: Floats

    @staticmethod
    def of(measures: Floats) -> _Usual:
        """Learn it from measures of shape (height, width, measures)."""
        flat = measures.reshape(-1, measures.shape[2])[::2]
        middle = median(flat, axis=0)[0]
        away = flat - middle
        spread = 1.4826 * median(np.abs(away), axis=0)[0] + _OF_ALL * flat.std(axis=0) + 1e-5
        away = np.clip(away / spread, -_FARTHEST, _FARTHEST)
        away -= away.mean(axis=0)
        together = (away.T @ away).astype(np.float64) / len(away)
        together += np.diag(_OWN_SHARE * np.diag(together) + _OWN)
        return _Usual(middle, np.asarray(spread, np.float32), together)

    def towards(self, change: Floats, measures: Floats) -> tuple[Floats, float]:
        """Return how far each place lies out in the way of a change, and the change itself.

        Parameters
        ----------
        change : ndarray, shape (places, measures)
            What planted spots do.
        measures : ndarray, float32, shape (height, width, measures)

        Returns
        -------
        strength : ndarray, float32, shape (height, width)
            In deviations.
        planted : float
            How large the middling change is, in the same.
        """
        usual = np.clip(median(change / self.spread, axis=0)[0], -_MOST_CHANGED, _MOST_CHANGED)
        weights = np.linalg.solve(self.together, usual.astype(np.float64))
        weights /= np.sqrt(weights @ self.together @ weights) + 1e-9
        each = (weights / self.spread).astype(np.float32)
        return np.asarray((measures - self.middle) @ each, np.float32), float(weights @ usual)


def _spots_in(strength: Floats, planted: float, small: Floats, radius: int) -> list[Evidence]:
    """Return the strongest places, up to three, if they stand out clearly from all others."""
    places = tops(strength, _FAR * radius, _ALIKE + _SEVENTH)
    if planted <= 0:
        return []
    heights = [float(strength[place]) for place in places]
    middle = float(median(strength))
    spread = 1.4826 * float(median(np.abs(strength - middle)))
    broad = (float(quantiles(strength, (0.9,))[0]) - middle) / 1.28
    found: list[Evidence] = []
    for alike in range(1, len(heights) - _SEVENTH + 1):
        least, second, third = heights[alike - 1 : alike + 2]
        seventh = heights[alike - 1 + _SEVENTH]
        excess = (
            min(
                (least - second) / (second - seventh + _SPREAD * spread + _ROUNDING) / _BEYOND_NEXT,
                (least - third)
                / (third - seventh + _SPREAD_OF_THIRD * spread + _ROUNDING)
                / _BEYOND_THIRD,
                (least - middle) / (max(spread, broad) + _ROUNDING) / _FAR_OUT,
                (least - second) / planted / _AS_PLANTED,
            )
            / (1 + _RARER * (alike - 1))
            - 1
        )
        if excess > max([HINT, *(spot.excess for spot in found)]):
            found = [_spot_at(small, place, radius, excess) for place in places[:alike]]
    return [spot for spot in found if spot.size >= _SEEN]


def _spot_at(small: Floats, place: tuple[int, int], radius: int, excess: float) -> Evidence:
    row, column = place
    reach = 1.5 * radius
    box = (column + 0.5 - reach, row + 0.5 - reach, 2 * reach, 2 * reach)
    return Evidence("spot", box, excess, contrast_of(small, row, column, radius))


def _bumps(shape: tuple[int, ...], radius: int) -> tuple[Floats, Places]:
    """Return soft spots of height 1 on a grid, and where their middles are."""
    axes = []
    for side in shape:
        count = max(1, side // (_APART * radius))
        middles = (np.arange(count) * side / count).astype(int)
        away = (np.arange(side) - middles[:, np.newaxis] + side / 2) % side - side / 2
        axes.append((middles, np.exp(-np.square(away / radius)).max(axis=0)))
    (rows, down), (columns, across) = axes
    return np.multiply.outer(down, across).astype(np.float32), np.ix_(rows, columns)


def _measured(small: Floats, radius: int, levels: Floats, at: Places = _EVERYWHERE) -> Floats:
    """Measure a window around places of a ring in many ways.

    Returns
    -------
    ndarray, float32, shape (rows, columns, measures)
    """
    import cv2

    pad = 3 * radius + 3
    around = bordered(small, pad, True)
    logs = np.log(np.maximum(around, _DARK))
    evenly = np.full(around.shape[2], 1 / around.shape[2], np.float32)
    light, faint = around @ evenly, logs @ evenly
    against = [light]
    for n in range(1, around.shape[2]):
        against += [logs[..., n] - logs[..., 0], around[..., n] - around[..., 0]]
    for grain, floor in zip((light, faint), _FAINT, strict=True):
        fine = np.abs(grain - cv2.GaussianBlur(grain, (0, 0), _FINE))
        against.append(np.log(fine + floor))
    wide = max(_LEAST_WIDTH, float(levels[-2] - levels[1]) / 4)
    plain = [
        np.clip((light - level) / np.float32(wide) + np.float32(0.5), 0, 1) for level in levels
    ]
    square = np.ones((2 * (radius // 2) + 1,) * 2, np.uint8)
    plain += [cv2.erode(light, square), cv2.dilate(light, square)]
    side, hole, whole = 2 * radius - 1, 4 * radius + 1, 6 * radius + 1
    rings = []
    for values in against:
        outer, inner = cv2.blur(values, (whole, whole)), cv2.blur(values, (hole, hole))
        share = hole**2 / whole**2
        rings.append((outer - np.float32(share) * inner) / np.float32(1 - share))
    windows = [cv2.blur(values, (side, side)) for values in (*against, *plain)]
    windows[: len(rings)] = [w - ring for w, ring in zip(windows, rings, strict=False)]
    return np.stack([each[pad:-pad, pad:-pad][at] for each in (*windows, rings[0])], axis=2)
