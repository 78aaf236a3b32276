"""Take the pictures of docs/screenshots from the demo: ``python -m tests.browser.screenshots``."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.case import PATIENCE, BrowserCase, demo_server

PICTURES = Path(__file__).resolve().parents[2] / "docs" / "screenshots"


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
