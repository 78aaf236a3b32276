"""What a check of an output looks at: one map on its way to one target."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from stonestack.core.document import Map, Surface
from stonestack.core.document.leaving import Leaving
from stonestack.core.kinds.findings import Finding
from stonestack.core.tables.targets import Target


@dataclass(frozen=True)
class Leaver:
    """One map that is delivered.

    Parameters
    ----------
    surface : Surface
    map : Map
    leaves : Leaving
        How the map leaves for the target.
    target : Target
    names : frozenset of str
        Texture names that the game is known to look up; empty where that is not known.
    """

    surface: Surface
    map: Map
    leaves: Leaving
    target: Target
    names: frozenset[str] = frozenset()


OutputCheck = Callable[[Leaver], list[Finding]]
"""A pure function that says what is wrong with one map that is delivered."""
