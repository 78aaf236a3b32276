"""Compile all kernels once, so that the first use of each is not kept waiting."""

from __future__ import annotations

import os
import sys
from concurrent.futures import as_completed
from dataclasses import replace

import numpy as np

from stonestack.core.catalogue.looks import look
from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import Making
from stonestack.core.picture.filters import edge_preserving
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.texels import to_texels
from stonestack.core.runtime import compiled
from stonestack.core.runtime.parallel import processes
from stonestack.core.steps import STEPS, fill, grain, palette
from stonestack.core.steps.derive.normal import NormalFromHeight, normal_from_height
from stonestack.core.steps.derive.occlusion import OcclusionFromHeight, occlusion_from_height
from stonestack.core.steps.placing import Place, covered, placed
from stonestack.core.tile.boundary import CutTile, cut_tile
from stonestack.core.tile.faults.residual import residual
from stonestack.core.tile.period import Lattice
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
    residual(solid.pixels, Lattice((8.0, 0.0), (0.0, 8.0), 1.0))


def compile_derivations() -> None:
    """Run the kernels of derived maps, of noise and of what is laid over."""
    picture = _picture()
    heights = Picture(np.ascontiguousarray(picture.pixels[..., :1]), Space.DATA, wraps=True)
    occlusion_from_height(heights, OcclusionFromHeight())
    normal_from_height(heights, NormalFromHeight())
    edge_preserving(heights.pixels, 2, 0.1, True)
    edge_preserving(picture.pixels[..., :3], 2, 0.1, True)
    fill.noise(heights, fill.Noise())
    place = Place(32.0, 24.0, 16.0, 16.0)
    placed(picture, picture, place)
    covered(heights, heights, place)


def compile_formats(*formats: BlockFormat) -> None:
    """Run the kernels that encode and decode some formats."""
    picture = _picture()
    for format_ in formats:
        codecs.compress(picture, format_, Making(mips=False)).texels()


def compile_scalars() -> None:
    """Run the kernels of single channels, and those that look at pictures."""
    compile_formats(*SCALARS)
    look(to_texels(_picture()))


SCALARS = (BlockFormat.BC4, BlockFormat.BC5)
COLOURS = (BlockFormat.BC1, BlockFormat.BC2)
LATER = (BlockFormat.BC3,)
"""Made of the same kernels as the others."""


def load_all() -> None:
    """Run all kernels here; those that are compiled already are only loaded."""
    compile_formats(BlockFormat.BC7, *COLOURS, *LATER)
    compile_steps()
    compile_scalars()
    compile_derivations()


def compile_all() -> None:
    """Run each kernel on a small picture; compiled code is kept on disk beside its source.

    What takes longest begins first, and no two parts share a kernel: they are compiled side by
    side. What the bench does not store is compiled when it is first asked for.
    """
    state = compiled.state()
    # Not this module: it is the one that is run.
    with processes("stonestack.core.steps", 2) as pool:
        parts = [
            pool.submit(compile_formats, BlockFormat.BC7),
            pool.submit(compile_steps),
            pool.submit(compile_formats, *COLOURS),
            pool.submit(compile_scalars),
            pool.submit(compile_derivations),
        ]
        for part in as_completed(parts):
            part.result()
            if not _told("a part is done"):
                pool.shutdown(cancel_futures=True)
                return
    compile_formats(*LATER)
    compiled.mark(state)


def _told(words: str) -> bool:
    """Print; tell whether anybody listens: the server that asked for it may have ended."""
    try:
        print(words, flush=True)
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return False
    return True


if __name__ == "__main__":
    compile_all()
