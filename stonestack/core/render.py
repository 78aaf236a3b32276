"""Carry out one node of a plan: a pure function of its inputs and parameters."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from stonestack.core import codecs, metrics, texels
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.codecs.texture import Texture
from stonestack.core.errors import BadRequest
from stonestack.core.frame import Frame, framed
from stonestack.core.image import Picture, Space
from stonestack.core.resize import limited, resize
from stonestack.core.sizing import Size, fitted
from stonestack.core.stepkind import Geometry, StepKind
from stonestack.core.steps import STEPS
from stonestack.core.surface import SOLVE, Green, Node
from stonestack.core.tile.light import light_field


@dataclass(frozen=True)
class Solved:
    """How a step moves texels, as it was found on a guide."""

    how: Any


Result = Picture | Texture | Solved


def decode(node: Node, data: bytes) -> Picture:
    """Carry out a ``decode`` node on the bytes of its file."""
    picture = codecs.read_picture(data, Space(node.params["space"]))
    return turned(picture, Green(node.params["green"]))


def run(node: Node, inputs: tuple[Result, ...]) -> Result:
    """Carry out any node but ``decode``.

    Parameters
    ----------
    node : Node
    inputs : tuple
        Results of ``node.inputs``, in order; at the steps each is a picture.
    """
    picture = inputs[0]
    if not isinstance(picture, Picture):
        raise BadRequest(
            "not-a-picture", "A compressed texture cannot be worked on.", "Use an earlier stage."
        )
    if node.op.startswith(SOLVE):
        step = STEPS[node.op.removeprefix(SOLVE)]
        return Solved(_geometry(step).solve(picture, step.params.model_validate(node.params)))
    if node.op in STEPS:
        return _stepped(STEPS[node.op], node, inputs)
    if node.op == "frame":
        return framed(picture, Frame.model_validate(node.params))
    if node.op == "light_field":
        # Half grey is where light is neither added nor taken.
        return Picture(np.clip(light_field(picture) / 2, 0, 1).astype(np.float32), Space.DATA)
    if node.op == "limit":
        return limited(picture, int(node.params["longest"]))
    if node.op == "returned":
        return _laid_over(picture, inputs[1], inputs[2])
    if node.op == "size":
        return fitted(picture, Size.model_validate(node.params))
    if node.op == "compress":
        stored = turned(picture, Green(node.params["green"]))
        return codecs.compress(stored, BlockFormat(node.params["format"]))
    raise BadRequest("unknown-step", f"There is no step “{node.op}”.", "Remove it.")


def _stepped(step: StepKind, node: Node, inputs: tuple[Result, ...]) -> Picture:
    params = step.params.model_validate(node.params)
    picture = inputs[0]
    if not isinstance(picture, Picture):
        raise BadRequest("not-a-picture", "A step works on pictures.", "Use an earlier stage.")
    if step.geometry is None:
        return step.apply(picture, params)
    guide, solved = inputs[1], inputs[2]
    if not isinstance(guide, Picture):
        raise BadRequest("not-a-picture", "A step works on pictures.", "Use an earlier stage.")
    if not isinstance(solved, Solved):
        raise BadRequest("not-solved", "A step lacks what it is laid by.", "Reload the page.")
    if (guide.width, guide.height) != (picture.width, picture.height):
        # A map of another resolution: led by the colour at its own.
        guide = resize(guide, picture.width, picture.height)
    return step.geometry.lay(picture, guide, solved.how, params)


def _geometry(step: StepKind) -> Geometry:
    if step.geometry is None:
        raise BadRequest("moves-nothing", f"{step.title} moves no texels.", "Reload the page.")
    return step.geometry


def _laid_over(picture: Picture, new: Result, old: Result) -> Picture:
    """Return a picture with what differs between two others taken from the newer."""
    if not isinstance(new, Picture) or not isinstance(old, Picture):
        raise BadRequest("not-a-picture", "A working file is a picture.", "Save it as PNG.")
    size = (picture.width, picture.height)
    new, old = resize(new, *size), resize(old, *size)
    changed = (texels.to_texels(new) != texels.to_texels(old)).any(axis=2, keepdims=True)
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


def turned(picture: Picture, green: Green) -> Picture:
    """Turn the y of vectors round where green points down."""
    if picture.space is not Space.VECTOR or green is Green.UP:
        return picture
    return picture.with_pixels(picture.pixels * np.array([1, -1, 1], dtype=np.float32))


@dataclass(frozen=True)
class Loss:
    """What compression costs at level 0."""

    psnr: float | None
    """Decibels over the channels that the format keeps; None for vectors or no loss."""
    angle: float | None
    """Mean angle in degrees, for vectors."""


def loss(node: Node, before: Picture, after: Texture) -> Loss:
    """Compare a compressed texture with the picture it was made from."""
    before = turned(before, Green(node.params["green"]))
    stored = after.texels()
    if before.space is Space.VECTOR:
        return Loss(None, metrics.mean_angle(before.pixels, texels.unit_vectors(stored)))
    # BC1 keeps no alpha, so it is not blamed for that here; a check says it.
    channels = {BlockFormat.BC1: 3, BlockFormat.BC4: 1}.get(after.format, 4)
    wanted = texels.to_texels(before)[..., :channels]
    ratio = metrics.psnr(wanted, stored[..., :channels])
    return Loss(None if math.isinf(ratio) else ratio, None)
