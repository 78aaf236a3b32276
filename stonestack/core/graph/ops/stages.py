"""Operations of steps: each step of the register is one, and its geometry another."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from pydantic import BaseModel, ConfigDict

from stonestack.core.graph.ops.operation import Kind, Operation, Solved
from stonestack.core.kinds.step import Geometry, StepKind, StepParams
from stonestack.core.picture.blending import Blend, laid_over, mixed
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.steps import STEPS
from stonestack.core.steps.masks import MASKS, MaskKind, MaskShape
from stonestack.core.steps.masks.combining import Combine, combined, feathered, grown, valued

MASK = "mask:"
"""Before the name of a kind of mask: the operation that draws it, at another picture's size."""
GEOMETRY = "geometry:"
"""Before the name of a step: the operation that finds how it moves texels."""


def _plain(step: StepKind) -> Operation:
    return Operation(
        step.name,
        step.version,
        step.title,
        step.params,
        (Kind.PICTURE,) * (1 + step.reads),
        Kind.PICTURE,
        lambda params, inputs, blobs: step.apply(inputs[0], params, *inputs[1:], *blobs),
        more=Kind.PICTURE if step.may_read else None,
        blobs=step.blobs,
    )


def _solving(step: StepKind, geometry: Geometry) -> Operation:
    return Operation(
        f"{GEOMETRY}{step.name}",
        step.version,
        step.title,
        step.params,
        (Kind.PICTURE,),
        Kind.GEOMETRY,
        lambda params, inputs, _: Solved(geometry.solve(inputs[0], params)),
    )


def _laying(step: StepKind, geometry: Geometry) -> Operation:
    def lay(params: StepParams, inputs: Sequence[object], _blobs: Sequence[bytes]) -> Picture:
        picture, guide, solved = inputs
        assert isinstance(picture, Picture)
        assert isinstance(guide, Picture)
        assert isinstance(solved, Solved)
        if (guide.width, guide.height) != (picture.width, picture.height):
            # A map of another resolution: led by the colour at its own.
            guide = resize(guide, picture.width, picture.height)
        return geometry.lay(picture, guide, solved.how, params)

    return Operation(
        step.name,
        step.version,
        step.title,
        step.params,
        (Kind.PICTURE, Kind.PICTURE, Kind.GEOMETRY),
        Kind.PICTURE,
        lay,
    )


def _of(step: StepKind) -> tuple[Operation, ...]:
    if step.geometry is None:
        return (_plain(step),)
    return (_laying(step, step.geometry), _solving(step, step.geometry))


def _masking(mask: MaskKind) -> Operation:
    def drawn(params: MaskShape, inputs: Sequence[Picture], blobs: Sequence[bytes]) -> Picture:
        like, *others = inputs
        read = [resize(other, like.width, like.height) for other in others]
        values = mask.draw(params, like.width, like.height, like.wraps, *read, *blobs)
        if like.whole and mask.edged:
            values = np.asarray(values >= 0.5, np.float32)
        return Picture(values[..., np.newaxis], Space.DATA, wraps=like.wraps)

    return Operation(
        f"{MASK}{mask.name}",
        mask.version,
        "Drawing a mask",
        mask.params,
        (Kind.PICTURE,) * (1 + mask.reads),
        Kind.PICTURE,
        drawn,
        blobs=mask.blobs,
    )


class Mixing(BaseModel):
    """How what a step made is mixed with what was before."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    amount: float = 1.0
    blend: Blend = Blend.NORMAL


def _mix(
    how: Callable[[Picture, Picture, Picture | None, float, Blend], Picture],
) -> Callable[[Mixing, Sequence[Picture], Sequence[bytes]], Picture]:
    def mix(params: Mixing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> Picture:
        mask = inputs[2] if len(inputs) > 2 else None
        return how(inputs[0], inputs[1], mask, params.amount, params.blend)

    return mix


class Combining(BaseModel):
    """How two parts of a mask come together."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    how: Combine = Combine.ADD


class Finishing(BaseModel):
    """What is done with a mask once its parts are together; shares are per cent of the width."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    grow: float = 0.0
    feather: float = 0.0
    inverted: bool = False
    inside: float = 1.0
    outside: float = 0.0


def _finished(params: Finishing, inputs: Sequence[Picture], _blobs: Sequence[bytes]) -> Picture:
    mask = feathered(grown(inputs[0], params.grow), params.feather)
    if params.inverted:
        mask = mask.with_pixels(1 - mask.pixels)
    return valued(mask, params.inside, params.outside)


_TWO = (Kind.PICTURE, Kind.PICTURE)

OPERATIONS = (
    *(operation for step in STEPS.values() for operation in _of(step)),
    *(_masking(mask) for mask in MASKS.values()),
    Operation(*("mix", 1, "Mixing", Mixing, _TWO, Kind.PICTURE, _mix(mixed)), more=Kind.PICTURE),
    Operation(
        *("over", 1, "Laying over", Mixing, _TWO, Kind.PICTURE, _mix(laid_over)),
        more=Kind.PICTURE,
    ),
    Operation(
        *("combine", 1, "Drawing a mask", Combining, _TWO, Kind.PICTURE),
        lambda params, inputs, _: combined(inputs[0], inputs[1], params.how),
    ),
    Operation(
        *("finish_mask", 2, "Drawing a mask", Finishing, (Kind.PICTURE,), Kind.PICTURE, _finished)
    ),
)
