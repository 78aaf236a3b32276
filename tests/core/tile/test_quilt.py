"""The parts of patching together, each against a plain account of what it does."""

import itertools
import unittest

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.tile.membrane import all_over
from stonestack.core.tile.quilt_kernels import Ints, gathered, lay_patch, nearest, reuse

SIDE = 12


class Laid(unittest.TestCase):
    """A ring of 30 by 40 pixels on which a part is laid, and a source of 50 by 60."""

    def setUp(self) -> None:
        rng = np.random.default_rng(3)
        self.source: Floats = rng.random((50, 60, 3), dtype=np.float32)
        self.out: Floats = rng.random((30, 40, 3), dtype=np.float32)
        self.labels: Ints = np.full((30, 40), -1, np.int32)

    def place(self, top: int, left: int) -> tuple[np.ndarray, np.ndarray]:
        rows, columns = np.arange(top, top + SIDE) % 30, np.arange(left, left + SIDE) % 40
        return np.ix_(rows, columns)

    def apart(self, row: int, column: int, pixels: Ints, wanted: Floats) -> float:
        seen = self.source[row + pixels[:, 0], column + pixels[:, 1]]
        return float(np.square(seen - wanted).sum(axis=1).mean())


class Gathering(Laid):
    def test_all_that_is_laid_is_gathered_over_the_edge_too(self) -> None:
        self.labels[:, :5] = 0
        pixels, wanted = gathered(self.out, self.labels, 25, 35, SIDE, 1000)
        # Columns 35 to 39 are bare, 0 to 4 are laid, 5 and 6 are bare.
        laid = {(i, j) for i in range(SIDE) for j in range(5, 10)}
        self.assertEqual({(int(i), int(j)) for i, j in pixels}, laid)
        for (i, j), values in zip(pixels, wanted, strict=True):
            np.testing.assert_array_equal(values, self.out[(25 + i) % 30, (35 + j) % 40])

    def test_fewer_are_spread_over_the_whole_patch_from_the_first_on(self) -> None:
        self.labels[:] = 0
        pixels, _ = gathered(self.out, self.labels, 0, 0, SIDE, 30)
        self.assertLessEqual(len(pixels), 60)
        first = pixels[:8]
        self.assertGreater(int(np.ptp(first[:, 0])), SIDE // 2)

    def test_nothing_laid_is_nothing_to_match(self) -> None:
        pixels, wanted = gathered(self.out, self.labels, 4, 4, SIDE, 100)
        self.assertEqual((len(pixels), len(wanted)), (0, 0))


class Choosing(Laid):
    def setUp(self) -> None:
        super().setUp()
        self.labels[:] = 0
        self.met = gathered(self.out, self.labels, 3, 5, SIDE, 100)
        ways = itertools.product(range(0, 38, 3), range(0, 48, 3))
        self.places: Ints = np.array(list(ways), np.int32)
        self.free = np.zeros(len(self.places), np.float32)

    def test_the_nearest_are_those_of_a_search_through_all(self) -> None:
        apart = [self.apart(r, c, *self.met) for r, c in self.places]
        wanted = self.places[np.argsort(apart)[:4]]
        got = nearest(self.source, *self.met, self.places, self.free, 4)
        np.testing.assert_array_equal(got, wanted)

    def test_a_planted_window_is_found(self) -> None:
        self.source[21:33, 30:42] = self.out[self.place(3, 5)]
        got = nearest(self.source, *self.met, self.places, self.free, 1)
        np.testing.assert_array_equal(got, [(21, 30)])

    def test_a_price_is_weighed_against_likeness(self) -> None:
        self.source[21:33, 30:42] = self.out[self.place(3, 5)]
        prices = self.free.copy()
        prices[(self.places == (21, 30)).all(axis=1)] = 100
        got = nearest(self.source, *self.met, self.places, prices, 3)
        self.assertNotIn((21, 30), [tuple(p) for p in got.tolist()])

    def test_a_window_that_is_given_twice_counts_once(self) -> None:
        twice = np.concatenate([self.places[:2], self.places[:2]])
        got = nearest(self.source, *self.met, twice, np.zeros(4, np.float32), 4)
        self.assertEqual(len(got), 2)

    def test_use_counts_by_the_square_of_what_is_shared(self) -> None:
        places = np.array([(0, 0), (0, 5), (5, 5), (0, 10)], np.int32)
        used = np.array([(0, 0), (40, 40)], np.int32)
        np.testing.assert_allclose(reuse(places, used, 10.0), [1, 0.5**2, 0.25**2, 0], atol=1e-6)


class Laying(Laid):
    def lay(
        self, top: int, left: int, overlaps: tuple[int, ...], coarse: Ints | None = None
    ) -> Ints:
        paths = np.empty((4, SIDE), np.int32)
        lay_patch(
            self.source,
            self.out,
            self.labels,
            1,
            np.array([top, left, 7, 9], np.int32),
            np.array(overlaps, np.int32),
            np.empty((4, 0), np.int32) if coarse is None else coarse,
            1.0,
            paths,
        )
        return paths

    def test_on_bare_ground_the_whole_window_is_laid(self) -> None:
        paths = self.lay(25, 35, (0, 0, 0, 0))
        np.testing.assert_array_equal(self.out[self.place(25, 35)], self.source[7:19, 9:21])
        self.assertEqual(int((self.labels == 1).sum()), SIDE * SIDE)
        self.assertTrue((paths == -1).all())

    def test_an_overlap_is_cut_where_both_are_alike(self) -> None:
        # What is laid at the left is the window itself along its third column only.
        self.labels[:, :6] = 0
        before = self.out.copy()
        self.out[4:16, 2] = self.source[7:19, 11]
        paths = self.lay(4, 0, (6, 0, 0, 0))
        self.assertTrue((np.abs(paths[0] - 2) <= 1).all(), paths[0])
        for i, cut in enumerate(paths[0]):
            np.testing.assert_array_equal(self.labels[4 + i, :cut], 0)
            np.testing.assert_array_equal(self.labels[4 + i, cut:SIDE], 1)
            np.testing.assert_array_equal(
                self.out[4 + i, : min(cut, 2)], before[4 + i, : min(cut, 2)]
            )
            np.testing.assert_array_equal(
                self.out[4 + i, cut:SIDE], self.source[7 + i, 9 + cut : 9 + SIDE]
            )

    def test_a_path_is_connected_and_stays_near_a_coarse_one(self) -> None:
        self.labels[:] = 0
        coarse = np.full((4, SIDE), 4, np.int32)
        paths = self.lay(0, 0, (9, 0, 0, 0), coarse)
        self.assertLessEqual(int(np.abs(np.diff(paths[0])).max()), 1)
        self.assertLessEqual(int(np.abs(paths[0] - 4).max()), 2)


class Membrane(unittest.TestCase):
    def test_a_field_is_had_back_from_its_own_gradients(self) -> None:
        rng = np.random.default_rng(5)
        for shape in ((64, 48, 3), (33, 50, 2)):
            field = rng.normal(size=shape).astype(np.float32)
            field -= field.mean(axis=(0, 1))
            along_x = np.roll(field, -1, axis=1) - field
            along_y = np.roll(field, -1, axis=0) - field
            for closed_x, closed_y in itertools.product((True, False), repeat=2):
                with self.subTest(shape=shape, closed_x=closed_x, closed_y=closed_y):
                    got = all_over(along_x, along_y, closed_x, closed_y)
                    np.testing.assert_allclose(got, field, atol=1e-4)


if __name__ == "__main__":
    unittest.main()
