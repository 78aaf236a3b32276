"""Which way of making a tile suits a picture: all are tried small, and the best is named."""

from __future__ import annotations

from dataclasses import dataclass

from stonestack.core import colour
from stonestack.core.errors import StoneError
from stonestack.core.image import Picture
from stonestack.core.resize import limited
from stonestack.core.steps import STEPS
from stonestack.core.tile.likeness import character_of, is_scene, likeness
from stonestack.core.tile.scores import tile_scores
from stonestack.core.tile.ways import FAMILY, Axes

TRIED_AT = 320
"""Longest side at which ways are tried."""
_UNLIKE = 3.0
_LOST = 0.8
_QUARTER = frozenset({"mirror_tile"})
_SMALL_LOSS = 0.05
_SCENE_WORDS = (
    "it shows a scene or an object rather than a matter; frame a part that is all of one kind"
)


@dataclass(frozen=True)
class Trial:
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
    trials : tuple of Trial
    reason : str
        Why the first is the best, in words.
    scene : bool
        Whether the picture shows a scene or an object.
    """

    trials: tuple[Trial, ...]
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
    StoneError
        If no way suits: what the first says.
    """
    small = limited(picture, TRIED_AT)
    seen = colour.seen(small)
    source = character_of(seen)
    trials: list[Trial] = []
    refused: StoneError | None = None
    for step in STEPS.values():
        if step.family != FAMILY:
            continue
        try:
            tile = step.apply(small, step.params.model_validate({"axes": axes}))
        except StoneError as error:
            refused = refused or error
            continue
        scores = tile_scores(tile)
        if scores is None:
            continue
        area = tile.width * tile.height / (small.width * small.height)
        trials.append(
            Trial(
                kind=step.name,
                title=step.title,
                fault=scores.fault,
                likeness=likeness(source, character_of(colour.seen(tile))),
                kept=min(1.0, area) * (0.25 if step.name in _QUARTER else 1),
                tile=tile,
            )
        )
    if not trials:
        raise refused or ValueError("no way of making a tile is registered")
    trials.sort(key=lambda trial: trial.cost)
    scene = is_scene(seen)
    return Choice(tuple(trials), _reason(trials, scene), scene)


def _reason(trials: list[Trial], scene: bool) -> str:
    best = trials[0]
    words = [
        "shows no fault" if best.fault < 1 else f"has the least to see ({best.fault:.1f})",
        f"keeps {best.kept:.0%} of the picture",
        f"is {best.likeness:.0%} like it",
    ]
    if len(trials) > 1:
        second = trials[1]
        near = second.cost - best.cost < _SMALL_LOSS
        words.append(f"{second.title} is {'as good' if near else 'next'}")
    told = f"{best.title} {', '.join(words)}"
    return f"{told}; but {_SCENE_WORDS}" if scene else told
