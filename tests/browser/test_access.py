"""Every view held against axe-core: WCAG 2.2 A and AA, and good practice."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from playwright.sync_api import expect

from tests.browser.case import PATIENCE, DemoCase, looks
from tests.sizes import swept

AXE = Path(__file__).resolve().parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
RUN = """
(within) => axe.run(within, { iframes: false, resultTypes: ["violations"], runOnly: {
  type: "tag",
  values: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"] } })
"""


class Access(DemoCase):
    def assert_accessible(self, within: str = "html") -> None:
        """Check that no rule is broken by what is on screen, or within a part of it."""
        page = self.page
        page.wait_for_timeout(500)
        page.evaluate(AXE.read_text(encoding="utf-8"))
        found: dict[str, Any] = page.evaluate(RUN, within)
        self.assertGreater(len(found["passes"]), 10)
        broken = [
            f"{v['id']}: {v['help']}\n" + "\n".join(f"    {n['html'][:220]}" for n in v["nodes"])
            for v in found["violations"]
        ]
        self.assertEqual(broken, [], "\n" + "\n".join(broken))

    def go(self, view: str) -> None:
        self.page.get_by_role("navigation", name="Views").get_by_role("link", name=view).click()

    def test_surfaces(self) -> None:
        self.page.goto(self.server.address)
        expect(self.page.get_by_role("link", name="Encaustic floor")).to_be_visible()
        self.assert_accessible()

    def test_the_bench_at_every_stage(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Encaustic floor").click()
        for stage in ("source", "steps", "size", "compress", "output"):
            with self.subTest(stage):
                cell = self.cell("colour", stage)
                cell.click()
                expect(cell).to_have_attribute("aria-pressed", "true", timeout=PATIENCE)
                # The first shows handles in the flat view; else only the controls are others.
                self.assert_accessible("html" if stage == "source" else "[aria-label=Controls]")

    @swept
    def test_sources(self) -> None:
        page = self.page
        page.goto(self.server.address)
        self.go("Sources")
        expect(page.get_by_role("button", name="Read the folder again")).to_be_visible()
        page.get_by_label("Find in the game").fill("door")
        for shown in ("Courses", "Contact sheet", "List"):
            with self.subTest(shown):
                page.get_by_role("radio", name=shown).click()
                self.assert_accessible()
        with self.subTest("brought in"):
            page.get_by_role("radio", name=re.compile("Brought in")).click()
            self.assert_accessible()

    def test_materials_deliveries_and_the_game(self) -> None:
        page = self.page
        page.goto(self.server.address)
        for view in ("Materials", "Deliveries", "Sample game"):
            with self.subTest(view):
                self.go(view)
                self.assert_accessible()

    def test_the_project_with_its_history_open(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Saltglass", exact=True).click()
        page.get_by_text("What was changed, newest first").click()
        page.get_by_role("button", name=re.compile("^Name “")).first.click()
        expect(page.get_by_label("Name of this state")).to_be_visible()
        self.assert_accessible()

    @swept
    @looks
    def test_a_mask_that_is_worked_on_and_a_plan_of_a_delivery(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Saltglass", exact=True).click()
        loose = page.get_by_role("checkbox", name="A folder of loose files")
        loose.check()
        page.get_by_role("button", name="Show this one").click()
        self.go("Surfaces")
        page.get_by_role("link", name="Iron lattice").click()
        page.get_by_role("button", name="New mask").last.click()
        expect(page.get_by_role("slider", name="Part 1: place")).to_be_visible()
        self.assert_accessible()
        page.get_by_role("button", name="Put in the game").click()
        plan = page.get_by_role("dialog")
        expect(plan.get_by_text("a new file").first).to_be_visible()
        self.assert_accessible()
        # Nothing of the view behind it lies over the plan.
        shown = self.settled(plan)
        root = page.locator("#root")
        root.evaluate("(it) => { it.style.visibility = 'hidden'; }")
        inner = slice(4, -4), slice(4, -4)
        self.assert_same_picture(self.seen(plan)[inner], shown[inner])
        root.evaluate("(it) => { it.style.visibility = ''; }")
        page.keyboard.press("Escape")
        # The other tests look at the sample game.
        page.get_by_role("link", name="Saltglass", exact=True).click()
        loose.uncheck()
        expect(page.get_by_role("link", name="Sample game")).to_be_visible()
