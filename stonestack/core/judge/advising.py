"""Which format suits a map: the smallest whose loss is not seen, and why, in one sentence."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from stonestack.core.files.blocks.formats import BlockFormat

CLEAN = 36.0
"""Decibels from which a loss is not seen beside the original."""
SMOOTH = 0.4
"""Mean degrees up to which the loss of normals is not seen: highlights move by twice as much."""
_NOTHING = 0.05
_SHARES = ((0.125, "An eighth"), (0.25, "A quarter"), (0.5, "Half"))


@dataclass(frozen=True)
class Candidate:
    """A format that was tried.

    Parameters
    ----------
    format : BlockFormat
    bytes : int
        Of all levels.
    psnr : float or None
        Decibels; None where nothing was lost, and for normals.
    angle : float or None
        Mean degrees, for normals.
    objection : str
        What speaks against it, whatever its loss; empty where nothing does.
    """

    format: BlockFormat
    bytes: int
    psnr: float | None
    angle: float | None
    objection: str = ""


class Advice(BaseModel):
    """A recommended format, and one sentence that says why."""

    model_config = ConfigDict(frozen=True)

    format: BlockFormat
    reason: str


def advise(candidates: Sequence[Candidate]) -> Advice:
    """Return the smallest format whose loss is not seen; else that of the least loss.

    Parameters
    ----------
    candidates : sequence of Candidate
        At least one.
    """
    order = sorted(candidates, key=lambda one: (one.bytes, _lost(one)))
    fitting = [one for one in order if not one.objection] or order
    enough = [one for one in fitting if _unseen(one)]
    if enough:
        # Of formats of one size, the one that loses least.
        alike = [one for one in enough if one.bytes == enough[0].bytes]
        best = min(alike, key=_lost)
    else:
        best = min(fitting, key=lambda one: (_lost(one), one.bytes))
    return Advice(format=best.format, reason=_reason(best, order))


def _lost(one: Candidate) -> float:
    """Return a number that grows with the loss; minus infinity where there is none."""
    if one.angle is not None:
        return one.angle
    return -math.inf if one.psnr is None else -one.psnr


def _unseen(one: Candidate) -> bool:
    if one.angle is not None:
        return one.angle <= SMOOTH
    return one.psnr is None or one.psnr >= CLEAN


def _reason(best: Candidate, order: Sequence[Candidate]) -> str:
    """Say why: against the smaller that was passed over, else against the next larger."""
    smaller = [one for one in order if one.bytes < best.bytes]
    if smaller:
        other, size = smaller[-1], _share(smaller[-1], best)
        if other.objection:
            return (
                f"{other.format.info.title} is {size.lower()} the size, but its {other.objection}."
            )
        seen = "highlights would move" if other.angle is not None else "its loss shows"
        return (
            f"{other.format.info.title} is {size.lower()} the size, but {seen}: "
            f"{_loss_words(other)}."
        )
    alike = [one for one in order if one.bytes == best.bytes and one is not best]
    if alike and not alike[0].objection:
        other = alike[0]
        return (
            f"As large as {other.format.info.title}, and loses less: "
            f"{_loss_words(best)}, not {_loss_words(other)}."
        )
    larger = [one for one in order if one.bytes > best.bytes]
    if not larger:
        return f"The only one of its size that suits: {_loss_words(best)}."
    size = _share(best, larger[0])
    if not _unseen(best):
        return f"It loses least of all that the target takes: {_loss_words(best)}."
    return f"{size} the size of {larger[0].format.info.title}, and its loss is not seen: " + (
        f"{_loss_words(best)}."
    )


def _share(small: Candidate, large: Candidate) -> str:
    ratio = small.bytes / large.bytes
    for share, words in _SHARES:
        if abs(ratio / share - 1) < _NOTHING:
            return words
    return f"{ratio:.0%} of"


def _loss_words(one: Candidate) -> str:
    if one.angle is not None:
        return f"{one.angle:.2f}° off"
    return "nothing" if one.psnr is None else f"{one.psnr:.1f} dB"
