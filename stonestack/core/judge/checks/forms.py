"""Whether a map leaves in a form that its target reads rightly."""

from __future__ import annotations

from stonestack.core.judge.checks.leaver import Leaver
from stonestack.core.kinds.findings import Finding
from stonestack.core.picture.image import Space


def form(leaver: Leaver) -> list[Finding]:
    """Hold the format against those that the target takes."""
    formats = leaver.target.formats_of(leaver.map.role)
    if leaver.leaves.format in formats:
        return []
    return [
        Finding(
            level="fault",
            words=f"{leaver.target.title} does not take {leaver.leaves.format.info.title} here",
            fix=f"Store it as {formats[0].info.title}.",
        )
    ]


def green(leaver: Leaver) -> list[Finding]:
    """Hold the direction of green against the target's."""
    own, theirs = leaver.leaves.green, leaver.target.green
    if leaver.map.space is not Space.VECTOR or own is theirs:
        return []
    return [
        Finding(
            level="fault",
            words=f"Green points {own}; the game reads it {theirs}",
            fix=f"Let green point {theirs}, or it is lit from below.",
        )
    ]


def slot(leaver: Leaver) -> list[Finding]:
    """Say of a map that nothing in the game reads it."""
    slots = leaver.target.slots
    if not slots or leaver.map.role in slots:
        return []
    return [
        Finding(
            level="look",
            words=f"{leaver.target.title} has no slot for it",
            fix="It goes along, but nothing reads it; do not deliver it.",
        )
    ]
