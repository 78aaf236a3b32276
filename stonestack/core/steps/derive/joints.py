"""Joints: thin lines that hang together and part a picture into pieces.

Grout is paler than its tiles as often as darker; that it lies deep its shape tells. Lines thinner
than a square, of either tone, are what closing and opening by that square take away (J. Serra,
"Image Analysis and Mathematical Morphology", 1982, chapter XII: top-hats). They are joints where
what they leave falls apart into pieces, on the ring: scratches and blades of grass do not, nor do
the veins of noise.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered, gaussian
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.ramps import ramp
from stonestack.core.picture.remembering import Remembered
from stonestack.core.picture.resize import at_most, resample
from stonestack.core.steps.derive.lighting import axis_of

SEARCHED_AT = 512
"""Longest side at which lines are looked for."""
_HALVES = (0.008, 0.016, 0.026)
"""Half of the squares' sides, as shares of the width."""
_SMOOTH = 0.0022
_STRONGEST = 97
_LEAST_CONTRAST = 0.03
_CUTS = (0.45, 0.3)
"""Share of a line's full contrast from which on a texel belongs to it."""
_PIECES = (1.7, 2.2)
"""Pieces, as if all were of one size, from which on lines may be joints: chance closes some."""
_PIECES_OF_CLEAR = (1.15, 1.35)
_CLEAR = (3.0, 6.0)
"""How much more lines stand out than those of the other tone, where fewer pieces are enough."""
_CLOSED = 4.0
"""Pieces from which on lines need not be looked for more faintly."""
_MOST_LINES = 0.4
_LEAST_LINE = 0.004
"""Of the picture: a shorter one is no joint."""
_LEAST_PIECE = 0.002
_BETTER = 1.15
_BROADEST_NET, _BROADEST_GAPS = (0.35, 0.4), (0.15, 0.22)
"""Share of the picture up to which lines are joints, and from which on they are none."""
_ONE_WAY = 0.8
_DEPTH = 0.42
"""Depth of a joint in its own widths, so that a mason's raked joint and a tile's grout both fit."""
_SOFT = 0.004
_BESIDE = 0.006

Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class Lines:
    """Thin lines of one tone.

    Parameters
    ----------
    pale : bool
        Whether they are paler than what they lie between.
    half : float
        Half the side of the square that they are thinner than, as a share of the width.
    contrast : float
        Of their middle, in the logarithm of light.
    where : ndarray of bool
        At the size that they were looked for.
    sure : float
        0 to 1: how surely they are joints.
    """

    pale: bool
    half: float
    contrast: float
    where: Mask
    sure: float


_FOUND: Remembered[Lines | None] = Remembered()


@dataclass(frozen=True)
class Joints:
    """Joints of a picture, at its own size.

    Parameters
    ----------
    sure : float
        0 to 1: how surely they are joints.
    pale : bool
        Whether they are paler than what they lie between.
    deep : ndarray, float32, shape (height, width)
        How far down each texel lies, in texels.
    beside : ndarray, float32, shape (height, width)
        1 in joints and close to them, where tone does not tell the height, else 0.
    without : ndarray, float32, shape (height, width)
        The tone as it would be without them.
    """

    sure: float
    pale: bool
    deep: Floats
    beside: Floats
    without: Floats


def joints_of(tone: Floats, wraps: bool) -> Joints | None:
    """Find the joints of a picture; None where it has none.

    Parameters
    ----------
    tone : ndarray, float32, shape (height, width)
        Logarithm of linear light.
    """
    small = at_most(tone[..., np.newaxis], SEARCHED_AT)[..., 0]
    best = _FOUND.of(small, wraps, work=lambda: _best(small, wraps))
    return None if best is None else _laid(tone, best, wraps)


def _best(small: Floats, wraps: bool) -> Lines | None:
    """Return the lines that are most surely joints; None where none are."""
    dark, pale = (_lines(small, is_pale, wraps) for is_pale in (False, True))
    found = [lines for lines in (_judged(dark, pale), _judged(pale, dark)) if lines is not None]
    best = max(found, key=lambda lines: lines.sure * lines.contrast, default=None)
    return None if best is None or best.sure <= 0 else best


def without_thin(values: Floats, half: int, wraps: bool) -> Floats:
    """Return values without what is thinner than a square, paler or darker; steps stay sharp."""
    opened, closed = opening(values, half, wraps), closing(values, half, wraps)
    return np.asarray(
        (closing(opened, half, wraps) + opening(closed, half, wraps)) * np.float32(0.5), np.float32
    )


def opening(values: Floats, half: int, wraps: bool) -> Floats:
    """Return values without what is paler and thinner than a square of ``2 * half + 1``."""
    return _by_square(values, half, wraps, pale=True)


def closing(values: Floats, half: int, wraps: bool) -> Floats:
    """Return values without what is darker and thinner than a square of ``2 * half + 1``."""
    return _by_square(values, half, wraps, pale=False)


def _by_square(values: Floats, half: int, wraps: bool, pale: bool) -> Floats:
    import cv2

    rim = 2 * half + 1
    around = bordered(np.ascontiguousarray(values)[..., np.newaxis], rim, wraps)[..., 0]
    square = np.ones((rim, rim), np.uint8)
    how = cv2.MORPH_OPEN if pale else cv2.MORPH_CLOSE
    out = np.asarray(cv2.morphologyEx(around, how, square), np.float32)
    return np.ascontiguousarray(out[rim:-rim, rim:-rim])


def _lines(small: Floats, pale: bool, wraps: bool) -> tuple[Lines, float, int, float] | None:
    """Return the lines that part a picture into most pieces, and how they do.

    Returns
    -------
    (Lines, float, int, float) or None
        The lines, the number of pieces as if all were of one size, that of pieces worth the name,
        and the share of the picture that is lines.
    """
    width = small.shape[1]
    smooth = gaussian(small[..., np.newaxis], max(0.5, _SMOOTH * width), wraps)[..., 0]
    best: tuple[Lines, float, int, float] | None = None
    for half in _HALVES:
        hat = _hat(smooth, max(1, round(half * width)), pale, wraps)
        contrast = float(np.percentile(hat, _STRONGEST))
        if contrast < _LEAST_CONTRAST:
            continue
        for cut in _CUTS:
            if best is not None and best[0].half == half and best[1] > _CLOSED:
                continue
            where = hat > cut * contrast
            if where.mean() > _MOST_LINES:
                continue
            where = _long(where, wraps)
            pieces = _areas(_parts(~where, 4, wraps), ~where)
            if not len(pieces):
                continue
            alike = float(1 / np.square(pieces / pieces.sum()).sum())
            if best is None or alike > best[1] * _BETTER:
                many = int((pieces > _LEAST_PIECE).sum())
                lines = Lines(pale, half, contrast, where, 0.0)
                best = (lines, alike, many, float(where.mean()))
    return best


def _hat(values: Floats, half: int, pale: bool, wraps: bool) -> Floats:
    if pale:
        return values - opening(values, half, wraps)
    return closing(values, half, wraps) - values


def _judged(
    found: tuple[Lines, float, int, float] | None, other: tuple[Lines, float, int, float] | None
) -> Lines | None:
    """Return lines with how surely they are joints; those of the other tone speak against them."""
    if found is None:
        return None
    lines, alike, many, share = found
    _, one_way = axis_of(lines.where.astype(np.float32), True)
    # Gaps between boards are thin against them; what runs one way and is broader is a stripe.
    most = _BROADEST_GAPS if one_way > _ONE_WAY else _BROADEST_NET
    clear = 1.0 if other is None else ramp(lines.contrast / other[0].contrast, *_CLEAR)
    pieces = max(ramp(alike, *_PIECES), clear * ramp(alike, *_PIECES_OF_CLEAR))
    sure = pieces * ramp(many, 2, 4) * ramp(-share, -most[1], -most[0])
    sure *= ramp(lines.contrast, 0.04, 0.1)
    if lines.pale and other is not None:
        # Walls that face a lamp are pale lines too, but their shadows are darker than they pale.
        sure *= ramp(lines.contrast / other[0].contrast, 0.7, 0.9)
    return Lines(lines.pale, lines.half, lines.contrast, lines.where, sure)


def _laid(tone: Floats, lines: Lines, wraps: bool) -> Joints:
    """Return lines as joints at a picture's own size."""
    height, width = tone.shape
    half = max(1, round(lines.half * width))
    reach = max(1, round(_BESIDE * width))
    rows, columns = lines.where.shape
    seen = _grown(lines.where.astype(np.float32), 1, wraps)
    if (rows, columns) != (height, width):
        up = resample(seen[..., np.newaxis], width, height, "mitchell", wraps)[..., 0]
        seen = np.clip(up, 0, 1)
    plain = opening(tone, half, wraps) if lines.pale else closing(tone, half, wraps)
    away = (tone - plain) if lines.pale else (plain - tone)
    inside = np.clip(away / np.float32(lines.contrast), 0, 1) * seen
    borders = sum(int((lines.where != np.roll(lines.where, 1, axis)).sum()) for axis in (0, 1))
    thick = 2.4 * float(lines.where.sum()) / max(1, borders) * width / columns
    soft = gaussian(inside[..., np.newaxis], _SOFT * width, wraps)[..., 0]
    deep = soft * np.float32(lines.sure * _DEPTH * thick)
    beside = gaussian(_grown(seen, reach, wraps)[..., np.newaxis], reach / 2, wraps)[..., 0]
    beside = np.clip(beside, 0, 1) * np.float32(lines.sure)
    without = tone + (plain - tone) * seen * np.float32(lines.sure)
    return Joints(lines.sure, lines.pale, deep, beside, np.asarray(without, np.float32))


def _grown(values: Floats, reach: int, wraps: bool) -> Floats:
    import cv2

    around = bordered(values[..., np.newaxis], reach, wraps)[..., 0]
    square = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    out = np.asarray(cv2.dilate(around, square), np.float32)
    return np.ascontiguousarray(out[reach:-reach, reach:-reach])


def _long(where: Mask, wraps: bool) -> Mask:
    """Return lines without those that are too short."""
    parts = _parts(where, 8, wraps)
    sizes = np.bincount(parts.ravel())
    return np.asarray((sizes > _LEAST_LINE * where.size)[parts] & where)


def _areas(parts: NDArray[np.int64], of: Mask) -> NDArray[np.float64]:
    """Return the sizes of parts, as shares of the picture."""
    sizes = np.bincount(parts[of]) / of.size
    return sizes[sizes > 0]


def _parts(where: Mask, neighbours: int, wraps: bool) -> NDArray[np.int64]:
    """Number the parts of a mask that hang together, over the edges where it wraps."""
    import cv2
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    count, parts = cv2.connectedComponents(where.astype(np.uint8), connectivity=neighbours)
    numbers = np.asarray(parts, np.int64)
    if not wraps:
        return numbers
    one = np.concatenate([numbers[:, 0], numbers[0]])
    two = np.concatenate([numbers[:, -1], numbers[-1]])
    both = (one > 0) & (two > 0)
    links = coo_array((np.ones(int(both.sum())), (one[both], two[both])), (count, count))
    _, joined = connected_components(links, directed=False)
    # What is not of the mask stays apart from all that is.
    return np.where(numbers > 0, np.asarray(joined, np.int64)[numbers] + 1, 0)
