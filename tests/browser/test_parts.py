"""Masks drawn in the flat view, and a picture laid over by its handles, wrapping over the edge."""

import io
import re
import unittest

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, expect

from tests.browser.case import DemoCase
from tests.sizes import swept


class Parts(DemoCase):
    def setUp(self) -> None:
        super().setUp()
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Encaustic floor").click()
        self.cell("colour", "steps").click()
        self.surface = page.url.split("/bench/")[1].split("?")[0]

    def document(self) -> dict[str, object]:
        """Return the surface as the server has it."""
        return self.page.evaluate(
            "async (id) => (await (await fetch(`/api/surfaces/${id}`)).json()).document",
            self.surface,
        )

    def pixels(self, stage: str = "steps") -> np.ndarray:
        """Return the colour at a stage, as it is made in full."""
        key = self.page.evaluate(
            "async ([id, stage]) =>"
            " (await (await fetch(`/api/surfaces/${id}`)).json()).keys.colour[stage]",
            [self.surface, stage],
        )
        answer = self.page.request.get(f"{self.base()}/api/renders/{key}/picture.png")
        return np.asarray(Image.open(io.BytesIO(answer.body())).convert("RGB")).astype(float)

    def base(self) -> str:
        return re.sub(r"(https?://[^/]+).*", r"\1", self.page.url)

    def drag(self, handle: Locator, right: float, down: float) -> None:
        """Drag what a handle names by so many pixels."""
        handle.hover()  # Waits until it stands still: what has just come moves the picture.
        box = handle.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for part in (0.3, 0.7, 1.0):
            self.page.mouse.move(x + right * part, y + down * part)
            self.page.wait_for_timeout(60)
        with self.page.expect_response(re.compile("/edits$")):
            self.page.mouse.up()

    @swept
    def test_a_mask_is_dragged_and_limits_a_step_to_what_lies_under_it(self) -> None:
        page = self.page
        before = self.pixels()
        self.pick("Add a step", "Levels")
        tone = page.get_by_role("group", name="Levels").last
        tone.get_by_text("Where and how much").click()
        tone.get_by_role("button", name="New mask").click()
        place = page.get_by_role("slider", name="Part 1: place")
        corner = page.get_by_role("slider", name="Part 1: bottom right")
        self.drag(corner, 60, -50)
        sized = self.document()["masks"][0]["shape"]  # type: ignore[index]
        self.assertGreater(sized["width"], 0.51)
        self.assertLess(sized["height"], 0.49)
        self.drag(place, -30, 0)
        moved = self.document()["masks"][0]["shape"]  # type: ignore[index]
        self.assertLess(moved["x"], sized["x"])
        self.assertAlmostEqual(moved["width"], sized["width"])
        white = tone.get_by_label("White", exact=True).last
        white.fill("0.5")
        with page.expect_response(re.compile("/edits$")):
            white.press("Enter")
        after = self.pixels()
        side = after.shape[0]
        apart = np.abs(after - before).max(axis=2)
        inside = apart[
            int((moved["y"] + 0.1) * side) : int((moved["y"] + moved["height"] - 0.1) * side),
            int((moved["x"] + 0.1) * side) : int((moved["x"] + moved["width"] - 0.1) * side),
        ]
        self.assertGreater((inside > 8).mean(), 0.9)
        outside = apart.copy()
        top, left = int((moved["y"] - 0.03) * side), int((moved["x"] - 0.03) * side)
        bottom = int((moved["y"] + moved["height"] + 0.03) * side)
        right = int((moved["x"] + moved["width"] + 0.03) * side)
        outside[top:bottom, left:right] = 0
        self.assertLess(outside.max(), 2)

        strip = page.get_by_role("list", name="Masks")
        expect(strip.get_by_role("button", name="Part 1")).to_have_attribute("aria-pressed", "true")
        with page.expect_response(re.compile("/edits$")):
            page.get_by_label("All but this").check()
        turned = np.abs(self.pixels() - before).max(axis=2)
        self.assertLess(turned[side // 2 - 4 : side // 2 + 4, (left + right) // 2].max(), 2)
        name = page.get_by_label("Name of the mask")
        name.fill("By the door")
        name.press("Enter")
        expect(strip.get_by_role("button", name="By the door")).to_be_visible()
        expect(page.get_by_role("button", name="Remove", exact=True)).to_be_disabled()
        page.get_by_role("group", name="Mask By the door").get_by_role(
            "button", name="Done"
        ).click()
        expect(page.get_by_role("slider", name="By the door: place")).to_have_count(0)

    @swept
    def test_a_picture_is_laid_over_the_edge_by_its_handles_and_comes_in_at_the_other(self) -> None:
        page = self.page
        before = self.pixels()
        red = io.BytesIO()
        Image.new("RGB", (64, 32), (250, 20, 20)).save(red, "PNG")
        self.pick("Add a step", "Lay a picture over")
        page.get_by_label("Picture to lay over").set_input_files(
            {"name": "sign.png", "mimeType": "image/png", "buffer": red.getvalue()}
        )
        place = page.get_by_role("slider", name="sign.png: place")
        expect(place).to_be_visible()
        corner = page.get_by_role("slider", name="sign.png: bottom right")
        self.drag(corner, -40, 0)
        laid = self.document()["maps"][0]["steps"][-1]["params"]  # type: ignore[index]
        self.assertLess(laid["width"], 0.45)
        box = place.bounding_box()
        assert box is not None
        across = box["width"] / laid["width"]
        self.drag(place, (1.0 - laid["x"]) * across, 0)
        now = self.document()["maps"][0]["steps"][-1]["params"]  # type: ignore[index]
        self.assertLess(min(now["x"], 1 - now["x"]), 0.02)
        after = self.pixels()
        side = after.shape[1]
        row = after[int(now["y"] * after.shape[0])]
        was = before[int(now["y"] * before.shape[0])]
        for x in (3, side - 4):
            self.assertGreater(row[x, 0] - row[x, 1], 180)
            self.assertLess(was[x, 0] - was[x, 1], 120)
        self.assertLess(np.abs(after - before)[:, side // 2].max(), 2)
        page.keyboard.press("Escape")
        place.focus()
        with page.expect_response(re.compile("/edits$")):
            page.keyboard.press("ArrowDown")
        keyed = self.document()["maps"][0]["steps"][-1]["params"]  # type: ignore[index]
        self.assertGreater(keyed["y"], now["y"])


if __name__ == "__main__":
    unittest.main()
