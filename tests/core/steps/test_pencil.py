"""A hard nib of whole texels: which it covers, in masks and in the colours of the pencil."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as some
from pydantic import ValidationError

from stonestack.core.kinds.references import StrokesRef
from stonestack.core.picture import colour, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.masks.strokes import Drawing, Stroke, StrokePoint, Strokes, kept, texels
from stonestack.core.steps.masks.strokes import draw as draw_strokes
from stonestack.core.steps.pencil import Pencil, pencil

REF = StrokesRef(sha256="ab" * 32)


def line(
    *places: tuple[int, int],
    side: int = 16,
    nib: int = 1,
    ink: str | None = "#ff0000",
    takes: bool = False,
) -> Stroke:
    """Draw through the middles of texels, given as column and row."""
    points = tuple(StrokePoint(x=(x + 0.5) / side, y=(y + 0.5) / side) for x, y in places)
    return Stroke(points=points, nib=nib, colour=ink, takes=takes)


def covered(stroke: Stroke, side: int = 16, wraps: bool = True) -> set[tuple[int, int]]:
    """Return the columns and rows of what a stroke covers."""
    rows, columns = texels(stroke, side, side, wraps)
    return set(zip(columns.tolist(), rows.tolist(), strict=True))


def ground(side: int = 16, space: Space = Space.LINEAR, alpha: bool = False) -> Picture:
    chance = np.random.default_rng(4)
    channels = (3 if space is Space.LINEAR else 1) + alpha
    pixels = chance.random((side, side, channels), np.float32)
    return Picture(pixels, space, alpha=alpha, wraps=True)


def pencilled(picture: Picture, *strokes: Stroke) -> Floats:
    return pencil(picture, Pencil(strokes=REF), kept(Drawing(strokes=strokes))).pixels


class Nib(unittest.TestCase):
    def test_a_point_is_one_texel(self) -> None:
        self.assertEqual(covered(line((3, 5))), {(3, 5)})

    def test_a_line_goes_the_straight_way_without_a_gap(self) -> None:
        self.assertEqual(covered(line((2, 2), (6, 2))), {(x, 2) for x in range(2, 7)})
        self.assertEqual(covered(line((2, 2), (5, 5))), {(n, n) for n in range(2, 6)})

    @given(*[some.integers(0, 15) for _ in range(4)])
    def test_any_line_has_as_many_texels_as_its_longer_side_each_beside_the_last(
        self, x0: int, y0: int, x1: int, y1: int
    ) -> None:
        got = covered(line((x0, y0), (x1, y1)), wraps=False)
        longer = max(abs(x1 - x0), abs(y1 - y0))
        self.assertEqual(len(got), longer + 1)
        self.assertTrue({(x0, y0), (x1, y1)} <= got)
        across = abs(x1 - x0) >= abs(y1 - y0)
        way = sorted(got, key=lambda p: p[0] if across else p[1])
        for (ax, ay), (bx, by) in itertools.pairwise(way):
            self.assertEqual(max(abs(ax - bx), abs(ay - by)), 1)

    def test_a_wider_nib_is_a_square_of_so_many(self) -> None:
        self.assertEqual(covered(line((5, 5), nib=2)), {(x, y) for x in (5, 6) for y in (5, 6)})
        self.assertEqual(
            covered(line((5, 5), nib=3)), {(x, y) for x in (4, 5, 6) for y in (4, 5, 6)}
        )

    def test_over_the_edge_it_comes_in_at_the_other_side_or_ends(self) -> None:
        over = line((14, 3), (18, 3))
        self.assertEqual(covered(over), {(n % 16, 3) for n in range(14, 19)})
        self.assertEqual(covered(over, wraps=False), {(14, 3), (15, 3)})

    def test_in_a_mask_it_is_all_or_nothing(self) -> None:
        data = kept(Drawing(strokes=(line((1, 1), (9, 4)), line((4, 2), takes=True))))
        got = draw_strokes(Strokes(strokes=REF), 16, 16, True, data)
        self.assertEqual(set(np.unique(got)), {0.0, 1.0})
        self.assertEqual(int(got.sum()), 9 - int((4, 2) in covered(line((1, 1), (9, 4)))))

    def test_a_nib_of_nothing_or_a_colour_that_is_none_is_refused(self) -> None:
        for wrong in ({"nib": 0}, {"nib": 17}, {"colour": "red"}):
            with self.assertRaises(ValidationError):
                Stroke.model_validate({"points": [{"x": 0, "y": 0}], **wrong})

    def test_strokes_of_the_marker_are_kept_in_the_same_bytes_as_before(self) -> None:
        marker = Stroke(size=0.1, soft=0.5, points=(StrokePoint(x=0.5, y=0.5),))
        self.assertEqual(
            kept(Drawing(strokes=(marker,))),
            b'{"strokes":[{"points":[{"pressure":1.0,"x":0.5,"y":0.5}],'
            b'"size":0.1,"soft":0.5,"takes":false}],"version":1}',
        )


class Touched(unittest.TestCase):
    def test_only_the_texels_that_are_drawn_on_change_and_to_the_very_colour(self) -> None:
        before = ground()
        after = pencilled(before, line((2, 2), (6, 2), ink="#3070a0"))
        changed = (after != before.pixels).any(axis=2)
        rows, columns = np.nonzero(changed)
        self.assertEqual(
            set(zip(columns.tolist(), rows.tolist(), strict=True)), {(x, 2) for x in range(2, 7)}
        )
        np.testing.assert_array_equal(
            colour.linear_to_bytes(after[2, 2:7]), np.array([[0x30, 0x70, 0xA0]] * 5)
        )

    def test_a_later_line_lies_over_an_earlier_one_and_what_is_taken_comes_back(self) -> None:
        before = ground()
        after = pencilled(
            before,
            line((2, 2), (6, 2)),
            line((4, 0), (4, 5), ink="#0000ff"),
            line((3, 2), takes=True),
        )
        np.testing.assert_array_equal(after[2, 3], before.pixels[2, 3])
        np.testing.assert_array_equal(after[2, 4], swatches.linear("#0000ff"))
        np.testing.assert_array_equal(after[2, 2], swatches.linear("#ff0000"))

    def test_plain_numbers_take_the_grey_and_open_texels_become_solid(self) -> None:
        grey = pencilled(ground(space=Space.DATA), line((1, 1), ink="#808080"))
        self.assertAlmostEqual(float(grey[1, 1, 0]), 128 / 255, places=6)
        before = ground(alpha=True)
        after = pencilled(before, line((1, 1)))
        self.assertEqual(float(after[1, 1, 3]), 1.0)
        np.testing.assert_array_equal(after[5], before.pixels[5])

    def test_nothing_drawn_changes_nothing(self) -> None:
        before = ground(alpha=True)
        np.testing.assert_array_equal(pencilled(before), before.pixels)
