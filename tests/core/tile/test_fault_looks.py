import unittest

import numpy as np
from numpy.typing import NDArray

from stonestack.core.judge.choosing import choose
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.tile.faults.evidence import Evidence
from stonestack.core.tile.faults.fades import fade_evidence
from stonestack.core.tile.faults.joins import join_evidence, joins_of, soft_join_evidence
from stonestack.core.tile.scores import tile_scores
from stonestack.demo.paint import Canvas
from stonestack.trials.defects import stock
from stonestack.trials.matters import planks as board_matter
from stonestack.trials.others import OTHERS, Other, blotches, chips, noise, other, scales

SIDE = 288
FULL = (0.0, 0.0, 2.0, float(SIDE))


def seen(stored: Floats) -> Floats:
    return colour.seen(Picture(colour.to_linear(stored), Space.LINEAR))


def named(stored: Floats) -> list[str]:
    scores = tile_scores(Picture(colour.to_linear(stored), Space.LINEAR, wraps=True))
    assert scores is not None
    return [fault.kind for fault in scores.faults]


def sure(evidence: list[Evidence]) -> list[Evidence]:
    return [found for found in evidence if found.excess > 0]


def grey(tones: Floats) -> Floats:
    return np.clip(np.stack([tones] * 3, axis=-1), 0, 1).astype(np.float32)


def drawn(matter: Other, seed: int) -> Floats:
    return grey(matter(SIDE, SIDE, np.random.default_rng(seed)))


def _but(values: Floats, place: int) -> NDArray[np.bool_]:
    """Tell all places of a profile from one."""
    return np.asarray(np.arange(len(values)) != place)


def rough(seed: int) -> Floats:
    return grey(0.5 + 0.12 * noise(SIDE, SIDE, np.random.default_rng(seed), 0.6))


def away_of(place: float, other: float) -> float:
    return abs((place - other + SIDE / 2) % SIDE - SIDE / 2)


class CrossFades(unittest.TestCase):
    def test_in_patches_whose_contrast_varies_by_itself_the_likeliest_band_is_the_faded_one(
        self,
    ) -> None:
        across = np.arange(SIDE, dtype=np.float32)
        # From one to the other over a sixth of the side, and back by a hard step elsewhere.
        share = np.clip((across - 100) / 48, 0, 1)[np.newaxis, :, np.newaxis]
        named = 0
        for seed in range(3, 8):
            ring, other = drawn(blotches, seed), drawn(blotches, seed + 50)
            found = fade_evidence(seen(ring * (1 - share) + other * share))
            likeliest = max(found, key=lambda e: e.excess)
            left, _, wide, high = likeliest.box
            with self.subTest(seed=seed):
                self.assertEqual(high, SIDE)
                self.assertLess(away_of(left + wide / 2, 124), 24)
                for sound in fade_evidence(seen(ring)):
                    self.assertLess(sound.excess, likeliest.excess - 0.1)
            named += likeliest.excess > 0
        self.assertGreaterEqual(named, 2)

    def test_turned_it_is_found_as_well(self) -> None:
        ring, other = rough(1), rough(2)
        share = np.clip((np.arange(SIDE) - 60) / 40, 0, 1).astype(np.float32)[:, np.newaxis]
        share = share[..., np.newaxis]
        found = sure(fade_evidence(seen(ring * (1 - share) + other * share)))
        self.assertTrue(any(e.box[2] == SIDE and away_of(e.box[1], 60) < 40 for e in found))

    def test_patches_as_they_are_have_none_nor_has_an_even_tile(self) -> None:
        for seed in (3, 4, 5, 6):
            self.assertEqual(sure(fade_evidence(seen(drawn(blotches, seed)))), [])
        self.assertEqual(fade_evidence(np.full((96, 128, 3), 0.4, np.float32)), [])


class FalseJoins(unittest.TestCase):
    def test_a_column_beside_one_from_elsewhere_counts_one_and_others_next_to_nothing(self) -> None:
        ring = rough(7)
        ring[:, 90:170] = rough(8)[:, 90:170]
        pieces = joins_of(seen(ring)).columns.pieces.mean(axis=0)
        self.assertAlmostEqual(float(pieces[89]), 1, delta=0.25)
        self.assertAlmostEqual(float(pieces[169]), 1, delta=0.25)
        self.assertLess(float(np.abs(np.delete(pieces, [88, 89, 90, 168, 169, 170])).max()), 0.35)

    def test_the_sides_of_a_square_are_found_and_it_is_said_where_the_tile_goes_on(self) -> None:
        ring = rough(9)
        ring[80:180, 120:220] = rough(10)[80:180, 120:220]
        joins = joins_of(seen(ring))
        found = sure(join_evidence(joins))
        upright = {round(e.box[0] + 1) for e in found if e.box[3] > e.box[2]}
        lying = {round(e.box[1] + 1) for e in found if e.box[2] > e.box[3]}
        self.assertLessEqual((upright | lying), {120, 220, 80, 180})
        self.assertGreaterEqual(len(upright) + len(lying), 3)
        self.assertFalse(joins.goes_on((119.0, 90.0, 2.0, 72.0)))
        self.assertTrue(joins.goes_on((40.0, 20.0, 2.0, 144.0)))
        self.assertTrue(joins.goes_on((20.0, 40.0, 144.0, 2.0)))

    def test_a_line_and_a_step_of_tone_are_no_false_joins(self) -> None:
        lined, toned = rough(11), rough(12)
        lined[:, 130] += 0.15
        toned[:, 70:200] *= 1.15
        for ring in (lined, toned, rough(13)):
            self.assertEqual(sure(join_evidence(joins_of(seen(ring)))), [])

    def test_of_a_whole_side_it_is_never_said_that_it_goes_on(self) -> None:
        self.assertFalse(joins_of(seen(rough(14))).goes_on(FULL))

    def test_what_is_joined_in_some_pieces_only_goes_on_as_a_whole(self) -> None:
        ring, other = (stock("wood", SIDE, SIDE, seed).ring for seed in (15, 16))
        parted = ring.copy()
        parted[:, 130:] = other[:, 130:]
        self.assertFalse(joins_of(seen(parted)).goes_on((129.0, 0.0, 2.0, float(SIDE))))
        parted[:180] = ring[:180]
        self.assertTrue(joins_of(seen(parted)).goes_on((129.0, 0.0, 2.0, float(SIDE))))

    def test_boards_of_the_trial_end_where_their_joints_are(self) -> None:
        for seed in (2, 3, 4, 23):
            boards = board_matter(Canvas(480, 360, seed, True))
            over_the_wrap = joins_of(seen(grey(boards.mean(axis=2)))).columns.pieces[:, -1]
            self.assertLess(float(over_the_wrap.mean()), 0.35)


class SoftJoins(unittest.TestCase):
    def test_grain_that_ends_within_a_few_pixels_is_a_seam_and_grain_that_runs_on_is_none(
        self,
    ) -> None:
        for matter, seed in (("planks", 61), ("wood", 62)):
            with self.subTest(matter=matter):
                raw = stock(matter, 460, 360, seed).raw
                picture = Picture(colour.to_linear(np.clip(raw, 0, 1)), Space.LINEAR)
                shown = {way.kind: way.shows for way in choose(picture).tried}
                self.assertIn("seam", shown["wrap_tile"])
                self.assertNotIn("seam", shown["cut_tile"])

    def test_it_lies_where_grains_were_faded_into_one_another(self) -> None:
        ring, other = (stock("planks", 320, 320, seed).ring for seed in (3, 4))
        fade = np.clip((np.arange(320) - 196) / 8, 0, 1).astype(np.float32)[
            :, np.newaxis, np.newaxis
        ]
        back = np.clip((np.arange(320) - 36) / 8, 0, 1).astype(np.float32)[
            :, np.newaxis, np.newaxis
        ]
        share = back * (1 - fade)
        joined = ring * share + np.roll(other, 90, axis=0) * (1 - share)
        rows = sorted(e.box[1] for e in sure(soft_join_evidence(seen(joined))))
        self.assertEqual(len(rows), 2)
        for row, at in zip(rows, (40, 200), strict=True):
            self.assertAlmostEqual(row, at, delta=8)
        self.assertEqual(sure(soft_join_evidence(seen(ring))), [])

    def test_of_rough_matter_and_of_strips_nothing_is_told(self) -> None:
        self.assertEqual(soft_join_evidence(seen(rough(3))), [])
        for height, width in ((64, 4096), (30, 30), (1, 1)):
            strip = np.random.default_rng(1).random((height, width, 3), dtype=np.float32)
            self.assertEqual(soft_join_evidence(strip), [])


class LargerTiles(unittest.TestCase):
    def test_a_bound_so_many_times_as_large_takes_what_lies_out_less_far(self) -> None:
        found = Evidence("tone", FULL, 0.5, 0.2)
        self.assertAlmostEqual(found.against(1.0).excess, 0.5)
        self.assertAlmostEqual(found.against(1.5).excess, 0.0)
        self.assertAlmostEqual(found.against(2.0).excess, -0.25)

    def test_ends_of_boards_on_one_row_are_no_seam(self) -> None:
        boards = stock("planks", 1024, 1024, 511_004).ring
        self.assertEqual(named(np.clip(boards, 0, 1).astype(np.float32)), [])

    def test_sound_matter_of_a_larger_side_has_no_step_and_a_planted_one_is_found(self) -> None:
        bark = stock("bark", 900, 860, 511_003).ring
        self.assertEqual(named(np.clip(bark, 0, 1).astype(np.float32)), [])
        bark[:, 300:640] *= 1.25
        self.assertIn("tone", named(np.clip(bark, 0, 1).astype(np.float32)))


class Strips(unittest.TestCase):
    def test_of_any_proportions_a_tile_is_judged(self) -> None:
        for height, width in ((64, 4096), (4096, 64), (32, 1024), (16, 16), (70, 900), (5, 7)):
            rough_strip = np.random.default_rng(15).random((height, width, 3), dtype=np.float32)
            with self.subTest(height=height, width=width):
                self.assertEqual(sure(fade_evidence(rough_strip)), [])
                joins = joins_of(rough_strip)
                self.assertEqual(sure(join_evidence(joins)), [])
                self.assertFalse(joins.goes_on((0.0, 0.0, 2.0, height / 4)))
                scores = tile_scores(Picture(rough_strip, Space.LINEAR, wraps=True))
                self.assertTrue(scores is None or scores.fault < 1)


class OtherMatters(unittest.TestCase):
    def test_each_is_a_ring_and_a_seed_draws_it_again(self) -> None:
        for name in OTHERS:
            ring, again = (other(name, 240, 260, np.random.default_rng(6)) for _ in range(2))
            np.testing.assert_array_equal(ring, again)
            for axis in (0, 1):
                # Turned half way round, the steps across the wrap lie among all others.
                steps = np.abs(np.diff(np.roll(ring, 120, axis), axis=axis)).mean(axis=2)
                along = steps.mean(axis=1 - axis)
                with self.subTest(name=name, axis=axis):
                    self.assertLessEqual(along[119], along.max(initial=0, where=_but(along, 119)))

    def test_chips_of_any_size_are_no_spots_and_one_large_spot_is(self) -> None:
        for seed in (1, 2, 3):
            with self.subTest(seed=seed):
                self.assertNotIn("spot", named(drawn(chips, seed)))
        down, across = np.mgrid[:SIDE, :SIDE]
        bump = np.clip(1.5 - np.hypot(across - 150, down - 90) / 16, 0, 1)[..., np.newaxis]
        marked = drawn(chips, 2) - np.float32(0.6) * bump.astype(np.float32)
        self.assertIn("spot", named(np.clip(marked, 0, 1)))

    def test_rows_of_a_structure_that_lie_on_the_edge_of_the_tile_are_not_broken(self) -> None:
        for width, height, seed in ((406, 256, 810401), (234, 414, 810402)):
            ring = other("knit", width, height, np.random.default_rng((seed, 4242)))
            for cut in (0, height // 3):
                with self.subTest(seed=seed, cut=cut):
                    self.assertNotIn("bond", named(np.roll(ring, cut, axis=0)))

    def test_tiles_of_unlike_tones_are_no_broken_structure_and_a_part_out_of_step_is(self) -> None:
        for seed in (1, 2, 3, 4):
            with self.subTest(seed=seed):
                self.assertNotIn("bond", named(drawn(scales, seed)))
        ring = drawn(scales, 1)
        moved = np.roll(ring, (13, 18), axis=(0, 1))
        ring[90:190, 100:200] = moved[90:190, 100:200]
        self.assertIn("bond", named(ring))


if __name__ == "__main__":
    unittest.main()
