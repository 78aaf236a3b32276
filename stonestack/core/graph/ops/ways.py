"""The operation that tries every way of making a tile on a small picture."""

from __future__ import annotations

import base64
from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph.ops.operation import File, Kind, Operation
from stonestack.core.judge.choosing import Tried, choose
from stonestack.core.picture.image import Picture
from stonestack.core.picture.resize import limited
from stonestack.core.tile.ways import Axes

_SHOWN = 96
"""Longest side of the tiles that are shown side by side."""


class Trying(BaseModel):
    """Which edges are made to meet."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    axes: Axes = "both"


class TriedWay(BaseModel):
    """One way of making a tile, tried small.

    ``fault`` is 0 where there is nothing to see, 1 just noticeable; ``likeness`` to the source and
    the share of it that is ``kept`` are 0..1; ``shows`` says what is seen of it, or is empty;
    ``picture`` is a PNG of the tile, in base 64.
    """

    kind: str
    title: str
    fault: float
    likeness: float
    kept: float
    shows: str
    picture: str


class RefusedWay(BaseModel):
    """A way that is not offered, and why."""

    title: str
    words: str


class Ways(BaseModel):
    """All ways that suit, the best first, and why it is that.

    ``advice`` says what to do where the picture shows no matter at all; else it is empty.
    """

    reason: str
    advice: str
    tried: list[TriedWay]
    refused: list[RefusedWay]


def _try_ways(params: Trying, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    choice = choose(inputs[0], params.axes)
    ways = Ways(
        reason=choice.reason,
        advice=choice.advice,
        tried=[_told(way) for way in choice.tried],
        refused=[RefusedWay(title=title, words=words) for title, words in choice.refused],
    )
    return File(ways.model_dump_json().encode())


def _told(way: Tried) -> TriedWay:
    png = pictures.write(limited(way.tile, _SHOWN), FileKind.PNG, 8)
    return TriedWay(
        kind=way.kind,
        title=way.title,
        fault=round(way.fault, 2),
        likeness=way.likeness,
        kept=round(way.kept, 3),
        shows=way.shows,
        picture=base64.b64encode(png).decode(),
    )


OPERATIONS = (
    Operation(
        "ways", 4, "Trying the ways", Trying, (Kind.PICTURE,), Kind.FILE, _try_ways, kept_as="json"
    ),
)
