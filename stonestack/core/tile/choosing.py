"""Which way of making a tile suits a picture: all are tried small, and the best is named."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass

from stonestack.core import colour
from stonestack.core.errors import BadRequest
from stonestack.core.image import Picture
from stonestack.core.parallel import cores
from stonestack.core.resize import limited
from stonestack.core.stepkind import StepKind
from stonestack.core.steps import STEPS
from stonestack.core.tile.likeness import Character, character_of, is_scene, likeness
from stonestack.core.tile.scores import tile_scores
from stonestack.core.tile.ways import FAMILY, Axes
from stonestack.core.tile.whole import structure_in

TRIED_AT = 320
"""Longest side at which ways are tried."""
_UNLIKE = 3.0
_LOST = 0.8
_QUARTER = frozenset({"mirror_tile"})
_BREAKS = frozenset({"mirror_tile"})
"""Ways that keep no structure whole: not offered where there is one."""
_SMALL_LOSS = 0.05
_SCENE_WORDS = (
    "it shows a scene or an object rather than a matter; frame a part that is all of one kind"
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
    tile : Picture
        The tile.
    """

    kind: str
    title: str
    fault: float
    likeness: float
    kept: float
    tile: Picture

    @property
    def cost(self) -> float:
        """What speaks against it, on the scale of faults."""
        return self.fault + _UNLIKE * (1 - self.likeness) + _LOST * (1 - self.kept)


@dataclass(frozen=True)
class Choice:
    """All ways that could be tried, the best first.

    Parameters
    ----------
    tried : tuple of Tried
    reason : str
        Why the first is the best, in words.
    scene : bool
        Whether the picture shows a scene or an object.
    """

    tried: tuple[Tried, ...]
    reason: str
    scene: bool


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
    small = limited(picture, TRIED_AT)
    seen = colour.seen(small)
    source = character_of(seen)
    structured = structure_in(small) is not None
    ways = [
        step
        for step in STEPS.values()
        if step.family == FAMILY and not (structured and step.name in _BREAKS)
    ]
    with ThreadPoolExecutor(cores()) as pool:
        begun = [
            pool.submit(copy_context().run, _tried, small, source, step, axes) for step in ways
        ]
    told = [each.result() for each in begun]
    tried = sorted((t for t in told if isinstance(t, Tried)), key=lambda way: way.cost)
    if not tried:
        raise next(t for t in told if isinstance(t, BadRequest))
    scene = is_scene(seen)
    return Choice(tuple(tried), _reason(tried, scene), scene)


def _tried(small: Picture, source: Character, step: StepKind, axes: Axes) -> Tried | BadRequest:
    """Try one way; return why it does not suit, where it does not."""
    try:
        tile = step.apply(small, step.params.model_validate({"axes": axes}))
    except BadRequest as refused:
        return refused
    scores = tile_scores(tile)
    if scores is None:
        return BadRequest(
            "too-small-to-tile",
            f"{small.width} × {small.height} pixels are too few to choose by.",
            "Give a larger picture, or name a method.",
        )
    area = tile.width * tile.height / (small.width * small.height)
    return Tried(
        kind=step.name,
        title=step.title,
        fault=scores.fault,
        likeness=likeness(source, character_of(colour.seen(tile))),
        kept=min(1.0, area) * (0.25 if step.name in _QUARTER else 1),
        tile=tile,
    )


def _reason(tried: list[Tried], scene: bool) -> str:
    best = tried[0]
    words = [
        "shows no fault" if best.fault < 1 else f"has the least to see ({best.fault:.1f})",
        f"keeps {best.kept:.0%} of the picture",
        f"is {best.likeness:.0%} like it",
    ]
    if len(tried) > 1:
        second = tried[1]
        near = second.cost - best.cost < _SMALL_LOSS
        words.append(f"{second.title} is {'as good' if near else 'next'}")
    told = f"{best.title} {', '.join(words)}"
    return f"{told}; but {_SCENE_WORDS}" if scene else told
