"""Our decoders beside Pillow's, on random blocks of every mode."""

from __future__ import annotations

import unittest

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from stonestack.core.files import blocks
from stonestack.core.files.blocks import BlockFormat

_COUNT = 50_000


def random_blocks(unit: int, seed: int, count: int = _COUNT) -> NDArray[np.uint8]:
    """Return random blocks, (count, unit)."""
    return np.random.default_rng(seed).integers(0, 256, (count, unit), dtype=np.uint8)


def by_pillow(data: NDArray[np.uint8], number: int, name: str, mode: str) -> NDArray[np.uint8]:
    """Let Pillow decode blocks that lie below each other, (count * 4, 4, channels)."""
    image = Image.frombytes(mode, (4, 4 * len(data)), data.tobytes(), "bcn", (number, name))
    return np.atleast_3d(np.asarray(image))


def by_us(format_: BlockFormat, data: NDArray[np.uint8]) -> blocks.Stored:
    """Decode the same blocks with our decoder."""
    return blocks.decode(format_, data.tobytes(), 4, 4 * len(data))


class BesidePillow(unittest.TestCase):
    def test_bc7_is_equal_to_the_bit_in_all_eight_modes(self) -> None:
        data = random_blocks(16, 70, 8 * 16_000)
        for mode in range(8):
            first = data[mode::8, 0]
            data[mode::8, 0] = (first & (0xFF << mode + 1 & 0xFF)) | 1 << mode
        np.testing.assert_array_equal(
            by_us(BlockFormat.BC7, data), by_pillow(data, 7, "BC7", "RGBA")
        )

    def test_bc1_to_bc5_differ_by_a_level_at_most(self) -> None:
        kinds = (
            (BlockFormat.BC1, 1, "DXT1", "RGBA"),
            (BlockFormat.BC2, 2, "DXT3", "RGBA"),
            (BlockFormat.BC3, 3, "DXT5", "RGBA"),
            (BlockFormat.BC4, 4, "BC4", "L"),
            (BlockFormat.BC5, 5, "BC5", "RGB"),
        )
        for format_, number, name, mode in kinds:
            with self.subTest(format=format_):
                data = random_blocks(format_.info.unit_bytes, number)
                ours = by_us(format_, data).astype(int)
                theirs = by_pillow(data, number, name, mode)[..., : ours.shape[2]].astype(int)
                # Ours is exact and rounded to nearest, Pillow's is cut off.
                self.assertLessEqual(np.abs(ours - theirs).max(), 1)
                self.assertLess(np.abs(ours - theirs).mean(), 0.5)

    def test_bc6h_from_zero_on_agrees_within_its_rounding(self) -> None:
        data = random_blocks(16, 6, 14 * 4000)
        codes = (0, 1, 2, 6, 10, 14, 18, 22, 26, 30, 3, 7, 11, 15)
        for n, code in enumerate(codes):
            keep = 0xFC if code < 2 else 0xE0
            data[n::14, 0] = (data[n::14, 0] & keep) | code
        ours = np.asarray(by_us(BlockFormat.BC6H, data)[..., :3], np.float64)
        theirs = by_pillow(data, 6, "BC6H", "RGB")
        self.assertTrue(np.isfinite(ours).all())
        # Pillow clips to white and cuts off; its halves are rounded once more.
        self.assertLess(np.abs(np.clip(ours, 0, 1) * 255 - theirs).max(), 1.2)

    def test_signed_bc6h_agrees_where_ends_are_told_whole(self) -> None:
        # Where ends are told as differences, Pillow does not bring sums back into range.
        data = random_blocks(16, 66, 8000)
        data[0::2, 0] = (data[0::2, 0] & 0xE0) | 30
        data[1::2, 0] = (data[1::2, 0] & 0xE0) | 3
        ours = np.asarray(by_us(BlockFormat.BC6HS, data)[..., :3], np.float64)
        theirs = by_pillow(data, 6, "BC6HS", "RGB")
        self.assertLess(np.abs(np.clip(ours, 0, 1) * 255 - theirs).max(), 1.2)


class Reserved(unittest.TestCase):
    def test_a_bc7_block_of_no_mode_is_clear_black(self) -> None:
        data = random_blocks(16, 8, 32)
        data[:, 0] = 0
        self.assertFalse(by_us(BlockFormat.BC7, data).any())

    def test_a_bc6h_block_of_a_reserved_mode_is_black(self) -> None:
        data = random_blocks(16, 9, 4)
        data[:, 0] = (data[:, 0] & 0xE0) | np.array([19, 23, 27, 31], np.uint8)
        decoded = by_us(BlockFormat.BC6H, data)
        self.assertFalse(decoded[..., :3].any())
        np.testing.assert_array_equal(decoded[..., 3], 1)

    def test_the_least_signed_byte_means_minus_one_too(self) -> None:
        data = np.array([[128, 129, 0, 0, 0, 0, 0, 0]], np.uint8)
        decoded = by_us(BlockFormat.BC4S, data).view(np.int8)
        np.testing.assert_array_equal(decoded, -127)

    def test_signed_limits_are_reached_by_six_values(self) -> None:
        # First end not the greater: four values between, then -127 and 127.
        bits = sum(code << 3 * i for i, code in enumerate([0, 1, 2, 3, 4, 5, 6, 7]))
        raw = bytes([(-50) & 255, 50]) + bits.to_bytes(6, "little")
        data = np.frombuffer(raw, np.uint8).reshape(1, 8)
        decoded = by_us(BlockFormat.BC4S, data).view(np.int8).ravel()[:8]
        np.testing.assert_array_equal(decoded, [-50, 50, -30, -10, 10, 30, -127, 127])


if __name__ == "__main__":
    unittest.main()
