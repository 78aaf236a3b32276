import io
import struct
import unittest
import zlib

import numpy as np
import tifffile
from PIL import Image

from stonestack.core.files import codecs
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind, kind_by_content, kind_by_name
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadFile
from tests.support import noise, png

PIXELS = (noise(21, 13) * 255).astype(np.uint8)


def stored(image: Image.Image, kind: str, **options: object) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, kind, **options)
    return buffer.getvalue()


def huge_png(width: int, height: int) -> bytes:
    """Return a PNG whose header claims a size that nobody should allocate."""

    def chunk(name: bytes, body: bytes) -> bytes:
        check = zlib.crc32(name + body)
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", check)

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", header)
        + chunk(b"IDAT", zlib.compress(b""))
        + chunk(b"IEND", b"")
    )


class Shown(unittest.TestCase):
    def test_what_is_soon_there_is_the_same_picture_as_what_is_well_packed(self) -> None:
        chance = np.random.default_rng(1)
        kinds = ((3, Space.LINEAR, False), (4, Space.LINEAR, True), (1, Space.DATA, False))
        for channels, space, alpha in (*kinds, (3, Space.VECTOR, False)):
            pixels = chance.random((33, 47, channels), dtype=np.float32)
            picture = Picture(pixels, space, alpha=alpha)
            soon, well = (
                np.array(Image.open(io.BytesIO(data)))
                for data in (pictures.quick_png(picture), pictures.write(picture, FileKind.PNG))
            )
            np.testing.assert_array_equal(soon, well)


class Import(unittest.TestCase):
    def test_lossless_kinds_come_in_exactly_in_linear_light(self) -> None:
        image = Image.fromarray(PIXELS)
        for kind, options in (
            ("PNG", {}),
            ("BMP", {}),
            ("TGA", {}),
            ("TGA", {"compression": "tga_rle"}),
            ("TIFF", {}),
            ("TIFF", {"compression": "tiff_lzw"}),
        ):
            with self.subTest(kind=kind, **options):
                got = codecs.read_picture(stored(image, kind, **options), Space.LINEAR)
                np.testing.assert_allclose(got.pixels, colour.bytes_to_linear(PIXELS), atol=1e-6)
                self.assertFalse(got.wraps)

    def test_jpeg_comes_in_nearly(self) -> None:
        data = stored(Image.fromarray(PIXELS), "JPEG", quality=98, subsampling=0)
        got = codecs.read_picture(data, Space.DATA).pixels
        np.testing.assert_allclose(got[..., 0], PIXELS.mean(axis=2) / 255, atol=0.03)

    def test_data_does_not_pass_through_the_transfer_function(self) -> None:
        grey = np.arange(0, 250, 10, dtype=np.uint8).reshape(5, 5)
        got = codecs.read_picture(png(grey), Space.DATA).pixels[..., 0]
        np.testing.assert_allclose(got, grey / 255, atol=1e-6)

    def test_sixteen_bits_are_kept(self) -> None:
        deep = np.linspace(0, 65535, 24 * 16).astype(np.uint16).reshape(16, 24)
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, deep)
        for data in (stored(Image.fromarray(deep), "PNG"), buffer.getvalue()):
            got = codecs.read_picture(data, Space.DATA).pixels[..., 0]
            np.testing.assert_allclose(got, deep / 65535, atol=1e-6)
            self.assertEqual(codecs.inspect("x", data).bits, 16)

    def test_sixteen_bit_colour_in_a_tiff_is_kept(self) -> None:
        deep = (noise(20, 14) * 65535).astype(np.uint16)
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, deep, photometric="rgb")
        got = codecs.read_picture(buffer.getvalue(), Space.LINEAR).pixels
        np.testing.assert_allclose(
            got, colour.to_linear((deep / 65535).astype(np.float32)), atol=1e-5
        )

    def test_alpha_is_kept_only_where_it_is_used(self) -> None:
        rgba = np.dstack([PIXELS, np.full(PIXELS.shape[:2], 255, np.uint8)])
        self.assertEqual(codecs.inspect("a.png", png(rgba)).alpha, "opaque")
        self.assertFalse(codecs.read_picture(png(rgba), Space.LINEAR).alpha)
        rgba[3, 4, 3] = 0
        self.assertEqual(codecs.inspect("a.png", png(rgba)).alpha, "used")
        self.assertTrue(codecs.read_picture(png(rgba), Space.LINEAR).alpha)

    def test_indexed_grey_and_cmyk_are_converted(self) -> None:
        image = Image.fromarray(PIXELS)
        for data in (
            stored(image.convert("P"), "PNG"),
            stored(image.convert("L"), "PNG"),
            stored(image.convert("CMYK"), "TIFF"),
            stored(image.convert("1"), "PNG"),
        ):
            self.assertEqual(codecs.read_picture(data, Space.LINEAR).pixels.shape, (13, 21, 3))

    def test_a_turned_photograph_is_turned_back(self) -> None:
        exif = Image.Exif()
        exif[0x0112] = 6
        data = stored(Image.fromarray(PIXELS), "JPEG", exif=exif)
        got = codecs.read_picture(data, Space.LINEAR)
        self.assertEqual((got.width, got.height), (13, 21))
        facts = codecs.inspect("x.jpg", data)
        self.assertEqual((facts.width, facts.height), (13, 21))

    def test_vectors_come_in_at_unit_length(self) -> None:
        got = codecs.read_picture(png(PIXELS), Space.VECTOR).pixels
        np.testing.assert_allclose(np.linalg.norm(got, axis=2), 1, atol=1e-5)


class BadInput(unittest.TestCase):
    def refused(self, data: bytes) -> str:
        with self.assertRaises(BadFile) as caught:
            codecs.inspect("file.png", data)
        self.assertTrue(caught.exception.message and caught.exception.fix)
        return caught.exception.code

    def test_each_kind_of_bad_file_has_its_own_words(self) -> None:
        whole = png(PIXELS)
        cases = {
            "file-empty": b"",
            "archive": b"PK\x03\x04" + bytes(40),
            "not-an-image": b"These are only words, quite a lot of them, and no picture." * 3,
            "file-damaged": whole[: len(whole) // 2],
            "too-large": huge_png(40_000, 40_000),
        }
        for code, data in cases.items():
            with self.subTest(code):
                self.assertEqual(self.refused(data), code)

    def test_files_cut_anywhere_are_refused_and_never_fall_through(self) -> None:
        image = Image.fromarray((noise(64, 48) * 255).astype(np.uint8))
        for kind in ("PNG", "JPEG", "BMP", "TIFF", "TGA"):
            whole = stored(image, kind)
            for share in (0.02, 0.1, 0.5, 0.9):
                with self.subTest(kind=kind, share=share):
                    self.refused(whole[: int(len(whole) * share)])

    def test_a_lying_extension_is_seen(self) -> None:
        facts = codecs.inspect("photo.jpg", png(PIXELS))
        self.assertTrue(facts.extension_lies)
        self.assertEqual((facts.kind, facts.kind_by_extension), (FileKind.PNG, FileKind.JPEG))

    def test_a_tga_is_told_from_words_by_its_header(self) -> None:
        plain = stored(Image.fromarray(PIXELS), "TGA")
        self.assertEqual(kind_by_content(plain), FileKind.TGA)
        self.assertEqual(kind_by_content(b"Once upon a time there was a tile"), FileKind.UNKNOWN)
        self.assertEqual(kind_by_name("A.TGA"), FileKind.TGA)
