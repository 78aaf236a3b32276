"""The targets that ship: one JSON file each, beside this one."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.targets.model import Target

__all__ = ["LOOSE", "TARGETS", "Target", "recognised", "target_of"]


@cache
def _read() -> dict[str, Target]:
    found = sorted(
        (f for f in files(__package__).iterdir() if f.name.endswith(".json")), key=lambda f: f.name
    )
    targets = [Target.model_validate_json(f.read_text(encoding="utf-8")) for f in found]
    return {target.name: target for target in targets}


TARGETS: dict[str, Target] = _read()
LOOSE = "loose"
"""The target of a folder that no other knows."""


def target_of(name: str) -> Target:
    """Return a target.

    Raises
    ------
    BadRequest
        If there is none of this name.
    """
    if name not in TARGETS:
        known = ", ".join(target.title for target in TARGETS.values())
        raise BadRequest(
            "no-such-target", f"There is no target {name}.", f"Choose one of: {known}."
        )
    return TARGETS[name]


def recognised(names: set[str]) -> Target:
    """Return the target whose marks a game folder holds, or the one for any folder.

    Parameters
    ----------
    names : set of str
        Paths of files below the folder, with forward slashes.
    """
    for target in TARGETS.values():
        if target.known_by and set(target.known_by) <= names:
            return target
    return TARGETS[LOOSE]
