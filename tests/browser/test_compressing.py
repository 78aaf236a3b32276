"""Compress: formats, quality and filter chosen, and what was lost, seen and measured."""

import io
import re

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.browser.case import PATIENCE, SMALL, DemoCase, looks
from tests.sizes import swept


class Compressing(DemoCase):
    size = SMALL

    def open(self, title: str, role: str) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name=title).click()
        self.cell(role, "compress").click()
        figure = re.compile(r"BC\d \d+\.\d+( dB|°)")
        expect(self.cell(role, "compress")).to_contain_text(figure, timeout=PATIENCE)

    @swept
    def test_quality_and_filter_are_chosen_where_it_is_compressed_and_undone(self) -> None:
        page = self.page
        self.open("Verdigris copper", "colour")

        def decibels() -> float:
            found = re.search(r"(\d+\.\d) dB", self.cell("colour", "compress").inner_text())
            return float(found[1]) if found else 0.0

        before = decibels()
        page.get_by_role("radio", name="Fast").click()
        expect(page.get_by_role("radio", name="Fast")).to_be_checked(timeout=PATIENCE)
        page.wait_for_function(
            "([cell, was]) => { const m = /([0-9.]+) dB/.exec(document.querySelector(cell)"
            ".textContent); return m && Number(m[1]) < was; }",
            arg=["[data-cell=colour-compress]", before],
            timeout=PATIENCE,
        )
        page.get_by_role("radio", name="Nearest").click()
        expect(page.get_by_role("radio", name="Nearest")).to_be_checked(timeout=PATIENCE)
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("radio", name="Standard")).to_be_checked(timeout=PATIENCE)
        expect(page.get_by_role("radio", name="Kaiser")).to_be_checked()

    @swept
    @looks
    def test_what_was_lost_is_shown_by_difference_by_block_and_in_figures(self) -> None:
        page = self.page
        self.open("Iron lattice", "colour")
        flat, lost = page.get_by_test_id("flat"), page.get_by_role("region", name="What was lost")
        expect(lost).to_contain_text(re.compile(r"PSNR of colour\d+\.\d dB"), timeout=PATIENCE)
        expect(lost).to_contain_text(re.compile(r"SSIM0\.9\d+"))
        texels = self.settled(flat)
        lost.get_by_role("radio", name="Difference").click()
        lost.get_by_label("Shown so many times").select_option("4")
        weak = self.settled(flat)
        lost.get_by_label("Shown so many times").select_option("16")
        strong = self.settled(flat)
        self.assertLess(weak.mean(), strong.mean())
        self.assertLess(weak.mean(), 0.5 * texels.mean())
        lost.get_by_role("radio", name="By block").click()
        expect(lost).to_contain_text("16 and more")
        self.assertGreater(np.abs(self.settled(flat) - strong).mean(), 1)

        lost.get_by_role("button", name="Worst block 1").click()
        near = page.get_by_role("region", name="One block")
        expect(near).to_contain_text(re.compile(r"Off by \d+\.\d\d of 255"), timeout=PATIENCE)
        expect(near).to_contain_text("Four colours")
        expect(near.get_by_label("Palette: Colour").get_by_role("listitem")).to_have_count(4)
        expect(near.get_by_label("Palette: Alpha").get_by_role("listitem")).to_have_count(8)
        expect(page.locator("[data-block] g")).to_have_count(4)
        words = near.inner_text()
        near.get_by_role("button", name="The block below").click()
        expect(near).not_to_have_text(words)
        flat.click(position={"x": 60, "y": 70})
        expect(near).to_contain_text(re.compile(r"Block at \d+, \d+"))
        near.get_by_role("button", name="Close").click()
        expect(page.locator("[data-block]")).to_have_count(0)

    @swept
    @looks
    def test_one_level_is_looked_at_and_exchanged_for_a_picture_and_made_again(self) -> None:
        page = self.page
        self.open("Verdigris copper", "colour")
        flat, lost = page.get_by_test_id("flat"), page.get_by_role("region", name="What was lost")
        level = lost.get_by_role("combobox", name="Level")
        level.select_option("4")
        before = self.settled(flat)
        expect(page.get_by_text(re.compile(r"level 4, \d+ × \d+"))).to_be_visible()
        plain = io.BytesIO()
        Image.new("RGB", (50, 50), (250, 240, 20)).save(plain, "PNG")
        lost.get_by_label("Picture for level 4").set_input_files(
            {"name": "near_by.png", "mimeType": "image/png", "buffer": plain.getvalue()}
        )
        expect(lost).to_contain_text("near_by.png stands in for this level", timeout=PATIENCE)
        expect(level).to_contain_text("its own")
        changed = self.eventually(flat, lambda now: now[..., 0].mean() > before[..., 0].mean() + 40)
        self.assertLess(changed[..., 2].mean(), 70)
        with page.expect_download() as saved:
            lost.get_by_role("link", name="Save as PNG").click()
        with Image.open(saved.value.path()) as image:
            self.assertEqual(image.convert("RGB").getpixel((3, 3)), (250, 240, 20))
        level.select_option("3")
        expect(lost).to_contain_text("Made from the levels above")
        level.select_option("4")
        lost.get_by_role("button", name="Make it as usual").click()
        expect(lost).to_contain_text("Made from the levels above")
        self.eventually(flat, lambda now: bool(np.abs(now - before).mean() < 1))
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
        expect(lost).to_contain_text("Made from the levels above")

    @swept
    def test_a_format_is_recommended_with_its_reason_and_taken(self) -> None:
        page = self.page
        self.open("Iron lattice", "colour")
        note = page.get_by_role("note", name="Recommended format")
        advised = "RGBA8 is recommended. BC7 is a quarter the size, but its loss shows"
        expect(note).to_contain_text(advised, timeout=PATIENCE)
        note.get_by_role("button", name="Take it").click()
        expect(note).to_contain_text("RGBA8 is as recommended", timeout=PATIENCE)
        expect(self.cell("colour", "compress")).to_contain_text("RGBA8", timeout=PATIENCE)
        page.get_by_role("button", name="Undo").click()
        expect(self.cell("colour", "compress")).to_contain_text("BC3", timeout=PATIENCE)
        self.open("Iron lattice", "normal")
        expect(note).to_contain_text("BC5 is as recommended", timeout=PATIENCE)
