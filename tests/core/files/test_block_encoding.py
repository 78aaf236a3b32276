"""What every encoder must keep: at each quality, in each format."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from stonestack.core.files import blocks
from stonestack.core.files.blocks import BlockFormat, Metric, Quality
from stonestack.core.files.blocks.quality import CUT, MASK, PLAIN, SEEN, TURNED
from stonestack.core.picture.measures.metrics import psnr
from stonestack.core.runtime import parallel
from stonestack.trials.exact_blocks import least_errors, sampled
from tests.support import photograph

COLOUR = (BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7)
LIMITS = (0, 255)


def there_and_back(
    format_: BlockFormat,
    texels: NDArray[np.uint8],
    quality: Quality = Quality.STANDARD,
    metric: Metric = PLAIN,
) -> blocks.Stored:
    """Encode and decode."""
    height, width = texels.shape[:2]
    return blocks.decode(format_, blocks.encode(format_, texels, quality, metric), width, height)


def photographs() -> dict[str, NDArray[np.uint8]]:
    """Return small pieces of photographs, opaque."""
    return {
        name: np.ascontiguousarray(photograph(name)[400:528, 300:428])
        for name in ("coffee", "astronaut", "chelsea")
    }


def _any_block(rng: np.random.Generator, number: int) -> NDArray[np.uint8]:
    """Return an opaque block, one of four kinds in turn."""
    shape = (4, 4, 1) if number % 2 else (4, 4, 3)
    middle, spread = rng.uniform(0, 255, 3), rng.uniform(1, 60)
    match number % 4:
        case 0:
            block = middle + np.zeros(shape)
        case 1:
            block = middle + rng.uniform(0, 2, shape)
        case 2:
            block = 80 + rng.uniform(0, rng.uniform(6, 24), shape)
        case _:
            block = rng.normal(middle, spread, (4, 4, 3))
    opaque = np.concatenate([block + np.zeros((4, 4, 3)), np.full((4, 4, 1), 255.0)], axis=2)
    return np.clip(opaque, 0, 255).astype(np.uint8)


class EachQuality(unittest.TestCase):
    def test_a_better_one_is_never_worse(self) -> None:
        for format_, channels in (
            *((f, 3) for f in COLOUR),
            *((BlockFormat.BC4, 1), (BlockFormat.BC5, 2)),
        ):
            for name, texels in photographs().items():
                found = []
                for quality in Quality:
                    got = there_and_back(format_, texels, quality)
                    found.append(psnr(texels[..., :channels], got[..., :channels]))
                with self.subTest(format=format_, picture=name):
                    self.assertEqual(found, sorted(found))
                    self.assertGreater(found[1], found[0] + 0.1)

    def test_no_block_of_bc1_or_bc4_gets_worse(self) -> None:
        texels = np.random.default_rng(4).integers(0, 256, (64, 64, 4), dtype=np.uint8)
        texels[..., 3] = 255
        texels[::2] //= 5
        for format_, channels in ((BlockFormat.BC1, 3), (BlockFormat.BC4, 1)):
            errors = []
            for quality in Quality:
                got = there_and_back(format_, texels, quality)[..., :channels].astype(int)
                squares = np.square(got - texels[..., :channels]).sum(axis=2)
                errors.append(squares.reshape(16, 4, 16, 4).sum(axis=(1, 3)))
            with self.subTest(format=format_):
                if format_ is BlockFormat.BC4:
                    self.assertTrue((errors[1] <= errors[0]).all())
                self.assertTrue((errors[2] <= errors[1]).all())

    def test_the_bytes_depend_neither_on_threads_nor_on_what_stands_beside(self) -> None:
        texels = np.ascontiguousarray(photograph("astronaut")[:64, :256])
        for format_ in (*COLOUR, BlockFormat.BC2, BlockFormat.BC4, BlockFormat.BC5):
            for quality in Quality:
                made = []
                for cores in (1, 3):
                    with mock.patch.object(parallel, "cores", return_value=cores):
                        made.append(blocks.encode(format_, texels, quality))
                unit = format_.info.unit_bytes
                alone = blocks.encode(format_, texels[32:36, 84:88].copy(), quality)
                at = (8 * 64 + 21) * unit
                with self.subTest(format=format_, quality=quality):
                    self.assertEqual(made[0], made[1])
                    self.assertEqual(made[0][at : at + unit], alone)

    def test_blocks_of_any_kind_change_nothing_beside_them(self) -> None:
        """Near the limits, of one value, nearly so, and rough: sixteen are worked on at once."""
        rng = np.random.default_rng(8)
        strip = np.concatenate([_any_block(rng, n) for n in range(96)], axis=1)
        for format_ in (BlockFormat.BC1, BlockFormat.BC4, BlockFormat.BC7):
            texels = np.ascontiguousarray(strip)
            if format_ is BlockFormat.BC4:
                texels = np.ascontiguousarray(np.repeat(strip[..., :1], 4, axis=2))
            unit = format_.info.unit_bytes
            for quality in Quality:
                whole = blocks.encode(format_, texels, quality)
                for n in range(96):
                    alone = np.ascontiguousarray(texels[:, 4 * n : 4 * n + 4])
                    with self.subTest(format=format_, quality=quality, block=n):
                        got = blocks.encode(format_, alone, quality)
                        self.assertEqual(whole[unit * n : unit * (n + 1)], got)

    def test_sizes_that_are_no_multiple_of_four(self) -> None:
        texels = photograph("coffee", 64)[:13, :7]
        for format_ in BlockFormat:
            stored = texels
            if format_.info.numbers is blocks.Numbers.HALVES:
                stored = (texels / 255).astype(np.float16)
            elif format_.info.numbers is blocks.Numbers.DEEP:
                stored = texels.astype(np.uint16) * np.uint16(257)
            elif format_.info.numbers is blocks.Numbers.SIGNED:
                stored = (texels // 2).astype(np.uint8)
            got = there_and_back(format_, stored)
            with self.subTest(format=format_):
                self.assertEqual(got.shape, (13, 7, format_.info.channels))


class OneColour(unittest.TestCase):
    def test_bc7_is_exact_whatever_the_colour_and_alpha(self) -> None:
        colours = np.random.default_rng(1).integers(0, 256, (512, 4), dtype=np.uint8)
        texels = np.repeat(np.repeat(colours[np.newaxis], 4, axis=0), 4, axis=1)
        for quality in Quality:
            np.testing.assert_array_equal(there_and_back(BlockFormat.BC7, texels, quality), texels)

    def test_bc1_is_off_by_one_at_most_and_opaque(self) -> None:
        colours = np.random.default_rng(2).integers(0, 256, (1024, 3), dtype=np.uint8)
        colours[:256] = np.arange(256)[:, np.newaxis]
        texels = np.full((4, 4096, 4), 255, np.uint8)
        texels[..., :3] = np.repeat(colours, 4, axis=0)
        for quality in Quality:
            got = there_and_back(BlockFormat.BC1, texels, quality, SEEN)
            self.assertLessEqual(np.abs(got.astype(int) - texels).max(), 1)

    def test_a_grey_ramp_keeps_little_tint(self) -> None:
        ramp = np.repeat((np.arange(1024) // 4).astype(np.uint8)[np.newaxis], 8, axis=0)
        texels = np.dstack([ramp, ramp, ramp, np.full_like(ramp, 255)])
        for quality in Quality:
            got = there_and_back(BlockFormat.BC1, texels, quality)[..., :3].astype(int)
            self.assertLessEqual((got.max(axis=2) - got.min(axis=2)).max(), 2)

    def test_a_value_is_exact_in_one_channel(self) -> None:
        texels = np.repeat(np.arange(256, dtype=np.uint8), 4)[np.newaxis, :, np.newaxis]
        texels = np.broadcast_to(texels, (4, 1024, 4))
        for format_ in (BlockFormat.BC4, BlockFormat.BC5):
            np.testing.assert_array_equal(there_and_back(format_, texels)[..., 0], texels[..., 0])


class Alpha(unittest.TestCase):
    def masked(self) -> NDArray[np.uint8]:
        """Return a photograph cut out by soft spots, black where it is clear."""
        texels = np.ascontiguousarray(photograph("coffee")[300:428, 300:428])
        y, x = np.mgrid[:128, :128]
        spots = np.sin(x / 6.3) * np.sin(y / 5.1) * 2.5 + 0.4
        texels[..., 3] = np.clip(spots * 255, 0, 255).astype(np.uint8)
        texels[texels[..., 3] == 0, :3] = 0
        return texels

    def test_none_and_full_stay_exactly_so(self) -> None:
        texels = self.masked()
        alpha = texels[..., 3]
        for format_ in (BlockFormat.BC2, BlockFormat.BC3, BlockFormat.BC7):
            for quality in (Quality.FAST, Quality.STANDARD):
                got = there_and_back(format_, texels, quality, CUT)[..., 3]
                with self.subTest(format=format_, quality=quality):
                    for limit in LIMITS:
                        np.testing.assert_array_equal(got[alpha == limit], limit)

    def test_masks_keep_their_limits_in_one_channel(self) -> None:
        mask = np.repeat(self.masked()[..., 3:], 4, axis=2)
        for quality in Quality:
            got = there_and_back(BlockFormat.BC4, mask, quality, MASK)[..., 0]
            for limit in LIMITS:
                np.testing.assert_array_equal(got[mask[..., 0] == limit], limit)

    def test_three_even_values_with_both_limits_are_exact(self) -> None:
        noise = np.random.default_rng(3).choice([0, 128, 255], (64, 64)).astype(np.uint8)
        texels = np.repeat(noise[..., np.newaxis], 4, axis=2)
        for quality in Quality:
            got = there_and_back(BlockFormat.BC4, texels, quality)
            np.testing.assert_array_equal(got[..., 0], noise)

    def test_rims_smoothed_by_two_are_exact(self) -> None:
        rng = np.random.default_rng(5)
        steps = rng.choice([0, 64, 128, 191, 255], (32, 32)).astype(np.uint8)
        texels = np.repeat(steps[..., np.newaxis], 4, axis=2)
        for quality in (Quality.STANDARD, Quality.BEST):
            got = there_and_back(BlockFormat.BC4, texels, quality)
            np.testing.assert_array_equal(got[..., 0], steps)

    def test_what_is_clear_costs_the_colour_nothing(self) -> None:
        texels = self.masked()
        seen = texels[..., 3] > 0
        for format_ in (BlockFormat.BC3, BlockFormat.BC7):
            plain = there_and_back(format_, texels, metric=PLAIN)[..., :3]
            cut = there_and_back(format_, texels, metric=CUT)[..., :3]
            with self.subTest(format=format_):
                wanted = texels[..., :3][seen]
                self.assertGreater(psnr(wanted, cut[seen]), psnr(wanted, plain[seen]) + 0.3)

    def test_bc1_keeps_holes_where_they_are_asked_for_and_else_is_opaque(self) -> None:
        texels = self.masked()
        got = there_and_back(BlockFormat.BC1, texels, metric=CUT)
        np.testing.assert_array_equal(got[..., 3] > 0, texels[..., 3] >= 128)
        solid = got[..., 3] > 0
        self.assertGreater(psnr(texels[..., :3][solid], got[..., :3][solid]), 34)
        opaque = there_and_back(BlockFormat.BC1, texels, metric=SEEN)
        self.assertTrue((opaque[..., 3] == 255).all())

    def test_a_mask_in_the_alpha_of_bc7_leaves_its_colour_alone(self) -> None:
        texels = np.ascontiguousarray(photograph("astronaut")[400:528, 300:428])
        alone = psnr(texels[..., :3], there_and_back(BlockFormat.BC7, texels)[..., :3])
        texels[..., 3] = np.linspace(0, 255, 128).astype(np.uint8)
        got = there_and_back(BlockFormat.BC7, texels)
        self.assertGreater(psnr(texels[..., 3], got[..., 3]), 42)
        self.assertGreater(psnr(texels[..., :3], got[..., :3]), alone - 6)

    def test_an_opaque_picture_is_opaque_in_bc7(self) -> None:
        for quality in (Quality.FAST, Quality.STANDARD):
            for texels in photographs().values():
                got = there_and_back(BlockFormat.BC7, texels, quality)
                self.assertTrue((got[..., 3] == 255).all())


class BesideTheBest(unittest.TestCase):
    """Blocks of one channel beside the best that they can be, found by trying all pairs of ends."""

    def lacking(self, channel: NDArray[np.uint8], quality: Quality) -> float:
        chosen, _ = sampled(channel, 200, seed=5)
        # As a strip of their own: a block has the same bytes wherever it stands.
        strip = chosen.reshape(-1, 4, 4).transpose(1, 0, 2).reshape(4, -1)
        texels = np.ascontiguousarray(np.repeat(strip[..., np.newaxis], 4, axis=2))
        got = there_and_back(BlockFormat.BC4, texels, quality)[..., 0]
        lost = np.sum(np.square(got.astype(np.int64) - strip))
        return float(10 * np.log10(max(lost, 1) / max(least_errors(chosen).sum(), 1)))

    def test_no_block_is_better_than_it_can_be(self) -> None:
        texels = np.random.default_rng(9).integers(0, 256, (8, 64), dtype=np.uint8)
        for quality in Quality:
            self.assertGreaterEqual(self.lacking(texels, quality), 0)

    def test_grey_and_masks_lie_little_below_it(self) -> None:
        coffee = photograph("coffee")[200:456, 100:356, 1]
        blurred = ndimage.gaussian_filter(coffee.astype(np.float32), 3)
        hard = (blurred > np.median(blurred)) * np.float32(255)
        masks = [ndimage.gaussian_filter(hard, blur) for blur in (0.4, 0.6, 1.0)]
        rims = [np.rint(mask).astype(np.uint8) for mask in masks]
        self.assertLess(self.lacking(np.ascontiguousarray(coffee), Quality.FAST), 1.0)
        for channel in (np.ascontiguousarray(coffee), *rims):
            self.assertLess(self.lacking(channel, Quality.STANDARD), 0.4)
            self.assertLess(self.lacking(channel, Quality.BEST), 0.1)


class Vectors(unittest.TestCase):
    def test_steep_normals_are_turned_less_by_weighing_angles(self) -> None:
        rng = np.random.default_rng(6)
        slopes = rng.normal(0, 0.9, (64, 64, 2))
        vectors = np.dstack([slopes, np.ones((64, 64))])
        vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
        texels = np.rint(vectors * 127.5 + 127.5).astype(np.uint8)
        texels = np.dstack([texels, np.full((64, 64), 255, np.uint8)])

        def off(metric: Metric) -> float:
            got = there_and_back(BlockFormat.BC5, texels, metric=metric) / 127.5 - 1
            z = np.sqrt(np.maximum(1 - np.square(got).sum(axis=2), 0))
            cosine = np.clip((np.dstack([got, z]) * vectors).sum(axis=2), -1, 1)
            return float(np.square(np.degrees(np.arccos(cosine))).mean())

        self.assertLess(off(TURNED), 0.97 * off(PLAIN))

    def test_signed_channels_hold_minus_one_nought_and_one(self) -> None:
        values = np.array([-127, 0, 127], np.int8).repeat(4)
        texels = np.broadcast_to(values[np.newaxis, :, np.newaxis], (4, 12, 4)).copy()
        got = there_and_back(BlockFormat.BC5S, texels.view(np.uint8)).view(np.int8)
        np.testing.assert_array_equal(got, texels[..., :2])


class Light(unittest.TestCase):
    def test_light_beyond_white_comes_back_within_a_few_percent(self) -> None:
        y, x = np.mgrid[:32, :32] / 32
        tones = np.stack([x, x + y, x * y], axis=2) * 3
        light = np.concatenate([np.exp2(tones), np.ones((32, 32, 1))], axis=2).astype(np.float16)
        for quality in Quality:
            got = there_and_back(BlockFormat.BC6H, light, quality).astype(np.float64)
            off = np.abs(got - light) / light
            self.assertLess(off[..., :3].mean(), 0.03)

    def test_what_is_no_number_or_endless_becomes_one_that_is(self) -> None:
        light = np.full((4, 4, 4), 0.5, np.float16)
        light[0, 0, 0], light[0, 1, 1], light[0, 2, 2] = np.nan, np.inf, -3
        for format_ in (BlockFormat.BC6H, BlockFormat.BC6HS):
            got = there_and_back(format_, light)
            self.assertTrue(np.isfinite(got).all())

    def test_one_light_is_nearly_exact(self) -> None:
        light = np.full((8, 8, 4), 1, np.float16)
        light[..., :3] = [0.02, 3.5, 1200]
        got = there_and_back(BlockFormat.BC6H, light)
        np.testing.assert_allclose(got[..., :3], light[..., :3], rtol=0.002)

    def test_ten_bits_are_packed_where_the_specification_puts_them(self) -> None:
        texels = np.zeros((1, 1, 4), np.uint16)
        texels[0, 0] = [65535, 0, 32768, 65535]
        word = int.from_bytes(blocks.encode(BlockFormat.RGB10A2, texels), "little")
        parts = (word & 1023, word >> 10 & 1023, word >> 20 & 1023, word >> 30)
        self.assertEqual(parts, (1023, 0, 512, 3))


if __name__ == "__main__":
    unittest.main()
