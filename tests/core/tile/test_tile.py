import unittest

import numpy as np

from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tile.boundary import CutTile, best_width, cut_tile
from stonestack.core.tile.light import BalanceLight, balance_light, light_field
from stonestack.core.tile.seam import detail, seam_score
from tests.support import colour_picture, noise

DETAIL_RANGE = (0.85, 1.25)
"""Detail of the seam band against the inside's, for pictures that are alike all over."""


def band_ratio(tile: Picture, columns: int) -> float:
    """Return the mean detail of the first columns against that of the rest."""
    amount = detail(tile)
    return float(amount[:, :columns].mean() / amount[:, columns:].mean())


def cross_faded(picture: Picture, overlap: int) -> Picture:
    """Join left to right the wrong way: by fading one edge into the other."""
    kept = picture.width - overlap
    share = np.linspace(0, 1, overlap, dtype=np.float32)[np.newaxis, :, np.newaxis]
    left, right = picture.pixels[:, :overlap], picture.pixels[:, kept:]
    band = right + (left - right) * share
    return picture.with_pixels(np.concatenate([band, picture.pixels[:, overlap:kept]], axis=1))


class MakingATile(unittest.TestCase):
    def setUp(self) -> None:
        self.raw = colour_picture(360, 260)
        self.tile = cut_tile(self.raw, CutTile(shape="found", most=0.25))

    def test_a_raw_picture_has_a_step_and_its_tile_has_none(self) -> None:
        raw, tile = seam_score(self.raw), seam_score(self.tile)
        self.assertGreater(min(raw.x, raw.y), 3)
        for score in (tile.x, tile.y):
            self.assertAlmostEqual(score, 1, delta=0.15)

    def test_detail_in_the_seam_band_is_that_of_the_inside(self) -> None:
        overlap = self.raw.width - self.tile.width
        ratio = band_ratio(self.tile, overlap)
        self.assertGreater(ratio, DETAIL_RANGE[0])
        self.assertLess(ratio, DETAIL_RANGE[1])

    def test_a_cross_fade_would_be_caught(self) -> None:
        overlap = self.raw.width - self.tile.width
        faded = cross_faded(self.raw, overlap)
        self.assertAlmostEqual(seam_score(faded).x, 1, delta=0.5)  # Its edge alone looks well …
        self.assertLess(band_ratio(faded, overlap), DETAIL_RANGE[0])  # … but its band is blurred.

    def test_it_is_no_mirror(self) -> None:
        tile = self.tile.pixels
        alike = np.corrcoef(tile.ravel(), tile[:, ::-1].ravel())[0, 1]
        self.assertLess(abs(alike), 0.3)

    def test_outside_the_overlaps_nothing_is_changed(self) -> None:
        dx = self.raw.width - self.tile.width
        dy = self.raw.height - self.tile.height
        inside = self.raw.pixels[dy : self.tile.height, dx : self.tile.width]
        np.testing.assert_allclose(self.tile.pixels[dy:, dx:], inside, atol=1e-6)

    def test_the_corners_meet(self) -> None:
        turned = np.roll(self.tile.pixels, (20, 20), axis=(0, 1))
        corner = turned[:40, :40]
        across = np.abs(np.diff(corner, axis=1)).mean()
        usual = np.abs(np.diff(self.tile.pixels, axis=1)).mean()
        self.assertAlmostEqual(across / usual, 1, delta=0.35)

    def test_one_axis_alone_leaves_the_other(self) -> None:
        only = cut_tile(self.raw, CutTile(axes="x"))
        self.assertEqual(only.height, self.raw.height)
        self.assertAlmostEqual(seam_score(only).x, 1, delta=0.1)
        self.assertGreater(seam_score(only).y, 3)

    def test_proportions_become_equal(self) -> None:
        square = cut_tile(self.raw, CutTile(shape="square"))
        self.assertAlmostEqual(square.width / square.height, 1, delta=0.04)
        self.assertAlmostEqual(seam_score(square).worst, 1, delta=0.15)

    def test_the_same_twice_gives_the_same_bytes(self) -> None:
        again = cut_tile(self.raw, CutTile(shape="found", most=0.25))
        np.testing.assert_array_equal(again.pixels, self.tile.pixels)

    def test_alpha_is_cut_along(self) -> None:
        pixels = np.concatenate([self.raw.pixels, noise(360, 260, 9, channels=1)], axis=2)
        tile = cut_tile(Picture(pixels, Space.LINEAR, alpha=True), CutTile())
        self.assertTrue(tile.alpha)
        alpha = tile.with_pixels(np.repeat(tile.pixels[..., 3:], 4, axis=2))
        self.assertLess(seam_score(alpha).worst, 1.3)

    def test_normals_stay_unit_length(self) -> None:
        vectors = noise(120, 100) * 2 - 1
        unit = vectors / np.linalg.norm(vectors, axis=2, keepdims=True)
        tile = cut_tile(Picture(unit.astype(np.float32), Space.VECTOR), CutTile())
        np.testing.assert_allclose(np.linalg.norm(tile.pixels, axis=2), 1, atol=1e-5)

    def test_a_picture_without_room_is_refused(self) -> None:
        tiny = Picture(np.zeros((8, 200, 3), np.float32), Space.LINEAR)
        with self.assertRaises(BadRequest):
            cut_tile(tiny, CutTile())


class FindingThePeriod(unittest.TestCase):
    def test_a_structure_is_cut_at_whole_periods(self) -> None:
        motif = noise(60, 60, 3, 9, wraps=True)
        field = np.tile(motif, (4, 5, 1))[:205, :283]
        kept = best_width(field, 0.4)
        self.assertEqual(kept % 60, 0)

    def test_a_tile_from_a_periodic_field_is_the_motif_again(self) -> None:
        motif = noise(64, 64, 3, 9, wraps=True) * np.float32(0.5) + np.float32(0.25)
        field = Picture(np.tile(motif, (4, 4, 1))[:230, :230], Space.LINEAR)
        tile = cut_tile(field, CutTile())
        self.assertEqual((tile.width % 64, tile.height % 64), (0, 0))
        np.testing.assert_allclose(tile.pixels[:64, :64], motif, atol=0.02)


class BroadLight(unittest.TestCase):
    def test_a_known_lamp_is_found_and_taken_out(self) -> None:
        x = np.linspace(-1, 1, 240, dtype=np.float32)[np.newaxis, :, np.newaxis]
        y = np.linspace(-1, 1, 180, dtype=np.float32)[:, np.newaxis, np.newaxis]
        lamp = np.exp(0.5 * x - 0.3 * y * y).astype(np.float32)
        flat = noise(240, 180, 2, 5) * np.float32(0.2) + np.float32(0.2)
        lit = Picture((flat * lamp).astype(np.float32), Space.LINEAR)
        field = light_field(lit)
        ratio = field / lamp
        self.assertLess(np.ptp(ratio) / ratio.mean(), 0.12)
        balanced = balance_light(lit, BalanceLight()).pixels
        left, right = balanced[:, :60].mean(), balanced[:, -60:].mean()
        self.assertAlmostEqual(left / right, 1, delta=0.05)

    def test_amount_zero_changes_nothing(self) -> None:
        raw = colour_picture(80, 60)
        np.testing.assert_allclose(
            balance_light(raw, BalanceLight(amount=0)).pixels, raw.pixels, atol=1e-6
        )

    def test_tints_of_patches_stay(self) -> None:
        pixels = np.full((90, 120, 3), 0.3, np.float32)
        pixels[:, :60] = [0.5, 0.25, 0.15]
        got = balance_light(Picture(pixels, Space.LINEAR), BalanceLight()).pixels
        np.testing.assert_allclose(
            got[..., 0] / got[..., 2], pixels[..., 0] / pixels[..., 2], rtol=1e-4
        )


class SeamScore(unittest.TestCase):
    def test_a_tile_of_a_ring_scores_one(self) -> None:
        ring = Picture(noise(160, 120, 8, wraps=True), Space.LINEAR, wraps=True)
        score = seam_score(ring)
        self.assertAlmostEqual(score.x, 1, delta=0.1)
        self.assertAlmostEqual(score.y, 1, delta=0.1)

    def test_a_larger_step_scores_higher(self) -> None:
        ring = noise(160, 120, 8, wraps=True) * np.float32(0.5)
        ramp = np.linspace(0, 1, 160, dtype=np.float32)[np.newaxis, :, np.newaxis]
        scores = [
            seam_score(Picture(ring + ramp * np.float32(step), Space.LINEAR)).x
            for step in (0.05, 0.15, 0.4)
        ]
        self.assertEqual(scores, sorted(scores))
        self.assertGreater(scores[0], 1.5)
