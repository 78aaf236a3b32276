import unittest
from dataclasses import replace

import numpy as np

from stonestack.core.files.codecs.texture import Texture
from stonestack.core.graph import ops
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.steps.derive.alpha import AlphaFromPicture, alpha_from_picture
from stonestack.core.steps.derive.height import HeightFromColour, height_from_colour
from stonestack.core.steps.derive.normal import (
    NormalFromColour,
    NormalFromHeight,
    normal_from_colour,
    normal_from_height,
)
from stonestack.core.steps.derive.shine import SpecularFromColour, specular_from_colour
from stonestack.trials import scenes
from tests.sizes import times
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
    """What is read from scenes whose height is known; the trial of maps tries more of them."""

    def read(self, ground: str, lit: scenes.Light, /, **params: object) -> Floats:
        self.scene = scenes.scene(ground, 31)
        stored = scenes.photograph(self.scene, lit, 31)
        self.picture = Picture(colour.bytes_to_linear(stored), Space.LINEAR, wraps=True)
        return height_from_colour(self.picture, HeightFromColour(**params)).pixels[..., 0]

    def alike(self, height: Floats) -> float:
        return float(np.corrcoef(height.ravel(), self.scene.height.ravel())[0, 1])

    def test_joints_lie_deep_pale_or_dark_under_sky_and_sun(self) -> None:
        grounds = ("bricks, pale joints", "bricks, dark joints", "tiles, pale joints")
        for ground in times(grounds, grounds[:2]):
            for light in (scenes.Light(), scenes.Light(130, 45, 0.4)):
                height = self.read(ground, light)
                assert self.scene.joints is not None
                inside = self.scene.joints > 0.5
                self.assertGreater(self.alike(height), 0.6, ground)
                self.assertGreater(height[~inside].mean(), height[inside].mean() + 0.2, ground)

    def test_joints_can_stand_out_or_not_be_told(self) -> None:
        sky = scenes.Light()
        deep = self.alike(self.read("tiles, pale joints", sky))
        out = self.alike(self.read("tiles, pale joints", sky, joints="stand_out"))
        plain = self.alike(self.read("tiles, pale joints", sky, joints="not_told"))
        self.assertGreater(deep, 0.8)
        self.assertLess(out, -0.8)
        self.assertLess(plain, 0)

    def test_a_lamp_is_found_at_its_side_and_its_relief_not_turned_over(self) -> None:
        for azimuth in times((20, 110, 200, 290), (110, 200)):
            light = scenes.Light(azimuth, 40, 0.35)
            found = self.alike(self.read("leather", light))
            told = self.alike(self.read("leather", light, light="given", azimuth=azimuth))
            wrong = self.read("leather", light, light="given", azimuth=(azimuth + 180) % 360)
            self.assertGreater(found, 0.25)
            self.assertAlmostEqual(found, told, delta=0.1)
            self.assertLess(self.alike(wrong), -0.1)

    def test_a_lamp_whose_side_cannot_be_told_is_taken_out(self) -> None:
        light = scenes.Light(60, 30, 0.3)
        cautious = self.read("plaster", light)
        as_sky = self.read("plaster", light, light="even")
        self.assertLess(cautious.std(), as_sky.std() / 2)

    def test_prints_get_little_relief_unless_pigment_is_wanted(self) -> None:
        for ground in ("print: checks", "print: blots", "print: dots", "print: stripes"):
            height = self.read(ground, scenes.Light())
            normals = normal_from_height(
                Picture(height[..., np.newaxis], Space.DATA, wraps=True), NormalFromHeight()
            ).pixels
            self.assertLess(np.degrees(np.arccos(normals[..., 2])).mean(), 4, ground)
            wanted = self.read(ground, scenes.Light(), pigment=0.0)
            self.assertGreater(wanted.std(), 2 * height.std(), ground)

    def test_what_is_moved_over_the_edges_gives_the_same_moved(self) -> None:
        height = self.read("gravel", scenes.Light(70, 40, 0.4))
        moved = np.roll(self.picture.pixels, (91, -44), (0, 1))
        there = height_from_colour(self.picture.with_pixels(moved), HeightFromColour())
        np.testing.assert_allclose(
            there.pixels[..., 0], np.roll(height, (91, -44), (0, 1)), atol=1e-5
        )

    def test_twice_as_many_texels_show_the_same(self) -> None:
        height = self.read("bricks, pale joints", scenes.Light(30, 45, 0.4))
        large = resize(self.picture, 2 * scenes.SIDE, 2 * scenes.SIDE)
        fine = height_from_colour(large, HeightFromColour()).pixels[..., 0]
        halved = fine.reshape(scenes.SIDE, 2, scenes.SIDE, 2).mean(axis=(1, 3))
        self.assertGreater(np.corrcoef(halved.ravel(), height.ravel())[0, 1], 0.99)
        self.assertAlmostEqual(float(halved.std()), float(height.std()), delta=0.02)

    def test_a_picture_that_ends_is_read_too(self) -> None:
        whole = self.read("cobbles, dark joints", scenes.Light())
        part = self.picture.with_pixels(self.picture.pixels[20:320, 30:330])
        ends = replace(part, wraps=False)
        height = height_from_colour(ends, HeightFromColour()).pixels[..., 0]
        alike = np.corrcoef(height.ravel(), whole[20:320, 30:330].ravel())[0, 1]
        self.assertGreater(alike, 0.9)

    def test_each_band_is_let_in_by_its_own_control(self) -> None:
        x = np.arange(256) / 256
        for waves, control in ((2, "broad"), (24, "middle"), (110, "fine")):
            tone = 0.3 * np.exp(0.05 * np.sin(2 * np.pi * waves * x))
            body = np.tile(tone[np.newaxis, :, np.newaxis], (256, 1, 3)).astype(np.float32)
            picture = Picture(body, Space.LINEAR, wraps=True)
            spreads = {}
            for only in ("broad", "middle", "fine"):
                amounts = {"broad": 0.0, "middle": 0.0, "fine": 0.0, only: 1.0}
                params = HeightFromColour(light="even", pigment=0.0, **amounts)
                spreads[only] = float(height_from_colour(picture, params).pixels.std())
            self.assertEqual(max(spreads, key=spreads.__getitem__), control, spreads)

    def test_inverting_turns_it_over(self) -> None:
        up = self.read("gravel", scenes.Light())
        down = self.read("gravel", scenes.Light(), invert=True)
        np.testing.assert_allclose(down, 1 - up, atol=1e-4)

    def test_normals_in_one_go_are_those_of_the_height(self) -> None:
        height = self.read("weave", scenes.Light(50, 40, 0.4))
        two = normal_from_height(
            Picture(height[..., np.newaxis], Space.DATA, wraps=True), NormalFromHeight(relief=2)
        )
        one = normal_from_colour(self.picture, NormalFromColour(relief=2))
        np.testing.assert_allclose(one.pixels, two.pixels, atol=1e-6)

    def test_one_tone_is_flat_and_half_way_up(self) -> None:
        even = Picture(np.full((16, 16, 3), 0.2, np.float32), Space.LINEAR)
        np.testing.assert_allclose(
            height_from_colour(even, HeightFromColour()).pixels, 0.5, atol=1e-5
        )


class SpecularAndAlpha(unittest.TestCase):
    def test_specular_stays_in_its_range(self) -> None:
        picture = Picture(noise(64, 64, 5), Space.LINEAR)
        params = SpecularFromColour(low=0.2, high=0.7, hollows=0)
        got = specular_from_colour(picture, params).pixels
        self.assertGreaterEqual(float(got.min()), 0.2)
        self.assertLessEqual(float(got.max()), 0.7)

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
