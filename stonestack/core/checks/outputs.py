"""Whether a map leaves in a form that its target takes."""

from __future__ import annotations

from stonestack.core.checks.findings import Finding
from stonestack.core.document import Map, Surface
from stonestack.core.image import Space
from stonestack.core.naming import is_code_name
from stonestack.core.targets import Leaving, Target


def of_output(
    surface: Surface, m: Map, leaves: Leaving, target: Target, names: frozenset[str] = frozenset()
) -> list[Finding]:
    """Return what the target would refuse or read wrongly of one map.

    Parameters
    ----------
    leaves : Leaving
        How the map leaves for the target.
    names : frozenset of str
        Texture names that the game is known to look up; empty where that is not known.
    """
    if not leaves.delivered:
        return []
    found = _of_size(m, target)
    if leaves.format not in target.formats_of(m.role):
        usual = target.formats_of(m.role)[0].info.title
        found.append(
            Finding(
                level="fault",
                words=f"{target.title} does not take {leaves.format.info.title} here",
                fix=f"Store it as {usual}.",
            )
        )
    if m.space is Space.VECTOR and leaves.green is not target.green:
        found.append(
            Finding(
                level="fault",
                words=f"Green points {leaves.green}; the game reads it {target.green}",
                fix=f"Let green point {target.green}, or it is lit from below.",
            )
        )
    if m.role not in target.slots and target.slots:
        found.append(
            Finding(
                level="look",
                words=f"{target.title} has no slot for it",
                fix="It goes along, but nothing reads it; do not deliver it.",
            )
        )
    if target.names == "code" and not is_code_name(leaves.name):
        found.append(
            Finding(
                level="fault",
                words=f"{target.title} cannot look up “{leaves.name}”",
                fix="Use small letters, digits and underscores, for example floor_encaustic.",
            )
        )
    if names and leaves.name not in names:
        found.append(
            Finding(
                level="look",
                words=f"The game looks up no {leaves.name}",
                fix="Compare the name letter by letter with the game's own.",
            )
        )
    others = [o for o in surface.maps if o.id != m.id and o.outputs.get(target.name)]
    if any(o.outputs[target.name].name == leaves.name for o in others):
        found.append(
            Finding(
                level="fault",
                words=f"Another map is called {leaves.name} too",
                fix="Rename one of them.",
            )
        )
    return found


def _of_size(m: Map, target: Target) -> list[Finding]:
    width, height = m.size.width, m.size.height
    found = []
    if max(width, height) > target.largest:
        found.append(
            Finding(
                level="fault",
                words=f"{width} × {height} is larger than the {target.largest} it takes",
                fix=f"At Size, choose sides of at most {target.largest}.",
            )
        )
    if min(width, height) < target.smallest:
        found.append(
            Finding(
                level="fault",
                words=f"{width} × {height} is smaller than the {target.smallest} it takes",
                fix=f"At Size, choose sides of at least {target.smallest}.",
            )
        )
    if target.square and width != height:
        found.append(
            Finding(level="fault", words="Its sides have to be equal", fix="At Size, make them so.")
        )
    return found
