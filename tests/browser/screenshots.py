"""Take the pictures of docs/screenshots from the demo: ``python -m tests.browser.screenshots``."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from tests.browser.case import PATIENCE, BrowserCase, demo_server
from tests.support import noise, png

PICTURES = Path(__file__).resolve().parents[2] / "docs" / "screenshots"


def blue_door() -> bytes:
    """Return a picture to put in the door's place."""
    values = noise(512, 512, 3, 60) * np.array([40, 90, 150], np.float32) + 30
    return png(values.astype(np.uint8))


class Taking(BrowserCase):
    """Goes through the main views as a person would, and keeps what it sees."""

    def keep(self, name: str) -> None:
        self.page.mouse.move(640, 795)
        self.page.wait_for_timeout(2500)
        self.page.screenshot(path=PICTURES / f"{name}.png", animations="disabled")

    def runTest(self) -> None:
        PICTURES.mkdir(parents=True, exist_ok=True)
        server, folder = demo_server()
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.addCleanup(server.stop)
        page = self.page
        page.goto(server.address)
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
        page.goto(server.address)
        expect(page.get_by_role("link", name="Encaustic floor")).to_be_visible()
        self.keep("surfaces")
        page.get_by_role("link", name="Encaustic floor").click()
        light = page.get_by_test_id("light")
        expect(light).to_have_attribute("data-stored", re.compile("BC"), timeout=PATIENCE)
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
        self.keep("bench-steps")
        page.get_by_role("link", name="Materials").click()
        self.keep("materials")
        page.get_by_role("link", name="Deliveries").click()
        self.keep("deliveries")
        page.get_by_role("link", name="Sample game").click()
        room = page.frame_locator("iframe").locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown")
        self.keep("sample-game")


if __name__ == "__main__":
    import unittest

    Taking.setUpClass()
    try:
        unittest.TextTestRunner().run(Taking())
    finally:
        Taking.doClassCleanups()
