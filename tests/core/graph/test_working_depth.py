"""Sixteen bits stay sixteen through every working file, and into the map again."""

import unittest

import numpy as np

from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.files.workfiles.passing import EXTENSIONS, WorkKind, incoming, outgoing
from stonestack.core.graph import ops
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.texels import at_depth, from_texels, to_texels


def heights(count: int = 1001) -> Picture:
    """Return a map of that many heights, all within six steps of eight bits."""
    values = np.linspace(0.500, 0.520, count, dtype=np.float32).reshape(1, count, 1)
    return Picture(np.repeat(values, 16, axis=0), Space.DATA, bits=16)


class Depth(unittest.TestCase):
    def test_heights_come_back_as_fine_as_they_went(self) -> None:
        sent_picture = heights()
        for kind in (WorkKind.PNG, WorkKind.PNG16, WorkKind.TIFF, WorkKind.ORA):
            with self.subTest(kind=kind):
                data, sent = outgoing(sent_picture, kind, None)
                back = incoming(f"h{EXTENSIONS[kind]}", data, sent, False, set())
                texels = pictures.stored(back.png, FileKind.PNG, 16)
                self.assertEqual(len(np.unique(texels[..., 0])), 1001)
                self.assertTrue(back.unchanged)
                self.assertEqual(back.troubles, [])

    def test_eight_bits_that_come_back_for_sixteen_are_said_and_take_only_what_was_painted(
        self,
    ) -> None:
        picture = heights()
        _, sent = outgoing(picture, WorkKind.PNG16, None)
        shallow = np.array(at_depth(pictures.stored(sent, FileKind.PNG, 16), 8))
        shallow[:4, :100, :3] = 10
        data = pictures.write_texels(shallow[..., :3], FileKind.PNG)
        back = incoming("h.png", data, sent, False, set())
        self.assertEqual([t.code for t in back.troubles], ["depth"])
        new, old = (
            from_texels(pictures.stored(d, FileKind.PNG, 16), Space.DATA) for d in (back.png, sent)
        )
        laid = ops.run(ops.node("returned", None, "abc"), [picture, new, old], lambda _: b"")
        assert isinstance(laid, Picture)
        np.testing.assert_array_equal(laid.pixels[4:], picture.pixels[4:])
        self.assertLess(laid.pixels[:4, :100].max(), 0.05)

    def test_every_stored_number_comes_back_as_it_was(self) -> None:
        every = np.arange(65536, dtype=np.uint16).reshape(256, 256, 1)
        for space in (Space.DATA, Space.LINEAR):
            picture = from_texels(np.repeat(every, 3, axis=2), space)
            np.testing.assert_array_equal(to_texels(picture, 16)[..., :1], every)
        eight = np.arange(256, dtype=np.uint8)
        np.testing.assert_array_equal(at_depth(at_depth(eight, 16), 8), eight)

    def test_image_files_of_sixteen_bits_are_read_back_exactly(self) -> None:
        rng = np.random.default_rng(3)
        for channels in (1, 3, 4):
            texels = rng.integers(0, 65536, (9, 11, channels)).astype(np.uint16)
            for kind in (FileKind.PNG, FileKind.TIFF):
                with self.subTest(channels=channels, kind=kind):
                    data = pictures.write_texels(texels, kind)
                    read = pictures.stored(data, kind, 16)
                    np.testing.assert_array_equal(read[..., :channels], texels)


if __name__ == "__main__":
    unittest.main()
