"""One block of a texture, near: its texels before and after, and what it holds."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel

from stonestack.core.files.blocks.inspecting import BlockFacts, inspect_block
from stonestack.core.files.blocks.layout import blocks_across
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.judge.comparing import errors_by_block
from stonestack.core.picture.image import Bytes, Space
from stonestack.core.picture.texels import from_texels
from stonestack.core.runtime.errors import BadRequest

_SIDE = 4


class BlockLook(BaseModel):
    """One block of a level.

    Parameters
    ----------
    level, x, y : int
        The level, and the texel in the block's upper left corner.
    width, height : int
        Texels that it shows: fewer than four at a level's right and bottom edge.
    before, after : list of list of int
        Stored texels, (texel, channel), row by row, 0 to 255; before compression in as many
        channels as after it.
    rms : float
        Root of their mean squared difference, as :class:`.comparing.WorstBlock` has it.
    facts : BlockFacts or None
        What the block holds; None where the format has no blocks.
    """

    level: int
    x: int
    y: int
    width: int
    height: int
    before: list[list[int]]
    after: list[list[int]]
    rms: float
    facts: BlockFacts | None


def look_at_block(
    after: Texture, before: Texture, space: Space, level: int, x: int, y: int
) -> BlockLook:
    """Return the block of a level that holds a texel.

    Parameters
    ----------
    after : Texture
    before : Texture
        Its levels before compression, as RGBA8.
    space : Space
        What its numbers mean.
    level, x, y : int
        A level, and a texel of it.

    Raises
    ------
    BadRequest
        If there is no such level or texel.
    """
    width, height = after.size(level) if level < len(after.levels) else (0, 0)
    if not (0 <= x < width and 0 <= y < height):
        raise BadRequest(
            "no-such-texel", f"Level {level} has no texel {x}, {y}.", "Choose another place."
        )
    x, y = x // _SIDE * _SIDE, y // _SIDE * _SIDE
    across, down = min(_SIDE, width - x), min(_SIDE, height - y)
    info = after.format.info
    if info.block == 1:
        got, facts = after.texels(level)[y : y + down, x : x + across], None
    else:
        number = y // _SIDE * blocks_across(width) + x // _SIDE
        data = after.levels[level][number * info.unit_bytes : (number + 1) * info.unit_bytes]
        one = Texture(after.format, after.srgb, _SIDE, _SIDE, (data,))
        got, facts = one.texels()[:down, :across], inspect_block(after.format, data)
    rows = np.frombuffer(before.levels[level], np.uint8).reshape(height, width, 4)
    wanted = rows[y : y + down, x : x + across]
    pictures = (from_texels(texels, space) for texels in (wanted, got))
    return BlockLook(
        level=level,
        x=x,
        y=y,
        width=across,
        height=down,
        before=_listed(wanted[..., : got.shape[2]]),
        after=_listed(got),
        rms=math.sqrt(float(errors_by_block(*pictures)[0, 0])),
        facts=facts,
    )


def _listed(texels: Bytes) -> list[list[int]]:
    listed: list[list[int]] = texels.reshape(-1, texels.shape[2]).tolist()
    return listed
