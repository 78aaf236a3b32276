"""What is made of a relief, against surfaces whose answers are known."""

import unittest

import numpy as np

from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.derive.cavity import (
    CavityFromHeight,
    CavityFromNormal,
    bend_of,
    cavity_from_height,
    cavity_from_normal,
)
from stonestack.core.steps.derive.normal import (
    HeightFromNormal,
    NormalFromHeight,
    height_from_normal,
    normal_from_height,
)
from stonestack.core.steps.derive.occlusion import (
    OcclusionFromHeight,
    OcclusionFromNormal,
    occlusion_from_height,
    occlusion_from_normal,
    sky_seen,
)
from stonestack.core.steps.derive.slopes import normals_of, slopes_from, slopes_of

SIDE = 256


def places(side: int = SIDE) -> tuple[np.ndarray, np.ndarray]:
    """Return how far texels lie right of and below the middle, in shares of the side."""
    at = (np.arange(side) + 0.5) / side - 0.5
    return at[np.newaxis, :] * np.ones((side, 1)), at[:, np.newaxis] * np.ones((1, side))


def height(values: np.ndarray, wraps: bool = True) -> Picture:
    return Picture(values.astype(np.float32)[..., np.newaxis], Space.DATA, wraps=wraps)


def field(side: int = SIDE) -> np.ndarray:
    """Return a sum of waves, 0..1."""
    x, y = places(side)
    total = np.sin(2 * np.pi * (3 * x + y)) + 0.6 * np.cos(2 * np.pi * (x - 4 * y) + 1)
    total += 0.3 * np.sin(2 * np.pi * 9 * x)
    return (total - total.min()) / np.ptp(total)


def apart(one: np.ndarray, two: np.ndarray) -> float:
    """Return the largest angle between vectors, in degrees."""
    return float(np.degrees(np.arccos(np.clip((one * two).sum(axis=2), -1, 1))).max())


class Slopes(unittest.TestCase):
    def wave(self, period: float, kernel: str) -> float:
        """Return how much of a wave's slope a kernel gives."""
        at = np.arange(240, dtype=np.float32)
        one = np.sin(2 * np.pi * at / period).astype(np.float32)
        right, up = slopes_of(np.tile(one, (240, 1)), kernel, True)  # type: ignore[arg-type]
        self.assertLess(float(np.abs(up).max()), 1e-5)
        true = 2 * np.pi / period * np.cos(2 * np.pi * at / period)
        return float(right[7] @ true / (true @ true))

    def test_the_fine_kernel_is_right_up_to_near_the_finest_wave(self) -> None:
        for period in (240, 40, 10, 5, 4, 3, 2.5):
            self.assertAlmostEqual(self.wave(period, "fine"), 1, delta=0.01, msg=str(period))

    def test_the_plain_one_loses_a_third_at_four_texels(self) -> None:
        self.assertAlmostEqual(self.wave(4, "plain"), 2 / np.pi, delta=1e-3)
        self.assertAlmostEqual(self.wave(4, "soft"), 2 / np.pi, delta=1e-3)

    def test_a_ramp_has_its_own_slope_up_to_the_rim(self) -> None:
        x, y = places(64)
        for kernel in ("fine", "plain", "soft"):
            ramp = (x * 64 * 0.3 + y * 64 * 0.2).astype(np.float32)
            right, up = slopes_of(ramp, kernel, False)  # type: ignore[arg-type]
            np.testing.assert_allclose(right, 0.3, atol=1e-4)
            np.testing.assert_allclose(up, -0.2, atol=1e-4)

    def test_normals_and_slopes_are_each_others_way_back(self) -> None:
        rng = np.random.default_rng(5)
        right, up = (rng.normal(0, 1, (40, 50)).astype(np.float32) for _ in range(2))
        back = slopes_from(normals_of(right, up))
        np.testing.assert_allclose(back[0], right, atol=1e-4)
        np.testing.assert_allclose(back[1], up, atol=1e-4)


class Normals(unittest.TestCase):
    def test_a_cap_of_a_sphere_faces_away_from_its_middle(self) -> None:
        x, y = places()
        ball, rim = 0.6, 0.46
        inside = np.hypot(x, y) < rim - 0.04
        cap = np.sqrt(ball**2 - np.minimum(np.hypot(x, y), rim) ** 2)
        got = normal_from_height(
            height((cap - cap.min()) / 0.2), NormalFromHeight(relief=20)
        ).pixels
        true = np.stack([x, -y, np.sqrt(np.maximum(ball**2 - x**2 - y**2, 0.01))], axis=2) / ball
        self.assertLess(apart(got[inside][np.newaxis], true[inside][np.newaxis]), 0.5)

    def test_waves_are_right_within_half_a_degree_with_each_kernel(self) -> None:
        x, y = places()
        one = 0.5 + 0.25 * np.sin(2 * np.pi * 3 * x) + 0.25 * np.cos(2 * np.pi * 2 * y)
        right = 0.1 * 0.25 * 2 * np.pi * 3 * np.cos(2 * np.pi * 3 * x)
        down = -0.1 * 0.25 * 2 * np.pi * 2 * np.sin(2 * np.pi * 2 * y)
        true = np.stack([-right, down, np.ones_like(x)], axis=2)
        true /= np.linalg.norm(true, axis=2, keepdims=True)
        for kernel in ("fine", "plain", "soft"):
            params = NormalFromHeight(relief=10, kernel=kernel)  # type: ignore[arg-type]
            self.assertLess(apart(normal_from_height(height(one), params).pixels, true), 0.5)

    def test_steepness_is_what_a_tenth_is_steeper_than_whatever_the_heights(self) -> None:
        for scale in (0.1, 1.0):
            params = NormalFromHeight(by="steepness", steepness=30)
            got = normal_from_height(height(field() * scale), params).pixels
            tilt = np.degrees(np.arccos(got[..., 2]))
            self.assertAlmostEqual(float(np.percentile(tilt, 90)), 30, delta=0.5)


class HeightsOfNormals(unittest.TestCase):
    def test_a_field_comes_back_within_a_hundredth(self) -> None:
        for wraps in (True, False):
            one = field()
            normals = normal_from_height(height(one, wraps), NormalFromHeight(relief=6))
            back = height_from_normal(normals, HeightFromNormal()).pixels[..., 0]
            self.assertLess(float(np.abs(back - one).max()), 0.01, wraps)

    def test_a_given_relief_keeps_its_scale(self) -> None:
        normals = normal_from_height(height(field()), NormalFromHeight(relief=4))
        back = height_from_normal(normals, HeightFromNormal(relief=8)).pixels
        self.assertAlmostEqual(float(np.ptp(back)), 0.5, delta=0.01)

    def test_a_ramp_of_a_picture_that_ends_comes_back_whole(self) -> None:
        x, _ = places(128)
        normals = normal_from_height(height(x + 0.5, False), NormalFromHeight(relief=20))
        back = height_from_normal(normals, HeightFromNormal()).pixels[..., 0]
        self.assertLess(float(np.abs(back - (x + 0.5)).max()), 0.02)

    def test_level_ground_is_half_way_up(self) -> None:
        level = np.zeros((16, 16, 3), np.float32)
        level[..., 2] = 1
        got = height_from_normal(Picture(level, Space.VECTOR, wraps=True), HeightFromNormal())
        np.testing.assert_array_equal(got.pixels, 0.5)


class Sky(unittest.TestCase):
    def test_level_ground_and_a_slope_see_all_of_their_own_sky(self) -> None:
        np.testing.assert_allclose(sky_seen(np.zeros((64, 64), np.float32), 20, True), 1, atol=1e-4)
        x, y = places(128)
        slope = ((x + 0.5 * y) * 128 * 0.8).astype(np.float32)
        middle = sky_seen(slope, 8, False)[40:88, 40:88]
        self.assertGreater(float(middle.min()), 0.97)

    def test_the_middle_of_a_round_pit_sees_what_geometry_says(self) -> None:
        x, y = (p * SIDE for p in places())
        for wide, deep in ((20, 10), (20, 20), (30, 60)):
            pit = np.where(np.hypot(x, y) < wide, 0, deep).astype(np.float32)
            seen = float(sky_seen(pit, 120, True)[127:129, 127:129].mean())
            # All that lies higher than the rim, weighted by the cosine.
            self.assertAlmostEqual(
                seen, 1 / (1 + (deep / wide) ** 2), delta=0.04, msg=str((wide, deep))
            )

    def test_the_middle_of_a_trench_sees_what_geometry_says(self) -> None:
        x, _ = (p * SIDE for p in places())
        for wide, deep in ((16, 8), (16, 24)):
            trench = np.where(np.abs(x) < wide, 0, deep).astype(np.float32)
            seen = float(sky_seen(trench, 120, True)[128, 127:129].mean())
            self.assertAlmostEqual(seen, wide / np.hypot(wide, deep), delta=0.04)

    def test_normals_say_the_same_as_their_heights(self) -> None:
        params = NormalFromHeight(relief=20)
        of_height = occlusion_from_height(height(field()), OcclusionFromHeight(relief=20)).pixels
        normals = normal_from_height(height(field()), params)
        of_normal = occlusion_from_normal(normals, OcclusionFromNormal()).pixels
        self.assertLess(float(np.abs(of_height - of_normal).max()), 0.02)
        self.assertLess(float(of_height.min()), 0.8)


class Bends(unittest.TestCase):
    def test_a_ball_bends_by_twice_its_own_curvature_and_a_bowl_the_other_way(self) -> None:
        x, y = (p * SIDE for p in places())
        ball = (-(x**2 + y**2) / (2 * 400)).astype(np.float32)
        radius = 4.0
        got = bend_of(*slopes_of(ball, "plain", False), radius, False)
        middle = got[100:156, 100:156]
        np.testing.assert_allclose(middle, 2 / 400 * radius, rtol=0.02)
        bowl = bend_of(*slopes_of(-ball, "plain", False), radius, False)
        np.testing.assert_allclose(bowl, -got, atol=1e-6)

    def test_hollows_are_dark_edges_white_and_both_around_the_middle(self) -> None:
        x, _ = places()
        groove = height(1 - np.exp(-((x / 0.02) ** 2)))
        shown = {
            show: cavity_from_height(groove, CavityFromHeight(show=show, relief=2)).pixels[
                128, :, 0
            ]  # type: ignore[arg-type]
            for show in ("hollows", "edges", "both")
        }
        middle, rim, away = 128, 128 + round(0.02 * SIDE * 1.3), 20
        self.assertLess(shown["hollows"][middle], 0.6)
        self.assertAlmostEqual(float(shown["hollows"][away]), 1, places=3)
        self.assertGreater(shown["edges"][rim], 0.1)
        self.assertAlmostEqual(float(shown["edges"][middle]), 0, places=3)
        self.assertLess(shown["both"][middle], 0.3)
        self.assertGreater(shown["both"][rim], 0.55)
        self.assertAlmostEqual(float(shown["both"][away]), 0.5, places=3)

    def test_normals_say_the_same_as_their_heights(self) -> None:
        normals = normal_from_height(height(field()), NormalFromHeight(relief=5, kernel="plain"))
        one = cavity_from_height(height(field()), CavityFromHeight(relief=5)).pixels
        two = cavity_from_normal(normals, CavityFromNormal()).pixels
        np.testing.assert_allclose(one, two, atol=1e-3)


class OnARing(unittest.TestCase):
    def made(self, one: np.ndarray) -> dict[str, Floats]:
        picture = height(one)
        normals = normal_from_height(picture, NormalFromHeight(relief=5))
        return {
            "normal": normals.pixels,
            "soft": normal_from_height(picture, NormalFromHeight(relief=5, kernel="soft")).pixels,
            "height": height_from_normal(normals, HeightFromNormal()).pixels,
            "occlusion": occlusion_from_height(picture, OcclusionFromHeight(relief=5)).pixels,
            "of normals": occlusion_from_normal(normals, OcclusionFromNormal()).pixels,
            "cavity": cavity_from_height(picture, CavityFromHeight(relief=5)).pixels,
            "bend": cavity_from_normal(normals, CavityFromNormal()).pixels,
        }

    def test_what_is_moved_over_the_edges_gives_the_same_moved(self) -> None:
        rng = np.random.default_rng(3)
        one = np.clip(field(192) + rng.normal(0, 0.02, (192, 192)), 0, 1)
        there = self.made(np.roll(one, (61, -37), (0, 1)))
        for name, here in self.made(one).items():
            moved = np.roll(here, (61, -37), (0, 1))
            self.assertLess(float(np.abs(moved - there[name]).max()), 2e-4, name)

    def test_twice_as_many_texels_show_the_same(self) -> None:
        small, large = self.made(field(192)), self.made(field(384))
        for name, fine in large.items():
            halved = fine.reshape(192, 2, 192, 2, -1).mean(axis=(1, 3))
            self.assertLess(float(np.abs(halved - small[name]).mean()), 0.01, name)
