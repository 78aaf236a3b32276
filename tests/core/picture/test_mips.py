"""Smaller levels, by what their numbers mean."""

from __future__ import annotations

import unittest

import numpy as np

from stonestack.core.files import codecs
from stonestack.core.files.blocks import BlockFormat
from stonestack.core.files.codecs import Making
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.mips import MipFilter, chain
from stonestack.core.picture.spread import spread
from stonestack.core.picture.texels import to_texels

FILTERS: tuple[MipFilter, ...] = ("kaiser", "box", "lanczos", "nearest")


def bumps(side: int, steep: float) -> Picture:
    """Return normals of a field of bumps, two texels a bump."""
    rng = np.random.default_rng(1)
    slopes = rng.normal(0, steep, (side, side, 2)).astype(np.float32)
    vectors = np.concatenate([slopes, np.ones((side, side, 1), np.float32)], axis=2)
    vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
    return Picture(vectors, Space.VECTOR, wraps=True)


def leaves(side: int) -> Picture:
    """Return green colour, cut out by discs with hard rims."""
    y, x = np.mgrid[:side, :side]
    seen = (np.hypot(x % 16 - 8, y % 16 - 8) < 5.4).astype(np.float32)
    pixels = np.full((side, side, 4), 0.2, np.float32)
    pixels[..., 1], pixels[..., 3] = 0.6, seen
    return Picture(pixels, Space.LINEAR, alpha=True, wraps=True)


class Sizes(unittest.TestCase):
    def test_every_size_goes_down_to_one_texel_by_each_filter(self) -> None:
        rng = np.random.default_rng(2)
        for height, width in ((1, 1), (7, 12), (5, 64), (33, 1)):
            pixels = rng.random((height, width, 3), np.float32)
            for filter_ in FILTERS:
                for wraps in (False, True):
                    levels = chain(Picture(pixels, Space.LINEAR, wraps=wraps), filter_)
                    sizes = [(p.width, p.height) for p in levels]
                    wanted = [(max(1, width >> n), max(1, height >> n)) for n in range(len(levels))]
                    self.assertEqual(sizes, wanted)
                    self.assertEqual(sizes[-1], (1, 1))
                    self.assertTrue(all(np.isfinite(p.pixels).all() for p in levels))

    def test_a_plain_picture_stays_what_it_is(self) -> None:
        for space, value in ((Space.LINEAR, 0.3), (Space.DATA, 0.7)):
            channels = 3 if space is Space.LINEAR else 1
            picture = Picture(np.full((24, 40, channels), value, np.float32), space)
            for filter_ in FILTERS:
                for level in chain(picture, filter_):
                    np.testing.assert_allclose(level.pixels, value, atol=1e-5)


class Filters(unittest.TestCase):
    def test_levels_move_with_a_tile_that_wraps(self) -> None:
        rng = np.random.default_rng(3)
        picture = Picture(rng.random((32, 32, 3), np.float32), Space.LINEAR, wraps=True)
        moved = picture.with_pixels(np.roll(picture.pixels, (8, 16), (0, 1)))
        for filter_ in FILTERS:
            pairs = list(zip(chain(picture, filter_), chain(moved, filter_), strict=True))[:4]
            for n, (a, b) in enumerate(pairs):
                shifted = np.roll(a.pixels, (8 >> n, 16 >> n), (0, 1))
                np.testing.assert_allclose(shifted, b.pixels, atol=1e-5)

    def test_what_does_not_wrap_is_not_mixed_across_its_edges(self) -> None:
        ramp = np.repeat(np.linspace(0, 1, 64, dtype=np.float32)[np.newaxis], 64, axis=0)
        picture = Picture(ramp[..., np.newaxis], Space.DATA)
        for filter_ in FILTERS:
            first = chain(picture, filter_)[1].pixels
            self.assertLess(float(first[:, 0].max()), 0.05)
            self.assertGreater(float(first[:, -1].min()), 0.95)

    def test_stripes_too_fine_become_an_even_grey_but_stay_with_nearest(self) -> None:
        stripes = np.tile(np.array([0, 1], np.float32), (32, 16))[..., np.newaxis]
        picture = Picture(np.ascontiguousarray(stripes), Space.DATA, wraps=True)
        for filter_ in ("kaiser", "box", "lanczos"):
            np.testing.assert_allclose(chain(picture, filter_)[1].pixels, 0.5, atol=0.02)
        self.assertIn(float(chain(picture, "nearest")[1].pixels[0, 0, 0]), (0.0, 1.0))

    def test_colour_is_averaged_in_linear_light(self) -> None:
        board = np.indices((16, 16)).sum(axis=0) % 2
        pixels = np.repeat(board[..., np.newaxis], 3, axis=2).astype(np.float32)
        level = chain(Picture(pixels, Space.LINEAR, wraps=True), "box")[1]
        # Half the light is 188 of 255 when stored, not 128.
        self.assertEqual(int(to_texels(level)[0, 0, 0]), 188)


class Cut(unittest.TestCase):
    def test_as_much_is_seen_of_every_level_as_of_the_first(self) -> None:
        picture = leaves(128)
        share = float((picture.pixels[..., 3] >= 0.5).mean())
        for filter_ in ("kaiser", "box", "lanczos"):
            for n, level in enumerate(chain(picture, filter_)[:6]):
                seen = float((to_texels(level)[..., 3] >= 128).mean())
                self.assertAlmostEqual(seen, share, delta=max(0.02, 1.01 * 4**n / 128**2))

    def test_it_stays_so_in_the_blocks_that_leave(self) -> None:
        texture = codecs.compress(leaves(128), BlockFormat.BC3)
        share = float((texture.texels()[..., 3] >= 128).mean())
        for level in range(1, 5):
            seen = float((texture.texels(level)[..., 3] >= 128).mean())
            self.assertAlmostEqual(seen, share, delta=0.06)

    def test_soft_alpha_is_only_averaged(self) -> None:
        pixels = leaves(64).pixels.copy()
        pixels[..., 3] = np.linspace(0, 1, 64)
        level = chain(Picture(pixels, Space.LINEAR, alpha=True), "box")[3]
        np.testing.assert_allclose(level.pixels[0, :, 3], np.linspace(0.055, 0.945, 8), atol=0.01)

    def test_a_mask_of_its_own_is_treated_alike_when_it_is_one(self) -> None:
        alpha = leaves(128).pixels[..., 3:]
        picture = Picture(np.ascontiguousarray(alpha), Space.DATA, wraps=True)
        share = float((alpha >= 0.5).mean())
        masked = chain(picture, mask=True)[4].pixels
        plain = chain(picture)[4].pixels
        self.assertAlmostEqual(float((masked >= 0.5).mean()), share, delta=0.02)
        self.assertNotAlmostEqual(float((plain >= 0.5).mean()), share, delta=0.2)

    def test_no_dark_rim_comes_of_colour_that_is_not_seen(self) -> None:
        pixels = leaves(64).pixels.copy()
        pixels[pixels[..., 3] == 0, :3] = 0
        for level in chain(spread(Picture(pixels, Space.LINEAR, alpha=True, wraps=True))):
            self.assertGreater(float(level.pixels[..., 1].min()), 0.55)


class Normals(unittest.TestCase):
    def test_every_level_is_of_unit_length(self) -> None:
        for level in chain(bumps(64, 0.8)):
            lengths = np.linalg.norm(level.pixels, axis=2)
            np.testing.assert_allclose(lengths, 1, atol=1e-5)

    def test_means_are_carried_on_before_they_are_brought_to_length(self) -> None:
        picture = bumps(64, 1.5)
        mean = picture.pixels.mean(axis=(0, 1))
        last = chain(picture, "box")[-1].pixels[0, 0]
        np.testing.assert_allclose(last, mean / np.linalg.norm(mean), atol=1e-4)


class Gloss(unittest.TestCase):
    def test_far_gloss_falls_where_normals_spread_and_roughness_rises(self) -> None:
        gloss = Picture(np.full((64, 64, 1), 0.9, np.float32), Space.DATA, wraps=True)
        rough = Picture(np.full((64, 64, 1), 0.1, np.float32), Space.DATA, wraps=True)
        for normals, falls in ((bumps(64, 0.5), True), (bumps(64, 0.0), False)):
            shiny = chain(gloss, gloss="gloss", normals=normals)
            dull = chain(rough, gloss="roughness", normals=normals)
            np.testing.assert_array_equal(shiny[0].pixels, gloss.pixels)
            means = [float(level.pixels.mean()) for level in shiny]
            np.testing.assert_allclose(
                [float(level.pixels.mean()) for level in dull], 1 - np.array(means), atol=1e-5
            )
            if falls:
                self.assertLess(means[3], 0.5)
                self.assertEqual(means, sorted(means, reverse=True))
            else:
                np.testing.assert_allclose(means, 0.9, atol=1e-5)

    def test_the_factor_is_that_of_the_paper(self) -> None:
        # Two normals at 30 degrees either side of up: their mean is cos 30 degrees long.
        lean = np.array([[0.5, 0, np.sqrt(0.75)], [-0.5, 0, np.sqrt(0.75)]], np.float32)
        normals = Picture(np.tile(lean[np.newaxis], (2, 1, 1)), Space.VECTOR)
        gloss = Picture(np.full((2, 2, 1), 0.8, np.float32), Space.DATA)
        level = chain(gloss, "box", gloss="gloss", normals=normals)[1]
        exponent = 2 / 0.2**4 - 2
        length = np.sqrt(0.75)
        wider = exponent * length / (length + exponent * (1 - length))
        self.assertAlmostEqual(float(level.pixels[0, 0, 0]), 1 - (2 / (wider + 2)) ** 0.25, 5)

    def test_it_reaches_the_texture(self) -> None:
        gloss = Picture(np.full((32, 32, 1), 0.9, np.float32), Space.DATA, wraps=True)
        making = Making(gloss="gloss")
        texture = codecs.compress(gloss, BlockFormat.BC4, making, bumps(32, 0.6))
        self.assertLess(int(texture.texels(2).max()), 160)


if __name__ == "__main__":
    unittest.main()
