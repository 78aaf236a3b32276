import math
import unittest

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.tile.faults.evidence import Evidence
from stonestack.core.tile.faults.judging import Fault
from stonestack.core.tile.faults.lines import line_evidence
from stonestack.core.tile.faults.planted import planted_spot_evidence
from stonestack.core.tile.period import find_lattice_of, find_lattice_of_parts
from stonestack.core.tile.scores import tile_scores
from stonestack.trials.defects import GRADED, stock

WIDTH, HEIGHT = 320, 288


def ring(matter: str, seed: int) -> Floats:
    """Draw a sound tile, stored."""
    return np.clip(stock(matter, WIDTH, HEIGHT, seed).ring, 0, 1).astype(np.float32)


def spotted(values: Floats, x: float, y: float, radius: float, light: float) -> Floats:
    """Lay a soft spot over a ring: some light more, or for less than 0 that share less."""
    height, width = values.shape[:2]
    down = (np.arange(height) - y + height / 2) % height - height / 2
    across = (np.arange(width) - x + width / 2) % width - width / 2
    away = np.hypot(down[:, np.newaxis], across)
    bump = (0.5 + 0.5 * np.cos(np.pi * np.minimum(away / (2 * radius), 1)))[..., np.newaxis]
    changed: Floats = values + light * bump if light > 0 else values * (1 + light * bump)
    return np.asarray(np.clip(changed, 0, 1), np.float32)


def sure(evidence: list[Evidence], kind: str) -> list[Evidence]:
    return [found for found in evidence if found.excess > 0 and found.kind == kind]


def faults(stored: Floats) -> list[Fault]:
    scores = tile_scores(Picture(colour.to_linear(stored), Space.LINEAR, wraps=True))
    assert scores is not None
    return scores.faults


class SpotsInRoughMatter(unittest.TestCase):
    def test_a_soft_spot_is_found_where_it_lies_and_none_is_without(self) -> None:
        for matter, seed, x, y, light in (
            ("bark", 3, 90, 200, 0.25),
            ("bark", 4, 90, 200, -0.6),
            ("rust", 6, 90, 200, -0.6),
            ("planks", 5, 90, 200, 0.3),
            ("gravel", 7, 4, 286, 0.3),
        ):
            with self.subTest(matter=matter):
                sound = ring(matter, seed)
                self.assertEqual(sure(planted_spot_evidence(sound), "spot"), [])
                found = sure(planted_spot_evidence(spotted(sound, x, y, 13, light)), "spot")
                self.assertTrue(found)
                for spot in found:
                    left, top, wide, high = spot.box
                    off = math.hypot(
                        (left + wide / 2 - x + WIDTH / 2) % WIDTH - WIDTH / 2,
                        (top + high / 2 - y + HEIGHT / 2) % HEIGHT - HEIGHT / 2,
                    )
                    self.assertLess(off, 12)

    def test_it_is_found_of_one_channel_as_well_and_turned(self) -> None:
        grey = ring("bark", 7).mean(axis=2, keepdims=True)
        marked = spotted(grey, 200, 100, 13, 0.25)
        self.assertTrue(sure(planted_spot_evidence(marked), "spot"))
        self.assertTrue(
            sure(planted_spot_evidence(np.ascontiguousarray(marked.transpose(1, 0, 2))), "spot")
        )

    def test_two_alike_are_both_found(self) -> None:
        sound = ring("sand", 9)
        marked = spotted(spotted(sound, 60, 60, 8, 0.3), 220, 200, 8, 0.28)
        found = sure(planted_spot_evidence(marked), "spot")
        self.assertEqual(sure(planted_spot_evidence(sound), "spot"), [])
        for x, y in ((60, 60), (220, 200)):
            self.assertTrue(
                any(
                    left <= x <= left + wide and top <= y <= top + high
                    for left, top, wide, high in (spot.box for spot in found)
                )
            )

    def test_of_what_is_even_small_or_all_alike_nothing_is_said(self) -> None:
        dots = np.zeros((160, 160, 3), np.float32) + 0.3
        for y in range(10, 160, 20):
            for x in range(10, 160, 20):
                dots = spotted(dots, x, y, 4, 0.4)
        for values in (np.full((160, 160, 3), 0.5, np.float32), dots, dots[:40, :40]):
            self.assertEqual(planted_spot_evidence(values), [])


class LinesOverStructures(unittest.TestCase):
    def test_a_straight_line_is_found_beside_joints_that_are_stronger(self) -> None:
        for matter, seed in (("tiles", 11), ("tiles", 12), ("planks", 13), ("planks", 14)):
            sound = ring(matter, seed)
            lattice = find_lattice_of_parts(sound)
            self.assertEqual(sure(line_evidence(sound, lattice), "line"), [])
            joints = np.abs(sound.mean(axis=(0, 2)) - np.median(sound.mean(axis=(0, 2))))
            # As far from all joints as there is room.
            near = [joints[np.arange(x - 6, x + 7) % WIDTH].max() for x in range(WIDTH)]
            at = int(np.argmin(near))
            lined = sound.copy()
            lined[:, at] = np.clip(lined[:, at] + 0.15, 0, 1)
            for values, turned in ((lined, False), (lined.transpose(1, 0, 2), True)):
                values = np.ascontiguousarray(values)
                found = sure(line_evidence(values, find_lattice_of_parts(values)), "line")
                with self.subTest(matter=matter, seed=seed, turned=turned):
                    self.assertTrue(found)
                    for line in found:
                        place = line.box[1 if turned else 0]
                        self.assertLess(abs(place - at), 3)

    def test_half_a_line_is_seen_less_than_a_whole_one(self) -> None:
        sound = ring("plaster", 15)
        whole, part = sound.copy(), sound.copy()
        whole[:, 100] -= 0.15
        part[60:204, 100] -= 0.15
        strengths = [
            max(fault.strength for fault in faults(values) if fault.kind == "line")
            for values in (whole, part)
        ]
        self.assertLess(strengths[1], 0.85 * strengths[0])
        self.assertGreater(strengths[1], 1)


def paved(seed: int, width: int = 240, height: int = 300) -> Floats:
    """Draw columns of one width of stones of three lengths, with pale joints."""
    rng = np.random.default_rng(seed)
    step = rng.uniform(18, 26)
    values = np.full((height, width), 0.4, np.float32)
    across = np.arange(width)
    column = (across / step).astype(int)
    for n in range(int(column.max()) + 1):
        y = rng.uniform(0, 60)
        while y < height:
            values[int(y) : int(y) + 3, column == n] = 0.7
            y += rng.choice([30, 38, 76]) * rng.uniform(0.97, 1.03)
    values[:, np.abs((across / step + 0.5) % 1 - 0.5) * step < 1.2] = 0.7
    rough = values + rng.normal(0, 0.02, values.shape)
    return np.repeat(rough.astype(np.float32)[..., np.newaxis], 3, axis=2)


class LatticesThatFallTogether(unittest.TestCase):
    def test_all_steps_are_longer_than_a_few_pixels(self) -> None:
        line = next(defect for defect in GRADED if defect.name == "line 0.25")
        laid = line.make(stock("planks", 260, 250, 730497))
        found = find_lattice_of_parts(np.clip(laid.values, 0, 1).astype(np.float32))
        steps = [] if found is None else [found.first, found.second]
        for step in steps:
            self.assertGreater(math.hypot(*step) if step else math.inf, 4)

    def test_stones_in_columns_have_steps_that_are_no_shorter_than_can_be_told(self) -> None:
        for seed in (141, 247, 384, 436, 447):
            with self.subTest(seed=seed):
                found = find_lattice_of(paved(seed))
                assert found is not None
                self.assertGreater(math.hypot(*found.first), 5)


if __name__ == "__main__":
    unittest.main()
