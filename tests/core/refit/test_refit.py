"""A game's file made again: same form, and what did not change stays bit for bit."""

from __future__ import annotations

import dataclasses
import io
import unittest

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import FORMATS, BlockFormat
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.texels import from_texels, to_texels
from stonestack.core.refit import as_stored, contract_of, made
from tests.support import noise


def texture(format_: BlockFormat, space: Space, side: int = 64, alpha: bool = False) -> bytes:
    """Return a DDS of noise."""
    channels = {Space.DATA: 1}.get(space, 3)
    pixels = noise(side, side, 3, 9, channels=channels)
    if space is Space.VECTOR:
        pixels = pixels * np.float32(0.8) - np.float32(0.4)
        pixels[..., 2] = 1
        pixels /= np.linalg.norm(pixels, axis=2, keepdims=True)
    if alpha:
        cover = (noise(side, side, 4, 9, channels=1) > 0.5).astype(np.float32)
        pixels = np.concatenate([pixels, cover], axis=2)
    return dds.write(codecs.compress(Picture(pixels, space, alpha=alpha), format_))


def patched(picture: Picture, at: int = 8, side: int = 8) -> Picture:
    """Return the picture with a square changed."""
    pixels = picture.pixels.copy()
    if picture.space is Space.VECTOR:
        pixels[at : at + side, at : at + side] = [0.6, 0, 0.8]
    else:
        pixels[at : at + side, at : at + side, :3] = 1 - pixels[at : at + side, at : at + side, :3]
    return picture.with_pixels(pixels)


CASES = [
    (BlockFormat.BC1, Space.LINEAR, False),
    (BlockFormat.BC2, Space.LINEAR, True),
    (BlockFormat.BC3, Space.LINEAR, True),
    (BlockFormat.BC4, Space.DATA, False),
    (BlockFormat.BC5, Space.VECTOR, False),
    (BlockFormat.BC7, Space.LINEAR, True),
    (BlockFormat.RGBA8, Space.VECTOR, False),
    (BlockFormat.RGBA8, Space.LINEAR, True),
]


class Levels(unittest.TestCase):
    """Textures of blocks."""

    def test_an_untouched_picture_comes_back_byte_for_byte(self) -> None:
        for format_, space, alpha in CASES:
            with self.subTest(format=format_, space=space):
                original = texture(format_, space, alpha=alpha)
                result = made(original, codecs.read_picture(original, space))
                self.assertEqual(result.data, original)
                self.assertEqual(result.changed, 0)

    def test_only_blocks_with_changed_texels_differ_at_every_level(self) -> None:
        for format_, space, alpha in CASES:
            with self.subTest(format=format_, space=space):
                original = texture(format_, space, alpha=alpha)
                result = made(original, patched(codecs.read_picture(original, space)))
                before, after = codecs.read_texture(original), codecs.read_texture(result.data)
                unit = FORMATS[format_].unit_bytes
                block = FORMATS[format_].block
                for level, (old, new) in enumerate(zip(before.levels, after.levels, strict=True)):
                    width, _ = before.size(level)
                    across = max(1, width // block)
                    a = np.frombuffer(old, np.uint8).reshape(-1, unit)
                    b = np.frombuffer(new, np.uint8).reshape(-1, unit)
                    differ = np.flatnonzero((a != b).any(axis=1))
                    low, high = (8 >> level) // block, -(-(16 >> level or 1) // block)
                    for place in differ:
                        self.assertTrue(low <= place // across < max(high, low + 1))
                        self.assertTrue(low <= place % across < max(high, low + 1))
                    if level == 0:
                        self.assertGreater(len(differ), 0)

    def test_a_level_of_its_own_changes_its_blocks_alone_and_the_others_stay_to_the_byte(
        self,
    ) -> None:
        for format_, space, alpha in CASES:
            with self.subTest(format=format_, space=space):
                original = texture(format_, space, alpha=alpha)
                before = codecs.read_texture(original)
                own = patched(before.picture(space, 2), 4, 4)
                result = made(original, codecs.read_picture(original, space), {2: own, 11: own})
                after = codecs.read_texture(result.data)
                differing = [n for n in range(7) if before.levels[n] != after.levels[n]]
                self.assertEqual(differing, [2])
                a, b = (t.texels(2).astype(int) for t in (before, after))
                apart = np.abs(a - b).max(axis=2) > 0
                self.assertTrue(apart[4:8, 4:8].any())
                apart[4:8, 4:8] = False
                self.assertFalse(apart.any())
                self.assertEqual(len(result.data), len(original))

    def test_the_change_is_seen_in_the_file_and_in_its_smaller_levels(self) -> None:
        original = texture(BlockFormat.BC1, Space.LINEAR)
        wanted = patched(codecs.read_picture(original, Space.LINEAR), 16, 32)
        after = codecs.read_texture(made(original, wanted).data)
        for level in (0, 1, 2):
            size = after.size(level)
            close = resize(wanted, *size, "box") if level else wanted
            low, high = 16 >> level, 48 >> level
            part = (slice(low, high), slice(low, high))
            was = codecs.read_texture(original).picture(Space.LINEAR, level).body[part]
            now = after.picture(Space.LINEAR, level).body[part]
            off = np.abs(now - close.body[part]).mean()
            self.assertLess(float(off), 0.6 * float(np.abs(was - close.body[part]).mean()))

    def test_colour_alone_leaves_the_alpha_half_of_a_block_as_it_was(self) -> None:
        original = texture(BlockFormat.BC3, Space.LINEAR, alpha=True)
        result = made(original, patched(codecs.read_picture(original, Space.LINEAR)))
        before = np.frombuffer(codecs.read_texture(original).levels[0], np.uint8).reshape(-1, 16)
        after = np.frombuffer(codecs.read_texture(result.data).levels[0], np.uint8).reshape(-1, 16)
        np.testing.assert_array_equal(before[:, :8], after[:, :8])
        self.assertTrue((before[:, 8:] != after[:, 8:]).any())

    def test_an_old_header_stays_an_old_header(self) -> None:
        whole = dds.read(texture(BlockFormat.BC1, Space.LINEAR))
        buffer = io.BytesIO()
        Image.fromarray(whole.texels()).convert("RGB").save(buffer, "DDS", pixel_format="DXT1")
        original = buffer.getvalue()
        self.assertIn("DXT1", contract_of(original).variant)
        result = made(original, patched(codecs.read_picture(original, Space.LINEAR)))
        self.assertEqual(result.data[:128], original[:128])
        self.assertEqual(len(result.data), len(original))
        self.assertNotEqual(result.data, original)

    def test_a_ktx2_keeps_its_header_and_its_order_of_levels(self) -> None:
        source = dds.read(texture(BlockFormat.BC1, Space.LINEAR))
        original = ktx2.write(source)
        result = made(original, patched(codecs.read_picture(original, Space.LINEAR)))
        self.assertEqual(ktx2.places(result.data, 7), ktx2.places(original, 7))
        self.assertNotEqual(result.data, original)

    def test_a_cut_out_in_bc1_keeps_its_holes(self) -> None:
        texels = np.full((16, 16, 4), 200, np.uint8)
        texels[4:12, 4:12, 3] = 0
        texels[..., 3][texels[..., 3] > 0] = 255
        opaque = dds.read(texture(BlockFormat.BC1, Space.LINEAR, 16))
        original = dds.write(dataclasses.replace(opaque, srgb=False))
        pixels = np.full((16, 16, 4), 0.5, np.float32)
        pixels[..., 3:] = texels[..., 3:] / np.float32(255)
        result = made(original, Picture(pixels, Space.LINEAR, alpha=True))
        with Image.open(io.BytesIO(result.data)) as image:
            alpha = np.asarray(image.convert("RGBA"))[..., 3]
        np.testing.assert_array_equal(alpha > 127, texels[..., 3] > 127)

    def test_numbers_that_are_no_bytes_stay_as_fine_as_they_are(self) -> None:
        for format_ in (BlockFormat.BC6H, BlockFormat.RGBA16F, BlockFormat.RGB10A2):
            original = dds.write(codecs.compress(picture_of_light(), format_))
            before = codecs.read_picture(original, Space.LINEAR)
            pixels = before.pixels.copy()
            pixels[:4, :4] = 0.25
            result = made(original, before.with_pixels(pixels))
            after, untouched = dds.read(result.data), dds.read(original)
            with self.subTest(format=format_):
                np.testing.assert_array_equal(after.stored()[4:], untouched.stored()[4:])
                self.assertAlmostEqual(
                    float(codecs.read_picture(result.data, Space.LINEAR).pixels[1, 1, 1]), 0.25, 2
                )


def picture_of_light() -> Picture:
    """Return colour with smooth light and some noise, 32 by 32."""
    rng = np.random.default_rng(3)
    ramp = np.linspace(0.05, 0.9, 32, dtype=np.float32)
    pixels = np.repeat(np.outer(ramp, ramp)[..., np.newaxis], 3, axis=2)
    noise = rng.random((32, 32, 3), np.float32) * np.float32(0.05)
    return Picture(np.asarray(pixels + noise, np.float32), Space.LINEAR)


def stored(pixels: NDArray[np.uint8], kind: str, **options: object) -> bytes:
    """Store pixels with Pillow."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, kind, **options)
    return buffer.getvalue()


class Images(unittest.TestCase):
    """Image files."""

    def setUp(self) -> None:
        self.pixels = (noise(40, 24, 5, 7) * 255).astype(np.uint8)

    def opened(self, data: bytes) -> Image.Image:
        image = Image.open(io.BytesIO(data))
        image.load()
        return image

    def changed(self, original: bytes) -> bytes:
        picture = codecs.read_picture(original, Space.LINEAR)
        self.assertEqual(made(original, picture).data, original)
        return made(original, patched(picture)).data

    def test_a_tga_keeps_packing_row_order_identification_and_footer(self) -> None:
        for options in (
            {},
            {"compression": "tga_rle"},
            {"orientation": 1},
            {"compression": "tga_rle", "orientation": 1, "id_section": b"hello"},
        ):
            with self.subTest(**options):
                original = stored(self.pixels, "TGA", **options)
                result = self.changed(original)
                self.assertEqual(result[:18], original[:18])
                self.assertEqual(result[-26:], original[-26:])
                new, old = np.asarray(self.opened(result)), np.asarray(self.opened(original))
                same = (new == old).all(axis=2)
                self.assertTrue(same[:8].all() and same[:, 20:].all())
                self.assertFalse(same[8:16, 8:16].all())

    def test_a_palette_goes_back_to_a_palette_and_the_rest_keeps_its_colours(self) -> None:
        paletted = Image.fromarray(self.pixels).quantize(64)
        for kind in ("PNG", "TGA", "BMP"):
            with self.subTest(kind=kind):
                buffer = io.BytesIO()
                paletted.save(buffer, kind)
                result = self.opened(self.changed(buffer.getvalue()))
                self.assertEqual(result.mode, "P")
                new = np.asarray(result.convert("RGB"))
                old = np.asarray(paletted.convert("RGB"))
                self.assertLess(int(np.abs(new[:8].astype(int) - old[:8]).max()), 40)
                self.assertTrue((new[8:16, 8:16] != old[8:16, 8:16]).any())

    def test_a_palette_with_room_grows_to_what_its_kind_allows(self) -> None:
        rng = np.random.default_rng(3)
        for kind, count, most in (("PNG", 5, 16), ("PNG", 40, 256), ("TGA", 40, 256)):
            with self.subTest(kind=kind, count=count):
                image = Image.fromarray(rng.integers(0, count, (40, 48)).astype(np.uint8), "P")
                palette = rng.integers(0, 256, (count, 3)).astype(np.uint8)
                image.putpalette(palette.tobytes(), "RGB")
                buffer = io.BytesIO()
                image.save(buffer, kind)
                old = np.asarray(image.convert("RGB"))
                picture = as_stored(buffer.getvalue(), Space.LINEAR)
                new = to_texels(picture)
                fresh = rng.integers(0, 256, (20, 30, 4)).astype(np.uint8)
                fresh[..., 3] = 255
                new[:20, :30] = fresh
                result = made(buffer.getvalue(), from_texels(new, Space.LINEAR)).data
                opened = self.opened(result)
                shown = np.asarray(opened.convert("RGB"))
                np.testing.assert_array_equal(shown[20:], old[20:])
                colours = len(np.unique(np.asarray(opened)))
                self.assertGreater(colours, 0.9 * most)
                self.assertLessEqual(colours, most)
                if kind == "PNG":
                    self.assertEqual(result[24], buffer.getvalue()[24], "bits of an index")

    def test_few_new_colours_are_stored_exactly(self) -> None:
        image = Image.fromarray(np.arange(1200, dtype=np.uint8).reshape(30, 40) % 50, "P")
        image.putpalette(bytes(range(150)), "RGB")
        buffer = io.BytesIO()
        image.save(buffer, "TGA")
        new = to_texels(as_stored(buffer.getvalue(), Space.LINEAR))
        old = new.copy()
        new[3, 4:9, :3] = [[255, 1, 2], [3, 255, 4], [5, 6, 255], [255, 255, 7], [8, 255, 255]]
        result = made(buffer.getvalue(), from_texels(new, Space.LINEAR)).data
        np.testing.assert_array_equal(to_texels(as_stored(result, Space.LINEAR)), new)
        self.assertFalse(np.array_equal(new, old))

    def test_free_places_of_a_palette_take_new_colours(self) -> None:
        pixels = np.zeros((16, 40, 3), np.uint8)
        pixels[:, 20:] = [10, 200, 30]
        image = Image.fromarray((pixels[..., 1] > 0).astype(np.uint8), "P")
        image.putpalette(bytes([0, 0, 0, 10, 200, 30]) + bytes(range(254)) * 3, "RGB")
        buffer = io.BytesIO()
        image.save(buffer, "PNG", optimize=False)
        picture = codecs.read_picture(buffer.getvalue(), Space.LINEAR)
        new = picture.pixels.copy()
        new[4:8, 4:8] = [1, 0, 0]
        data = made(buffer.getvalue(), picture.with_pixels(new)).data
        out = np.asarray(self.opened(data).convert("RGB"))
        np.testing.assert_array_equal(out[5, 5], [255, 0, 0])
        np.testing.assert_array_equal(out[5, 30], [10, 200, 30])

    def test_sixteen_bits_stay_sixteen(self) -> None:
        import cv2

        deep = (noise(40, 24, 5, 7) * 65535).astype(np.uint16)
        original = bytes(cv2.imencode(".png", deep)[1])
        result = self.changed(original)
        self.assertEqual(result[24], 16)
        out = cv2.imdecode(np.frombuffer(result, np.uint8), cv2.IMREAD_UNCHANGED)
        off = np.abs(out[:8].astype(int) - deep[:8])
        self.assertLessEqual(int(off.max()), 2)

    def test_grey_stays_grey_and_jpeg_keeps_its_tables(self) -> None:
        grey = stored(self.pixels[..., 0], "PNG")
        self.assertEqual(self.opened(self.changed(grey)).mode, "L")
        photo = stored(self.pixels, "JPEG", quality=61)
        result = self.opened(self.changed(photo))
        self.assertEqual(result.quantization, self.opened(photo).quantization)  # type: ignore[attr-defined]


if __name__ == "__main__":
    unittest.main()
