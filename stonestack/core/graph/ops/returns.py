"""Operations of putting back: a picture for a place in a game, and that place's file made again."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from stonestack.core import refit
from stonestack.core.graph.ops.operation import File, Kind, Operation
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.normals import Green, turned


class StoredAs(BaseModel):
    """The space that a place's role has."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    space: Space


class Turning(BaseModel):
    """Which way green points in what comes out."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    green: Green


def replacement(params: StoredAs, _inputs: Sequence[object], blobs: Sequence[bytes]) -> Picture:
    """Read a file with every channel that it stores."""
    return refit.as_stored(blobs[0], params.space)


def turn(params: Turning, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> Picture:
    """Turn vectors to how a game's own file has them."""
    return turned(inputs[0], params.green)


class Refitting(BaseModel):
    """Which levels have a picture of their own, in the order of the inputs after the first."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    own: tuple[int, ...] = ()


def refitted(params: Refitting, inputs: Sequence[Picture], blobs: Sequence[bytes]) -> File:
    """Make a game's own file again with another picture in it."""
    picture, *own = inputs
    made = refit.made(blobs[0], picture, dict(zip(params.own, own, strict=True)))
    return File(made.data, made.changed / max(1, made.units))


_ONE = (Kind.PICTURE,)

OPERATIONS = (
    Operation("replacement", 1, "Reading", StoredAs, (), Kind.PICTURE, replacement, blobs=1),
    Operation("turn", 1, "Turning", Turning, _ONE, Kind.PICTURE, turn),
    Operation(
        "refit",
        2,
        "Making in the game's form",
        Refitting,
        _ONE,
        Kind.FILE,
        refitted,
        more=Kind.PICTURE,
        blobs=1,
    ),
)
