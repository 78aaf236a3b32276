import io
import struct
import time
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from PIL import Image

from stonestack.core.files import blocks
from stonestack.core.files.blocks import BlockFormat, Quality
from stonestack.core.files.blocks.opacity import see_through
from stonestack.core.picture.measures.metrics import psnr
from tests.sizes import times
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
    def test_two_colours_on_the_grid_are_exact(self) -> None:
        texels = np.zeros((4, 4, 4), np.uint8)
        texels[:, :2] = [255, 0, 132, 255]
        texels[:, 2:] = [0, 255, 33, 255]
        for format_ in (BlockFormat.BC1, BlockFormat.BC3):
            np.testing.assert_array_equal(round_trip(format_, texels)[..., :3], texels[..., :3])

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

    def measure(self, name: str, format_: BlockFormat, quality: Quality) -> tuple[float, float]:
        """Return decibels gained, and our time as a share of Pillow's."""
        texels = photograph(name).copy()
        if format_ is BlockFormat.BC3:
            texels[..., 3] = texels[..., 1]
        image = Image.fromarray(texels)
        if format_ is not BlockFormat.BC3:
            image = image.convert("RGB")
        theirs, ours = [], []
        blocks.encode(format_, texels[:64], quality)
        for _ in range(5):
            buffer = io.BytesIO()
            start = time.perf_counter()
            image.save(buffer, "DDS", pixel_format=PILLOW_NAMES[format_])
            theirs.append(time.perf_counter() - start)
            start = time.perf_counter()
            data = blocks.encode(format_, texels, quality)
            ours.append(time.perf_counter() - start)
        channels = CHANNELS[format_]
        saved = np.array(Image.open(io.BytesIO(buffer.getvalue())).convert("RGBA"))
        decoded = blocks.decode(format_, data, 1024, 1024)
        wanted = texels[..., channels]
        gain = psnr(wanted, decoded[..., channels]) - psnr(wanted, saved[..., channels])
        return gain, min(ours) / min(theirs)

    def test_fast_is_better_in_less_time_and_standard_much_better_in_about_as_much(self) -> None:
        names = times(("coffee", "chelsea"), ("coffee",))
        # On a busy machine times are up to twice those of docs/performance.md.
        for quality, least, share in ((Quality.FAST, 1.5, 1.0), (Quality.STANDARD, 2.3, 3.0)):
            for format_ in PILLOW_NAMES:
                gains, shares = zip(
                    *(self.measure(name, format_, quality) for name in names),
                    strict=True,
                )
                with self.subTest(format=format_, quality=quality):
                    self.assertGreaterEqual(min(gains), least)
                    self.assertLessEqual(min(shares), share)
