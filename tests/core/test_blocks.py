import io
import struct
import time
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from PIL import Image

from stonestack.core import blocks, parallel
from stonestack.core.blocks import BlockFormat
from stonestack.core.blocks.opacity import see_through
from stonestack.core.metrics import psnr
from tests.support import photograph

CHANNELS = {
    BlockFormat.BC1: slice(0, 3),
    BlockFormat.BC3: slice(0, 4),
    BlockFormat.BC4: slice(0, 1),
    BlockFormat.BC5: slice(0, 2),
}


def round_trip(format_: BlockFormat, texels: np.ndarray) -> np.ndarray:
    height, width = texels.shape[:2]
    return blocks.decode(format_, blocks.encode(format_, texels), width, height)


class DecodersFollowTheLayout(unittest.TestCase):
    def test_bc1_with_four_colours(self) -> None:
        # Ends: pure red (31,0,0) above pure blue (0,0,31); indices 0, 1, 2, 3 in the first row.
        data = struct.pack("<HHI", 0xF800, 0x001F, 0b11_10_01_00)
        row = blocks.decode(BlockFormat.BC1, data, 4, 4)[0]
        expected = [[255, 0, 0, 255], [0, 0, 255, 255], [170, 0, 85, 255], [85, 0, 170, 255]]
        np.testing.assert_array_equal(row, expected)

    def test_bc1_with_three_colours_and_an_open_one(self) -> None:
        data = struct.pack("<HHI", 0x001F, 0xF800, 0b11_10_01_00)
        row = blocks.decode(BlockFormat.BC1, data, 4, 4)[0]
        np.testing.assert_array_equal(row[2], [128, 0, 128, 255])
        np.testing.assert_array_equal(row[3], [0, 0, 0, 0])

    def test_bc4_with_eight_values(self) -> None:
        bits = sum(code << (3 * i) for i, code in enumerate([0, 1, 2, 3, 4, 5, 6, 7]))
        data = bytes([252, 0]) + bits.to_bytes(6, "little")
        got = blocks.decode(BlockFormat.BC4, data, 4, 4)[..., 0].ravel()[:8]
        np.testing.assert_array_equal(got, [252, 0, 216, 180, 144, 108, 72, 36])

    def test_bc4_with_six_values_and_both_limits(self) -> None:
        bits = sum(code << (3 * i) for i, code in enumerate([0, 1, 2, 3, 4, 5, 6, 7]))
        data = bytes([10, 60]) + bits.to_bytes(6, "little")
        got = blocks.decode(BlockFormat.BC4, data, 4, 4)[..., 0].ravel()[:8]
        np.testing.assert_array_equal(got, [10, 60, 20, 30, 40, 50, 0, 255])


class SeeThrough(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.sampled_from([BlockFormat.BC1, BlockFormat.BC3]), st.binary(min_size=32, max_size=32))
    def test_any_blocks_are_judged_as_the_decoder_sees_them(self, format_, data) -> None:
        width = 16 if format_ is BlockFormat.BC1 else 8
        seen = blocks.decode(format_, data, width, 4)[..., 3]
        self.assertEqual(see_through(format_, data), bool((seen < 255).any()))

    def test_formats_without_alpha_are_solid(self) -> None:
        self.assertFalse(see_through(BlockFormat.BC5, bytes(32)))
        self.assertTrue(see_through(BlockFormat.RGBA8, bytes([9, 9, 9, 255, 9, 9, 9, 254])))


class EncodersKeepWhatTheyCan(unittest.TestCase):
    def test_a_block_of_one_value_is_exact_in_one_channel(self) -> None:
        for value in (0, 1, 127, 254, 255):
            texels = np.full((4, 4, 4), value, np.uint8)
            np.testing.assert_array_equal(round_trip(BlockFormat.BC4, texels)[..., 0], value)

    def test_two_colours_on_the_grid_are_exact(self) -> None:
        texels = np.zeros((4, 4, 4), np.uint8)
        texels[:, :2] = [255, 0, 132, 255]
        texels[:, 2:] = [0, 255, 33, 255]
        for format_ in (BlockFormat.BC1, BlockFormat.BC3):
            np.testing.assert_array_equal(round_trip(format_, texels)[..., :3], texels[..., :3])

    def test_bc1_never_writes_an_open_texel(self) -> None:
        texels = np.random.default_rng(3).integers(0, 256, (64, 64, 4), dtype=np.uint8)
        self.assertTrue((round_trip(BlockFormat.BC1, texels)[..., 3] == 255).all())

    def test_bc3_keeps_alpha_apart_from_colour(self) -> None:
        texels = photograph("coffee", 128).copy()
        texels[..., 3] = np.linspace(0, 255, 128).astype(np.uint8)
        self.assertGreater(psnr(texels[..., 3], round_trip(BlockFormat.BC3, texels)[..., 3]), 45)

    def test_sizes_that_are_no_multiple_of_four(self) -> None:
        texels = photograph("coffee", 64)[:13, :7]
        for format_, channels in CHANNELS.items():
            got = round_trip(format_, texels)
            self.assertEqual(got.shape[:2], (13, 7))
            self.assertGreater(psnr(texels[..., channels], got[..., channels]), 25)

    def test_the_bytes_do_not_depend_on_the_number_of_threads(self) -> None:
        texels = photograph("astronaut", 256)
        for format_ in CHANNELS:
            with mock.patch.object(parallel, "cores", return_value=1):
                alone = blocks.encode(format_, texels)
            with mock.patch.object(parallel, "cores", return_value=3):
                shared = blocks.encode(format_, texels)
            self.assertEqual(alone, shared)

    @settings(max_examples=60, deadline=None)
    @given(hnp.arrays(np.uint8, (4, 4, 4), elements=st.integers(0, 255)))
    def test_no_value_leaves_the_span_of_its_block_by_more_than_a_step(self, texels) -> None:
        got = round_trip(BlockFormat.BC5, texels)
        for channel in (0, 1):
            wanted = texels[..., channel].astype(int)
            self.assertLessEqual(
                np.abs(got[..., channel].astype(int) - wanted).max(),
                (np.ptp(wanted) + 13) // 14 + np.ptp(wanted) // 7,
            )


PILLOW_NAMES = {BlockFormat.BC1: "DXT1", BlockFormat.BC3: "DXT5", BlockFormat.BC5: "BC5"}


class AgainstPillow(unittest.TestCase):
    """The same photographs, both encoders, one run; Pillow decodes its own files."""

    alone = True

    def measure(self, name: str, format_: BlockFormat) -> tuple[float, float]:
        """Return decibels gained, and our time as a share of Pillow's."""
        texels = photograph(name).copy()
        if format_ is BlockFormat.BC3:
            texels[..., 3] = texels[..., 1]
        image = Image.fromarray(texels)
        if format_ is not BlockFormat.BC3:
            image = image.convert("RGB")
        theirs, ours = [], []
        for _ in range(7):
            buffer = io.BytesIO()
            start = time.perf_counter()
            image.save(buffer, "DDS", pixel_format=PILLOW_NAMES[format_])
            theirs.append(time.perf_counter() - start)
            start = time.perf_counter()
            data = blocks.encode(format_, texels)
            ours.append(time.perf_counter() - start)
        channels = CHANNELS[format_]
        saved = np.array(Image.open(io.BytesIO(buffer.getvalue())).convert("RGBA"))
        decoded = blocks.decode(format_, data, 1024, 1024)
        wanted = texels[..., channels]
        gain = psnr(wanted, decoded[..., channels]) - psnr(wanted, saved[..., channels])
        return gain, min(ours) / min(theirs)

    def test_better_by_one_and_a_half_decibels_in_no_more_time(self) -> None:
        for format_ in PILLOW_NAMES:
            shares = []
            for name in ("coffee", "astronaut", "chelsea"):
                with self.subTest(format=format_, picture=name):
                    gain, share = self.measure(name, format_)
                    shares.append(share)
                    self.assertGreaterEqual(gain, 1.5)
            with self.subTest(format=format_):
                self.assertLessEqual(sorted(shares)[1], 1.0)
