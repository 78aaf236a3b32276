"""Which way suits, how like a tile is to its source, and what is no matter at all."""

import unittest

import numpy as np

from stonestack.core.judge.choosing import choose
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps import STEPS
from stonestack.core.tile.likeness import character_of, is_scene, likeness
from stonestack.core.tile.ways import FAMILY
from stonestack.demo.paint import Canvas
from stonestack.trials.matters import MATTERS, drawn
from tests.sizes import times
from tests.support import photograph

SEED = 77


def raw(matter: str, width: int = 420, height: int = 360) -> Floats:
    return drawn(matter, Canvas(width, height, SEED, False))


def picture(stored: Floats) -> Picture:
    return Picture(colour.to_linear(stored), Space.LINEAR)


def photo(name: str) -> Picture:
    texels = np.ascontiguousarray(photograph(name, 512)[..., :3])
    return Picture(colour.bytes_to_linear(texels), Space.LINEAR)


class Likeness(unittest.TestCase):
    def test_a_picture_is_like_itself_and_like_another_part_of_its_matter(self) -> None:
        for matter in ("grit", "gravel", "wall"):
            whole = raw(matter, 600, 500)
            one, other = character_of(whole[:400, :400]), character_of(whole[100:, 200:])
            with self.subTest(matter=matter):
                self.assertAlmostEqual(likeness(one, one), 1, places=2)
                self.assertGreater(likeness(one, other), 0.8)

    def test_a_blur_another_tint_and_a_turn_are_less_like(self) -> None:
        from scipy.ndimage import gaussian_filter

        source = raw("grass")
        for changed in (
            gaussian_filter(source, (2, 2, 0)),
            np.clip(source * np.array([1.5, 0.8, 0.8], np.float32), 0, 1),
            np.ascontiguousarray(source.transpose(1, 0, 2)),
        ):
            self.assertLess(likeness(character_of(source), character_of(changed)), 0.75)

    def test_a_structure_that_is_lost_counts(self) -> None:
        source = raw("tiles")
        mixed = source[np.random.default_rng(1).permutation(len(source))]
        alike = likeness(character_of(source), character_of(np.ascontiguousarray(mixed)))
        self.assertLess(alike, 0.5)


class Scenes(unittest.TestCase):
    def test_photographs_of_things_are_told_to_be_scenes(self) -> None:
        for name in ("astronaut", "rocket", "camera"):
            with self.subTest(name=name):
                self.assertTrue(is_scene(colour.seen(photo(name))))

    def test_matter_is_not(self) -> None:
        for matter in MATTERS:
            with self.subTest(matter=matter):
                self.assertFalse(is_scene(raw(matter)))

    def test_matter_in_the_light_of_a_lamp_is_not(self) -> None:
        light = np.linspace(0.6, 1.3, 420, dtype=np.float32)[np.newaxis, :, np.newaxis]
        self.assertFalse(is_scene(np.clip(raw("gravel") * light, 0, 1)))


class Choosing(unittest.TestCase):
    def test_every_way_is_tried_and_the_one_with_least_against_it_comes_first(self) -> None:
        choice = choose(picture(raw("gravel")))
        family = {step.name for step in STEPS.values() if step.family == FAMILY}
        self.assertEqual({way.kind for way in choice.tried}, family)
        costs = [way.cost for way in choice.tried]
        self.assertEqual(costs, sorted(costs))
        self.assertLess(choice.tried[0].fault, 1)
        self.assertEqual(choice.advice, "")
        self.assertIn(choice.tried[0].title, choice.reason)
        self.assertIn("% of the picture", choice.reason)

    def test_what_lays_parts_again_and_mirrors_do_not_win(self) -> None:
        for matter in times(("granite", "tiles"), ("tiles",)):
            best = choose(picture(raw(matter))).tried[0]
            with self.subTest(matter=matter):
                self.assertNotEqual(best.kind, "mirror_tile")
                self.assertGreater(best.likeness, 0.7)

    def test_a_scene_is_told_to_be_one_with_what_to_do(self) -> None:
        choice = choose(photo("camera"))
        self.assertIn("frame a part", choice.advice)
