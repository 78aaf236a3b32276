"""Structures stay whole: the lattice is found, and every way keeps to it."""

import unittest
from functools import cache
from typing import Literal

import numpy as np

from stonestack.core.judge.choosing import choose
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.tile.blend import BlendTile
from stonestack.core.tile.boundary import GEOMETRY, CutTile
from stonestack.core.tile.period import find_lattice
from stonestack.core.tile.quilt import QuiltTile
from stonestack.core.tile.whole import lengths, structure_in
from stonestack.core.tile.wrapped import WrapTile
from stonestack.demo.paint import Canvas
from stonestack.trials import walls
from stonestack.trials.matters import MATTERS, STRUCTURED, drawn
from tests.sizes import swept, times

SEED = 90
KEEPING = (CutTile(), WrapTile(), QuiltTile(), BlendTile())


@cache
def raw(n: int) -> Picture:
    stored = walls.drawn(walls.walls(SEED)[n])
    return Picture(colour.bytes_to_linear(colour.to_bytes(stored)), Space.LINEAR)


class Found(unittest.TestCase):
    def test_both_steps_of_every_bond_are_found_leaning_or_not(self) -> None:
        for n, wall in enumerate(walls.walls(SEED)):
            structure = structure_in(raw(n))
            with self.subTest(wall=wall):
                assert structure is not None
                for step, period in zip((structure.x, structure.y), wall.periods, strict=True):
                    assert step is not None
                    # In pixels of the guide, which the raw picture itself is here.
                    self.assertAlmostEqual(step / period, round(step / period), delta=0.03)
                if wall.lean:
                    self.assertIsNotNone(structure.corners)

    def test_matter_without_structure_has_none(self) -> None:
        for matter in MATTERS.keys() - STRUCTURED - {"planks"}:
            stored = drawn(matter, Canvas(410, 330, SEED, False))
            with self.subTest(matter=matter):
                self.assertIsNone(find_lattice(Picture(colour.to_linear(stored), Space.LINEAR)))

    def test_a_joint_that_only_its_hue_tells_is_seen(self) -> None:
        stored = np.full((300, 400, 3), (0.5, 0.42, 0.4), np.float32)
        grain = np.random.default_rng(5).normal(0, 0.05, (300, 400, 1)).astype(np.float32)
        stored += grain
        for joint in (stored[20::60], stored[21::60], stored[:, 33::80], stored[:, 34::80]):
            joint += np.array([-0.09, 0.01, 0.08], np.float32)
        found = find_lattice(Picture(colour.to_linear(np.clip(stored, 0, 1)), Space.LINEAR))
        assert found is not None and found.second is not None
        steps = sorted((abs(x), abs(y)) for x, y in (found.first, found.second))
        np.testing.assert_allclose(steps, [(0, 60), (80, 0)], atol=0.5)


_SHAPES: tuple[Literal["suiting"], Literal["square"]] = ("suiting", "square")


class Kept(unittest.TestCase):
    def test_no_joint_is_out_of_place_in_any_way_that_keeps_structures(self) -> None:
        for n in times((0, 1, 3, 4), (3,)):
            wall = walls.walls(SEED)[n]
            for params in KEEPING:
                tile = STEPS[params.kind].apply(raw(n), params)
                with self.subTest(wall=wall, way=params.kind):
                    self.assertTrue(tile.wraps)
                    self.assertLess(walls.out_of_place(colour.seen(tile), wall), walls.BROKEN)

    def test_cut_anywhere_a_bond_breaks(self) -> None:
        broken = [
            walls.out_of_place(
                colour.seen(STEPS["quilt_tile"].apply(raw(n), QuiltTile(structure="free"))),
                walls.walls(SEED)[n],
            )
            for n in (0, 1)
        ]
        self.assertGreater(max(broken), walls.BROKEN)

    def test_a_square_is_reached_by_whole_courses_and_a_stretch_that_is_told(self) -> None:
        for n in (0, 2, 4):
            params = CutTile(shape="square")
            kept = GEOMETRY.solve(raw(n), params)
            tile = GEOMETRY.lay(raw(n), raw(n), kept, params)
            told = round(100 * (max(kept.stretch, 1 / kept.stretch) - 1))
            with self.subTest(wall=walls.walls(SEED)[n]):
                self.assertEqual(tile.width, tile.height)
                self.assertIn("whole steps", kept.words)
                self.assertEqual(f"stretched {told} %" in kept.words, told > 0)

    @swept
    def test_what_would_be_stretched_far_keeps_its_proportions_unless_it_is_told_to(self) -> None:
        far = []
        for n in range(len(walls.walls(SEED))):
            suiting, square = (GEOMETRY.solve(raw(n), CutTile(shape=s)) for s in _SHAPES)
            stretch = max(square.stretch, 1 / square.stretch)
            if stretch <= 1.1:
                self.assertEqual(suiting.sides, square.sides)
                continue
            far.append(n)
            tile = GEOMETRY.lay(raw(n), raw(n), suiting, CutTile())
            self.assertNotEqual(tile.width, tile.height)
            self.assertIn(f"stretch it by {round(100 * (stretch - 1))} %", suiting.words)
        self.assertTrue(far)

    def test_one_way_alone_keeps_steps_along_it(self) -> None:
        structure = structure_in(raw(0))
        assert structure is not None and structure.x is not None
        tile = STEPS["cut_tile"].apply(raw(0), CutTile(axes="x"))
        self.assertEqual(tile.height, raw(0).height)
        count = tile.width / structure.x
        self.assertAlmostEqual(count * structure.x, round(count) * structure.x, delta=1.5)

    def test_courses_without_uprights_are_kept_down_alone(self) -> None:
        y = np.arange(330, dtype=np.float32) % 37
        stored = np.where(y < 3, 0.3, 0.6)[:, np.newaxis, np.newaxis] * np.ones((1, 420, 3))
        stored += np.random.default_rng(3).normal(0, 0.04, (330, 420, 1))
        picture = Picture(colour.to_linear(np.clip(stored, 0, 1).astype(np.float32)), Space.LINEAR)
        structure = structure_in(picture)
        assert structure is not None
        self.assertIsNone(structure.x)
        for params in KEEPING:
            tile = STEPS[params.kind].apply(picture, params)
            if params.kind != "cut_tile":
                self.assertAlmostEqual(tile.height / 37, round(tile.height / 37), delta=0.05)

    def test_mirroring_a_structure_is_not_offered(self) -> None:
        self.assertNotIn("mirror_tile", [way.kind for way in choose(raw(0)).tried])


class Lengths(unittest.TestCase):
    def test_whole_steps_between_bounds_or_the_longest_below(self) -> None:
        self.assertEqual(lengths(10, 25, 52), [30, 40, 50])
        self.assertEqual(lengths(10, 58, 59), [50])

    def test_not_one_step_is_refused_with_what_to_do(self) -> None:
        with self.assertRaises(BadRequest) as refused:
            lengths(80, 10, 60)
        self.assertIn("80", refused.exception.message)


if __name__ == "__main__":
    unittest.main()
