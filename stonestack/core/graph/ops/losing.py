"""Operations that say what compression costs: one level measured, and formats compared."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.files.codecs.texture import Texture
from stonestack.core.graph.ops.facts import KEPT, RenderFacts
from stonestack.core.graph.ops.operation import File, Kind, Nothing, Operation
from stonestack.core.judge.advising import Candidate, advise
from stonestack.core.judge.comparing import Comparison, compared
from stonestack.core.judge.verdicts import HOLES_ONLY
from stonestack.core.picture.image import Picture
from stonestack.core.runtime.errors import BadRequest


class OneLevel(BaseModel):
    """Which level is looked at."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    level: int = Field(0, ge=0, le=14)


class LevelLoss(BaseModel):
    """What compression costs one level of a map.

    Parameters
    ----------
    level, levels : int
        Which, and how many there are.
    bytes : int
        Of this level, compressed.
    lost : Comparison
        Against the level as it was before.
    """

    level: int
    levels: int
    bytes: int
    lost: Comparison


def check_level(texture: Texture, level: int) -> None:
    """Refuse a level that a texture does not have.

    Raises
    ------
    BadRequest
        With the last one that it has.
    """
    if level >= len(texture.levels):
        raise BadRequest(
            "no-such-level",
            f"There is no level {level}; the last is {len(texture.levels) - 1}.",
            "Choose another level.",
        )


def loss(params: OneLevel, inputs: Sequence[object], _blobs: Sequence[bytes]) -> File:
    """Measure what compression costs one level: the texture, its levels before, and its picture."""
    after, before, picture = inputs
    assert isinstance(after, Texture)
    assert isinstance(before, Texture)
    assert isinstance(picture, Picture)
    check_level(after, params.level)
    space = picture.space
    lost = compared(before.picture(space, params.level), after.picture(space, params.level))
    told = LevelLoss(
        level=params.level,
        levels=len(after.levels),
        bytes=len(after.levels[params.level]),
        lost=lost,
    )
    return File(told.model_dump_json().encode())


def advice(_params: Nothing, inputs: Sequence[File], _blobs: Sequence[bytes]) -> File:
    """Compare the numbers of a map in several formats."""
    candidates = []
    for told in inputs:
        facts = RenderFacts.model_validate_json(told.data)
        assert facts.format is not None
        objection = facts.finding.words if facts.finding.words == HOLES_ONLY else ""
        candidates.append(
            Candidate(facts.format, facts.bytes or 0, facts.psnr, facts.angle, objection)
        )
    return File(advise(candidates).model_dump_json().encode())


OPERATIONS = (
    Operation(
        "loss",
        1,
        "Measuring",
        OneLevel,
        (Kind.TEXTURE, Kind.TEXTURE, Kind.PICTURE),
        Kind.FILE,
        loss,
        kept_as=KEPT,
    ),
    Operation(
        "advice", 2, "Measuring", Nothing, (), Kind.FILE, advice, more=Kind.FILE, kept_as=KEPT
    ),
)
