"""Lines that run all the way or part of it: hard seams, steps of tone, thin lines.

Each column is held against the others of the same tile, along the whole height, halves and
quarters of it, at five scales and for both axes: a joint of the matter's own is never the only
one of its kind.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median, quantiles
from stonestack.core.picture.resize import at_most
from stonestack.core.runtime.parallel import over_bands, rows_worth
from stonestack.core.tile.faults.evidence import HINT, Evidence, FaultKind, finer_to_coarser, peaks
from stonestack.core.tile.faults.residual import residual
from stonestack.core.tile.period import Lattice

_BLOCKS = 8
_RUNS = (8, 4, 2)
"""Eighths of the height that a line takes."""
_SCALES = 5
_FLOOR = np.float32(1e-3)
_TONE_FLOOR = np.float32(2e-3)
_APART = 3
_THIRD = 2
"""Defects come alone or as the two sides of a part: the third largest belongs to the matter."""
_USUAL = 8
_FEW = 120
"""Columns below which the largest of a scale says less."""
_SEAM: FaultKind = "seam"
_TONE: FaultKind = "tone"
_LINE: FaultKind = "line"
_LEAST = {
    (_SEAM, 8): 0.7,
    (_SEAM, 4): 1.15,
    (_SEAM, 2): 1.75,
    (_TONE, 8): 0.8,
    (_TONE, 4): 0.85,
    (_TONE, 2): 0.8,
    (_LINE, 8): 1.5,
    (_LINE, 4): 1.25,
    (_LINE, 2): 1.5,
}
"""What sound tiles do not exceed, by kind and eighths of the height that a line takes."""
_UNEVEN = 0.35
"""By how much more what is left of a structure has to stand out: joints are not quite alike."""
_MOST_OF_IT, _STRANGE = 0.85, 0.9
"""Of the blocks of a seam that goes all the way: how many are stranger there than how many of their
columns. Two joints of boards that end side by side are strange in a few blocks only."""
_OF_A_STEP = 0.5
_OF_A_RIDGE = 0.9
"""A line's two steps are as large as it is; a single step is twice the ridge that it makes."""
_PIECES = 32
_SHORT_ONES = 0.995
_OF_SHORT_ONES: dict[FaultKind, float] = {"line": 0.9, "tone": 0.7}
_FAR_OUT = 4.5
"""Spreads of the usual that it lies away from them."""
_STANDS_OUT, _CLEARLY = 6.6, 1.1
"""Of what is steady: how many times its error it is, and how far it lies out, as in _LEAST."""
_ROUNDING = 1e-4
_RIDGES_REACH, _BESIDE_A_RIDGE, _BY_ITSELF = 3, 0.75, 0.85
"""Columns within which a ridge makes others look like furrows. Beside a thin one they look up to
0.6 times as large as it is, and do not count; between two, or at the sides of a wide one, they look
as large: they count, but are no lines by themselves."""
_STILL_THERE = 0.9
"""Share of a line's size that is left where the structure is taken away."""
_BY_CHANCE = 0.9
"""What half of the columns exceed where pieces are independent, a little more."""
_BESIDE = 0.04


@dataclass(frozen=True)
class _Profile:
    """How much each column stands out, as a logarithm, for a run of blocks."""

    kind: FaultKind
    run: int
    values: Floats
    first: Floats
    """The block at which the run begins that stands out most."""
    size: Floats
    blocks: Floats
    """What was measured of each block."""


def line_evidence(values: Floats, lattice: Lattice | None = None) -> list[Evidence]:
    """Look for lines along both axes, in the tile and in what is left of it without structure.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    lattice : Lattice, optional
        How it recurs, in pixels.
    """
    found: list[Evidence] = []
    scales = finer_to_coarser(values, _SCALES)
    for axis in (1, 0):
        rest = residual(values, lattice, axis)
        # Joints are steady too: with them, what is not there again elsewhere is looked at.
        along = _along_columns(_upright(scales, axis), rest is None, _RUNS)
        if rest is not None:
            left = _upright(finer_to_coarser(rest, _SCALES), axis)
            # What is left where joints are not quite alike is no fault.
            besides = [
                replace(e, excess=e.excess - _UNEVEN)
                for e in _along_columns(left, False, _RUNS[:1])
            ]
            whole = scales
            if rest.shape != values.shape:
                whole = finer_to_coarser(at_most(values, max(rest.shape[:2])), _SCALES)
            besides += _steady_besides(_upright(whole, axis), left)
            along += [e.larger(values.shape[1] / rest.shape[1]) for e in besides]
        found += along if axis == 1 else [e.turned() for e in along]
    return found


def _upright(scales: list[Floats], axis: int) -> list[Floats]:
    """Return scales so that what runs across, for axis 0, runs down."""
    if axis == 1:
        return scales
    return [np.ascontiguousarray(scale.transpose(1, 0, 2)) for scale in scales]


def _steady_besides(whole: list[Floats], left: list[Floats]) -> list[Evidence]:
    """Look for what is steady in a tile with a structure, and no part of that.

    Parameters
    ----------
    whole, left : list of ndarray
        Scales of the tile, and of what is left of it without its structure.
    """
    mean = max(float(whole[0].mean()), 0.05)
    columns = whole[0].shape[1]
    return [
        # Courses are not all of one tone.
        replace(found, excess=found.excess - (_UNEVEN if found.kind == _TONE else 0))
        for scale, rest in zip(whole, left, strict=True)
        if scale.shape[1] >= _FEW
        for found in _steady(scale, columns / scale.shape[1], mean, rest)
    ]


def _along_columns(
    scales: list[Floats], look_steady: bool, runs: tuple[int, ...]
) -> list[Evidence]:
    mean = max(float(scales[0].mean()), 0.05)
    found: list[Evidence] = []
    for scale in scales:
        columns = scale.shape[1]
        pixel = scales[0].shape[1] / columns
        for profile in _profiles(scale, runs):
            top = peaks(profile.values, _APART)
            if len(top) > _USUAL:
                for x in top[:_THIRD]:
                    found += _line_at(
                        scale, profile, x, _excess(profile.values, top, x), pixel, mean
                    )
        if look_steady and columns >= _FEW:
            found += _steady(scale, pixel, mean)
    return found


def _line_at(
    scale: Floats, profile: _Profile, x: int, excess: float, pixel: float, mean: float
) -> list[Evidence]:
    """Return what stands out at a column, if it does clearly and is no line of the matter's own."""
    kind, run, first = profile.kind, profile.run, int(profile.first[x])
    excess = excess / _LEAST[kind, run] - 1
    if excess <= HINT or not _is_clear(profile.values, x, kind):
        return []
    size = float(profile.size[x])
    if kind == _SEAM:
        if run == _BLOCKS and not _goes_on(profile.blocks, x):
            return []
        shown = size * math.sqrt(run / _BLOCKS)
    else:
        step = _step_across(scale, x, first, run)
        ridge = size if kind == _LINE else _ridge_at(scale, x, first, run)
        # A line steps up and down again, a step of tone stays.
        stays = step > max(_OF_A_STEP * size, _OF_A_RIDGE * ridge)
        pieces = _pieces(_short_means(scale), kind)
        # The matter may have such lines, only shorter or slanted.
        short = _OF_SHORT_ONES[kind] * _short_ones(pieces, x)
        if stays != (kind == _TONE) or size < short:
            return []
        shown = step / mean if kind == _TONE else size * math.sqrt(pixel)
    height = len(scale) * pixel
    wide = pixel if kind == _LINE else 2 * pixel
    box = (x * pixel, first * height / _BLOCKS, wide, height * run / _BLOCKS)
    return [Evidence(kind, box, excess, shown)]


def _goes_on(blocks: Floats, x: int) -> bool:
    """Tell whether a column is among the strangest in nearly all blocks."""
    stranger = (blocks < blocks[:, x : x + 1]).mean(axis=1) >= _STRANGE
    return float(stranger.mean()) >= _MOST_OF_IT


def _steady(scale: Floats, pixel: float, mean: float, rest: Floats | None = None) -> list[Evidence]:
    """Look for what is small, but much the same in all pieces of a column.

    Held against how much the pieces differ, as Student's t ("The Probable Error of a Mean",
    Biometrika 6, 1908) does; the third largest belongs to the matter. What is not there in the
    rest either, where one is given, belongs to the structure.
    """
    height = len(scale) * pixel
    found: list[Evidence] = []
    short = _short_means(scale)
    for kind in (_TONE, _LINE):
        pieces = _pieces(short, kind)
        means = pieces.mean(axis=0)
        size = np.linalg.norm(means, axis=1)
        along = np.einsum("pxc,xc->px", pieces, means / np.maximum(size, 1e-9)[:, np.newaxis])
        error = along.std(axis=0, ddof=1) / math.sqrt(len(pieces)) + _ROUNDING
        stands = np.asarray(size / error, np.float32)
        # Of long grain every column is steady.
        stands /= max(1.0, float(median(stands)) / _BY_CHANCE)
        if rest is not None:
            there = np.linalg.norm(_pieces(_short_means(rest), kind).mean(axis=0), axis=1)
            stands *= there >= np.float32(_STILL_THERE) * size
        for x, excess in _most_steady(stands, _Sides.told(means, size) if kind == _LINE else None):
            step = _step_across(scale, x, 0, _BLOCKS)
            ridge = _ridge_at(scale, x, 0, _BLOCKS)
            if (step > _OF_A_RIDGE * ridge) != (kind == _TONE):
                continue
            wide = pixel if kind == _LINE else 2 * pixel
            left = x * pixel if kind == _LINE else (x + 1) * pixel - pixel
            shown = step / mean if kind == _TONE else float(size[x]) * math.sqrt(pixel / 3)
            found.append(Evidence(kind, (left, 0.0, wide, height), excess, shown))
    return found


def _most_steady(stands: Floats, sides: _Sides | None) -> Iterator[tuple[int, float]]:
    """Yield the steadiest columns and how far they lie beyond the third, for each side apart.

    Parameters
    ----------
    stands : ndarray, float32, shape (columns,)
        How many times its error each is.
    sides : _Sides or None
        Where lighter lines and darker ones are not held against one another.
    """
    apart = [stands] if sides is None else [stands * (sides.of == side) for side in (1, -1)]
    for mine in apart:
        top = peaks(mine, _APART)
        if len(top) <= _USUAL:
            continue
        heights = np.log(np.maximum(mine[top], _BY_CHANCE))
        third, usual = float(heights[_THIRD]), float(heights[_USUAL])
        for n in range(_THIRD):
            clear = (float(heights[n]) - third - 0.05) / (third - usual + 0.25)
            excess = min(float(mine[top[n]]) / _STANDS_OUT, clear / _CLEARLY) - 1
            if excess > HINT and (sides is None or sides.surely[top[n]]):
                yield top[n], excess


@dataclass(frozen=True)
class _Sides:
    """On which side of their surroundings columns lie.

    Parameters
    ----------
    of : ndarray, float32, shape (columns,)
        1 for what is lighter, -1 for what is darker, 0 for what only looks so beside a larger one.
    surely : ndarray, bool, shape (columns,)
        Whether it is larger than all of the other side about it.
    """

    of: Floats
    surely: NDArray[np.bool_]

    @staticmethod
    def told(ridges: Floats, size: Floats) -> _Sides:
        """Tell them from ridges, shape (columns, channels), and how large those are."""
        side = np.sign(_over_channels(ridges)).astype(np.float32)
        other = np.zeros_like(size)
        for by in range(-_RIDGES_REACH, _RIDGES_REACH + 1):
            other = np.maximum(other, np.roll(size, by) * (np.roll(side, by) == -side))
        counts = size > _BESIDE_A_RIDGE * other
        return _Sides(np.asarray(side * counts, np.float32), size * _BY_ITSELF > other)


def _ridge_at(scale: Floats, x: int, first: int, run: int) -> float:
    """Return how far a column differs from those on both sides, or the next one does."""
    height = len(scale)
    rows = np.arange(first * height // _BLOCKS, (first + run) * height // _BLOCKS) % height
    near = np.arange(x - 4, x + 5) % scale.shape[1]
    ridges = np.abs(_ridges(scale[np.ix_(rows, near)].mean(axis=0, keepdims=True))).mean(axis=2)
    return float(ridges[0, 3:7].max())


def _step_across(scale: Floats, x: int, first: float, run: int) -> float:
    """Return how far the tone on one side of a column differs from the other, a little way off."""
    height, width = scale.shape[:2]
    rows = np.arange(int(first * height / _BLOCKS), int((first + run) * height / _BLOCKS)) % height
    reach = max(3, round(_BESIDE * width))
    before = scale[np.ix_(rows, np.arange(x - reach - 1, x - 1) % width)]
    after = scale[np.ix_(rows, np.arange(x + 3, x + reach + 3) % width)]
    # A joint that happens to lie there is not the tone.
    tones = [median(beside.mean(axis=0), axis=0)[0] for beside in (before, after)]
    return float(np.abs(tones[1] - tones[0]).mean())


def _short_means(scale: Floats) -> Floats:
    """Return the means of short pieces of columns, shape (pieces, columns, channels)."""
    edges = np.linspace(0, len(scale), _PIECES + 1).astype(int)
    return np.stack([scale[a : max(b, a + 1)].mean(axis=0) for a, b in pairwise(edges)])


def _pieces(means: Floats, kind: FaultKind) -> Floats:
    """Return how short pieces of columns stand out."""
    return _steps(means) if kind == _TONE else _ridges(means)


def _short_ones(pieces: Floats, x: int) -> float:
    """Return how much short pieces of columns stand out, away from one column."""
    size = _over_channels(np.abs(pieces))
    size[:, np.arange(x - 4, x + 5) % size.shape[1]] = 0
    return float(quantiles(size, (_SHORT_ONES,))[0])


def _steps(means: Floats) -> Floats:
    """Return the step of tone after each column, less what the slope beside it leads to."""
    pairs = (means + np.roll(means, 1, axis=1)) * np.float32(0.5)
    before, beyond = np.roll(pairs, 2, axis=1), np.roll(pairs, -4, axis=1)
    step = np.roll(pairs, -2, axis=1) - pairs
    slope = pairs - before + beyond - np.roll(pairs, -2, axis=1)
    return np.asarray(step - slope * np.float32(0.25), np.float32)


def _ridges(means: Floats) -> Floats:
    """Return how far each column differs from those on both sides."""
    beside = np.roll(means, 2, axis=1) + np.roll(means, -2, axis=1)
    return np.asarray(means - beside * np.float32(0.5), np.float32)


def _excess(profile: Floats, top: list[int], x: int) -> float:
    """Return how far a column lies out, in steps from the third largest to the ninth."""
    here, third, usual = (float(profile[n]) for n in (x, top[_THIRD], top[_USUAL]))
    return (here - third - 0.05) / (third - usual + 0.25) * min(1.0, len(profile) / _FEW)


def _is_clear(profile: Floats, x: int, kind: FaultKind) -> bool:
    """Tell whether a column lies far from the middling one, against how others do."""
    middle = float(median(profile))
    if kind == _SEAM:
        spread = 1.4826 * float(median(np.abs(profile - middle))) + 1e-3
        return (float(profile[x]) - middle) / spread >= _FAR_OUT
    return math.exp(float(profile[x]) - middle) * 0.6745 >= _FAR_OUT


def _profiles(scale: Floats, runs: tuple[int, ...]) -> Iterator[_Profile]:
    spread, means = _measured(scale)
    surprising = np.log(spread + _FLOOR)
    surprising -= median(surprising, axis=1)
    step, line = _steps(means), _ridges(means)
    for run in runs:
        over = _over_runs(surprising, run)
        yield _picked(_SEAM, run, over, over, surprising)
        over = _over_channels(np.abs(_over_runs(step, run)))
        yield _picked(_TONE, run, np.log(over + _TONE_FLOOR), over, step)
        light = _over_runs(line, run)
        size, way = _over_channels(np.abs(light)), np.sign(_over_channels(light))
        for sign in (1, -1):
            over = np.asarray(size * (way == sign), np.float32)
            yield _picked(_LINE, run, np.log(over + _TONE_FLOOR), over, line)


def _over_runs(blocks: Floats, run: int) -> Floats:
    """Return the means over so many blocks that follow one another on the ring, from each."""
    if run == _BLOCKS:
        return np.asarray(blocks.mean(axis=0, keepdims=True), np.float32)
    ring = np.concatenate([blocks, blocks[: run - 1]])
    total = sum(ring[n : n + _BLOCKS] for n in range(run))
    return np.asarray(total / np.float32(run), np.float32)


def _over_channels(values: Floats) -> Floats:
    """Return the means over the channels, which are last and few."""
    channels = values.shape[-1]
    return values @ np.full(channels, 1 / channels, np.float32)


def _picked(kind: FaultKind, run: int, over: Floats, size: Floats, blocks: Floats) -> _Profile:
    best = np.argmax(over, axis=0)
    columns = np.arange(over.shape[1])
    first = best.astype(np.float32)
    return _Profile(kind, run, over[best, columns], first, size[best, columns], blocks)


def _measured(scale: Floats) -> tuple[Floats, Floats]:
    """Return the surprise of each step, by blocks of rows, and the mean of each column."""
    from stonestack.core.tile.faults.line_kernels import step_spread

    rows, columns, _ = scale.shape
    edges = np.linspace(0, rows, _BLOCKS + 1).round().astype(np.float32)
    cut = edges.astype(int)
    means = np.stack([scale[a:b].mean(axis=0) for a, b in pairwise(cut)])
    after, before, beyond = (np.roll(means, by, axis=1) for by in (-1, 1, -2))
    usual = np.asarray(1.5 * (after - means) + 0.5 * (before - beyond), np.float32)
    spread = np.empty((_BLOCKS, columns), np.float32)
    least = rows_worth(scale.size // _BLOCKS)
    over_bands(lambda a, b: step_spread(scale, edges, usual, spread, a, b), _BLOCKS, least)
    return spread, np.asarray(means, np.float32)
