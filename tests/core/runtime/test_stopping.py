import time
import unittest

import numpy as np

from stonestack.core.runtime.errors import Cancelled
from stonestack.core.runtime.parallel import cores, over_bands
from stonestack.core.runtime.stopping import check, stoppable
from stonestack.core.tile.quilt import QuiltTile, quilt_tile
from tests.core.tile.test_ways import raw
from tests.sizes import times


class Bands(unittest.TestCase):
    def met(self) -> list[tuple[int, int]]:
        bands: list[tuple[int, int]] = []
        over_bands(lambda a, b: bands.append((a, b)), 1000, 10)
        return sorted(bands)

    def test_every_unit_is_met_once_however_fine_the_bands_are(self) -> None:
        plain = self.met()
        with stoppable(lambda: False):
            fine = self.met()
        for bands in (plain, fine):
            units = np.concatenate([np.arange(a, b) for a, b in bands])
            np.testing.assert_array_equal(units, np.arange(1000))
        self.assertEqual(len(plain), cores())
        self.assertGreater(len(fine), len(plain))

    def test_bands_after_a_stop_are_not_begun(self) -> None:
        begun: list[int] = []
        with self.assertRaises(Cancelled), stoppable(lambda: len(begun) >= 3):
            over_bands(lambda a, _b: begun.append(a), 1000, 10)
        self.assertLess(len(begun), 3 + cores())
        check()

    def test_inside_a_band_work_is_stopped_too(self) -> None:
        asked = [False]

        def band(_start: int, _stop: int) -> None:
            asked[0] = True
            over_bands(lambda _a, _b: self.fail("went on"), 100, 1)

        with self.assertRaises(Cancelled), stoppable(lambda: asked[0]):
            over_bands(band, 2)


class Steps(unittest.TestCase):
    def test_a_tile_is_the_same_whether_it_could_be_stopped_or_not(self) -> None:
        picture = raw("bricks", 200)
        plain = quilt_tile(picture, QuiltTile())
        with stoppable(lambda: False):
            could = quilt_tile(picture, QuiltTile())
        np.testing.assert_array_equal(plain.pixels, could.pixels)

    def test_a_long_step_stops_soon_after_it_is_asked_to(self) -> None:
        picture = raw("stochastic", times(900, 600))
        quilt_tile(raw("stochastic", 200), QuiltTile())
        start = time.perf_counter()
        quilt_tile(picture, QuiltTile(width=2, height=2))
        whole = time.perf_counter() - start
        start = time.perf_counter()
        with (
            self.assertRaises(Cancelled),
            stoppable(lambda: time.perf_counter() - start > whole / 8),
        ):
            quilt_tile(picture, QuiltTile(width=2, height=2))
        self.assertLess(time.perf_counter() - start, whole * 0.75)
