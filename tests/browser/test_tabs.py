"""Two tabs on one surface, and a page that outlives its server."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from playwright.sync_api import Page, expect

from stonestack.cli import main
from tests.browser.case import SMALL, DemoCase
from tests.forked import Program

SOON = 4_000
"""Milliseconds; changes come within one, on a machine that does nothing else."""


class Tabs(DemoCase):
    size = SMALL

    def setUp(self) -> None:
        super().setUp()
        self.page.goto(self.server.address)
        self.page.get_by_role("link", name="Encaustic floor").click()
        self.cell("colour", "finish").click()

    def add(self, page: Page, title: str) -> None:
        page.get_by_role("button", name="Add a step").click()
        found = page.get_by_role("combobox", name="Add a step: find")
        found.fill(title)
        with page.expect_response(re.compile("/edits$")) as answer:
            found.press("Enter")
        self.assertEqual(answer.value.status, 200)

    def test_a_change_in_one_tab_is_seen_in_the_other_and_neither_is_refused(self) -> None:
        other = self.new_page()
        self.addCleanup(other.close)
        other.goto(self.page.url)
        expect(other.get_by_role("button", name="Add a step")).to_be_visible()
        for page, beside, title in ((self.page, other, "Curves"), (other, self.page, "Exposure")):
            self.add(page, title)
            step = beside.get_by_role("button", name=re.compile(f"^{title}"))
            expect(step.first).to_be_visible(timeout=SOON)

    def test_a_page_goes_on_after_its_server_was_started_anew(self) -> None:
        self.allowed = (*self.allowed, "net::ERR_")  # What was on its way from the old one.
        port = urlsplit(self.server.address).port
        data = self.folder / "data"
        type(self).server.stop()
        type(self).server = Program(main.main, "demo", "--port", port, data=data)
        self.addClassCleanup(type(self).server.stop)
        self.add(self.page, "Levels")
        expect(self.page.get_by_role("button", name=re.compile("^Levels")).first).to_be_visible()
