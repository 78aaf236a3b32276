"""What else a set holds: keyed, layered, in other forms, and each form's way back."""

import itertools
import unittest

import numpy as np

from stonestack.core.kinds.references import MapRef, SourceRef
from stonestack.core.picture import colour, texels
from stonestack.core.picture.image import Picture, Space
from stonestack.core.steps.beneath import SpreadBeneath, spread_beneath
from stonestack.core.steps.channels import Pack, pack
from stonestack.core.steps.derive.keyed import (
    AlphaFromKey,
    EmissiveFromColour,
    alpha_from_key,
    emissive_from_colour,
)
from stonestack.core.steps.derive.layers import (
    AlphaFromHeight,
    BlendFromHeight,
    alpha_from_height,
    blend_from_height,
)
from stonestack.core.steps.derive.metal import (
    BaseColour,
    ColourBesideMetal,
    MetalnessFromSpecular,
    SpecularFromMetalness,
    base_colour,
    colour_beside_metal,
    metalness_from_specular,
    specular_from_metalness,
)
from stonestack.core.steps.derive.normal import NormalFromHeight, normal_from_height
from stonestack.core.steps.derive.roughness import (
    GlossFromRoughness,
    RoughnessFromGloss,
    gloss_from_roughness,
    roughness_from_gloss,
)
from stonestack.core.steps.derive.shine import (
    GlossFromColour,
    RoughnessFromColour,
    SpecularFromColour,
    gloss_from_colour,
    roughness_from_colour,
    specular_from_colour,
)
from stonestack.core.steps.derive.slopes import normals_of
from stonestack.core.steps.derive.storing import (
    AlphaGreenFromNormal,
    DerivativeFromNormal,
    NormalFromAlphaGreen,
    NormalFromDerivative,
    OneChannel,
    alpha_green_from_normal,
    derivative_from_normal,
    normal_from_alpha_green,
    normal_from_derivative,
    one_channel,
)
from stonestack.core.steps.directions import (
    DetailNormal,
    ReliefOver,
    Steeper,
    detail_normal,
    relief_over,
    reoriented,
    steeper,
)

ANY = MapRef(map="any")
FILE = SourceRef(sha256="0" * 64, name="any.png")


def grey(values: np.ndarray) -> Picture:
    return Picture(values.astype(np.float32).reshape(*values.shape[:2], 1), Space.DATA, wraps=True)


def normals(side: int = 64, steep: float = 0.6, seed: int = 4) -> Picture:
    rng = np.random.default_rng(seed)
    right, up = (rng.normal(0, steep, (side, side)).astype(np.float32) for _ in range(2))
    return Picture(normals_of(right, up), Space.VECTOR, wraps=True)


def all_levels(bits: int) -> np.ndarray:
    """Return every level that so many bits store, as a picture of data."""
    count = 256 if bits == 8 else 65536
    kind = np.uint8 if bits == 8 else np.uint16
    side = int(np.sqrt(count))
    return np.arange(count).astype(kind).reshape(side, side, 1)


class ThereAndBack(unittest.TestCase):
    def test_gloss_and_roughness_are_exact_in_8_and_16_bits(self) -> None:
        for bits in (8, 16):
            stored = all_levels(bits)
            gloss = texels.from_texels(stored, Space.DATA)
            rough = roughness_from_gloss(gloss, RoughnessFromGloss())
            kept = texels.to_texels(rough, bits)
            np.testing.assert_array_equal(kept[..., :1], np.iinfo(stored.dtype).max - stored)
            back = gloss_from_roughness(texels.from_texels(kept, Space.DATA), GlossFromRoughness())
            np.testing.assert_array_equal(texels.to_texels(back, bits)[..., :1], stored)

    def test_a_flip_twice_is_no_flip(self) -> None:
        for bits in (8, 16):
            one = texels.from_texels(texels.to_texels(normals(), bits), Space.VECTOR)
            for flip in ({"flip_x": True}, {"flip_y": True}):
                once = texels.to_texels(steeper(one, Steeper(**flip)), bits)
                twice = steeper(texels.from_texels(once, Space.VECTOR), Steeper(**flip))
                apart = texels.to_texels(twice, bits).astype(int) - texels.to_texels(one, bits)
                self.assertLessEqual(int(np.abs(apart).max()), 1)

    def test_alpha_and_green_hold_normals_within_one_level(self) -> None:
        for bits in (8, 16):
            one = normals()
            stored = texels.to_texels(alpha_green_from_normal(one, AlphaGreenFromNormal()), bits)
            top = np.iinfo(stored.dtype).max
            x, y = (np.rint((one.pixels[..., k] + 1) / 2 * top) for k in (0, 1))
            self.assertLessEqual(np.abs(stored[..., 3] - x).max(), 1)
            self.assertLessEqual(np.abs(stored[..., 1] - y).max(), 1)
            read = Picture(stored.astype(np.float32) / np.float32(top), Space.DATA, alpha=True)
            back = normal_from_alpha_green(read, NormalFromAlphaGreen())
            again = texels.to_texels(alpha_green_from_normal(back, AlphaGreenFromNormal()), bits)
            np.testing.assert_array_equal(again, stored)

    def test_slopes_hold_normals_within_one_level(self) -> None:
        for bits in (8, 16):
            params = {"steepest": 4.0}
            one = derivative_from_normal(normals(), DerivativeFromNormal(**params))
            stored = texels.to_texels(one, bits)[..., :3]
            read = Picture(stored / np.float32(np.iinfo(stored.dtype).max), Space.DATA)
            back = normal_from_derivative(read, NormalFromDerivative(**params))
            again = derivative_from_normal(back, DerivativeFromNormal(**params))
            apart = texels.to_texels(again, bits)[..., :3].astype(int) - stored
            self.assertLessEqual(int(np.abs(apart).max()), 1)

    def test_what_is_packed_comes_out_again(self) -> None:
        for bits in (8, 16):
            stored = all_levels(bits)
            one = texels.from_texels(stored, Space.DATA)
            other = texels.from_texels(stored[::-1].copy(), Space.DATA)
            packed = pack(one, Pack(red=ANY, blue=ANY), one, other)
            kept = texels.to_texels(packed, bits)
            read = Picture(kept[..., :3] / np.float32(np.iinfo(kept.dtype).max), Space.DATA)
            for channel, wanted in (("red", stored), ("blue", stored[::-1])):
                out = one_channel(read, OneChannel(channel=channel))  # type: ignore[arg-type]
                np.testing.assert_array_equal(texels.to_texels(out, bits)[..., :1], wanted)

    def test_specular_and_metalness_say_the_same_surface(self) -> None:
        rng = np.random.default_rng(8)
        metal = np.repeat((np.arange(8) % 2).astype(np.float32), 8).reshape(8, 8)
        base = rng.uniform(0.1, 0.9, (8, 8, 3)).astype(np.float32)
        base[metal == 1] = rng.uniform(0.5, 0.9, (int(metal.sum()), 1))
        of, share = Picture(base, Space.LINEAR), grey(metal)
        shine = specular_from_metalness(of, SpecularFromMetalness(metalness=ANY), share)
        beside = colour_beside_metal(of, ColourBesideMetal(metalness=ANY), share)
        np.testing.assert_allclose(shine.pixels[metal == 0], 0.04, atol=1e-6)
        np.testing.assert_allclose(beside.pixels[metal == 1], 0, atol=1e-6)
        np.testing.assert_allclose(beside.pixels[metal == 0], base[metal == 0], atol=1e-6)
        back = metalness_from_specular(beside, MetalnessFromSpecular(specular=ANY), shine)
        np.testing.assert_allclose(back.pixels[..., 0], metal, atol=1e-3)
        whole = base_colour(beside, BaseColour(specular=ANY), shine)
        np.testing.assert_allclose(whole.pixels, base, atol=1 / 255)


class Laid(unittest.TestCase):
    def test_flat_normals_change_nothing_either_way(self) -> None:
        one, flat = normals().pixels, np.zeros((64, 64, 3), np.float32)
        flat[..., 2] = 1
        np.testing.assert_allclose(reoriented(one, flat), one, atol=1e-5)
        np.testing.assert_allclose(reoriented(flat, one), one, atol=1e-5)

    def test_fine_normals_turn_with_the_face_that_they_lie_on(self) -> None:
        base, over = normals(16, 0.8, 1).pixels, normals(16, 0.3, 2).pixels
        got = reoriented(base, over)
        np.testing.assert_allclose(np.linalg.norm(got, axis=2), 1, atol=1e-5)
        # A turn keeps the angle to what it turns: straight up becomes the base.
        np.testing.assert_allclose((got * base).sum(axis=2), over[..., 2], atol=1e-4)

    def test_detail_is_repeated_and_scaled(self) -> None:
        level = np.zeros((32, 32, 3), np.float32)
        level[..., 2] = 1
        fine = normals(8, 0.3)
        stored = Picture(colour.to_linear(fine.pixels * 0.5 + 0.5), Space.LINEAR)
        base = Picture(level, Space.VECTOR, wraps=True)
        got = detail_normal(base, DetailNormal(picture=FILE, repeats=4), stored).pixels
        np.testing.assert_allclose(got, np.tile(fine.pixels, (4, 4, 1)), atol=2e-3)
        none = detail_normal(base, DetailNormal(picture=FILE, strength=0), stored).pixels
        np.testing.assert_allclose(none, level, atol=1e-5)

    def test_relief_over_level_ground_is_the_relief_itself(self) -> None:
        level = np.zeros((48, 48, 3), np.float32)
        level[..., 2] = 1
        rng = np.random.default_rng(1)
        heights = grey(rng.uniform(0, 1, (48, 48)))
        got = relief_over(
            Picture(level, Space.VECTOR, wraps=True), ReliefOver(map=ANY, relief=2), heights
        )
        alone = normal_from_height(heights, NormalFromHeight(relief=2))
        np.testing.assert_allclose(got.pixels, alone.pixels, atol=1e-4)


class Keyed(unittest.TestCase):
    def picture(self) -> Picture:
        """Return a red disc with a green hole, on green."""
        at = np.arange(64) - 31.5
        away = np.hypot(at[:, np.newaxis], at)
        stored = np.where(
            ((away < 20) & (away > 8))[..., np.newaxis], (0.8, 0.2, 0.15), (0.0, 0.69, 0.25)
        )
        return Picture(colour.to_linear(stored.astype(np.float32)), Space.LINEAR)

    def test_one_colour_opens_everywhere_or_only_from_the_rim(self) -> None:
        everywhere = alpha_from_key(self.picture(), AlphaFromKey()).pixels[..., 0]
        self.assertEqual([everywhere[0, 0], everywhere[32, 32], everywhere[32, 18]], [0, 0, 1])
        outside = alpha_from_key(self.picture(), AlphaFromKey(only_outside=True)).pixels[..., 0]
        self.assertEqual([outside[0, 0], outside[32, 32], outside[32, 18]], [0, 1, 1])
        turned = alpha_from_key(self.picture(), AlphaFromKey(invert=True)).pixels[..., 0]
        np.testing.assert_allclose(turned, 1 - everywhere)

    def test_only_what_is_of_the_colour_and_light_shines(self) -> None:
        stored = np.zeros((4, 4, 3), np.float32)
        stored[0], stored[1], stored[2] = (1.0, 0.82, 0.48), (0.3, 0.25, 0.15), (0.2, 0.4, 0.9)
        got = emissive_from_colour(
            Picture(colour.to_linear(stored), Space.LINEAR), EmissiveFromColour(shade=0.0)
        ).pixels
        np.testing.assert_allclose(got[0], colour.to_linear(stored[0]), atol=1e-5)
        np.testing.assert_array_equal(got[1:], 0)

    def test_colour_spreads_beneath_what_is_clear(self) -> None:
        body = np.zeros((16, 16, 3), np.float32)
        body[:, :8] = (0.5, 0.2, 0.1)
        alpha = grey(np.repeat((np.arange(16) < 8)[np.newaxis], 16, 0))
        got = spread_beneath(Picture(body, Space.LINEAR), SpreadBeneath(alpha=ANY), alpha)
        np.testing.assert_allclose(
            got.pixels, np.broadcast_to((0.5, 0.2, 0.1), body.shape), atol=1e-5
        )


class Layered(unittest.TestCase):
    def test_the_other_layer_fills_the_hollows_first(self) -> None:
        ramp = grey(np.tile(np.linspace(0, 1, 64), (64, 1)))
        shares = []
        for cover in (0.0, 0.3, 0.5, 0.7, 1.0):
            got = blend_from_height(ramp, BlendFromHeight(cover=cover, soft=0.05)).pixels[0, :, 0]
            self.assertTrue((np.diff(got) <= 1e-6).all())
            shares.append(float(got.mean()))
        self.assertEqual([shares[0], shares[-1]], [0.0, 1.0])
        self.assertTrue(all(a < b for a, b in itertools.pairwise(shares)))
        self.assertAlmostEqual(shares[2], 0.5, delta=0.02)

    def test_where_both_have_heights_the_higher_shows(self) -> None:
        rng = np.random.default_rng(2)
        below, above = (rng.uniform(0, 1, (32, 32)).astype(np.float32) for _ in range(2))
        stored = np.repeat(colour.to_linear(above)[..., np.newaxis], 3, 2)
        got = blend_from_height(
            grey(below), BlendFromHeight(over=FILE, soft=0), Picture(stored, Space.LINEAR)
        ).pixels[..., 0]
        clear = np.abs(above - below) > 0.01
        np.testing.assert_array_equal(got[clear], (above > below)[clear])

    def test_what_lies_low_is_open(self) -> None:
        ramp = grey(np.tile(np.linspace(0, 1, 90), (4, 1)))
        got = alpha_from_height(ramp, AlphaFromHeight(level=0.35, soft=0)).pixels[0, :, 0]
        np.testing.assert_array_equal(got, np.linspace(0, 1, 90) >= 0.35)


class Shine(unittest.TestCase):
    def lit(self) -> tuple[Picture, np.ndarray]:
        """Return one grey matter under broad light."""
        x = np.linspace(0, 2 * np.pi, 128, endpoint=False, dtype=np.float32)
        light = 0.5 + 0.3 * np.sin(x)[np.newaxis] * np.cos(x)[:, np.newaxis]
        body = np.repeat((0.4 * light)[..., np.newaxis], 3, axis=2).astype(np.float32)
        return Picture(body, Space.LINEAR, wraps=True), light

    def test_light_on_one_matter_changes_neither_specular_nor_gloss(self) -> None:
        picture, _ = self.lit()
        for got in (
            specular_from_colour(picture, SpecularFromColour(low=0.2, high=0.6)).pixels,
            gloss_from_colour(picture, GlossFromColour(level=0.4)).pixels,
        ):
            np.testing.assert_allclose(got, 0.4, atol=0.02)

    def test_another_hue_is_another_matter(self) -> None:
        body = np.full((64, 64, 3), 0.3, np.float32)
        body[:, 32:] = (0.5, 0.15, 0.05)
        got = specular_from_colour(
            Picture(body, Space.LINEAR), SpecularFromColour(low=0.1, high=0.5, hollows=0)
        ).pixels[32, :, 0]
        self.assertGreater(got[48], got[16] + 0.1)
        turned = specular_from_colour(
            Picture(body, Space.LINEAR),
            SpecularFromColour(low=0.1, high=0.5, hollows=0, invert=True),
        ).pixels[32, :, 0]
        self.assertLess(turned[48], turned[16] - 0.1)

    def test_roughness_is_gloss_the_other_way_round(self) -> None:
        picture, _ = self.lit()
        gloss = gloss_from_colour(picture, GlossFromColour(level=0.3)).pixels
        rough = roughness_from_colour(picture, RoughnessFromColour(level=0.7)).pixels
        np.testing.assert_allclose(gloss, 1 - rough, atol=1e-6)
