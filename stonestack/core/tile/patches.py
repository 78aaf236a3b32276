"""Repair spots that stand out: each is covered with a like piece from elsewhere in the tile.

Source: the piece is laid in as in P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing",
SIGGRAPH 2003, section 3 (seamless cloning).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.kinds.step import Geometry, Group, StepKind, StepParams, alone
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.runtime import stopping
from stonestack.core.tile.period import Lattice, find_lattice_of_parts
from stonestack.core.tile.repetition import repetition_of
from stonestack.core.tile.ways import as_seen, check_sides, from_seen

_MOST = 32
_RIM = 0.6
"""Width of the ring by which pieces are compared, in radii."""
_TRIED = 3
_NO_WORSE = 1.01
_COVER = 1.25
"""Radius of what is covered, in radii of the spot: its soft edge too."""


class Spot(BaseModel):
    """A round spot; its middle as shares of width and height, its radius of the longer side."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)
    radius: float = Field(gt=0, le=0.25)


class PatchSpots(StepParams):
    """Parameters of :func:`patch_spots`."""

    kind: Literal["patch_spots"] = "patch_spots"
    spots: tuple[Spot, ...] = Field(
        (), max_length=_MOST, title="Spots", description="Each is covered from elsewhere"
    )
    other: int = Field(
        0,
        ge=0,
        le=20,
        title="Another piece",
        description="0 takes the most alike piece, 1 the next, and so on",
    )


@dataclass(frozen=True)
class Covers:
    """The solution: from how far away, in shares of the sides, each spot is covered.

    No way at all where every piece would make the tile worse.
    """

    ways: tuple[tuple[float, float], ...]


def solve(guide: Picture, params: PatchSpots) -> Covers:
    """Find for each spot the place whose surroundings are most like the spot's own.

    Notes
    -----
    The sum of squared differences over a ring, for all ways at once by correlation on the torus;
    what stands out at the other place counts against it, as do places under any spot. Of the best
    pieces that is taken with which least is seen to repeat, and none that makes it worse.
    """
    check_sides(guide, "cover a spot")
    values = as_seen(premultiplied(guide), guide)
    height, width = values.shape[:2]
    longest = max(height, width)
    waves = np.fft.rfft2(values, axes=(0, 1))
    squares = np.fft.rfft2(np.square(values).sum(axis=2))
    smooth = _salience(values)
    lattice = find_lattice_of_parts(values)
    standing, seen = values, _seen(values, lattice)
    ways: list[tuple[int, int]] = []
    for spot in params.spots:
        away = _away(spot, height, width)
        radius = spot.radius * longest * _COVER
        ring = ((away > radius) & (away <= radius * (1 + _RIM))).astype(np.float32)
        inside = (away <= radius).astype(np.float32)
        count = max(1.0, float(ring.sum()))
        # Σ ring(p) · |v(p) − v(p + d)|², less what does not depend on the way d.
        ring_waves = np.conj(np.fft.rfft2(ring))
        cross = np.conj(np.fft.rfft2(values * ring[..., np.newaxis], axes=(0, 1))) * waves
        differing = np.fft.irfft2(ring_waves * squares, s=(height, width)) - 2 * np.fft.irfft2(
            cross.sum(axis=2), s=(height, width)
        )
        salient = np.fft.irfft2(
            np.conj(np.fft.rfft2(inside)) * np.fft.rfft2(smooth), s=(height, width)
        ) / max(1.0, float(inside.sum()))
        badness = differing / count + salient
        badness[_forbidden(params.spots, spot, height, width)] = np.inf
        if params.other:
            ways.append(_nth(badness, params.other, radius))
            continue
        pieces = []
        for way in (_nth(badness, n, radius) for n in range(_TRIED)):
            stopping.check()
            tried = _covered(standing, spot, way)
            pieces.append((_seen(tried, lattice), way, tried))
        best = min(pieces, key=lambda piece: piece[0])
        worse = any(now > _NO_WORSE * then for now, then in zip(best[0], seen, strict=True))
        ways.append((0, 0) if worse else best[1])
        if not worse:
            seen, standing = best[0], best[2]
    return Covers(tuple((float(dx) / width, float(dy) / height) for dy, dx in ways))


def _seen(values: Floats, lattice: Lattice | None) -> tuple[float, float]:
    """Return how far the worst stands out, and all that does together."""
    found = repetition_of(values, lattice)
    return found.value, sum(culprit.strength for culprit in found.culprits)


def lay(picture: Picture, _guide: Picture, covers: Covers, params: PatchSpots) -> Picture:
    """Cover each spot; the piece keeps its detail and takes the tone around the spot."""
    values = as_seen(premultiplied(picture), picture)
    height, width = values.shape[:2]
    for spot, (across, down) in zip(params.spots, covers.ways, strict=True):
        values = _covered(values, spot, (round(down * height), round(across * width)))
    return from_seen(values, picture)


def _covered(values: Floats, spot: Spot, way: tuple[int, int]) -> Floats:
    """Return values with a spot covered by what lies a way off, down and across, in pixels."""
    if way == (0, 0):
        return values
    height, width = values.shape[:2]
    radius = spot.radius * max(height, width) * _COVER
    half = math.ceil(radius) + 1
    rows = np.arange(-half, half + 1) + round(spot.y * height)
    columns = np.arange(-half, half + 1) + round(spot.x * width)
    here = np.ix_(rows % height, columns % width)
    there = np.ix_((rows + way[0]) % height, (columns + way[1]) % width)
    middle = (spot.y * height - rows[0], spot.x * width - columns[0])
    covered = values.copy()
    covered[here] = disc_fitted(values[here], values[there], middle, radius)
    return covered


def disc_fitted(here: Floats, there: Floats, middle: tuple[float, float], radius: float) -> Floats:
    """Lay one piece into another within a disc, with no step at the rim.

    To the piece is added the harmonic field that makes up the difference at the rim. In a disc
    it is known from its values there: a wave that goes n times round falls off with the n-th
    power of the distance from the middle.
    """
    from scipy.ndimage import map_coordinates

    turns = max(16, math.ceil(2 * math.pi * radius))
    angles = np.arange(turns) * (2 * math.pi / turns)
    rim = np.stack([middle[0] + radius * np.sin(angles), middle[1] + radius * np.cos(angles)])
    places = np.indices(here.shape[:2]).astype(np.float32)
    down, across = places[0] - middle[0], places[1] - middle[1]
    away = np.hypot(down, across)
    inside = away < radius
    # On a polar grid, then read off where the pixels lie.
    rings = max(4, math.ceil(radius))
    share = np.arange(rings + 1) / rings
    turn = (np.arctan2(down[inside], across[inside]) % (2 * math.pi)) * (turns / (2 * math.pi))
    place = np.stack([away[inside] * (rings / radius), turn])
    mixed = here.copy()
    for c in range(here.shape[2]):
        edge = map_coordinates(here[..., c] - there[..., c], rim, order=1, mode="nearest")
        waves = np.fft.rfft(edge)
        fall = share[:, np.newaxis] ** np.arange(len(waves))[np.newaxis, :]
        polar = np.fft.irfft(waves * fall, n=turns, axis=1)
        field = map_coordinates(polar, place, order=1, mode="grid-wrap")
        mixed[..., c][inside] = there[..., c][inside] + field
    return mixed


def _away(spot: Spot, height: int, width: int) -> Floats:
    """Return each pixel's distance from a spot's middle on the torus, in pixels."""
    down = np.abs(np.arange(height) + 0.5 - spot.y * height)
    across = np.abs(np.arange(width) + 0.5 - spot.x * width)
    away = np.hypot(
        np.minimum(down, height - down)[:, np.newaxis], np.minimum(across, width - across)
    )
    return np.asarray(away, dtype=np.float32)


def _salience(values: Floats) -> Floats:
    """Return how far each place's tone lies from the tile's middling tone, squared."""
    from scipy.ndimage import gaussian_filter

    size = max(1.0, max(values.shape[:2]) / 64)
    tone = gaussian_filter(values, (size, size, 0), mode="wrap")
    usual = np.median(tone, axis=(0, 1))
    return np.asarray(np.square(tone - usual).sum(axis=2), dtype=np.float32)


def _forbidden(spots: tuple[Spot, ...], spot: Spot, height: int, width: int) -> NDArray[np.bool_]:
    """Return which ways lead to a place that overlaps a spot, its own or another's."""
    longest = max(height, width)
    barred = np.zeros((height, width), bool)
    for other in spots:
        # A way d leads from this spot's middle to a place; it is barred near another's middle.
        moved = Spot(x=(other.x - spot.x) % 1, y=(other.y - spot.y) % 1, radius=other.radius)
        reach = (spot.radius + other.radius) * longest * _COVER
        barred |= _away(moved, height, width) < reach
    return barred


def _nth(badness: NDArray[np.float64], which: int, radius: float) -> tuple[int, int]:
    """Return the which-th best way; ways that nearly agree count as one."""
    height, width = badness.shape
    left = badness.copy()
    for _ in range(which):
        dy, dx = np.unravel_index(int(np.argmin(left)), left.shape)
        near = Spot(x=(dx + 0.5) / width, y=(dy + 0.5) / height, radius=0.1)
        left[_away(near, height, width) < radius] = np.inf
    dy, dx = np.unravel_index(int(np.argmin(left)), left.shape)
    return int(dy), int(dx)


GEOMETRY = Geometry(solve, lay)
patch_spots = alone(GEOMETRY)

STEP = StepKind(
    name="patch_spots",
    title="Repair spots",
    hint="Covers what stands out with a like piece from elsewhere in the tile",
    params=PatchSpots,
    version=3,
    apply=patch_spots,
    spaces=frozenset(Space),
    group=Group.TILE,
    summary=lambda p: f"{len(p.spots)} spot{'' if len(p.spots) == 1 else 's'} repaired",
    geometry=GEOMETRY,
)
