import unittest

import numpy as np

from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.mips import chain
from stonestack.core.picture.resize import nearest_powers_of_two, resize
from tests.support import noise


class Resize(unittest.TestCase):
    def test_an_even_picture_stays_even(self) -> None:
        flat = Picture(np.full((37, 53, 3), 0.3, np.float32), Space.LINEAR)
        for width, height in ((16, 64), (128, 8), (64, 64)):
            np.testing.assert_allclose(resize(flat, width, height).pixels, 0.3, atol=1e-5)

    def test_a_wave_on_a_ring_keeps_its_form(self) -> None:
        def wave(n: int) -> np.ndarray:
            return 0.5 + 0.3 * np.sin(2 * np.pi * 3 * (np.arange(n) + 0.5) / n)

        row = np.tile(wave(90).astype(np.float32)[np.newaxis, :, np.newaxis], (8, 1, 1))
        for target in (64, 128):
            got = resize(Picture(row, Space.DATA, wraps=True), target, 8).pixels[0, :, 0]
            np.testing.assert_allclose(got, wave(target), atol=0.01)

    def test_a_tile_that_is_shifted_first_gives_the_shifted_result(self) -> None:
        pixels = noise(96, 64, wraps=True)
        plain = resize(Picture(pixels, Space.LINEAR, wraps=True), 48, 32).pixels
        moved = np.roll(pixels, (10, 24), axis=(0, 1))
        shifted = resize(Picture(moved, Space.LINEAR, wraps=True), 48, 32).pixels
        np.testing.assert_allclose(np.roll(plain, (5, 12), axis=(0, 1)), shifted, atol=1e-5)

    def test_what_is_finer_than_the_new_spacing_does_not_alias(self) -> None:
        stripes = np.zeros((8, 256, 1), np.float32)
        stripes[:, ::2] = 1
        got = resize(Picture(stripes, Space.DATA, wraps=True), 100, 8).pixels
        self.assertLess(np.ptp(got), 0.02)

    def test_normals_stay_unit_length(self) -> None:
        vectors = noise(50, 40) * 2 - 1
        vectors[..., 2] = 0.6
        unit = vectors / np.linalg.norm(vectors, axis=2, keepdims=True)
        got = resize(Picture(unit.astype(np.float32), Space.VECTOR), 32, 64).pixels
        np.testing.assert_allclose(np.linalg.norm(got, axis=2), 1, atol=1e-5)

    def test_colour_that_is_not_seen_does_not_bleed(self) -> None:
        pixels = np.zeros((16, 16, 4), np.float32)
        pixels[:, :8] = [1, 0, 0, 1]
        pixels[:, 8:] = [0, 1, 0, 0]
        got = resize(Picture(pixels, Space.LINEAR, alpha=True), 8, 8).pixels
        seen = got[..., 3] > 0.01
        self.assertGreater(got[seen][:, 0].min(), 0.98)
        self.assertLess(got[seen][:, 1].max(), 0.02)

    def test_of_two_sides_those_powers_are_taken_that_stretch_little_and_are_near(self) -> None:
        wanted = {(1473, 1121): (1024, 1024), (1209, 1097): (1024, 1024), (900, 430): (1024, 512)}
        wanted |= {(1275, 850): (1024, 1024), (2000, 900): (2048, 1024)}
        wanted |= {(300, 300): (256, 256), (3, 3): (4, 4), (9000, 9000): (2048, 2048)}
        for sides, size in wanted.items():
            self.assertEqual(nearest_powers_of_two(*sides, 2048), size)

    def test_black_and_white_average_to_half_the_light(self) -> None:
        checks = np.zeros((2, 2, 3), np.float32)
        checks[0, 0] = checks[1, 1] = 1
        top = chain(Picture(checks, Space.LINEAR))[-1]
        np.testing.assert_allclose(top.pixels, 0.5, atol=1e-6)

    def test_colour_is_weighted_by_alpha(self) -> None:
        pixels = np.array([[[1, 0, 0, 1], [0, 1, 0, 0]], [[1, 0, 0, 1], [0, 1, 0, 0]]], np.float32)
        top = chain(Picture(pixels, Space.LINEAR, alpha=True))[-1]
        np.testing.assert_allclose(top.pixels[0, 0], [1, 0, 0, 0.5], atol=1e-6)

    def test_normals_are_averaged_as_vectors_and_brought_to_unit_length(self) -> None:
        s = np.float32(np.sqrt(0.5))
        left, right = [-s, 0, s], [s, 0, s]
        pixels = np.array([[left, right], [left, right]], np.float32)
        top = chain(Picture(pixels, Space.VECTOR))[-1]
        np.testing.assert_allclose(top.pixels[0, 0], [0, 0, 1], atol=1e-6)

    def test_data_is_averaged_as_it_is(self) -> None:
        pixels = np.array([[[0.1], [0.2]], [[0.3], [0.8]]], np.float32)
        self.assertAlmostEqual(
            float(chain(Picture(pixels, Space.DATA))[-1].pixels[0, 0, 0]), 0.35, 6
        )

    def test_levels_go_down_to_one_texel(self) -> None:
        levels = chain(Picture(noise(32, 8), Space.LINEAR))
        sizes = [(level.width, level.height) for level in levels]
        self.assertEqual(sizes, [(32, 8), (16, 4), (8, 2), (4, 1), (2, 1), (1, 1)])
