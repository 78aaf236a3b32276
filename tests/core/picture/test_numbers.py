"""Numbers of unusual files: floating point, planes, wide and reversed greys, gamma, tables."""

import io
import struct
import unittest
import zlib
from typing import Any

import numpy as np
import tifffile
from PIL import Image

from stonestack.core.catalogue.sources import examine
from stonestack.core.files import codecs
from stonestack.core.files.codecs.profiles import by_tables, read_profile
from stonestack.core.picture import colour
from stonestack.core.picture.debanding import debanded
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.tables.roles import Role
from stonestack.core.tools.converting import convert
from tests.readers.profiles import by_table
from tests.support import noise

_ICC = 34675


def tiff(numbers: Any, **options: Any) -> bytes:
    buffer = io.BytesIO()
    tifffile.imwrite(buffer, numbers, **options)
    return buffer.getvalue()


def grey_png(gamma: float, texels: Any) -> bytes:
    """Write a PNG with a gAMA chunk and no profile (PNG, third edition, 11.3.2.2)."""
    buffer = io.BytesIO()
    Image.fromarray(texels).save(buffer, "PNG")
    data = buffer.getvalue()
    body = b"gAMA" + struct.pack(">I", round(gamma * 100000))
    chunk = struct.pack(">I", 4) + body + struct.pack(">I", zlib.crc32(body))
    return data[:33] + chunk + data[33:]


class Planes(unittest.TestCase):
    """RGB in planes one after the other, and in floating point."""

    def setUp(self) -> None:
        self.rgb = np.random.default_rng(4).random((30, 44, 3)).astype(np.float32)

    def test_planes_and_floats_are_what_interleaved_whole_numbers_are(self) -> None:
        deep = np.rint(self.rgb * 65535).astype(np.uint16)
        wanted = codecs.read_picture(tiff(deep, photometric="rgb"), Space.LINEAR).pixels
        apart: dict[str, Any] = {"photometric": "rgb", "planarconfig": "separate"}
        planes, floats = deep.transpose(2, 0, 1), self.rgb.transpose(2, 0, 1)
        for name, data in (
            ("sixteen bits in planes", tiff(planes, **apart)),
            ("the same, packed", tiff(planes, **apart, compression="zlib")),
            ("eight bits in planes", tiff((planes >> 8).astype(np.uint8), **apart)),
            ("floats in planes", tiff(floats, **apart)),
            ("floats", tiff(self.rgb, photometric="rgb")),
            ("halves", tiff(self.rgb.astype(np.float16), photometric="rgb")),
            ("doubles", tiff(self.rgb.astype(np.float64), photometric="rgb")),
            ("tiles of floats", tiff(self.rgb, photometric="rgb", tile=(16, 16))),
        ):
            with self.subTest(name):
                got = codecs.read_picture(data, Space.LINEAR).pixels
                np.testing.assert_allclose(got, wanted, atol=0.011 if "eight" in name else 0.002)

    def test_alpha_of_a_float_picture_stays_what_it_is(self) -> None:
        four = np.concatenate([self.rgb * 5, self.rgb[..., :1]], axis=2)
        data = tiff(four, photometric="rgb", extrasamples=["unassalpha"])
        got = codecs.read_picture(data, Space.LINEAR)
        assert got.opacity is not None
        np.testing.assert_allclose(got.opacity[..., 0], self.rgb[..., 0], atol=1e-6)

    def test_floats_above_one_are_light_and_say_their_range(self) -> None:
        data = tiff(self.rgb * 4, photometric="rgb")
        most = float(self.rgb.max()) * 4
        got = codecs.read_picture(data, Space.LINEAR)
        np.testing.assert_allclose(got.pixels, self.rgb * 4 / most, atol=1e-5)
        facts = codecs.inspect("lamp.tif", data)
        assert facts.range is not None
        self.assertAlmostEqual(facts.range[1], most, places=4)
        self.assertIn("as colour they are light", " ".join(facts.unusual))


class Greys(unittest.TestCase):
    def test_a_height_in_metres_keeps_its_steps_and_says_its_range(self) -> None:
        metres = np.linspace(-20, 880, 4000, dtype=np.float32).reshape(40, 100)
        data = tiff(metres, photometric="minisblack")
        got = codecs.read_picture(data, Space.DATA)
        np.testing.assert_allclose(got.pixels[..., 0], (metres + 20) / 900, atol=1e-6)
        self.assertEqual(len(np.unique(got.pixels)), 4000)
        facts = examine("hill_height.tif", data).facts
        self.assertEqual(facts.range, [-20.0, 880.0])
        self.assertIn("numbers from -20 to 880", " ".join(facts.unusual))
        self.assertIs(facts.role, Role.HEIGHT)

    def test_what_is_no_number_is_the_least(self) -> None:
        holed = np.full((20, 20), 0.5, np.float32)
        holed[3, 4], holed[5, 6] = np.nan, np.inf
        got = codecs.read_picture(tiff(holed, photometric="minisblack"), Space.DATA).pixels
        self.assertEqual((got[3, 4, 0], got[5, 6, 0], got[0, 0, 0]), (0, 1, 0.5))

    def test_white_is_nought_where_the_file_says_so(self) -> None:
        ramp = np.arange(600, dtype=np.uint16).reshape(20, 30) * 100
        got = codecs.read_picture(tiff(ramp, photometric="miniswhite"), Space.DATA).pixels
        np.testing.assert_allclose(got[..., 0], 1 - ramp / 65535, atol=1e-6)

    def test_signed_and_wide_whole_numbers_keep_their_steps(self) -> None:
        for kind in (np.int16, np.int32, np.uint32):
            with self.subTest(kind=kind):
                ramp = (np.arange(600) * 50).reshape(20, 30).astype(kind)
                got = codecs.read_picture(tiff(ramp, photometric="minisblack"), Space.DATA)
                np.testing.assert_allclose(got.pixels[..., 0], ramp / ramp.max(), atol=1e-6)


class Gamma(unittest.TestCase):
    def test_a_png_without_a_profile_is_read_by_its_gamma(self) -> None:
        ramp = np.arange(256, dtype=np.uint8).repeat(4).reshape(16, 64)
        for gamma, curve in ((1.0, 1.0), (1 / 1.8, 1.8)):
            with self.subTest(gamma=gamma):
                data = grey_png(gamma, np.stack([ramp] * 3, axis=-1))
                got = codecs.read_picture(data, Space.LINEAR).pixels[..., 1]
                np.testing.assert_allclose(got, (ramp / 255) ** curve, atol=2e-3)
                plain = codecs.read_picture(data, Space.DATA).pixels[..., 0]
                np.testing.assert_allclose(plain, ramp / 255, atol=1e-6)
                self.assertIn("gamma", " ".join(codecs.inspect("a.png", data).unusual))

    def test_what_srgb_says_changes_nothing(self) -> None:
        ramp = np.arange(256, dtype=np.uint8).reshape(16, 16)
        data = grey_png(1 / 2.2, ramp)
        got = codecs.read_picture(data, Space.LINEAR).pixels[..., 0]
        wanted = colour.to_linear((ramp / 255).astype(np.float32)[..., np.newaxis])[..., 0]
        np.testing.assert_allclose(got, wanted, atol=1e-6)
        self.assertEqual(codecs.inspect("a.png", data).unusual, [])


class Tables(unittest.TestCase):
    """Profiles that convert by tables."""

    def setUp(self) -> None:
        self.profile = by_table()

    def deep(self, numbers: Any) -> bytes:
        tag = (_ICC, 7, len(self.profile), self.profile, True)
        return tiff(numbers, photometric="rgb", extratags=[tag])

    def test_sixteen_bits_follow_them_and_stay_sixteen(self) -> None:
        eight = np.random.default_rng(2).integers(0, 256, (24, 24, 3)).astype(np.uint8)
        found = read_profile(self.profile, 3)
        assert found is not None
        wanted = np.asarray(by_tables(Image.fromarray(eight), found)).astype(float)
        got = codecs.read_picture(self.deep(eight.astype(np.uint16) * 257), Space.LINEAR)
        apart = np.abs(colour.to_srgb(got.pixels) * 255 - wanted)
        self.assertLess(float(apart.max()), 2.5)
        self.assertLess(float(apart.mean()), 0.5)
        fine = np.linspace(30000, 30400, 256).astype(np.uint16)
        ramp = np.stack([np.tile(fine, (8, 1))] * 3, axis=-1)
        told = codecs.read_picture(self.deep(ramp), Space.LINEAR).pixels
        self.assertGreater(len(np.unique(told[0, :, 0])), 150)

    def test_one_that_cannot_be_used_is_said(self) -> None:
        pixels = np.asarray(noise(20, 20) * 255, np.uint8)[..., 0]
        empty = bytearray(self.profile)
        at = empty.find(b"mft1")
        empty[at : at + 4] = b"none"
        for name, profile in (
            ("of another kind of table", bytes(empty)),
            ("cut short", self.profile[:90]),
            ("of one channel", self.profile.replace(b"RGB Lab ", b"GRAYLab ")),
        ):
            buffer = io.BytesIO()
            Image.fromarray(pixels).convert("RGB").save(buffer, "PNG", icc_profile=profile)
            with self.subTest(name):
                facts = codecs.inspect("a.png", buffer.getvalue())
                self.assertIn("a colour profile that cannot be used", " ".join(facts.unusual))
                self.assertIsNone(facts.profile)
                got = codecs.read_picture(buffer.getvalue(), Space.LINEAR)
                np.testing.assert_array_equal(colour.linear_to_bytes(got.pixels)[..., 0], pixels)


class Debanding(unittest.TestCase):
    """Eight bits rise in steps; they are evened out on request."""

    SIDE = 400

    def steps(self, height: Floats, wraps: bool = False) -> Picture:
        stored = np.rint(height * 255).astype(np.float32) / 255
        return Picture(stored[..., np.newaxis].astype(np.float32), Space.DATA, wraps=wraps)

    def slope(self, height: Floats) -> Floats:
        """Degrees, where a full height is a fifth of the side."""
        down, across = np.gradient(height * self.SIDE / 5)
        return np.asarray(np.degrees(np.arctan(np.hypot(across, down))), np.float32)

    def errors(self, height: Floats) -> tuple[float, float]:
        """Return how far slopes are out before and after, root mean square, in degrees."""
        stored = self.steps(height)
        pair = (stored.pixels[..., 0], debanded(stored).pixels[..., 0])
        inside = (slice(20, -20), slice(20, -20))
        wanted = self.slope(height)[inside]
        before, after = (
            float(np.sqrt(np.mean((self.slope(h)[inside] - wanted) ** 2))) for h in pair
        )
        return before, after

    def test_slopes_come_out_and_every_level_stays(self) -> None:
        y, x = np.mgrid[: self.SIDE, : self.SIDE].astype(np.float32) / self.SIDE
        for name, height in (
            ("a slope of 2.1 degrees", 0.3 + 0.18 * x),
            ("a dome", 0.5 + 0.3 * np.exp(-8 * ((x - 0.5) ** 2 + (y - 0.5) ** 2))),
        ):
            with self.subTest(name):
                before, after = self.errors(height.astype(np.float32))
                self.assertGreater(before, 3)
                self.assertLess(after, before / 6)
                made = debanded(self.steps(height.astype(np.float32)))
                np.testing.assert_array_equal(
                    np.rint(made.pixels[..., 0] * 255), np.rint(height * 255)
                )
                self.assertEqual(made.bits, 16)

    def test_detail_of_its_own_stays(self) -> None:
        grain = 0.5 + 0.03 * np.random.default_rng(1).standard_normal((200, 200))
        stored = self.steps(np.clip(grain, 0, 1).astype(np.float32))
        apart = np.abs(debanded(stored).pixels - stored.pixels)
        self.assertLess(float(apart.mean()) * 255, 0.02)

    def test_a_tile_is_evened_over_its_edges(self) -> None:
        x = np.arange(self.SIDE, dtype=np.float32) / self.SIDE
        wave = np.tile(0.5 + 0.1 * np.sin(2 * np.pi * x), (self.SIDE, 1)).astype(np.float32)
        one = debanded(self.steps(wave, wraps=True)).pixels
        moved = np.roll(wave, 77, axis=1)
        other = debanded(self.steps(moved, wraps=True)).pixels
        np.testing.assert_allclose(np.roll(one, 77, axis=1), other, atol=1e-6)

    def test_finer_files_and_colours_are_left_alone(self) -> None:
        fine = Picture(np.full((80, 80, 1), 0.3, np.float32), Space.DATA, bits=16)
        self.assertIs(debanded(fine), fine)
        seen = Picture(np.full((80, 80, 3), 0.3, np.float32), Space.LINEAR)
        self.assertIs(debanded(seen), seen)

    def test_the_command_does_it_on_request(self) -> None:
        x = np.tile(np.arange(200) / 200, (200, 1))
        buffer = io.BytesIO()
        Image.fromarray(np.rint(90 + 40 * x).astype(np.uint8)).save(buffer, "PNG")
        plain = convert(buffer.getvalue(), "h.png", role=Role.HEIGHT).data
        even = convert(buffer.getvalue(), "h.png", role=Role.HEIGHT, deband=True).data
        self.assertEqual(codecs.inspect("h.png", plain).bits, 8)
        self.assertEqual(codecs.inspect("h.png", even).bits, 16)
        got = codecs.read_picture(even, Space.DATA).pixels
        self.assertGreater(len(np.unique(got)), 180)
