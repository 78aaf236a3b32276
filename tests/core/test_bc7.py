"""BC7 as we write it, read by Pillow's own decoder; BC2 and BC6H as we read them."""

from __future__ import annotations

import unittest

import numpy as np

from stonestack.core import blocks
from stonestack.core.blocks import BlockFormat
from stonestack.core.metrics import psnr
from tests.support import photograph


class Bptc(unittest.TestCase):
    def test_photographs_come_back_well_above_bc3(self) -> None:
        for name, least in (("coffee", 43.0), ("chelsea", 48.5)):
            texels = photograph(name, 256 * 4)
            back = blocks.decode(
                BlockFormat.BC7, blocks.encode(BlockFormat.BC7, texels), 1024, 1024
            )
            self.assertGreater(psnr(texels, back), least)

    def test_plain_colours_are_exact_to_one_and_opaque_stays_opaque(self) -> None:
        rng = np.random.default_rng(1)
        colours = rng.integers(0, 256, (64, 3), dtype=np.uint8)
        texels = np.full((4, 256, 4), 255, np.uint8)
        texels[..., :3] = np.repeat(colours, 4, axis=0)
        back = blocks.decode(BlockFormat.BC7, blocks.encode(BlockFormat.BC7, texels), 256, 4)
        self.assertLessEqual(int(np.abs(back.astype(int) - texels).max()), 1)
        self.assertEqual(int(back[..., 3].min()), 255)

    def test_alpha_is_kept_beside_colour(self) -> None:
        texels = photograph("astronaut", 256).copy()
        texels[..., 3] = np.linspace(0, 255, 256, dtype=np.uint8)
        back = blocks.decode(BlockFormat.BC7, blocks.encode(BlockFormat.BC7, texels), 256, 256)
        self.assertGreater(psnr(texels[..., 3], back[..., 3]), 33)

    def test_bc2_keeps_four_bits_of_alpha(self) -> None:
        texels = np.full((8, 8, 4), 120, np.uint8)
        texels[..., 3] = np.arange(64, dtype=np.uint8).reshape(8, 8) * 4
        back = blocks.decode(BlockFormat.BC2, blocks.encode(BlockFormat.BC2, texels), 8, 8)
        self.assertLessEqual(int(np.abs(back[..., 3].astype(int) - texels[..., 3]).max()), 9)


if __name__ == "__main__":
    unittest.main()
