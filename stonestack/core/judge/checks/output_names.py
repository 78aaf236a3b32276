"""Whether a map has a name that its target looks up."""

from __future__ import annotations

from stonestack.core.document.leaving import leaving
from stonestack.core.judge.checks.leaver import Leaver
from stonestack.core.kinds.findings import Finding
from stonestack.core.tables.naming import is_code_name


def spelling(leaver: Leaver) -> list[Finding]:
    """Hold the letters of the name against what the target takes."""
    if leaver.target.names != "code" or is_code_name(leaver.leaves.name):
        return []
    return [
        Finding(
            level="fault",
            words=f"{leaver.target.title} cannot look up “{leaver.leaves.name}”",
            fix="Use small letters, digits and underscores, for example floor_encaustic.",
        )
    ]


def known(leaver: Leaver) -> list[Finding]:
    """Say of a name that the game's own files do not have it."""
    if not leaver.names or leaver.leaves.name in leaver.names:
        return []
    return [
        Finding(
            level="look",
            words=f"The game looks up no {leaver.leaves.name}",
            fix="Compare the name letter by letter with the game's own.",
        )
    ]


def double(leaver: Leaver) -> list[Finding]:
    """Say that another map of the surface has the name too; capitals make no other name."""
    surface, target, own = leaver.surface, leaver.target, leaver.leaves
    leave = {m.id: leaving(surface, m, target) for m in surface.maps if m.id != leaver.map.id}
    for map_id, other in leave.items():
        if own.delivered and other.delivered and other.path.lower() == own.path.lower():
            title = surface.map(map_id).title
            words = f"{title} is called {other.name} too"
            return [Finding(level="fault", words=words, fix="Rename one of them.")]
    return []
