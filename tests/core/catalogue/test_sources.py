import io
import struct
import unittest

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms

from stonestack.core.catalogue.sources import examine
from stonestack.core.files import codecs
from stonestack.core.files.codecs.profiles import by_tables, has_tables, read_profile
from stonestack.core.picture import colour
from stonestack.core.picture.image import Space
from stonestack.core.tables.roles import Role
from stonestack.core.tables.targets import TARGETS
from stonestack.demo.paint import Canvas
from stonestack.trials.matters import drawn
from tests.support import noise, png


def matrix_profile(matrix: NDArray[np.float64], gamma: float, name: str = "Test wide") -> bytes:
    """Write a matrix and curve profile by the specification, ICC.1:2022."""

    def xyz(column: NDArray[np.float64]) -> bytes:
        return b"XYZ \0\0\0\0" + struct.pack(">3i", *(round(v * 65536) for v in column))

    curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256))
    text = name.encode()
    described = b"desc\0\0\0\0" + struct.pack(">I", len(text) + 1) + text + b"\0" + b"\0" * 78
    white = xyz(np.array([0.9642, 1.0, 0.8249]))
    copied = b"text\0\0\0\0none\0"
    tags = [(b"desc", described), (b"wtpt", white), (b"cprt", copied)]
    for c, column in zip("rgb", matrix.T, strict=True):
        tags += [(f"{c}XYZ".encode(), xyz(column)), (f"{c}TRC".encode(), curve)]
    at = 128 + 4 + 12 * len(tags)
    table, body = struct.pack(">I", len(tags)), b""
    for signature, content in tags:
        content += b"\0" * (-len(content) % 4)
        table += struct.pack(">4sII", signature, at + len(body), len(content))
        body += content
    header = struct.pack(
        ">I4sI4s4s4s", at + len(body), b"\0" * 4, 0x02400000, b"mntr", b"RGB ", b"XYZ "
    )
    header += struct.pack(">6H4s", 2026, 1, 1, 0, 0, 0, b"acsp") + b"\0" * 24
    header += struct.pack(">3i", 63190, 65536, 54061)
    return header.ljust(128, b"\0") + table + body


WIDE = np.array([[0.6097, 0.2053, 0.1492], [0.3111, 0.6257, 0.0632], [0.0195, 0.0609, 0.7446]])


def with_profile(pixels: NDArray[np.uint8], profile: bytes) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG", icc_profile=profile)
    return buffer.getvalue()


class Profiles(unittest.TestCase):
    def setUp(self) -> None:
        self.profile = matrix_profile(WIDE, 2.2)
        self.pixels = np.random.default_rng(3).integers(0, 256, (40, 50, 3)).astype(np.uint8)

    def test_a_matrix_profile_gives_what_another_reader_gives(self) -> None:
        theirs = ImageCms.profileToProfile(
            Image.fromarray(self.pixels),
            ImageCms.ImageCmsProfile(io.BytesIO(self.profile)),
            ImageCms.createProfile("sRGB"),
            outputMode="RGB",
        )
        assert theirs is not None
        ours = codecs.read_picture(with_profile(self.pixels, self.profile), Space.LINEAR)
        stored = colour.linear_to_bytes(ours.pixels).astype(int)
        apart = np.abs(stored - np.asarray(theirs).astype(int))
        self.assertLessEqual(int(np.quantile(apart, 0.995)), 1)
        self.assertLessEqual(int(apart.max()), 3)

    def test_data_is_left_alone(self) -> None:
        got = codecs.read_picture(with_profile(self.pixels, self.profile), Space.DATA)
        wanted = self.pixels.astype(np.float32).mean(axis=2, keepdims=True) / 255
        np.testing.assert_allclose(got.pixels, wanted, atol=1e-5)

    def test_a_profile_that_says_srgb_changes_nothing(self) -> None:
        srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        got = codecs.read_picture(with_profile(self.pixels, srgb), Space.LINEAR)
        np.testing.assert_array_equal(colour.linear_to_bytes(got.pixels), self.pixels)
        facts = codecs.inspect("a.png", with_profile(self.pixels, srgb))
        self.assertEqual(facts.colour_space, "srgb")
        self.assertEqual([u for u in facts.unusual if "profile" in u], [])

    def test_sixteen_bits_are_kept_through_a_profile(self) -> None:
        ramp = np.linspace(20000, 20400, 256).astype(np.uint16)
        deep = np.repeat(ramp[np.newaxis, :, np.newaxis], 3, axis=2).repeat(8, axis=0)
        buffer = io.BytesIO()
        tifffile.imwrite(
            buffer,
            deep,
            photometric="rgb",
            extratags=[(34675, 7, len(self.profile), self.profile, True)],
        )
        got = codecs.read_picture(buffer.getvalue(), Space.LINEAR)
        self.assertGreater(len(np.unique(got.pixels[0, :, 1])), 200)
        self.assertIn("Test wide", str(codecs.inspect("a.tif", buffer.getvalue()).profile))

    def test_damaged_profiles_are_passed_over(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(60):
            spoiled = bytearray(self.profile)
            for place in rng.integers(128, len(spoiled), 12):
                spoiled[place] = int(rng.integers(0, 256))
            found = read_profile(bytes(spoiled), 3)
            if found is not None and found.exact:
                values = found.to_srgb(np.full((2, 2, 3), 0.5, np.float32))
                self.assertTrue(np.isfinite(values).all())
            elif found is not None and has_tables(found):
                # What its library cannot use is told beforehand, and what it can is used.
                self.assertEqual(by_tables(Image.fromarray(self.pixels), found).mode, "RGB")
        self.assertIsNone(read_profile(self.profile[:60], 3))
        self.assertIsNone(read_profile(self.profile, 1))


class UnusualFiles(unittest.TestCase):
    def setUp(self) -> None:
        self.image = Image.fromarray((noise(60, 40) * 255).astype(np.uint8))

    def saved(self, image: Image.Image, kind: str, **options: object) -> bytes:
        buffer = io.BytesIO()
        image.save(buffer, kind, **options)  # type: ignore[arg-type]
        return buffer.getvalue()

    def test_each_is_said(self) -> None:
        grey = self.image.convert("L").convert("RGB")
        exif = Image.Exif()
        exif[0x0112] = 6
        cases = {
            "indexed": self.saved(self.image.quantize(64), "PNG"),
            "inks": self.saved(self.image.convert("CMYK"), "JPEG"),
            "turned upright": self.saved(self.image, "JPEG", exif=exif.tobytes()),
            "opaque all over": self.saved(self.image.convert("RGBA"), "PNG"),
            "grey, stored as colour": self.saved(grey, "PNG"),
            "but it is PNG": self.saved(self.image, "PNG"),
        }
        for words, data in cases.items():
            name = (
                "a.jpg" if "but it is" in words else "a.png" if data[:4] == b"\x89PNG" else "a.jpg"
            )
            with self.subTest(words):
                self.assertIn(words, "; ".join(codecs.inspect(name, data).unusual))

    def test_a_usual_file_has_nothing_unusual(self) -> None:
        self.assertEqual(codecs.inspect("a.png", self.saved(self.image, "PNG")).unusual, [])

    def test_a_turned_photograph_stands_upright(self) -> None:
        for turn in range(2, 9):
            exif = Image.Exif()
            exif[0x0112] = turn
            data = self.saved(self.image, "PNG", exif=exif.tobytes())
            facts = codecs.inspect("a.png", data)
            wide = turn < 5
            with self.subTest(turn=turn):
                self.assertEqual((facts.width, facts.height), (60, 40) if wide else (40, 60))

    def test_sixteen_bits_are_turned_as_eight_are(self) -> None:
        eight = np.asarray(self.image)
        deep = eight.astype(np.uint16) * 257
        for turn in range(2, 9):
            buffer = io.BytesIO()
            tifffile.imwrite(buffer, deep, photometric="rgb", extratags=[(274, 3, 1, turn, True)])
            exif = Image.Exif()
            exif[0x0112] = turn
            with self.subTest(turn=turn):
                a = codecs.read_picture(buffer.getvalue(), Space.DATA)
                b = codecs.read_picture(
                    self.saved(self.image, "PNG", exif=exif.tobytes()), Space.DATA
                )
                np.testing.assert_allclose(a.pixels, b.pixels, atol=1e-4)

    def test_inks_become_the_colours_they_print(self) -> None:
        red = np.zeros((16, 16, 4), np.uint8)
        red[..., 1:3] = 255
        data = self.saved(Image.fromarray(red, mode="CMYK"), "TIFF")
        got = codecs.read_picture(data, Space.LINEAR).pixels[8, 8]
        np.testing.assert_allclose(got, (1, 0, 0), atol=1e-3)

    def test_sixteen_bit_inks_are_no_alpha(self) -> None:
        inks = np.zeros((16, 16, 4), np.uint16)
        inks[..., 3] = 32768
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, inks, photometric="separated")
        picture = codecs.read_picture(buffer.getvalue(), Space.DATA)
        self.assertFalse(picture.alpha)
        np.testing.assert_allclose(picture.pixels, 0.5, atol=1e-3)


class Roles(unittest.TestCase):
    def test_name_and_pixels_tell_the_role_with_a_reason(self) -> None:
        vectors = np.zeros((64, 64, 3), np.uint8)
        vectors[:] = (128, 128, 255)
        vectors[::2, ::3] = (150, 110, 250)
        found = examine("wall_n.png", png(vectors)).facts
        self.assertEqual(found.role, Role.NORMAL)
        self.assertGreater(found.role_confidence, 0.9)
        self.assertIn("unit vectors", found.role_reason)
        misnamed = examine("wall_c.png", png(vectors)).facts
        self.assertEqual(misnamed.role, Role.NORMAL)
        self.assertLess(misnamed.role_confidence, found.role_confidence)

    def test_a_surface_begins_with_colour_where_a_grey_may_be_many_things(self) -> None:
        stored = drawn("gravel", Canvas(200, 200, 8, False)).mean(axis=2)
        grey = png(np.rint(stored * 255).astype(np.uint8))
        plain, named = (examine(name, grey).facts for name in ("gravel.png", "gravel_height.png"))
        self.assertLess(plain.role_confidence, 0.5)
        self.assertEqual(plain.begins_as, Role.COLOUR)
        self.assertEqual(named.begins_as, Role.HEIGHT)

    def test_a_target_has_suffixes_of_its_own(self) -> None:
        grey = np.repeat((noise(64, 64, channels=1) * 255).astype(np.uint8), 3, axis=2)
        target = TARGETS["saltglass"].suffixes
        self.assertEqual(examine("wall_opening.png", png(grey), target).facts.role, Role.ALPHA)
        self.assertEqual(examine("wall_opening.png", png(grey), target).facts.stem, "wall")
