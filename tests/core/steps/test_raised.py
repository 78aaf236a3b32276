"""Raised parts found in a height, in its normals and in a specular: the same parts."""

from __future__ import annotations

import unittest

import numpy as np

from stonestack.core.kinds.references import MapRef
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.derive.normal import NormalFromHeight, normal_from_height
from stonestack.core.steps.masks.raised import Raised, parting, raised, relief

SIDE = 160


def plates(wraps: bool = True, seed: int = 1) -> tuple[Picture, Floats]:
    """Draw soft-edged plates on a ground with a little grain, and where they are."""
    chance = np.random.default_rng(seed)
    y, x = (np.mgrid[:SIDE, :SIDE] + 0.5) / SIDE
    where = np.zeros((SIDE, SIDE))
    for cx, cy in ((0.25, 0.3), (0.75, 0.7)):
        away = np.maximum(np.abs(x - cx), np.abs(y - cy))
        where = np.maximum(where, np.clip((0.16 - away) * SIDE / 4 + 0.5, 0, 1))
    tall = 0.3 + 0.4 * where + chance.normal(0, 0.004, where.shape)
    height = np.clip(tall, 0, 1)[..., np.newaxis].astype(np.float32)
    return Picture(height, Space.DATA, wraps=wraps), where.astype(np.float32)


def found(picture: Picture, **values: object) -> Floats:
    params = Raised.model_validate({"map": MapRef(map="m"), **values})
    return raised(params, picture.width, picture.height, picture.wraps, picture)


class Parts(unittest.TestCase):
    def assert_alike(self, got: Floats, wanted: Floats) -> None:
        one, other = got > 0.5, wanted > 0.5
        self.assertGreater((one & other).sum() / (one | other).sum(), 0.9)

    def test_of_a_height_they_are_where_it_stands_out(self) -> None:
        for seed in (1, 2, 3):
            height, where = plates(seed=seed)
            self.assert_alike(found(height), where)
            self.assert_alike(found(height, sunk=True), 1 - where)

    def test_of_normals_they_are_those_of_the_height_that_they_came_from(self) -> None:
        for wraps in (True, False):
            height, where = plates(wraps)
            normals = normal_from_height(height, NormalFromHeight(relief=4.0))
            self.assert_alike(found(normals), where)

    def test_of_colour_and_specular_they_are_where_it_is_light(self) -> None:
        height, where = plates()
        light = Picture(np.repeat(height.body, 3, axis=2), Space.LINEAR, wraps=True)
        self.assert_alike(found(light), where)

    def test_a_higher_level_has_less(self) -> None:
        y, x = np.mgrid[:SIDE, :SIDE]
        slope = 0.5 - 0.5 * np.cos(2 * np.pi * x / SIDE) + 0 * y
        height = Picture(slope[..., np.newaxis].astype(np.float32), Space.DATA, wraps=True)
        areas = [float(found(height, level=level).mean()) for level in (-0.3, 0.0, 0.3)]
        self.assertGreater(areas[0], areas[1] + 0.1)
        self.assertGreater(areas[1], areas[2] + 0.1)

    def test_a_flat_map_has_none(self) -> None:
        flat = Picture(np.full((32, 32, 1), 0.4, np.float32), Space.DATA, wraps=True)
        self.assertEqual(float(found(flat).max()), 0.0)

    def test_on_a_tile_that_is_shifted_they_are_shifted(self) -> None:
        height, _ = plates()
        normals = normal_from_height(height, NormalFromHeight(relief=4.0))
        for picture in (height, normals):
            rolled = picture.with_pixels(np.roll(picture.pixels, (31, 17), (0, 1)))
            np.testing.assert_allclose(
                found(rolled), np.roll(found(picture), (31, 17), (0, 1)), atol=2e-3
            )


class Relief(unittest.TestCase):
    def test_the_surface_of_normals_is_the_height_but_for_its_scale(self) -> None:
        y, x = np.mgrid[:96, :96] / 96
        for wraps in (True, False):
            tall = (
                0.5
                + 0.2 * np.sin(2 * np.pi * x) * np.cos(4 * np.pi * y)
                + 0.1 * np.cos(2 * np.pi * y)
            )
            height = Picture(tall[..., np.newaxis].astype(np.float32), Space.DATA, wraps=wraps)
            got = relief(normal_from_height(height, NormalFromHeight(relief=3.0)))
            self.assertGreater(np.corrcoef(got.ravel(), tall.ravel())[0, 1], 0.995)

    def test_values_in_two_groups_part_between_them(self) -> None:
        chance = np.random.default_rng(9)
        for low, high in ((0.1, 0.3), (0.2, 0.9), (0.6, 0.7)):
            values = np.concatenate(
                [chance.normal(low, 0.01, 4000), chance.normal(high, 0.01, 900)]
            )
            self.assertTrue(low + 0.02 < parting(values.astype(np.float32)) < high - 0.02)
