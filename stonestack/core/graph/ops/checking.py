"""Operations that measure maps, and how they fit each other, so that they can be checked."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel

from stonestack.core.graph.ops.operation import File, Kind, Nothing, Operation
from stonestack.core.judge.checks import accord, traits
from stonestack.core.picture.image import Picture

VERSION = 1
"""Raised when the same maps are measured otherwise."""
_WORDS = "Checking"
_ONE = (Kind.PICTURE,)


class Unit(BaseModel):
    """Which share of stored normals has not the length 1."""

    off: float


def _file(told: BaseModel) -> File:
    return File(told.model_dump_json().encode())


def _traits(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    return _file(traits.traits(inputs[0]))


def _unit(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    return _file(Unit(off=traits.not_unit(inputs[0])))


def _accord(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    colour, other, *before = inputs
    return _file(accord.accord(colour, other, before[0] if before else None))


def _facing(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> File:
    return _file(accord.facing(inputs[0], inputs[1]))


OPERATIONS = (
    Operation("check:traits", VERSION, _WORDS, Nothing, _ONE, Kind.FILE, _traits, kept_as="json"),
    Operation("check:unit", VERSION, _WORDS, Nothing, _ONE, Kind.FILE, _unit, kept_as="json"),
    Operation(
        *("check:accord", VERSION, _WORDS, Nothing, _ONE * 2, Kind.FILE, _accord, Kind.PICTURE),
        kept_as="json",
    ),
    Operation(
        "check:facing", VERSION, _WORDS, Nothing, _ONE * 2, Kind.FILE, _facing, kept_as="json"
    ),
)
