"""Trial of the ways on structures: raw pictures with known steps, and where tiles break them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from stonestack.core.judge.choosing import choose
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.runtime.parallel import processes
from stonestack.core.steps import STEPS
from stonestack.core.tile.period import ridges_of
from stonestack.core.tile.ways import FAMILY
from stonestack.demo.paint import Canvas, mix, step, toned

BROKEN = 6.0
"""Pixels of the source by which a joint may be out of place."""
BONDS = ("half", "third", "stack", "diamond", "hexagon")
_LEAST_SIDE, _MOST_SIDE = 380, 720
_BY_SEED = 10
_STRETCHED = 1.4
_BLOCK = 1.4
_LEAST_CLEAR = 0.25


@dataclass(frozen=True)
class Wall:
    """A structure of a seed: how it is laid, how large its bricks are, and how it leans."""

    bond: str
    wide: float
    high: float
    joint: float
    lean: float
    width: int
    height: int
    seed: int

    @property
    def periods(self) -> tuple[float, float]:
        """Shortest steps along x and along y that lead to the same again."""
        courses = {"half": 2, "third": 3, "stack": 1, "diamond": 1, "hexagon": 2}[self.bond]
        return self.wide, courses * self.high


def walls(seed: int) -> list[Wall]:
    """Return the structures of a seed; every second one leans a little."""
    rng = np.random.default_rng((seed, 3))
    found = []
    for n in range(_BY_SEED):
        width, height = (int(v) for v in rng.integers(_LEAST_SIDE, _MOST_SIDE, 2))
        across = rng.uniform(3.2, 8.5)
        wide = width / across
        high = wide * rng.uniform(0.3, 0.75)
        bond = BONDS[n % len(BONDS)]
        if bond == "hexagon":
            high = wide * math.sqrt(3) / 2
        if bond in ("stack", "diamond"):
            high = wide * rng.uniform(0.8, 1.25)
        lean = float(rng.uniform(-4, 4)) if n % 2 else 0.0
        joint = float(rng.uniform(1.5, 3.5)) * max(1.0, wide / 60)
        found.append(Wall(bond, wide, high, joint, lean, width, height, seed * 100 + n))
    return found


def _gap(wall: Wall, x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Return the distance to the nearest joint, and a number that is each brick's own."""
    wide, high = wall.wide, wall.high
    if wall.bond == "diamond":
        u, v = x / wide + y / high, x / wide - y / high
        i, j = np.floor(u), np.floor(v)
        size = 1 / math.hypot(1 / wide, 1 / high)
        gap = np.minimum(np.minimum(u - i, 1 - u + i), np.minimum(v - j, 1 - v + j)) * size
        return np.asarray(gap, np.float32), np.asarray(i * 57 + j * 113, np.float32)
    if wall.bond == "hexagon":
        best = [np.full(x.shape, np.inf)] * 2
        own = np.zeros(x.shape)
        for row in (0, 1):
            j = np.rint((y / high - row) / 2) * 2 + row
            i = np.rint(x / wide - row / 2) + row / 2
            for by in (-1, 0, 1):
                away = np.hypot(x - (i + by) * wide, y - j * high)
                nearer = away < best[0]
                best = [
                    np.where(nearer, away, best[0]),
                    np.where(nearer, best[0], np.minimum(best[1], away)),
                ]
                own = np.where(nearer, (i + by) * 57 + j * 113, own)
        return np.asarray((best[1] - best[0]) / 2, np.float32), np.asarray(own, np.float32)
    course = np.floor(y / high)
    moved = x / wide + course * {"half": 0.5, "third": 1 / 3, "stack": 0.0}[wall.bond]
    column = np.floor(moved)
    inside = np.minimum(
        np.minimum(moved - column, 1 - moved + column) * wide,
        np.minimum(y / high - course, 1 - y / high + course) * high,
    )
    return np.asarray(inside, np.float32), np.asarray(column * 57 + course * 113, np.float32)


def drawn(wall: Wall) -> Floats:
    """Return the raw picture as stored values, float32, shape (height, width, 3)."""
    canvas = Canvas(wall.width, wall.height, wall.seed, False)
    rng = np.random.default_rng((wall.seed, 4))
    x, y = (np.asarray(v, np.float64) for v in np.broadcast_arrays(canvas.x, canvas.y))
    c, s = math.cos(math.radians(wall.lean)), math.sin(math.radians(wall.lean))
    ox, oy = rng.uniform(0, 1000, 2)
    gap, own = _gap(
        wall, (x * c + y * s + ox).astype(np.float32), (y * c - x * s + oy).astype(np.float32)
    )
    tone = (np.modf(np.sin(own * 12.9898) * 43758.5453)[0] * rng.uniform(0.04, 0.16)).astype(
        np.float32
    )
    soft = max(1.0, wall.joint * 0.5)
    inside = step(wall.joint / 2, soft, gap + canvas.noise(6, 2, 8) * np.float32(0.12 * wall.joint))
    body = rng.uniform(0.25, 0.6) * np.array(
        [1 + rng.uniform(0, 0.3), 1.0, 1 - rng.uniform(0, 0.3)]
    )
    grain = canvas.noise(max(3, wall.high / 6), 3, 2) * np.float32(rng.uniform(0.03, 0.08))
    brick = toned(
        np.broadcast_to(body.astype(np.float32)[:, None, None], (3, *gap.shape)), 1 + tone + grain
    )
    grey = float(body.mean()) * (1.45 if rng.random() < 0.5 else 0.6)
    mortar = toned(np.full((3, *gap.shape), grey, np.float32), 1 + canvas.noise(3, 2, 3) * 0.05)
    light = (
        1
        + rng.uniform(-0.15, 0.15) * (x / wall.width - 0.5)
        + rng.uniform(-0.15, 0.15) * (y / wall.height - 0.5)
    )
    planes = toned(mix(mortar, brick, inside), light.astype(np.float32))
    return np.ascontiguousarray(np.clip(planes, 0, 1).transpose(1, 2, 0))


def out_of_place(tile: Floats, wall: Wall) -> float:
    """Return by how many pixels of the source joints of a tile are out of place at most.

    The tile is held, part by part, against joints that go on over its edges with whole steps.

    Parameters
    ----------
    tile : ndarray, float32, shape (height, width, 3)
        Stored values; a ring.
    """
    height, width = tile.shape[:2]
    found = ridges_of(tile)
    best: tuple[float, Floats, tuple[float, float]] | None = None
    for n in _counts(width, wall.periods[0]):
        for m in _counts(height, wall.periods[1]):
            scale = n * wall.periods[0] / width, m * wall.periods[1] / height
            if max(scale) / min(scale) > _STRETCHED:
                continue
            y, x = np.mgrid[0:height, 0:width].astype(np.float32)
            gap, _ = _gap(wall, x * np.float32(scale[0]), y * np.float32(scale[1]))
            ideal = np.exp(-np.square(gap / (0.6 * wall.joint + 1))).astype(np.float32)
            alike = _correlation(found, ideal - ideal.mean())
            if best is None or float(alike.max()) > best[0]:
                down, across = np.unravel_index(int(alike.argmax()), alike.shape)
                best = float(alike.max()), np.roll(ideal, (down, across), (0, 1)), scale
    if best is None:
        return math.inf
    return _most_moved(found, best[1], best[2], wall)


def _counts(side: int, period: float) -> range:
    return range(max(1, math.floor(side / period / 1.25)), math.ceil(side / period * 1.25) + 1)


def _correlation(a: Floats, b: Floats) -> Floats:
    waves = np.fft.rfft2(a) * np.conj(np.fft.rfft2(b))
    norm = math.sqrt(float(np.square(a).sum()) * float(np.square(b).sum()))
    return np.asarray(np.fft.irfft2(waves, s=a.shape) / norm, np.float32)


def _most_moved(found: Floats, ideal: Floats, scale: tuple[float, float], wall: Wall) -> float:
    import cv2

    height, width = found.shape
    # A course is a step of its own along y: parts may be moved by less than half of one.
    reach_x, reach_y = (
        max(3, int(0.45 * v / s)) for v, s in zip((wall.wide / 2, wall.high), scale, strict=True)
    )
    block_x = min(width, round(_BLOCK * wall.wide / scale[0]))
    block_y = min(height, round(_BLOCK * max(wall.high, wall.wide * 0.6) / scale[1]))
    ring = np.pad(found, ((reach_y, block_y + reach_y), (reach_x, block_x + reach_x)), mode="wrap")
    wide = np.pad(ideal, ((0, block_y), (0, block_x)), mode="wrap")
    moved = 0.0
    for top in range(0, height, max(1, block_y // 2)):
        for left in range(0, width, max(1, block_x // 2)):
            part = wide[top : top + block_y, left : left + block_x]
            if float(part.std()) < 0.02:
                continue
            area = ring[top : top + block_y + 2 * reach_y, left : left + block_x + 2 * reach_x]
            alike = cv2.matchTemplate(area, np.ascontiguousarray(part), cv2.TM_CCOEFF_NORMED)
            row, column = np.unravel_index(int(alike.argmax()), alike.shape)
            if alike[row, column] < _LEAST_CLEAR or alike[reach_y, reach_x] > 0.85 * alike.max():
                continue
            by = math.hypot((column - reach_x) * scale[0], (row - reach_y) * scale[1])
            moved = max(moved, by)
    return moved


@dataclass(frozen=True)
class Outcome:
    """What became of one wall in one way."""

    wall: Wall
    way: str
    moved: float | None
    """None where the way was not offered."""
    chosen: bool


def outcomes(seed: int) -> list[Outcome]:
    """Make a tile of each wall of a seed in each way."""
    with processes(__name__) as pool:
        return [each for told in pool.map(_told, walls(seed)) for each in told]


def _told(wall: Wall) -> list[Outcome]:
    raw = Picture(colour.bytes_to_linear(colour.to_bytes(drawn(wall))), Space.LINEAR)
    best = choose(raw).tried[0].kind
    told = []
    for kind in (s for s in STEPS.values() if s.family == FAMILY):
        try:
            tile = kind.apply(raw, kind.params())
        except BadRequest:
            told.append(Outcome(wall, kind.title, None, False))
            continue
        moved = out_of_place(colour.seen(tile), wall)
        told.append(Outcome(wall, kind.title, moved, kind.name == best))
    return told


def table(told: Sequence[Outcome]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    yield f"{'way':14} {'tiles':>5} {'broken':>6} {'median':>7} {'most':>6}  chosen"
    for way in dict.fromkeys(outcome.way for outcome in told):
        rows = [o for o in told if o.way == way]
        moved = [o.moved for o in rows if o.moved is not None]
        broken = sum(m > BROKEN for m in moved)
        yield (
            f"{way:14} {len(moved):5} {broken:6} {np.median(moved or [0]):7.1f}"
            f" {max(moved or [0]):6.1f}  {sum(o.chosen for o in rows)}"
        )
    chosen = [o for o in told if o.chosen and o.moved is not None]
    broken = sum(o.moved is not None and o.moved > BROKEN for o in chosen)
    yield (
        f"Of the chosen tiles {broken} of {len(chosen)} break the structure"
        f" by more than {BROKEN:.0f} pixels"
    )
