"""The one register of checks of an output. A new check is one function, and one line here."""

from __future__ import annotations

from stonestack.core.document import Map, Surface
from stonestack.core.document.leaving import Leaving
from stonestack.core.judge.checks import forms, output_names, sizes
from stonestack.core.judge.checks.leaver import Leaver, OutputCheck
from stonestack.core.kinds.findings import Finding
from stonestack.core.tables.targets import Target

OUTPUT_CHECKS: tuple[OutputCheck, ...] = (
    sizes.size,
    forms.form,
    forms.green,
    forms.slot,
    output_names.spelling,
    output_names.known,
    output_names.double,
)


def of_output(
    surface: Surface,
    m: Map,
    leaves: Leaving,
    target: Target,
    looked_up: frozenset[str] = frozenset(),
) -> list[Finding]:
    """Return what the target would refuse or read wrongly of one map.

    Parameters
    ----------
    leaves : Leaving
        How the map leaves for the target.
    looked_up : frozenset of str
        Texture names that the game is known to look up; empty where that is not known.
    """
    if not leaves.delivered:
        return []
    leaver = Leaver(surface, m, leaves, target, looked_up)
    return [finding for check in OUTPUT_CHECKS for finding in check(leaver)]
