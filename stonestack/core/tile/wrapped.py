"""Make a picture tile and lose next to nothing: the difference of its edges is spread inwards.

Source: the smooth part that is taken off is that of L. Moisan, "Periodic plus Smooth Image
Decomposition", J. Math. Imaging and Vision 39 (2011), section 2, but solved so that the step
across the wrap is exactly the one asked for, and dies away as far inside as asked for.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams, alone
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.tile.membrane import between
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

_STRIP = 6
"""Columns by which two edges are compared."""
_ROUNDS = 6


class WrapTile(StepParams):
    """Parameters of :func:`wrap_tile`."""

    kind: Literal["wrap_tile"] = "wrap_tile"
    axes: Axes = Field("both", title="Joins", description="Which edges are made to meet")
    reach: float = Field(
        0.5,
        ge=0.02,
        le=1,
        multiple_of=0.01,
        title="Reach",
        description="How far into the picture tone is evened out, as a share of its side",
    )
    give_up: float = Field(
        0.08,
        ge=0,
        le=0.4,
        multiple_of=0.01,
        title="Give up at most",
        description="Share of each side that may be cut off for edges that are more alike",
    )
    structure: Keeping = KEEPING


@dataclass(frozen=True)
class Trim:
    """The solution: what is kept of each axis, of a guide of that size; None where not joined."""

    guide: tuple[int, int]
    x: int | None
    y: int | None

    def sides(self, width: int, height: int) -> tuple[float, float]:
        """Return width and height of the tile, in pixels of a guide of this size."""
        return (width if self.x is None else self.x, height if self.y is None else self.y)

    def used(self, width: int, height: int) -> float:
        """Return which share of a guide of this size is in the tile, 0..1."""
        across, down = self.sides(width, height)
        return across * down / (width * height)

    def joins(self) -> list[Join]:
        """Return the edges that were made to meet."""
        across: list[Join] = [] if self.x is None else [[(0, 0), (0, 1)]]
        down: list[Join] = [] if self.y is None else [[(0, 0), (1, 0)]]
        return across + down


def solve(guide: Picture, params: WrapTile, structure: Structure | None) -> Trim:
    """Find where the picture is cut off so that its edges differ least, after whole steps.

    Raises
    ------
    BadRequest
        If the picture holds no whole step of its structure.
    """
    seen = as_seen(premultiplied(guide), guide)
    turned = np.ascontiguousarray(seen.transpose(1, 0, 2))

    def kept(values: Floats, step: float | None) -> int:
        width = values.shape[1]
        least = round(width * (1 - params.give_up))
        if step is None:
            return _nearest(values, least, width)
        whole = round(lengths(step, least, width)[-1])
        return _nearest(values, whole - 1, whole + 1)

    step_x, step_y = (None, None) if structure is None else (structure.x, structure.y)
    x = kept(seen, step_x) if params.axes != "y" else None
    y = kept(turned, step_y) if params.axes != "x" else None
    return Trim((guide.width, guide.height), x, y)


def lay(picture: Picture, guide: Picture, trim: Trim, params: WrapTile) -> Picture:
    """Add the smoothest field that makes opposite edges continue into one another.

    The step across the wrap becomes what its neighbours lead one to expect, and on it the
    grain of a column from the inside, so that it is neither flat nor a line.
    """
    values = as_seen(premultiplied(picture), picture)
    led = values if guide is picture else as_seen(premultiplied(guide), guide)
    closed = False
    if trim.x is not None:
        kept = _carried(led, trim.x, trim.guide[0])
        values, led = _joined(values[:, :kept], closed, params.reach), led[:, :kept]
        closed = True
    if trim.y is not None:
        kept = _carried(np.ascontiguousarray(led.transpose(1, 0, 2)), trim.y, trim.guide[1])
        turned = np.ascontiguousarray(values[:kept].transpose(1, 0, 2))
        values = np.ascontiguousarray(_joined(turned, closed, params.reach).transpose(1, 0, 2))
    return from_seen(values, picture).tiling()


def _carried(values: Floats, kept: int, side: int) -> int:
    """Carry a width found on a guide over to another resolution, within a guide's pixel."""
    width = values.shape[1]
    if width == side:
        return kept
    ratio = width / side
    reach = int(np.ceil(ratio)) if ratio > 1 else 0
    near = round(kept * ratio)
    return _nearest(values, near - reach, min(width, near + reach))


def _nearest(values: Floats, least: int, most: int) -> int:
    """Return the width whose end goes on most like the picture's start."""
    width = values.shape[1]
    strip = max(1, min(_STRIP, width // 8))
    last = min(most, width - strip)
    first = max(2 * strip, min(least, last))
    sampled = values[:: max(1, values.shape[0] // 512)]
    start = sampled[:, :strip]

    def apart(kept: int) -> float:
        return float(np.abs(sampled[:, kept : kept + strip] - start).mean())

    return min(range(last, first - 1, -1), key=apart)


def _joined(values: Floats, closed: bool, reach: float) -> Floats:
    """Make the right edge continue into the left."""
    width = values.shape[1]
    if width < 4:
        return values
    steps = np.diff(values, axis=1)
    expected, grain = (steps[:, 0] + steps[:, -1]) * np.float32(0.5), _grain(values, steps)
    # The field changes the steps beside the wrap too, and so what they lead one to expect.
    edge = np.array([0, 1, width - 2, width - 1])
    beside = np.zeros_like(expected)
    for _ in range(_ROUNDS):
        # What the left edge has to lose, and the right to gain.
        half = (values[:, 0] - values[:, -1] - expected - beside - grain) * np.float32(0.5)
        near = between(-half, half, width, closed, reach * width, edge)
        beside = (near[:, 1] - near[:, 0] + near[:, 3] - near[:, 2]) * np.float32(0.5)
    return (values + between(-half, half, width, closed, reach * width)).astype(np.float32)


def _grain(values: Floats, steps: Floats) -> Floats:
    """Return the surprise of each step in the column whose surroundings are most alike.

    Alike to the right edge on its left side, and to the left edge on its right side.
    """
    surprise = steps[:, 1:-1] - (steps[:, :-2] + steps[:, 2:]) * np.float32(0.5)
    if surprise.shape[1] == 0:
        return np.zeros_like(steps[:, 0])
    sampled = values[:: max(1, values.shape[0] // 512)]
    # Entry k of `surprise` is the step from column k + 1 to column k + 2.
    ends, starts = sampled[:, -2:], sampled[:, :2]
    before = np.abs(sampled[:, :-3] - ends[:, :1]) + np.abs(sampled[:, 1:-2] - ends[:, 1:])
    after = np.abs(sampled[:, 2:-1] - starts[:, :1]) + np.abs(sampled[:, 3:] - starts[:, 1:])
    nearest = int(np.argmin((before + after).mean(axis=(0, 2))))
    return np.asarray(surprise[:, nearest], dtype=np.float32)


GEOMETRY = keeping_whole(solve, lay)
wrap_tile = alone(GEOMETRY)

STEP = StepKind(
    name="wrap_tile",
    title="Even out",
    hint="Keeps nearly all of the picture; the difference of its edges is spread inwards",
    params=WrapTile,
    version=3,
    apply=wrap_tile,
    spaces=frozenset(Space),
    group=Group.TILE,
    summary=lambda p: f"evened out {AXES_WORDS[p.axes]}",
    geometry=GEOMETRY,
    family=FAMILY,
)
