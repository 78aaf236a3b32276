"""Take the pictures of docs/screenshots from the demo: ``python -m tests.browser.screenshots``."""

from __future__ import annotations

import re
from pathlib import Path
from typing import ClassVar

import numpy as np
from playwright.sync_api import expect

from tests.browser.case import PATIENCE, DemoCase, looks
from tests.browser.test_set import grain, rendered
from tests.support import noise, png

PICTURES = Path(__file__).resolve().parents[2] / "docs" / "screenshots"


def blue_door() -> bytes:
    """Return a picture to put in the door's place."""
    values = noise(512, 512, 3, 60) * np.array([40, 90, 150], np.float32) + 30
    return png(values.astype(np.uint8))


class Taking(DemoCase):
    """Goes through the main views as a person would, and keeps what it sees."""

    shrunk: ClassVar[int] = 1

    def keep(self, name: str) -> None:
        self.page.mouse.move(640, 795)
        self.page.wait_for_timeout(2500)
        self.page.screenshot(path=PICTURES / f"{name}.png", animations="disabled")

    def see(self, view: str, name: str) -> None:
        """Go to a view by its name in the bar, and keep what it shows."""
        views = self.page.get_by_role("navigation", name="Views")
        views.get_by_role("link", name=view, exact=True).click()
        self.keep(name)

    def start_of(self, name: str) -> None:
        """Start a surface from one of the raw pictures of the demo."""
        page = self.page
        page.get_by_role("navigation", name="Views").get_by_role("link", name="Sources").click()
        page.get_by_role("radio", name=re.compile("Brought in")).click()
        card = page.get_by_role("list", name="Brought in").locator("li", has_text=name)
        expect(card).to_be_visible(timeout=PATIENCE)
        if name.startswith("slipway"):
            self.keep("sources-brought-in")
        card.get_by_role("button", name="Start a surface").click()
        expect(page.get_by_test_id("flat")).to_be_visible(timeout=PATIENCE)

    def touched_up(self) -> None:
        """Draw a line of single texels on the label, from near by."""
        page = self.page
        page.get_by_role("link", name="Surfaces").first.click()
        page.get_by_role("link", name="Seed packet").first.click()
        self.cell("colour", "finish").click()
        self.pick("Add a step", "Pencil")
        board = page.get_by_role("application", name="Pencil: draw")
        box = board.bounding_box()
        assert box
        x, y = box["x"] + 0.23 * box["width"], box["y"] + 0.2 * box["height"]
        page.mouse.move(x, y)
        for _ in range(13):
            page.mouse.wheel(0, -100)
            page.wait_for_timeout(60)
        ink = page.get_by_role("textbox", name="Colour", exact=True).last
        ink.fill("#3a3226")
        ink.press("Enter")
        page.mouse.move(x, y)
        page.mouse.down()
        for right, down in ((60, 20), (60, 60), (10, 70)):
            page.mouse.move(x + right, y + down, steps=5)
        with page.expect_response(re.compile("/edits$")):
            page.mouse.up()
        expect(page.get_by_text("1 line")).to_be_visible()
        self.keep("bench-finish")

    def old_relief(self) -> None:
        """Put a normal map of one's own in, change the colour, and see what is found."""
        page = self.page
        page.get_by_role("link", name="Surfaces").first.click()
        page.get_by_role("link", name="Encaustic floor").click()
        expect(self.cell("height", "size")).to_contain_text("stretch", timeout=PATIENCE)
        self.drop(self.cell("normal", "source"), "floor_n.png", rendered(page, "normal"))
        page.get_by_role("button", name="Leave it as it came").click(timeout=PATIENCE)
        self.cell("colour", "steps").click()
        self.pick("Add a step", "Lay a picture over")
        page.get_by_label("Picture to lay over").set_input_files(
            {"name": "mended.png", "mimeType": "image/png", "buffer": grain()}
        )
        page.get_by_role("button", name="1 to look at").click(timeout=PATIENCE)
        expect(page.locator("[data-found]")).to_have_count(4, timeout=PATIENCE)
        self.keep("bench-checks")

    @looks
    def runTest(self) -> None:
        PICTURES.mkdir(parents=True, exist_ok=True)
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("navigation", name="Views").get_by_role("link", name="Sources").click()
        expect(page.get_by_role("button", name="Read the folder again")).to_be_visible()
        page.get_by_label("Find in the game").fill("_")
        page.get_by_role("button", name=re.compile("Colour")).nth(1).click()
        self.keep("sources")
        page.get_by_role("radio", name="Contact sheet").click()
        self.keep("sources-sheet")
        page.get_by_label("Find in the game").fill("door")
        page.get_by_label("Picture for this place").set_input_files(
            {"name": "blue-door.png", "mimeType": "image/png", "buffer": blue_door()}
        )
        expect(page.get_by_text("Into the safe first")).to_be_visible()
        self.keep("put-back-plan")
        page.keyboard.press("Escape")
        page.goto(self.server.address)
        expect(page.get_by_role("link", name="Encaustic floor")).to_be_visible()
        self.keep("surfaces")
        page.get_by_role("link", name="Encaustic floor").click()
        light = page.get_by_test_id("light")
        expect(light).to_have_attribute("data-stored", re.compile("BC"), timeout=PATIENCE)
        note = page.get_by_role("note", name="Recommended format")
        expect(note).to_be_visible(timeout=PATIENCE)
        lost = page.get_by_role("region", name="What was lost")
        expect(lost).to_contain_text(re.compile(r"SSIM0\.\d+"), timeout=PATIENCE)
        self.keep("bench")
        self.cell("colour", "steps").click()
        wipe = page.get_by_role("slider", name=re.compile("Wipe"))
        box = wipe.bounding_box()
        assert box
        page.mouse.move(box["x"] + 8, box["y"] + 200)
        page.mouse.down()
        page.mouse.move(box["x"] + 215, box["y"] + 200)
        page.mouse.up()
        page.get_by_role("radio", name="Cube").click()
        expect(page.get_by_text(re.compile("% like")).first).to_be_visible()
        self.keep("bench-steps")
        page.get_by_role("list", name="Masks").get_by_role("button", name="New mask").click()
        expect(page.get_by_role("slider", name="Part 1: place")).to_be_visible()
        page.get_by_label("Kind of the mask").select_option("colour_range")
        picked = page.get_by_role("application", name="Part 1: pick a colour")
        expect(picked).to_be_visible()
        with page.expect_response(re.compile("/edits$")):
            picked.click(position={"x": 335, "y": 141})
        page.get_by_role("radio", name="Tint").click()
        expect(page.get_by_test_id("mask-shown")).to_be_attached()
        self.keep("bench-mask")
        page.get_by_role("group", name="Mask Part 1").get_by_role("button", name="Done").click()
        self.pick("Add a step", "Curves")
        corner = page.get_by_role("slider", name="Curve, point 2")
        corner.scroll_into_view_if_needed()
        box = page.get_by_role("group", name="Curve", exact=True).locator("svg").bounding_box()
        assert box
        page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.6 * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + 0.32 * box["width"], box["y"] + 0.5 * box["height"], steps=4)
        with page.expect_response(re.compile("/edits$")):
            page.mouse.up()
        self.keep("bench-curve")
        for _ in range(4):
            page.keyboard.press("z")
        self.cell("colour", "size").click()
        expect(page.get_by_role("region", name="Proposed sizes")).to_be_visible(timeout=PATIENCE)
        self.keep("bench-size")
        views = page.get_by_role("navigation", name="Views")
        views.get_by_role("link", name="Surfaces", exact=True).click()
        page.get_by_role("link", name="Iron lattice").first.click()
        self.cell("colour", "compress").click()
        expect(page.get_by_role("row", name="RGBA8")).to_contain_text("exact", timeout=PATIENCE)
        lost = page.get_by_role("region", name="What was lost")
        lost.get_by_role("radio", name="By block").click()
        lost.get_by_role("button", name="Worst block 1").click(timeout=PATIENCE)
        expect(lost.get_by_label("Palette: Alpha")).to_be_visible(timeout=PATIENCE)
        wipe = page.get_by_role("slider", name="Wipe: before compression on the left")
        for _ in range(17):
            wipe.press("ArrowRight")
        lost.get_by_role("heading").evaluate("heading => heading.scrollIntoView()")
        self.keep("bench-compress")
        self.start_of("slipway_setts.jpg")
        self.cell("colour", "source").click()
        page.get_by_role("button", name="Straighten by its lines").click()
        expect(page.get_by_text("the corners lie on them now")).to_be_visible(timeout=PATIENCE)
        expect(self.cell("colour", "steps")).to_contain_text("seam", timeout=PATIENCE)
        page.get_by_role("button", name="Straighten by its lines").scroll_into_view_if_needed()
        self.keep("bench-source")
        self.start_of("salt_sand.png")
        self.cell("colour", "steps").click()
        page.get_by_label("Seams and spots").check()
        expect(self.cell("colour", "steps")).to_contain_text("spot repeats", timeout=PATIENCE)
        self.keep("bench-spots")
        self.old_relief()
        self.touched_up()
        page.get_by_role("link", name="Materials").click()
        expect(page.locator("table img").nth(12)).to_be_visible(timeout=PATIENCE)
        self.keep("materials")
        self.see("Deliveries", "deliveries")
        page.get_by_role("link", name="Sample game").click()
        room = page.frame_locator("iframe").locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown")
        self.keep("sample-game")
        page.get_by_role("link", name="Saltglass", exact=True).click()
        expect(page.get_by_role("region", name="What was done")).to_be_visible()
        self.keep("project")


if __name__ == "__main__":
    import unittest

    Taking.setUpClass()
    try:
        unittest.TextTestRunner().run(Taking())
    finally:
        Taking.doClassCleanups()
