import unittest

import numpy as np

from stonestack.core.picture import colour


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

    def test_the_fast_way_there_and_back_keeps_to_the_standard(self) -> None:
        # What sixteen bits hold, and what is close to ends; the formulas in double precision.
        ends = [1e-7, 1e-5, 0.0031308, 0.0031309, 0.04045, 0.04046, 1 - 1e-6]
        x = np.concatenate([np.arange(65536) / 65535, ends]).astype(np.float32)
        wide = x.astype(np.float64)
        high = 1.055 * wide ** (1 / 2.4) - 0.055
        encoded = np.where(wide <= 0.0031308, wide * 12.92, high)
        decoded = np.where(wide <= 0.04045, wide / 12.92, ((wide + 0.055) / 1.055) ** 2.4)
        np.testing.assert_allclose(colour.to_seen(x), encoded, atol=5e-7)
        np.testing.assert_allclose(colour.from_seen(x), decoded, atol=8e-7)
        outside = np.array([-0.5, 0, 1.5], np.float32)
        for there in (colour.to_seen, colour.from_seen):
            np.testing.assert_allclose(there(outside), [0, 0, 1], atol=5e-7)


class Luminance(unittest.TestCase):
    def test_white_is_one_and_green_weighs_most(self) -> None:
        pixels = np.array([[[1, 1, 1], [0, 1, 0]]], np.float32)
        np.testing.assert_allclose(colour.luminance(pixels)[0, :, 0], [1, 0.7152], atol=1e-6)

    def test_lightness_of_grey_is_its_stored_value(self) -> None:
        grey = colour.to_linear(np.full((1, 1, 3), 0.6, np.float32))
        self.assertAlmostEqual(float(colour.lightness(grey)[0, 0, 0]), 0.6, places=4)
