"""How far one picture or texture file is from another: the measures of ``compare``."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel, ConfigDict

from stonestack.core import codecs, metrics
from stonestack.core.errors import BadRequest
from stonestack.core.image import Picture, Space
from stonestack.core.roles import ROLES, Role
from stonestack.core.texels import to_texels

_WORST = 5


class WorstBlock(BaseModel):
    """A block of four by four texels that differs much."""

    model_config = ConfigDict(frozen=True)

    x: int
    y: int
    rms: float
    """Root of the mean squared difference, in levels of 255."""


class Comparison(BaseModel):
    """How far the second file is from the first.

    Parameters
    ----------
    width, height : int
    channels : int
        Those that were compared.
    equal : bool
        Whether all stored numbers are the same.
    psnr : float or None
        Decibels over these channels; None where they are equal.
    psnr_alpha : float or None
        Likewise, of alpha alone; None where neither has any, or they are equal.
    ssim : float
        Structural similarity, 1 where equal.
    most : int
        The greatest difference of a number, in levels of 255.
    mean_angle, high_angle : float or None
        Of normals, in degrees: the mean, and what 99 of 100 texels lie below.
    worst : list of WorstBlock
        The blocks that differ most, the worst first.
    """

    model_config = ConfigDict(frozen=True)

    width: int
    height: int
    channels: int
    equal: bool
    psnr: float | None
    psnr_alpha: float | None
    ssim: float
    most: int
    mean_angle: float | None = None
    high_angle: float | None = None
    worst: list[WorstBlock]


def compare(first: bytes, second: bytes, role: Role = Role.COLOUR) -> Comparison:
    """Measure how far the second file is from the first, at their full size.

    Raises
    ------
    BadFile
        If either cannot be read.
    BadRequest
        If they are of different sizes.
    """
    space = ROLES[role].space
    before, after = (codecs.read_picture(data, space) for data in (first, second))
    if (before.width, before.height) != (after.width, after.height):
        raise BadRequest(
            "sizes-differ",
            f"The first is {before.width} × {before.height}, "
            f"the second {after.width} × {after.height}.",
            "Compare files of one size; convert --size makes them so.",
        )
    return compared(before, after)


def compared(before: Picture, after: Picture) -> Comparison:
    """Measure how far one picture is from another of the same size and space."""
    wanted, got = to_texels(before), to_texels(after)
    with_alpha = before.alpha or after.alpha
    channels = 1 if before.space is Space.DATA else 3
    alike = metrics.psnr(wanted[..., 3:], got[..., 3:]) if with_alpha else math.inf
    a, b = wanted[..., :channels], got[..., :channels]
    ratio = metrics.psnr(a, b)
    errors = metrics.block_errors(a, b)
    order = np.argsort(-errors, axis=None, kind="stable")[:_WORST]
    worst = [
        WorstBlock(
            x=int(place % errors.shape[1]) * 4,
            y=int(place // errors.shape[1]) * 4,
            rms=round(float(math.sqrt(errors.flat[place])), 3),
        )
        for place in order
        if errors.flat[place] > 0
    ]
    turned: tuple[float, float] | tuple[None, None] = (None, None)
    if before.space is Space.VECTOR:
        apart = metrics.angles(before.pixels[..., :3], after.pixels[..., :3])
        turned = (float(apart.mean(dtype=np.float64)), float(np.percentile(apart, 99)))
    return Comparison(
        width=before.width,
        height=before.height,
        channels=channels + with_alpha,
        equal=math.isinf(ratio) and math.isinf(alike),
        psnr=None if math.isinf(ratio) else ratio,
        psnr_alpha=None if math.isinf(alike) else alike,
        ssim=metrics.ssim(a, b),
        most=int(np.abs(wanted.astype(np.int16) - got).max()),
        mean_angle=turned[0],
        high_angle=turned[1],
        worst=worst,
    )
