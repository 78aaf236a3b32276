"""Files that come back from outside, cut and with flipped bits: an error in words, nothing else."""

from __future__ import annotations

import io
import random
import struct
import unittest
from collections.abc import Callable

import numpy as np
from PIL import Image

from stonestack.core.catalogue.describe import describe
from stonestack.core.files.codecs import tga
from stonestack.core.files.workfiles import openraster
from stonestack.core.files.workfiles.openraster import PICTURE, Layer
from stonestack.core.files.workfiles.passing import incoming
from stonestack.core.picture.image import Space
from stonestack.core.refit import as_stored, contract_of, made
from stonestack.core.runtime.errors import StoneError
from tests.games import colour_dds
from tests.sizes import times
from tests.support import noise, png


def stored(kind: str, mode: str, **options: object) -> bytes:
    """Return a small picture in one of Pillow's kinds."""
    image = Image.fromarray((noise(20, 12, 3, 5) * 255).astype(np.uint8))
    image = image.quantize(32) if mode == "P" else image.convert(mode)
    buffer = io.BytesIO()
    image.save(buffer, kind, **options)
    return buffer.getvalue()


GOOD: dict[str, bytes] = {
    "tga": stored("TGA", "RGB"),
    "packed tga": stored("TGA", "RGBA", compression="tga_rle"),
    "tga with a palette": stored("TGA", "P"),
    "png": stored("PNG", "RGBA"),
    "png with a palette": stored("PNG", "P"),
    "bmp": stored("BMP", "RGB"),
    "tiff": stored("TIFF", "RGB"),
    "jpeg": stored("JPEG", "RGB"),
    "dds": colour_dds(3, 16),
}


def spoilt(good: bytes, rng: random.Random) -> bytes:
    """Return a file cut short, or with some bits turned."""
    if rng.random() < 0.35:
        return good[: rng.randrange(len(good))]
    bad = bytearray(good)
    for _ in range(rng.randrange(1, 6)):
        # Headers are where it hurts.
        place = rng.randrange(min(len(bad), 200) if rng.random() < 0.7 else len(bad))
        bad[place] ^= 1 << rng.randrange(8)
    return bytes(bad)


END = b"TRUEVISION-XFILE.\0"
"""How the footer of a TGA ends."""


class Hostile(unittest.TestCase):
    def tried(self, work: Callable[[bytes], object], good: bytes, seed: int) -> int:
        """Try spoilt files; return how many were refused in words."""
        rng = random.Random(seed)
        refused = 0
        for _ in range(times(1000, 80)):
            try:
                work(spoilt(good, rng))
            except StoneError as error:
                refused += 1
                self.assertTrue(error.message and error.fix)
        return refused

    def test_a_catalogue_describes_anything_without_an_error(self) -> None:
        for name, good in GOOD.items():
            with self.subTest(kind=name):
                self.assertEqual(self.tried(describe, good, 1), 0)

    def test_contracts_of_spoilt_files_are_refusals_not_errors(self) -> None:
        for name, good in GOOD.items():
            with self.subTest(kind=name):
                self.assertEqual(self.tried(contract_of, good, 2), 0)

    def test_a_spoilt_replacement_is_refused_in_words(self) -> None:
        original = GOOD["dds"]
        for name, good in GOOD.items():
            with self.subTest(kind=name):
                work = lambda bad: made(original, as_stored(bad, Space.LINEAR))  # noqa: E731
                self.assertGreater(self.tried(work, good, 3), 0)

    def test_a_spoilt_original_is_refused_in_words(self) -> None:
        picture = as_stored(png((noise(20, 12, 9, 5) * 255).astype(np.uint8)), Space.LINEAR)
        for name, good in GOOD.items():
            with self.subTest(kind=name):
                self.assertGreater(self.tried(lambda bad: made(bad, picture), good, 4), 0)

    def test_a_spoilt_tga_is_taken_apart_or_refused(self) -> None:
        for name in ("tga", "packed tga", "tga with a palette"):
            with self.subTest(kind=name):
                self.assertGreater(self.tried(tga.parse, GOOD[name], 5), 0)

    def test_a_tga_put_together_from_its_own_parts_reads_the_same(self) -> None:
        for name in ("tga", "packed tga", "tga with a palette"):
            file = tga.parse(GOOD[name])
            again = tga.parse(tga.written(file, file.values))
            np.testing.assert_array_equal(again.values, file.values)
            self.assertEqual((again.head, again.tail), (file.head, file.tail))

    def test_a_footer_that_is_cut_short_is_left_as_it_is(self) -> None:
        good = tga.parse(GOOD["packed tga"])
        torn = tga.parse(good.head + GOOD["packed tga"][len(good.head) :][: good.stored] + END)
        again = tga.parse(tga.written(torn, torn.values[:, ::-1]))
        self.assertEqual(again.tail, END)
        np.testing.assert_array_equal(again.values, torn.values[:, ::-1])

    def test_places_in_a_footer_move_with_a_shorter_body(self) -> None:
        good = tga.parse(GOOD["packed tga"])
        end = len(good.head) + good.stored
        note = b"what another program keeps here"
        footer = struct.pack("<II", 0, end + 4) + END
        body = GOOD["packed tga"][len(good.head) : end]
        file = tga.parse(good.head + body + note + footer)
        short = tga.written(file, np.zeros_like(file.values))
        place = struct.unpack_from("<I", short, len(short) - 22)[0]
        self.assertLess(len(short), len(good.head) + len(body) // 2 + len(note) + len(footer))
        self.assertEqual(short[place : place + 4], note[4:8])

    def test_a_palette_that_is_not_there_is_refused_in_words(self) -> None:
        bad = bytearray(GOOD["tga with a palette"])
        bad[5:7] = b"\0\0"
        with self.assertRaisesRegex(StoneError, "palette"):
            tga.parse(bytes(bad))

    def test_grey_with_alpha_and_palettes_of_sixteen_bits_take_another_picture(self) -> None:
        wanted = np.full((12, 20, 4), (99, 99, 99, 255), np.uint8)
        wanted[3:6] = (33, 33, 33, 128)
        grey = made(stored("TGA", "LA"), as_stored(png(wanted), Space.LINEAR)).data
        seen = np.asarray(Image.open(io.BytesIO(grey)))
        np.testing.assert_array_equal(seen, wanted[..., [0, 3]])

        good = tga.parse(GOOD["tga with a palette"])
        short = bytearray(good.head[:18]) + bytes(range(256)) * 2
        short[5:8] = struct.pack("<HB", 256, 16)
        file = bytes(short) + good.values[::-1].tobytes()
        red = np.full((12, 20, 4), (255, 0, 0, 255), np.uint8)
        out = tga.parse(made(file, as_stored(png(red), Space.LINEAR)).data)
        np.testing.assert_array_equal(out.palette()[out.values[..., 0]], red)

    def test_a_spoilt_working_file_is_refused_in_words(self) -> None:
        texels = np.full((16, 16, 4), 90, np.uint8)
        layered = openraster.write([Layer(PICTURE, texels)])
        sent = png(texels)
        work = lambda bad: incoming("x.ora", bad, sent, True, set())  # noqa: E731
        self.assertGreater(self.tried(work, layered, 6), 0)

    def test_entities_in_a_layer_list_are_not_expanded(self) -> None:
        import zipfile

        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as file:
            file.writestr("mimetype", b"image/openraster")
            file.writestr("stack.xml", b'<!DOCTYPE x [<!ENTITY a "b">]><image w="4" h="4"/>')
        with self.assertRaises(StoneError):
            openraster.read(buffer.getvalue())


if __name__ == "__main__":
    unittest.main()
