"""The re-texturing loop in the visible interface: find, take, change, put back, see, undo."""

from __future__ import annotations

import re
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, expect

from tests.browser.case import PATIENCE, SMALL, DemoCase, looks
from tests.core.files.test_archives import content
from tests.games import hashes
from tests.sizes import swept
from tests.support import png


def red_share(picture: np.ndarray) -> float:
    red, green, blue = (picture[..., n] for n in range(3))
    return float(((red > 70) & (red > green * 2.2) & (red > blue * 2.2)).mean())


class Loop(DemoCase):
    size = SMALL

    @property
    def game(self) -> Path:
        return self.folder / "data-demo-game" / "Saltglass"

    def own_files(self) -> dict[str, str]:
        """Return the game's own files; what its update brings anew is left out."""
        new = {"base/textures/basin_tile_c.dds", "room.json", "saltglass.log"}
        return {n: h for n, h in hashes(self.game).items() if n not in new}

    def open_view(self, name: str) -> None:
        self.page.get_by_role("navigation", name="Views").get_by_role("link", name=name).click()

    def open_sources(self) -> None:
        self.page.goto(self.server.address)
        self.open_view("Sources")
        expect(self.page.get_by_role("button", name="Read the folder again")).to_be_visible()

    def wait_for_jobs(self) -> None:
        """Wait until nothing is under way; lists may tell of a file before the work has ended."""
        expect(self.page.get_by_role("progressbar")).to_have_count(0)

    def find(self, words: str) -> Locator:
        self.page.get_by_label("Find in the game").fill(words)
        return self.page.get_by_role("complementary", name="Preview")

    def room(self) -> Locator:
        self.open_view("Sample game")
        room = self.page.frame_locator("iframe").locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown", timeout=PATIENCE)
        return room

    @swept
    @looks
    def test_find_take_change_put_back_see_switch_update_put_all_back_and_restore(self) -> None:
        before = self.own_files()
        self.open_sources()
        as_it_came = red_share(self.settled(self.room()))
        self.open_sources()
        preview = self.find("potting door")
        expect(preview).to_contain_text("door_planks_c.dds")
        expect(preview).to_contain_text("The same picture is also at")
        expect(preview).to_contain_text("base/menu/page_door.dds")
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("t")
        expect(self.page).to_have_url(re.compile("/bench/"))
        self.cell("colour", "size").click()

        # Out to an editor and back.
        self.page.get_by_role("button", name="Put out").click()
        outside = self.page.get_by_role("region", name="Outside editor")
        path = outside.locator("li .figures").first.inner_text()
        self.assertTrue(path.endswith(".ora"))
        subprocess.run([sys.executable, "-m", "stonestack.cli.main", "paint", path], check=True)
        saved = time.monotonic()
        expect(outside).to_contain_text("came back")
        self.assertLess(time.monotonic() - saved, 4)
        flat = self.page.get_by_test_id("flat")
        painted = red_share(self.eventually(flat, lambda seen: red_share(seen) > 0.05))

        # The revision before lies beside it under the wipe; the paint goes from that half.
        self.page.get_by_label("Beside").select_option(index=1)
        self.eventually(flat, lambda seen: 0.01 < red_share(seen) < 0.6 * painted)
        # And in the place of the present one: both halves are without it.
        self.page.get_by_label("Shown").select_option(index=1)
        self.eventually(flat, lambda seen: red_share(seen) < 0.01)
        self.page.get_by_label("Shown").select_option(index=0)
        self.page.get_by_label("Beside").select_option(index=0)

        # A plan first, then back into the game with its twin.
        self.page.keyboard.press("p")
        plan = self.page.get_by_role("dialog")
        expect(plan).to_contain_text("base/menu/page_door.dds")
        expect(plan.get_by_label("Replace base/textures/door_planks_c.dds")).to_be_checked()
        expect(plan.get_by_label("Replace base/menu/page_door.dds")).to_be_checked()
        backup = plan.get_by_label("Replace base/textures/backup/door_planks_c.dds")
        expect(backup).not_to_be_checked()
        self.assertEqual(self.own_files(), before)
        plan.get_by_role("button", name=re.compile("Put back in")).click()
        room = self.page.frame_locator("iframe").locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown", timeout=PATIENCE)
        with_ours = red_share(self.settled(room))
        self.assertGreater(with_ours, as_it_came + 0.0015)
        changed = {n for n, h in self.own_files().items() if h != before[n]}
        self.assertEqual(changed, {"base/textures/door_planks_c.dds", "base/menu/page_door.dds"})
        ours = self.own_files()

        # The original and back, by one key.
        self.open_sources()
        expect(self.page.get_by_role("button", name=re.compile("Show originals"))).to_be_visible()
        self.page.keyboard.press("o")
        expect(self.page.get_by_role("button", name=re.compile("Show ours"))).to_be_visible()
        self.wait_for_jobs()
        self.assertEqual(self.own_files(), before)
        again = red_share(self.settled(self.room()))
        self.assertAlmostEqual(again, as_it_came, delta=0.0003)
        self.open_sources()
        expect(self.page.get_by_role("button", name=re.compile("Show ours"))).to_be_visible()
        self.page.keyboard.press("o")
        expect(self.page.get_by_role("button", name=re.compile("Show originals"))).to_be_visible()
        self.wait_for_jobs()
        self.assertEqual(self.own_files(), ours)

        # The game updates itself, which wipes ours.
        self.room()
        frame = self.page.frame_locator("iframe")
        frame.get_by_role("button", name="Update the game").click()
        expect(frame.locator("#say")).to_contain_text("Updated")
        self.assertEqual(self.own_files(), before)
        self.open_sources()
        self.page.get_by_role("radio", name=re.compile("Ours in the game")).click()
        placed = self.page.get_by_role("list", name="Ours in the game")
        expect(placed.get_by_text("wiped by the game")).to_have_count(2)
        self.page.get_by_role("button", name="Put all back").click()
        expect(placed.get_by_text("ours is in place")).to_have_count(2)
        self.wait_for_jobs()
        self.assertEqual(self.own_files(), ours)

        # All is told to be as it was; one of ours that somebody copies back later is found.
        self.page.get_by_role("button", name="Check every file").click()
        expect(
            self.page.get_by_text(re.compile("All as it was told: .* 2 of ours"))
        ).to_be_visible()
        door = self.game / "base/textures/door_planks_c.dds"
        painted_door = door.read_bytes()
        self.page.get_by_role("button", name="Restore all").click()
        expect(self.page.get_by_text("Nothing of ours is in this game folder yet")).to_be_visible()
        self.wait_for_jobs()
        self.assertEqual(self.own_files(), before)
        original_door = door.read_bytes()
        door.write_bytes(painted_door)
        self.page.get_by_role("button", name="Check every file").click()
        found = self.page.get_by_role("list", name="Not as it was told")
        expect(found).to_contain_text("base/textures/door_planks_c.dds")
        expect(found).to_contain_text("Ours is in the game, though it counts as given back")
        door.write_bytes(original_door)
        self.assertEqual(self.own_files(), before)

    @looks
    def test_an_entry_of_a_container_is_replaced_seen_and_restored(self) -> None:
        before = self.own_files()
        self.open_sources()
        preview = self.find("boiler casing")
        expect(preview).to_contain_text("casing_zinc_c.dds")
        expect(preview).to_contain_text("base/hall.hold/textures")
        red = np.zeros((128, 128, 3), np.uint8)
        red[..., 0] = 220
        self.page.get_by_label("Picture for this place").set_input_files(
            {"name": "red.png", "mimeType": "image/png", "buffer": png(red)}
        )
        plan = self.page.get_by_role("dialog")
        expect(plan).to_contain_text("base/hall.hold/textures/casing_zinc_c.dds")
        expect(plan).to_contain_text("Into the safe first: base/hall.hold")
        plan.get_by_role("button", name=re.compile("Put back in 1 place")).click()
        expect(self.page.get_by_text("ours is in place")).to_have_count(1)
        self.wait_for_jobs()
        changed = {n for n, h in self.own_files().items() if h != before[n]}
        self.assertEqual(changed, {"base/hall.hold"})
        self.assertEqual(len(content((self.game / "base/hall.hold").read_bytes())), 3)
        self.assertGreater(red_share(self.settled(self.room())), 0.002)
        self.open_sources()
        self.page.get_by_role("radio", name=re.compile("Ours in the game")).click()
        self.page.get_by_role("button", name="Restore all").click()
        expect(self.page.get_by_text("Nothing of ours is in this game folder yet")).to_be_visible()
        self.wait_for_jobs()
        self.assertEqual(self.own_files(), before)

    @swept
    def test_a_picture_dropped_on_the_catalogue_finds_what_looks_like_it(self) -> None:
        from stonestack.core.catalogue.describe import picture_bytes

        self.open_sources()
        expect(self.page.get_by_label("Things in the game").locator("img").first).to_be_visible()
        texels = picture_bytes((self.game / "base/textures/glass_bottle_c.dds").read_bytes(), 180)
        toned = np.clip(texels[..., :3].astype(float) * [1.2, 0.9, 0.8] + 12, 0, 255)
        self.drop(
            self.page.get_by_label("Things in the game"), "shot.png", png(toned.astype(np.uint8))
        )
        sheet = self.page.get_by_label("Contact sheet")
        expect(sheet.locator("button").first).to_contain_text("glass_bottle_c.dds")
        self.page.get_by_role("button", name="Show all again").click()

    @swept
    def test_arrow_keys_move_and_columns_sort(self) -> None:
        self.open_sources()
        self.page.get_by_role("radio", name="List").click()
        table = self.page.get_by_label("Files in the game")
        self.page.get_by_role("button", name=re.compile("others, not shown")).click()
        table.get_by_role("button", name="Bytes").click()
        table.get_by_role("button", name="Bytes").click()
        expect(table.locator("th[aria-sort=descending]")).to_contain_text("Bytes")
        rows = table.locator("tbody tr")
        expect(rows.first).to_contain_text("update.saltglass")
        rows.first.click()
        self.page.keyboard.press("ArrowDown")
        expect(rows.nth(1)).to_have_attribute("aria-selected", "true")
        name = rows.nth(1).locator("td").first.inner_text().split("\n")[0]
        expect(self.page.get_by_role("complementary", name="Preview")).to_contain_text(name)
