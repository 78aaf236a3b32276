"""What compression costs: a texture held against the picture it was made from."""

from __future__ import annotations

import math
from dataclasses import dataclass

from stonestack.core.files.blocks.formats import FORMATS
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture import texels
from stonestack.core.picture.image import Bytes, Picture, Space
from stonestack.core.picture.measures import metrics


@dataclass(frozen=True)
class Loss:
    """What compression costs at level 0."""

    psnr: float | None
    """Decibels over the channels that the format keeps; None for vectors or no loss."""
    angle: float | None
    """Mean angle in degrees, for vectors."""


def seen_of(wanted: Bytes, stored: Bytes) -> Bytes:
    """Return stored texels with the wanted colour wherever either is clear: nobody sees it there.

    Parameters
    ----------
    wanted, stored : ndarray, uint8, shape (height, width, 4)
    """
    unseen = (wanted[..., 3] == 0) | (stored[..., 3] == 0)
    out = stored.copy()
    out[unseen, :3] = wanted[unseen, :3]
    return out


def loss(before: Picture, after: Texture) -> Loss:
    """Compare a compressed texture with the picture it was made from.

    Parameters
    ----------
    before : Picture
        As it was stored: vectors with green turned as the texture has it.
    after : Texture
    """
    stored = after.texels()
    if before.space is Space.VECTOR:
        return Loss(None, metrics.mean_angle(before.pixels[..., :3], texels.unit_vectors(stored)))
    wanted = texels.to_texels(before)
    # What a format does not keep it is not blamed for here; a check says it.
    channels = FORMATS[after.format].keeps
    if before.alpha and stored.shape[2] == wanted.shape[2]:
        channels = wanted.shape[2]
        stored = seen_of(wanted, stored)
    ratio = metrics.psnr(wanted[..., :channels], stored[..., :channels])
    return Loss(None if math.isinf(ratio) else ratio, None)
