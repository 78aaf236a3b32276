"""The one register of checks of a map. A new check is one function, and one line here."""

from __future__ import annotations

from stonestack.core.judge.checks import of_colour, of_levels, of_normals, of_sets
from stonestack.core.judge.checks.looked import Looked, MapCheck, MapFinding

MAP_CHECKS: tuple[MapCheck, ...] = (
    of_normals.unit,
    of_normals.green,
    of_normals.leaving,
    of_normals.steepness,
    of_colour.helpers,
    of_colour.crushed,
    of_colour.albedo,
    of_colour.light,
    of_levels.specular,
    of_levels.one_value,
    of_levels.alpha,
    of_sets.size,
    of_sets.cut,
    of_sets.place,
    of_sets.old_relief,
)
_MISREAD = frozenset({"green", "inside-out"})
_FITTING = frozenset({"cut", "place", "old-relief"})


def of_map(looked: Looked) -> list[MapFinding]:
    """Return all that there is to look at in a map, faults first."""
    found = [finding for check in MAP_CHECKS for finding in check(looked)]
    if not _MISREAD.isdisjoint(finding.code for finding in found):
        # How it fits the colour is told once it is read rightly.
        found = [finding for finding in found if finding.code not in _FITTING]
    return sorted(found, key=lambda finding: finding.level != "fault")
