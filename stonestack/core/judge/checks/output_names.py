"""Whether a map has a name that its target looks up."""

from __future__ import annotations

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
    """Say that another map of the surface has the name too."""
    name = leaver.leaves.name
    others = [m for m in leaver.surface.maps if m.id != leaver.map.id]
    outputs = [m.outputs.get(leaver.target.name) for m in others]
    if not any(output is not None and output.name == name for output in outputs):
        return []
    return [
        Finding(level="fault", words=f"Another map is called {name} too", fix="Rename one of them.")
    ]
