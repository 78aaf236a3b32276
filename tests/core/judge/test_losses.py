"""What compression costs: only what is seen counts."""

from __future__ import annotations

import unittest

import numpy as np

from stonestack.core.files import codecs
from stonestack.core.files.blocks import BlockFormat
from stonestack.core.judge.losses import loss
from stonestack.core.picture.image import Picture, Space


def cut_out() -> Picture:
    """Return noise with a clear disc, pink under it."""
    rng = np.random.default_rng(1)
    pixels = np.ones((64, 64, 4), np.float32)
    pixels[..., :3] = 0.3 + 0.1 * rng.random((64, 64, 3))
    y, x = np.mgrid[:64, :64]
    clear = np.hypot(x - 32, y - 32) < 20
    pixels[clear] = [1, 0, 1, 0]
    return Picture(pixels, Space.LINEAR, alpha=True)


class Cut(unittest.TestCase):
    def test_colour_under_clear_texels_costs_nothing(self) -> None:
        picture = cut_out()
        self.assertIsNone(loss(picture, codecs.compress(picture, BlockFormat.RGBA8)).psnr)

    def test_holes_cost_what_is_seen_of_them(self) -> None:
        picture = cut_out()
        hard = loss(picture, codecs.compress(picture, BlockFormat.BC1)).psnr
        pixels = picture.pixels.copy()
        pixels[..., 3] = np.linspace(0, 1, 64)
        soft = picture.with_pixels(pixels)
        ruined = loss(soft, codecs.compress(soft, BlockFormat.BC1)).psnr
        assert hard is not None
        assert ruined is not None
        self.assertGreater(hard, 30)
        self.assertLess(ruined, 20)


if __name__ == "__main__":
    unittest.main()
