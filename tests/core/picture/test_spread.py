import unittest

import numpy as np

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.mips import chain
from stonestack.core.picture.resize import resize
from stonestack.core.picture.spread import spread


def disc(side: int, under: float, wraps: bool = False) -> Picture:
    """Return a disc of one colour, cut out of another that alpha hides."""
    y, x = np.mgrid[:side, :side]
    inside = np.hypot(x - side / 2 + 0.5, y - side / 2 + 0.5) < side * 0.33
    pixels = np.full((side, side, 4), under, np.float32)
    pixels[inside, :3] = 0.8
    pixels[..., 3] = inside
    return Picture(pixels, Space.LINEAR, alpha=True, wraps=wraps)


class ClearTexels(unittest.TestCase):
    def test_no_rim_at_any_size_or_level(self) -> None:
        for under in (0.0, 1.0):
            for wraps in (False, True):
                picture = disc(96, under, wraps)
                for width, height in ((64, 64), (40, 72), (128, 128)):
                    got = resize(picture, width, height)
                    np.testing.assert_allclose(got.body, 0.8, atol=2e-3)
                for level in chain(spread(picture)):
                    np.testing.assert_allclose(level.body, 0.8, atol=2e-3)

    def test_a_stored_texture_has_none_either(self) -> None:
        texture = codecs.compress(disc(64, 0.0), BlockFormat.RGBA8)
        for level in range(len(texture.levels)):
            body = texture.texels(level)[..., :3]
            self.assertGreaterEqual(int(body.min()), int(body.max()) - 1)

    def test_what_is_seen_stays_as_it_is(self) -> None:
        picture = disc(48, 0.0)
        seen = picture.pixels[..., 3] > 0
        np.testing.assert_array_equal(spread(picture).pixels[seen], picture.pixels[seen])
        np.testing.assert_array_equal(spread(picture).opacity, picture.opacity)

    def test_a_picture_that_is_clear_all_over_is_left_alone(self) -> None:
        empty = Picture(np.zeros((8, 8, 4), np.float32), Space.LINEAR, alpha=True)
        self.assertIs(spread(empty), empty)

    def test_the_colour_comes_from_the_nearest(self) -> None:
        pixels = np.zeros((16, 16, 4), np.float32)
        pixels[:, :2] = (0.2, 0.2, 0.2, 1)
        pixels[:, 14:] = (0.9, 0.9, 0.9, 1)
        got = spread(Picture(pixels, Space.LINEAR, alpha=True)).body[8, :, 0]
        self.assertAlmostEqual(float(got[3]), 0.2, delta=0.01)
        self.assertAlmostEqual(float(got[12]), 0.9, delta=0.01)


if __name__ == "__main__":
    unittest.main()
