"""Which way of making a tile suits a picture: all are tried small, and the best is named."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass

from stonestack.core.kinds.step import StepKind
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture
from stonestack.core.picture.resize import THINNEST, limited
from stonestack.core.raw.slant import corners_seen
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.runtime.parallel import cores
from stonestack.core.steps import STEPS
from stonestack.core.tile.likeness import Character, character_of, is_scene, likeness
from stonestack.core.tile.scores import TileScores, tile_scores
from stonestack.core.tile.ways import FAMILY, Axes, check_sides
from stonestack.core.tile.whole import Kept, structure_in

TRIED_AT = 320
"""Longest side at which ways are tried."""
_UNLIKE = 3.0
_LOST = 0.8
_AGAIN = 1.5
_HALVES: dict[str, float] = {"both": 0.25, "x": 0.5, "y": 0.5}
"""What a mirror keeps."""
_BREAKS = frozenset({"mirror_tile"})
"""Ways that keep no structure whole: not offered where there is one."""
_BREAKING = "it would break the structure"
_SMALL_LOSS = 0.05
_SMEARED = 0.6
"""Contrast at the joins, of the usual, below which they show as smears."""
_SMEAR = 1.5
_NOTICED = 1.0
_SLANT_WORDS = (
    "Its lines run together, so it was seen at a slant: straighten it by its lines at Source first."
)
_SCENE_WORDS = (
    "The picture shows a scene or an object rather than a matter: frame a part that is all of one"
    " kind."
)


@dataclass(frozen=True)
class Tried:
    """One way, tried small.

    Parameters
    ----------
    kind : str
        The step's name.
    title : str
        Its title.
    fault : float
        How bad the worst fault of its tile is.
    likeness : float
        How like the tile is to the source, 0..1.
    kept : float
        Which share of the source is in it, 0..1.
    again : float
        Which share of the tile is there more than once, 0..1: small, that is seldom noticed.
    detail : float
        Contrast at the joins, 1 where it is that of the rest.
    shows : str
        What is seen of it, in words; empty where nothing is.
    tile : Picture
        The tile.
    """

    kind: str
    title: str
    fault: float
    likeness: float
    kept: float
    again: float
    detail: float
    shows: str
    tile: Picture

    @property
    def cost(self) -> float:
        """What speaks against it, on the scale of faults."""
        return (
            self.fault
            + _UNLIKE * (1 - self.likeness)
            + _LOST * (1 - self.kept)
            + _AGAIN * self.again
            + _SMEAR * max(0.0, 1 - self.detail / _SMEARED)
        )


@dataclass(frozen=True)
class Choice:
    """All ways that could be tried, the best first.

    Parameters
    ----------
    tried : tuple of Tried
    reason : str
        Why the first is the best, in words.
    advice : str
        What to do where the picture shows a scene or an object, or was seen at a slant; else empty.
    refused : tuple of (str, str)
        Titles of ways that are not offered, and why.
    """

    tried: tuple[Tried, ...]
    reason: str
    advice: str
    refused: tuple[tuple[str, str], ...]


def choose(picture: Picture, axes: Axes = "both") -> Choice:
    """Try every way of making a tile and say which suits best.

    Parameters
    ----------
    picture : Picture
        Any space; not yet a tile.
    axes : {"both", "x", "y"}
        Which edges are made to meet.

    Raises
    ------
    BadRequest
        If no way suits: what the first says.
    """
    small = _small(picture)
    seen = colour.seen(small)
    source = character_of(seen)
    ways = [step for step in STEPS.values() if step.family == FAMILY]
    structured = structure_in(small) is not None
    with ThreadPoolExecutor(cores()) as pool:
        corners = pool.submit(corners_seen, seen)
        begun = [
            pool.submit(copy_context().run, _tried, small, source, step, axes)
            for step in ways
            if not (structured and step.name in _BREAKS)
        ]
    told = [each.result() for each in begun]
    tried = sorted((t for t in told if isinstance(t, Tried)), key=lambda way: way.cost)
    if not tried:
        raise next(t for t in told if isinstance(t, BadRequest))
    breaking = [s for s in ways if structured and s.name in _BREAKS]
    suiting = [s for s in ways if s not in breaking]
    refused = (
        *((step.title, _BREAKING) for step in breaking),
        *(
            (step.title, each.message.rstrip("."))
            for step, each in zip(suiting, told, strict=True)
            if isinstance(each, BadRequest)
        ),
    )
    slanted = _SLANT_WORDS if corners.result() is not None else ""
    advice = _SCENE_WORDS if is_scene(seen) else slanted
    return Choice(tuple(tried), _reason(tried), advice, refused)


def _small(picture: Picture) -> Picture:
    """Return a picture at the size at which ways are tried.

    Raises
    ------
    BadRequest
        If there are too few pixels to measure a tile of them.
    """
    check_sides(picture)
    return limited(picture, TRIED_AT, THINNEST)


def _tried(small: Picture, source: Character, step: StepKind, axes: Axes) -> Tried | BadRequest:
    """Try one way; return why it does not suit, where it does not."""
    params, geometry = step.params.model_validate({"axes": axes}), step.geometry
    assert geometry is not None, step.name
    try:
        solution = geometry.solve(small, params)
        tile = geometry.lay(small, small, solution, params)
    except BadRequest as refused:
        return refused
    scores = tile_scores(tile)
    if scores is None:
        return BadRequest(
            "too-small-to-tile",
            f"{small.width} × {small.height} pixels are too few to choose by.",
            "Give a larger picture, or name a method.",
        )
    kept = solution.used if isinstance(solution, Kept) else _HALVES[axes]
    again = 1 - kept * small.width * small.height / (tile.width * tile.height)
    return Tried(
        kind=step.name,
        title=step.title,
        fault=scores.fault,
        # As they are said, so that reason and figures agree.
        likeness=round(likeness(source, character_of(colour.seen(tile))), 2),
        kept=round(kept, 2),
        again=min(1.0, max(0.0, again)),
        detail=scores.detail,
        shows=_shows(scores),
        tile=tile,
    )


def _shows(scores: TileScores) -> str:
    """Say what is seen of a tile: smears at its joins before all, then its worst fault."""
    if scores.detail < _SMEARED:
        return f"smears at the joins: contrast there {scores.detail:.2f} of the usual"
    worst = next((f for f in scores.faults if f.strength >= _NOTICED), None)
    return f"{worst.words.lower()}: {worst.seen}" if worst is not None else ""


def _reason(tried: list[Tried]) -> str:
    best = tried[0]
    words = [
        "shows no fault" if best.fault < 1 else f"has the least to see ({best.fault:.1f})",
        f"keeps {best.kept * 100:.0f} % of the picture",
        f"is {best.likeness * 100:.0f} % like it",
    ]
    if best.shows:
        words.append(f"shows {best.shows}")
    if len(tried) > 1:
        second = tried[1]
        near = second.cost - best.cost < _SMALL_LOSS
        words.append(f"{second.title} is {'as good' if near else 'next'}")
    return f"{best.title} {', '.join(words)}."
