"""Operations that bring pictures in and lay them out: read, shrink, frame, size, lay over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.files import codecs
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph.ops.operation import Kind, Nothing, Operation
from stonestack.core.picture import texels
from stonestack.core.picture.debanding import debanded
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.normals import Green, turned
from stonestack.core.picture.resize import THINNEST, limited, resize
from stonestack.core.raw.frame import VERSION as FRAME_VERSION
from stonestack.core.raw.frame import Frame, framed
from stonestack.core.tables.sizing import Size, fitted
from stonestack.core.tile.light import light_field


class Reading(BaseModel):
    """How a file's numbers are understood."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    space: Space
    green: Green = Green.UP
    wraps: bool = False
    debanded: bool = False
    beyond_white: bool = False
    """Whether light keeps its range, where it lies beyond white."""
    plain_vectors: bool = False
    """Whether vectors stay as long as they are stored."""


class Limit(BaseModel):
    """The longest side that is wanted."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    longest: int = Field(ge=1)


class Canvas(BaseModel):
    """Any size in texels, and how the picture gets there."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    width: int = Field(ge=1, le=16384)
    height: int = Field(ge=1, le=16384)


def decode(params: Reading, _inputs: Sequence[object], blobs: Sequence[bytes]) -> Picture:
    """Read a kept file as a working picture."""
    picture = codecs.read_picture(
        blobs[0],
        params.space,
        beyond_white=params.beyond_white,
        plain_vectors=params.plain_vectors,
    )
    picture = turned(picture, params.green)
    picture = picture.tiling() if params.wraps else picture
    return debanded(picture) if params.debanded else picture


def channels(_params: Nothing, _inputs: Sequence[object], blobs: Sequence[bytes]) -> Picture:
    """Read a kept file's channels as the numbers that are stored, each for itself."""
    from stonestack.core.files.codecs import pictures

    kind = codecs.checked_kind(blobs[0])
    if kind in (FileKind.DDS, FileKind.KTX2):
        stored: texels.Texels = codecs.read_texture(blobs[0]).texels()
    else:
        stored = pictures.stored(blobs[0], kind, deepest=16)
    values = stored.astype(np.float32) / np.float32(texels.full(stored))
    if values.shape[2] < 3:
        # Formats of one or two channels say nothing of the others.
        none = np.zeros((*values.shape[:2], 3 - values.shape[2]), np.float32)
        values = np.concatenate([values, none], axis=2)
    alpha = values.shape[2] == 4 and bool((values[..., 3] < 1).any())
    bits = 16 if stored.dtype == np.uint16 else 8
    pixels = values if alpha else values[..., :3]
    return Picture(np.ascontiguousarray(pixels), Space.DATA, alpha=alpha, bits=bits)


def light(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> Picture:
    """Show the broad light of a picture; half grey is where it is neither more nor less."""
    field = np.clip(light_field(inputs[0]) / 2, 0, 1)
    return Picture(field.astype(np.float32), Space.DATA)


def lay_returned(_params: Nothing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> Picture:
    """Return a picture with what differs between two others taken from the newer.

    They are compared as finely as the newer is stored, and as whole as the picture is.
    """
    picture, new, old = inputs
    size, bits = (picture.width, picture.height), new.bits
    new, old = (resize(replace(one, whole=picture.whole), *size) for one in (new, old))
    apart = texels.to_texels(new, bits) != texels.to_texels(old, bits)
    changed = apart.any(axis=2, keepdims=True)
    if not changed.any():
        return picture
    ours, theirs = _same_channels(picture, new)
    pixels = np.where(changed, theirs.pixels, ours.pixels).astype(np.float32)
    return replace(ours, pixels=np.ascontiguousarray(pixels))


def _same_channels(a: Picture, b: Picture) -> tuple[Picture, Picture]:
    """Give both pictures alpha where one has it."""

    def opaque(picture: Picture) -> Picture:
        if picture.alpha or picture.space is Space.VECTOR:
            return picture
        solid = np.ones((picture.height, picture.width, 1), np.float32)
        return replace(picture, pixels=np.concatenate([picture.pixels, solid], axis=2), alpha=True)

    return (opaque(a), opaque(b)) if a.alpha or b.alpha else (a, b)


_ONE = (Kind.PICTURE,)

OPERATIONS = (
    Operation("decode", 4, "Reading", Reading, (), Kind.PICTURE, decode, blobs=1),
    Operation("channels", 1, "Reading", Nothing, (), Kind.PICTURE, channels, blobs=1),
    Operation(
        "limit",
        2,
        "Shrinking",
        Limit,
        _ONE,
        Kind.PICTURE,
        lambda p, inputs, _: limited(inputs[0], p.longest, THINNEST),
    ),
    Operation(
        "frame",
        FRAME_VERSION,
        "Straightening",
        Frame,
        _ONE,
        Kind.PICTURE,
        lambda p, inputs, _: framed(inputs[0], p),
    ),
    Operation(
        "size",
        2,
        "Fitting the size",
        Size,
        _ONE,
        Kind.PICTURE,
        lambda p, inputs, _: fitted(inputs[0], p),
    ),
    Operation(
        "resample",
        1,
        "Resampling",
        Canvas,
        _ONE,
        Kind.PICTURE,
        lambda p, inputs, _: resize(inputs[0], p.width, p.height),
    ),
    Operation(
        *("whole", 1, "Keeping texels whole", Nothing, _ONE, Kind.PICTURE),
        lambda _, inputs, __: replace(inputs[0], whole=True),
    ),
    Operation("light", 2, "Measuring the light", Nothing, _ONE, Kind.PICTURE, light),
    Operation(
        "returned", 2, "Laying over", Nothing, (Kind.PICTURE,) * 3, Kind.PICTURE, lay_returned
    ),
)
