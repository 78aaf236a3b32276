"""Make a tile of a stochastic surface by blending pieces of it without losing its contrast.

Sources: E. Heitz and F. Neyret, "High-Performance By-Example Noise using a Histogram-Preserving
Blending Operator", Proc. ACM Comput. Graph. Interact. Tech. 1 (2018), sections 3 and 4; the
weights' power from T. Deliot and E. Heitz, "Procedural Stochastic Textures by Tiling and
Blending", GPU Zen 2 (2019), section 5.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams, alone
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.runtime.parallel import over_bands
from stonestack.core.tile.grain import grain_of
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

_BINS = 4096
_GRAINS = 10
_SMALLEST, _LARGEST = 0.08, 0.3
"""Bounds of pieces that go by the grain, as shares of the shorter side."""
_EDGE = 3.5
"""Standard deviations beyond which a Gaussian is taken to have ended."""


class BlendTile(StepParams):
    """Parameters of :func:`blend_tile`."""

    kind: Literal["blend_tile"] = "blend_tile"
    axes: Axes = Field("both", title="Joins", description="Which edges are made to meet")
    piece: float = Field(
        0.0,
        ge=0,
        le=0.45,
        multiple_of=0.01,
        title="Piece",
        description="Size of the pieces, as a share of the shorter side; 0 goes by the grain",
    )
    structure: Keeping = KEEPING
    sharp: float = Field(
        4.0,
        ge=1,
        le=16,
        multiple_of=0.5,
        title="Sharpness",
        description="Narrow joins between pieces, or wide ones",
    )
    seed: int = Field(1, ge=1, le=9999, title="Draw", description="Another number, another tile")


@dataclass(frozen=True)
class Mesh:
    """The solution: for each corner of the grid, what lies on it, as shares of the sides.

    Parameters
    ----------
    centres : ndarray, float64, shape (rows, columns, 2)
        Row and column, each 0..1.
    cells : (int, int)
        Rows and columns of the grid.
    size : (float, float)
        Height and width of the tile, as shares of the picture's.
    """

    centres: NDArray[np.float64]
    cells: tuple[int, int]
    size: tuple[float, float]

    def sides(self, width: int, height: int) -> tuple[float, float]:
        """Return width and height of the tile, in pixels of a guide of this size."""
        return (width * self.size[1], height * self.size[0])

    def used(self, width: int, height: int) -> float:
        """Return which share of a guide of this size is in the tile, 0..1."""
        # Of each piece, about as much as a cell of the grid shows.
        windows = [
            (y - 0.5 / self.cells[0], x - 0.5 / self.cells[1])
            for y, x in self.centres.reshape(-1, 2)
        ]
        return share_of(windows, (1 / self.cells[0], 1 / self.cells[1]))

    def joins(self) -> list[Join]:
        """Return no line: pieces go over into one another everywhere."""
        return []


def solve(guide: Picture, params: BlendTile, structure: Structure | None) -> Mesh:
    """Draw which place of the source lies on each corner of the grid.

    Pieces of a structure are shifted by whole steps of it, so that they lie on one another.
    """
    short = min(guide.width, guide.height)
    piece = (params.piece or _by_grain(guide)) * short
    cells = (max(2, round(guide.height / piece)), max(2, round(guide.width / piece)))
    # One row and column more where the grid is no ring.
    corners = (cells[0] + (params.axes == "x"), cells[1] + (params.axes == "y"))
    room = np.array([1 / cells[0], 1 / cells[1]])
    drawn = np.random.default_rng(params.seed).random((*corners, 2))
    centres = room + drawn * (1 - 2 * room)
    if structure is None:
        return Mesh(centres, cells, (1.0, 1.0))
    height, width = guide.height, guide.width
    down = lengths(structure.y, height, height)[-1] if structure.y else height
    across = lengths(structure.x, width, width)[-1] if structure.x else width
    size = (
        down / height if params.axes != "x" else 1.0,
        across / width if params.axes != "y" else 1.0,
    )
    places = np.indices(corners).transpose(1, 2, 0) * (
        np.array([height * size[0], width * size[1]]) / cells
    )
    sides = np.array([height, width])
    least, most = room * sides - places, (1 - room) * sides - places
    shifts = structure.shifts_near(centres * sides - places, least, most)
    return Mesh((places + shifts) / sides, cells, size)


def _by_grain(guide: Picture) -> float:
    """Return the size of pieces that hold a few grains of a material, as a share of the side.

    Larger ones show each grain several times; smaller ones cut it up.
    """
    return min(_LARGEST, max(_SMALLEST, _GRAINS * grain_of(guide)))


def lay(picture: Picture, _guide: Picture, mesh: Mesh, params: BlendTile) -> Picture:
    """Blend the pieces of a picture.

    Channels are turned so that they do not depend on one another, each is brought to a
    Gaussian by its ranks, blended with its variance kept, and brought back: so the tile has
    the picture's own histogram, and no contrast is lost as it is in a plain blend. Each map
    has its own histogram; where pieces lie is the same for all.
    """
    values = as_seen(premultiplied(picture), picture)
    vectors = picture.space is Space.VECTOR
    plane = values[..., :2] if vectors else values
    basis, mean = _axes(plane)
    turned = np.asarray((plane - mean) @ basis, dtype=np.float32)
    tables = [_Ranks(turned[..., c]) for c in range(turned.shape[2])]
    normal = np.stack([t.gaussian(turned[..., c]) for c, t in enumerate(tables)], axis=2)
    normal = np.ascontiguousarray(normal, np.float32)
    height, width = normal.shape[:2]
    rows, columns = round(height * mesh.size[0]), round(width * mesh.size[1])
    out = np.empty((rows, columns, normal.shape[2]), np.float32)
    starts = (mesh.centres * np.array([height, width])).astype(np.float32)
    cells = np.array([rows / mesh.cells[0], columns / mesh.cells[1]], np.float32)
    rings = np.array([params.axes != "x", params.axes != "y"])
    from stonestack.core.tile.blend_kernels import blend

    over_bands(lambda a, b: blend(normal, starts, cells, rings, params.sharp, out, a, b), rows, 16)
    back = np.stack([t.value(out[..., c]) for c, t in enumerate(tables)], axis=2)
    mixed = (back @ basis.T + mean).astype(np.float32)
    if vectors:
        # Only the slope was blended; what lies out of the plane follows from unit length.
        flat = np.square(mixed).sum(axis=2, keepdims=True)
        mixed = np.concatenate([mixed, np.sqrt(np.maximum(1 - flat, 1e-4))], axis=2)
        if values.shape[2] > 3:
            mixed = np.concatenate([mixed, values[..., 3:]], axis=2)
    return from_seen(mixed.astype(np.float32), picture).tiling()


def _axes(values: Floats) -> tuple[Floats, Floats]:
    """Return axes on which the channels do not depend on one another, and the mean."""
    flat = values.reshape(-1, values.shape[2])
    sampled = flat[:: max(1, len(flat) // 200_000)].astype(np.float64)
    mean = sampled.mean(axis=0)
    if sampled.shape[1] == 1:
        return np.ones((1, 1), np.float32), mean.astype(np.float32)
    _, basis = np.linalg.eigh(np.cov(sampled.T))
    # A sign of its own, so that equal pictures give equal bytes everywhere.
    basis *= np.sign(basis[np.abs(basis).argmax(axis=0), np.arange(len(basis))])
    return basis.astype(np.float32), mean.astype(np.float32)


class _Ranks:
    """From values to the Gaussian of their ranks, and back; by tables."""

    def __init__(self, values: Floats) -> None:
        from scipy.special import ndtri

        low, high = float(values.min()), float(values.max())
        self._low, self._high = low, max(high, low + 1e-6)
        counts, _ = np.histogram(values, bins=_BINS, range=(self._low, self._high))
        ranks = (np.cumsum(counts) - counts / 2) / counts.sum()
        margin = 1 / (2 * values.size)
        self._normal = ndtri(np.clip(ranks, margin, 1 - margin)).astype(np.float32)
        places = np.linspace(-_EDGE, _EDGE, _BINS)
        centres = self._low + (np.arange(_BINS) + 0.5) * (self._high - self._low) / _BINS
        used = counts > 0
        self._back = np.interp(places, self._normal[used], centres[used]).astype(np.float32)

    def gaussian(self, values: Floats) -> Floats:
        """Return the Gaussian of each value's rank."""
        return _looked_up(values, self._low, self._high, self._normal)

    def value(self, normal: Floats) -> Floats:
        """Return the value that has a Gaussian rank."""
        return _looked_up(normal, -_EDGE, _EDGE, self._back)


def _looked_up(values: Floats, low: float, high: float, table: Floats) -> Floats:
    shares = (values - np.float32(low)) * np.float32(1 / (high - low))
    return colour.by_table(np.asarray(shares, np.float32), table)


GEOMETRY = keeping_whole(solve, lay)
blend_tile = alone(GEOMETRY)

STEP = StepKind(
    name="blend_tile",
    title="Blend pieces",
    hint="For grit, sand or plaster without forms: pieces blended, contrast kept",
    params=BlendTile,
    version=4,
    apply=blend_tile,
    spaces=frozenset(Space),
    group=Group.TILE,
    summary=lambda p: f"blended {AXES_WORDS[p.axes]}",
    geometry=GEOMETRY,
    family=FAMILY,
)
