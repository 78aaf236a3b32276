"""Textures of levels: only blocks whose texels changed are encoded, at every level."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from stonestack.core.catalogue.describe import shown
from stonestack.core.files import blocks, codecs
from stonestack.core.files.blocks.formats import FORMATS
from stonestack.core.files.blocks.layout import blocks_across, padded
from stonestack.core.files.blocks.quality import CUT, SEEN
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.files.codecs.sniff import FileKind, kind_by_content
from stonestack.core.files.codecs.texture import Texture, stored
from stonestack.core.picture.image import Picture
from stonestack.core.picture.mips import chain
from stonestack.core.picture.resize import resize

Mask = NDArray[np.bool_]


def made(
    original: bytes, before: Picture, after: Picture, own: Mapping[int, Picture]
) -> tuple[bytes, int, int]:
    """Return the file with another picture, its blocks in all, and how many were encoded.

    Parameters
    ----------
    original : bytes
        A DDS or KTX2 file.
    before, after : Picture
        Of one size and space: the original's own picture, and the new one.
    own : mapping of int to Picture
        Levels with a picture of their own, of any size; blocks that are alike stay.
    """
    texture = codecs.read_texture(original)
    format_ = texture.format
    changed: Mask = np.not_equal(stored(after, format_), stored(before, format_))
    total = anew = 0
    levels: list[bytes] = []
    pictures = chain(after)
    for number, data in enumerate(texture.levels):
        if number:
            changed = _halved(changed, *texture.size(number))
        if number in own:
            picture = resize(own[number], *texture.size(number))
            new = stored(picture, format_)
            old = stored(texture.picture(picture.space, number), format_)
            level, count, encoded = _level(
                texture, number, new, np.not_equal(new, old), picture.alpha
            )
            levels.append(level)
            total += count
            anew += encoded
            continue
        if not changed.any():
            count = len(data) // FORMATS[texture.format].unit_bytes
            levels.append(data)
            total += count
            continue
        level, count, encoded = _level(
            texture, number, stored(pictures[number], format_), changed, after.alpha
        )
        levels.append(level)
        total += count
        anew += encoded
    return _file(original, tuple(levels)), total, anew


def _level(
    texture: Texture, number: int, new: blocks.Stored, changed: Mask, alpha: bool
) -> tuple[bytes, int, int]:
    """Encode what changed of one level."""
    data = texture.levels[number]
    old = shown(texture.stored(number))
    texels = np.where(changed, new, old)
    info = FORMATS[texture.format]
    if info.block == 1:
        count = changed.shape[0] * changed.shape[1]
        anew = int(changed[..., : info.channels].any(axis=2).sum())
        return blocks.encode(texture.format, texels), count, anew
    unit = info.unit_bytes
    out = np.frombuffer(data, np.uint8).reshape(-1, unit).copy()
    grid = _as_blocks(padded(texels))
    touched: Mask = np.any(_as_blocks(padded(changed.astype(np.uint8))), axis=1)
    any_part = np.zeros(len(out), bool)
    for part in FORMATS[texture.format].parts:
        hit = touched[:, list(part.channels)].any(axis=1)
        if not hit.any():
            continue
        any_part |= hit
        # The blocks to encode stand side by side in one strip.
        strip = np.ascontiguousarray(
            grid[hit].reshape(-1, 4, 4, 4).transpose(1, 0, 2, 3).reshape(4, -1, 4)
        )
        metric = CUT if alpha or bool((strip[..., 3] < _full(strip)).any()) else SEEN
        encoded = blocks.encode(texture.format, strip, metric=metric)
        fresh = np.frombuffer(encoded, np.uint8).reshape(-1, unit)
        held = slice(part.start, part.stop)
        out[hit, held] = fresh[:, held]
    return out.tobytes(), len(out), int(any_part.sum())


def _full(texels: blocks.Stored) -> float:
    """Return the number that means opaque."""
    return 1.0 if texels.dtype == np.float16 else float(np.iinfo(texels.dtype).max)


def _as_blocks(grid: blocks.Stored) -> blocks.Stored:
    """Return texels by block: (count, 16, channels)."""
    down, across = blocks_across(grid.shape[0]), blocks_across(grid.shape[1])
    cut = grid.reshape(down, 4, across, 4, -1).transpose(0, 2, 1, 3, 4)
    return np.ascontiguousarray(cut.reshape(down * across, 16, -1))


def _halved(changed: Mask, width: int, height: int) -> Mask:
    """Return which texels of the next level stand on changed ones."""
    rows, columns = changed.shape[:2]
    out = np.zeros((height, width, 4), bool)
    for down in range(-(-rows // height) + (rows % height > 0)):
        for across in range(-(-columns // width) + (columns % width > 0)):
            y = np.minimum(np.arange(height) * rows // height + down, rows - 1)
            x = np.minimum(np.arange(width) * columns // width + across, columns - 1)
            out |= changed[y[:, np.newaxis], x]
    return out


def _file(original: bytes, levels: tuple[bytes, ...]) -> bytes:
    if kind_by_content(original) is FileKind.DDS:
        return dds.with_levels(original, dds.parse(original), levels)
    return ktx2.with_levels(original, levels)
