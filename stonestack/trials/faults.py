"""Trial of the scores: sound tiles and graded defects of a seed, and what is said of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.parallel import processes
from stonestack.core.tile.faults.judging import Fault
from stonestack.core.tile.scores import tile_scores
from stonestack.trials.defects import GRADED, Box, Laid, stock
from stonestack.trials.matters import MATTERS
from stonestack.trials.others import OTHERS

CLEAR = 2.0
"""From this grade on a defect has to be found."""
NOTICED = 1.0
"""From this strength on a fault is held against a sound tile."""
_LEAST_SIDE, _MOST_SIDE = 230, 420
_BY_SEED = 4
"""Sound tiles of each matter, beside that among the defects."""
_LARGER_SIDES = (512, 600, 768, 900, 1024)
_LARGER_SOUND, _LARGER_DEFECTS = 4, 8
"""Larger tiles of each matter: sound ones, and defects drawn from all."""
_NEAR = 0.03
_WHOLE = ("light", "ghost")


@dataclass(frozen=True)
class Outcome:
    """What was said of one tile."""

    matter: str
    name: str
    grade: float
    fault: float
    kinds: tuple[str, ...]
    """Of the faults that were said to be noticeable."""
    named: bool
    placed: bool


@dataclass(frozen=True)
class _Tile:
    matter: str
    defect: int
    """Its place in the list of graded defects."""
    width: int
    height: int
    seed: int


def outcomes(
    seed: int, matters: Sequence[str] = (), every: int = 1, larger: bool = False
) -> list[Outcome]:
    """Lay every defect into every matter and score it, and some sound tiles of each.

    Parameters
    ----------
    seed : int
        Draws matters, sizes and places.
    matters : sequence of str
        Only these; if there is none, all of those on which bounds were set.
    every : int
        Only one of so many.
    larger : bool
        Larger tiles instead, with some of the defects.
    """
    asked = matters or list(MATTERS)
    draw = _larger_tiles if larger else _tiles
    drawn = [*draw(seed, list(MATTERS)), *draw(seed, list(OTHERS))]
    tiles = [tile for tile in drawn if tile.matter in asked]
    with processes(__name__) as pool:
        return list(pool.map(_told, tiles[::every], chunksize=8))


def _tiles(seed: int, matters: Sequence[str]) -> Iterator[_Tile]:
    rng = np.random.default_rng((seed, 1))
    number = 0
    for matter in matters:
        for defect in (*[0] * _BY_SEED, *range(len(GRADED))):
            number += 1
            if not _means_something(defect, matter):
                continue
            # Even, as a tile is; noise of two pixels wraps on such sides only.
            width, height = (2 * int(v) for v in rng.integers(_LEAST_SIDE // 2, _MOST_SIDE // 2, 2))
            yield _Tile(matter, defect, width, height, seed * 10_000 + number)


def _larger_tiles(seed: int, matters: Sequence[str]) -> Iterator[_Tile]:
    rng = np.random.default_rng((seed, 3))
    number = 0
    for matter in matters:
        meant = [n for n in range(1, len(GRADED)) if _means_something(n, matter)]
        some = rng.choice(meant, _LARGER_DEFECTS, replace=False)
        for defect in (*[0] * _LARGER_SOUND, *some):
            number += 1
            width, height = (int(v) for v in rng.choice(_LARGER_SIDES, 2))
            yield _Tile(matter, int(defect), width, height, seed * 10_000 + 5_000 + number)


def _means_something(defect: int, matter: str) -> bool:
    only = GRADED[defect].only
    return only is None or matter in only


def _told(tile: _Tile) -> Outcome:
    graded = GRADED[tile.defect]
    laid = graded.make(stock(tile.matter, tile.width, tile.height, tile.seed))
    stored = colour.to_bytes(np.clip(laid.values, 0, 1))
    scores = tile_scores(Picture(colour.bytes_to_linear(stored), Space.LINEAR, wraps=True))
    assert scores is not None
    right = [f for f in scores.faults if f.kind in graded.kinds]
    return Outcome(
        matter=tile.matter,
        name=graded.name,
        grade=graded.grade,
        fault=scores.fault,
        kinds=tuple(sorted({f.kind for f in scores.faults if f.strength >= NOTICED})),
        named=bool(right),
        placed=any(at(fault, laid) for fault in right),
    )


def at(fault: Fault, laid: Laid) -> bool:
    """Tell whether a fault is said to be where the defect is, within a little."""
    if laid.box is None or fault.kind in _WHOLE:
        return True
    height, width = laid.values.shape[:2]
    return all(_touch(fault.box, laid.box, axis, side) for axis, side in ((0, width), (1, height)))


def _touch(a: Sequence[float], b: Box, axis: int, side: int) -> bool:
    middle = (a[axis] + a[axis + 2] / 2) - (b[axis] + b[axis + 2] / 2)
    apart = abs((middle + side / 2) % side - side / 2)
    return apart <= (a[axis + 2] + b[axis + 2]) / 2 + max(4.0, _NEAR * side)


def table(told: Sequence[Outcome]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    from scipy.stats import spearmanr

    yield f"{'defect':22} {'grade':>5} {'said':>5} {'named':>6} {'placed':>6}  most said of it"
    for name in dict.fromkeys(outcome.name for outcome in told):
        rows = [outcome for outcome in told if outcome.name == name]
        said = Counter(kind for row in rows for kind in row.kinds).most_common(3)
        yield (
            f"{name:22} {rows[0].grade:5.1f} {np.median([r.fault for r in rows]):5.1f}"
            f" {_share(rows, lambda r: r.named):>6} {_share(rows, lambda r: r.placed):>6}"
            f"  {', '.join(f'{kind} {count}' for kind, count in said)}"
        )
    sound = [outcome for outcome in told if outcome.grade == 0]
    clear = [outcome for outcome in told if outcome.grade >= CLEAR]
    rank = spearmanr([o.grade for o in told], [o.fault for o in told]).statistic
    yield f"Rank correlation of fault and grade: {rank:.2f} over {len(told)} tiles"
    yield (
        f"Clear defects with the right name: {_share(clear, lambda r: r.named)},"
        f" and place: {_share(clear, lambda r: r.placed)}, of {len(clear)}"
    )
    yield (
        f"Sound tiles said to have a noticeable fault:"
        f" {_share(sound, lambda r: bool(r.kinds))} of {len(sound)}"
    )


def _share(rows: Sequence[Outcome], holds: Callable[[Outcome], bool]) -> str:
    return f"{100 * sum(map(holds, rows)) / max(1, len(rows)):.0f} %"
