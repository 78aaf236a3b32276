"""What is measured of maps, and of how they fit each other, against scenes whose truth is known."""

import unittest

import numpy as np

from stonestack.core.judge.checks.accord import accord, facing
from stonestack.core.judge.checks.explained import explained
from stonestack.core.judge.checks.old_relief import old_relief
from stonestack.core.judge.checks.traits import left_in, not_unit, slopes, tones
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.normals import Green
from stonestack.core.steps.line_out import LineOut, line_out
from stonestack.core.steps.relief_light import ReliefLight, lamp_of, without_relief_light
from stonestack.trials import checks, scenes

SIDE = 256
AT = (slice(60, 130), slice(150, 220))
"""Where the colour is changed."""


def picture(values: Floats, space: Space = Space.LINEAR) -> Picture:
    return Picture(np.ascontiguousarray(values, np.float32), space, wraps=True)


def rolled(one: Picture, by: tuple[int, int]) -> Picture:
    return one.with_pixels(np.ascontiguousarray(np.roll(one.pixels, by, (0, 1))))


class Fitting(unittest.TestCase):
    """Normals, and the colour that they belong to."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.scene = scenes.scene("cobbles, dark joints", 31, SIDE)
        cls.normals = picture(checks.stored(scenes.normals(cls.scene.height)), Space.VECTOR)
        light = scenes.Light(azimuth=130, elevation=45, sky=0.5)
        cls.colour = picture(colour.bytes_to_linear(scenes.photograph(cls.scene, light, 31)))
        changed = cls.colour.pixels.copy()
        changed[AT] = changed[AT].mean(axis=(0, 1))
        cls.changed = picture(changed)

    def test_what_belongs_together_is_let_be(self) -> None:
        told = accord(self.colour, self.normals)
        self.assertGreater(told.alike, 0.7)
        self.assertEqual((told.parts, told.moved), ([], None))

    def test_a_part_that_was_filled_is_found_where_it_is(self) -> None:
        for before in (None, self.colour):
            (part,) = old_relief(self.changed, self.normals, before)
            x, y = np.array(part.corners).T * SIDE
            self.assertLess(abs(x.min() - 150) + abs(x.max() - 220), 24)
            self.assertLess(abs(y.min() - 60) + abs(y.max() - 130), 24)
            self.assertAlmostEqual(part.share, 70 * 70 / SIDE**2, delta=0.03)

    def test_over_the_edge_it_is_one_part_all_the_same(self) -> None:
        by = (SIDE - 95, SIDE - 185)
        (part,) = old_relief(rolled(self.changed, by), rolled(self.normals, by))
        x, y = np.array(part.corners).T
        self.assertLess(x.max() - x.min(), 0.4)
        self.assertLess(y.max() - y.min(), 0.4)

    def test_tone_and_stains_leave_a_relief_where_it_is(self) -> None:
        darker = picture(self.colour.pixels**1.3)
        stained = self.colour.pixels.copy()
        stained[AT] *= 0.4
        for other in (darker, picture(stained)):
            self.assertEqual(old_relief(other, self.normals), [])
            self.assertEqual(old_relief(other, self.normals, self.colour), [])

    def test_maps_that_have_nothing_in_common_say_nothing(self) -> None:
        other = scenes.scene("leather", 3, SIDE)
        normals = picture(scenes.normals(other.height), Space.VECTOR)
        told = explained(self.colour, normals)
        assert told is not None
        self.assertLess(told.alike, 0.2)
        self.assertEqual(old_relief(self.colour, normals), [])
        level = picture(np.broadcast_to(np.float32([0, 0, 1]), (SIDE, SIDE, 3)), Space.VECTOR)
        self.assertIsNone(explained(self.colour, level))

    def test_a_height_map_is_held_against_the_colour_too(self) -> None:
        height = self.scene.height
        values = (height - height.min()) / np.ptp(height)
        (part,) = old_relief(self.changed, picture(values[..., np.newaxis], Space.DATA))
        self.assertAlmostEqual(part.share, 70 * 70 / SIDE**2, delta=0.04)

    def test_a_map_that_lies_off_says_by_how_much(self) -> None:
        told = accord(self.colour, rolled(self.normals, (-20, 35)))
        assert told.moved is not None
        self.assertAlmostEqual(told.moved[0] * SIDE, 35, delta=1.5)
        self.assertAlmostEqual(told.moved[1] * SIDE, -20, delta=1.5)
        self.assertEqual(accord(self.colour, self.normals).moved, None)

    def test_normals_are_told_from_those_of_the_height_turned_round(self) -> None:
        height = self.scene.height
        values = (height - height.min()) / np.ptp(height)
        of = picture(values[..., np.newaxis], Space.DATA)
        for x, y in ((1, 1), (1, -1), (-1, 1), (-1, -1)):
            turned = self.normals.with_pixels(self.normals.pixels * np.float32([x, y, 1]))
            told = facing(of, turned)
            self.assertGreater(told.right * x, 0.8)
            self.assertGreater(told.up * y, 0.8)


class Measured(unittest.TestCase):
    def test_slopes_are_told_with_their_steepness_and_the_way_of_green(self) -> None:
        turn = np.arange(SIDE, dtype=np.float32) * np.float32(2 * np.pi * 4 / SIDE)
        wave = np.sin(turn)[np.newaxis, :] + np.sin(turn)[:, np.newaxis] * np.ones((1, SIDE))
        normals = scenes.normals((wave * 6).astype(np.float32))
        told = slopes(picture(normals, Space.VECTOR))
        # Slopes of two crossed waves, both as high as 6 * 2 pi * 4 / side.
        steepest = 6 * 2 * np.pi * 4 / SIDE
        x = steepest * np.cos(turn)
        wanted = np.percentile(np.hypot(x[np.newaxis], x[:, np.newaxis]), 90)
        self.assertAlmostEqual(told.steepness, np.degrees(np.arctan(wanted)), delta=0.5)
        self.assertEqual(told.green, Green.UP)
        scene = scenes.normals(scenes.scene("gravel", 4, SIDE).height)
        told = slopes(picture(scene * np.float32([1, -1, 1]), Space.VECTOR))
        self.assertEqual(told.green, Green.DOWN)
        self.assertGreater(told.sure, 0.9)

    def test_vectors_that_are_too_short_are_counted(self) -> None:
        stored = np.full((8, 8, 3), (0.5, 0.5, 1.0), np.float32)
        stored[:2] = (0.5, 0.5, 0.7)
        self.assertAlmostEqual(not_unit(picture(stored, Space.DATA)), 0.25)
        stored[..., 2] = 0
        self.assertEqual(not_unit(picture(stored, Space.DATA)), 0)

    def test_black_and_white_are_counted_only_where_it_is_solid(self) -> None:
        body = np.full((10, 10, 4), 0.2, np.float32)
        body[..., 3] = 1
        body[0, :, :3] = 0
        body[1, :, :3] = 1
        told = tones(Picture(body, Space.LINEAR, alpha=True))
        self.assertAlmostEqual(told.crushed, 0.1)
        self.assertAlmostEqual(told.blown, 0.1)
        self.assertAlmostEqual(told.middle, 0.2, places=3)
        body[0, :, 3] = 0
        self.assertEqual(tones(Picture(body, Space.LINEAR, alpha=True)).crushed, 0)

    def test_a_backdrop_is_found_and_what_lies_inside(self) -> None:
        scene = scenes.scene("gravel", 4, 160)
        shown = scenes.photograph(scene, scenes.Light(), 4)
        self.assertIsNone(left_in(picture(colour.bytes_to_linear(shown))).backdrop)
        sheet = np.full((200, 240, 3), (255, 0, 255), np.uint8)
        sheet[20:180, 40:200] = shown
        left = left_in(picture(colour.bytes_to_linear(sheet)))
        self.assertEqual(left.backdrop, (255, 0, 255))
        self.assertEqual(left.inside, (40 / 240, 0.1, 200 / 240, 0.9))

    def test_guides_are_found_where_they_run_and_taken_out(self) -> None:
        scene = scenes.scene("plaster", 4, 200)
        shown = scenes.photograph(scene, scenes.Light(), 4)
        true = picture(colour.bytes_to_linear(shown))
        self.assertEqual(left_in(true).guides, ())
        shown[:, 50:52] = (0, 255, 255)
        shown[120] = (255, 0, 0)
        drawn = picture(colour.bytes_to_linear(shown))
        guides = left_in(drawn).guides
        self.assertEqual([guide.way for guide in guides], ["down", "across"])
        self.assertAlmostEqual(guides[0].at, 51 / 200, places=4)
        self.assertAlmostEqual(guides[1].at, 120.5 / 200, places=4)
        healed = line_out(drawn, LineOut(at=51 / 200, width=2))
        healed = line_out(healed, LineOut(way="across", at=round(120.5 / 200, 4), width=1))
        self.assertEqual(left_in(healed).guides, ())
        apart = np.abs(colour.to_srgb(healed.pixels) - colour.to_srgb(true.pixels))
        self.assertLess(float(apart.max()), 0.1)

    def test_a_line_at_the_rim_is_filled_from_its_one_side(self) -> None:
        ramp = np.broadcast_to(np.linspace(0, 1, 40, dtype=np.float32)[:, np.newaxis], (30, 40, 1))
        plain = Picture(np.ascontiguousarray(ramp), Space.DATA)
        left = line_out(plain, LineOut(at=0, width=5)).pixels[0, :, 0]
        np.testing.assert_allclose(left[:1], ramp[0, 1], atol=1e-6)
        right = line_out(plain, LineOut(at=1, width=5)).pixels[0, :, 0]
        np.testing.assert_allclose(right[-1:], ramp[0, -2], atol=1e-6)


class Lamp(unittest.TestCase):
    def test_a_lamp_is_told_and_what_it_did_is_taken_out(self) -> None:
        scene = scenes.scene("gravel", 6, SIDE)
        light = scenes.Light(azimuth=215, elevation=30, sky=0.3)
        shown = picture(colour.bytes_to_linear(scenes.photograph(scene, light, 6)))
        lamp = lamp_of(shown)
        assert lamp is not None
        self.assertLess(abs(lamp - 215), 15)
        taken = without_relief_light(shown, ReliefLight(light="given", azimuth=round(lamp)))
        received = np.log(scenes.received(scene.height, light) + 0.05)

        def by_light(one: Picture) -> float:
            tone = np.log(one.body.mean(axis=2) + 0.01)
            return float(np.corrcoef(tone.ravel(), received.ravel())[0, 1])

        self.assertGreater(by_light(shown), 0.8)
        self.assertLess(by_light(taken), 0.45)

    def test_under_an_open_sky_no_lamp_is_told_and_nothing_changes(self) -> None:
        scene = scenes.scene("gravel", 6, SIDE)
        shown = picture(colour.bytes_to_linear(scenes.photograph(scene, scenes.Light(), 6)))
        self.assertIsNone(lamp_of(shown))
        same = without_relief_light(shown, ReliefLight())
        np.testing.assert_array_equal(same.pixels, shown.pixels)


if __name__ == "__main__":
    unittest.main()
