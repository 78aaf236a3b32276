"""Compile all kernels once, so that the first use of each is not kept waiting."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context

import numpy as np

from stonestack.core import codecs
from stonestack.core.blocks.formats import BlockFormat, Numbers
from stonestack.core.catalogue.looks import look
from stonestack.core.codecs import Making
from stonestack.core.image import Picture, Space
from stonestack.core.steps import STEPS, grain, palette
from stonestack.core.texels import to_texels
from stonestack.core.tile.boundary import CutTile, cut_tile
from stonestack.core.tile.scores import tile_scores
from stonestack.core.tile.ways import FAMILY


def _picture() -> Picture:
    pixels = np.random.default_rng(1).random((48, 64, 4), dtype=np.float32)
    return Picture(pixels, Space.LINEAR, alpha=True, wraps=True)


def compile_steps() -> None:
    """Run the kernels of steps, and those that measure tiles."""
    picture = _picture()
    solid = Picture(np.ascontiguousarray(picture.pixels[..., :3]), Space.LINEAR)
    for step in STEPS.values():
        if step.family == FAMILY:
            step.apply(solid, step.params())
    palette.palette(solid, palette.Palette(count=2, dither="diffused"))
    palette.palette(solid, palette.Palette())
    grain.grain(solid, grain.Grain())
    tile_scores(cut_tile(replace(picture, wraps=False), CutTile()))


def compile_codecs() -> None:
    """Run the kernels that store pictures and look at them."""
    picture = _picture()
    for format_ in BlockFormat:
        # What the bench stores is compiled ahead; the rest when it is first asked for.
        if format_.info.numbers is Numbers.BYTES:
            texture = codecs.compress(picture, format_, Making(mips=False))
            texture.texels()
    texels = to_texels(picture)
    look(texels)


def compile_all() -> None:
    """Run each kernel on a small picture; compiled code is kept on disk beside its source.

    Both halves share no kernel, so they are compiled side by side.
    """
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for half in [pool.submit(compile_steps), pool.submit(compile_codecs)]:
            half.result()


if __name__ == "__main__":
    compile_all()
