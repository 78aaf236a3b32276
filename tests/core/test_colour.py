import unittest

import numpy as np

from stonestack.core import colour


class TransferFunction(unittest.TestCase):
    def test_known_values_of_the_standard(self) -> None:
        # 0.5 encodes 0.21404; 0.04045 is where the straight part ends, at 0.0031308.
        got = colour.to_linear(np.array([0, 0.04045, 0.5, 1], np.float32))
        np.testing.assert_allclose(got, [0, 0.0031308, 0.2140411, 1], atol=2e-6)

    def test_every_stored_value_comes_back(self) -> None:
        stored = np.arange(256, dtype=np.uint8)
        back = colour.linear_to_bytes(colour.bytes_to_linear(stored))
        np.testing.assert_array_equal(back, stored)

    def test_the_table_rounds_as_the_formula_does(self) -> None:
        linear = np.random.default_rng(2).random(20_000, dtype=np.float32)
        exact = colour.to_bytes(colour.to_srgb(linear)).astype(int)
        off = np.abs(colour.linear_to_bytes(linear).astype(int) - exact)
        self.assertLessEqual(off.max(), 1)
        self.assertLess((off > 0).mean(), 0.01)

    def test_values_outside_are_clipped_and_never_wrap_round(self) -> None:
        got = colour.linear_to_bytes(np.array([-3, 7], np.float32))
        np.testing.assert_array_equal(got, [0, 255])


class Luminance(unittest.TestCase):
    def test_white_is_one_and_green_weighs_most(self) -> None:
        pixels = np.array([[[1, 1, 1], [0, 1, 0]]], np.float32)
        np.testing.assert_allclose(colour.luminance(pixels)[0, :, 0], [1, 0.7152], atol=1e-6)

    def test_lightness_of_grey_is_its_stored_value(self) -> None:
        grey = colour.to_linear(np.full((1, 1, 3), 0.6, np.float32))
        self.assertAlmostEqual(float(colour.lightness(grey)[0, 0, 0]), 0.6, places=4)
