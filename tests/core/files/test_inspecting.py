"""What was lost, shown: a block's palettes, one block near, levels measured, a format advised."""

from __future__ import annotations

import unittest

import numpy as np

from stonestack.core.files import blocks, codecs
from stonestack.core.files.blocks.formats import BlockFormat, Numbers
from stonestack.core.files.blocks.inspecting import inspect_block
from stonestack.core.files.codecs.texture import Making
from stonestack.core.graph.ops.losing import LevelLoss, OneLevel, loss
from stonestack.core.judge.advising import Candidate, advise
from stonestack.core.judge.comparing import compared, errors_by_block
from stonestack.core.judge.peering import look_at_block
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadRequest
from tests.support import noise

COMPRESSED = [f for f in BlockFormat if f.info.block > 1]


def colour(side: int = 32, alpha: bool = False) -> Picture:
    pixels = noise(side, side, 3, 5, channels=4 if alpha else 3)
    return Picture(pixels, Space.LINEAR, alpha=alpha)


class Blocks(unittest.TestCase):
    def test_every_texel_is_the_entry_that_it_is_said_to_take(self) -> None:
        rng = np.random.default_rng(7)
        for format_ in COMPRESSED:
            for n in range(64):
                data = bytearray(rng.bytes(format_.info.unit_bytes))
                if format_ is BlockFormat.BC7:
                    data[0] = (data[0] >> n % 8 + 1 << n % 8 + 1 | 1 << n % 8) & 255
                decoded = blocks.decode(format_, bytes(data), 4, 4).reshape(16, -1)
                if format_.info.numbers is Numbers.SIGNED:
                    decoded = decoded.view(np.int8)
                facts = inspect_block(format_, bytes(data))
                for part in facts.parts:
                    for texel, index in zip(part.texels, part.indices, strict=True):
                        np.testing.assert_array_equal(
                            part.palette[index], decoded[texel, part.channels].astype(float)
                        )

    def test_parts_cover_all_texels_and_all_channels_that_have_a_palette(self) -> None:
        rng = np.random.default_rng(8)
        for format_ in COMPRESSED:
            facts = inspect_block(format_, b"\x01" + rng.bytes(format_.info.unit_bytes - 1))
            covered = {(t, c) for p in facts.parts for t in p.texels for c in p.channels}
            channels = {c for _, c in covered}
            self.assertEqual(len(covered), 16 * len(channels), format_)

    def test_of_every_compressed_format_it_is_told_what_a_block_holds(self) -> None:
        for format_ in COMPRESSED:
            facts = inspect_block(format_, b"\x40" + bytes(format_.info.unit_bytes - 1))
            self.assertTrue(facts.parts, format_)

    def test_reserved_modes_say_so(self) -> None:
        self.assertIn("reserved", inspect_block(BlockFormat.BC7, bytes(16)).words)
        self.assertIn("reserved", inspect_block(BlockFormat.BC6H, b"\x13" + bytes(15)).words)


class Near(unittest.TestCase):
    def test_a_block_shows_its_texels_before_and_after_at_every_level(self) -> None:
        picture = colour(20, alpha=True)
        before = codecs.compress(picture, BlockFormat.RGBA8)
        for format_ in (BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7, BlockFormat.RGBA8):
            after = codecs.compress(picture, format_)
            for level in range(len(after.levels)):
                width, height = after.size(level)
                x, y = width - 1, height // 2
                look = look_at_block(after, before, Space.LINEAR, level, x, y)
                own = slice(look.y, look.y + look.height), slice(look.x, look.x + look.width)
                for texels, told in ((before, look.before), (after, look.after)):
                    np.testing.assert_array_equal(told, texels.texels(level)[own].reshape(-1, 4))
                self.assertEqual(look.facts is None, format_ is BlockFormat.RGBA8)

    def test_what_it_is_off_by_is_what_the_list_of_the_worst_says(self) -> None:
        for picture, format_ in (
            (colour(alpha=True), BlockFormat.BC3),
            (Picture(noise(32, 32, 1, 5, channels=1), Space.DATA), BlockFormat.BC4),
            (normals(), BlockFormat.BC5),
        ):
            before = codecs.compress(picture, BlockFormat.RGBA8)
            after = codecs.compress(picture, format_)
            space = picture.space
            for worst in compared(before.picture(space), after.picture(space)).worst:
                look = look_at_block(after, before, space, 0, worst.x + 2, worst.y + 1)
                self.assertAlmostEqual(look.rms, worst.rms, places=2)

    def test_a_place_that_is_not_there_is_refused(self) -> None:
        texture = codecs.compress(colour(), BlockFormat.BC1)
        for level, x, y in ((0, 32, 0), (5, 1, 0), (6, 0, 0), (14, 0, 0)):
            with self.assertRaises(BadRequest):
                look_at_block(texture, texture, Space.LINEAR, level, x, y)


def normals(side: int = 32) -> Picture:
    pixels = noise(side, side, 3, 4, channels=3) - np.float32(0.5)
    pixels[..., 2] = 1
    pixels /= np.linalg.norm(pixels, axis=2, keepdims=True)
    return Picture(pixels, Space.VECTOR)


class Levels(unittest.TestCase):
    def test_a_level_is_measured_against_itself_before(self) -> None:
        picture = colour(64)
        before = codecs.compress(picture, BlockFormat.RGBA8)
        after = codecs.compress(picture, BlockFormat.BC1)
        for level in range(len(after.levels)):
            told = loss(OneLevel(level=level), [after, before, picture], ())
            found = LevelLoss.model_validate_json(told.data)
            a, b = (t.texels(level)[..., :3].astype(float) for t in (before, after))
            error = np.mean((a - b) ** 2)
            if error == 0:
                self.assertIsNone(found.lost.psnr)
                continue
            assert found.lost.psnr is not None
            self.assertAlmostEqual(found.lost.psnr, 10 * np.log10(255**2 / error), places=3)

    def test_colour_that_is_hardly_seen_hardly_counts(self) -> None:
        picture = colour(8, alpha=True)
        pixels = picture.pixels.copy()
        pixels[..., 3] = 1
        pixels[:4, :4, 3] = 2 / 255
        other = pixels.copy()
        other[..., 0] = 1 - other[..., 0]
        errors = errors_by_block(picture.with_pixels(pixels), picture.with_pixels(other))
        self.assertLess(errors[0, 0], 2)
        self.assertGreater(errors[1, 1], 100)

    def test_an_own_level_stands_in_its_place_and_nowhere_else(self) -> None:
        picture, own = colour(64), Picture(np.full((7, 9, 3), 0.25, np.float32), Space.LINEAR)
        usual = codecs.compress(picture, BlockFormat.BC7)
        made = codecs.compress(picture, BlockFormat.BC7, Making(own={2: own, 9: own}))
        differing = [n for n in range(7) if made.levels[n] != usual.levels[n]]
        self.assertEqual(differing, [2])
        self.assertLessEqual(int(np.ptp(made.texels(2)[..., :3])), 1)


class Advising(unittest.TestCase):
    def said(self, *candidates: Candidate) -> tuple[str, str]:
        advice = advise(candidates)
        return advice.format.value, advice.reason

    def test_the_smallest_whose_loss_is_not_seen(self) -> None:
        large = Candidate(BlockFormat.BC7, 100, 45.0, None)
        whole = Candidate(BlockFormat.RGBA8, 400, None, None)
        fine = self.said(Candidate(BlockFormat.BC1, 50, 40.2, None), large, whole)
        self.assertEqual(fine, ("bc1", "Half the size of BC7, and its loss is not seen: 40.2 dB."))
        rough = self.said(Candidate(BlockFormat.BC1, 50, 33.0, None), large, whole)
        self.assertEqual(rough, ("bc7", "BC1 is half the size, but its loss shows: 33.0 dB."))

    def test_of_one_size_the_one_that_loses_less(self) -> None:
        self.assertEqual(
            self.said(
                Candidate(BlockFormat.BC3, 100, 41.0, None),
                Candidate(BlockFormat.BC7, 100, 44.0, None),
            ),
            ("bc7", "As large as BC3, and loses less: 44.0 dB, not 41.0 dB."),
        )

    def test_alpha_that_would_be_lost_speaks_against_the_smallest(self) -> None:
        self.assertEqual(
            self.said(
                Candidate(BlockFormat.BC1, 50, 42.0, None, "alpha is holes only"),
                Candidate(BlockFormat.BC3, 100, 41.0, None),
            ),
            ("bc3", "BC1 is half the size, but its alpha is holes only."),
        )

    def test_normals_go_by_their_angle(self) -> None:
        self.assertEqual(
            self.said(
                Candidate(BlockFormat.BC1, 50, None, 1.4),
                Candidate(BlockFormat.BC5, 100, None, 0.2),
                Candidate(BlockFormat.RGBA8, 400, None, 0.1),
            ),
            ("bc5", "BC1 is half the size, but highlights would move: 1.40° off."),
        )

    def test_where_all_lose_the_least_is_taken(self) -> None:
        chosen, reason = self.said(
            Candidate(BlockFormat.BC1, 50, 20.0, None), Candidate(BlockFormat.BC3, 100, 20.0, None)
        )
        self.assertEqual(chosen, "bc1")
        self.assertIn("loses least", reason)


if __name__ == "__main__":
    unittest.main()
