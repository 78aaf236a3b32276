"""Make a new tile of any size from patches of a picture.

Source: A. Efros and W. Freeman, "Image Quilting for Texture Synthesis and Transfer", SIGGRAPH
2001, section 2, on a ring; windows that were used count against being used again, and tone is
evened out over the joins as in P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing",
SIGGRAPH 2003, section 3.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams, alone
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.picture.resize import THINNEST, limited
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.runtime.parallel import over_bands
from stonestack.core.tile.grain import grain_of
from stonestack.core.tile.membrane import all_over
from stonestack.core.tile.ways import (
    AXES_WORDS,
    FAMILY,
    KEEPING,
    Axes,
    Keeping,
    as_seen,
    from_seen,
)
from stonestack.core.tile.whole import Join, Structure, keeping_whole, lengths, share_of

Ints = NDArray[np.int32]

_SOUGHT_AT = 208
"""Longest side of the guide that windows are sought on."""
_LEAST_PATCH = 8
_SMALLEST, _LARGEST = 0.12, 0.24
"""Bounds of patches that go by the grain, as shares of the shorter side."""
_OVERLAP = 0.28
"""Share of a patch that lies over its neighbour."""
_TRIED = 400
_POLISHED = 3
_COMPARED = 400
_COMPARED_CLOSELY = 1200
"""Pixels of the overlaps by which windows are compared."""
_PRICE = 10.0
_EVENLY = 0.5
"""How much it counts that a tile as laid so far is lighter or darker than its source."""
_MOST_PATCHES = 2500
_NEAR = np.array([(i, j) for i in (-1, 0, 1) for j in (-1, 0, 1)], np.int32)
_UNCUT = np.empty((4, 0), np.int32)
_SOLID = 0.99
"""Opacity below which a place of the source is masked."""


class QuiltTile(StepParams):
    """Parameters of :func:`quilt_tile`."""

    kind: Literal["quilt_tile"] = "quilt_tile"
    axes: Axes = Field("both", title="Joins", description="Which edges are made to meet")
    shape: Literal["square", "found"] = Field(
        "found",
        title="Proportions",
        description="Equal sides, of the same area, fit a square texture without stretch",
    )
    patch: float = Field(
        0.0,
        ge=0,
        le=0.8,
        multiple_of=0.01,
        title="Patch",
        description="Side of a patch, as a share of the shorter side; 0 goes by the grain",
    )
    structure: Keeping = KEEPING
    variety: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Variety",
        description="How much it counts against a place that it was used before",
    )
    width: float = Field(
        1.0,
        ge=0.25,
        le=4,
        multiple_of=0.05,
        title="Width",
        description="Of the new tile, in widths of the source",
    )
    height: float = Field(
        1.0,
        ge=0.25,
        le=4,
        multiple_of=0.05,
        title="Height",
        description="Of the new tile, in heights of the source",
    )
    seed: int = Field(1, ge=1, le=9999, title="Draw", description="Another number, another tile")


@dataclass(frozen=True)
class Patch:
    """One patch: where it is laid, where it comes from, and how it is cut at its four sides.

    Parameters
    ----------
    overlaps : tuple of int
        How far it lies over what is left of it, above, right and below.
    paths : ndarray, int32, shape (4, side)
        For each row or column of the patch, where in the overlap it is cut; -1 at a side
        where nothing was laid before.
    """

    top: int
    left: int
    row: int
    column: int
    overlaps: tuple[int, int, int, int]
    paths: Ints


@dataclass(frozen=True)
class Quilt:
    """The solution, in pixels of the guide it was found on.

    Parameters
    ----------
    source : tuple of int
        Height and width of that guide.
    size : tuple of int
        Height and width of the tile.
    side : int
        Of a patch.
    patches : tuple of Patch
        In the order of laying.
    structure : Structure or None
        That is kept whole.
    """

    source: tuple[int, int]
    size: tuple[int, int]
    side: int
    patches: tuple[Patch, ...]
    structure: Structure | None

    def sides(self, width: int, height: int) -> tuple[float, float]:
        """Return width and height of the tile, in pixels of a guide of this size."""
        return (self.size[1] * width / self.source[1], self.size[0] * height / self.source[0])

    def used(self, width: int, height: int) -> float:
        """Return which share of a guide of this size is in the tile, 0..1."""
        rows, columns = self.source
        seen = self.side * (1 - _OVERLAP)
        inset = self.side * _OVERLAP / 2
        windows = [((p.row + inset) / rows, (p.column + inset) / columns) for p in self.patches]
        return share_of(windows, (seen / rows, seen / columns))

    def joins(self) -> list[Join]:
        """Return the middles of the overlaps of patches, as shares of the tile's sides."""
        height, width = self.size
        found: list[Join] = []
        for patch in self.patches:
            before, above, after, below = patch.overlaps
            left, top = patch.left + before / 2, patch.top + above / 2
            right = min(width, patch.left + self.side - after / 2)
            bottom = min(height, patch.top + self.side - below / 2)
            if before:
                found.append([(left / width, top / height), (left / width, bottom / height)])
            if above:
                found.append([(left / width, top / height), (right / width, top / height)])
        return found


def solve(guide: Picture, params: QuiltTile, structure: Structure | None) -> Quilt:
    """Choose a window of the source for each patch, and cut it to what was laid before.

    A structure is kept whole: windows lie whole steps of it away from where they are laid.

    Raises
    ------
    BadRequest
        If no window of the source is free of mask, or there would be too many patches.
    """
    small = limited(guide, _SOUGHT_AT, THINNEST)
    if structure is not None:
        structure = structure.scaled(small.width / guide.width)
    source = as_seen(premultiplied(small), small)
    height, width = source.shape[:2]
    side = max(_LEAST_PATCH, round(min(height, width) * (params.patch or _by_grain(small))))
    side = min(side, height - 1, width - 1)
    size = _size(height, width, side, params, structure)
    if side < _LEAST_PATCH:
        raise BadRequest(
            "too-small-to-quilt",
            f"{guide.width} × {guide.height} pixels hold no patches.",
            "Start from a larger picture.",
        )
    free = _free_windows(small, side)
    rows = _positions(size[0], side, params.axes != "x")
    columns = _positions(size[1], side, params.axes != "y")
    if len(rows) * len(columns) > _MOST_PATCHES:
        raise BadRequest(
            "too-many-patches",
            f"{len(rows)} × {len(columns)} patches would have to be laid.",
            "Choose larger patches, or a smaller tile.",
        )
    chooser = _Chooser(source, free, side, params, structure)
    patches: list[Patch] = []
    bench = _Bench(source, size, side)
    for top, above, below in rows:
        for left, before, after in columns:
            stopping.check()
            row, column = chooser.choose(bench, top, left)
            overlaps = (before, above, after, below)
            patch = Patch(top, left, row, column, overlaps, _UNCUT)
            patches.append(bench.lay(patch, None, 1.0))
    return Quilt((height, width), size, side, tuple(patches), structure)


def _by_grain(guide: Picture) -> float:
    """Return the side of patches that hold a material's features, as a share of the side.

    Larger ones are seen to be there twice; smaller ones cut features up.
    """
    return min(_LARGEST, _SMALLEST + grain_of(guide))


def lay(picture: Picture, guide: Picture, quilt: Quilt, params: QuiltTile) -> Picture:
    """Lay the patches at the picture's resolution; each is refined within a coarse pixel."""
    from stonestack.core.tile.quilt_kernels import lay_labels

    led = as_seen(premultiplied(guide), guide)
    values = led if guide is picture else as_seen(premultiplied(picture), picture)
    labels, offsets = _refined(led, quilt)
    out = np.empty((*labels.shape, values.shape[2]), np.float32)
    along_x, along_y = np.empty_like(out), np.empty_like(out)
    over_bands(
        lambda a, b: lay_labels(values, offsets, labels, out, along_x, along_y, a, b),
        labels.shape[0],
        32,
    )
    out += all_over(along_x, along_y, params.axes != "y", params.axes != "x")
    result = from_seen(out, picture)
    return result.tiling()


def _size(
    height: int, width: int, side: int, params: QuiltTile, structure: Structure | None
) -> tuple[int, int]:
    """Return height and width of the tile, in pixels of the guide; no less than one patch."""
    down, across = height * params.height, width * params.width
    if params.shape == "square":
        down = across = (down * across) ** 0.5
    if structure is not None:
        down = _whole(down, side, structure.y if params.axes != "x" else None)
        across = _whole(across, side, structure.x if params.axes != "y" else None)
    return max(side, round(down)), max(side, round(across))


def _whole(length: float, side: int, step: float | None) -> float:
    """Return the whole number of steps nearest to a length, at least as long as a patch."""
    if step is None:
        return length
    fits = lengths(step, side, max(length + step / 2, side + step))
    return min(fits, key=lambda whole: abs(whole - length))


def _positions(size: int, side: int, ring: bool) -> list[tuple[int, int, int]]:
    """Return where patches begin on an axis, and how far they overlap what lies on either side.

    On a ring the last overlaps the first.
    """
    pace = side - max(2, round(side * _OVERLAP))
    if ring:
        count = max(2, -(-size // pace))
        starts = [round(i * size / count) for i in range(count)]
        starts.append(size)
        return [
            (
                starts[i],
                max(0, starts[i - 1] + side - starts[i]) if i else 0,
                max(0, starts[i] + side - size) if i == count - 1 else 0,
            )
            for i in range(count)
        ]
    count = max(1, 1 + -(-(size - side) // pace))
    starts = [round(i * (size - side) / max(1, count - 1)) for i in range(count)]
    return [(s, starts[i - 1] + side - s if i else 0, 0) for i, s in enumerate(starts)]


def _free_windows(small: Picture, side: int) -> Ints:
    """Return rows and columns of all windows in which nothing is masked."""
    height, width = small.height - side, small.width - side
    if small.opacity is None:
        rows, columns = np.mgrid[0:height, 0:width]
        return np.stack([rows.ravel(), columns.ravel()], axis=1).astype(np.int32)
    from scipy.ndimage import binary_dilation

    # A pixel of room, since windows are moved by up to that much when they are refined.
    masked = binary_dilation(small.opacity[..., 0] < _SOLID, np.ones((3, 3), bool)).astype(np.int64)
    total = np.pad(masked, ((1, 0), (1, 0))).cumsum(axis=0).cumsum(axis=1)
    within = (
        total[side : side + height, side : side + width]
        - total[:height, side : side + width]
        - total[side : side + height, :width]
        + total[:height, :width]
    )
    free = np.argwhere(within == 0).astype(np.int32)
    if len(free) == 0:
        raise BadRequest(
            "nothing-solid",
            "No patch of that size is free of see-through places.",
            "Choose smaller patches.",
        )
    return free


class _Chooser:
    """Chooses windows: alike to what is laid, and not used before if that can be helped."""

    def __init__(
        self,
        source: Floats,
        free: Ints,
        side: int,
        params: QuiltTile,
        structure: Structure | None,
    ) -> None:
        self._source, self._free, self._structure = source, free, structure
        self._limit = np.array(source.shape[:2], np.int32) - side
        self._allowed = np.zeros(self._limit + 1, bool)
        self._allowed[free[:, 0], free[:, 1]] = True
        self._random = np.random.default_rng(params.seed)
        self._used = np.empty((0, 2), np.int32)
        # What is seen of a patch is less by the overlap.
        self._core = side * (1 - _OVERLAP)
        self._away = _window_means(source, side) - source.mean(axis=(0, 1))
        self._owed = np.zeros(source.shape[2], np.float32)
        self._price = np.float32(
            _PRICE * params.variety * float(source.var(axis=(0, 1)).mean(dtype=np.float64))
        )

    def choose(self, bench: _Bench, top: int, left: int) -> tuple[int, int]:
        """Return row and column of the window for a patch."""
        free = self._in_step(top, left)
        drawn = free[self._random.integers(0, len(free), _TRIED)] if len(free) > _TRIED else free
        best = self._best(drawn, bench.met(top, left, _COMPARED))
        closely = bench.met(top, left, _COMPARED_CLOSELY)
        if self._structure is not None:
            best = self._best(best, closely)
        for _ in range(2 if self._structure is None else 0):
            around = (best[:, np.newaxis] + _NEAR).reshape(-1, 2)
            around = np.clip(around, 0, self._limit).astype(np.int32)
            best = self._best(around[self._allowed[around[:, 0], around[:, 1]]], closely)
        self._used = np.concatenate([self._used, best[:1]])
        self._owed += self._away[best[0, 0], best[0, 1]]
        return int(best[0, 0]), int(best[0, 1])

    def _in_step(self, top: int, left: int) -> Ints:
        """Return the free windows that are whole steps of the structure away from a place."""
        if self._structure is None:
            return self._free
        down = (self._free[:, 0] - top).astype(np.float64)
        across = (self._free[:, 1] - left).astype(np.float64)
        whole = self._free[self._structure.is_whole(across, down)]
        return whole if len(whole) else self._free

    def _best(self, places: Ints, met: tuple[Ints, Floats]) -> Ints:
        from stonestack.core.tile.quilt_kernels import nearest, reuse

        # What was laid so far is too light or too dark by so much; what evens it out is cheap.
        owed = self._away[places[:, 0], places[:, 1]] + self._owed
        prices = self._price * reuse(places, self._used, self._core)
        prices += np.float32(_EVENLY) * np.square(owed).sum(axis=1)
        return nearest(self._source, *met, places, prices, _POLISHED)


def _window_means(source: Floats, side: int) -> Floats:
    """Return the mean of each window, by its row and column."""
    total = np.pad(source, ((1, 0), (1, 0), (0, 0))).cumsum(axis=0, dtype=np.float64)
    total = total.cumsum(axis=1)
    sums = total[side:, side:] - total[:-side, side:] - total[side:, :-side]
    return np.asarray((sums + total[:-side, :-side]) / side**2, np.float32)


class _Bench:
    """What is laid so far."""

    def __init__(self, source: Floats, size: tuple[int, int], side: int) -> None:
        self._source, self._side = source, side
        self._out = np.zeros((*size, source.shape[2]), np.float32)
        self.labels = np.full(size, -1, np.int32)
        self._count = 0

    def met(self, top: int, left: int, compared: int) -> tuple[Ints, Floats]:
        """Return pixels of a patch's place that are laid already, and their values."""
        from stonestack.core.tile.quilt_kernels import gathered

        return gathered(self._out, self.labels, top, left, self._side, compared)

    def lay(self, patch: Patch, coarse: Patch | None, ratio: float) -> Patch:
        """Cut a patch to what was laid before, lay it, and return it with its paths.

        Parameters
        ----------
        coarse : Patch or None
            The same patch as found at another resolution, whose paths are followed.
        ratio : float
            Pixels here for one there.
        """
        from stonestack.core.tile.quilt_kernels import lay_patch

        place = np.array([patch.top, patch.left, patch.row, patch.column], np.int32)
        overlaps = np.array(patch.overlaps, np.int32)
        followed = np.empty((4, 0), np.int32) if coarse is None else coarse.paths
        paths = np.empty((4, self._side), np.int32)
        lay_patch(
            self._source,
            self._out,
            self.labels,
            self._count,
            place,
            overlaps,
            followed,
            ratio,
            paths,
        )
        self._count += 1
        return replace(patch, paths=paths)


def _refined(led: Floats, quilt: Quilt) -> tuple[Ints, Ints]:
    """Lay a quilt at another resolution; return its labels, and each patch's places."""
    from stonestack.core.tile.quilt_kernels import nearest

    height, width = led.shape[:2]
    ratio = max(height, width) / max(quilt.source)
    scaled = _scaling(ratio)
    size = (scaled(quilt.size[0]), scaled(quilt.size[1]))
    side = min(max(2, scaled(quilt.side)), height, width)
    bench = _Bench(led, size, side)
    same = ratio == 1
    structure = None if same or quilt.structure is None else quilt.structure.scaled(ratio)
    reach = 0 if same else 1 if structure is not None else int(np.ceil(ratio / 2))
    steps = np.arange(-reach, reach + 1, max(1, reach // 4), dtype=np.int32)
    around = np.stack(np.meshgrid(steps, steps, indexing="ij"), axis=-1).reshape(-1, 2)
    limit = np.array([height - side, width - side], np.int32)
    places = np.empty((len(quilt.patches), 4), np.int32)
    for k, coarse in enumerate(quilt.patches):
        stopping.check()
        top, left = scaled(coarse.top), scaled(coarse.left)
        near = np.array([scaled(coarse.row), scaled(coarse.column)], np.int32)
        if structure is not None:
            place = np.array([top, left], np.float64)
            near = np.rint(structure.snapped(near - place) + place).astype(np.int32)
        windows = np.clip(near + around, 0, limit).astype(np.int32)
        met = bench.met(top, left, _COMPARED_CLOSELY)
        free = np.zeros(len(windows), np.float32)
        row, column = nearest(led, *met, windows, free, 1)[0]
        before, above, after, below = coarse.overlaps
        overlaps = (scaled(before), scaled(above), scaled(after), scaled(below))
        patch = Patch(top, left, int(row), int(column), overlaps, _UNCUT)
        bench.lay(patch, coarse, ratio)
        places[k] = (top, left, row, column)
    return bench.labels, places


def _scaling(ratio: float) -> Callable[[int], int]:
    return lambda pixels: round(pixels * ratio)


GEOMETRY = keeping_whole(solve, lay)
quilt_tile = alone(GEOMETRY)

STEP = StepKind(
    name="quilt_tile",
    title="Quilt",
    hint="Makes a new tile of any size from patches that match where they meet",
    params=QuiltTile,
    version=5,
    apply=quilt_tile,
    spaces=frozenset(Space),
    group=Group.TILE,
    summary=lambda p: f"quilted {AXES_WORDS[p.axes]}",
    geometry=GEOMETRY,
    family=FAMILY,
)
