"""Make a new tile of any size from patches of a picture.

Source: A. Efros and W. Freeman, "Image Quilting for Texture Synthesis and Transfer", SIGGRAPH
2001, section 2, on a ring; windows that were used count against being used again, and tone is
evened out over the joins as in P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing",
SIGGRAPH 2003, section 3.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.errors import BadRequest
from stonestack.core.image import Floats, Picture, premultiplied
from stonestack.core.parallel import over_bands
from stonestack.core.resize import limited
from stonestack.core.roles import Role
from stonestack.core.stepkind import Geometry, StepKind, StepParams, alone
from stonestack.core.tile.cutpath import least_path
from stonestack.core.tile.membrane import all_over
from stonestack.core.tile.quilt_kernels import Ints, lay_labels, mismatches
from stonestack.core.tile.ways import AXES_WORDS, FAMILY, Axes, as_seen, from_seen

_SOUGHT_AT = 208
"""Longest side of the guide that windows are sought on."""
_LEAST_PATCH = 8
_OVERLAP = 0.28
"""Share of a patch that lies over its neighbour."""
_TRIED = 400
_POLISHED = 3
_COMPARED = 400
_COMPARED_CLOSELY = 1200
"""Pixels of the overlaps by which windows are compared."""
_WORTH_A_THREAD = 256
_PRICE = 10.0
_FAR = np.float32(1e6)
_MOST_PATCHES = 2500
_SOLID = 0.99
"""Opacity below which a place of the source is masked."""


class QuiltTile(StepParams):
    """Parameters of :func:`quilt_tile`."""

    kind: Literal["quilt_tile"] = "quilt_tile"
    axes: Axes = Field("both", title="Joins", description="Which edges are made to meet")
    patch: float = Field(
        0.22,
        ge=0.06,
        le=0.8,
        multiple_of=0.01,
        title="Patch",
        description="Side of a patch, as a share of the shorter side; larger keeps larger forms",
    )
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

    A path gives, for each row or column of the patch, where in the overlap it is cut; None at
    a side where nothing was laid before.
    """

    top: int
    left: int
    row: int
    column: int
    overlaps: tuple[int, int, int, int]
    paths: tuple[NDArray[np.int64] | None, ...]


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
    """

    source: tuple[int, int]
    size: tuple[int, int]
    side: int
    patches: tuple[Patch, ...]


def solve(guide: Picture, params: QuiltTile) -> Quilt:
    """Choose a window of the source for each patch, and cut it to what was laid before.

    Raises
    ------
    BadRequest
        If no window of the source is free of mask, or there would be too many patches.
    """
    small = limited(guide, _SOUGHT_AT)
    source = as_seen(premultiplied(small), small)
    height, width = source.shape[:2]
    side = max(_LEAST_PATCH, round(min(height, width) * params.patch))
    side = min(side, height - 1, width - 1)
    size = (max(side, round(height * params.height)), max(side, round(width * params.width)))
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
    chooser = _Chooser(source, free, side, params)
    patches: list[Patch] = []
    bench = _Bench(source, size, side)
    for top, above, below in rows:
        for left, before, after in columns:
            row, column = chooser.choose(bench, top, left)
            overlaps = (before, above, after, below)
            patch = Patch(top, left, row, column, overlaps, (None,) * 4)
            patches.append(bench.lay(patch, None, 1.0))
    return Quilt((height, width), size, side, tuple(patches))


def lay(picture: Picture, guide: Picture, quilt: Quilt, params: QuiltTile) -> Picture:
    """Lay the patches at the picture's resolution; each is refined within a coarse pixel."""
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

    def __init__(self, source: Floats, free: Ints, side: int, params: QuiltTile) -> None:
        self._source, self._free, self._side = source, free, side
        self._allowed = np.zeros(np.array(source.shape[:2]) - side + 1, bool)
        self._allowed[free[:, 0], free[:, 1]] = True
        self._random = np.random.default_rng(params.seed)
        self._used: list[tuple[int, int]] = []
        # What is seen of a patch is less by the overlap.
        self._core = side * (1 - _OVERLAP)
        self._price = _PRICE * params.variety * float(source.var(axis=(0, 1)).mean())

    def choose(self, bench: _Bench, top: int, left: int) -> tuple[int, int]:
        """Return row and column of the window for a patch."""
        drawn = self._free[self._random.integers(0, len(self._free), _TRIED)]
        badness = self._badness(bench, drawn, top, left, _COMPARED)
        best = drawn[np.argsort(badness, kind="stable")[:_POLISHED]]
        near = np.array([(i, j) for i in (-1, 0, 1) for j in (-1, 0, 1)], np.int32)
        for _ in range(2):
            limit = np.array(self._source.shape[:2], np.int32) - self._side
            around = (best[:, np.newaxis] + near).reshape(-1, 2)
            around = np.unique(np.clip(around, 0, limit), axis=0).astype(np.int32)
            around = around[self._allowed[around[:, 0], around[:, 1]]]
            badness = self._badness(bench, around, top, left, _COMPARED_CLOSELY)
            best = around[np.argsort(badness, kind="stable")[:_POLISHED]]
        row, column = int(best[0][0]), int(best[0][1])
        self._used.append((row, column))
        return row, column

    def _badness(
        self, bench: _Bench, places: Ints, top: int, left: int, compared: int
    ) -> NDArray[np.float64]:
        return bench.mismatches(places, top, left, compared) + self._price * self._reuse(places)

    def _reuse(self, places: Ints) -> NDArray[np.float64]:
        """Return how much of what each window would show was shown before, the squares summed."""
        if not self._used:
            return np.zeros(len(places))
        used = np.array(self._used, np.int32)
        apart = np.abs(places[:, np.newaxis] - used[np.newaxis])
        shared = np.clip(1 - apart / self._core, 0, 1).prod(axis=2)
        return np.asarray(np.square(shared).sum(axis=1))


class _Bench:
    """What is laid so far."""

    def __init__(self, source: Floats, size: tuple[int, int], side: int) -> None:
        self._source, self._side = source, side
        self.out = np.zeros((*size, source.shape[2]), np.float32)
        self.labels = np.full(size, -1, np.int32)
        self._count = 0

    def mismatches(self, places: Ints, top: int, left: int, compared: int) -> Floats:
        """Return how far windows of the source are from what is laid where a patch would lie.

        At most about so many pixels are compared, evenly spread.
        """
        place = self._place(top, left)
        pixels = np.argwhere(self.labels[place] >= 0)
        found = np.zeros(len(places), np.float32)
        if len(pixels) == 0:
            return found
        # An odd number apart, so that not the same columns are met in every row.
        pixels = pixels[:: max(1, len(pixels) // compared) | 1]
        wanted = self.out[place][pixels[:, 0], pixels[:, 1]]
        near = pixels.astype(np.int32)
        over_bands(
            lambda a, b: mismatches(self._source, near, wanted, places, found, a, b),
            len(places),
            _WORTH_A_THREAD,
        )
        return found

    def lay(self, patch: Patch, coarse: Patch | None, ratio: float) -> Patch:
        """Cut a patch to what was laid before, lay it, and return it with its paths.

        Parameters
        ----------
        coarse : Patch or None
            The same patch as found at another resolution, whose paths are followed.
        ratio : float
            Pixels here for one there.
        """
        side = self._side
        place = self._place(patch.top, patch.left)
        window = self._source[patch.row : patch.row + side, patch.column : patch.column + side]
        before = self.out[place]
        laid = self.labels[place] >= 0
        apart = window - before
        gap = np.einsum("ijk,ijk->ij", apart, apart)
        gap[~laid] = 0
        ours = np.ones((side, side), bool)
        paths: list[NDArray[np.int64] | None] = []
        along = np.arange(side)
        for edge, overlap in enumerate(patch.overlaps):
            if overlap < 2:
                paths.append(None)
                continue
            upright = gap if edge in (0, 2) else gap.T
            first = edge < 2
            strip = upright[:, :overlap] if first else upright[:, side - overlap :]
            hint = None if coarse is None else coarse.paths[edge]
            path = _path(strip, hint, ratio)
            paths.append(path)
            inner = along[np.newaxis, :] >= path[:, np.newaxis]
            if not first:
                inner = along[np.newaxis, :] < side - overlap + path[:, np.newaxis]
            ours &= inner if edge in (0, 2) else inner.T
        ours |= ~laid
        self.out[place] = np.where(ours[..., np.newaxis], window, before)
        self.labels[place] = np.where(ours, np.int32(self._count), self.labels[place])
        self._count += 1
        return Patch(patch.top, patch.left, patch.row, patch.column, patch.overlaps, tuple(paths))

    def _place(self, top: int, left: int) -> tuple[Any, Any]:
        """Return the index of a patch's place, over the edge where it lies so."""
        side, (height, width) = self._side, self.labels.shape
        if top + side <= height and left + side <= width:
            return slice(top, top + side), slice(left, left + side)
        rows, columns = np.arange(top, top + side), np.arange(left, left + side)
        down, across = np.ix_(rows % height, columns % width)
        return down, across


def _path(strip: Floats, hint: NDArray[np.int64] | None, ratio: float) -> NDArray[np.int64]:
    """Return the path of least difference through an overlap, near a coarse one if there is one."""
    from scipy.ndimage import uniform_filter

    rows, columns = strip.shape
    cost = uniform_filter(strip, 3, mode="nearest") + np.float32(1e-5)
    if hint is not None:
        place = (np.arange(rows) + 0.5) * (len(hint) / rows) - 0.5
        middle = np.interp(place, np.arange(len(hint)), (hint + 0.5) * ratio - 0.5)
        middle = np.clip(middle, 0, columns - 1)
        away = np.abs(np.arange(columns)[np.newaxis, :] - middle[:, np.newaxis])
        cost[away > ratio + 1] = _FAR
    return least_path(np.ascontiguousarray(cost, np.float32), False)


def _refined(led: Floats, quilt: Quilt) -> tuple[Ints, Ints]:
    """Lay a quilt at another resolution; return its labels, and each patch's places."""
    height, width = led.shape[:2]
    ratio = max(height, width) / max(quilt.source)
    scaled = _scaling(ratio)
    size = (scaled(quilt.size[0]), scaled(quilt.size[1]))
    side = min(max(2, scaled(quilt.side)), height, width)
    bench = _Bench(led, size, side)
    same = ratio == 1
    reach = 0 if same else int(np.ceil(ratio / 2))
    steps = np.arange(-reach, reach + 1, max(1, reach // 4), dtype=np.int32)
    around = np.stack(np.meshgrid(steps, steps, indexing="ij"), axis=-1).reshape(-1, 2)
    limit = np.array([height - side, width - side], np.int32)
    places = np.empty((len(quilt.patches), 4), np.int32)
    for k, coarse in enumerate(quilt.patches):
        top, left = scaled(coarse.top), scaled(coarse.left)
        near = np.array([scaled(coarse.row), scaled(coarse.column)], np.int32)
        windows = np.clip(near + around, 0, limit).astype(np.int32)
        found = bench.mismatches(windows, top, left, _COMPARED_CLOSELY)
        row, column = windows[int(np.argmin(found))]
        before, above, after, below = coarse.overlaps
        overlaps = (scaled(before), scaled(above), scaled(after), scaled(below))
        patch = Patch(top, left, int(row), int(column), overlaps, (None,) * 4)
        bench.lay(patch, coarse, ratio)
        places[k] = (top, left, row, column)
    return bench.labels, places


def _scaling(ratio: float) -> Callable[[int], int]:
    return lambda pixels: round(pixels * ratio)


GEOMETRY = Geometry(solve, lay)
quilt_tile = alone(GEOMETRY)

STEP = StepKind(
    name="quilt_tile",
    title="Patch together",
    hint="Makes a new tile of any size from patches that match where they meet",
    params=QuiltTile,
    version=1,
    apply=quilt_tile,
    roles=frozenset(Role),
    summary=lambda p: f"patched {AXES_WORDS[p.axes]}",
    geometry=GEOMETRY,
    family=FAMILY,
)
