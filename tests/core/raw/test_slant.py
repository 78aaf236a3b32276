import unittest

import numpy as np

from stonestack.core.judge.choosing import choose
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.raw.frame import frame_of, framed
from stonestack.core.raw.slant import corners_seen, slant_of
from stonestack.trials.defects import stock
from stonestack.trials.matters import MATTERS
from stonestack.trials.slants import Looked, leaning, seen_at_a_slant, table


def raw(matter: str, seed: int) -> Floats:
    return np.clip(stock(matter, 460, 345, seed).raw, 0, 1).astype(np.float32)


def picture(stored: Floats) -> Picture:
    return Picture(colour.to_linear(stored), Space.LINEAR)


def grid(pixels: int = 480) -> Floats:
    """Return a grid of dark lines on pale ground, 40 pixels apart."""
    at = np.arange(pixels) % 40 < 3
    lined = np.where(at[:, np.newaxis] | at, 0.2, 0.7).astype(np.float32)
    return np.repeat(lined[..., np.newaxis], 3, axis=2)


class LinesThatRunTogether(unittest.TestCase):
    def test_planes_seen_at_a_slant_come_out_straight(self) -> None:
        for matter, seed in (
            ("planks", 1),
            ("planks", 2),
            ("glazed", 3),
            ("tiles", 7),
            ("wall", 2),
        ):
            with self.subTest(matter=matter, seed=seed):
                leans = leaning(*seen_at_a_slant(raw(matter, seed), seed))
                assert leans is not None
                self.assertLess(leans, 4)

    def test_a_known_camera_is_found_and_the_frame_holds_a_square_grid(self) -> None:
        import cv2

        at = np.array([(150, 40), (470, 70), (600, 450), (20, 440)], np.float32)
        square = np.array([(0, 0), (480, 0), (480, 480), (0, 480)], np.float32)
        there = cv2.getPerspectiveTransform(square, at)
        seen = cv2.warpPerspective(grid(), there, (640, 480), borderMode=cv2.BORDER_WRAP)
        stored = np.clip(seen, 0, 1).astype(np.float32)
        leans = leaning(stored, there.astype(np.float64))
        assert leans is not None
        self.assertLess(leans, 1.2)
        corners = corners_seen(colour.seen(picture(stored)))
        assert corners is not None
        straight = framed(picture(stored), frame_of(corners))
        self.assertIsNone(slant_of(colour.seen(straight)))
        for axis in (0, 1):
            before, after = (
                float(values.mean(axis=(1 - axis, 2)).std()) for values in (stored, straight.pixels)
            )
            self.assertGreater(after, 2 * before)

    def test_nothing_is_said_of_what_is_seen_head_on_or_has_no_lines(self) -> None:
        for matter in MATTERS:
            for seed in (31, 32):
                with self.subTest(matter=matter, seed=seed):
                    self.assertIsNone(corners_seen(colour.seen(picture(raw(matter, seed)))))

    def test_three_families_of_lines_and_unlined_matter_are_left_alone_at_a_slant(self) -> None:
        for matter, seed in (("hexagons", 1), ("hexagons", 2), ("gravel", 1), ("bark", 2)):
            with self.subTest(matter=matter):
                stored, _ = seen_at_a_slant(raw(matter, seed), seed)
                self.assertIsNone(corners_seen(colour.seen(picture(stored))))

    def test_of_any_size_it_is_looked_at(self) -> None:
        for height, width in ((1, 1), (9, 300), (2000, 20), (64, 64)):
            even = np.full((height, width, 3), 0.4, np.float32)
            self.assertIsNone(slant_of(even))
            rough = np.random.default_rng(2).random((height, width, 3), dtype=np.float32)
            self.assertIsNone(slant_of(rough))


class TheTrial(unittest.TestCase):
    def test_it_is_summed_up_by_matter_and_false_alarms_are_counted_apart(self) -> None:
        told = [
            Looked("gravel", False, None),
            Looked("wall", False, 3.0),
            Looked("wall", True, 1.0),
            Looked("wall", True, 3.0),
            Looked("wall", True, None),
            Looked("planks", True, None),
        ]
        said = [" ".join(line.split()) for line in table(told)]
        self.assertEqual(said[0], "head on: 1 of 2 told to be seen at a slant")
        self.assertEqual(said[1], "wall 2 of 3 straightened, leaning 2.0 degrees, at most 3.0")
        self.assertEqual(said[3], "planks 0 of 1 straightened")

    def test_a_grid_leans_little_once_straightened_and_head_on_there_is_none(self) -> None:
        stored, there = seen_at_a_slant(grid(), 3)
        leans = leaning(stored, there)
        assert leans is not None
        self.assertLess(leans, 2)
        self.assertIsNone(leaning(grid(), np.eye(3)))


class WhatIsAdvised(unittest.TestCase):
    def test_a_wall_at_a_slant_is_to_be_straightened_first_and_one_head_on_is_not(self) -> None:
        flat = raw("glazed", 3)
        slanted, _ = seen_at_a_slant(flat, 3)
        self.assertIn("slant", choose(picture(slanted)).advice)
        self.assertEqual(choose(picture(flat)).advice, "")
