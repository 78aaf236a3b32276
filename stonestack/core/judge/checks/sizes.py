"""Whether a map has a size that its target takes."""

from __future__ import annotations

from stonestack.core.judge.checks.leaver import Leaver
from stonestack.core.kinds.findings import Finding


def size(leaver: Leaver) -> list[Finding]:
    """Hold both sides against the target's limits."""
    width, height = leaver.map.size.width, leaver.map.size.height
    target = leaver.target
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
