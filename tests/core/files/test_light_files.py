"""Light beyond white: OpenEXR and Radiance files, and what becomes of their range."""

from __future__ import annotations

import io
import unittest

import numpy as np
import OpenEXR
import tifffile

from stonestack.core.files import codecs
from stonestack.core.files.blocks import BlockFormat
from stonestack.core.files.codecs.beyond import write_exr
from stonestack.core.files.codecs.pictures import survey, write
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.mips import chain
from stonestack.core.refit.making import texels_of
from stonestack.core.runtime.errors import BadFile
from stonestack.core.tables.roles import Role
from stonestack.core.tools.converting import convert
from tests.support import noise, png


def light(channels: int = 3) -> Floats:
    """Return smooth light from 0.02 to 40, with straight alpha where it has four channels."""
    values = np.exp2(noise(24, 16, 3, 7, channels=channels) * 11 - 5.6).astype(np.float32)
    if channels == 4:
        values[..., 3] = noise(24, 16, 4, 3, channels=1)[..., 0] * 0.8 + 0.2
    return values


def exr(planes: dict[str, np.ndarray], **header: object) -> bytes:
    """Return a file by the library itself."""
    head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    buffer = io.BytesIO()
    OpenEXR.File(head, planes).write(buffer)
    return buffer.getvalue()


def planes_of(data: bytes) -> dict[str, np.ndarray]:
    with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
        return {name: np.array(channel.pixels) for name, channel in file.channels().items()}


def read(data: bytes, space: Space = Space.LINEAR, wide: bool = True) -> Picture:
    return codecs.read_picture(data, space, beyond_white=wide)


class Exr(unittest.TestCase):
    def test_the_library_reads_what_is_written_as_it_was(self) -> None:
        values = light()
        found = planes_of(write_exr(Picture(values, Space.LINEAR), 32))
        np.testing.assert_array_equal(np.dstack([found[n] for n in "RGB"]), values)
        halves = planes_of(write_exr(Picture(values, Space.LINEAR)))
        self.assertEqual(halves["R"].dtype, np.float16)
        np.testing.assert_array_equal(halves["G"], values[..., 1].astype(np.float16))

    def test_what_the_library_writes_is_read_as_light_beyond_white(self) -> None:
        values = light()
        for packing in (OpenEXR.NO_COMPRESSION, OpenEXR.RLE_COMPRESSION, OpenEXR.PIZ_COMPRESSION):
            data = exr({n: values[..., i].copy() for i, n in enumerate("RGB")}, compression=packing)
            np.testing.assert_allclose(read(data).pixels, values, rtol=1e-5)

    def test_alpha_weighs_colour_in_the_file_and_not_in_the_picture(self) -> None:
        picture = Picture(light(4), Space.LINEAR, alpha=True)
        data = write_exr(picture, 32)
        found = planes_of(data)
        np.testing.assert_allclose(
            found["R"], picture.pixels[..., 0] * picture.pixels[..., 3], rtol=1e-6
        )
        np.testing.assert_allclose(read(data).pixels, picture.pixels, rtol=1e-4, atol=1e-5)

    def test_one_channel_is_grey_whatever_it_is_called(self) -> None:
        values = noise(24, 16, 5, 5, channels=1)
        for name in ("Y", "depth"):
            data = exr({name: values[..., 0].copy()})
            np.testing.assert_allclose(read(data, Space.DATA).pixels, values, atol=1e-6)

    def test_colour_within_white_is_light_too(self) -> None:
        values = noise(24, 16, 5, 5)
        data = write_exr(Picture(values, Space.LINEAR), 32)
        for wide in (False, True):
            np.testing.assert_allclose(read(data, wide=wide).pixels, values, atol=1e-6)
        looked = survey(data, FileKind.EXR, 16).texels[..., :3]
        np.testing.assert_allclose(looked / 65535, colour.to_srgb(values), atol=1e-4)

    def test_without_its_range_it_is_brought_to_white(self) -> None:
        values = light()
        found = read(write_exr(Picture(values, Space.LINEAR), 32), wide=False)
        np.testing.assert_allclose(found.pixels * values.max(), values, rtol=1e-4)

    def test_normals_go_there_and_back(self) -> None:
        vectors = noise(24, 16, 6, 5) - np.float32(0.5)
        vectors[..., 2] = 1
        vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
        data = write_exr(Picture(vectors, Space.VECTOR), 32)
        np.testing.assert_allclose(read(data, Space.VECTOR).pixels, vectors, atol=1e-6)

    def test_a_file_without_colour_is_refused_in_words(self) -> None:
        plane = np.zeros((4, 4), np.float32)
        with self.assertRaisesRegex(BadFile, "no channels R, G and B"):
            read(exr({"left": plane, "right": plane}))

    def test_numbers_that_are_none_do_no_harm(self) -> None:
        values = light()
        values[3, 4] = [np.nan, np.inf, -np.inf]
        data = exr({n: values[..., i].copy() for i, n in enumerate("RGB")})
        self.assertTrue(np.isfinite(read(data).pixels).all())


class Radiance(unittest.TestCase):
    def file(self, *lines: bytes, texels: bytes = bytes([128, 64, 32, 129] * 6)) -> bytes:
        head = b"\n".join([b"#?RADIANCE", *lines, b"", b"-Y 2 +X 3", b""])
        return head + texels

    def test_mantissa_and_exponent_are_read_by_the_book(self) -> None:
        found = read(self.file(b"FORMAT=32-bit_rle_rgbe")).pixels
        self.assertEqual(found.shape, (2, 3, 3))
        # 128, 64, 32 over 256, times two to the exponent of 129 - 128.
        np.testing.assert_allclose(found[0, 0], [1.0, 0.5, 0.25], rtol=0.01)
        bright = self.file(b"FORMAT=32-bit_rle_rgbe", texels=bytes([200, 100, 50, 140] * 6))
        np.testing.assert_allclose(
            read(bright).pixels[1, 2], np.array([200, 100, 50]) * 2.0**4, rtol=0.01
        )

    def test_light_is_as_it_was_before_its_exposure(self) -> None:
        plain = read(self.file(b"FORMAT=32-bit_rle_rgbe")).pixels
        twice = self.file(b"FORMAT=32-bit_rle_rgbe", b"EXPOSURE=2", b"EXPOSURE=0.25")
        np.testing.assert_allclose(read(twice).pixels, plain * 2, rtol=1e-6)

    def test_other_forms_are_refused_in_words(self) -> None:
        for data in (
            self.file(b"FORMAT=32-bit_rle_xyze"),
            self.file(b"FORMAT=32-bit_rle_rgbe").replace(b"-Y 2 +X 3", b"+Y 2 +X 3"),
            self.file(b"FORMAT=32-bit_rle_rgbe", b"EXPOSURE=0"),
        ):
            with self.assertRaises(BadFile):
                read(data)


class Range(unittest.TestCase):
    def test_smaller_levels_keep_it(self) -> None:
        values = np.exp2(noise(32, 32, 3, 7) * 11 - 5.6).astype(np.float32)
        for filter_ in ("box", "kaiser", "lanczos"):
            levels = chain(Picture(values, Space.LINEAR, wraps=True), filter_)
            self.assertLessEqual(levels[1].pixels.max(), values.max())
            self.assertGreater(levels[1].pixels.max(), 0.2 * values.max())
            mean = levels[-1].pixels.mean()
            self.assertAlmostEqual(float(mean / values.mean()), 1, delta=0.08)

    def test_it_goes_through_bc6h_and_halves_and_back(self) -> None:
        values = light()
        data = write_exr(Picture(values, Space.LINEAR), 32)
        for format_, off in (("bc6h", 0.25), ("rgba16f", 0.001)):
            texture = convert(data, "a.dds", format_name=format_, mips=False).data
            back = read(convert(texture, "b.exr").data).pixels
            self.assertLess(float(np.median(np.abs(back / values - 1))), off)
            self.assertGreater(back.max(), 0.8 * values.max())

    def test_a_tiff_of_single_precision_keeps_light_and_what_lies_within_white(self) -> None:
        for values in (light(), noise(24, 16, 5, 5), light(4)):
            alpha = values.shape[2] == 4
            picture = Picture(values, Space.LINEAR, alpha=alpha)
            found = read(write(picture, FileKind.TIFF, 32))
            np.testing.assert_allclose(found.pixels, values, rtol=1e-4, atol=1e-6)

    def test_a_plain_tiff_with_alpha_is_not_packed_and_reads_back_the_same(self) -> None:
        texels = (noise(24, 16, 5, 5, channels=4) * 255).astype(np.uint8)
        for depth, scale in ((np.uint8, 1), (np.uint16, 257)):
            stored = texels.astype(depth) * depth(scale)
            buffer = io.BytesIO()
            tifffile.imwrite(buffer, stored, photometric="rgb", extrasamples=["unassalpha"])
            made = convert(buffer.getvalue(), "out.tiff").data
            with tifffile.TiffFile(io.BytesIO(made)) as pages:
                page = pages.pages.first
                self.assertEqual(page.compression, tifffile.COMPRESSION.NONE)
                self.assertEqual(page.samplesperpixel, 4)
                self.assertEqual(tuple(page.extrasamples), (tifffile.EXTRASAMPLE.UNASSALPHA,))
                np.testing.assert_array_equal(page.asarray(), stored)


class AsStored(unittest.TestCase):
    """Normals that are not of unit length, as those of two channels, are left alone."""

    def test_two_channels_go_through_every_format_as_they_are(self) -> None:
        texels = np.zeros((32, 32, 3), np.uint8)
        texels[..., :2] = np.random.default_rng(2).integers(30, 226, (32, 32, 2))
        data = png(texels)
        for name, format_ in (("a.dds", "rg8"), ("a.ktx2", "rgba8"), ("a.png", None)):
            back = convert(data, name, role=Role.NORMAL, format_name=format_)
            found = texels_of(back.data)
            np.testing.assert_array_equal(found[..., :2], texels[..., :2])
            if format_ != "rg8":
                np.testing.assert_array_equal(found[..., 2], texels[..., 2])

    def test_they_come_out_of_textures_as_they_are_too(self) -> None:
        texels = np.zeros((16, 16, 3), np.uint8)
        texels[..., :2] = np.random.default_rng(3).integers(30, 226, (16, 16, 2))
        texture = convert(png(texels), "a.dds", role=Role.NORMAL, format_name="rgba8").data
        back = convert(texture, "b.png", role=Role.NORMAL).data
        np.testing.assert_array_equal(texels_of(back)[..., :3], texels)
        other = convert(back, "c.png", role=Role.NORMAL, normalise=True).data
        self.assertFalse(np.array_equal(texels_of(other)[..., :3], texels))

    def test_they_are_brought_to_unit_length_when_asked(self) -> None:
        texels = np.full((8, 8, 3), (200, 128, 160), np.uint8)
        made = convert(png(texels), "a.png", role=Role.NORMAL, normalise=True)
        length = np.linalg.norm(texels_of(made.data)[..., :3] / 127.5 - 1, axis=2)
        np.testing.assert_allclose(length, 1, atol=0.02)

    def test_smaller_levels_of_unit_normals_are_of_unit_length(self) -> None:
        vectors = noise(32, 32, 6, 3) - np.float32(0.5)
        vectors[..., 2] = 0.7
        vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
        for level in chain(Picture(vectors, Space.VECTOR)):
            np.testing.assert_allclose(np.linalg.norm(level.pixels, axis=2), 1, atol=1e-5)


class Copied(unittest.TestCase):
    """A texture that stays in its format is not compressed a second time."""

    def test_blocks_go_through_every_container_to_the_byte(self) -> None:
        picture = Picture(noise(32, 16, 4, 5, channels=4), Space.LINEAR, alpha=True)
        for format_ in BlockFormat:
            texture = codecs.compress(picture, format_)
            first = codecs.dds.write(texture)
            made = convert(first, "a.ktx2", packed=True)
            self.assertEqual(codecs.read_texture(made.data).levels, texture.levels, format_)
            self.assertIn("copied", made.words)
            again = codecs.read_texture(convert(made.data, "b.dds").data)
            self.assertEqual(again.levels, texture.levels, format_)

    def test_levels_that_are_missing_are_made_and_the_first_stays(self) -> None:
        picture = Picture(noise(32, 16, 4, 5), Space.LINEAR)
        whole = codecs.compress(picture, BlockFormat.BC1)
        one = codecs.Texture(whole.format, whole.srgb, 32, 16, whole.levels[:1])
        made = codecs.read_texture(convert(codecs.dds.write(one), "a.dds").data)
        self.assertEqual(len(made.levels), 6)
        self.assertEqual(made.levels[0], whole.levels[0])
        bare = codecs.read_texture(convert(codecs.dds.write(whole), "a.dds", mips=False).data)
        self.assertEqual(bare.levels, whole.levels[:1])

    def test_another_format_or_size_is_encoded(self) -> None:
        texture = codecs.compress(Picture(noise(32, 16, 4, 5), Space.LINEAR), BlockFormat.BC1)
        data = codecs.dds.write(texture)
        other = convert(data, "a.dds", format_name="bc7")
        self.assertEqual(codecs.read_texture(other.data).format, BlockFormat.BC7)
        small = codecs.read_texture(convert(data, "a.dds", size=(16, 8)).data)
        self.assertEqual((small.width, small.format), (16, BlockFormat.BC1))


if __name__ == "__main__":
    unittest.main()
