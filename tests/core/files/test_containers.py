import io
import itertools
import struct
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
import zstandard
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from stonestack.core.files import codecs
from stonestack.core.files.blocks import FORMATS, BlockFormat
from stonestack.core.files.codecs import dds, ktx2
from stonestack.core.files.codecs.texture import Texture, gathered
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.texels import shrunk
from stonestack.core.runtime.errors import BadFile, BadRequest
from tests.support import noise


def textures(width: int = 32, height: int = 16) -> dict[BlockFormat, Texture]:
    """Return one texture a format, with all levels."""
    rgba = Picture(noise(width, height, 4, 5, channels=4), Space.LINEAR, alpha=True)
    data = Picture(noise(width, height, 5, 5, channels=1), Space.DATA)
    vectors = noise(width, height, 6, 5) * 2 - 1
    vectors[..., 2] = 1
    unit = vectors / np.linalg.norm(vectors, axis=2, keepdims=True)
    normal = Picture(unit.astype(np.float32), Space.VECTOR)
    sources = {BlockFormat.BC4: data, BlockFormat.BC5: normal}
    return {f: codecs.compress(sources.get(f, rgba), f) for f in BlockFormat}


def pillow_decoded(format_: BlockFormat, width: int, height: int, data: bytes) -> np.ndarray:
    """Let Pillow decode one level, in a file of its own with an old header.

    Pillow reads only the first level of a file, and refuses some DX10 variants; the old
    header is written here, so that the test does not lean on the writer it checks.
    """
    codes = {"bc1": b"DXT1", "bc2": b"DXT3", "bc3": b"DXT5", "bc4": b"BC4U", "bc5": b"BC5U"}
    if format_ is BlockFormat.BC7:
        # There is no old code for it.
        return np.array(
            Image.frombytes(
                "RGBA", (-(-width // 4) * 4, -(-height // 4) * 4), data, "bcn", (7, "BC7")
            )
        )[:height, :width]
    if format_ is BlockFormat.RGBA8:
        pixel = struct.pack("<2I4s5I", 32, 0x41, b"", 32, 0xFF, 0xFF00, 0xFF0000, 0xFF000000)
    else:
        pixel = struct.pack("<2I4s5I", 32, 0x4, codes[format_], 0, 0, 0, 0, 0)
    header = struct.pack("<4s7I44x", b"DDS ", 124, 0x1007, height, width, 0, 0, 0)
    image = Image.open(io.BytesIO(header + pixel + struct.pack("<5I", 0x1000, 0, 0, 0, 0) + data))
    texels = np.array(image)
    return texels[..., np.newaxis] if texels.ndim == 2 else texels


NO_BLOCKS = (
    *(BlockFormat.R8, BlockFormat.RG8, BlockFormat.RGB10A2, BlockFormat.RGBA16F),
    *(BlockFormat.BC4S, BlockFormat.BC5S, BlockFormat.BC6H, BlockFormat.BC6HS),
)
"""Formats that Pillow has no name for, or whose numbers are no bytes."""


class Dds(unittest.TestCase):
    def test_each_format_comes_back_whole(self) -> None:
        for format_, texture in textures().items():
            with self.subTest(format=format_):
                self.assertEqual(dds.read(dds.write(texture)), texture)

    def test_header_fields_are_where_the_guide_puts_them(self) -> None:
        data = dds.write(textures()[BlockFormat.BC3])
        self.assertEqual(data[:4], b"DDS ")
        size, flags, height, width, linear, _, levels = struct.unpack_from("<7I", data, 4)
        self.assertEqual((size, height, width, linear, levels), (124, 16, 32, 8 * 4 * 16, 6))
        self.assertEqual(flags & 0xA1007, 0xA1007)
        self.assertEqual(data[84:88], b"DX10")
        self.assertEqual(struct.unpack_from("<5I", data, 128), (78, 3, 0, 1, 0))

    def test_every_level_is_decoded_by_pillow_as_by_us(self) -> None:
        for format_, texture in textures().items():
            if format_ in NO_BLOCKS:
                continue
            for level, data in enumerate(texture.levels):
                with self.subTest(format=format_, level=level):
                    seen = pillow_decoded(format_, *texture.size(level), data)
                    ours = texture.texels(level)
                    channels = min(seen.shape[2], ours.shape[2])
                    # Ours is the specification's interpolation rounded to nearest, Pillow's
                    # is cut off, so one level of difference is allowed.
                    gap = seen[..., :channels].astype(int) - ours[..., :channels].astype(int)
                    self.assertLessEqual(np.abs(gap).max(), 1)

    def test_files_are_opened_by_pillow_as_they_are(self) -> None:
        # Pillow knows the linear DX10 variants; the sRGB ones it partly refuses.
        for format_, texture in textures().items():
            if format_ is BlockFormat.BC4 or format_ in NO_BLOCKS:
                continue
            plain = replace(texture, srgb=False)
            image = Image.open(io.BytesIO(dds.write(plain)))
            self.assertEqual(image.size, (texture.width, texture.height))
            self.assertEqual(np.array(image).shape[:2], (texture.height, texture.width))

    def test_older_headers_are_opened_by_pillow_and_say_the_same(self) -> None:
        for format_ in (
            *(BlockFormat.BC1, BlockFormat.BC2, BlockFormat.BC3, BlockFormat.BC4),
            *(BlockFormat.BC5, BlockFormat.RGBA8, BlockFormat.R8),
        ):
            with self.subTest(format=format_):
                self.assertEqual(dds.usual_header(format_), "legacy")
                texture = replace(textures()[format_], srgb=False)
                data = dds.write(texture, "legacy")
                self.assertEqual(dds.read(data), texture)
                image = Image.open(io.BytesIO(data))
                seen = np.atleast_3d(np.array(image))
                ours = texture.texels()
                channels = min(seen.shape[2], ours.shape[2])
                gap = seen[..., :channels].astype(int) - ours[..., :channels].astype(int)
                self.assertLessEqual(np.abs(gap).max(), 1)

    def test_every_format_that_an_older_header_can_tell_is_read_back(self) -> None:
        for format_, made in textures().items():
            if dds.usual_header(format_) == "legacy":
                with self.subTest(format=format_):
                    texture = replace(made, srgb=False)
                    self.assertEqual(dds.read(dds.write(texture, "legacy")), texture)

    def test_an_older_header_that_has_no_words_for_a_format_is_refused(self) -> None:
        with self.assertRaises(BadRequest) as caught:
            dds.write(textures()[BlockFormat.BC7], "legacy")
        self.assertEqual(caught.exception.code, "no-legacy-header")

    def test_old_headers_that_pillow_writes_are_read(self) -> None:
        image = Image.fromarray((noise(24, 12) * 255).astype(np.uint8))
        for kind, format_ in (("DXT1", BlockFormat.BC1), ("DXT5", BlockFormat.BC3)):
            buffer = io.BytesIO()
            image.convert("RGBA").save(buffer, "DDS", pixel_format=kind)
            texture = dds.read(buffer.getvalue())
            self.assertEqual((texture.format, texture.width, texture.height), (format_, 24, 12))

    def test_variants_found_in_the_wild_are_read(self) -> None:
        made = {f: replace(t, srgb=False) for f, t in textures().items()}
        cases = (
            (BlockFormat.BC3, b"DXT4", 0x4),
            (BlockFormat.BC2, b"DXT2", 0x4),
            (BlockFormat.BC4, b"ATI1", 0x4),
            (BlockFormat.BC5, b"ATI2", 0x4),
            # The flag that says that there is a code is left out.
            (BlockFormat.BC1, b"DXT1", 0),
        )
        for format_, code, flags in cases:
            data = bytearray(dds.write(made[format_], "legacy"))
            data[80:88] = struct.pack("<I4s", flags, code)
            data[20:24] = struct.pack("<I", 12345)  # A pitch that means nothing.
            with self.subTest(format=format_):
                self.assertEqual(dds.read(bytes(data)), made[format_])
        # No count of levels: the first is there.
        data[28:32] = bytes(4)
        self.assertEqual(dds.read(bytes(data)).levels, made[BlockFormat.BC1].levels[:1])

    def test_uncompressed_channels_are_put_in_order(self) -> None:
        rgba = np.arange(4 * 4 * 4, dtype=np.uint8).reshape(4, 4, 4)
        buffer = io.BytesIO()
        Image.fromarray(rgba).save(buffer, "DDS")
        np.testing.assert_array_equal(dds.read(buffer.getvalue()).texels(), rgba)


class Ktx2(unittest.TestCase):
    def test_each_format_comes_back_whole(self) -> None:
        for format_, texture in textures().items():
            with self.subTest(format=format_):
                self.assertEqual(ktx2.read(ktx2.write(texture)), texture)

    def test_levels_lie_smallest_first_and_aligned(self) -> None:
        for format_, texture in textures().items():
            data = ktx2.write(texture)
            unit = format_.info.unit_bytes
            offsets = []
            for level in range(len(texture.levels)):
                offset, length, plain = struct.unpack_from("<3Q", data, 80 + 24 * level)
                self.assertEqual(offset % unit, 0)
                self.assertEqual(length, plain)
                self.assertEqual(data[offset : offset + length], texture.levels[level])
                offsets.append(offset)
            self.assertEqual(offsets, sorted(offsets, reverse=True))

    def test_the_descriptor_says_model_transfer_and_block(self) -> None:
        models = {
            **{"bc1": 128, "bc2": 129, "bc3": 130, "bc4": 131, "bc5": 132, "bc6h": 133},
            **{"bc7": 134, "bc4s": 131, "bc5s": 132, "bc6hs": 133},
        }
        for format_, texture in textures().items():
            data = ktx2.write(texture)
            at, length = struct.unpack_from("<2I", data, 48)
            self.assertEqual(struct.unpack_from("<I", data, at)[0], length)
            model, primaries, transfer, _, bx, by = data[at + 12 : at + 18]
            self.assertEqual((model, primaries), (models.get(format_, 1), 1))
            self.assertEqual(transfer, 2 if texture.srgb else 1)
            self.assertEqual((bx, by), (0, 0) if FORMATS[format_].block == 1 else (3, 3))

    def test_the_descriptor_says_what_numbers_are(self) -> None:
        signed, floating = 0x40, 0x80
        wanted = {
            BlockFormat.RGBA8: (0, 0, 255, 1),
            BlockFormat.RGB10A2: (0, 0, 1023, 4),
            BlockFormat.BC4S: (signed, 0x80000001, 0x7FFFFFFF, 1),
            BlockFormat.BC6H: (floating, 0, 0x3F800000, 1),
            BlockFormat.RGBA16F: (signed | floating, 0xBF800000, 0x3F800000, 2),
        }
        for format_, (kind, low, high, word) in wanted.items():
            with self.subTest(format=format_):
                data = ktx2.write(textures()[format_])
                (at,) = struct.unpack_from("<I", data, 48)
                self.assertEqual(data[at + 4 + 24 + 3] & 0xC0, kind)
                self.assertEqual(struct.unpack_from("<2I", data, at + 4 + 24 + 8), (low, high))
                self.assertEqual(struct.unpack_from("<I", data, 16), (word,))


class Several(unittest.TestCase):
    """Cube maps and arrays, and levels that are packed."""

    def parts(self, count: int, format_: BlockFormat = BlockFormat.BC7) -> list[Texture]:
        square = [Picture(noise(16, 16, 20 + n, 5), Space.LINEAR) for n in range(count)]
        return [codecs.compress(picture, format_) for picture in square]

    def test_each_picture_comes_back_whole_out_of_every_container(self) -> None:
        for parts, cube in ((self.parts(6), True), (self.parts(12), True), (self.parts(5), False)):
            whole = gathered(parts, cube)
            self.assertEqual(whole.elements, len(parts))
            for data in (dds.write(whole), ktx2.write(whole), ktx2.write(whole, True)):
                back = codecs.read_texture(data)
                self.assertEqual(back, whole)
                for n, part in enumerate(parts):
                    self.assertEqual(back.element(n), part)

    def test_a_cube_with_an_older_header_says_so_and_is_opened_by_pillow(self) -> None:
        whole = gathered(self.parts(6, BlockFormat.BC1), True)
        data = dds.write(whole, "legacy")
        caps2 = struct.unpack_from("<I", data, 112)[0]
        self.assertEqual(caps2, 0x200 | 0xFC00)
        back = dds.read(data)
        self.assertEqual((back.levels, back.cube), (whole.levels, True))
        with Image.open(io.BytesIO(data)) as image:
            self.assertEqual(image.size, (16, 16))
        with self.assertRaises(BadRequest):
            dds.write(gathered(self.parts(2, BlockFormat.BC1)), "legacy")

    def test_levels_of_an_array_lie_picture_by_picture_in_dds_and_level_by_level_in_ktx2(
        self,
    ) -> None:
        parts = self.parts(3, BlockFormat.RGBA8)
        whole = gathered(parts)
        self.assertTrue(
            dds.write(whole).endswith(b"".join(level for p in parts for level in p.levels))
        )
        data = ktx2.write(whole)
        for level in range(len(whole.levels)):
            offset, size, plain = struct.unpack_from("<3Q", data, 80 + 24 * level)
            self.assertEqual(data[offset : offset + size], b"".join(p.levels[level] for p in parts))
            self.assertEqual(size, plain)

    def test_packed_levels_are_unpacked_by_the_library_and_lie_without_gaps(self) -> None:
        texture = self.parts(1)[0]
        data = ktx2.write(texture, True)
        self.assertEqual(struct.unpack_from("<I", data, 44)[0], 2)
        places = []
        for level, wanted in enumerate(texture.levels):
            offset, size, plain = struct.unpack_from("<3Q", data, 80 + 24 * level)
            self.assertEqual(zstandard.decompress(data[offset : offset + size]), wanted)
            self.assertEqual(plain, len(wanted))
            places.append((offset, offset + size))
        ends = sorted(places)
        self.assertTrue(all(a[1] == b[0] for a, b in itertools.pairwise(ends)))
        self.assertEqual(ends[-1][1], len(data))

    def test_a_packed_level_that_unpacks_to_more_or_less_is_refused(self) -> None:
        texture = self.parts(1)[0]
        data = bytearray(ktx2.write(texture, True))
        for content in (texture.levels[0] + b"x", texture.levels[0][1:], bytes(1 << 28)):
            packed = zstandard.compress(content)
            struct.pack_into("<3Q", data, 80, len(data), len(packed), len(texture.levels[0]))
            with self.assertRaises(BadFile):
                ktx2.read(bytes(data) + packed)

    def test_a_packed_file_gets_other_levels_and_keeps_the_bytes_of_those_that_stay(self) -> None:
        texture = self.parts(1)[0]
        data = ktx2.write(texture, True)
        self.assertEqual(ktx2.with_levels(data, texture.levels), data)
        levels = (texture.levels[0], bytes(len(texture.levels[1])), *texture.levels[2:])
        made = ktx2.with_levels(data, levels)
        self.assertEqual(ktx2.read(made).levels, levels)
        (at, size), (now_at, now_size) = (ktx2.places(d, 5)[0] for d in (data, made))
        self.assertEqual(data[at : at + size], made[now_at : now_at + now_size])

    def test_what_is_not_alike_or_makes_no_cube_is_refused(self) -> None:
        parts = self.parts(6)
        other = self.parts(1, BlockFormat.BC1)
        for wrong, cube in ((parts[:5], True), ([*parts[:5], *other], False)):
            with self.assertRaises(BadRequest):
                gathered(wrong, cube)

    def test_more_pictures_than_the_bytes_hold_are_refused_before_memory_is_taken(self) -> None:
        data = bytearray(dds.write(self.parts(1)[0]))
        for count in (2, 1 << 20, 0xFFFFFFFF):
            struct.pack_into("<I", data, 140, count)
            with self.assertRaises(BadFile):
                dds.read(bytes(data))


class MadeSmall(unittest.TestCase):
    def test_a_texture_without_smaller_levels_is_averaged_in_bands_as_in_one(self) -> None:
        for format_, texture in textures(76, 44).items():
            large = replace(texture, levels=texture.levels[:1])
            whole = large.texels()
            with self.subTest(format=format_), mock.patch.object(codecs.texture, "_BAND", 1):
                small = large.small(20)
                wanted = shrunk(whole, 3, whole.shape[2] == 4)
                self.assertEqual(small.shape[:2], (15, 26))
                np.testing.assert_array_equal(small, wanted)

    def test_the_level_that_fits_is_decoded_where_there_is_one(self) -> None:
        for texture in textures(64, 32).values():
            np.testing.assert_array_equal(texture.small(16), texture.texels(2))
            np.testing.assert_array_equal(texture.small(17), texture.texels(1))


class HostileFiles(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        texture = textures(16, 8)[BlockFormat.BC3]
        cls.good = [(one.write(texture), one.read) for one in (dds, ktx2)]

    def test_any_cut_is_refused_in_words(self) -> None:
        texture = textures()[BlockFormat.BC1]
        for write, read in ((dds.write, dds.read), (ktx2.write, ktx2.read)):
            whole = write(texture)
            cuts = [*range(0, 160, 7), len(whole) - 1]
            for cut in cuts:
                with self.assertRaises(BadFile) as caught:
                    read(whole[:cut])
                self.assertTrue(caught.exception.fix)

    @settings(max_examples=150, deadline=None)
    @given(st.integers(4, 147), st.integers(0, 255))
    def test_a_changed_header_byte_never_does_worse_than_a_refusal(self, at, value) -> None:
        for good, read in self.good:
            data = bytearray(good)
            data[at] = value
            try:
                texture = read(bytes(data))
            except BadFile:
                continue
            self.assertLessEqual(texture.width * texture.height, 16384**2)

    def test_a_claimed_size_is_refused_before_memory_is_taken(self) -> None:
        data = bytearray(dds.write(textures()[BlockFormat.BC1]))
        struct.pack_into("<2I", data, 12, 40_000, 40_000)
        with self.assertRaises(BadFile) as caught:
            dds.read(bytes(data))
        self.assertEqual(caught.exception.code, "too-large")
