"""Compile all kernels once, so that the first use of each is not kept waiting."""

from __future__ import annotations

import numpy as np

from stonestack.core import codecs
from stonestack.core.blocks import cutout
from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.catalogue.looks import look
from stonestack.core.image import Picture, Space
from stonestack.core.steps import STEPS
from stonestack.core.texels import to_texels
from stonestack.core.tile.boundary import CutTile, cut_tile
from stonestack.core.tile.scores import tile_scores
from stonestack.core.tile.ways import FAMILY


def compile_all() -> None:
    """Run each kernel on a small picture; compiled code is kept on disk beside its source."""
    rng = np.random.default_rng(1)
    pixels = rng.random((48, 64, 4), dtype=np.float32)
    picture = Picture(pixels, Space.LINEAR, alpha=True)
    solid = Picture(np.ascontiguousarray(pixels[..., :3]), Space.LINEAR)
    for step in STEPS.values():
        if step.family == FAMILY:
            step.apply(solid, step.params())
    tiled = cut_tile(picture, CutTile())
    tile_scores(tiled)
    for format_ in BlockFormat:
        if FORMATS[format_].written:
            texture = codecs.compress(tiled, format_)
            for level in (0, 1):
                texture.texels(level)
    texels = to_texels(tiled)
    look(texels)
    cutout.fill_holes(texels, np.zeros((texels.shape[0] * texels.shape[1] // 16, 8), np.uint8))


if __name__ == "__main__":
    compile_all()
