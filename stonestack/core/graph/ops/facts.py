"""Operations that measure a map at a stage: the numbers on the course sheet, and their verdict."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.graph.ops.operation import File, Kind, Nothing, Operation, Solved
from stonestack.core.judge import verdicts
from stonestack.core.judge.losses import loss
from stonestack.core.kinds.findings import Finding
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.normals import Green, turned
from stonestack.core.tables.sizing import Area, Proposal, Size, proposal, visible_area
from stonestack.core.tile.scores import TileScores, tile_scores
from stonestack.core.tile.whole import Kept


class RenderFacts(BaseModel):
    """The numbers of a map at a stage, and what they mean."""

    width: int
    height: int
    alpha: bool
    space: Space
    scores: TileScores | None = None
    kept: str = ""
    """What of a structure the tile holds, in words; empty where there is none."""
    light: float | None = None
    """By what share the broad light of the brightest part exceeds the darkest."""
    costs: Proposal | None = None
    visible: Area | None = None
    format: BlockFormat | None = None
    levels: int | None = None
    bytes: int | None = None
    psnr: float | None = None
    angle: float | None = None
    joins: list[list[float]] = []
    """Where a tile was joined: lines, x and y of their points in turn, as shares of its sides."""
    finding: Finding


class Done(BaseModel):
    """Operations that led to a tile, so that what is advised is not done already."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    done: tuple[str, ...] = ()


class Stored(BaseModel):
    """How green was turned before a picture was compressed."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    green: Green = Green.UP


def _told(picture: Picture, finding: Finding, **numbers: object) -> File:
    facts = RenderFacts.model_validate(
        {
            "width": picture.width,
            "height": picture.height,
            "alpha": picture.alpha,
            "space": picture.space,
            "finding": finding,
            **numbers,
        }
    )
    return File(facts.model_dump_json().encode())


def of_source(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    """Measure a picture before any step."""
    picture = inputs[0]
    light = verdicts.unevenness(picture) if picture.space is Space.LINEAR else None
    return _told(picture, verdicts.of_source(light), light=light)


def of_tile(params: Done, inputs: Sequence[object], _blobs: Sequence[bytes]) -> File:
    """Measure a map after its steps, where all that is scored is settled."""
    picture, *solved = inputs
    assert isinstance(picture, Picture)
    scores = tile_scores(picture)
    found = [s.how for s in solved if isinstance(s, Solved) and isinstance(s.how, Kept)]
    finding = verdicts.of_tile(scores, frozenset(params.done))
    kept = "".join(how.words for how in found)
    joins = [
        [value for point in join for value in point] for how in found for join in how.inner.joins()
    ]
    return _told(picture, finding, scores=scores, kept=kept, joins=joins)


def of_finish(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    """Say what a map is once it is finished."""
    return _told(inputs[0], Finding(level="good", words="exact texels"))


def of_size(params: Size, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    """Measure what a size costs: the sized picture, and the one before."""
    after, before = inputs
    return _told(
        after,
        verdicts.of_size(before, params),
        costs=proposal(before.width, before.height, params),
        visible=visible_area(before.width, before.height, params),
    )


def of_texture(params: Stored, inputs: Sequence[object], _blobs: Sequence[bytes]) -> File:
    """Measure what compression costs."""
    after, before = inputs
    assert isinstance(after, Texture)
    assert isinstance(before, Picture)
    lost = loss(turned(before, params.green), after)
    return _told(
        before,
        verdicts.of_compression(before, after, lost),
        format=after.format,
        levels=len(after.levels),
        bytes=sum(len(level) for level in after.levels),
        psnr=lost.psnr,
        angle=lost.angle,
    )


_V = verdicts.VERSION
_WORDS = "Measuring"
_ONE = (Kind.PICTURE,)
KEPT = "json"

OPERATIONS = (
    Operation("facts:source", _V, _WORDS, Nothing, _ONE, Kind.FILE, of_source, kept_as=KEPT),
    Operation(
        *("facts:tile", _V, _WORDS, Done, _ONE, Kind.FILE, of_tile, Kind.GEOMETRY), kept_as=KEPT
    ),
    Operation("facts:size", _V, _WORDS, Size, _ONE * 2, Kind.FILE, of_size, kept_as=KEPT),
    Operation("facts:finish", _V, _WORDS, Nothing, _ONE, Kind.FILE, of_finish, kept_as=KEPT),
    Operation(
        "facts:texture",
        _V,
        _WORDS,
        Stored,
        (Kind.TEXTURE, Kind.PICTURE),
        Kind.FILE,
        of_texture,
        kept_as=KEPT,
    ),
)
