"""Touching up single texels; raised parts as a guide; a mask as a map; what changed, in words."""

from __future__ import annotations

import io
import re
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.browser.case import SMALL, DemoCase
from tests.sizes import swept
from tests.support import png

INK = (0x20, 0xC0, 0x60)


class Touch(DemoCase):
    size = SMALL

    def setUp(self) -> None:
        super().setUp()
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Encaustic floor").click()
        self.surface = page.url.split("/bench/")[1].split("?")[0]

    def edited(self) -> Any:
        return self.page.expect_response(re.compile("/edits$"))

    def view(self) -> dict[str, Any]:
        base = re.sub(r"(https?://[^/]+).*", r"\1", self.page.url)
        return self.page.request.get(f"{base}/api/surfaces/{self.surface}").json()

    def pixels(self, stage: str) -> np.ndarray:
        """Return the colour at a stage, as it is made in full."""
        base = re.sub(r"(https?://[^/]+).*", r"\1", self.page.url)
        key = self.view()["keys"]["colour"][stage]
        answer = self.page.request.get(f"{base}/api/renders/{key}/picture.png")
        return np.asarray(Image.open(io.BytesIO(answer.body())).convert("RGB"))

    @swept
    def test_single_texels_are_drawn_by_mouse_and_keys_and_given_back(self) -> None:
        page = self.page
        self.cell("colour", "finish").click()
        before = self.pixels("finish")
        with self.edited():
            self.pick("Add a step", "Pencil")
        board = page.get_by_role("application", name="Pencil: draw")
        tools = page.get_by_role("group", name="Pencil", exact=True).last
        ink = tools.get_by_role("textbox", name="Colour", exact=True)
        ink.fill("#20c060")
        ink.press("Enter")
        box = board.bounding_box()
        assert box
        # On whole pixels of the screen: a turn of the wheel knows no parts of them.
        x, y = (round(box[a] + 0.4 * box[b]) for a, b in (("x", "width"), ("y", "height")))
        with self.edited():
            page.mouse.click(x, y)
        after = self.pixels("finish")
        rows, columns = np.nonzero((after != before).any(axis=2))
        self.assertEqual((len(rows), tuple(after[rows[0], columns[0]])), (1, INK))

        board.focus()
        page.keyboard.press("Space")
        for _ in range(4):
            page.keyboard.press("ArrowRight")
        with self.edited():
            page.keyboard.press("Space")
        keyed = (self.pixels("finish") != after).any(axis=2)
        self.assertEqual(int(keyed.sum()), 5)
        self.assertEqual(len(set(np.nonzero(keyed)[0])), 1)
        expect(tools.get_by_text("2 lines")).to_be_visible()

        # The wheel comes nearer to what lies under the pointer: it is still the same texel.
        tools.get_by_label("Gives back what was there").check()
        page.mouse.move(x, y)
        for _ in range(14):
            page.mouse.wheel(0, -100)
        with self.edited():
            page.mouse.click(x, y)
        given = (self.pixels("finish") != before).any(axis=2)
        np.testing.assert_array_equal(given, keyed)

        tools.get_by_role("button", name="Take a colour").click()
        picker = page.get_by_role("application", name="Pencil: take a colour")
        picker.focus()
        page.keyboard.press("Enter")
        expect(board).to_be_visible()
        height, width = after.shape[:2]
        wanted = bytes(self.pixels("finish")[height // 2, width // 2].tolist()).hex()
        expect(ink).to_have_value(f"#{wanted}")

    @swept
    def test_raised_parts_guide_what_is_laid_in_and_become_a_blend(self) -> None:
        page = self.page
        self.cell("colour", "steps").click()
        known = self.view()["revision"]
        with self.edited():
            self.pick("Add a step", "Lettering")
        with self.edited():
            page.get_by_label("Keep inside").select_option(label="raised parts in height")
        expect(page.get_by_text(re.compile("% outside|all inside"))).to_be_visible()
        strip = page.get_by_role("list", name="Masks")
        strip.get_by_role("button", name="Raised in height").click()
        with self.edited():
            page.get_by_label("Put out as").select_option(label="Blend")
        view = self.view()
        blend = next(m for m in view["document"]["maps"] if m["role"] == "blend")
        mask = view["document"]["masks"][-1]
        self.assertEqual(mask["shape"]["kind"], "raised")
        self.assertEqual(blend["steps"][0]["params"]["mask"], {"mask": mask["id"]})
        expect(self.cell("blend", "steps")).to_be_visible()
        expect(page.get_by_role("button", name="Remove", exact=True)).to_be_disabled()

        # The state before all that, beside the present one: what is different, in words.
        page.get_by_label("Beside").select_option(str(known))
        page.get_by_text(re.compile(r"^\d+ changed$")).click()
        lines = page.get_by_role("list", name="What changed").get_by_role("listitem")
        expect(lines).to_have_text(
            ["Colour: Lettering added", "Blend added", "Mask Raised in height added"]
        )

    @swept
    def test_art_of_few_texels_begins_whole_and_lettering_mixes_nothing(self) -> None:
        page = self.page
        chosen = np.array([(20, 12, 28), (190, 60, 40), (240, 210, 90), INK], np.uint8)
        art = chosen[np.random.default_rng(4).integers(0, 4, (32, 32))]
        page.get_by_role("link", name="Surfaces").first.click()
        page.get_by_role("button", name="Start empty").click()
        page.get_by_label("Title").fill("Pantry sign")
        page.keyboard.press("Enter")
        page.wait_for_url(re.compile("/bench/(?!" + self.surface + ")"))
        self.surface = page.url.split("/bench/")[1].split("?")[0]
        with self.edited():
            self.drop(self.cell("colour", "source"), "pantry_sign.png", png(art))
        self.cell("colour", "size").click()
        whole = page.get_by_label("Whole texels")
        expect(whole).to_be_checked()
        np.testing.assert_array_equal(self.pixels("size"), art)
        self.cell("colour", "steps").click()
        with self.edited():
            self.pick("Add a step", "Lettering")
        colour = page.get_by_role("group", name="Lettering", exact=True).last
        ink = colour.get_by_role("textbox", name="Colour", exact=True)
        with self.edited():
            ink.fill("#20c060")
            ink.press("Enter")
        given = {tuple(texel) for texel in chosen.tolist()}

        def seen() -> set[tuple[int, ...]]:
            return {tuple(texel) for texel in self.pixels("size").reshape(-1, 3).tolist()}

        self.assertTrue((self.pixels("size") != art).any())
        self.assertLessEqual(seen(), given)
        self.cell("colour", "size").click()
        with self.edited():
            whole.uncheck()
        self.assertFalse(seen() <= given)
