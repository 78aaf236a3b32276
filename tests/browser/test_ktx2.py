"""Every KTX2 that is written is read by three.js's own loader, and gives our decoder's texels."""

from __future__ import annotations

import http.server
import shutil
import subprocess
import tempfile
import threading
from functools import partial
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks import BlockFormat, Numbers
from stonestack.core.files.blocks.bptc import bc6h_layout
from stonestack.core.files.codecs import ktx2
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture import colour
from tests.browser.case import BrowserCase, looks
from tests.core.files.test_containers import textures
from tests.sizes import swept, times

FRONTEND = Path(__file__).resolve().parents[2] / "frontend"


UNKNOWN = (BlockFormat.BC2, BlockFormat.RGB10A2)
"""Formats that this loader does not know."""
ONE_OF_EACH = (BlockFormat.BC1, BlockFormat.BC5, BlockFormat.BC6H, BlockFormat.BC7, BlockFormat.R8)
"""One format of each kind; the others in the sweep."""


def as_seen(texture: Texture, level: int) -> NDArray[np.integer[Any]]:
    """Return a level's texels as a picture of bytes, 0 to 1, shows them."""
    stored = texture.stored(level)
    if texture.format.info.numbers is Numbers.SIGNED:
        return np.rint(np.maximum(stored.view(np.int8), 0) * (255 / 127)).astype(int)
    if texture.format.info.numbers is Numbers.HALVES:
        return np.rint(np.clip(stored.astype(np.float32), 0, 1) * 255).astype(int)
    return texture.texels(level)


class Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *_words: object) -> None:
        """Say nothing."""


class ThreeLoader(BrowserCase):
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        rolldown = [
            *(shutil.which("npm") or "npm", "exec", "--silent", "--", "rolldown"),
            *("-c", str(Path(__file__).with_name("probe.config.mjs"))),
            *("--file", str(cls.folder / "probe.js")),
        ]
        subprocess.run(rolldown, cwd=FRONTEND, check=True, capture_output=True)
        (cls.folder / "index.html").write_text(
            '<!doctype html><link rel="icon" href="data:,">'
            "<script type=module src=probe.js></script>"
        )

    def setUp(self) -> None:
        super().setUp()
        handler = partial(Quiet, directory=str(self.folder))
        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        self.page.goto(f"http://127.0.0.1:{server.server_address[1]}/")
        self.page.wait_for_function("window.texels !== undefined")

    @looks
    def test_all_formats_and_levels(self) -> None:
        for format_, texture in textures(64, 32).items():
            if format_ in UNKNOWN or format_ not in times(tuple(BlockFormat), ONE_OF_EACH):
                continue
            (self.folder / f"{format_}.ktx2").write_bytes(ktx2.write(texture))
            levels = self.page.evaluate("(url) => window.texels(url)", f"{format_}.ktx2")
            self.assertEqual(len(levels), len(texture.levels))
            for number, level in enumerate(levels):
                with self.subTest(format=format_, level=number):
                    ours = as_seen(texture, number)
                    height, width, channels = ours.shape
                    self.assertEqual((level["width"], level["height"]), (width, height))
                    theirs = np.array(level["data"]).reshape(height, width, 4)[..., :channels]
                    # One level: of 255, or of 127 where numbers are signed, which is two and a
                    # rounding on the way to bytes.
                    allowed = 3 if format_.info.numbers is Numbers.SIGNED else 1
                    self.assertLessEqual(np.abs(theirs - ours.astype(int)).max(), allowed)

    @swept
    @looks
    def test_levels_that_are_packed_are_read_alike(self) -> None:
        for format_ in (BlockFormat.BC1, BlockFormat.BC7, BlockFormat.RGBA8):
            texture = textures(64, 32)[format_]
            for packed in (False, True):
                (self.folder / f"{format_}_{packed}.ktx2").write_bytes(ktx2.write(texture, packed))
            plain, unpacked = (
                self.page.evaluate("(url) => window.texels(url)", f"{format_}_{packed}.ktx2")
                for packed in (False, True)
            )
            self.assertEqual(plain, unpacked)

    @looks
    def test_samplers_decode_srgb_as_we_do(self) -> None:
        tried = 0
        for format_, texture in textures(64, 32).items():
            if not texture.srgb or format_ in UNKNOWN:
                continue
            (self.folder / f"srgb_{format_}.ktx2").write_bytes(ktx2.write(texture))
            words = "(url) => window.texels(url, { decoded: true, floats: true })"
            levels = self.page.evaluate(words, f"srgb_{format_}.ktx2")
            if levels is None:
                continue
            tried += 1
            for number, level in enumerate(levels):
                stored = texture.texels(number)
                height, width, _ = stored.shape
                theirs = np.array(level["data"]).reshape(height, width, 4)
                low, high = (
                    colour.bytes_to_linear(
                        np.clip(stored[..., :3].astype(int) + by, 0, 255).astype(np.uint8)
                    )
                    for by in (-1, 1)
                )
                with self.subTest(format=format_, level=number):
                    self.assertTrue((theirs[..., :3] >= low - 2e-3).all())
                    self.assertTrue((theirs[..., :3] <= high + 2e-3).all())
        self.assertGreaterEqual(tried, 2)

    @looks
    def test_half_precision_blocks_of_every_mode_are_decoded_to_the_bit(self) -> None:
        rng = np.random.default_rng(6)
        for format_ in (BlockFormat.BC6H, BlockFormat.BC6HS):
            data = rng.integers(0, 256, (64 * 32 // 16, 16), dtype=np.uint8)
            for n, row in enumerate(data):
                mode = bc6h_layout.MODES[n % 14]
                bits = int(mode[bc6h_layout.CODE_BITS])
                row[0] = row[0] >> bits << bits & 0xFF | int(mode[bc6h_layout.CODE])
            texture = Texture(format_, False, 64, 32, (data.tobytes(),))
            (self.folder / f"halves_{format_}.ktx2").write_bytes(ktx2.write(texture))
            words = "(url) => window.texels(url, { floats: true })"
            (level,) = self.page.evaluate(words, f"halves_{format_}.ktx2")
            theirs = np.array(level["data"], np.float64).reshape(32, 64, 4)[..., :3]
            ours = texture.stored()[..., :3].astype(np.float64)
            with self.subTest(format=format_):
                np.testing.assert_array_equal(theirs, ours)
