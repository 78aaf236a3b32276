"""How far one picture or texture file is from another: the measures of ``compare``."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel, ConfigDict

from stonestack.core.files import codecs
from stonestack.core.judge.losses import seen_of
from stonestack.core.picture.image import Bytes, Floats, Picture, Space
from stonestack.core.picture.measures import metrics
from stonestack.core.picture.measures.quantiles import quantiles
from stonestack.core.picture.texels import to_texels
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.roles import ROLES, Role

_WORST = 5


class WorstBlock(BaseModel):
    """A block of four by four texels that differs much."""

    model_config = ConfigDict(frozen=True)

    x: int
    y: int
    rms: float
    """Root of the mean squared difference: in levels of 255, of normals in degrees."""


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
        The blocks that differ most as they are seen, the worst first.
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


def errors_by_block(before: Picture, after: Picture) -> Floats:
    """Return the mean squared difference of each block of four by four texels, (down, across).

    Of normals in squared degrees; else in squared levels of 255, colour by as much as alpha lets
    through.
    """
    if before.space is Space.VECTOR:
        apart = metrics.angles(before.pixels[..., :3], after.pixels[..., :3])[..., np.newaxis]
        return metrics.block_errors(apart, np.zeros_like(apart))
    channels = 1 if before.space is Space.DATA else 3
    return metrics.block_errors(*(_seen(to_texels(p), channels) for p in (before, after)))


def _seen(stored: Bytes, channels: int) -> Floats:
    """Return numbers as they are seen: colour by as much as alpha lets through, and alpha."""
    body = stored[..., :channels].astype(np.float32)
    if (stored[..., 3] == 255).all():
        return body
    alpha = stored[..., 3:].astype(np.float32)
    return np.concatenate([body * (alpha / np.float32(255)), alpha], axis=2)


def compared(before: Picture, after: Picture) -> Comparison:
    """Measure how far one picture is from another of the same size and space.

    The colour of what is clear in either does not count, since nobody sees it.
    """
    wanted, got = to_texels(before), to_texels(after)
    equal = bool(np.array_equal(wanted, got))
    with_alpha = before.alpha or after.alpha
    if with_alpha and before.space is Space.LINEAR:
        got = seen_of(wanted, got)
    channels = 1 if before.space is Space.DATA else 3
    alike = metrics.psnr(wanted[..., 3:], got[..., 3:]) if with_alpha else math.inf
    a, b = wanted[..., :channels], got[..., :channels]
    ratio = metrics.psnr(a, b)
    errors = errors_by_block(before, after)
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
        turned = (float(apart.mean(dtype=np.float64)), float(quantiles(apart, (0.99,))[0]))
    return Comparison(
        width=before.width,
        height=before.height,
        channels=channels + with_alpha,
        equal=equal,
        psnr=None if math.isinf(ratio) else ratio,
        psnr_alpha=None if math.isinf(alike) else alike,
        ssim=metrics.ssim(a, b),
        most=int(np.abs(wanted.astype(np.int16) - got).max()),
        mean_angle=turned[0],
        high_angle=turned[1],
        worst=worst,
    )
