"""What a check of a map looks at, and what it says: with an edit that mends it, where one does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from stonestack.core.document import Map, SourceOrigin, Step, Surface
from stonestack.core.document.edits import AddStep, Edit
from stonestack.core.document.leaving import Leaving
from stonestack.core.judge.checks.accord import Accord, Facing
from stonestack.core.judge.checks.traits import Traits
from stonestack.core.kinds.findings import Finding
from stonestack.core.tables.targets import Target
from stonestack.core.tile.scores import TileScores


class MapFinding(Finding):
    """Something to look at in one map.

    Parameters
    ----------
    code : str
        Which check says it; stays the same.
    map : str
        The id of the map.
    press : str
        What the button says that mends it; empty where nothing does by itself.
    mend : Edit or None
    parts : list of list of float
        Outlines of where it is: x and y of their corners in turn, in shares of the sides; none
        where it is everywhere.
    """

    level: Literal["look", "fault"]
    code: str
    map: str
    press: str = ""
    mend: Edit | None = None
    parts: list[list[float]]


@dataclass(frozen=True)
class Looked:
    """One map, and what was measured of it; what cannot be measured of it is None.

    Parameters
    ----------
    surface : Surface
    map : Map
    leaves : Leaving
        How it leaves for the target.
    target : Target
    cutout : bool or None
        Whether the material is cut out by alpha, where there is a material.
    after : Traits or None
        After its steps.
    source : Traits or None
        Of its own file, framed, before any step.
    off : float or None
        Share of the vectors of its own file that are not of unit length.
    tile : TileScores or None
    accord : Accord or None
        How it fits the colour.
    otherwise : Accord or None
        How it would fit the colour if it were cut as that is and is not now, or the other way.
    facing : Facing or None
        How normals fit a height map that is neither made of them nor they of it.
    """

    surface: Surface
    map: Map
    leaves: Leaving
    target: Target
    cutout: bool | None = None
    after: Traits | None = None
    source: Traits | None = None
    off: float | None = None
    tile: TileScores | None = None
    accord: Accord | None = None
    otherwise: Accord | None = None
    facing: Facing | None = None

    @property
    def own(self) -> SourceOrigin | None:
        """Its own file, where it has one and is not frozen."""
        origin = self.map.origin
        return origin if isinstance(origin, SourceOrigin) and self.map.frozen is None else None

    def has(self, kind: str) -> bool:
        """Tell whether a step of a kind is on."""
        return any(step.enabled and step.params.kind == kind for step in self.map.steps)

    def step(self, *kinds: str) -> Step | None:
        """Return the last step of some kinds that is on."""
        found = [s for s in self.map.steps if s.enabled and s.params.kind in kinds]
        return found[-1] if found else None

    def added(
        self, kind: str, *, first: bool = False, finish: bool = False, **values: object
    ) -> AddStep:
        """Return the edit that adds a step at the end, or before all others."""
        step = Step.model_validate({"params": {"kind": kind, **values}, "finish": finish})
        before = self.map.steps[0].id if first and self.map.steps else None
        return AddStep(map=self.map.id, step=step, before=before)

    def finding(
        self,
        code: str,
        words: str,
        fix: str,
        *,
        level: Literal["look", "fault"] = "look",
        press: str = "",
        mend: Edit | None = None,
        parts: list[list[float]] | None = None,
    ) -> MapFinding:
        """Return a finding of this map."""
        return MapFinding(
            level=level,
            words=words,
            fix=fix,
            code=code,
            map=self.map.id,
            press=press if mend is not None else "",
            mend=mend,
            parts=parts or [],
        )


MapCheck = Callable[[Looked], list[MapFinding]]
"""A pure function that says what to look at in one map."""
