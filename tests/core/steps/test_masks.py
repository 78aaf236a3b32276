"""Masks are scalar pictures at any resolution: laws that every kind of mask has to keep."""

import unittest

import numpy as np
from pydantic import ValidationError

from stonestack.core.kinds.references import MapRef, MaskRef, StrokesRef
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.steps.masks import MASKS
from stonestack.core.steps.masks.rectangle import Rectangle, draw
from stonestack.core.steps.masks.strokes import Drawing, Stroke, StrokePoint, kept


def rectangle(x: float, y: float, width: float, height: float, soft: float = 0.0) -> Rectangle:
    return Rectangle(x=x, y=y, width=width, height=height, soft=soft)


def usual(name: str, width: int, height: int, wraps: bool) -> Floats:
    """Draw a mask with its usual parameters, with something for all that it reads."""
    kind = MASKS[name]
    given: dict[str, object] = {}
    read: list[object] = []
    for field, info in kind.params.model_fields.items():
        if info.annotation is MapRef:
            given[field] = MapRef(map="m")
            read.append(Picture(waves(width, height), Space.LINEAR, wraps=wraps))
        elif info.annotation is MaskRef:
            given[field] = MaskRef(mask="m")
            shape = draw(rectangle(0.2, 0.3, 0.4, 0.4), width, height, wraps)
            read.append(Picture(shape[..., np.newaxis], Space.DATA, wraps=wraps))
        elif info.annotation is StrokesRef:
            given[field] = StrokesRef(sha256="ab" * 32)
            read.append(kept(Drawing(strokes=(ACROSS,))))
    return kind.draw(kind.params.model_validate(given), width, height, wraps, *read)


def waves(width: int, height: int) -> Floats:
    """Draw colours that go on over the edges."""
    x = (np.arange(width, dtype=np.float32) + 0.5) / width
    y = ((np.arange(height, dtype=np.float32) + 0.5) / height)[:, np.newaxis]
    one, other = 0.5 + 0.4 * np.sin(2 * np.pi * (x + y)), 0.5 + 0.4 * np.cos(2 * np.pi * (x - y))
    return np.stack([one, other, 0.3 + 0 * one], axis=2).astype(np.float32)


ACROSS = Stroke(size=0.1, soft=0.4, points=(StrokePoint(x=0.2, y=0.3), StrokePoint(x=1.1, y=0.7)))
UNEVEN = {
    "outline": (0.25, 0.002),
    "strokes": (0.25, 0.002),
    "border": (0.6, 0.004),
    "noise": (0.3, 0.02),
}
"""How far masks with sharp corners, or with detail finer than a texel, may be off."""
TEXELS = ("stripes",)
"""Masks that are measured in texels."""


class EveryMask(unittest.TestCase):
    def drawn(self, width: int, height: int, wraps: bool) -> dict[str, Floats]:
        return {name: usual(name, width, height, wraps) for name in MASKS}

    def test_it_is_a_share_at_each_texel_whatever_the_size(self) -> None:
        for width, height in ((1, 1), (4, 4), (7, 3), (64, 48), (513, 129)):
            for wraps in (False, True):
                for name, values in self.drawn(width, height, wraps).items():
                    with self.subTest(name, width=width, wraps=wraps):
                        self.assertEqual(values.shape, (height, width))
                        self.assertEqual(values.dtype, np.float32)
                        self.assertGreaterEqual(values.min(), 0)
                        self.assertLessEqual(values.max(), 1)

    def test_drawn_finely_and_shrunk_it_is_what_is_drawn_coarsely(self) -> None:
        for name in set(MASKS) - set(TEXELS):
            fine = self.drawn(512, 384, True)[name]
            coarse = self.drawn(128, 96, True)[name]
            shrunk = fine.reshape(96, 4, 128, 4).mean(axis=(1, 3))
            with self.subTest(name):
                most, mean = UNEVEN.get(name, (0.12, 0.002))
                self.assertLess(np.abs(shrunk - coarse).max(), most)
                self.assertLess(np.abs(shrunk - coarse).mean(), mean)

    def test_the_same_parameters_draw_the_same_every_time(self) -> None:
        for name in MASKS:
            one, other = (self.drawn(65, 33, True)[name] for _ in range(2))
            np.testing.assert_array_equal(one, other)

    def test_parameters_of_another_kind_or_out_of_range_are_refused(self) -> None:
        for values in ({"width": 0}, {"width": 2}, {"x": -3}, {"soft": 1}, {"colour": "red"}):
            with self.subTest(values), self.assertRaises(ValidationError):
                Rectangle.model_validate(values)


class Rectangles(unittest.TestCase):
    def test_its_area_is_that_of_its_sides_where_it_lies_inside(self) -> None:
        chance = np.random.default_rng(5)
        for _ in range(60):
            width, height = chance.uniform(0.05, 0.5, 2).round(4)
            x, y = chance.uniform(0.02, 0.45, 2).round(4)
            sides = tuple(int(n) for n in chance.integers(30, 300, 2))
            got = draw(rectangle(x, y, width, height), *sides, wraps=False).mean()
            self.assertAlmostEqual(float(got), width * height, delta=0.002)

    def test_on_a_tile_it_has_its_whole_area_wherever_it_lies(self) -> None:
        chance = np.random.default_rng(6)
        for _ in range(60):
            width, height = chance.uniform(0.05, 0.95, 2).round(4)
            x, y = chance.uniform(-1, 1, 2).round(4)
            got = draw(rectangle(x, y, width, height), 200, 100, wraps=True).mean()
            self.assertAlmostEqual(float(got), width * height, delta=0.003)

    def test_on_a_tile_a_whole_turn_further_is_the_same_place(self) -> None:
        for x in (-1, -0.7, -0.25, 0):
            near = draw(rectangle(x, 0.1, 0.4, 0.3, 0.05), 120, 80, wraps=True)
            far = draw(rectangle(x + 1, 0.1, 0.4, 0.3, 0.05), 120, 80, wraps=True)
            np.testing.assert_allclose(near, far, atol=1e-4)

    def test_on_a_tile_moved_by_texels_it_is_rolled(self) -> None:
        first = draw(rectangle(0.2, 0.3, 0.4, 0.3, 0.1), 100, 50, wraps=True)
        for across, down in ((7, 3), (55, 30), (-30, -11)):
            moved = rectangle(0.2 + across / 100, 0.3 + down / 50, 0.4, 0.3, 0.1)
            values = draw(moved, 100, 50, wraps=True)
            np.testing.assert_allclose(values, np.roll(first, (down, across), (0, 1)), atol=1e-4)

    def test_off_a_picture_that_is_no_tile_nothing_comes_in_elsewhere(self) -> None:
        values = draw(rectangle(0.9, 0.4, 0.4, 0.2), 100, 100, wraps=False)
        self.assertEqual(values[:, :50].max(), 0)
        self.assertGreater(values[50, 95], 0.99)

    def test_all_of_a_tile_is_all_of_it_with_no_seam(self) -> None:
        for soft in (0.0, 0.3):
            values = draw(rectangle(0.4, -0.6, 1, 1, soft), 64, 64, wraps=True)
            self.assertEqual(values.min(), 1)

    def test_a_soft_edge_is_half_on_the_line_and_falls_without_a_step(self) -> None:
        values = draw(rectangle(0.25, 0.25, 0.5, 0.5, 0.2), 400, 400, wraps=True)
        row = values[200]
        self.assertAlmostEqual(float((row[99] + row[100]) / 2), 0.5, delta=0.01)
        rising = np.diff(row[:200])
        self.assertGreaterEqual(rising.min(), 0)
        self.assertLess(rising.max(), 0.03)

    def test_a_softer_edge_has_the_same_area(self) -> None:
        hard = draw(rectangle(0.3, 0.3, 0.4, 0.4), 256, 256, wraps=True).mean()
        for soft in (0.02, 0.1, 0.3):
            values = draw(rectangle(0.3, 0.3, 0.4, 0.4, soft), 256, 256, wraps=True)
            self.assertAlmostEqual(float(values.mean()), float(hard), delta=0.004)

    def test_at_a_tenth_of_the_size_it_limits_the_same_part(self) -> None:
        large = draw(rectangle(0.13, 0.4, 0.41, 0.33, 0.04), 900, 600, wraps=True)
        picture = Picture(np.ascontiguousarray(large[..., None]), Space.DATA, wraps=True)
        small = draw(rectangle(0.13, 0.4, 0.41, 0.33, 0.04), 90, 60, wraps=True)
        shrunk = resize(picture, 90, 60).pixels[..., 0]
        self.assertLess(np.abs(shrunk - small).mean(), 0.004)


if __name__ == "__main__":
    unittest.main()
