"""The set that is derived: what a surface is made of, maps added, and where each comes from."""

from playwright.sync_api import expect

from stonestack.core.matters import MATTERS, Matter
from tests.browser.case import PATIENCE, DemoCase


class DerivedSet(DemoCase):
    draws = False

    def document(self) -> dict[str, object]:
        """Return the surface as the server has it."""
        return self.page.evaluate(
            "async (id) => (await (await fetch(`/api/surfaces/${id}`)).json()).document",
            self.page.url.split("/bench/")[1].split("?")[0],
        )

    def test_what_it_is_made_of_is_chosen_maps_are_added_and_come_from_others(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Limewash plaster").click()
        made_of = page.get_by_label("Made of")
        expect(made_of).to_have_value("plaster")
        self.cell("normal", "steps").click()
        steep = page.get_by_role("textbox", name="Steepness")
        expect(steep).to_have_value(f"{MATTERS[Matter.PLASTER].steepness:.1f}")
        made_of.select_option(label="Brick")
        expect(steep).to_have_value(f"{MATTERS[Matter.BRICK].steepness:.1f}")
        page.get_by_role("button", name="Undo").click()
        expect(made_of).to_have_value("plaster")
        expect(steep).to_have_value(f"{MATTERS[Matter.PLASTER].steepness:.1f}")

        for role in ("occlusion", "gloss"):
            page.get_by_label("Add a map").select_option(role)
            row = page.get_by_role("rowheader", name=role.title())
            expect(row).to_contain_text("from Height" if role == "occlusion" else "from Colour")
            expect(self.cell(role, "steps")).to_contain_text("1 step, seam", timeout=PATIENCE)

        self.cell("normal", "source").click()
        page.get_by_label("Comes from").select_option(label="Colour")
        expect(page.get_by_role("rowheader", name="Normal")).to_contain_text("from Colour")
        maps = self.document()["maps"]
        assert isinstance(maps, list)
        kinds = {m["role"]: [s["params"]["kind"] for s in m["steps"]] for m in maps}
        self.assertEqual(kinds["normal"], ["normal_from_colour"])
        self.assertEqual(kinds["occlusion"], ["occlusion_from_height"])
        self.assertEqual(kinds["gloss"], ["gloss_from_colour"])
        expect(self.cell("normal", "compress")).to_contain_text("BC5", timeout=PATIENCE)
