import tracemalloc
import unittest

import numpy as np
from PIL import Image

from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import Filter, resample, resize
from stonestack.core.tables.sizing import Fit, Size, fitted, proposals, visible_area
from stonestack.core.tile.seam import seam_score
from tests.core.tile import defects
from tests.support import noise


class Filters(unittest.TestCase):
    def test_every_filter_keeps_a_level_field_level(self) -> None:
        level = np.full((40, 60, 3), 0.37, np.float32)
        for name in ("lanczos", "mitchell", "box", "nearest"):
            for width, height in ((17, 90), (120, 11)):
                got = resample(level, width, height, name, False)
                np.testing.assert_allclose(got, 0.37, atol=1e-5)

    def test_nearest_gives_what_another_library_gives(self) -> None:
        pixels = (noise(37, 23) * 255).astype(np.uint8)
        for width, height in ((74, 46), (12, 9), (111, 23)):
            ours = resample(pixels.astype(np.float32), width, height, "nearest", False)
            theirs = Image.fromarray(pixels).resize((width, height), Image.Resampling.NEAREST)
            np.testing.assert_array_equal(ours.astype(np.uint8), np.asarray(theirs))

    def test_the_sharper_filter_keeps_more_of_the_finest_detail(self) -> None:
        fine = noise(200, 200, 4, 3)
        kept = {}
        filters: tuple[Filter, ...] = ("lanczos", "mitchell")
        for name in filters:
            kept[name] = float(resample(fine, 120, 120, name, True).std())
        self.assertGreater(kept["lanczos"], kept["mitchell"])

    def test_mitchell_has_the_weights_of_its_paper(self) -> None:
        # Enlarging a single dot reads the kernel off: k(0) = 8/9, k(1) = 1/18.
        dot = np.zeros((1, 9, 1), np.float32)
        dot[0, 4] = 1
        row = resample(np.repeat(dot, 3, axis=0), 27, 3, "mitchell", False)[1, :, 0]
        self.assertAlmostEqual(float(row[13]), 8 / 9, places=3)
        self.assertAlmostEqual(float(row[10]), 1 / 18, places=3)


class Fitting(unittest.TestCase):
    def setUp(self) -> None:
        pixels = defects.stochastic(300, 3, True)
        self.tile = Picture(pixels, Space.LINEAR, wraps=True)

    def test_repeats_are_never_laid_out_whole(self) -> None:
        tile = Picture(noise(64, 64, wraps=True), Space.LINEAR, wraps=True)
        size = Size(width=64, height=32, fit=Fit.REPEAT, across=8, down=3)
        many = np.tile(tile.pixels, (3, 8, 1))
        laid = resize(tile.with_pixels(many), 64, 32)
        np.testing.assert_allclose(fitted(tile, size).pixels, laid.pixels, atol=1e-6)
        large = Picture(np.zeros((1000, 1000, 3), np.float32), Space.LINEAR, wraps=True)
        tracemalloc.start()
        fitted(large, Size(width=256, height=256, fit=Fit.REPEAT, across=8, down=8))
        most = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
        self.assertLess(most, 3 * large.pixels.nbytes)

    def test_a_repeated_tile_is_still_a_tile(self) -> None:
        got = fitted(self.tile, Size(width=512, height=256, fit=Fit.REPEAT, across=2, down=1))
        self.assertEqual((got.width, got.height, got.wraps), (512, 256, True))
        score = seam_score(got)
        self.assertAlmostEqual(score.x, 1, delta=0.1)
        np.testing.assert_allclose(got.pixels[:, :256], got.pixels[:, 256:], atol=1e-4)

    def test_on_a_canvas_proportions_are_kept_and_the_rim_is_carried_on(self) -> None:
        wide = Picture(noise(300, 100) * np.float32(0.5), Space.LINEAR)
        size = Size(width=256, height=256, fit=Fit.PAD)
        got = fitted(wide, size)
        self.assertFalse(got.wraps)
        area = visible_area(300, 100, size)
        assert area is not None
        self.assertAlmostEqual(area.width * 256 / (area.height * 256), 3, delta=0.05)
        top = round(area.y * 256)
        np.testing.assert_array_equal(got.pixels[0], got.pixels[top])

    def test_vectors_stay_unit_length_by_every_filter(self) -> None:
        vectors = noise(64, 48) * 2 - 1
        unit = (vectors / np.linalg.norm(vectors, axis=2, keepdims=True)).astype(np.float32)
        filters: tuple[Filter, ...] = ("lanczos", "mitchell", "box", "nearest")
        for name in filters:
            got = resize(Picture(unit, Space.VECTOR), 32, 32, name).pixels
            np.testing.assert_allclose(np.linalg.norm(got, axis=2), 1, atol=1e-5)


class Proposing(unittest.TestCase):
    def test_a_square_tile_gets_the_nearest_square(self) -> None:
        first = proposals(1083, 1082, True, smallest=16, largest=2048, square=False)[0]
        self.assertEqual((first.size.width, first.size.height), (1024, 1024))
        self.assertEqual(first.size.fit, Fit.STRETCH)
        self.assertLess(first.stretch, 0.2)

    def test_an_odd_ratio_is_repeated_rather_than_stretched(self) -> None:
        # Three to one: three rows of it are square.
        first = proposals(1536, 512, True, smallest=16, largest=2048, square=True)[0]
        self.assertEqual((first.size.fit, first.size.across, first.size.down), (Fit.REPEAT, 1, 3))
        self.assertAlmostEqual(first.stretch, 0, delta=0.1)

    def test_what_is_no_tile_is_padded_rather_than_stretched(self) -> None:
        first = proposals(1000, 700, False, smallest=16, largest=2048, square=False)[0]
        self.assertEqual(first.size.fit, Fit.PAD)
        self.assertEqual(first.stretch, 0)

    def test_the_game_s_own_size_is_the_only_one(self) -> None:
        found = proposals(
            1083, 1082, True, smallest=16, largest=2048, square=False, exact=(512, 256)
        )
        self.assertEqual({(p.size.width, p.size.height) for p in found}, {(512, 256)})

    def test_no_size_lies_outside_the_target_s(self) -> None:
        for p in proposals(9000, 90, True, smallest=64, largest=1024, square=True, most=50):
            self.assertTrue(64 <= p.size.width == p.size.height <= 1024)

    def test_costs_are_said_in_words(self) -> None:
        words = proposals(1000, 700, False, smallest=16, largest=512, square=False)[0].words
        self.assertIn("% of", words)
