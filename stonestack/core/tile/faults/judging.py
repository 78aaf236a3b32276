"""From evidence to faults: what an eye notices, how likely, and where.

One scale for all kinds: 0 nothing to see, 1 just noticeable at the distance where the tile is
used, 2 clear, 3 the first thing seen, 5 useless. Sizes grow on it as lightness does to the eye,
by equal ratios (G. Fechner, "Elemente der Psychophysik", 1860), from what is just seen.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import BaseModel

from stonestack.core.picture.image import Floats
from stonestack.core.tile.faults.bands import band_evidence
from stonestack.core.tile.faults.bond import bond_evidence
from stonestack.core.tile.faults.broad import light_evidence
from stonestack.core.tile.faults.cells import cell_evidence
from stonestack.core.tile.faults.echoes import echo_evidence
from stonestack.core.tile.faults.evidence import HINT, Evidence, FaultKind
from stonestack.core.tile.faults.fades import fade_evidence
from stonestack.core.tile.faults.joins import join_evidence, joins_of, soft_join_evidence
from stonestack.core.tile.faults.lines import line_evidence
from stonestack.core.tile.faults.planted import planted_spot_evidence
from stonestack.core.tile.faults.residual import residual
from stonestack.core.tile.faults.spots import spot_evidence, veil_evidence
from stonestack.core.tile.period import Lattice
from stonestack.core.tile.repetition import Repetition, repetition_of

_WORST = 5.0
_LEAST = 0.3
_MOST = 12
_HINTED = 0.35
_SURE = 0.55
_MOST_HINTED = 0.7
_WORDS: dict[FaultKind, str] = {
    "seam": "Seam",
    "fade": "Faded band",
    "blur": "Blurred band",
    "line": "Line",
    "copy": "Repeated part",
    "ghost": "Ghost of itself",
    "mirror": "Mirror axis",
    "light": "Broad light",
    "spot": "Spot",
    "bond": "Broken structure",
    "tone": "Step of tone",
}
_SEEN = (
    (1.0, "hardly seen"),
    (1.6, "just noticeable"),
    (2.4, "clear"),
    (3.6, "seen at once"),
    (math.inf, "unusable"),
)
_LINES = ("seam", "tone", "line")
_SIDE, _FARTHER_OUT = 400.0, 0.3
"""The side of the tiles on which bounds were set; in larger ones there is more of which the largest
is taken: bounds grow by that share with each doubling."""
_SAME_PLACE = 0.02


class Fault(BaseModel):
    """Something that an eye notices in a tile.

    Parameters
    ----------
    kind : FaultKind
        What it is.
    box : list of four float
        Left, top, width and height in pixels of the tile. Its middle lies in the tile; it may run
        over any edge, as the tile does.
    strength : float
        How likely it is noticed: 1 just noticeable, 2 clear, 3 at once.
    words : str
        What it is, for people.
    seen : str
        How likely it is noticed, for people.
    everywhere : bool
        Whether it has no place of its own.
    """

    kind: FaultKind
    box: list[float]
    strength: float
    words: str
    seen: str
    everywhere: bool


@dataclass(frozen=True)
class Judged:
    """What is wrong with a tile.

    Parameters
    ----------
    fault : float
        How bad the worst is: 0 nothing to see, 1 just noticeable, 5 useless. Signs that are too
        weak to be named as a fault count a little.
    faults : list of Fault
        What is sure enough to be named; the worst first.
    """

    fault: float
    faults: list[Fault]


def judged(values: Floats, lattice: Lattice | None, again: Repetition) -> Judged:
    """Look for all kinds of faults.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    lattice : Lattice or None
        How it recurs.
    again : Repetition
        Its spots.
    """
    lines = line_evidence(values, lattice)
    joins = joins_of(values)
    of_many = [
        *(e for e in lines if e.kind != "seam" or not joins.goes_on(e.box)),
        *cell_evidence(values, lattice),
        *light_evidence(values),
        *veil_evidence(values),
        *planted_spot_evidence(values),
    ]
    bound = _bound(values)
    evidence = [
        *(e.against(bound) for e in of_many),
        *join_evidence(joins),
        *soft_join_evidence(values),
        *band_evidence(values),
        *fade_evidence(values),
        *echo_evidence(values, lattice),
        *bond_evidence(values, lattice),
        *spot_evidence(values, again),
    ]
    # A structure hides what is there once only; less it, spots stand out.
    rest = residual(values, lattice)
    if rest is not None:
        scale = values.shape[1] / rest.shape[1]
        evidence += [e.larger(scale) for e in spot_evidence(rest, repetition_of(rest))]
    height, width = values.shape[:2]
    sure = [found for found in evidence if found.excess > 0]
    alike = Counter(found.kind for found in _apart(sure))
    faults = [
        _fault(e, _times(e, sure) if e.kind == "copy" else alike[e.kind], width, height)
        for e in sure
    ]
    kept: list[Fault] = []
    for fault in sorted(faults, key=lambda fault: -fault.strength):
        if fault.strength >= _LEAST and not any(_told(fault, k, width, height) for k in kept):
            kept.append(fault)
    hints = [_strength(e, 1, width, height) for e in evidence if e.excess <= 0]
    worst = max([0.0, *(min(_MOST_HINTED, h) for h in hints), *(k.strength for k in kept)])
    return Judged(worst, kept[:_MOST])


def _bound(values: Floats) -> float:
    """Return how many times as far the strangest place of a ring may lie out, for its size."""
    side = math.sqrt(values.shape[0] * values.shape[1])
    return 1 + _FARTHER_OUT * max(0.0, math.log2(side / _SIDE))


def _fault(found: Evidence, alike: int, width: int, height: int) -> Fault:
    left, top, wide, high = found.box
    box = [
        (left + wide / 2) % width - wide / 2,
        (top + high / 2) % height - high / 2,
        wide,
        high,
    ]
    strength = _strength(found, alike, width, height)
    return Fault(
        kind=found.kind,
        box=[round(value, 1) for value in box],
        strength=strength,
        words=_WORDS[found.kind],
        seen=next(words for most, words in _SEEN if strength < most),
        everywhere=wide >= width and high >= height,
    )


def _apart(evidence: list[Evidence]) -> list[Evidence]:
    """Return what is found without those of a kind that lie over another."""
    kept: list[Evidence] = []
    for found in evidence:
        whole = found.kind in ("ghost", "mirror")
        if whole or not any(e.kind == found.kind and _overlap(e.box, found.box) for e in kept):
            kept.append(found)
    return kept


def _times(copy: Evidence, sure: list[Evidence]) -> int:
    """Return how many times a part is there: itself, and once for each other that it is like."""
    return 1 + sum(e.kind == "copy" and _overlap(e.box, copy.box) for e in sure)


def _strength(found: Evidence, alike: int, width: int, height: int) -> float:
    """Return how likely an eye is to notice it.

    Parameters
    ----------
    found : Evidence
        What is judged.
    alike : int
        How many of its kind there are; of a copy, how many times it is there.
    width, height : int
        Of the tile, in pixels.
    """
    size = found.size
    wide, high = found.box[2:]
    share = min(wide, high) / min(width, height)
    length = min(1.0, max(wide / width, high / height))
    match found.kind:
        case "seam":
            # One that goes all the way is seen as such; an edge of a part may be the matter's own.
            seen = min(3.3, 1.7 + 0.9 * math.log1p(size)) - 1.2 * (1 - length)
        case "tone":
            seen = _grown(size, 0.09, 2.3) * (1 + length) / 2
        case "line":
            seen = _grown(size, 0.04, 1.5) * (1 + length) / 2
        case "blur":
            seen = min(2.1, 0.5 + 0.9 * size) + 1.5 * min(share, 0.2)
        case "fade":
            # How much contrast is lost is much the same in all of them.
            seen = 2.4 * (1 - math.exp(-share / 0.07))
        case "copy":
            seen = min(2.6, 0.4 * alike + 3 * size)
        case "ghost":
            seen = min(2.6, 6 * size + (alike - 1) - 0.1)
        case "mirror":
            seen = 2.5 * size + 0.1 * alike
        case "light":
            seen = _grown(size / 1.3, 0.12, 2.75)
        case "spot":
            seen = _grown(size, 0.13, 2.5)
        case _:
            seen = 1.4 + 1.2 * min(1.0, size)
    certain = _SURE + found.excess if found.excess > 0 else _HINTED * (1 - found.excess / HINT)
    return round(min(_WORST, seen * min(1.0, certain)), 2)


def _grown(size: float, just: float, rate: float) -> float:
    """Return a strength that grows with each doubling of a size above what is just seen."""
    return rate * math.log1p(size / just)


def _told(fault: Fault, other: Fault, width: int, height: int) -> bool:
    """Tell whether another fault says the same of the same place."""
    if fault.kind == other.kind and fault.kind in ("ghost", "light"):
        return True
    if fault.kind in _LINES and other.kind in _LINES:
        return _near_lines(fault, other, width, height)
    if fault.kind in ("blur", "fade") and other.kind in ("blur", "fade"):
        return _overlap(fault.box, other.box)
    return fault.kind == other.kind and _overlap(fault.box, other.box)


def _upright(fault: Fault) -> bool:
    return fault.box[3] >= fault.box[2]


def _near_lines(fault: Fault, other: Fault, width: int, height: int) -> bool:
    if _upright(fault) != _upright(other):
        return False
    at, side = (0, width) if _upright(fault) else (1, height)
    a, b = (f.box[at] + f.box[at + 2] / 2 for f in (fault, other))
    apart = abs((a - b + side / 2) % side - side / 2)
    reach = (fault.box[at + 2] + other.box[at + 2]) / 2
    return apart <= max(3.0, _SAME_PLACE * side, reach)


def _overlap(a: Sequence[float], b: Sequence[float]) -> bool:
    return a[0] < b[0] + b[2] and b[0] < a[0] + a[2] and a[1] < b[1] + b[3] and b[1] < a[1] + a[3]
