"""Compile all kernels once, so that the first use of each is not kept waiting."""

from __future__ import annotations

import numpy as np

from stonestack.core import codecs
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.image import Picture, Space
from stonestack.core.tile.boundary import MakeTile, make_tile


def compile_all() -> None:
    """Run each kernel on a small picture; compiled code is kept on disk beside its source."""
    rng = np.random.default_rng(1)
    pixels = rng.random((48, 64, 4), dtype=np.float32)
    picture = Picture(pixels, Space.LINEAR, alpha=True)
    tiled = make_tile(picture, MakeTile())
    for format_ in BlockFormat:
        for level in (0, 1):
            codecs.compress(tiled, format_).texels(level)


if __name__ == "__main__":
    compile_all()
