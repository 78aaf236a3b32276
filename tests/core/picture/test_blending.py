"""Laws of mixing: what every blend mode, amount and mask has to keep, on drawn values."""

import unittest

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.blending import Blend, blended, laid_over, mixed
from stonestack.core.picture.image import Picture, Space, premultiplied, straightened
from stonestack.core.picture.resize import resize
from stonestack.core.runtime.errors import BadRequest

SIDE = 24
SYMMETRIC = (Blend.MULTIPLY, Blend.SCREEN, Blend.DARKEN, Blend.LIGHTEN, Blend.ADD)


class BlendingCase(unittest.TestCase):
    def setUp(self) -> None:
        self.chance = np.random.default_rng(31)

    def drawn(self, channels: int = 3, space: Space = Space.LINEAR, alpha: bool = False) -> Picture:
        pixels = self.chance.random((SIDE, SIDE, channels + alpha), np.float32)
        return Picture(pixels, space, alpha=alpha)

    def level(self, value: float, channels: int = 3, space: Space = Space.LINEAR) -> Picture:
        return Picture(np.full((SIDE, SIDE, channels), value, np.float32), space)

    def assert_same(self, one: np.ndarray, other: np.ndarray, off: float = 2e-6) -> None:
        np.testing.assert_allclose(one, other, atol=off)


class Modes(BlendingCase):
    def test_each_has_the_picture_that_changes_nothing(self) -> None:
        below = self.drawn().pixels
        nothing = {
            Blend.MULTIPLY: 1,
            Blend.SCREEN: 0,
            Blend.OVERLAY: 0.5,
            Blend.DARKEN: 1,
            Blend.LIGHTEN: 0,
            Blend.ADD: 0,
            Blend.SOFT_LIGHT: 0.5,
            Blend.HIGHER: 0,
        }
        for blend, value in nothing.items():
            with self.subTest(blend):
                above = np.full_like(below, value)
                self.assert_same(blended(below, above, blend), below)
        self.assertEqual(set(nothing) | {Blend.NORMAL}, set(Blend))

    def test_most_do_not_mind_which_lies_below(self) -> None:
        one, other = self.drawn().pixels, self.drawn().pixels
        for blend in SYMMETRIC:
            with self.subTest(blend):
                self.assert_same(blended(one, other, blend), blended(other, one, blend))

    def test_soft_light_is_that_of_the_specification(self) -> None:
        # W3C, "Compositing and Blending Level 1", section 9.1: values worked out by hand.
        for below, above, wanted in ((0.2, 0.3, 0.136), (0.5, 0.8, 0.624264), (0.1, 0.9, 0.2568)):
            got = blended(np.float32([[[below]]]), np.float32([[[above]]]), Blend.SOFT_LIGHT)
            self.assertAlmostEqual(float(got[0, 0, 0]), wanted, places=5)

    def test_the_higher_is_taken_whole_where_it_stands_well_above(self) -> None:
        below, above = np.full((1, 1, 3), 0.3, np.float32), np.float32([[[0.9, 0.5, 0.4]]])
        self.assert_same(blended(below, above, Blend.HIGHER), above)
        self.assert_same(blended(above, below, Blend.HIGHER), above)

    def test_screen_is_multiply_of_the_negatives(self) -> None:
        one, other = self.drawn().pixels, self.drawn().pixels
        turned = 1 - blended(1 - one, 1 - other, Blend.MULTIPLY)
        self.assert_same(blended(one, other, Blend.SCREEN), turned)

    def test_overlay_is_its_own_negative(self) -> None:
        one, other = self.drawn().pixels, self.drawn().pixels
        turned = 1 - blended(1 - one, 1 - other, Blend.OVERLAY)
        self.assert_same(blended(one, other, Blend.OVERLAY), turned)

    def test_darker_and_lighter_of_two_are_both(self) -> None:
        one, other = self.drawn().pixels, self.drawn().pixels
        darker, lighter = (blended(one, other, b) for b in (Blend.DARKEN, Blend.LIGHTEN))
        self.assert_same(darker + lighter, one + other)
        self.assertTrue((darker <= lighter).all())

    def test_none_leaves_the_range(self) -> None:
        edges = np.array([0, 0, 1, 1, 0.5], np.float32)
        one, other = np.meshgrid(edges, edges)
        for blend in Blend:
            with self.subTest(blend):
                values = blended(one.astype(np.float32), other.astype(np.float32), blend)
                self.assertEqual(values.dtype, np.float32)
                self.assertGreaterEqual(values.min(), 0)
                self.assertLessEqual(values.max(), 1)

    def test_colours_are_blended_as_the_eye_sees_them_and_data_as_it_is(self) -> None:
        half, quarter = self.level(0.5), self.level(0.25)
        both = colour.to_srgb(np.array([0.5, 0.25], np.float32))
        wanted = colour.to_linear(both[:1] * both[1:])
        got = mixed(half, quarter, None, 1, Blend.MULTIPLY)
        self.assert_same(got.pixels, np.full((SIDE, SIDE, 3), wanted), 1e-4)
        data = mixed(
            self.level(0.5, 1, Space.DATA),
            self.level(0.25, 1, Space.DATA),
            None,
            1,
            Blend.MULTIPLY,
        )
        self.assert_same(data.pixels, np.full((SIDE, SIDE, 1), 0.125))


class Amounts(BlendingCase):
    def test_nothing_at_zero_and_all_at_one_for_every_mode(self) -> None:
        for alpha in (False, True):
            before, after = self.drawn(alpha=alpha), self.drawn(alpha=alpha)
            for blend in Blend:
                with self.subTest(blend=blend, alpha=alpha):
                    none = mixed(before, after, None, 0, blend)
                    self.assert_same(none.pixels, before.pixels, 1e-5)
            self.assert_same(mixed(before, after, None, 1, Blend.NORMAL).pixels, after.pixels)

    def test_between_it_is_even_and_beyond_it_goes_on(self) -> None:
        before, after = self.level(0.4), self.level(0.5)
        for amount, wanted in ((0.25, 0.425), (0.5, 0.45), (2, 0.6), (3.5, 0.75), (9, 1.0)):
            with self.subTest(amount):
                got = mixed(before, after, None, amount, Blend.NORMAL)
                self.assert_same(got.pixels, np.full((SIDE, SIDE, 3), wanted))

    def test_two_halves_of_a_mask_are_the_whole(self) -> None:
        before, after = self.drawn(), self.drawn()
        mask = self.drawn(1, Space.DATA)
        rest = mask.with_pixels(1 - mask.pixels)
        one = mixed(before, after, mask, 1, Blend.NORMAL)
        other = mixed(before, after, rest, 1, Blend.NORMAL)
        self.assert_same(one.pixels + other.pixels, before.pixels + after.pixels)

    def test_a_mask_of_another_size_is_resampled_to_the_picture(self) -> None:
        before, after = self.level(0), self.level(1)
        mask = Picture(self.chance.random((96, 96, 1), np.float32), Space.DATA)
        got = mixed(before, after, mask, 1, Blend.NORMAL)
        wanted = np.repeat(resize(mask, SIDE, SIDE).pixels, 3, axis=2)
        self.assert_same(got.pixels, np.clip(wanted, 0, 1))

    def test_vectors_turn_between_and_stay_of_length_one(self) -> None:
        up = np.zeros((SIDE, SIDE, 3), np.float32)
        up[..., 2] = 1
        tilted = np.zeros_like(up)
        tilted[..., 0], tilted[..., 2] = np.sin(0.8), np.cos(0.8)
        before, after = Picture(up, Space.VECTOR), Picture(tilted, Space.VECTOR)
        for amount in (0, 0.3, 0.7, 1, 1.5):
            with self.subTest(amount):
                got = mixed(before, after, None, amount, Blend.NORMAL).pixels
                self.assert_same(np.linalg.norm(got, axis=2), np.ones((SIDE, SIDE)), 1e-5)
        lean = [mixed(before, after, None, a, Blend.NORMAL).pixels[0, 0, 0] for a in (0, 0.5, 1)]
        self.assertEqual(lean, sorted(lean))

    def test_what_it_was_stored_as_is_kept(self) -> None:
        before = Picture(self.drawn().pixels, Space.LINEAR, wraps=True, bits=16)
        got = mixed(before, self.drawn(), None, 0.5, Blend.SCREEN)
        self.assertEqual((got.wraps, got.bits, got.space), (True, 16, Space.LINEAR))

    def test_pictures_that_do_not_fit_are_refused_in_words(self) -> None:
        small = Picture(np.zeros((3, 3, 3), np.float32), Space.LINEAR)
        for other in (small, self.level(0, 3, Space.DATA)):
            with self.assertRaises(BadRequest) as caught:
                mixed(self.level(0), other, None, 1, Blend.NORMAL)
            self.assertEqual(caught.exception.code, "cannot-be-mixed")


class Clear(BlendingCase):
    def test_a_layer_lies_over_as_the_standard_says(self) -> None:
        # Porter and Duff, "Compositing Digital Images", 1984: A over B.
        before, layer = self.drawn(alpha=True), self.drawn(alpha=True)
        got = laid_over(before, layer, None, 1, Blend.NORMAL)
        a, b = layer.pixels[..., 3:], before.pixels[..., 3:]
        opacity = a + b * (1 - a)
        body = (layer.body * a + before.body * b * (1 - a)) / opacity
        self.assert_same(got.pixels[..., 3:], opacity, 1e-5)
        self.assert_same(got.body, body, 1e-4)

    def test_where_a_layer_is_clear_nothing_changes_whatever_its_colour(self) -> None:
        for blend in Blend:
            with self.subTest(blend):
                before = self.drawn()
                pixels = self.drawn(alpha=True).pixels
                pixels[..., 3] = 0
                layer = Picture(pixels, Space.LINEAR, alpha=True)
                got = laid_over(before, layer, None, 1, blend)
                self.assert_same(got.pixels, before.pixels, 1e-5)

    def test_clear_colour_has_no_say_in_a_mix(self) -> None:
        pixels = self.drawn(alpha=True).pixels
        pixels[..., 3] = 0
        clear, solid = Picture(pixels, Space.LINEAR, alpha=True), self.level(0.3)
        for one, other in ((clear, solid), (solid, clear)):
            got = mixed(one, other, None, 0.5, Blend.NORMAL)
            self.assert_same(got.pixels[..., 3], np.full((SIDE, SIDE), 0.5))
            self.assert_same(got.body, np.full((SIDE, SIDE, 3), 0.3))

    def test_a_mask_thins_a_layer_and_an_amount_above_one_does_not_thicken_it(self) -> None:
        before, layer = self.level(0), self.drawn(alpha=True)
        mask = self.level(0.5, 1, Space.DATA)
        half = laid_over(before, layer, mask, 1, Blend.NORMAL)
        whole = laid_over(before, layer, None, 1, Blend.NORMAL)
        self.assert_same(half.pixels * 2, whole.pixels, 1e-5)
        self.assert_same(laid_over(before, layer, None, 3, Blend.NORMAL).pixels, whole.pixels)

    def test_weighting_by_alpha_and_back_is_nothing_where_anything_is_seen(self) -> None:
        picture = self.drawn(alpha=True)
        back = straightened(premultiplied(picture), picture)
        self.assert_same(back.pixels, picture.pixels, 1e-5)
        opaque = self.drawn()
        self.assertIs(premultiplied(opaque), opaque.pixels)


class Forms(unittest.TestCase):
    def test_a_picture_of_another_form_is_refused_where_it_is_made(self) -> None:
        for shape, alpha in (((4, 4), False), ((4, 4, 2), False), ((4, 4, 3), True)):
            with self.subTest(shape), self.assertRaises(ValueError):
                Picture(np.zeros(shape, np.float32), Space.DATA, alpha=alpha)
        with self.assertRaises(ValueError):
            Picture(np.zeros((4, 4, 3), np.float64), Space.DATA)  # type: ignore[arg-type]

    def test_its_parts_are_views_and_changes_are_others(self) -> None:
        picture = Picture(np.zeros((2, 5, 4), np.float32), Space.LINEAR, alpha=True)
        self.assertEqual((picture.height, picture.width), (2, 5))
        self.assertTrue(np.shares_memory(picture.body, picture.pixels))
        assert picture.opacity is not None
        self.assertEqual(picture.opacity.shape, (2, 5, 1))
        changed = picture.with_body(np.ones((2, 5, 3), np.float32))
        self.assertEqual(float(changed.pixels[..., 3].max()), 0)
        self.assertEqual(float(picture.pixels.max()), 0)
        self.assertTrue(picture.tiling().wraps and not picture.wraps)


if __name__ == "__main__":
    unittest.main()
