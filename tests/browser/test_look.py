"""Working on a map's look by the visible controls: marker, lettering, recipes; and by keys."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, expect

from tests.browser.case import SMALL, DemoCase
from tests.sizes import swept

MAKE_RED = "#e01010"


class Look(DemoCase):
    size = SMALL

    def setUp(self) -> None:
        super().setUp()
        self.opened("Limewash plaster")

    def opened(self, title: str) -> str:
        """Open a surface on the bench, at the steps of its colour."""
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Surfaces").first.click()
        page.get_by_role("link", name=re.compile(title)).first.click()
        self.cell("colour", "steps").click()
        expect(page.get_by_role("button", name="Add a step")).to_be_visible()
        self.surface = page.url.split("/bench/")[1].split("?")[0]
        return self.surface

    def view(self, surface: str | None = None) -> dict[str, Any]:
        """Return the surface as the server has it."""
        answer = self.page.request.get(f"{self.base()}/api/surfaces/{surface or self.surface}")
        return answer.json()

    def base(self) -> str:
        return re.sub(r"(https?://[^/]+).*", r"\1", self.page.url)

    def pixels(self, role: str = "colour", surface: str | None = None) -> np.ndarray:
        """Return a map after its steps, as it is made in full."""
        for _ in range(5):
            # What is left for a newer change is answered so; then that one is asked for.
            key = self.view(surface)["keys"][role]["steps"]
            answer = self.page.request.get(f"{self.base()}/api/renders/{key}/picture.png")
            if answer.ok:
                break
        return np.asarray(Image.open(io.BytesIO(answer.body())).convert("RGB")).astype(float)

    def steps(self, role: str = "colour", surface: str | None = None) -> list[dict[str, Any]]:
        maps = self.view(surface)["document"]["maps"]
        return next(m["steps"] for m in maps if m["role"] == role)

    def edited(self) -> Any:
        return self.page.expect_response(re.compile("/edits$"))

    @contextmanager
    def one_more(self, kind: str) -> Iterator[None]:
        """What adds a step: over when its card is there, so that the last one is the new one."""
        cards = self.page.get_by_role("group", name=kind, exact=True)
        before = cards.count()
        with self.edited():
            yield
        expect(cards).to_have_count(before + 1)

    def add(self, kind: str) -> None:
        with self.one_more(kind):
            self.pick("Add a step", kind)

    def limited(self, step: str) -> None:
        """Give a step a new mask, drawn with the marker."""
        page = self.page
        card = page.get_by_role("group", name=step).last
        card.get_by_text("Where and how much").click()
        with self.edited():
            card.get_by_role("button", name="New mask").click()
        with self.edited():
            page.get_by_label("Kind of the mask").select_option("strokes")

    def typed(self, field: Locator, value: str) -> None:
        field.fill(value)
        with self.edited():
            field.press("Enter")

    def painted(self) -> None:
        """Make what lies under a new marker mask one colour, by the mouse."""
        self.add("Fill")
        self.typed(self.page.get_by_role("textbox", name="Colour", exact=True).last, MAKE_RED)
        self.limited("Fill")
        board = self.page.get_by_role("application", name=re.compile(r"Part \d+: draw"))
        box = board.bounding_box()
        assert box
        with self.edited():
            self.page.mouse.move(box["x"] + 0.15 * box["width"], box["y"] + 0.2 * box["height"])
            self.page.mouse.down()
            self.page.mouse.move(
                box["x"] + 0.35 * box["width"], box["y"] + 0.25 * box["height"], steps=6
            )
            self.page.mouse.up()

    def red(self, pixels: np.ndarray) -> np.ndarray:
        wanted = [int(MAKE_RED[n : n + 2], 16) for n in (1, 3, 5)]
        return np.abs(pixels - np.array(wanted)).max(axis=2) < 6

    @swept
    def test_what_lies_under_the_marker_is_made_another_colour(self) -> None:
        before = self.pixels()
        self.painted()
        after = self.pixels()
        share = float(self.red(after).mean())
        self.assertGreater(share, 0.005)
        self.assertLess(share, 0.2)
        # Beyond what was drawn, and its soft rim, nothing has changed.
        self.assertGreater(float((np.abs(after - before).max(axis=2) < 1).mean()), 0.75)
        expect(self.page.get_by_text("1 stroke; draw in the flat view")).to_be_visible()
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_text("0 strokes; draw in the flat view")).to_be_visible()

    @swept
    def test_lettering_over_an_edge_wraps_and_is_stamped_into_height_and_normal(self) -> None:
        page = self.page
        before = {role: self.pixels(role) for role in ("colour", "height", "normal")}
        self.add("Lettering")
        self.typed(page.get_by_label("Words"), "Quay")
        self.typed(page.get_by_role("textbox", name="Across", exact=True).last, "0")
        self.typed(page.get_by_role("textbox", name="Width", exact=True).last, "0.5")
        place = page.get_by_role("slider", name="Quay: place")
        expect(place).to_be_visible()
        apart = np.abs(self.pixels() - before["colour"]).max(axis=2) > 12
        columns = np.flatnonzero(apart.any(axis=0)) / apart.shape[1]
        self.assertTrue((columns < 0.1).any() and (columns > 0.9).any())
        self.assertFalse(((columns > 0.35) & (columns < 0.65)).any())
        card = page.get_by_role("group", name="Lettering").last
        card.get_by_text("Where and how much").click()
        for title in ("Height", "Normal"):
            with self.edited():
                card.get_by_label("Stamp into").select_option(label=title)
        for role in ("height", "normal"):
            self.assertEqual(self.steps(role)[-1]["params"]["text"], "Quay")
            stamped = np.abs(self.pixels(role) - before[role]).max(axis=2) > 12
            columns = np.flatnonzero(stamped.any(axis=0)) / stamped.shape[1]
            self.assertTrue((columns < 0.1).any() and (columns > 0.9).any())

    @swept
    def test_a_recipe_is_copied_to_two_other_surfaces_and_all_is_undone(self) -> None:
        page = self.page
        self.painted()
        first = self.surface
        surfaces = page.request.get(
            f"{self.base()}/api/projects/{self.view()['project_id']}/surfaces"
        ).json()
        others = [s for s in surfaces if s["id"] != first and s["keys"].get("colour")][:2]
        kinds = {
            s["id"]: [k["params"]["kind"] for k in self.steps("colour", s["id"])] for s in others
        }
        page.get_by_role("button", name="Recipe", exact=True).click()
        page.get_by_role("button", name="Copy this recipe").click()
        page.get_by_role("button", name=re.compile("on other surfaces")).click()
        for other in others:
            page.get_by_label(other["title"], exact=True).check()
        with page.expect_response(re.compile("/put-recipe$")):
            page.get_by_role("button", name="Put on 2 surfaces").click()
        added = [
            s["params"]["kind"] for s in self.steps() if s["params"]["kind"] in ("fill", "tone")
        ]
        for other in others:
            now = [k["params"]["kind"] for k in self.steps("colour", other["id"])]
            self.assertEqual(now[: len(kinds[other["id"]])], kinds[other["id"]])
            self.assertGreaterEqual(len(now), len(kinds[other["id"]]) + len(added[:1]))
            self.assertGreater(float(self.red(self.pixels("colour", other["id"])).mean()), 0.003)
        # One press takes it back on both.
        self.opened(re.escape(others[0]["title"]))
        with page.expect_response(re.compile("/undo$")):
            page.keyboard.press("z")
        for other in others:
            now = [k["params"]["kind"] for k in self.steps("colour", other["id"])]
            self.assertEqual(now, kinds[other["id"]])

    @swept
    def test_all_of_it_from_the_keyboard(self) -> None:
        page = self.page
        before = float(self.red(self.pixels()).mean())
        page.get_by_role("button", name="Add a step").press("Enter")
        page.keyboard.type("fill")
        with self.one_more("Fill"):
            page.keyboard.press("Enter")
        colour = page.get_by_role("textbox", name="Colour", exact=True).last
        colour.focus()
        page.keyboard.press("Control+a")
        page.keyboard.type("e01010")
        with self.edited():
            page.keyboard.press("Enter")
        card = page.get_by_role("group", name="Fill").last
        card.get_by_text("Where and how much").focus()
        page.keyboard.press("Enter")
        with self.edited():
            card.get_by_role("button", name="New mask").press("Enter")
        kind = page.get_by_label("Kind of the mask")
        kind.focus()
        with self.edited():
            kind.press("m")
        board = page.get_by_role("application", name=re.compile(r"Part \d+: draw"))
        board.focus()
        page.keyboard.press("Space")
        for _ in range(4):
            page.keyboard.press("Shift+ArrowRight")
        with self.edited():
            page.keyboard.press("Space")
        self.assertGreater(float(self.red(self.pixels()).mean()), before + 0.003)
        with page.expect_response(re.compile("/undo$")):
            page.get_by_role("button", name="Undo").press("Enter")
        self.assertAlmostEqual(float(self.red(self.pixels()).mean()), before)
