"""Keep a structure whole: a tile of bricks holds whole bricks, in their bond, upright.

The lattice is found first, on the guide. Where it leans, guide and pictures are straightened by it
as a frame would; then a tile may have only such sides as lead to the same again, and what lays
parts of the picture may shift them by whole steps alone.
"""

from __future__ import annotations

import hashlib
import math
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from stonestack.core.kinds.step import Geometry
from stonestack.core.picture.image import Picture
from stonestack.core.picture.resize import resize
from stonestack.core.raw.frame import frame_of, framed
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tile.period import Lattice, Step, find_lattice
from stonestack.core.tile.ways import check_sides

_LEAN = math.radians(14)
"""How far a step may lean to run along a side."""
_TURN_PRICE, _SKEW_PRICE = 1 / math.radians(8), 1 / math.radians(1.5)
"""Against the length of steps as shares of the sides."""
_UPRIGHT = 1.25
"""Pixels over the whole guide by which a structure may lean and be taken as it is."""
_SHORTEST_TRIED = 48
_TRIED_SIZES = 64
_LONGEST = 0.96
"""Of a side, that a step may take up."""
_REMEMBERED = 32
_NEAR = 0.8
"""Pixels by which a shift may miss a whole number of steps; laying refines it."""
_AROUND = 2
_COUNTED = 200
_STRETCHED = 1.002
_SEEN_STRETCHED = 1.1
"""From this stretch on bricks are seen not to be what they were."""


@dataclass(frozen=True)
class Structure:
    """How a guide's structure recurs once it is upright.

    Parameters
    ----------
    corners : tuple of four (x, y), or None
        Of the frame that makes it upright, as shares of the sides; None where it is.
    turn, skew : float
        By how many degrees it leaned, and how far its axes were from upright on one another.
    x, y : float or None
        Shortest steps along x and along y that lead to the same again, in pixels of the upright
        guide; None where anything goes on.
    steps : tuple of (x, y)
        The steps of the lattice in the upright guide, one or two.
    """

    corners: tuple[Step, ...] | None
    turn: float
    skew: float
    x: float | None
    y: float | None
    steps: tuple[Step, ...]

    def upright(self, picture: Picture) -> Picture:
        """Return a picture, of any resolution, with the structure upright."""
        return picture if self.corners is None else framed(picture, frame_of(self.corners))

    def scaled(self, ratio: float) -> Structure:
        """Return the same for a guide of another resolution."""
        return Structure(
            self.corners,
            self.turn,
            self.skew,
            None if self.x is None else self.x * ratio,
            None if self.y is None else self.y * ratio,
            tuple((dx * ratio, dy * ratio) for dx, dy in self.steps),
        )

    def is_whole(self, across: NDArray[np.float64], down: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Tell which shifts, in pixels, lead to the same again."""
        off_x, off_y = self._off(across, down)
        return np.asarray(np.hypot(off_x, off_y) <= _NEAR)

    def snapped(self, wanted: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the shifts next to these, down and across, that lead to the same again."""
        off_x, off_y = self._off(wanted[..., 1], wanted[..., 0])
        return np.asarray(wanted - np.stack([off_y, off_x], axis=-1))

    def shifts_near(
        self, wanted: NDArray[np.float64], least: NDArray[np.float64], most: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """Return the shifts next to these that lead to the same again and stay in bounds.

        Parameters
        ----------
        wanted, least, most : ndarray, float64, shape (rows, columns, 2)
            Down and across, in pixels.
        """
        nearest = self.snapped(wanted)
        counts = range(-_AROUND, _AROUND + 1)
        first, *rest = self.steps
        second = rest[0] if rest else (0.0, 0.0)
        best, least_bad = nearest, np.full(wanted.shape[:2], np.inf)
        for n in counts:
            for m in counts if rest else (0,):
                step = (n * first[1] + m * second[1], n * first[0] + m * second[0])
                tried = nearest + np.array(step)
                out = np.maximum(least - tried, 0) + np.maximum(tried - most, 0)
                bad = 100 * out.sum(axis=2) + np.hypot(*(tried - wanted).transpose(2, 0, 1))
                better = bad < least_bad
                best = np.where(better[..., np.newaxis], tried, best)
                least_bad = np.minimum(bad, least_bad)
        return best

    def _off(
        self, across: NDArray[np.float64], down: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return how far shifts are from a whole number of steps."""
        if len(self.steps) == 1:
            dx, dy = self.steps[0]
            length = math.hypot(dx, dy)
            along = (across * dx + down * dy) / length
            off = along - np.rint(along / length) * length
            return off * dx / length, off * dy / length
        basis = np.array(self.steps).T
        counts = np.linalg.inv(basis) @ np.stack([across.ravel(), down.ravel()])
        off = basis @ (counts - np.rint(counts))
        return off[0].reshape(across.shape), off[1].reshape(down.shape)


def structure_in(guide: Picture) -> Structure | None:
    """Find how a guide's structure can be kept whole; None where there is none, or none fits."""
    digest = hashlib.blake2b(np.ascontiguousarray(guide.pixels).data, digest_size=16)
    digest.update(f"{guide.space} {guide.alpha} {guide.pixels.shape}".encode())
    key = digest.digest()
    with _lock:
        if key in _known:
            _known.move_to_end(key)
            return _known[key]
    lattice = find_lattice(guide)
    found = None if lattice is None else _fitted(lattice, guide.width, guide.height)
    with _lock:
        _known[key] = found
        if len(_known) > _REMEMBERED:
            _known.popitem(last=False)
    return found


_known: OrderedDict[bytes, Structure | None] = OrderedDict()
"""Structures of guides seen lately: while a control moves, the guide stays."""
_lock = Lock()


def lengths(step: float, least: float, most: float) -> list[float]:
    """Return the whole numbers of steps that are ``least`` to ``most`` pixels long.

    Where there are none, the longest that is shorter.

    Raises
    ------
    BadRequest
        If not one step fits.
    """
    last = math.floor(most / step + 1e-6)
    if last < 1:
        raise BadRequest(
            "no-whole-step",
            f"One step of the structure is {step:.0f} pixels long; there is room for {most:.0f}.",
            "Start from a larger part of it, or let Structure be cut anywhere.",
        )
    first = min(last, max(1, math.ceil(least / step - 1e-6)))
    return [n * step for n in range(first, last + 1)]


Join = list[tuple[float, float]]
"""A line along which a picture was joined: x and y of its points, as shares of the sides."""


class Solution(Protocol):
    """What a way has found."""

    def sides(self, width: int, height: int) -> tuple[float, float]:
        """Return width and height of the tile, in pixels of a guide of this size."""

    def used(self, width: int, height: int) -> float:
        """Return which share of a guide of this size is in the tile, 0..1."""

    def joins(self) -> list[Join]:
        """Return where the picture was joined, as shares of the tile's sides."""


def share_of(windows: Iterable[tuple[float, float]], size: tuple[float, float]) -> float:
    """Return which share of a picture lies in any of some windows.

    Parameters
    ----------
    windows : iterable of (float, float)
        Where each begins, down and across, as shares of the sides.
    size : (float, float)
        Their height and width, likewise.
    """
    seen = np.zeros((_COUNTED, _COUNTED), bool)
    for top, left in windows:
        (a, b), (c, d) = (
            (round(max(0.0, start) * _COUNTED), round((start + long) * _COUNTED))
            for start, long in ((top, size[0]), (left, size[1]))
        )
        seen[a:b, c:d] = True
    return float(seen.mean())


@dataclass(frozen=True)
class Kept:
    """The solution of a way that keeps a structure whole.

    Parameters
    ----------
    structure : Structure or None
    inner : Solution
        Of the way itself, for the upright guide.
    sides : (float, float)
        Width and height of the tile before it is stretched, in pixels of that guide.
    square : bool
        Whether it is stretched to equal sides.
    used : float
        Which share of the guide is in the tile, 0..1; what is laid twice counts once.
    spared : float
        How much longer one side would become by a stretch to equal sides that was not made, 1 where
        none was called for.
    """

    structure: Structure | None
    inner: Any
    sides: tuple[float, float]
    square: bool
    used: float
    spared: float = 1.0

    @property
    def stretch(self) -> float:
        """How much wider the tile becomes than its sides were, against its height."""
        return self.sides[1] / self.sides[0] if self.square else 1.0

    @property
    def words(self) -> str:
        """What is kept whole, and what that took; empty where there is no structure."""
        if self.structure is None:
            return ""
        steps = zip(self.sides, (self.structure.x, self.structure.y), strict=True)
        across, down = (None if step is None else round(side / step) for side, step in steps)
        told = [
            " × ".join(
                f"{count} {way}" for count, way in ((across, "across"), (down, "down")) if count
            )
            + " whole steps of the structure"
        ]
        if self.structure.corners is not None:
            told.append(
                f"straightened by {max(abs(self.structure.turn), self.structure.skew):.1f}°"
            )
        percent = round(100 * (_longer(self.stretch) - 1))
        if percent:
            told.append(f"stretched {percent} % {'across' if self.stretch > 1 else 'down'}")
        if self.spared > 1:
            percent = round(100 * (self.spared - 1))
            told.append(f"proportions as found: a square would stretch it by {percent} %")
        return ", ".join(told)


def keeping_whole(
    solve: Callable[[Picture, Any, Structure | None], Solution],
    lay: Callable[[Picture, Picture, Any, Any], Picture],
) -> Geometry:
    """Let a way of making a tile keep structures whole, as its ``structure`` says.

    Parameters
    ----------
    solve : callable
        ``(guide, params, structure) -> solution``, of an upright guide.
    lay : callable
        ``(picture, guide, solution, params) -> picture``, of upright pictures.

    Notes
    -----
    Where equal sides are wanted (``shape`` is ``square``), whole steps seldom have them: the tile
    is stretched to a square of the same area at the end. Where what suits is wanted, it is left as
    it is found if that stretch would be seen.
    """

    def solve_as(guide: Picture, params: Any, structure: Structure | None) -> Kept:
        upright = guide if structure is None else structure.upright(guide)
        inner = solve(upright, params, structure)
        square = getattr(params, "shape", "found") != "found" and params.axes == "both"
        sides = inner.sides(upright.width, upright.height)
        upright_share = upright.width * upright.height / (guide.width * guide.height)
        used = inner.used(upright.width, upright.height) * upright_share
        return Kept(structure, inner, sides, square and structure is not None, used)

    def solve_whole(guide: Picture, params: Any) -> Kept:
        check_sides(guide)
        structure = structure_in(guide) if params.structure == "whole" else None
        kept = solve_as(guide, params, structure)
        stretch = _longer(kept.stretch)
        if getattr(params, "shape", "found") != "suiting" or stretch <= _SEEN_STRETCHED:
            return kept
        found = solve_as(guide, params.model_copy(update={"shape": "found"}), structure)
        return replace(found, spared=stretch)

    def lay_whole(picture: Picture, guide: Picture, kept: Kept, params: Any) -> Picture:
        structure = kept.structure
        if structure is None:
            return lay(picture, guide, kept.inner, params)
        upright = structure.upright(picture)
        led = upright if guide is picture else structure.upright(guide)
        tile = lay(upright, led, kept.inner, params)
        longer, shorter = max(tile.width, tile.height), min(tile.width, tile.height)
        if not kept.square or longer <= _STRETCHED * shorter:
            return tile
        side = round(math.sqrt(tile.width * tile.height))
        return resize(tile, side, side)

    return Geometry(solve_whole, lay_whole)


def _longer(stretch: float) -> float:
    """Return how much longer the side becomes that is stretched."""
    return max(stretch, 1 / stretch)


def _fitted(lattice: Lattice, width: int, height: int) -> Structure | None:
    """Choose the steps along both sides, and straighten by them where they lean."""
    if lattice.second is None:
        pair = _one_way(lattice.first)
    else:
        pair = _pair(lattice.first, lattice.second, width, height)
    if pair is None:
        return None
    u, v, free_x, free_y = pair
    steps = (lattice.first,) if lattice.second is None else (lattice.first, lattice.second)
    turn_u, turn_v = math.atan2(u[1], u[0]), math.atan2(-v[0], v[1])
    leans = max(abs(math.sin(turn_u)) * width, abs(math.sin(turn_v)) * height)
    along, down = np.array(u) / math.hypot(*u), np.array(v) / math.hypot(*v)
    corners, scale = None, (1.0, 1.0)
    if leans > _UPRIGHT:
        s, t = _largest(along, down, width, height)
        scale = round(s) / s, round(t) / t
        middle = np.array([width, height]) / 2
        corners = tuple(
            (
                float((middle + a * s * along + b * t * down)[0] / width),
                float((middle + a * s * along + b * t * down)[1] / height),
            )
            for a, b in ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))
        )
    there = np.linalg.inv(np.stack([along, down], axis=1))

    def upright(step: Step) -> Step:
        x, y = there @ np.array(step)
        return float(x * scale[0]), float(y * scale[1])

    return Structure(
        corners=corners,
        turn=math.degrees(turn_u + turn_v) / 2,
        skew=math.degrees(abs(turn_u - turn_v)),
        x=None if free_x else math.hypot(*u) * scale[0],
        y=None if free_y else math.hypot(*v) * scale[1],
        steps=tuple(upright(step) for step in steps),
    )


def _one_way(step: Step) -> tuple[Step, Step, bool, bool] | None:
    """Return steps along x and y of stripes, and which of the two is of any length."""
    x, y = step
    if abs(math.atan2(y, abs(x))) < _LEAN:
        return (abs(x), math.copysign(y, x * y) if y else 0.0), (-y, abs(x)), False, True
    if abs(math.atan2(x, abs(y))) < _LEAN:
        return (abs(y), -x), (x, abs(y)), True, False
    return None


def _pair(
    first: Step, second: Step, width: int, height: int
) -> tuple[Step, Step, bool, bool] | None:
    """Return the best steps of a lattice along x and along y."""
    most = math.ceil(
        1.5 * max(width, height) / max(1.0, min(math.hypot(*first), math.hypot(*second)))
    )
    counts = np.arange(-min(most, 96), min(most, 96) + 1)
    n, m = (each.ravel() for each in np.meshgrid(counts, counts))
    x, y = n * first[0] + m * second[0], n * first[1] + m * second[1]
    across = (x > 0) & (x <= _LONGEST * width) & (np.abs(np.arctan2(y, x)) < _LEAN)
    down = (y > 0) & (y <= _LONGEST * height) & (np.abs(np.arctan2(x, y)) < _LEAN)
    u, v = (_shortest(np.stack([x[k], y[k]], axis=1)) for k in (across, down))
    if len(u) == 0 or len(v) == 0:
        return None
    turn_u = np.arctan2(u[:, 1], u[:, 0])[:, np.newaxis]
    turn_v = np.arctan2(-v[:, 0], v[:, 1])[np.newaxis]
    long = np.hypot(*u.T)[:, np.newaxis] / width + np.hypot(*v.T)[np.newaxis] / height
    price = long + np.abs(turn_u + turn_v) / 2 * _TURN_PRICE + np.abs(turn_u - turn_v) * _SKEW_PRICE
    i, j = np.unravel_index(int(np.argmin(price)), price.shape)
    return (float(u[i, 0]), float(u[i, 1])), (float(v[j, 0]), float(v[j, 1])), False, False


def _shortest(steps: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the shortest steps, and of those that lean little all."""
    lean = np.abs(np.arctan2(np.abs(steps).min(axis=1), np.abs(steps).max(axis=1)))
    order = np.argsort(np.hypot(*steps.T) * (1 + lean / math.radians(2)))
    return steps[order[:_SHORTEST_TRIED]]


def _largest(
    along: NDArray[np.float64], down: NDArray[np.float64], width: int, height: int
) -> tuple[float, float]:
    """Return the sides, along two directions, of the largest part of a picture that has them."""
    s = np.linspace(0.3, 1, _TRIED_SIZES) * width / max(1e-9, abs(float(along[0])))
    room_x = (width - s * abs(along[0])) / max(1e-9, abs(float(down[0])))
    room_y = (height - s * abs(along[1])) / max(1e-9, abs(float(down[1])))
    t = np.minimum(room_x, room_y)
    best = int(np.argmax(s * t))
    return float(s[best]), float(t[best])
