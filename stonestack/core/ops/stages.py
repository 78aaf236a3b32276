"""Operations of steps: each step of the register is one, and its geometry another."""

from __future__ import annotations

from collections.abc import Sequence

from stonestack.core.image import Picture
from stonestack.core.ops.operation import Kind, Operation, Solved
from stonestack.core.resize import resize
from stonestack.core.stepkind import Geometry, StepKind, StepParams
from stonestack.core.steps import STEPS

GEOMETRY = "geometry:"
"""Before the name of a step: the operation that finds how it moves texels."""


def _plain(step: StepKind) -> Operation:
    return Operation(
        step.name,
        step.version,
        step.title,
        step.params,
        (Kind.PICTURE,),
        Kind.PICTURE,
        lambda params, inputs, _: step.apply(inputs[0], params),
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


OPERATIONS = tuple(operation for step in STEPS.values() for operation in _of(step))
