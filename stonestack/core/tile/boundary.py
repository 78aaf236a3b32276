"""Make a picture tile by cutting along the boundary of least error.

Sources: the cut is that of A. Efros and W. Freeman, "Image Quilting for Texture Synthesis
and Transfer", SIGGRAPH 2001, section 2.1; tone is evened out across it as in P. Pérez,
M. Gangnet and A. Blake, "Poisson Image Editing", SIGGRAPH 2003, section 3.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams, alone
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.picture.resize import resample
from stonestack.core.tile.membrane import across_strip
from stonestack.core.tile.ways import (
    AXES_WORDS,
    FAMILY,
    KEEPING,
    Axes,
    Keeping,
    as_seen,
    from_seen,
)
from stonestack.core.tile.whole import Join, Structure, keeping_whole, lengths

_SEARCH_SIDE = 256
_LEAST_SHARE = 0.08
_KEEP = 0.8
"""How much a lost share of the picture counts against a better match."""
_FAR = np.float32(1e6)
_JOIN_POINTS = 48
_STRETCH = 1.5
"""How much it counts, against a better match, that a tile has to be stretched to be square."""
_NEARLY = 0.035
"""How far sides that count as equal may differ."""
_STRIP = 2.5
"""How many times longer than wide a trim is: a square would be a small part of it."""
_ROOM = 1.5
"""Most that a side is longer than what is kept of it; the rest is cropped beforehand."""


class CutTile(StepParams):
    """Parameters of :func:`cut_tile`."""

    kind: Literal["cut_tile"] = "cut_tile"
    axes: Axes = Field("both", title="Joins", description="Which edges are made to meet")
    shape: Literal["suiting", "square", "found"] = Field(
        "suiting",
        title="Proportions",
        description="Equal sides fit a square texture; suiting: unless strips or bricks lose by it",
    )
    structure: Keeping = KEEPING
    most: float = Field(
        0.4,
        ge=0.1,
        le=0.6,
        multiple_of=0.01,
        title="Give up at most",
        description="Share of each side that the search for the best join may use up",
    )
    feather: float = Field(
        1.0,
        ge=0,
        le=10,
        multiple_of=0.5,
        title="Feather",
        description="Softness of the cut, in thousandths of the longer side",
    )


@dataclass(frozen=True)
class AxisCut:
    """How one axis is overlapped and cut, in pixels of the guide it was found on.

    Parameters
    ----------
    side : int
        Length of the axis.
    start, room : int
        The columns that are used.
    kept : int
        Columns of the result; ``room - kept`` overlap.
    path : ndarray, int64, shape (rows,)
        Column of the cut in each row of the overlap.
    """

    side: int
    start: int
    room: int
    kept: int
    path: NDArray[np.int64]


@dataclass(frozen=True)
class Cut:
    """The solution: a cut for each axis that is joined, the vertical one first."""

    x: AxisCut | None
    y: AxisCut | None

    def sides(self, width: int, height: int) -> tuple[float, float]:
        """Return width and height of the tile, in pixels of a guide of this size."""
        return (self.x.kept if self.x else width, self.y.kept if self.y else height)

    def used(self, width: int, height: int) -> float:
        """Return which share of a guide of this size is in the tile, 0..1."""
        across, down = self.sides(width, height)
        return across * down / (width * height)

    def joins(self) -> list[Join]:
        """Return both cuts, as shares of the tile's sides."""
        found = []
        if self.x is not None:
            # Rows of the first cut that the second one keeps.
            first, rows = (0, len(self.x.path)) if self.y is None else (self.y.start, self.y.kept)
            found.append([(x, y) for y, x in _line(self.x, first, rows)])
        if self.y is not None:
            found.append([(x, y) for x, y in _line(self.y, 0, len(self.y.path))])
        return found


def _line(cut: AxisCut, first: int, count: int) -> list[tuple[float, float]]:
    """Return points of a cut: how far along it they lie, and how far across, as shares."""
    steps = range(0, count, max(1, count // _JOIN_POINTS))
    return [((n + 0.5) / count, float(cut.path[first + n]) / cut.kept) for n in [*steps, count - 1]]


def solve(guide: Picture, params: CutTile, structure: Structure | None) -> Cut:
    """Find where a picture overlaps itself best, and the path of least difference there.

    Raises
    ------
    BadRequest
        If the picture is too small to be overlapped, or holds no whole step of its structure.
    """
    seen = as_seen(premultiplied(guide), guide)
    widths = _widths(seen, params, structure)
    x = y = None
    if widths.x is not None:
        x = _found(seen, widths.x, _margin(params, seen), False)
        seen = _join(seen, x, _feather(params, seen), False)
    if widths.y is not None:
        y = _found(_turned(seen), widths.y, _margin(params, seen), x is not None)
    return Cut(x, y)


def lay(picture: Picture, guide: Picture, cut: Cut, params: CutTile) -> Picture:
    """Cut a picture as was found on the guide; the path is refined within a coarse pixel.

    Tone is evened out across the cut by the smoothest correction that has no step there, in
    the scale of the eye; detail is switched within a narrow feather, so that nothing is
    blurred. The second cut runs on a ring, so that the corners meet too.

    Parameters
    ----------
    picture, guide : Picture
        Of one size; the guide may be the picture itself.

    Returns
    -------
    Picture
        Smaller by the overlaps, marked as wrapping.
    """
    pixels = as_seen(premultiplied(picture), picture)
    alike = guide is picture
    led = pixels if alike else as_seen(premultiplied(guide), guide)
    feather = _feather(params, pixels)
    closed = False
    if cut.x is not None:
        refined = _refined(led, cut.x, closed)
        pixels = _join(pixels, refined, feather, False)
        led = pixels if alike else _join(led, refined, feather, False)
        closed = True
    if cut.y is not None:
        led = _turned(led)
        refined = _refined(led, cut.y, closed)
        pixels = _turned(_join(_turned(pixels), refined, feather, closed))
    return from_seen(pixels, picture).tiling()


@dataclass(frozen=True)
class _Widths:
    """What is kept of each side; None where that axis is not joined."""

    x: int | None
    y: int | None


def _widths(seen: Floats, params: CutTile, structure: Structure | None) -> _Widths:
    """Choose what is kept of each side: the shorter side freely, the longer to match it.

    What recurs is kept in whole steps.
    """
    turned = _turned(seen)
    step_x, step_y = (None, None) if structure is None else (structure.x, structure.y)
    if params.axes == "x":
        return _Widths(best_width(seen, params.most, step_x), None)
    if params.axes == "y":
        return _Widths(None, best_width(turned, params.most, step_y))
    longer, shorter = max(seen.shape[:2]), min(seen.shape[:2])
    strip = params.shape == "suiting" and longer > _STRIP * shorter
    if params.shape == "found" or strip:
        x, y = best_width(seen, params.most, step_x), best_width(turned, params.most, step_y)
        return _Widths(x, y)
    if step_x is not None and step_y is not None:
        return _whole_square(seen, turned, (step_x, step_y))
    if step_x is not None or step_y is not None:
        # One side is of whole steps, the other of any length: as long as the first.
        given, free = (seen, turned) if step_x is not None else (turned, seen)
        room = min(given.shape[1] - _least(given), free.shape[1] - _least(free))
        kept = _nearest_to(given, lengths(step_x or step_y or 1.0, room, room)[-1])
        matched = width_near(free, kept)
        return _Widths(kept, matched) if step_x is not None else _Widths(matched, kept)
    wide = seen.shape[1] >= seen.shape[0]
    short, long = (turned, seen) if wide else (seen, turned)
    kept = best_width(short, params.most)
    matched = width_near(long, kept)
    return _Widths(matched, kept) if wide else _Widths(kept, matched)


def _whole_square(seen: Floats, turned: Floats, steps: tuple[float, float]) -> _Widths:
    """Choose whole steps each way whose lengths are nearly equal, lose little and match well."""
    choices = []
    for values, step in zip((seen, turned), steps, strict=True):
        side = values.shape[1]
        badness = _Badness(values, 0.0)
        fits = lengths(step, step, side - _least(values))
        choices.append([(length, side, badness.of_coarse(length)) for length in fits])

    def price(x: tuple[float, int, float], y: tuple[float, int, float]) -> float:
        lost = 1 - x[0] * y[0] / (x[1] * y[1])
        return x[2] + y[2] + 2 * _KEEP * lost + _STRETCH * abs(math.log(x[0] / y[0]))

    x, y = min(((x, y) for x in choices[0] for y in choices[1]), key=lambda pair: price(*pair))
    return _Widths(_nearest_to(seen, x[0]), _nearest_to(turned, y[0]))


def _least(values: Floats) -> int:
    """Return how many columns the overlap needs at least."""
    return max(4, round(int(values.shape[1]) * _LEAST_SHARE))


def _turned(values: Floats) -> Floats:
    return np.ascontiguousarray(values.transpose(1, 0, 2))


def _feather(params: CutTile, values: Floats) -> float:
    return float(params.feather / 1000 * max(values.shape[:2]))


def _margin(params: CutTile, values: Floats) -> int:
    return int(np.ceil(_feather(params, values))) + 1


def best_width(seen: Floats, most: float, step: float | None = None) -> int:
    """Return the width at which a picture laid over itself matches best.

    Parameters
    ----------
    seen : ndarray, float32, shape (height, width, channels)
        Values as the eye weighs them.
    most : float
        Share of the width that may be given up; more where no whole step is left otherwise.
    step : float, optional
        Pixels of which the width has to be a multiple, within one.

    Notes
    -----
    The mean difference in the overlap, against the mean difference of unrelated places, plus
    a price for the share that is lost. A structure with a period shows itself as a sharp
    minimum at a whole number of periods. Searched coarsely, then refined in pixels.
    """
    width = seen.shape[1]
    least, last = round(width * (1 - most)), width - _least(seen)
    badness = _Badness(seen, _KEEP)
    if step is None:
        return badness.best(least, last)
    whole: float = min(lengths(step, least, last), key=badness.of_coarse)
    return _nearest_to(seen, whole)


def width_near(seen: Floats, wanted: int) -> int:
    """Return the width near ``wanted`` at which a picture laid over itself matches best.

    The picture is at least as wide as ``wanted``; where it is much wider, its middle is used.
    """
    seen = _middle(seen, wanted)
    low, high = round(wanted * (1 - _NEARLY)), round(wanted * (1 + _NEARLY))
    high = min(high, seen.shape[1] - 4)
    return _Badness(seen, 0.0).best(min(low, high), high)


def _nearest_to(seen: Floats, length: float) -> int:
    """Return the whole number of pixels, within one of a length, that matches best."""
    near = round(length)
    high = min(near + 1, seen.shape[1] - 4)
    return _Badness(seen, 0.0).best_of(range(min(near - 1, high), high + 1))


class _Badness:
    """How badly a picture matches itself at each width that may be kept of it.

    Parameters
    ----------
    seen : ndarray, float32, shape (height, width, channels)
    price : float
        What a lost share of the width costs.
    """

    def __init__(self, seen: Floats, price: float) -> None:
        height, width = seen.shape[:2]
        self._shrink = max(1.0, max(height, width) / _SEARCH_SIDE)
        size = round(width / self._shrink), round(height / self._shrink)
        self._small = resample(seen, *size, "box", False)
        self._sampled = seen[:: max(1, height // _SEARCH_SIDE)]
        self._ratio = self._small.shape[1] / width
        aside = np.roll(self._small, self._small.shape[1] // 3, axis=1)
        self._unrelated = float(np.abs(self._small - aside).mean()) + 1e-6
        self._price = price

    def of_coarse(self, length: float) -> float:
        """Return how bad a length is, on few pixels."""
        return self._of(self._small, min(round(length * self._ratio), self._small.shape[1] - 1))

    def best_of(self, widths: Sequence[int]) -> int:
        """Return the best of some widths, on all columns."""
        return min(widths, key=lambda kept: self._of(self._sampled, kept))

    def best(self, low: int, high: int) -> int:
        """Return the best width from ``low`` to ``high``, sought coarsely first."""
        first = round(low * self._ratio)
        last = min(round(high * self._ratio), self._small.shape[1] - 1)
        tried = range(min(first, last), last + 1)
        coarse = min(tried, key=lambda kept: self._of(self._small, kept)) / self._ratio
        reach = int(np.ceil(self._shrink)) + 1
        low, high = max(low, round(coarse) - reach), min(high, round(coarse) + reach)
        return self.best_of(range(min(low, high), high + 1))

    def _of(self, values: Floats, kept: int) -> float:
        lost = 1 - kept / values.shape[1]
        return float(_apart(values, kept) / self._unrelated + self._price * lost)


def _apart(values: Floats, kept: int) -> float:
    """Return the mean difference in the overlap that keeps so many columns."""
    total = values.shape[1]
    return float(np.abs(values[:, : total - kept] - values[:, kept:]).mean())


def _middle(values: Floats, kept: int) -> Floats:
    """Crop columns evenly where far more are there than a join of ``kept`` can use."""
    start, room = _used(values.shape[1], kept)
    return values[:, start : start + room]


def _used(width: int, kept: int) -> tuple[int, int]:
    room = min(width, round(kept * _ROOM))
    return (width - room) // 2, room


def _found(seen: Floats, kept: int, margin: int, closed: bool) -> AxisCut:
    from stonestack.core.tile.cutpath import least_path

    start, room = _used(seen.shape[1], kept)
    cost = _cost(seen[:, start : start + room], kept, closed)
    overlap = room - kept
    inside = min(margin, (overlap - 1) // 2)
    cost[:, :inside] = cost[:, overlap - inside :] = _FAR
    return AxisCut(seen.shape[1], start, room, kept, least_path(cost, closed))


def _refined(seen: Floats, cut: AxisCut, closed: bool) -> AxisCut:
    """Carry a cut over to another resolution: the same overlap and path, within a pixel."""
    from stonestack.core.tile.cutpath import least_path

    rows, width = seen.shape[:2]
    if width == cut.side and rows == len(cut.path):
        return cut
    ratio = width / cut.side
    room = min(width, round(cut.room * ratio))
    start = min(width - room, round(cut.start * ratio))
    used = seen[:, start : start + room]
    sampled = used[:: max(1, rows // _SEARCH_SIDE)]
    near = round(cut.kept * ratio)
    reach = int(np.ceil(ratio)) if ratio > 1 else 0
    candidates = range(max(4, near - reach), min(room - 4, near + reach) + 1)
    kept = min(candidates, key=lambda k: _apart(sampled, k)) if candidates else near
    overlap = room - kept
    coarse = (cut.path + 0.5) * ratio - 0.5
    place = (np.arange(rows) + 0.5) * (len(cut.path) / rows) - 0.5
    middle = np.interp(place, np.arange(len(cut.path)), coarse)
    cost = _cost(used, kept, closed)
    away = np.abs(np.arange(overlap)[np.newaxis, :] - middle[:, np.newaxis])
    cost[away > ratio + 1] = _FAR
    return AxisCut(width, start, room, kept, least_path(cost, closed))


def _join(values: Floats, cut: AxisCut, feather: float, closed: bool) -> Floats:
    """Make values continue from the right edge to the left along a cut."""
    used = values[:, cut.start : cut.start + cut.room]
    overlap = cut.room - cut.kept
    left, right = used[:, :overlap], used[:, cut.kept :]
    columns = np.arange(overlap, dtype=np.float32)
    reach = max(feather, 0.5)
    switch = _smooth((columns - cut.path[:, np.newaxis] + reach) / (2 * reach))[..., np.newaxis]
    chosen = right + (left - right) * switch
    evened = chosen + _evening(left - right, switch, closed)
    return np.concatenate([evened, used[:, overlap : cut.kept]], axis=1).astype(np.float32)


def _evening(apart: Floats, switch: Floats, closed: bool) -> Floats:
    """Return the correction that takes the step between two copies out of their join.

    Where the switch changes by some share, so much of the copies' difference shows as a
    step: the opposite of it is the gradient that the correction has to have.
    """
    padded = np.pad(switch, ((0, 0), (1, 1), (0, 0)))
    padded[:, -1] = 1
    beside = np.pad(apart, ((0, 0), (1, 1), (0, 0)), mode="edge")
    half = np.float32(-0.5)
    along_x = half * np.diff(padded, axis=1) * (beside[:, 1:] + beside[:, :-1])
    below, apart_below = np.roll(switch, -1, axis=0), np.roll(apart, -1, axis=0)
    along_y = half * (below - switch) * (apart + apart_below)
    return across_strip(along_x.astype(np.float32), along_y.astype(np.float32), closed)


def _cost(used: Floats, kept: int, closed: bool) -> Floats:
    """Return the price of switching at each place: what differs there and around it."""
    from scipy.ndimage import uniform_filter1d

    overlap = used.shape[1] - kept
    gap = np.square(used[:, :overlap] - used[:, kept:]).sum(axis=2)
    along = uniform_filter1d(gap, size=5, axis=0, mode="wrap" if closed else "nearest")
    around: Floats = uniform_filter1d(along, size=5, axis=1, mode="nearest").astype(np.float32)
    return around + np.float32(1e-5)


def _smooth(t: Floats) -> Floats:
    """Return the cubic step from 0 to 1 with level ends."""
    t = np.clip(t, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


GEOMETRY = keeping_whole(solve, lay)
cut_tile = alone(GEOMETRY)

STEP = StepKind(
    name="cut_tile",
    title="Cut",
    hint="Joins opposite edges along the path where they differ least",
    params=CutTile,
    version=6,
    apply=cut_tile,
    spaces=frozenset(Space),
    group=Group.TILE,
    summary=lambda p: f"cut {AXES_WORDS[p.axes]}",
    geometry=GEOMETRY,
    family=FAMILY,
)
