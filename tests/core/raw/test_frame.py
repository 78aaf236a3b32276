import unittest

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.raw.frame import (
    Frame,
    frame_of,
    framed,
    proportions,
    straightened_as,
    within,
)
from stonestack.core.tile.period import Lattice, find_lattice
from stonestack.core.tile.periods_framed import whole_periods
from tests.core.tile import defects
from tests.support import noise


class Framing(unittest.TestCase):
    def setUp(self) -> None:
        self.raw = Picture(noise(200, 160, 3, 12), Space.LINEAR)

    def test_the_whole_picture_stays_as_it_is(self) -> None:
        self.assertTrue(Frame().plain)
        np.testing.assert_array_equal(framed(self.raw, Frame()).pixels, self.raw.pixels)

    def test_an_upright_crop_is_cut_out_exactly(self) -> None:
        frame = frame_of(((0.25, 0.25), (0.75, 0.25), (0.75, 0.5), (0.25, 0.5)))
        got = framed(self.raw, frame)
        np.testing.assert_array_equal(got.pixels, self.raw.pixels[40:80, 50:150])

    def test_a_known_perspective_is_taken_out(self) -> None:
        # A flat grid of dots, seen at an angle by a camera whose map is known.
        import cv2

        flat = np.zeros((300, 300, 3), np.float32)
        flat[20::40, 20::40] = 1
        flat = cv2.GaussianBlur(flat, (0, 0), 3) * 40
        seen_at = np.array([(90, 40), (330, 70), (380, 350), (30, 300)], np.float32)
        square = np.array([(0, 0), (300, 0), (300, 300), (0, 300)], np.float32)
        camera = cv2.getPerspectiveTransform(square, seen_at)
        photograph = cv2.warpPerspective(flat, camera, (420, 400), flags=cv2.INTER_CUBIC)
        raw = Picture(np.clip(photograph, 0, 1), Space.DATA)
        frame = frame_of(tuple((x / 420, y / 400) for x, y in seen_at), ratio=1)
        got = framed(raw, frame)
        back = cv2.resize(got.pixels, (300, 300), interpolation=cv2.INTER_AREA)
        alike = np.corrcoef(back.ravel(), np.clip(flat, 0, 1).ravel())[0, 1]
        self.assertGreater(alike, 0.98)
        self.assertEqual(got.width, got.height)

    def test_a_part_of_what_a_frame_holds_is_a_frame_itself(self) -> None:
        outer = frame_of(((0.1, 0.05), (0.9, 0.15), (0.95, 0.9), (0.02, 0.8)), ratio=1.2)
        held = framed(self.raw, outer)
        part = ((0.25, 0.3), (0.75, 0.3), (0.75, 0.9), (0.25, 0.9))
        left, top = round(0.25 * held.width), round(0.3 * held.height)
        right, bottom = round(0.75 * held.width), round(0.9 * held.height)
        wanted = held.pixels[top:bottom, left:right]
        got = framed(self.raw, within(outer, part, held.width, held.height))
        self.assertAlmostEqual(
            got.width / got.height, wanted.shape[1] / wanted.shape[0], delta=0.03
        )
        scaled = resize(got, wanted.shape[1], wanted.shape[0]).pixels
        self.assertGreater(float(np.corrcoef(scaled.ravel(), wanted.ravel())[0, 1]), 0.98)

    def test_a_part_of_the_whole_picture_is_cut_out_exactly(self) -> None:
        part = ((0.25, 0.25), (0.75, 0.25), (0.75, 0.5), (0.25, 0.5))
        got = framed(self.raw, within(Frame(), part, 200, 160))
        np.testing.assert_array_equal(got.pixels, self.raw.pixels[40:80, 50:150])

    def test_normals_turn_with_the_frame(self) -> None:
        # All face right in the picture; a frame turned a quarter sees them face up or down.
        right = np.zeros((100, 100, 3), np.float32)
        right[:] = (0.6, 0, 0.8)
        quarter = frame_of(((1, 0), (1, 1), (0, 1), (0, 0)))
        got = framed(Picture(right, Space.VECTOR), quarter)
        # The frame's own right is the picture's down, so the picture's right is its up.
        np.testing.assert_allclose(got.pixels[50, 50], (0, 0.6, 0.8), atol=1e-5)

    def test_corners_that_cross_are_refused(self) -> None:
        with self.assertRaises(ValidationError):
            frame_of(((0, 0), (0, 1), (1, 1), (1, 0)))

    def test_the_fall_off_of_a_known_lens_is_taken_out(self) -> None:
        y, x = np.mgrid[0:160, 0:200].astype(np.float32)
        u, v = (x + 0.5) / 100 - 1, (y + 0.5) / 80 - 1
        lens = 1 - 0.75 * 0.6 * (u * u + v * v) / 2
        flat = np.full((160, 200, 3), 0.4, np.float32)
        lit = Picture((flat * lens[..., np.newaxis]).astype(np.float32), Space.LINEAR)
        got = framed(lit, Frame(vignette=0.6))
        np.testing.assert_allclose(got.pixels, 0.4, atol=1e-4)


class Proportions(unittest.TestCase):
    """Rectangles seen through a lens; the numbers are those of a camera written down here."""

    SIZE = np.array([1000.0, 750.0])

    def seen(self, aspect: float, lens: float, tilt: float, turn: float) -> NDArray[np.float64]:
        """Return the corners of a rectangle that is tilted about x, and turned about y."""
        corners = np.array([(-aspect, -1, 0), (aspect, -1, 0), (aspect, 1, 0), (-aspect, 1, 0)]) / 2
        c, s = np.cos(tilt), np.sin(tilt)
        about_x = np.array([(1, 0, 0), (0, c, -s), (0, s, c)])
        c, s = np.cos(turn), np.sin(turn)
        about_y = np.array([(c, 0, s), (0, 1, 0), (-s, 0, c)])
        there = corners @ (about_x @ about_y).T + np.array([0.1, -0.05, 2.6])
        return np.asarray(there[:, :2] / there[:, 2:] * lens + self.SIZE / 2)

    def test_they_follow_from_the_corners_whatever_the_lens(self) -> None:
        for aspect, lens, tilt, turn in (
            (1.0, 800, 0.7, 0.4),
            (1.0, 1500, -0.6, 0.5),
            (1.8, 1000, 0.5, -0.6),
            (0.6, 900, -0.4, -0.5),
        ):
            with self.subTest(aspect=aspect, lens=lens):
                got = proportions(self.seen(aspect, lens, tilt, turn), self.SIZE)
                self.assertAlmostEqual(got, aspect, delta=0.01)

    def test_a_tilt_one_way_is_taken_by_a_usual_lens(self) -> None:
        got = proportions(self.seen(1.0, 1000, 0.8, 0.0), self.SIZE)
        self.assertAlmostEqual(got, 1, delta=0.02)
        # Another lens than the usual is not told by it; sides alone would say 1.5.
        got = proportions(self.seen(1.0, 1400, 0.8, 0.0), self.SIZE)
        self.assertAlmostEqual(got, 1, delta=0.2)

    def test_a_parallelogram_has_those_of_its_sides(self) -> None:
        corners = np.array([(100, 100), (500, 120), (490, 320), (90, 300)], float)
        self.assertEqual(proportions(corners, self.SIZE), 0)

    def test_it_is_said_what_they_follow_from(self) -> None:
        def told(corners: NDArray[np.float64], ratio: float = 0.0) -> tuple[float, str]:
            places = tuple((float(x), float(y)) for x, y in corners / self.SIZE)
            found = straightened_as(frame_of(places, ratio), 1000, 750)
            return round(found.ratio, 1), found.words

        both, one = self.seen(1.8, 1000, 0.5, -0.6), self.seen(1.0, 1000, 0.8, 0.0)
        self.assertEqual(told(both)[0], 1.8)
        self.assertIn("how the sides run together", told(both)[1])
        self.assertIn("a usual lens assumed", told(one)[1])
        self.assertEqual(told(one, 1.5), (1.5, "as given"))
        flat = np.array([(100, 100), (500, 100), (500, 300), (100, 300)], float)
        self.assertEqual(told(flat), (2.0, "as it is seen; the sides run side by side"))

    def test_a_tilted_square_comes_out_square(self) -> None:
        corners = self.seen(1.0, 1100, 0.75, 0.35) / self.SIZE
        frame = frame_of(tuple((float(x), float(y)) for x, y in corners))
        got = framed(Picture(noise(1000, 750, 3), Space.LINEAR), frame)
        self.assertAlmostEqual(got.width / got.height, 1, delta=0.02)


class Periods(unittest.TestCase):
    def test_known_periods_are_found_within_a_hundredth(self) -> None:
        for width, height in ((60, 45), (33.5, 51.25)):
            raw = self._grid(width, height, 0)
            found = find_lattice(raw)
            assert found is not None and found.second is not None
            steps = sorted((found.first, found.second), key=lambda s: abs(s[1]))
            self.assertAlmostEqual(abs(steps[0][0]), width, delta=0.01 * width)
            self.assertAlmostEqual(abs(steps[1][1]), height, delta=0.01 * height)

    def test_axes_that_lean_are_found_leaning(self) -> None:
        found = find_lattice(self._grid(52, 40, 5))
        assert found is not None and found.second is not None
        across = min((found.first, found.second), key=lambda s: abs(s[1]))
        angle = np.degrees(np.arctan2(across[1], across[0]))
        self.assertAlmostEqual(abs((angle + 90) % 180 - 90), 5, delta=0.4)

    def test_a_bond_is_found_as_bricks_lie(self) -> None:
        raw = defects.BASES["bricks"](420, 5, False)
        found = find_lattice(Picture(colour.to_linear(raw), Space.LINEAR))
        assert found is not None and found.second is not None
        # Half a brick along and one course down: 320 / 4.3 / 2 and 320 / 8.6.
        for step in (found.first, found.second):
            self.assertAlmostEqual(abs(step[0]), 37.21, delta=0.2)
            self.assertAlmostEqual(abs(step[1]), 37.21, delta=0.2)

    def test_stripes_recur_one_way(self) -> None:
        x = np.arange(300, dtype=np.float32) * np.float32(2 * np.pi / 25)
        wave = np.float32(0.5) + np.float32(0.3) * np.sin(x)
        rough = noise(300, 240, 4, 3) * np.float32(0.1)
        raw = Picture(rough + wave[np.newaxis, :, np.newaxis], Space.DATA)
        found = find_lattice(raw)
        assert found is not None
        self.assertAlmostEqual(abs(found.first[0]), 25, delta=0.3)
        proposed = whole_periods(found, 300, 240)
        assert proposed is not None
        width = (proposed[1][0] - proposed[0][0]) * 300
        self.assertAlmostEqual(width / 25, round(width / 25), delta=0.05)

    def test_what_has_no_structure_has_no_period(self) -> None:
        self.assertIsNone(find_lattice(Picture(noise(300, 300, 3, 5), Space.LINEAR)))

    def test_the_proposed_frame_tiles(self) -> None:
        for base in ("bricks", "weave"):
            raw = Picture(colour.to_linear(defects.BASES[base](420, 5, False)), Space.LINEAR)
            found = find_lattice(raw)
            assert found is not None
            proposed = whole_periods(found, 420, 420)
            assert proposed is not None
            tile = framed(raw, frame_of(proposed))
            shifted = framed(raw, frame_of(((0, 0), (0.93, 0), (0.93, 0.93), (0, 0.93))))
            with self.subTest(base=base):
                self.assertGreater(tile.width * tile.height, 0.7 * 420 * 420)
                # What recurs meets; the grit on it does not, that is left to the cut.
                self.assertLess(self._edge_apart(tile), 0.75 * self._edge_apart(shifted))

    def test_a_frame_of_a_leaning_grid_is_straightened_to_it(self) -> None:
        raw = self._grid(52, 40, 5)
        found = find_lattice(raw)
        assert found is not None
        proposed = whole_periods(found, raw.width, raw.height)
        assert proposed is not None
        tile = framed(raw, frame_of(proposed))
        again = find_lattice(tile)
        assert again is not None and again.second is not None
        across = min((again.first, again.second), key=lambda s: abs(s[1]))
        self.assertAlmostEqual(across[1] / abs(across[0]), 0, delta=0.01)

    def test_a_lattice_larger_than_the_picture_has_no_frame(self) -> None:
        self.assertIsNone(whole_periods(Lattice((500, 0), (0, 500), 0.5), 300, 300))

    @staticmethod
    def _edge_apart(tile: Picture) -> float:
        seen = colour.seen(tile)
        across = np.abs(seen[:, 0] - seen[:, -1]).mean()
        return float(across + np.abs(seen[0] - seen[-1]).mean())

    @staticmethod
    def _grid(width: float, height: float, degrees: float) -> Picture:
        """Draw dots at a known distance, on rough ground."""
        y, x = np.mgrid[0:360, 0:400].astype(np.float64)
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        u, v = (x * c + y * s) / width, (-x * s + y * c) / height
        dots = np.exp(-((u - np.rint(u)) ** 2 + (v - np.rint(v)) ** 2) / 0.03)
        rough = noise(400, 360, 8, 4) * np.float32(0.25)
        return Picture((rough + 0.5 * dots[..., np.newaxis]).astype(np.float32), Space.DATA)
