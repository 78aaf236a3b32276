"""Medians and quantiles by sorting."""

import unittest

import numpy as np

from stonestack.core.picture.measures.quantiles import median, quantiles


class Quantiles(unittest.TestCase):
    """Against those of NumPy, which selects instead of sorting."""

    def test_over_all_and_along_each_axis(self) -> None:
        shares = (0.0, 0.05, 0.5, 0.875, 0.995, 1.0)
        for shape in ((1,), (2,), (7,), (8, 320), (3, 4, 5)):
            values = np.random.default_rng(3).normal(size=shape).astype(np.float32)
            for axis in (None, *range(len(shape)), -1):
                wanted = np.quantile(values.astype(np.float64), shares, axis=axis)
                np.testing.assert_allclose(quantiles(values, shares, axis), wanted, atol=1e-6)
                middle = np.median(values, axis=axis, keepdims=axis is not None)
                np.testing.assert_allclose(median(values, axis), middle, atol=1e-6)

    def test_whole_numbers_do_not_run_over(self) -> None:
        texels = np.array([250, 255, 1, 254], np.uint8)
        self.assertEqual(float(median(texels)), 252.0)
