"""Channels: turned round, swapped, or packed from any maps."""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import MapRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.texels import Channel, numbers_of

_ALL = frozenset({Space.LINEAR, Space.DATA, Space.VECTOR})
_NUMBERS = frozenset({Space.LINEAR, Space.DATA})


class Invert(StepParams):
    """Parameters of :func:`invert`."""

    kind: Literal["invert_values"] = "invert_values"


def invert(picture: Picture, _params: Invert) -> Picture:
    """Turn light and dark round, on the scale that is stored; alpha stays."""
    upside = 1 - colour.seen(picture)
    return picture.with_body(colour.from_seen(upside) if picture.space is Space.LINEAR else upside)


class Take(StrEnum):
    """What a channel becomes."""

    RED = "red"
    GREEN = "green"
    BLUE = "blue"
    ALPHA = "alpha"
    GREY = "grey"
    NOTHING = "nothing"
    FULL = "full"
    RED_TURNED = "red_turned_round"
    GREEN_TURNED = "green_turned_round"
    BLUE_TURNED = "blue_turned_round"


class Swizzle(StepParams):
    """Parameters of :func:`swizzle`."""

    kind: Literal["swizzle"] = "swizzle"
    red: Take = Field(Take.RED, title="Red", description="What red is taken from")
    green: Take = Field(Take.GREEN, title="Green", description="What green is taken from")
    blue: Take = Field(Take.BLUE, title="Blue", description="What blue is taken from")


def swizzle(picture: Picture, params: Swizzle) -> Picture:
    """Take each channel from another, as they are stored. Of one channel all are that one."""
    stored = colour.seen(picture) if picture.space is Space.LINEAR else picture.body
    channels = [_taken(picture, stored, take) for take in (params.red, params.green, params.blue)]
    if stored.shape[2] == 1:
        channels = channels[:1]
    swapped = np.stack(channels, axis=2)
    return picture.with_body(
        colour.from_seen(swapped) if picture.space is Space.LINEAR else swapped
    )


def _taken(picture: Picture, stored: Floats, take: Take) -> Floats:
    low = np.float32(-1 if picture.space is Space.VECTOR else 0)
    name, _, turned = take.value.partition("_")
    places = {"red": 0, "green": 1, "blue": 2}
    if name in places:
        one = stored[..., min(places[name], stored.shape[2] - 1)]
        return np.asarray(low + 1 - one if turned else one, np.float32)
    if take is Take.ALPHA and picture.opacity is not None:
        return picture.opacity[..., 0]
    if take is Take.GREY:
        return np.asarray(stored.mean(axis=2), np.float32)
    full = np.float32(1 if take in (Take.FULL, Take.ALPHA) else low)
    return np.full(stored.shape[:2], full, np.float32)


_OF = "Which channel of it; a grey map has one"


class Pack(StepParams):
    """Parameters of :func:`pack`; a channel without a map stays as it is."""

    kind: Literal["pack"] = "pack"
    red: MapRef | None = Field(None, title="Red", description="Map that goes into red")
    green: MapRef | None = Field(None, title="Green", description="Map that goes into green")
    blue: MapRef | None = Field(None, title="Blue", description="Map that goes into blue")
    red_of: Channel = Field(Channel.RED, title="Red of its", description=_OF)
    green_of: Channel = Field(Channel.RED, title="Green of its", description=_OF)
    blue_of: Channel = Field(Channel.RED, title="Blue of its", description=_OF)


def pack(picture: Picture, params: Pack, *others: Picture) -> Picture:
    """Put other maps into the channels of this one, number by number, as they are stored.

    What is packed is exact at equal sizes: the stored 8 or 16 bits come out as they went in.
    """
    stored = colour.seen(picture) if picture.space is Space.LINEAR else picture.body
    packed = np.ascontiguousarray(np.broadcast_to(stored, (*stored.shape[:2], 3))).copy()
    waiting = iter(others)
    finest = picture.bits
    wanted = (
        (params.red, params.red_of),
        (params.green, params.green_of),
        (params.blue, params.blue_of),
    )
    for place, (reference, channel) in enumerate(wanted):
        if reference is None:
            continue
        other = next(waiting)
        finest = max(finest, other.bits)
        fitted = resize(other, picture.width, picture.height)
        packed[..., place] = numbers_of(fitted, channel)
    body = colour.to_linear(packed) if picture.space is Space.LINEAR else packed
    pixels = body if picture.opacity is None else np.concatenate([body, picture.opacity], axis=2)
    return replace(picture, pixels=np.ascontiguousarray(pixels, np.float32), bits=finest)


def _packed(params: Pack) -> list[str]:
    return [name for name in ("red", "green", "blue") if getattr(params, name) is not None]


INVERT = StepKind(
    name="invert_values",
    title="Invert",
    hint="Turns light and dark round",
    params=Invert,
    version=1,
    apply=invert,
    spaces=_NUMBERS,
    group=Group.CHANNELS,
    summary=lambda _: "all channels",
)
SWIZZLE = StepKind(
    name="swizzle",
    title="Swap channels",
    hint="Takes each channel from another",
    params=Swizzle,
    version=1,
    apply=swizzle,
    spaces=_ALL,
    group=Group.CHANNELS,
    summary=lambda p: f"{p.red}, {p.green}, {p.blue}",
)
PACK = StepKind(
    name="pack",
    title="Pack maps",
    hint="Puts other maps into red, green and blue",
    params=Pack,
    version=1,
    apply=pack,
    spaces=_NUMBERS,
    reads_of=_ALL,
    group=Group.CHANNELS,
    summary=lambda p: ", ".join(_packed(p)) or "no map yet",
)
