import unittest

import numpy as np

from stonestack.core import colour, ops
from stonestack.core.codecs.texture import Texture
from stonestack.core.derive.alpha import AlphaFromPicture, alpha_from_picture
from stonestack.core.derive.height import HeightFromColour, height_from_colour
from stonestack.core.derive.normal import NormalFromHeight, normal_from_height
from stonestack.core.derive.specular import SpecularFromColour, specular_from_colour
from stonestack.core.image import Picture, Space
from tests.support import noise


def waves(n: int) -> Picture:
    """Return two waves across and one down, of height 0..1, on a torus."""
    x = (np.arange(n) + 0.5) / n
    height = (
        0.5
        + 0.25 * np.sin(4 * np.pi * x)[np.newaxis, :]
        + 0.25 * np.cos(2 * np.pi * x)[:, np.newaxis]
    )
    return Picture(height.astype(np.float32)[..., np.newaxis], Space.DATA, wraps=True)


def wave_normals(n: int, relief: float) -> np.ndarray:
    """Return the analytic normals of :func:`waves`, y up."""
    x = (np.arange(n) + 0.5) / n
    along = relief * 0.25 * 4 * np.pi * np.cos(4 * np.pi * x)[np.newaxis, :] * np.ones((n, 1))
    down = -relief * 0.25 * 2 * np.pi * np.sin(2 * np.pi * x)[:, np.newaxis] * np.ones((1, n))
    vectors = np.stack([-along, down, np.ones((n, n))], axis=2)
    return vectors / np.linalg.norm(vectors, axis=2, keepdims=True)


class NormalsFromHeight(unittest.TestCase):
    def test_waves_give_their_analytic_normals_over_the_edge_too(self) -> None:
        got = normal_from_height(waves(256), NormalFromHeight(relief=10)).pixels
        np.testing.assert_allclose(got, wave_normals(256, 0.10), atol=2e-3)

    def test_the_slope_does_not_depend_on_resolution(self) -> None:
        coarse = normal_from_height(waves(128), NormalFromHeight(relief=8)).pixels
        fine = normal_from_height(waves(512), NormalFromHeight(relief=8)).pixels
        mean = fine.reshape(128, 4, 128, 4, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(coarse, mean, atol=6e-3)

    def test_what_rises_to_the_right_leans_left_and_what_rises_downwards_leans_up(self) -> None:
        ramp = np.tile(np.linspace(0, 1, 32, dtype=np.float32), (32, 1))[..., np.newaxis]
        right = normal_from_height(Picture(ramp, Space.DATA), NormalFromHeight(relief=20)).pixels
        self.assertLess(right[16, 16, 0], -0.1)
        down = normal_from_height(
            Picture(np.ascontiguousarray(ramp.transpose(1, 0, 2)), Space.DATA),
            NormalFromHeight(relief=20),
        ).pixels
        self.assertGreater(down[16, 16, 1], 0.1)

    def test_both_green_directions_hold_the_same_relief(self) -> None:
        normals = normal_from_height(waves(64), NormalFromHeight(relief=6))
        stored = {}
        for green in ("up", "down"):
            node = ops.node("compress", {"format": "rgba8", "green": green}, ["x"])
            texture = ops.run(node, [normals], lambda _: b"")
            assert isinstance(texture, Texture)
            stored[green] = texture.texels().astype(int)
        np.testing.assert_array_equal(stored["up"][..., 0], stored["down"][..., 0])
        # 0 is stored at 127.5, so turning round mirrors about it, within one step of rounding.
        total = stored["up"][..., 1] + stored["down"][..., 1]
        self.assertLessEqual(np.abs(total - 255).max(), 1)

    def test_flat_ground_faces_straight_up(self) -> None:
        flat = Picture(np.full((8, 8, 1), 0.4, np.float32), Space.DATA, wraps=True)
        got = normal_from_height(flat, NormalFromHeight(relief=20)).pixels
        np.testing.assert_allclose(got, np.broadcast_to([0, 0, 1], (8, 8, 3)), atol=1e-6)


class HeightFromColourTest(unittest.TestCase):
    def setUp(self) -> None:
        self.picture = Picture(noise(96, 96, 3, 12, wraps=True), Space.LINEAR, wraps=True)

    def test_lighter_is_higher_and_inverting_turns_it_over(self) -> None:
        light = colour.lightness(self.picture.pixels)[..., 0].ravel()
        up = height_from_colour(self.picture, HeightFromColour(broad=1, fine=1)).pixels.ravel()
        down = height_from_colour(self.picture, HeightFromColour(broad=1, fine=1, invert=True))
        self.assertGreater(np.corrcoef(light, up)[0, 1], 0.98)
        np.testing.assert_allclose(down.pixels.ravel(), 1 - up, atol=1e-4)

    def test_it_fills_its_range_and_stays_a_torus(self) -> None:
        got = height_from_colour(self.picture, HeightFromColour())
        self.assertTrue(got.wraps)
        self.assertEqual((got.pixels.min(), got.pixels.max()), (0, 1))

    def test_broad_tone_can_be_left_out(self) -> None:
        x = np.linspace(0, 2 * np.pi, 96, endpoint=False, dtype=np.float32)
        slow = np.tile(0.5 + 0.4 * np.sin(x), (96, 1))[..., np.newaxis]
        picture = Picture(np.repeat(slow, 3, axis=2).astype(np.float32), Space.LINEAR, wraps=True)
        both = picture.with_pixels(np.clip(picture.pixels + noise(96, 96, 4, 4) * 0.1, 0, 1))
        kept = height_from_colour(both, HeightFromColour(broad=1)).pixels[..., 0]
        left = height_from_colour(both, HeightFromColour(broad=0)).pixels[..., 0]
        wave = np.sin(x)[np.newaxis, :] * np.ones((96, 1))
        self.assertGreater(np.corrcoef(wave.ravel(), kept.ravel())[0, 1], 0.9)
        self.assertLess(abs(np.corrcoef(wave.ravel(), left.ravel())[0, 1]), 0.3)

    def test_one_tone_is_flat_and_half_way_up(self) -> None:
        even = Picture(np.full((16, 16, 3), 0.2, np.float32), Space.LINEAR)
        np.testing.assert_array_equal(height_from_colour(even, HeightFromColour()).pixels, 0.5)


class SpecularAndAlpha(unittest.TestCase):
    def test_specular_stays_in_its_range_and_follows_lightness(self) -> None:
        picture = Picture(noise(64, 64, 5), Space.LINEAR)
        got = specular_from_colour(picture, SpecularFromColour(low=0.2, high=0.7)).pixels
        self.assertAlmostEqual(float(got.min()), 0.2, 5)
        self.assertAlmostEqual(float(got.max()), 0.7, 5)
        light = colour.lightness(picture.pixels)
        self.assertGreater(np.corrcoef(light.ravel(), got.ravel())[0, 1], 0.95)

    def test_own_alpha_passes_unchanged(self) -> None:
        pixels = noise(20, 20, 6, channels=4)
        got = alpha_from_picture(Picture(pixels, Space.LINEAR, alpha=True), AlphaFromPicture())
        np.testing.assert_allclose(got.pixels[..., 0], pixels[..., 3], atol=1e-6)

    def test_a_picture_without_alpha_is_solid(self) -> None:
        got = alpha_from_picture(Picture(noise(8, 8), Space.LINEAR), AlphaFromPicture())
        np.testing.assert_array_equal(got.pixels, 1)

    def test_alpha_from_lightness_cuts_at_its_edge(self) -> None:
        stored = np.array([0.2, 0.49, 0.51, 0.9], np.float32)
        linear = colour.to_linear(stored)[np.newaxis, :, np.newaxis].repeat(3, axis=2)
        params = AlphaFromPicture(source="lightness", middle=0.5, soft=0)
        got = alpha_from_picture(Picture(linear, Space.LINEAR), params).pixels.ravel()
        np.testing.assert_array_equal(got, [0, 0, 1, 1])
