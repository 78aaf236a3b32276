"""The sample game's room on its own page: no project, no data folder, only the game folder."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from stonestack.core.files import codecs
from stonestack.core.files.blocks import BlockFormat
from stonestack.core.picture.image import Picture, Space
from stonestack.demo.originals import make_game_folder
from stonestack.samplegame import __main__ as saltglass
from stonestack.store.files import write_atomically
from tests.browser.case import SMALL, BrowserCase, looks
from tests.forked import Program
from tests.sizes import swept


class Room(BrowserCase):
    size = SMALL

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        make_game_folder(cls.folder)
        cls.floor = cls.folder / "base/textures/floor_encaustic_c.dds"
        # Eight by eight texels: four blocks, each as large on screen as a paving slab.
        grey = Picture(np.full((8, 8, 3), 0.2, np.float32), Space.LINEAR)
        write_atomically(cls.floor, codecs.dds.write(codecs.compress(grey, BlockFormat.BC1)))
        # No data folder: what it would be does not exist.
        cls.server = Program(saltglass.main, cls.folder, data=cls.folder / "no-such-data")
        cls.addClassCleanup(cls.server.stop)

    def opened(self):
        self.page.goto(self.server.address)
        room = self.page.locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown")
        return room

    def read_again(self) -> None:
        turn = self.page.locator("canvas#room").get_attribute("data-turn")
        self.page.get_by_role("button", name="Read the folder again").click()
        room = self.page.locator("canvas#room")
        expect(room).not_to_have_attribute("data-turn", turn or "")
        expect(room).to_have_attribute("data-state", "shown")

    @swept
    @looks
    def test_one_block_changed_on_disk_changes_the_screen_after_a_reload_only(self) -> None:
        room = self.opened()
        before = self.settled(room)
        data = bytearray(self.floor.read_bytes())
        data[148:156] = b"\x1f\xf8\x1f\xf8\x00\x00\x00\x00"  # One block: pure magenta.
        write_atomically(self.floor, bytes(data))
        self.page.reload()
        expect(room).to_have_attribute("data-state", "shown")
        self.assert_same_picture(self.settled(room), before)
        self.read_again()
        after = self.settled(room)
        magenta = (after[..., 0] > after[..., 1] * 1.5) & (after[..., 2] > after[..., 1] * 1.5)
        lower = magenta[after.shape[0] * 2 // 3 :]
        self.assertGreater(lower.mean(), 0.05)
        self.assertLess(lower.mean(), 0.5)
        self.assertNotIn("were decoded", self.page.locator("#say").inner_text())

    @swept
    @looks
    def test_a_missing_texture_is_loud_and_comes_back(self) -> None:
        room = self.opened()
        wall = self.folder / "base/textures/wall_limewash_c.dds"
        kept = wall.read_bytes()
        wall.unlink()
        self.addCleanup(write_atomically, wall, kept)
        self.read_again()
        loud = self.settled(room)
        pink = (loud[..., 0] > 240) & (loud[..., 1] < 20)
        self.assertGreater(pink.mean(), 0.08)
        self.page.get_by_role("button", name="Loader's log").click()
        expect(self.page.locator("#log")).to_contain_text("wall_limewash")
        write_atomically(wall, kept)
        self.read_again()
        self.page.get_by_role("button", name="Loader's log").click()
        calm = self.settled(room)
        self.assertEqual(((calm[..., 0] > 240) & (calm[..., 1] < 20)).mean(), 0)
