"""From raw material to a tile, by the visible controls alone; and all the way back."""

from __future__ import annotations

import io
import re
import unittest
import zipfile

import numpy as np
from playwright.sync_api import Route, expect

from stonestack.core.picture import colour
from stonestack.trials import walls
from stonestack.trials.defects import stock
from stonestack.trials.slants import seen_at_a_slant
from tests.browser.case import PATIENCE, DemoCase
from tests.core.tile import defects
from tests.sizes import swept
from tests.support import photograph, png


def raw(base: str, side: int = 300, rolled: tuple[int, int] = (0, 0)) -> bytes:
    stored = np.roll(defects.BASES[base](side, 5, False), rolled, axis=(0, 1))
    return png(np.rint(stored * 255).astype(np.uint8))


class TileCase(DemoCase):
    def score(self, words: str) -> float:
        panel = self.page.get_by_role("region", name="How well it tiles")
        row = panel.locator("dt", has_text=words).locator("xpath=following-sibling::dd[1]")
        return float(row.inner_text(timeout=PATIENCE))

    def begin(self, name: str, data: bytes, title: str) -> None:
        """Bring a picture in on the Sources screen, and start a surface of it."""
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Sources").first.click()
        page.get_by_role("radio", name=re.compile("Brought in")).click()
        files = {"name": name, "mimeType": "image/png", "buffer": data}
        page.get_by_label("Pictures to bring in").set_input_files(files)
        card = page.get_by_role("list", name="Brought in").locator("li", has_text=name)
        expect(card).to_be_visible(timeout=PATIENCE)
        card.get_by_role("button", name="Start a surface").click()
        expect(page.get_by_text(title, exact=True).first).to_be_visible(timeout=PATIENCE)
        self.choose_cell("steps")

    def choose_cell(self, stage: str) -> None:
        self.cell("colour", stage).click()

    def ready(self, words: str | re.Pattern[str]) -> None:
        expect(self.cell("colour", "steps")).to_contain_text(words, timeout=PATIENCE)


# Two of them lay pieces of the picture, some more than once.
VERDICTS = {
    "Quilt": re.compile("tiles both ways|part is there again"),
    "Even out": "tiles both ways",
    "Blend pieces": re.compile("tiles both ways|part is there again"),
    "Mirror": "mirror-symmetric",
    "Cut": "tiles both ways",
}


class RawToTile(TileCase):
    @swept
    def test_a_raw_picture_becomes_a_tile_with_good_scores_and_goes_back(self) -> None:
        page = self.page
        self.begin("harbour_grit.png", raw("stochastic", 280), "Harbour grit")
        self.ready("tiles both ways")
        for words in ("Left to right", "Top to bottom", "Detail of joins"):
            self.assertAlmostEqual(self.score(words), 1, delta=0.15)
        ways = page.get_by_role("radiogroup", name="Way of tiling")
        for way, verdict in VERDICTS.items():
            ways.get_by_role("radio", name=way).click()
            expect(ways.get_by_role("radio", name=way)).to_be_checked(timeout=PATIENCE)
            self.ready(verdict)
        # Back to the beginning, one step at a time.
        undo = page.get_by_role("button", name=re.compile("^Undo"))
        while undo.is_enabled():
            told = undo.get_attribute("data-next")
            undo.click()
            expect(undo).not_to_have_attribute("data-next", told or "", timeout=PATIENCE)
        expect(self.cell("colour", "source")).to_contain_text("Drop a picture", timeout=PATIENCE)

    def test_a_brick_wall_gets_the_way_that_suits_and_shows_where_it_is_joined(self) -> None:
        page = self.page
        wall = walls.walls(90)[0]
        self.begin("quay_wall.png", png(colour.to_bytes(walls.drawn(wall))), "Quay wall")
        ways = page.get_by_role("radiogroup", name="Way of tiling")
        expect(ways.get_by_text(re.compile("% like")).first).to_be_visible(timeout=PATIENCE)
        # The best comes first, and is taken; what would break the bond is not offered.
        expect(ways.get_by_role("radio").first).to_be_checked(timeout=PATIENCE)
        expect(page.get_by_text(re.compile("Not offered: Mirror"))).to_be_visible()
        expect(page.get_by_text(re.compile("whole steps of the structure"))).to_be_visible()
        ways.get_by_role("radio", name="Cut").click()
        expect(ways.get_by_role("radio", name="Cut")).to_be_checked(timeout=PATIENCE)
        self.ready("2 steps")
        page.get_by_label("Seams and spots").check()
        expect(page.locator("[data-join]").first).to_be_attached(timeout=PATIENCE)
        # Chosen by a person, it stays.
        page.reload()
        expect(ways.get_by_role("radio", name="Cut")).to_be_checked(timeout=PATIENCE)

    @swept
    def test_a_scene_is_told_to_be_one(self) -> None:
        self.begin("at_the_quay.png", png(photograph("rocket", 300)[..., :3]), "At the quay")
        advice = self.page.get_by_text(re.compile("frame a part that is all of one kind"))
        expect(advice).to_be_visible(timeout=PATIENCE)

    def test_faults_far_from_the_edges_are_listed_and_marked(self) -> None:
        page = self.page
        # Its edges meet, so that it is taken for a tile, but its seams are inside.
        self.begin("rolled_grit.png", raw("stochastic", 256, (90, 120)), "Rolled grit")
        self.ready(re.compile("a seam runs through it|its tone steps"))
        listed = page.get_by_role("list", name="What an eye notices")
        expect(listed.get_by_role("listitem").first).to_contain_text(
            re.compile("Seam|Step of tone")
        )
        page.get_by_label("Seams and spots").check()
        expect(page.locator("[data-fault='1']").first).to_be_visible()

    @swept
    def test_the_making_can_be_stopped_and_goes_on_when_told(self) -> None:
        page = self.page
        self.allowed += ("409 (CONFLICT)",)
        self.begin("wide_grit.png", raw("stochastic", 1500), "Wide grit")
        sheet = page.get_by_role("grid", name="Course sheet")
        sheet.get_by_role("button", name="Stop", exact=True).click()
        expect(sheet.get_by_text(re.compile("of .*: stopped"))).to_be_visible(timeout=PATIENCE)
        self.ready("stopped")
        sheet.get_by_role("button", name="Go on").click()
        self.ready("tiles both ways")
        expect(sheet.get_by_text(re.compile("stopped"))).to_have_count(0, timeout=PATIENCE)

    @swept
    def test_a_spot_that_repeats_is_marked_and_repaired_by_one_press(self) -> None:
        page = self.page
        self.begin_demo("salt_sand.png", "Salt sand")
        ways = page.get_by_role("radiogroup", name="Way of tiling")
        expect(ways.get_by_text(re.compile("% like")).first).to_be_visible(timeout=PATIENCE)
        expect(ways.get_by_role("radio").first).to_be_checked(timeout=PATIENCE)
        # Other ways scatter the spot; this one keeps it.
        cut = ways.get_by_role("radio", name="Cut")
        if not cut.is_checked():
            with page.expect_response(re.compile("/edits$")):
                cut.click()
        expect(cut).to_be_checked(timeout=PATIENCE)
        self.ready("spot repeats")
        page.get_by_label("Seams and spots").check()
        worst = self.score("Repetition")
        self.assertGreater(worst, 2)
        page.get_by_role("button", name="Repair the worst").click()
        expect(page.get_by_text("1 spot is covered.")).to_be_visible(timeout=PATIENCE)
        expect(self.cell("colour", "steps")).to_contain_text("3 steps", timeout=PATIENCE)
        expect(self.cell("colour", "steps")).not_to_contain_text("…", timeout=PATIENCE)
        self.assertLess(self.score("Repetition"), 0.6 * worst)

    @swept
    def test_whole_repeats_of_a_structure_are_framed_and_the_corners_can_be_moved(self) -> None:
        page = self.page
        self.begin("quay_bricks.png", raw("bricks", 420), "Quay bricks")
        self.choose_cell("source")
        expect(self.cell("colour", "source")).to_contain_text("420²", timeout=PATIENCE)
        page.get_by_role("button", name="Frame whole repeats").click()
        expect(page.get_by_text(re.compile("It recurs every"))).to_be_visible(timeout=PATIENCE)
        # Ten courses of 37.2 pixels each way.
        expect(self.cell("colour", "source")).to_contain_text("372²", timeout=PATIENCE)
        corner = page.get_by_label("Bottom right corner")
        corner.focus()
        page.keyboard.press("Shift+ArrowLeft")
        expect(self.cell("colour", "source")).not_to_contain_text("372²", timeout=PATIENCE)
        page.get_by_role("button", name="Whole picture").click()
        expect(self.cell("colour", "source")).to_contain_text("420²", timeout=PATIENCE)

    def test_what_was_seen_at_a_slant_is_said_and_straightened_by_its_lines(self) -> None:
        page = self.page
        stored, _ = seen_at_a_slant(np.clip(stock("glazed", 460, 345, 3).raw, 0, 1), 3)
        seen = png(np.rint(stored * 255).astype(np.uint8))
        self.begin("glazed_wall.png", seen, "Glazed wall")
        self.choose_cell("steps")
        expect(page.get_by_text("seen at a slant")).to_be_visible(timeout=PATIENCE)
        self.choose_cell("source")
        expect(self.cell("colour", "source")).to_contain_text("640 × 480", timeout=PATIENCE)
        page.get_by_role("button", name="Straighten by its lines").click()
        expect(page.get_by_text("the corners lie on them now")).to_be_visible(timeout=PATIENCE)
        expect(self.cell("colour", "source")).not_to_contain_text("640 × 480", timeout=PATIENCE)
        expect(page.get_by_label("Bottom right corner")).to_be_visible()
        self.choose_cell("steps")
        expect(page.get_by_text("seen at a slant")).to_be_hidden(timeout=PATIENCE)

    @swept
    def test_the_frame_waits_for_a_late_picture_and_its_first_drag_counts(self) -> None:
        page = self.page
        self.begin("late_bricks.png", raw("bricks", 420), "Late bricks")
        held: list[Route] = []
        self.choose_cell("source")
        expect(self.cell("colour", "source")).to_contain_text("420²", timeout=PATIENCE)
        pictures = re.compile("/renders/.*/(picture|texture)")
        page.route(pictures, lambda route: held.append(route))
        page.reload()
        page.get_by_role("button", name="Frame", exact=True).click()
        while not held:
            page.wait_for_timeout(50)
        corner = page.get_by_label("Bottom right corner")
        expect(corner).to_have_count(0)
        for route in held:
            route.continue_()
        page.unroute(pictures)
        box = self.at_rest(corner)
        page.mouse.move(box["x"] + 7, box["y"] + 7)
        page.mouse.down()
        page.mouse.move(box["x"] - 93, box["y"] - 93, steps=4)
        # The sides that stay are as long as before, so the size says nothing of it.
        with page.expect_response(re.compile("/edits$")) as told:
            page.mouse.up()
        self.assertTrue(told.value.ok)
        page.reload()
        page.get_by_role("button", name="Frame", exact=True).click()
        expect(corner).to_have_attribute("aria-valuenow", "76", timeout=PATIENCE)

    @swept
    def test_a_size_says_what_it_costs_and_proposals_are_taken_by_a_press(self) -> None:
        page = self.page
        self.begin("quay_cloth.png", raw("weave"), "Quay cloth")
        self.choose_cell("size")
        proposed = page.get_by_role("region", name="Proposed sizes").get_by_role("button")
        expect(proposed.first).to_contain_text("stretch", timeout=PATIENCE)
        proposed.nth(1).click()
        expect(proposed.nth(1)).to_have_attribute("aria-pressed", "true", timeout=PATIENCE)
        page.get_by_role("radio", name="Canvas").click()
        expect(self.cell("colour", "size")).to_contain_text("a tile no more", timeout=PATIENCE)

    def begin_demo(self, name: str, title: str) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Sources").first.click()
        page.get_by_role("radio", name=re.compile("Brought in")).click()
        card = page.get_by_role("list", name="Brought in").locator("li", has_text=name)
        card.get_by_role("button", name="Start a surface").click()
        expect(page.get_by_text(title, exact=True).first).to_be_visible(timeout=PATIENCE)
        self.choose_cell("steps")


class BringingIn(TileCase):
    @swept
    def test_an_archive_is_unpacked_and_files_that_belong_together_start_one_surface(self) -> None:
        page = self.page
        buffer = io.BytesIO()
        height = colour.to_seen(defects.made("weave", "whole").pixels).mean(axis=2)
        grey = np.repeat(np.rint(height * 255).astype(np.uint8)[..., np.newaxis], 3, axis=2)
        with zipfile.ZipFile(buffer, "w") as archive:
            archive.writestr("cloth/sail_linen_c.png", raw("weave", 320))
            archive.writestr("cloth/sail_linen_h.png", png(grey))
            archive.writestr("cloth/notes.txt", "nothing to see")
            archive.writestr("cloth/torn.png", raw("weave", 320)[:500])
        page.goto(self.server.address)
        page.get_by_role("link", name="Sources").first.click()
        page.get_by_role("radio", name=re.compile("Brought in")).click()
        files = {"name": "cloth.zip", "mimeType": "application/zip", "buffer": buffer.getvalue()}
        page.get_by_label("Pictures to bring in").set_input_files(files)
        refused = page.get_by_role("region", name="Not brought in")
        expect(refused).to_contain_text("torn.png", timeout=PATIENCE)
        row = page.get_by_role("region", name="Belong together").locator(
            "li", has_text="sail_linen"
        )
        expect(row).to_contain_text("no normal", timeout=PATIENCE)
        row.get_by_role("button", name="Start this surface").click()
        expect(page.get_by_text("Sail linen", exact=True).first).to_be_visible(timeout=PATIENCE)
        # The height has a file of its own, and follows the colour's cut.
        expect(self.cell("height", "source")).to_contain_text("320²", timeout=PATIENCE)
        self.cell("height", "source").click()
        expect(page.get_by_label("Follows the colour's frame and cut")).to_be_checked()
        sizes = [self.cell(role, "steps") for role in ("colour", "height")]
        for cell in sizes:
            expect(cell).to_contain_text("seam", timeout=PATIENCE)

    @swept
    def test_a_pasted_picture_comes_in(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Sources").first.click()
        page.get_by_role("radio", name=re.compile("Brought in")).click()
        expect(page.get_by_role("list", name="Brought in")).to_be_visible(timeout=PATIENCE)
        page.evaluate(
            """bytes => {
                const file = new File([new Uint8Array(bytes)], "image.png", { type: "image/png" });
                const data = new DataTransfer();
                data.items.add(file);
                window.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data }));
            }""",
            list(raw("stochastic", 64)),
        )
        card = page.get_by_role("list", name="Brought in").locator("li", has_text="pasted_")
        expect(card).to_be_visible(timeout=PATIENCE)

    @swept
    def test_words_and_filters_above_sift_what_was_brought_in(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Sources").first.click()
        page.get_by_role("radio", name=re.compile("Brought in")).click()
        cards = page.get_by_role("list", name="Brought in").locator("li")
        expect(cards.first).to_be_visible(timeout=PATIENCE)
        page.get_by_role("searchbox").fill("kelp")
        expect(cards).to_have_count(2, timeout=PATIENCE)
        page.get_by_label("Role").select_option("height")
        expect(cards).to_have_count(1, timeout=PATIENCE)
        # One file large, with what it is; and the one look for what is alike, in the game too.
        cards.first.get_by_role("button").first.click()
        preview = page.get_by_role("complementary", name="Preview")
        expect(preview.get_by_text("16 bits a channel; kept")).to_be_visible(timeout=PATIENCE)
        expect(preview.get_by_role("radiogroup", name="Backdrop")).to_be_visible(timeout=PATIENCE)
        preview.get_by_role("button", name=re.compile("^Alike")).click()
        expect(page.get_by_text(re.compile("look like kelp_mat_h.png"))).to_be_visible(
            timeout=PATIENCE
        )
        sheet = page.get_by_role("list", name="Contact sheet").locator("li")
        expect(sheet.first).to_contain_text("kelp_mat_h.png", timeout=PATIENCE)


if __name__ == "__main__":
    unittest.main()
