"""Work over all cores gives what it gives on one, to the last bit."""

from __future__ import annotations

import os
import signal
import sys
import unittest
from unittest.mock import patch

import numpy as np

from stonestack.core.picture import colour, perceptual
from stonestack.core.picture.filters import box
from stonestack.core.picture.image import Floats
from stonestack.core.runtime import parallel, stopping
from stonestack.core.runtime.parallel import over_bands, processes, texelwise
from tests.support import noise

PICTURE = noise(333, 517, 3, 4)


class Bands(unittest.TestCase):
    def test_they_cover_all_once_and_small_units_in_whole_vectors(self) -> None:
        for count in (1, 63, 64, 1000, 70_001):
            for least in (1, 64, 5000):
                with self.subTest(count=count, least=least):
                    seen = np.zeros(count, int)
                    starts: list[int] = []

                    def work(a: int, b: int, seen=seen, starts=starts) -> None:  # type: ignore[no-untyped-def]
                        seen[a:b] += 1
                        starts.append(a)

                    over_bands(work, count, least)
                    self.assertTrue((seen == 1).all())
                    if least >= 64:
                        self.assertFalse([a for a in starts if a % 64])

    def test_results_do_not_depend_on_how_many_there_are(self) -> None:
        works = {
            "encoded": colour.to_seen,
            "decoded": colour.from_seen,
            "lab": perceptual.to_lab,
            "light": lambda v: perceptual.from_lab(perceptual.to_lab(v)),
            "box": lambda v: box(v, 7, True),
            "texelwise": lambda v: texelwise(lambda rows: np.sqrt(rows) / 3 + rows, v),
        }
        for name, work in works.items():
            with self.subTest(name):
                one = work(PICTURE)
                with patch.object(parallel, "cores", lambda: 7):
                    np.testing.assert_array_equal(work(PICTURE), one)
                with stopping.stoppable(lambda: False):
                    np.testing.assert_array_equal(work(PICTURE), one)


class Texelwise(unittest.TestCase):
    def test_it_is_the_work_on_the_whole(self) -> None:
        def work(values: Floats, share: Floats) -> Floats:
            return values[..., :2] * share[..., np.newaxis] + np.float32(0.25)

        share = np.ascontiguousarray(PICTURE[..., 0])
        for height in (1, 31, 32, 333):
            with self.subTest(height=height):
                one = texelwise(work, PICTURE[:height], share[:height])
                np.testing.assert_array_equal(one, work(PICTURE[:height], share[:height]))

    def test_an_error_in_some_rows_is_the_error_of_all(self) -> None:
        def work(rows: Floats) -> Floats:
            if (rows > 2).any():
                raise ValueError("too bright")
            return rows

        bright = PICTURE.copy()
        bright[300] = 3
        with self.assertRaisesRegex(ValueError, "too bright"):
            texelwise(work, bright)


def _begun_by(_number: int) -> tuple[int, int]:
    return os.getpid(), os.getppid()


class Processes(unittest.TestCase):
    @unittest.skipUnless(hasattr(os, "fork"), "needs fork")
    def test_a_child_that_is_forked_has_threads_of_its_own(self) -> None:
        done = np.zeros(1000, int)

        def work(a: int, b: int) -> None:
            done[a:b] += 1

        over_bands(work, len(done))
        child = os.fork()
        if child == 0:
            signal.alarm(20)  # Without threads it waits for ever.
            over_bands(work, len(done))
            os._exit(0 if (done == 2).all() else 1)
        _, status = os.waitpid(child, 0)
        self.assertEqual(status, 0)
        self.assertTrue((done == 1).all())

    @unittest.skipUnless(sys.platform == "linux", "elsewhere each loads what it needs")
    def test_they_are_forked_from_one_that_is_not_this(self) -> None:
        with processes("stonestack.core.picture.image", 2) as pool:
            told = set(pool.map(_begun_by, range(40)))
        self.assertEqual(len({parent for _, parent in told}), 1)
        self.assertNotIn(os.getpid(), {pid for both in told for pid in both})


class Box(unittest.TestCase):
    def test_it_is_the_mean_over_the_square_carried_on_or_reflected(self) -> None:
        small = PICTURE[:40, :57]
        for wraps in (True, False):
            for radius in (1, 6, 39, 70):
                with self.subTest(wraps=wraps, radius=radius):
                    side, edge = 2 * radius + 1, ((radius, radius), (radius, radius), (0, 0))
                    padded = np.pad(small.astype(float), edge, "wrap" if wraps else "symmetric")
                    sums = np.pad(padded.cumsum(0).cumsum(1), ((1, 0), (1, 0), (0, 0)))
                    whole = sums[side:, side:] - sums[:-side, side:] - sums[side:, :-side]
                    expected = (whole + sums[:-side, :-side]) / side**2
                    np.testing.assert_allclose(box(small, radius, wraps), expected, atol=2e-7)
