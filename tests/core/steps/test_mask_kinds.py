"""Each kind of mask against its shape on paper, and the algebra of putting masks together."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as some
from scipy import ndimage

from stonestack.core.kinds.references import MapRef, MaskRef, StrokesRef
from stonestack.core.picture import colour, perceptual, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.masks.combining import Combine, combined, feathered, grown, valued
from stonestack.core.steps.masks.ellipse import Ellipse
from stonestack.core.steps.masks.ellipse import draw as draw_ellipse
from stonestack.core.steps.masks.others import Border, border
from stonestack.core.steps.masks.outline import Corner, Outline
from stonestack.core.steps.masks.outline import draw as draw_outline
from stonestack.core.steps.masks.patterns import (
    GradientMask,
    NoiseMask,
    Stripes,
    gradient,
    noise,
    stripes,
)
from stonestack.core.steps.masks.ranges import ColourRange, ValueRange, colour_range, value_range
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.masks.rectangle import draw as draw_rectangle
from stonestack.core.steps.masks.strokes import Drawing, Stroke, StrokePoint, Strokes, kept, read
from stonestack.core.steps.masks.strokes import draw as draw_strokes

SIDES = (64, 200, 512)
REF = StrokesRef(sha256="ab" * 32)


def mask_of(values: Floats, wraps: bool = True) -> Picture:
    return Picture(
        np.ascontiguousarray(values[..., np.newaxis], np.float32), Space.DATA, wraps=wraps
    )


def drawn(*strokes: Stroke, side: int = 200, wraps: bool = True) -> Floats:
    return draw_strokes(Strokes(strokes=REF), side, side, wraps, kept(Drawing(strokes=strokes)))


def stroke(
    *places: tuple[float, float], size: float = 0.1, soft: float = 0.0, **more: bool
) -> Stroke:
    points = tuple(StrokePoint(x=x, y=y) for x, y in places)
    return Stroke(size=size, soft=soft, points=points, **more)


class Shapes(unittest.TestCase):
    def test_an_ellipse_has_its_area_at_three_resolutions_and_over_the_edges(self) -> None:
        for side in SIDES:
            for x, y in ((0.2, 0.3), (0.8, -0.4)):
                got = draw_ellipse(
                    Ellipse(x=x, y=y, width=0.5, height=0.3, soft=0), side, side, True
                )
                self.assertAlmostEqual(float(got.mean()), math.pi / 4 * 0.5 * 0.3, delta=0.002)

    def test_an_ellipse_ends_where_its_sides_are(self) -> None:
        got = draw_ellipse(Ellipse(x=0.25, y=0.25, width=0.5, height=0.5, soft=0), 400, 400, False)
        inside = np.flatnonzero(got[200] > 0.5)
        self.assertAlmostEqual(int(inside[0]), 100, delta=1)
        self.assertAlmostEqual(int(inside[-1]), 299, delta=1)

    def test_an_outline_has_the_area_of_its_polygon(self) -> None:
        chance = np.random.default_rng(8)
        for side in SIDES:
            angles = np.sort(chance.uniform(0, 2 * math.pi, 7))
            corners = [(0.5 + 0.4 * math.cos(a), 0.5 + 0.3 * math.sin(a)) for a in angles]
            area = 0.0
            for (ax, ay), (bx, by) in zip(corners, [*corners[1:], corners[0]], strict=True):
                area += (ax * by - bx * ay) / 2
            outline = Outline(corners=tuple(Corner(x=x, y=y) for x, y in corners))
            got = draw_outline(outline, side, side, True)
            self.assertAlmostEqual(float(got.mean()), abs(area), delta=0.006)

    def test_an_outline_over_the_edge_comes_in_at_the_other(self) -> None:
        square = [(0.8, 0.8), (1.2, 0.8), (1.2, 1.2), (0.8, 1.2)]
        outline = Outline(corners=tuple(Corner(x=x, y=y) for x, y in square))
        got = draw_outline(outline, 100, 100, True)
        moved = [(x - 0.3, y - 0.3) for x, y in square]
        middle = draw_outline(
            Outline(corners=tuple(Corner(x=x, y=y) for x, y in moved)), 100, 100, True
        )
        np.testing.assert_allclose(np.roll(got, (-30, -30), (0, 1)), middle, atol=0.3)
        self.assertAlmostEqual(float(got.mean()), 0.16, delta=0.003)

    def test_stripes_have_exactly_their_texels(self) -> None:
        got = stripes(Stripes(width=3, every=16, first=2), 64, 8, True)
        np.testing.assert_array_equal(
            np.flatnonzero(got[0]), [2, 3, 4, 18, 19, 20, 34, 35, 36, 50, 51, 52]
        )
        level = stripes(Stripes(width=3, every=16, first=2, level=True), 8, 64, True)
        np.testing.assert_array_equal(level, got.T)

    def test_a_gradient_goes_evenly_and_mirrored_it_has_an_axis(self) -> None:
        got = gradient(GradientMask(turn=0), 100, 4, True)
        np.testing.assert_allclose(got[0], (np.arange(100) + 0.5) / 100, atol=1e-5)
        back = gradient(GradientMask(turn=0, mirrored=True), 100, 4, True)
        np.testing.assert_allclose(back, back[:, ::-1], atol=1e-5)
        self.assertGreater(float(back[0, 50]), 0.98)

    def test_noise_covers_about_as_much_as_it_is_asked(self) -> None:
        for cover in (0.2, 0.5, 0.8):
            got = [
                noise(NoiseMask(cover=cover, soft=0.01, size=6, seed=s), 256, 256, True)
                for s in range(6)
            ]
            self.assertAlmostEqual(float(np.mean(got)), cover, delta=0.08)


class StrokesDrawn(unittest.TestCase):
    def test_a_stroke_is_as_wide_as_the_marker_at_any_resolution(self) -> None:
        for side in SIDES:
            got = drawn(stroke((0.2, 0.5), (0.8, 0.5)), side=side, wraps=False)
            wanted = 0.6 * 0.1 + math.pi * 0.05**2
            self.assertAlmostEqual(float(got.mean()), wanted, delta=0.0008)

    def test_strokes_at_two_resolutions_are_the_same_strokes(self) -> None:
        strokes = (
            stroke((0.1, 0.2), (0.5, 0.9), (1.3, 0.4), soft=0.5),
            stroke((0.5, 0.5), size=0.3, soft=1.0),
        )
        fine, coarse = drawn(*strokes, side=512), drawn(*strokes, side=128)
        shrunk = fine.reshape(128, 4, 128, 4).mean(axis=(1, 3))
        self.assertLess(np.abs(shrunk - coarse).mean(), 0.003)

    def test_over_the_edge_it_comes_in_at_the_other_side(self) -> None:
        over = drawn(stroke((0.9, 0.5), (1.1, 0.5)))
        inside = drawn(stroke((0.4, 0.5), (0.6, 0.5)))
        np.testing.assert_allclose(np.roll(over, 100, axis=1), inside, atol=1e-5)

    def test_within_a_stroke_nothing_is_laid_on_twice(self) -> None:
        once = drawn(stroke((0.2, 0.5), (0.8, 0.5), soft=0.8))
        there_and_back = drawn(stroke((0.2, 0.5), (0.8, 0.5), (0.2, 0.5), soft=0.8))
        np.testing.assert_allclose(there_and_back, once, atol=1e-6)

    def test_what_is_drawn_can_be_taken_away(self) -> None:
        line = stroke((0.2, 0.5), (0.8, 0.5))
        rubbed = stroke((0.1, 0.5), (0.9, 0.5), size=0.3, takes=True)
        self.assertEqual(float(drawn(line, rubbed).max()), 0)

    def test_pressure_makes_it_thinner(self) -> None:
        points = (StrokePoint(x=0.2, y=0.5), StrokePoint(x=0.8, y=0.5, pressure=0.2))
        got = drawn(Stroke(size=0.2, soft=0, points=points))
        self.assertGreater(got[:, 45].sum(), 2.5 * got[:, 155].sum())

    def test_strokes_that_cannot_be_read_are_refused_in_words(self) -> None:
        for data in (b"", b"{}x", b'{"version":2,"strokes":[]}', b'{"strokes":[{"size":9}]}'):
            with self.assertRaises(BadRequest):
                read(data)


class Ranges(unittest.TestCase):
    def test_a_colour_range_selects_what_an_independent_conversion_selects(self) -> None:
        # The matrices of CSS Color 4 from sRGB by way of CIE XYZ: another way to OKLab.
        xyz = np.array(
            [
                [0.4123908, 0.3575843, 0.1804808],
                [0.2126390, 0.7151687, 0.0721923],
                [0.0193308, 0.1191948, 0.9505322],
            ]
        )
        cones = np.array(
            [
                [0.8190224, 0.3619063, -0.1288738],
                [0.0329837, 0.9292868, 0.0361447],
                [0.0481772, 0.2642395, 0.6335478],
            ]
        )
        lab = np.array(
            [
                [0.2104542, 0.7936177, -0.0040720],
                [1.9779985, -2.4285922, 0.4505937],
                [0.0259040, 0.7827717, -0.8086758],
            ]
        )
        light = np.random.default_rng(5).random((80, 80, 3)).astype(np.float32)

        def to(values: Floats) -> Floats:
            return np.cbrt(values.astype(np.float64) @ xyz.T @ cones.T) @ lab.T

        np.testing.assert_allclose(perceptual.to_lab(light), to(light), atol=2e-4)
        wanted = swatches.linear("#a04030")
        apart = np.linalg.norm(to(light) - to(wanted[np.newaxis]), axis=2)
        params = ColourRange(map=MapRef(map="m"), colour="#a04030", tolerance=0.15, soft=0)
        got = colour_range(params, 80, 80, False, Picture(light, Space.LINEAR))
        sure = np.abs(apart - 0.15) > 1e-3
        np.testing.assert_array_equal(got[sure] > 0.5, apart[sure] <= 0.15)

    def test_without_shade_light_and_shadow_of_one_colour_are_alike(self) -> None:
        shades = swatches.linear("#a04030") * np.array([[0.3], [1.0]])
        picture = Picture(shades[np.newaxis].astype(np.float32), Space.LINEAR)
        with_shade = ColourRange(map=MapRef(map="m"), tolerance=0.12, soft=0)
        without = with_shade.model_copy(update={"shade": 0.0})
        self.assertEqual(float(colour_range(with_shade, 2, 1, False, picture)[0, 0]), 0)
        self.assertEqual(float(colour_range(without, 2, 1, False, picture)[0, 0]), 1)

    def test_a_value_range_is_in_between_its_ends(self) -> None:
        ramp = Picture(np.linspace(0, 1, 101, dtype=np.float32).reshape(1, 101, 1), Space.DATA)
        params = ValueRange(map=MapRef(map="m"), low=0.3, high=0.6, soft=0.1)
        got = value_range(params, 101, 1, False, ramp)[0]
        self.assertEqual(float(got[20]), 0)
        self.assertAlmostEqual(float(got[30]), 0.5, delta=0.02)
        self.assertEqual(float(got[45]), 1)
        self.assertAlmostEqual(float(got[60]), 0.5, delta=0.02)
        whole = ValueRange(map=MapRef(map="m"), low=0, high=1)
        self.assertEqual(float(value_range(whole, 101, 1, False, ramp).min()), 1)

    def test_of_colour_lightness_counts_and_of_vectors_how_steep(self) -> None:
        light = Picture(
            np.full((1, 1, 3), colour.to_linear(np.float32([0.5]))[0], np.float32), Space.LINEAR
        )
        near = ValueRange(map=MapRef(map="m"), low=0.45, high=0.55, soft=0.01)
        self.assertEqual(float(value_range(near, 1, 1, False, light)[0, 0]), 1)
        flat = Picture(np.float32([[[0, 0, 1]]]), Space.VECTOR)
        steep = ValueRange(map=MapRef(map="m"), low=0.1, high=1)
        self.assertEqual(float(value_range(steep, 1, 1, False, flat)[0, 0]), 0)


class Algebra(unittest.TestCase):
    @given(some.integers(0, 10_000))
    def test_masks_keep_the_laws_of_sets(self, seed: int) -> None:
        chance = np.random.default_rng(seed)
        a, b, c = (mask_of(chance.random((5, 6))) for _ in range(3))

        def add(one: Picture, other: Picture) -> Picture:
            return combined(one, other, Combine.ADD)

        def meet(one: Picture, other: Picture) -> Picture:
            return combined(one, other, Combine.MEET)

        def same(one: Picture, other: Picture) -> None:
            np.testing.assert_allclose(one.pixels, other.pixels, atol=1e-6)

        nothing = a.with_pixels(np.zeros_like(a.pixels))
        same(add(a, b), add(b, a))
        same(meet(a, meet(b, c)), meet(meet(a, b), c))
        same(meet(a, add(b, c)), add(meet(a, b), meet(a, c)))
        same(add(a, meet(a, b)), a)
        same(add(a, nothing), a)
        same(combined(a, nothing, Combine.TAKE), a)
        turned = [valued(one, 0, 1) for one in (a, b)]
        same(valued(add(a, b), 0, 1), meet(*turned))
        same(combined(a, b, Combine.TAKE), meet(a, turned[1]))

    def test_growing_moves_every_edge_by_as_much(self) -> None:
        for side in SIDES:
            square = draw_rectangle(
                Rectangle(x=0.3, y=0.3, width=0.4, height=0.4, soft=0), side, side, True
            )
            for by in (5.0, -5.0):
                got = grown(mask_of(square), by).pixels[..., 0]
                row = got[side // 2]
                self.assertAlmostEqual(float(row.sum()) / side, 0.4 + by / 50, delta=1.2 / side)

    def test_growing_keeps_a_soft_edge_as_soft(self) -> None:
        y, x = np.mgrid[:256, :256]
        for wide in (10, 40):
            for share in (2.0, 8.0, -4.0):
                inside = 70 - np.hypot(x - 128, y - 128)
                soft = np.clip(inside / wide + 0.5, 0, 1).astype(np.float32)
                got = grown(mask_of(soft), share).body[..., 0]
                wanted = np.clip((inside + share / 100 * 256) / wide + 0.5, 0, 1)
                self.assertLess(np.abs(got - wanted).mean(), 0.004)
                self.assertLess(np.abs(got - wanted).max(), 0.09)

    def test_growing_what_is_grey_is_its_dilation_by_a_disc(self) -> None:
        chance = np.random.default_rng(12)
        grey = ndimage.gaussian_filter(chance.random((96, 96)), 5, mode="wrap")
        grey = (grey - grey.min()) / (grey.max() - grey.min())
        reach = 5
        away = np.hypot(*np.mgrid[-reach : reach + 1, -reach : reach + 1])
        wanted = ndimage.grey_dilation(grey, footprint=away <= reach, mode="wrap")
        got = grown(mask_of(grey.astype(np.float32)), 100 * reach / 96).body[..., 0]
        self.assertLess(np.abs(got - wanted).mean(), 0.025)

    def test_growing_and_shrinking_goes_on_over_the_edges(self) -> None:
        edge = draw_rectangle(
            Rectangle(x=-0.1, y=0.3, width=0.2, height=0.4, soft=0), 100, 100, True
        )
        middle = np.roll(edge, 50, axis=1)
        for by in (6.0, -3.0):
            one, other = (grown(mask_of(m), by).pixels[..., 0] for m in (edge, middle))
            np.testing.assert_allclose(np.roll(one, 50, axis=1), other, atol=1e-5)

    def test_growing_nothing_and_all_stays_so(self) -> None:
        for value in (0.0, 1.0):
            level = mask_of(np.full((20, 20), value))
            for by in (10.0, -10.0):
                np.testing.assert_array_equal(grown(level, by).pixels, level.pixels)

    def test_feather_keeps_the_area_and_is_half_on_the_edge(self) -> None:
        square = draw_rectangle(
            Rectangle(x=0.25, y=0.25, width=0.5, height=0.5, soft=0), 200, 200, True
        )
        got = feathered(mask_of(square), 4).pixels[..., 0]
        self.assertAlmostEqual(float(got.mean()), 0.25, delta=1e-3)
        self.assertAlmostEqual(float(got[100, 49:51].mean()), 0.5, delta=0.01)

    def test_values_inside_and_outside_are_as_typed(self) -> None:
        square = draw_rectangle(Rectangle(soft=0), 64, 64, True)
        got = valued(mask_of(square), 0.8, 0.25).pixels
        self.assertAlmostEqual(float(got[32, 32, 0]), 0.8, places=6)
        self.assertAlmostEqual(float(got[0, 0, 0]), 0.25, places=6)

    def test_a_border_has_its_width_and_lies_on_its_side(self) -> None:
        disc = draw_ellipse(Ellipse(x=0.2, y=0.2, width=0.6, height=0.6, soft=0), 400, 400, True)
        for side, radius in (("middle", 0.3), ("inside", 0.28), ("outside", 0.32)):
            params = Border(mask=MaskRef(mask="m"), width=4, side=side)
            got = border(params, 400, 400, True, mask_of(disc))
            self.assertAlmostEqual(float(got.mean()), 2 * math.pi * radius * 0.04, delta=0.003)


if __name__ == "__main__":
    unittest.main()
